"""What windows, doors and shop fronts are put together from: boxes, mouldings, frames, sheets of glass."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND, FinishSlot, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, join, quartered, with_short_edges
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.outlines import rectangle
from kilnchisel.core.blanks.sides import ClearZone, Plane, flipped
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.blanks.tubes import lathed, plate, prism, tube
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

X, Y, Z = np.eye(3)


class Parts:
    """Shells as they are added: closed solids of one name and slot each, in faces small enough for light to
    change over them: drafts know it at corners."""

    def __init__(self, detail: Detail) -> None:
        self.detail = detail
        self.shells: list[Shell] = []

    def add(self, name: str, slot: FinishSlot, *meshes: Mesh) -> None:
        self.shells.append(Shell(name, slot, with_short_edges(join(list(meshes)), LIT_MM), name))

    def box(self, low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
        """An upright box with its edges broken a little, seen from the front."""
        (x0, _, z0), (x1, _, z1) = low, high
        bevel = min(2.0, 0.2 * (x1 - x0), 0.2 * (z1 - z0))
        ring = rectangle(x1 - x0, z1 - z0, bevel, detail=self.detail)[0]
        return _pushed(ring + ((x0 + x1) / 2, (z0 + z1) / 2), low[1], high[1])

    def wall(self, low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
        """An upright box with sharp edges, in faces that are all alike: light over a plain wall is even."""
        (x0, y0, z0), (x1, y1, z1) = low, high
        made = _pushed(np.array([(x0, z0), (x1, z0), (x1, z1), (x0, z1)], dtype=float), y0, y1)
        for _ in range(math.ceil(math.log2(max(x1 - x0, y1 - y0, z1 - z0) / LIT_MM))):
            made = quartered(made)
        return made

    def run(self, profile: Array, low_x: float, high_x: float) -> Mesh:
        """A moulding: a profile (n, 2) of (y, z), counter-clockwise, along x."""
        return prism(profile, np.array([low_x, 0.0, 0.0]), Y, Z, high_x - low_x)

    def framed(self, outer: Any, holes: list[Any], y0: float, y1: float) -> Mesh:
        """A frame of (x, z) with openings, from y0 to y1."""
        area = shapely.difference(outer, shapely.union_all(holes))
        return plate(shapely.transform(area, lambda p: p[:, ::-1]), np.array([0.0, y0, 0.0]), Z, X, y1 - y0)


def _pushed(ring: Array, y0: float, y1: float) -> Mesh:
    """An outline (n, 2) of (x, z), counter-clockwise from the front, from y0 back to y1."""
    flat = ring[:, ::-1][::-1]  # pushed along y: z x x = y
    return prism(np.ascontiguousarray(flat), np.array([0.0, y0, 0.0]), Z, X, y1 - y0)


def pane(
    name: str,
    box: tuple[float, float, float, float],
    y: float,
    *,
    behind: str = "",
    clear: tuple[ClearZone, ...] = (),
    detail: Detail,
) -> tuple[tuple[Shell, ...], tuple[Sheet, ...]]:
    """A sheet of glass, its edges behind the frame that leaves ``box`` (left, low, right, high) free; its
    front face is a side, and its back where that has a name (``behind``)."""
    low_x, low_z, high_x, high_z = box
    more = 12.0
    wide, tall = high_x - low_x + 2 * more, high_z - low_z + 2 * more
    points, normals = rectangle(wide, tall, 1.0, detail=detail)
    middle = gridded(np.array([(low_x + high_x) / 2, (low_z + high_z) / 2]))
    what = Slab(
        (points + middle, normals),
        Face(name, y, slot="pane", clear=clear),
        Face(
            behind or f"{name} back",
            y + 8.0,
            slot="pane",
            lettered=bool(behind),
            clear=tuple(ClearZone(zone.name, flipped(zone.area), zone.covered) for zone in clear),
        ),
        edge_of("bevel", 0.4, detail=detail),
        wall_mm=8.0,
        middle_z=float(middle[1]),
        edge_slot="pane",
        solid=name,
        name=f"{name} edge",
    )
    shells, sheets = slab(what, detail=detail)
    return shells, tuple(_about(sheet, float(middle[0])) for sheet in sheets)


def _about(sheet: Sheet, x: float) -> Sheet:
    """A flat side whose sheet begins at this x, where its middle is."""
    side = sheet.side
    assert isinstance(side, Plane)
    along = x * float(side.right[0])
    domain = shapely.transform(side.domain, lambda p: p - (along, 0.0))
    return replace(sheet, side=replace(side, domain=domain, origin=side.origin + x * X))


# what stands on the shelves of a room, by shares of its width and height: left, shelf, wide, high, of what
ON_SHELVES: tuple[tuple[float, int, float, float, FinishSlot], ...] = (
    (0.06, 0, 0.10, 0.55, "head band"),
    (0.18, 0, 0.05, 0.72, "white paint"),
    (0.25, 0, 0.08, 0.62, "brass"),
    (0.56, 0, 0.16, 0.45, "hanger wood"),
    (0.80, 0, 0.06, 0.74, "bisque"),
    (0.10, 1, 0.07, 0.70, "bisque"),
    (0.20, 1, 0.20, 0.40, "leaf"),
    (0.62, 1, 0.05, 0.74, "white paint"),
    (0.69, 1, 0.12, 0.52, "head band"),
    (0.14, 2, 0.15, 0.50, "hanger wood"),
    (0.45, 2, 0.07, 0.66, "brass"),
    (0.75, 2, 0.14, 0.58, "white paint"),
)
SKIN_MM = 40.0  # of the walls of a room
LIT_MM = 500.0  # no farther apart are the corners of a face


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
    for number, (left, shelf, across, tall, slot) in enumerate(ON_SHELVES):
        start = x0 + left * wide
        low = (start, back - 210, levels[shelf] + 0.5)
        top = (start + across * wide, back - 60, levels[shelf] + tall * rise)
        parts.add(f"{BEHIND}: on a shelf {number + 1}", slot, parts.box(low, top))
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
