"""What windows, doors and shop fronts are put together from: boxes, mouldings, frames, sheets of glass."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, join, quartered, with_short_edges
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.outlines import rectangle
from kilnchisel.core.blanks.sides import ClearZone, Plane, flipped
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.blanks.tubes import plate, prism
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


LIT_MM = 500.0  # no farther apart are the corners of a face
