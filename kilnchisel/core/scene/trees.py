"""Woods far off, round open land under a clear sky: what ends it is sharp, as it is for a lens close
to nothing. They are there for pictures alone.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, lattice_faces, unit
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.setting import Light
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.openland import OPEN_SKIES

Array = NDArray[Any]

AWAY = 60.0  # radii of the piece
STEP_MM = 1000.0  # of how far off they are: pieces of like size share them
COLUMNS, FEWER = 7200, 6  # round about: a twentieth of a degree each; while something moves, of so many one
# the farthest first: how far as a share, how high by that, how many trees, the tone behind so much haze
ROWS = ((1.0, 0.0135, 2000, "#94a5a2"), (0.9, 0.0085, 2600, "#82938a"))
WIDE = 0.0011, 0.0038  # of a crown, from its middle, by how far it is
SEED = 83


def trees_about(base: Base | None, light: Light, radius: float, *, detail: Detail) -> tuple[Item, ...]:
    """What stands round a piece of this radius, mm, where its ground goes as far as a clear sky does;
    nothing elsewhere."""
    if base is None or base.fades is None or light.room not in OPEN_SKIES:
        return ()
    away = STEP_MM * float(np.ceil(AWAY * radius / STEP_MM))
    return tuple(
        Item(f"trees {number}", None, _row(away, number, detail=detail), _leaves(tone), mask="ground")
        for number, (*_, tone) in enumerate(ROWS)
    )


def _leaves(tone: str) -> Material:
    return Material("matte", hex_to_linear(tone), 0.7)


@remembered
def _outline(number: int) -> tuple[Array, Array]:
    """Of many crowns before each other, by how far they are: how high each column is, and how far aside of
    the middle of its crown, (COLUMNS,)."""
    _, high, count, _ = ROWS[number]
    rng = np.random.default_rng(SEED + number)
    step = 2 * np.pi / COLUMNS
    where = rng.uniform(0, 2 * np.pi, count)
    # woods and gaps: how high all are goes up and down round about
    waves = sum(np.cos(k * where + rng.uniform(0, 2 * np.pi)) / k**0.5 for k in (2, 3, 5, 9, 17, 31))
    tall = high * np.clip(0.72 + 0.14 * waves, 0.3, 1.1) * rng.uniform(0.8, 1.05, count)
    wide = rng.uniform(*WIDE, count)
    top, lean = np.full(COLUMNS, 0.3 * high), np.zeros(COLUMNS)
    for middle, half, up in zip(where, wide, tall, strict=True):
        first, last = int(np.floor((middle - half) / step)), int(np.ceil((middle + half) / step))
        column = np.arange(first, last + 1)
        across = np.clip((column * step - middle) / half, -1, 1)
        crown = up * (0.6 + 0.4 * (1 - across**2) ** 0.7)
        crown[np.abs(across) >= 1] = 0.0
        column %= COLUMNS
        over = crown > top[column]
        top[column[over]], lean[column[over]] = crown[over], across[over]
    return top * rng.uniform(0.94, 1.04, COLUMNS), lean


@remembered
def _row(away: float, number: int, *, detail: Detail) -> Mesh:
    """Their outline as one strip that faces the middle, each as round as it looks by its normals alone."""
    top, lean = _outline(number)
    if detail.rough:
        top, lean = top.reshape(-1, FEWER).mean(axis=1), lean[::FEWER]
    top, lean = np.append(top, top[0]), np.append(lean, lean[0])
    turn = np.linspace(0, 2 * np.pi, len(top))
    level = np.zeros(len(top))
    out = np.stack([np.cos(turn), np.sin(turn), level], axis=1)
    side = np.stack([-np.sin(turn), np.cos(turn), level], axis=1)
    far = away * ROWS[number][0]
    foot = far * out
    leaning = -out + 0.25 * lean[:, None] * side
    normals = unit(np.concatenate([leaning + (0.0, 0.0, -0.1), leaning + (0.0, 0.0, 0.7)]))
    points = np.concatenate([foot, foot + (far * top)[:, None] * (0.0, 0.0, 1.0)])
    # from the middle the turn goes to the left
    faces = lattice_faces(2, len(top))[:, ::-1].astype(np.int32)
    return Mesh(points, normals, np.zeros((len(points), 2)), faces)
