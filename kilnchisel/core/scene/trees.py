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
from kilnchisel.core.finishes.textures import FOLIAGE_MM, foliage
from kilnchisel.core.job.setting import Light
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.openland import OPEN_SKIES

Array = NDArray[Any]

# radii of the piece; of a small one they stand where no eye is high enough to look over them
AWAY, LEAST_AWAY_MM = 60.0, 300_000.0
STEP_MM = 1000.0  # of how far off they are: pieces of like size share them
COLUMNS, FEWER = (
    14400,
    12,
)  # round about: a fortieth of a degree each; while something moves, of so many one
# the farthest first: how far as a share, how high by that, how many trees, the tone behind so much haze
ROWS = ((1.0, 0.0135, 900, "#879a90"), (0.9, 0.0085, 1300, "#6c8069"))
WIDE = 0.003, 0.0075  # of a crown, from its middle, by how far it is
# boughs that stand out of crowns: how many, how large by how far they are, how much of one is in its crown
BOUGHS, ROUND, SUNK = 9000, (0.0006, 0.0016), 0.55
# how far off leaves are as large as they are, mm, a whole number of tiles round: they go with the distance
LEAVES_AT = 80 * FOLIAGE_MM / (2 * np.pi)
SEED = 83


def trees_about(base: Base | None, light: Light, radius: float, *, detail: Detail) -> tuple[Item, ...]:
    """What stands round a piece of this radius, mm, where its ground goes as far as a clear sky does;
    nothing elsewhere."""
    if base is None or base.fades is None or light.room not in OPEN_SKIES:
        return ()
    away = STEP_MM * float(np.ceil(max(AWAY * radius, LEAST_AWAY_MM) / STEP_MM))
    return tuple(
        Item(f"trees {number}", None, _row(away, number, detail=detail), _leaves(tone), mask="ground")
        for number, (*_, tone) in enumerate(ROWS)
    )


def _leaves(tone: str) -> Material:
    return Material("matte", hex_to_linear(tone), 0.7, texture=foliage())


@remembered
def _outline(number: int) -> tuple[Array, Array]:
    """Of many crowns before each other, by how far they are: how high each column is, and how far aside of
    the middle of its crown, (COLUMNS,)."""
    _, high, count, _ = ROWS[number]
    rng = np.random.default_rng(SEED + number)
    where = rng.uniform(0, 2 * np.pi, count)
    # woods and gaps: how high all are goes up and down round about
    waves = sum(np.cos(k * where + rng.uniform(0, 2 * np.pi)) / k**0.5 for k in (2, 3, 5, 9, 17, 31))
    tall = high * np.clip(0.72 + 0.14 * waves, 0.3, 1.1) * rng.uniform(0.8, 1.05, count)
    wide = rng.uniform(*WIDE, count) * np.sqrt(tall / high)
    hedge = np.full(COLUMNS, 0.3 * high), np.zeros(COLUMNS)
    top, lean = _over(hedge, where, wide, 0.3 * tall, 0.7 * tall)
    where = rng.uniform(0, 2 * np.pi, BOUGHS)
    out = rng.uniform(*ROUND, BOUGHS)
    foot = top[(where / (2 * np.pi) * COLUMNS).astype(int)] - SUNK * out
    boughs, _ = _over((top, lean), where, out, foot, out)
    return boughs, lean


def _over(
    below: tuple[Array, Array], where: Array, half: Array, foot: Array, up: Array
) -> tuple[Array, Array]:
    """An outline (how high, how far aside, each (COLUMNS,)) with half ellipses on it: ``where`` their
    middles are, rad, ``half`` as wide as they are, from ``foot`` so far ``up``."""
    step = 2 * np.pi / COLUMNS
    most = int(np.ceil(half.max() / step))
    column = np.rint(where / step).astype(int)[:, None] + np.arange(-most, most + 1)
    across = (column * step - where[:, None]) / half[:, None]
    high = foot[:, None] + up[:, None] * np.sqrt(np.clip(1 - across**2, 0, 1))
    there = np.flatnonzero(np.abs(across) < 1)
    there = there[np.argsort(high.ravel()[there])]  # the highest last: it stays
    at, high, across = (column % COLUMNS).ravel()[there], high.ravel()[there], across.ravel()[there]
    top, lean = np.zeros(COLUMNS), np.zeros(COLUMNS)
    top[at], lean[at] = high, across
    over = top > below[0]
    return np.where(over, top, below[0]), np.where(over, lean, below[1])


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
    uv = LEAVES_AT * np.stack([np.tile(turn, 2), np.concatenate([level, ROWS[number][0] * top])], axis=1)
    return Mesh(points, normals, uv, faces)
