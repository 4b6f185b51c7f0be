"""The van: a smooth body with windows, doors, lamps and bumpers let into its sides, on four wheels."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset
from kilnchisel.core.blanks.sides import flipped
from kilnchisel.core.blanks.vehicles.bodywork import Facet, View, together
from kilnchisel.core.blanks.vehicles.cabin import Cabin, cabin_of
from kilnchisel.core.blanks.vehicles.design import EDGE_MM, Design, arches_of, wheels_of
from kilnchisel.core.blanks.vehicles.fittings import outside
from kilnchisel.core.blanks.vehicles.outlined import Outline, Shape
from kilnchisel.core.blanks.vehicles.panelwork import (
    NOTHING,
    SEAM_DEEP_MM,
    SEAM_MM,
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
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import Van
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
AXLES = {"front": -0.315, "rear": 0.3}  # by share of length
CABIN = Cabin(rows=(-0.14,), seats=(-0.52, 0.1, 0.56), sill=0.6, dash=-0.278, wall=-0.1)
MINIBUS = Cabin(rows=(-0.14, 0.04, 0.2, 0.37), seats=(-0.52, 0.1, 0.56), sill=0.6, dash=-0.278)
TYRE_MM = 215.0
USUAL_LONG, USUAL_HIGH = 4950.0, 1980.0
VAN = Outline(
    rows=(
        ("nose", -0.488, 0.105, 120.0),
        ("nose", -0.500, 0.150, 125.0),
        ("nose", -0.503, 0.280, 125.0),
        ("nose", -0.498, 0.395, 120.0),
        ("bonnet", -0.484, 0.468, 112.0),
        ("bonnet", -0.436, 0.527, 60.0),
        ("cowl", -0.373, 0.566, 52.0),
        ("windscreen", -0.352, 0.592, 66.0),
        ("windscreen", -0.300, 0.765, 66.0),
        ("brow", -0.243, 0.930, 52.0),
        ("roof", -0.212, 0.976, 42.0),
        ("roof", -0.140, 0.993, 40.0),
        ("roof", 0.020, 1.000, 40.0),
        ("roof", 0.220, 1.003, 40.0),
        ("roof", 0.400, 0.998, 38.0),
        ("back edge", 0.488, 0.974, 24.0),
        ("rear", 0.497, 0.950, 16.0),
        ("rear", 0.500, 0.620, 14.0),
        ("rear", 0.502, 0.300, 14.0),
        ("rear", 0.502, 0.195, 14.0),
        ("", 0.495, 0.105, 14.0),
    ),
    front=4,
    top=16,
    bumper=2,
    step=19,
    wide=1920.0,
)
HEAD_ROOM = 0.93  # above it a higher van has more
CAB = -0.1  # behind it a longer van has more


class VanShape(Shape):
    """A van's measures, by the shares of a usual one."""

    drawn = VAN

    @property
    def _cab(self) -> float:
        return float(USUAL_LONG * np.clip(self.long / USUAL_LONG, 0.55, 1.12))

    def x(self, share: Any) -> Array:
        """By share of length: the cab keeps its own, the load takes the rest."""
        share, long = np.asarray(share, dtype=float), self.long
        ahead = -long / 2 + (share + 0.5) * self._cab
        end = -long / 2 + (CAB + 0.5) * self._cab
        return np.asarray(
            np.where(share <= CAB, ahead, end + (share - CAB) / (0.5 - CAB) * (long / 2 - end))
        )

    def z(self, share: Any) -> Array:
        """By share of height: what a higher van has more is above the doors."""
        share = np.asarray(share, dtype=float)
        low = USUAL_HIGH * np.clip(self.high / USUAL_HIGH, 0.6, 1.06)
        more = (share - HEAD_ROOM) / (1 - HEAD_ROOM) * (self.high - HEAD_ROOM * low)
        return np.asarray(np.where(share <= HEAD_ROOM, share * low, HEAD_ROOM * low + more))

    def half(self, x: Array, z: Array) -> Array:
        """Narrower towards the roof and the nose."""
        up = np.clip((z / self.high - 0.42) / 0.58, 0, 1)
        ahead = np.clip((-x / self.long - 0.2) / 0.3, 0, 1)
        return np.asarray(self.wide / 2 * (1 - 0.1 * up**2 - 0.09 * ahead**2))


def shape_of(van: Van) -> VanShape:
    """A van's shape."""
    return VanShape(van.length_mm, van.width_mm, van.height_mm)


def van_body(van: Van, *, detail: Detail) -> Body:
    """A van standing on z = 0, heading to -x: its left side faces the front."""
    shape = shape_of(van)
    shells, sheets = DESIGN.clad(van, detail=detail)
    screen = next(sheet.side for sheet in sheets if sheet.side.name == "windscreen")
    shells = together(shells)
    shells += together(wheels_of(shape, AXLES, van.wheel_mm, TYRE_MM, detail=detail))
    shells += together(outside(shape, (-0.322, 0.612), screen, detail=detail))
    shells += cabin_of(shape, MINIBUS if van.windows == "minibus" else CABIN, detail=detail)
    return Body(tuple(shells), sheets, lengthwise=True)


@remembered
def _facets(van: Van) -> tuple[Facet, ...]:
    """All its sides."""
    shape = shape_of(van)
    arches = arches_of(shape, tuple(AXLES.values()), van.wheel_mm)
    facets = both_sides(shape, _on_side(shape, arches, van.windows), shapely.union_all(arches))
    nose = pillar_view(shape, (-0.5, 0.17), (-0.5, 0.41), -1)
    bonnet = pillar_view(shape, (-0.485, 0.475), (-0.375, 0.555), -1)
    screen = pillar_view(shape, (-0.365, 0.57), (-0.24, 0.945), -1)
    rear = pillar_view(shape, (0.5, 0.17), (0.497, 0.93), 1)
    roof = View(np.array([0.12 * shape.long, 0.0, shape.high]), X, Y)
    for name, view, made in (
        ("nose", nose, _on_nose(OnAnEnd(shape, nose))),
        ("bonnet", bonnet, NOTHING),
        ("windscreen", screen, screen_in(shape, 0.405, 0.385, 0.5)),
        ("rear", rear, _on_rear(OnAnEnd(shape, rear))),
        ("roof", roof, NOTHING),
    ):
        facets.append(Facet(name, VAN.tag(name), view, insets=made[0], clear=made[1]))
    return tuple(facets)


def _on_side(shape: Shape, arches: list[Any], windows: str) -> Made:
    """What the left side has, on its sheet."""
    on = OnASide(shape)
    drawn, box = on.drawn, on.box
    panes = [drawn((-0.307, 0.6), (-0.145, 0.6), (-0.145, 0.9), (-0.209, 0.9))]
    if windows == "minibus":
        panes += [
            box(left, 0.6, right, 0.9, 34.0)
            for left, right in ((-0.1, 0.06), (0.095, 0.265), (0.295, 0.455))
        ]
    low = 0.168
    doors = [
        drawn(
            (-0.324, 0.585),
            (-0.329, 0.455),
            (-0.262, 0.372),
            (-0.232, 0.27),
            (-0.231, low),
            (-0.13, low),
            (-0.13, 0.928),
            (-0.213, 0.928),
        ),
        box(-0.115, low, 0.075, 0.928, 34.0),
    ]
    seams = shapely.union_all([seam_of(door) for door in doors])
    flares = [shapely.difference(arch.buffer(40, quad_segs=24), arch.buffer(EDGE_MM)) for arch in arches]
    about = shapely.union_all([arch.buffer(40) for arch in arches])
    sill = shapely.difference(box(-0.6, 0.0, 0.6, 0.158), about)
    bumper = shapely.difference(box(-0.6, 0.0, -0.315, shape.bumper, 0.0), about)
    strips = shapely.difference(
        shapely.union_all([box(-0.226, 0.268, 0.212, 0.302), box(0.389, 0.268, 0.482, 0.302)]),
        seams.buffer(9.0),
    )
    handles = [box(left, 0.512, left + 0.036, 0.53, 10.0) for left in (-0.171, -0.108)]
    lamp = box(-0.424, 0.425, -0.406, 0.441, 8.0)
    insets = (
        Inset("handles", "trim", area_of(*handles), 20.0),
        Inset("side lamps", "amber lens", area_of(lamp), 7.0),
        *glazed(panes),
        Inset("arch trims", "trim", area_of(*flares), 7.0),
        Inset("bumper", "trim", area_of(bumper), 0.0),
        Inset("rubbing strips", "trim", area_of(strips), 11.0),
        Inset("door seams", "under", area_of(shapely.difference(seams, sill)), -SEAM_DEEP_MM),
        Inset("sill", "trim", area_of(sill), 0.0),
    )
    keep = {"door seams": [piece for door in doors for piece in pieces(door)]}
    return insets, window_zones(panes) + zones(keep | {"handles": handles, "rubbing strips": [strips]})


def _on_nose(on: OnAnEnd) -> Made:
    shape, wide, v, box = on.shape, on.shape.wide, on.v, on.box
    lamps, lit = headlamps(
        on,
        ((0.252, 0.318), (0.425, 0.324), (0.445, 0.424), (0.292, 0.392)),
        ((0.315, 0.353, 42.0), (0.382, 0.366, 48.0)),
        20.0,
        7.0,
    )
    turn = both(box(0.29, 0.392, 0.43, 0.405, 3.0)).intersection(lamps.buffer(-8))
    grille = box(-0.23, 0.318, 0.23, 0.384, 22.0)
    bars = shapely.intersection(
        shapely.union_all([box(-0.3, low, 0.3, low + 0.009, 3.0) for low in (0.33, 0.347, 0.364)]), grille
    )
    intake = box(-0.27, 0.152, 0.27, 0.203, 14.0)
    fog = both(shapely.Point(0.345 * wide, v(0.195)).buffer(46, quad_segs=12))
    plate = plate_at(0.0, v(0.244))
    bumper = shapely.box(-wide, v(0), wide, v(shape.bumper))
    seam = box(-0.46, 0.428, 0.46, 0.4315, 2.0)
    insets = (
        *plated(plate, 9.0),
        Inset("fog lamps", "clear lens", area_of(fog), -4.0),
        Inset("fog lamp rings", "under", area_of(fog.buffer(12)), -9.0),
        Inset("intake", "under", area_of(intake), -34.0),
        Inset("bumper", "trim", area_of(bumper), 0.0),
        Inset("indicators", "amber lens", area_of(turn), -5.0),  # before the lamps that they lie in
        *lit,
        Inset("grille bars", "trim", area_of(bars), -7.0),
        Inset("grille", "under", area_of(grille), -42.0),
        Inset("bonnet seam", "under", area_of(seam), -SEAM_DEEP_MM),
    )
    keep = {"lamps": [lamps], "grille": [grille], "number plate": [plate], "bonnet seam": [seam]}
    keep |= {"bumper": [intake, fog]}
    return insets, zones(keep)


def _on_rear(on: OnAnEnd) -> Made:
    shape, wide, v, box = on.shape, on.shape.wide, on.v, on.box
    panes = [box(0.035, 0.6, 0.345, 0.885, 36.0)]
    panes.append(flipped(panes[0]))
    door = box(-0.372, shape.step + 0.012, 0.372, 0.925, 30.0)
    split = shapely.box(-SEAM_MM / 2, v(shape.step + 0.012), SEAM_MM / 2, v(0.925))
    seams = shapely.union(seam_of(door), split)
    lamps = [
        (name, slot, both(box(0.385, low, 0.427, high, 9.0)))
        for name, slot, low, high in (
            ("tail lamps", "red lens", 0.43, 0.545),
            ("rear indicators", "amber lens", 0.375, 0.427),
            ("reversing lamps", "white lens", 0.325, 0.372),
        )
    ]
    housing = both(box(0.382, 0.32, 0.43, 0.55, 12.0))
    handle = box(0.02, 0.498, 0.062, 0.53, 10.0)
    hinges = both(shapely.union(box(0.366, 0.86, 0.388, 0.89, 6.0), box(0.366, 0.262, 0.388, 0.292, 6.0)))
    plate = plate_at(-0.19 * wide, v(0.318))
    bumper = shapely.box(-wide, v(0), wide, v(shape.step))
    cats = both(box(0.33, 0.15, 0.4, 0.168, 5.0))
    stop = box(-0.09, 0.932, 0.09, 0.944, 6.0)
    insets: tuple[Inset, ...] = (
        *plated(plate, 7.0),
        Inset("reflectors", "red lens", area_of(cats), 4.0),
        Inset("stop lamp", "red lens", area_of(stop), 3.0),
        Inset("bumper", "trim", area_of(bumper), 0.0),
        Inset("handle", "trim", area_of(handle), 22.0),
        Inset("hinges", "blank", area_of(hinges), 12.0),
        *glazed(panes),
        *(Inset(name, slot, area_of(area), 10.0) for name, slot, area in lamps),  # type: ignore[arg-type]
        Inset("lamps", "under", area_of(housing), 6.0),
        Inset("door seams", "under", area_of(seams), -SEAM_DEEP_MM),
    )
    keep: dict[str, list[Any]] = {
        "windows": [pane.buffer(13.0) for pane in panes],
        "door seams": [split, *pieces(door)],
        "lamps": [housing, stop],
        "handle": [handle],
        "number plate": [plate],
    }
    return insets, zones(keep)


DESIGN = Design(
    shape_of,
    _facets,
    (
        ("left edge", "blank"),
        ("right edge", "blank"),
        ("left bumper corner", "trim"),
        ("right bumper corner", "trim"),
        ("left bumper end", "trim"),
        ("right bumper end", "trim"),
        ("cowl", "trim"),
        ("brow", "blank"),
        ("back edge", "blank"),
    ),
)
