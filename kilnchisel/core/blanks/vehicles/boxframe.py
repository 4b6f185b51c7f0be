"""What a truck's box stands on: beams, tank, mudguards and side guards, and the beam with lamps behind."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Shell
from kilnchisel.core.blanks.tubes import plate
from kilnchisel.core.blanks.vehicles.boxbody import STANDS_MM, Box, blocks
from kilnchisel.core.blanks.vehicles.panelwork import PLATE_MM
from kilnchisel.core.job.vehicles import BoxTruck

Array = NDArray[Any]

X, Y, Z = np.eye(3)
REAR_AXLE = 0.3  # by share of the box's length, from its middle
GUARD_MM = 540.0  # how wide a mudguard is
Ends = list[tuple[tuple[float, float, float], tuple[float, float, float]]]


def rear_axle(box: Box) -> float:
    """Its x."""
    return float(box.middle[0] + REAR_AXLE * box.long)


def frame_of(truck: BoxTruck, box: Box, front: float) -> list[Shell]:
    """All of it, its beams from ``front`` on."""
    floor, half, axle = box.low, box.half, rear_axle(box)
    beams: Ends = [
        ((front, way * 380 - 35, floor - 170), (box.end - 60, way * 380 + 35, floor - 40))
        for way in (-1, 1)
    ]
    cross: Ends = [
        ((x - 25, -half + 20, floor - 60), (x + 25, half - 20, floor))
        for x in np.arange(box.start + 150, box.end - 100, 560.0).tolist()
    ]
    tank: Ends = [((front + 260, half - 560, floor - 470), (front + 900, half - 110, floor - 130))]
    marks = np.linspace(box.start + 400, box.end - 400, max(int(box.long // 1500), 2)).tolist()
    lamps: Ends = [
        (
            (x - 50, way * (half + STANDS_MM) - 8, floor + 14),
            (x + 50, way * (half + STANDS_MM) + 8, floor + 46),
        )
        for way in (-1, 1)
        for x in marks
    ]
    return [
        *blocks("chassis", "under", beams),
        *blocks("cross piece", "under", cross),
        *blocks("tank", "steel", tank),
        *blocks("side lamp", "amber lens", lamps),
        *_mudguards(truck, half, axle),
        *_side_guards(box, front + 260.0, axle - 0.72 * truck.wheel_mm),
        *_rear_beam(truck, box),
    ]


def _mudguards(truck: BoxTruck, half: float, axle: float) -> list[Shell]:
    around = shapely.Point(0, 0).buffer(0.62 * truck.wheel_mm, quad_segs=24)
    upper = shapely.box(-truck.wheel_mm, 0.02 * truck.wheel_mm, truck.wheel_mm, truck.wheel_mm)
    arch = shapely.intersection(shapely.difference(around, around.buffer(-14.0)), upper)
    shells = []
    for way, name in ((-1.0, "left mudguard"), (1.0, "right mudguard")):
        inner = way * (half - 30) + (0.0 if way > 0 else GUARD_MM)
        start = np.array([axle, inner, truck.wheel_mm / 2])
        shells.append(Shell(name, "trim", plate(arch, start, X, Z, GUARD_MM), name))
    return shells


def _side_guards(box: Box, left: float, right: float) -> list[Shell]:
    """Two bars a side before the rear wheels, beside the tank on the left."""
    floor, half = box.low, box.half
    bars: Ends = []
    posts: Ends = []
    for way, start in ((-1, left), (1, left + 700.0)):
        if right - start < 400:
            continue
        y, behind = way * (half - 50), way * (half - 75)
        bars += [((start, y - 14, z), (right, y + 14, z + 100)) for z in (floor - 470, floor - 290)]
        posts += [
            ((x - 20, behind - 14, floor - 470), (x + 20, behind + 14, floor))
            for x in (start + 60, right - 60)
        ]
    return blocks("side guard", "steel", bars) + blocks("guard post", "under", posts)


def _rear_beam(truck: BoxTruck, box: Box) -> list[Shell]:
    """With its lamps and the number plate."""
    low, high = 0.52 * truck.wheel_mm, 0.52 * truck.wheel_mm + 150
    wide, front = 0.94 * box.half, box.end + 10
    shells = blocks("beam", "trim", [((box.end - 90, -wide, low), (front, wide, high))])
    stays: Ends = [
        ((box.end - 160, way * 420 - 35, low + 40), (box.end - 60, way * 420 + 35, box.low))
        for way in (-1, 1)
    ]
    shells += blocks("stay", "under", stays)
    lamps: list[tuple[str, FinishSlot, float, float]] = [
        ("tail lamp", "red lens", 0.97, 0.82),
        ("indicator", "amber lens", 0.80, 0.69),
        ("reversing lamp", "white lens", 0.67, 0.58),
    ]
    for name, slot, out, within in lamps:
        pair: Ends = [
            ((front - 5, y0, low + 28), (front + 14, y1, high - 28))
            for y0, y1 in ((-out * wide, -within * wide), (within * wide, out * wide))
        ]
        shells += blocks(name, slot, pair)
    area = shapely.box(-PLATE_MM[0] / 2, low + 20, PLATE_MM[0] / 2, low + 20 + PLATE_MM[1])
    mesh = plate(area, (front - 5) * X, Y, Z, 11.0)
    return [*shells, Shell("plate", "number plate", mesh, "plate")]
