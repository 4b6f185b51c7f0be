"""The box of a truck: flat walls between rails, doors or a shutter at its back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, grid
from kilnchisel.core.blanks.sides import ClearZone, Plane
from kilnchisel.core.blanks.tubes import plate, tube
from kilnchisel.core.blanks.vehicles.fittings import pod
from kilnchisel.core.blanks.vehicles.panelwork import KEEP_MM, SEAM_DEEP_MM, SEAM_MM, Made, area_of, zones
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import BoxTruck

Array = NDArray[Any]

X, Y, Z = np.eye(3)
CLEAR_MM = 90.0  # between cab and box
DECK_MM = 190.0  # from the top of a wheel to the box
RAIL_MM, STANDS_MM = 62.0, 9.0  # the rails along the box's edges: how wide, how far before its walls
WITHIN_MM = RAIL_MM + 4.0  # from its edge: there a wall begins to take lettering
WALL_MM = 24.0


@dataclass(frozen=True)
class Box:
    """Where a truck's box is: its ends, half its width, its floor and top."""

    start: float
    end: float
    half: float
    low: float
    high: float

    @property
    def long(self) -> float:
        return self.end - self.start

    @property
    def middle(self) -> Array:
        """(3,)."""
        return np.array([(self.start + self.end) / 2, 0.0, (self.low + self.high) / 2])


def box_of(truck: BoxTruck, cab_mm: float) -> Box:
    """A truck's box behind a cab so long."""
    long = truck.length_mm
    return Box(
        -long / 2 + cab_mm + CLEAR_MM,
        long / 2 - 40.0,
        truck.width_mm / 2 - STANDS_MM,
        truck.wheel_mm + DECK_MM,
        truck.height_mm - STANDS_MM,
    )


def walls_of(truck: BoxTruck, box: Box) -> tuple[list[Shell], list[Sheet]]:
    """The walls that take lettering, within their rails; what is under those, roof and floor."""
    mid, half_x, half_z = box.middle, box.long / 2, (box.high - box.low) / 2
    insets, clear = _on_doors(truck, box)
    sheets = []
    shells = [
        Shell("box roof", "blank", _level(box, box.high, 1.0), "box"),
        Shell("box floor", "under", _level(box, box.low, -1.0), "box"),
    ]
    for name, half, way, right in (
        ("left side", half_x, -box.half * Y, X),
        ("right side", half_x, box.half * Y, -X),
        ("rear", box.half, half_x * X, Y),
        ("headboard", box.half, -half_x * X, -Y),
    ):
        outer = np.array([[-half, -half_z], [half, -half_z], [half, half_z], [-half, half_z]])
        inner = outer - np.sign(outer) * WITHIN_MM
        clear_ = clear if name == "rear" else ()
        plane = Plane(name, shapely.Polygon(inner), mid + way, right, Z, WALL_MM, clear_)
        sheets.append(Sheet(plane, "blank", solid="box", insets=insets if name == "rear" else ()))
        ring = [np.append(flat, flat[:1], axis=0) for flat in (inner, outer)]
        points = np.stack([mid + way + flat[:, :1] * right + flat[:, 1:] * Z for flat in ring])
        out = np.broadcast_to(np.cross(right, Z), points.shape).copy()
        shells.append(Shell(f"{name} border", "blank", grid(points, out, np.stack(ring)), "box"))
    return shells, sheets


def _level(box: Box, z: float, up: float) -> Mesh:
    corners = np.array([[[box.start, -box.half, z], [box.end, -box.half, z]]] * 2)
    corners[1, :, 1] = box.half
    return grid(corners, np.broadcast_to(up * Z, corners.shape).copy(), corners[..., :2].copy())


def _block(low: Array, high: Array) -> Mesh:
    """A closed block between two corners."""
    area = shapely.box(low[0], low[2], high[0], high[2])
    return plate(area, np.array([0.0, high[1], 0.0]), X, Z, float(high[1] - low[1]))


def blocks(name: str, slot: FinishSlot, ends: list[tuple[Any, Any]]) -> list[Shell]:
    """Closed blocks, each given by two corners."""
    return [
        Shell(f"{name} {n + 1}", slot, _block(np.array(low), np.array(high)), f"{name} {n + 1}")
        for n, (low, high) in enumerate(ends)
    ]


def rails_of(box: Box, *, detail: Detail) -> list[Shell]:
    """Along the box's edges, and at its corners."""
    a, b, mid = RAIL_MM, STANDS_MM, box.middle
    half = np.array([box.long / 2, box.half, (box.high - box.low) / 2])
    ends = []
    for axis in range(3):
        one, two = (axis + 1) % 3, (axis + 2) % 3
        for p in (-1, 1):
            for q in (-1, 1):
                low, high = np.empty(3), np.empty(3)
                low[axis], high[axis] = -half[axis] + a / 2, half[axis] - a / 2
                for other, way in ((one, p), (two, q)):
                    span = sorted((way * (half[other] + b), way * (half[other] - a)))
                    low[other], high[other] = span
                ends.append((mid + low, mid + high))
    shells = blocks("rail", "steel", ends)
    size = np.full(3, a / 2 + b)
    for n, corner in enumerate(np.array(np.meshgrid(*[(-1, 1)] * 3)).reshape(3, -1).T):
        middle = mid + corner * (half - a / 2 + b / 2)
        shells.append(
            Shell(f"corner {n + 1}", "steel", pod(middle, size, 20.0, detail=detail), f"corner {n + 1}")
        )
    return shells


def _on_doors(truck: BoxTruck, box: Box) -> Made:
    """The doors or the shutter at the back, on its sheet."""
    half_z = (box.high - box.low) / 2
    within = shapely.box(-box.half, -half_z, box.half, half_z).buffer(-WITHIN_MM - 4.0)
    low_u, low_v, high_u, high_v = within.bounds
    if truck.rear == "shutter":
        steps = np.arange(low_v + 260.0, high_v - 120.0, 152.0)
        lines = [shapely.box(low_u, v - 3, high_u, v + 3) for v in steps]
        grip = shapely.box(-160, low_v + 60, 160, low_v + 130)
        seam = shapely.union_all([*lines, shapely.difference(within, within.buffer(-6.0))])
        insets = (
            Inset("handle", "steel", area_of(grip), 22.0),
            Inset("door seams", "under", area_of(shapely.difference(seam, grip)), -SEAM_DEEP_MM),
        )
        return insets, zones({"handle": [grip], "door seams": lines})
    seams = shapely.union(
        shapely.difference(within, within.buffer(-6.0)),
        shapely.box(-SEAM_MM / 2, low_v, SEAM_MM / 2, high_v),
    )
    gaps = Inset("door seams", "under", area_of(seams), -SEAM_DEEP_MM)
    rods = tuple(
        ClearZone("lock rods", shapely.box(u - 30, low_v, u + 30, high_v), covered=True) for u in _rods(box)
    )
    middle = ClearZone("door seams", shapely.box(-KEEP_MM, low_v, KEEP_MM, high_v))
    return (gaps,), (*rods, middle)


def _rods(box: Box) -> tuple[float, ...]:
    return (-0.42 * box.half, 0.42 * box.half)


def doors_of(truck: BoxTruck, box: Box, *, detail: Detail) -> list[Shell]:
    """Lock rods and hinges of the doors at its back."""
    x, low, high = box.end + STANDS_MM, box.low, box.high
    shells = []
    if truck.rear == "doors":
        for n, y in enumerate(_rods(box)):
            line = np.array([[x + 20.0, y, low + 30.0], [x + 20.0, y, high - 30.0]])
            shells.append(Shell(f"rod {n}", "steel", tube(line, 14.0, detail=detail), f"rod {n}"))
            spots = np.linspace(low + 180, high - 180, 4)
            keeps = [((box.end - 4, y - 45, z - 30), (x + 22, y + 45, z + 30)) for z in spots]
            shells += blocks(f"keep {n}", "steel", keeps)
            swing = np.array([[x + 38, y, low + 620], [x + 38, y - np.sign(y) * 330, low + 640]])
            shells.append(Shell(f"lever {n}", "steel", tube(swing, 11.0, detail=detail), f"lever {n}"))
        hinges = [
            (
                (box.end - 4, way * (box.half - 90) - 90, z - 34),
                (x + 10, way * (box.half - 90) + 90, z + 34),
            )
            for way in (-1, 1)
            for z in np.linspace(low + 200, high - 200, 4)
        ]
        shells += blocks("hinge", "steel", hinges)
    return shells
