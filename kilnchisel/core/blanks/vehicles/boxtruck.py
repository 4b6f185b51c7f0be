"""The box truck: a cab, and behind it a box on its frame."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Shell
from kilnchisel.core.blanks.vehicles.bodywork import Facet, together
from kilnchisel.core.blanks.vehicles.boxbody import Box, box_of, doors_of, rails_of, walls_of
from kilnchisel.core.blanks.vehicles.boxframe import frame_of, rear_axle
from kilnchisel.core.blanks.vehicles.cabin import Cabin, cabin_of
from kilnchisel.core.blanks.vehicles.design import EDGE_MM, Design, arches_of, wheels_of
from kilnchisel.core.blanks.vehicles.fittings import mirror, wipers
from kilnchisel.core.blanks.vehicles.outlined import HANDS, Outline, Shape
from kilnchisel.core.blanks.vehicles.panelwork import (
    NOTHING,
    SEAM_DEEP_MM,
    Made,
    OnAnEnd,
    OnASide,
    area_of,
    both,
    both_sides,
    glazed,
    headlamps,
    pieces,
    pillar_view,
    plate_at,
    plated,
    screen_in,
    seam_of,
    window_zones,
    zones,
)
from kilnchisel.core.blanks.vehicles.wheels import wheel
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import BoxTruck
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
CABIN = Cabin(rows=(0.3,), seats=(-0.55, 0.15, 0.58), sill=0.62, dash=-0.075, wall=0.42)
CAB_LONG, CAB_HIGH, CAB_WIDE = 2050.0, 2260.0, 2020.0
AXLE = {"front": -0.13}  # by share of the cab's length
TYRE_MM = 205.0
CAB = Outline(
    rows=(
        ("nose", -0.472, 0.160, 110.0),
        ("nose", -0.494, 0.200, 120.0),
        ("nose", -0.503, 0.320, 125.0),
        ("nose", -0.496, 0.420, 120.0),
        ("bonnet", -0.470, 0.490, 104.0),
        ("bonnet", -0.385, 0.545, 60.0),
        ("cowl", -0.275, 0.580, 52.0),
        ("windscreen", -0.235, 0.606, 70.0),
        ("windscreen", -0.055, 0.815, 70.0),
        ("brow", 0.065, 0.940, 56.0),
        ("roof", 0.140, 0.982, 44.0),
        ("roof", 0.280, 1.002, 40.0),
        ("roof", 0.410, 0.996, 36.0),
        ("back edge", 0.484, 0.965, 20.0),
        ("cab back", 0.497, 0.900, 8.0),
        ("cab back", 0.500, 0.640, 4.0),
        ("cab back", 0.500, 0.380, 4.0),
        ("cab back", 0.500, 0.220, 4.0),
        ("", 0.494, 0.160, 4.0),
    ),
    front=4,
    top=14,
    bumper=2,
    step=17,
    wide=2020.0,
)


class CabShape(Shape):
    """The measures of a truck's cab."""

    drawn = CAB

    def half(self, x: Array, z: Array) -> Array:
        """Narrower towards the roof and the nose."""
        up = np.clip((z / self.high - 0.5) / 0.5, 0, 1)
        ahead = np.clip(((self.middle - x) / self.long - 0.1) / 0.4, 0, 1)
        return np.asarray(self.wide / 2 * (1 - 0.11 * up**2 - 0.09 * ahead**2))


def cab_of(truck: BoxTruck) -> CabShape:
    """The cab at the front of a truck."""
    wide, high = min(CAB_WIDE, 0.95 * truck.width_mm), min(CAB_HIGH, 0.8 * truck.height_mm)
    return CabShape(CAB_LONG, wide, high, (CAB_LONG - truck.length_mm) / 2)


def box_truck_body(truck: BoxTruck, *, detail: Detail) -> Body:
    """A box truck standing on z = 0, heading to -x: its left side faces the front."""
    cab, box = cab_of(truck), box_of(truck, CAB_LONG)
    shells, cab_sheets = DESIGN.clad(truck, detail=detail)
    names = {"left side": "left door", "right side": "right door"}
    sheets = [
        replace(sheet, side=replace(sheet.side, name=names.get(sheet.side.name, sheet.side.name)))  # type: ignore[type-var]
        for sheet in cab_sheets
    ]
    walls, sides = walls_of(truck, box)
    fixed = wheels_of(cab, AXLE, truck.wheel_mm, TYRE_MM, face="pressed", detail=detail)
    fixed += _rear_wheels(truck, box, detail=detail)
    x, z = cab.at((-0.2, 0.64))
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        root = np.array([x, way * float(cab.half(x, z)), z])
        fixed += mirror(hand, root, way, size=1.25, detail=detail)
    screen = next(sheet.side for sheet in sheets if sheet.side.name == "windscreen")
    fixed += wipers(cab.wide, screen, 0.3, detail=detail)
    fixed += cabin_of(cab, CABIN, detail=detail)
    fixed += frame_of(truck, box, -truck.length_mm / 2 + 0.9 * CAB_LONG)
    fixed += rails_of(box, detail=detail) + doors_of(truck, box, detail=detail)
    return Body(tuple(together(shells) + walls + together(fixed)), (*sides, *sheets), lengthwise=True)


def _rear_wheels(truck: BoxTruck, box: Box, *, detail: Detail) -> list[Shell]:
    """Two a side."""
    shells: list[Shell] = []
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        for name, inward in (("outer", 0.0), ("inner", 1.16 * TYRE_MM)):
            out = box.half - 40 - TYRE_MM / 2 - inward
            middle = np.array([rear_axle(box), way * out, truck.wheel_mm / 2])
            shells += wheel(
                f"rear {name} {hand}",
                middle,
                truck.wheel_mm / 2,
                TYRE_MM,
                way,
                face="pressed",
                detail=detail,
            )
    return shells


@remembered
def _facets(truck: BoxTruck) -> tuple[Facet, ...]:
    """The sides of the cab."""
    shape = cab_of(truck)
    arches = arches_of(shape, tuple(AXLE.values()), truck.wheel_mm)
    facets = both_sides(shape, _on_door(shape, arches), shapely.union_all(arches), step_mm=50.0)
    nose = pillar_view(shape, (-0.5, 0.2), (-0.5, 0.44), -1)
    screen = pillar_view(shape, (-0.255, 0.59), (0.04, 0.93), -1)
    bonnet = pillar_view(shape, (-0.475, 0.48), (-0.3, 0.575), -1)
    for name, view, made in (
        ("nose", nose, _on_nose(OnAnEnd(shape, nose))),
        ("bonnet", bonnet, NOTHING),
        ("windscreen", screen, screen_in(shape, 0.43, 0.4, 0.42)),
    ):
        facets.append(Facet(name, CAB.tag(name), view, step_mm=50.0, insets=made[0], clear=made[1]))
    return tuple(facets)


def _on_door(shape: Shape, arches: list[Any]) -> Made:
    on = OnASide(shape)
    pane = on.drawn((-0.185, 0.62), (0.3, 0.62), (0.3, 0.905), (0.02, 0.89), radius=30.0)
    leaf = on.drawn(
        (-0.21, 0.6),
        (-0.225, 0.5),
        (0.03, 0.44),
        (0.1, 0.34),
        (0.105, 0.215),
        (0.33, 0.215),
        (0.33, 0.93),
        (0.02, 0.915),
        radius=34.0,
    )
    handle = on.box(0.215, 0.52, 0.3, 0.54, 10.0)
    about = shapely.union_all([arch.buffer(40) for arch in arches])
    flares = [shapely.difference(arch.buffer(36, quad_segs=24), arch.buffer(EDGE_MM)) for arch in arches]
    sill = shapely.difference(on.box(-0.6, 0.0, 0.6, 0.2, 0.0), about)
    lamp = on.box(-0.36, 0.46, -0.32, 0.476, 7.0)
    insets = (
        Inset("handles", "trim", area_of(handle), 18.0),
        Inset("side lamps", "amber lens", area_of(lamp), 6.0),
        *glazed([pane]),
        Inset("arch trims", "trim", area_of(*flares), 7.0),
        Inset("door seams", "under", area_of(shapely.difference(seam_of(leaf), sill)), -SEAM_DEEP_MM),
        Inset("sill", "trim", area_of(sill), 0.0),
    )
    return insets, window_zones([pane]) + zones({"door seams": pieces(leaf), "handles": [handle]})


def _on_nose(on: OnAnEnd) -> Made:
    wide, v, box = on.shape.wide, on.v, on.box
    lamps, lit = headlamps(
        on,
        ((0.28, 0.335), (0.44, 0.335), (0.45, 0.43), (0.3, 0.42)),
        ((0.335, 0.376, 50.0), (0.4, 0.382, 44.0)),
        20.0,
        7.0,
    )
    grille = box(-0.25, 0.335, 0.25, 0.415, 22.0)
    bars = shapely.intersection(
        shapely.union_all([box(-0.3, low, 0.3, low + 0.008, 3.0) for low in (0.35, 0.369, 0.388)]), grille
    )
    plate_ = plate_at(0.0, v(0.262))
    bumper = shapely.box(-wide, v(0), wide, v(0.312))
    fog = both(shapely.Point(0.36 * wide, v(0.235)).buffer(44, quad_segs=12))
    insets = (
        *plated(plate_, 9.0),
        Inset("fog lamps", "clear lens", area_of(fog), -4.0),
        Inset("bumper", "trim", area_of(bumper), 3.0),
        *lit,
        Inset("grille bars", "trim", area_of(bars), -7.0),
        Inset("grille", "under", area_of(grille), -40.0),
    )
    keep = {"lamps": [lamps], "grille": [grille], "number plate": [plate_], "bumper": [fog]}
    return insets, zones(keep)


DESIGN = Design(
    cab_of,
    _facets,
    (
        *((f"{hand} {part}", "blank") for part in ("edge", "bumper end") for hand in HANDS),
        *((f"{hand} bumper corner", "trim") for hand in HANDS),
        ("cowl", "trim"),
        ("brow", "blank"),
        ("roof", "blank"),
        ("back edge", "blank"),
        ("cab back", "blank"),
    ),
)
