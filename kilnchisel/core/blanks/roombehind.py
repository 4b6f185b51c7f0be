"""A room behind glass: walls, a wooden floor, shelves and a table with what stands on them, a lamp."""

from __future__ import annotations

import numpy as np

from kilnchisel.core.blanks.body import BEHIND
from kilnchisel.core.blanks.joinery import Parts
from kilnchisel.core.blanks.tubes import lathed, tube
from kilnchisel.core.blanks.wares import Spot, put_wares

X, _, Z = np.eye(3)
SKIN_MM = 40.0  # of its walls


def room_behind(
    parts: Parts, box: tuple[float, float, float, float], y: float, deep: float, *, floor: float
) -> None:
    """A room behind glass: walls, a wooden floor, shelves with what stands on them, a table, and a lamp
    that hangs over it. ``box``: left, low, right, high of it, from ``y`` back; ``floor``: where that is."""
    x0, _, x1, z1 = box
    back = y + deep
    walls = [
        parts.wall((x0, back, floor), (x1, back + SKIN_MM, z1)),
        parts.wall((x0 - SKIN_MM, y, floor), (x0, back + SKIN_MM, z1)),
        parts.wall((x1, y, floor), (x1 + SKIN_MM, back + SKIN_MM, z1)),
        parts.wall((x0 - SKIN_MM, y, z1), (x1 + SKIN_MM, back + SKIN_MM, z1 + SKIN_MM)),
    ]
    parts.add(f"{BEHIND}: walls", "room wall", *walls)
    parts.add(
        f"{BEHIND}: floor",
        "hanger wood",
        parts.wall((x0 - SKIN_MM, y, floor - SKIN_MM), (x1 + SKIN_MM, back + SKIN_MM, floor)),
    )
    wide, high = x1 - x0, z1 - floor
    levels = [floor + share * high for share in (0.34, 0.52, 0.70)]
    boards = [parts.box((x0 + 60, back - 260, z - 28), (x1 - 60, back - 2, z)) for z in levels]
    parts.add(f"{BEHIND}: shelves", "hanger wood", *boards)
    rise = 0.18 * high - 40
    spots = [Spot(x0 + 90, x1 - 90, back - 131, z, rise) for z in levels]
    table = floor + 740.0
    middle = (x0 + x1) / 2 + 0.12 * wide
    half = min(0.3 * wide, 800.0)
    near = y + 0.4 * deep
    board = [parts.box((middle - half, near, table - 34), (middle + half, near + 700, table))]
    board += [
        parts.box((x - 30, yy - 30, floor), (x + 30, yy + 30, table - 30))
        for x in (middle - half + 60, middle + half - 60)
        for yy in (near + 60, near + 640)
    ]
    parts.add(f"{BEHIND}: table", "hanger wood", *board)
    put_wares(parts, [*spots, Spot(middle - half + 60, middle + half - 60, near + 380, table, 220.0)])
    hang = max(table + 700.0, z1 - 0.3 * high)
    shade = np.array([[0.0, 0.0], [150.0, 0.0], [150.0, 8.0], [90.0, 120.0], [24.0, 150.0], [0.0, 152.0]])
    at = np.array([middle, near + 350.0, hang])
    parts.add(
        f"{BEHIND}: shade", "trim", lathed(shade + (0.0, 6.0), at, Z, X, 48 if parts.detail.fine else 16)
    )
    glow = np.array([[0.0, 0.0], [138.0, 0.0], [138.0, 3.0], [0.0, 3.0]])
    parts.add(f"{BEHIND}: lamp", "lamp", lathed(glow, at, Z, X, 48 if parts.detail.fine else 16))
    cord = tube(np.array([at + 150 * Z, [at[0], at[1], z1 + 10]]), 4.0, detail=parts.detail)
    parts.add(f"{BEHIND}: cord", "trim", cord)
