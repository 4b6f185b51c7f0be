"""What is fixed to vehicles: mirrors, wipers."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Shell
from kilnchisel.core.blanks.mesh import Mesh, grid, without_slivers
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.tubes import bar
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.trims import Trim

Array = NDArray[Any]

X, Y, Z = np.eye(3)
GLASS_MM = np.array([19.0, 82.0, 116.0])  # of a mirror: half its sizes


def pillow(middle: Array, half: Array, power: float, *, detail: Detail) -> Mesh:
    """A rounded box (a superellipsoid after Barr 1981): ``half`` (3,) its half sizes, ``power`` 1 an
    ellipsoid, towards 0 a box."""
    rows, columns = (25, 49) if detail.fine else (9, 17)

    def eased(value: Array) -> Array:
        return np.sign(value) * np.abs(value) ** power

    up = np.linspace(-np.pi / 2, np.pi / 2, rows)[:, None]
    turn = np.linspace(0, 2 * np.pi, columns)
    turn[-1] = 0.0
    turn = turn[None]
    ring = eased(np.cos(up)) * np.ones_like(turn)
    ring[[0, -1]] = 0.0
    at = np.stack(
        [ring * eased(np.cos(turn)), ring * eased(np.sin(turn)), eased(np.sin(up)) + 0 * turn], axis=-1
    )
    # the slope of its own equation: the same with 2 - power
    steep = 2 - power
    out = np.stack(
        [
            np.abs(np.cos(up)) ** steep * np.abs(np.cos(turn)) ** steep * np.sign(np.cos(turn)),
            np.abs(np.cos(up)) ** steep * np.abs(np.sin(turn)) ** steep * np.sign(np.sin(turn)),
            np.abs(np.sin(up)) ** steep * np.sign(np.sin(up)) + 0 * turn,
        ],
        axis=-1,
    )
    out = out / half
    out /= np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-12)
    return without_slivers(grid(middle + at * half, out, np.zeros((rows, columns, 2))))


def mirror(name: str, root: Array, way: float, *, detail: Detail) -> list[Shell]:
    """An outside mirror of a body that heads to -x: ``root`` on the door, ``way`` outward along y."""
    shell = root + np.array([-8.0, way * 165.0, 62.0])
    arm = np.stack(
        [root + (0, -way * 14.0, 0), root + (-4.0, way * 60.0, 12.0), shell + (0, -way * 70.0, -52.0)]
    )
    parts: list[tuple[str, Trim, Mesh]] = [
        ("arm", "trim", bar(_curved(arm), np.full(17, 19.0), 12 if detail.fine else 6)),
        ("shell", "trim", pillow(shell, np.array([46.0, 96.0, 132.0]), 0.55, detail=detail)),
        (
            "glass",
            "reflector",
            pillow(shell + (30.0, 0, 0), GLASS_MM, 0.35, detail=detail),
        ),
    ]
    return [
        Shell(f"{name} mirror {part}", slot, mesh, f"{name} mirror {part}") for part, slot, mesh in parts
    ]


def _curved(points: Array) -> Array:
    """A smooth line by three points, (17, 3)."""
    t = np.linspace(0, 1, 17)[:, None]
    a, b, c = points
    return np.asarray((1 - t) ** 2 * a + 2 * t * (1 - t) * b + t * t * c)


def wiper(name: str, side: Surface, foot: Array, tip: Array, *, detail: Detail) -> list[Shell]:
    """A wiper at rest: its arm from its foot, and the blade about the arm's tip, both places on the sheet
    of a windscreen."""
    across = tip - foot
    along = np.linspace(0, 1, 13)[:, None]
    arm = side.to_body(foot + along * across, 14 + 16 * np.sin(np.pi * along[:, 0]))
    arm[0] = side.to_body(foot[None], np.array([-6.0]))[0]
    blade = across / np.linalg.norm(across) * np.array([1.0, 0.35])
    spots = tip + np.linspace(-0.62, 0.4, 13)[:, None] * np.linalg.norm(across) * blade
    rests = side.to_body(spots, np.full(13, 9.0))
    around = 10 if detail.fine else 5
    parts = [("arm", bar(arm, np.full(13, 7.0), around)), ("blade", bar(rests, np.full(13, 8.0), around))]
    return [Shell(f"{name} wiper {part}", "trim", mesh, f"{name} wiper {part}") for part, mesh in parts]
