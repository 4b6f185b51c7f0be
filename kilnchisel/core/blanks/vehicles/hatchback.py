"""The hatchback: a small car's body, its glass leaning in above the waist, on four wheels."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset
from kilnchisel.core.blanks.vehicles.bodywork import Facet, View, together
from kilnchisel.core.blanks.vehicles.cabin import Cabin, cabin_of
from kilnchisel.core.blanks.vehicles.design import EDGE_MM, Design, arches_of, wheels_of
from kilnchisel.core.blanks.vehicles.fittings import outside
from kilnchisel.core.blanks.vehicles.outlined import Outline, Shape
from kilnchisel.core.blanks.vehicles.panelwork import (
    NOTHING,
    Made,
    OnAnEnd,
    OnASide,
    area_of,
    both,
    both_sides,
    headlamps,
    pieces,
    pillar_view,
    plate_at,
    plated,
    rounded,
    screen_in,
    seam_of,
    window_zones,
    zones,
)
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import Hatchback
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
AXLES = {"front": -0.302, "rear": 0.312}  # by share of length
TYRE_MM = 195.0
CABIN = Cabin(rows=(0.03, 0.2), seats=(-0.46, 0.46), sill=0.632, dash=-0.155)
HATCHBACK = Outline(
    rows=(
        ("nose", -0.478, 0.130, 190.0),
        ("nose", -0.500, 0.170, 205.0),
        ("nose", -0.509, 0.270, 215.0),
        ("nose", -0.505, 0.350, 220.0),
        ("nose", -0.490, 0.430, 215.0),
        ("bonnet", -0.468, 0.495, 190.0),
        ("bonnet", -0.415, 0.553, 112.0),
        ("bonnet", -0.330, 0.612, 70.0),
        ("cowl", -0.243, 0.652, 62.0),
        ("windscreen", -0.220, 0.678, 84.0),
        ("windscreen", -0.140, 0.845, 84.0),
        ("brow", -0.064, 0.957, 70.0),
        ("roof", -0.022, 0.985, 58.0),
        ("roof", 0.060, 1.003, 52.0),
        ("roof", 0.200, 1.002, 52.0),
        ("roof", 0.330, 0.978, 54.0),
        ("back edge", 0.418, 0.942, 58.0),
        ("rear window", 0.430, 0.915, 58.0),
        ("rear window", 0.466, 0.700, 70.0),
        ("rear", 0.482, 0.620, 84.0),
        ("rear", 0.495, 0.440, 92.0),
        ("rear", 0.508, 0.300, 100.0),
        ("", 0.482, 0.130, 92.0),
    ),
    front=6,
    top=16,
    bumper=3,
    step=20,
    wide=1745.0,
    round_mm=46.0,
)
SEAM_MM, SEAM_DEEP_MM = 4.5, 6.0
WAIST = 0.6  # by share of height: above it the sides lean in


class HatchbackShape(Shape):
    """A hatchback's measures."""

    drawn = HATCHBACK

    def half(self, x: Array, z: Array) -> Array:
        """Widest at its waist; narrower to both ends, leaning in above, tucked in a little below."""
        up = np.clip((z / self.high - WAIST) / (1 - WAIST), 0, 1)
        down = np.clip((0.34 - z / self.high) / 0.24, 0, 1)
        ahead = np.clip((-x / self.long - 0.22) / 0.28, 0, 1)
        behind = np.clip((x / self.long - 0.22) / 0.28, 0, 1)
        ends = 1 - 0.085 * ahead**2 - 0.075 * behind**2
        return np.asarray(self.wide / 2 * ends * (1 - 0.2 * up**1.3) * (1 - 0.03 * down**2))


def shape_of(car: Hatchback) -> HatchbackShape:
    """A hatchback's shape."""
    return HatchbackShape(car.length_mm, car.width_mm, car.height_mm)


def hatchback_body(car: Hatchback, *, detail: Detail) -> Body:
    """A hatchback standing on z = 0, heading to -x: its left side faces the front."""
    shape = shape_of(car)
    shells, sheets = DESIGN.clad(car, detail=detail)
    shells = together(shells)
    shells += together(wheels_of(shape, AXLES, car.wheel_mm, TYRE_MM, detail=detail))
    screen = next(sheet.side for sheet in sheets if sheet.side.name == "windscreen")
    shells += together(outside(shape, (-0.172, 0.652), screen, size=0.7, slot="blank", detail=detail))
    shells += cabin_of(shape, CABIN, detail=detail)
    return Body(tuple(shells), sheets, lengthwise=True)


@remembered
def _facets(car: Hatchback) -> tuple[Facet, ...]:
    """All its sides."""
    shape = shape_of(car)
    arches = arches_of(shape, tuple(AXLES.values()), car.wheel_mm)
    facets = both_sides(shape, _on_side(shape, arches, car.doors), shapely.union_all(arches), step_mm=46.0)
    nose = pillar_view(shape, (-0.5, 0.17), (-0.497, 0.41), -1)
    bonnet = pillar_view(shape, (-0.46, 0.5), (-0.26, 0.645), -1)
    screen = pillar_view(shape, (-0.235, 0.66), (-0.075, 0.945), -1)
    glass = pillar_view(shape, (0.474, 0.66), (0.428, 0.925), 1)
    rear = pillar_view(shape, (0.5, 0.25), (0.484, 0.62), 1)
    roof = View(np.array([0.17 * shape.long, 0.0, shape.high]), X, Y)
    for name, view, made in (
        ("nose", nose, _on_nose(OnAnEnd(shape, nose))),
        ("bonnet", bonnet, _on_bonnet(shape)),
        ("windscreen", screen, screen_in(shape, 0.43, 0.36, 0.43)),
        ("rear window", glass, screen_in(shape, 0.4, 0.36, 0.3)),
        ("rear", rear, _on_rear(OnAnEnd(shape, rear))),
        ("roof", roof, NOTHING),
    ):
        facets.append(Facet(name, HATCHBACK.tag(name), view, step_mm=46.0, insets=made[0], clear=made[1]))
    return tuple(facets)


def _on_side(shape: Shape, arches: list[Any], doors: str) -> Made:
    """What the left side has, on its sheet."""
    on = OnASide(shape)
    drawn, box = on.drawn, on.box
    split = 0.045 if doors == "five" else 0.115  # behind the front door
    low, belt = 0.185, 0.632
    panes = [
        drawn((-0.17, belt), (split - 0.018, belt), (split - 0.018, 0.897), (-0.045, 0.885), radius=26.0),
        drawn(
            (split + 0.018, belt),
            (0.245, belt + 0.006),
            (0.27, 0.69),
            (0.245, 0.882),
            (split + 0.018, 0.897),
            radius=26.0,
        ),
    ]
    panes.append(drawn((0.293, 0.688), (0.352, 0.712), (0.318, 0.842), (0.276, 0.866), radius=20.0))
    glass = shapely.union_all([pane.buffer(16.0, quad_segs=3) for pane in panes])
    frame = glass.buffer(110.0, quad_segs=4).buffer(-110.0, quad_segs=4)  # black between the panes
    front = drawn(
        (-0.183, 0.61),
        (-0.206, 0.5),
        (-0.203, 0.26),
        (-0.186, low),
        (split, low),
        (split, 0.92),
        (-0.045, 0.907),
        radius=30.0,
    )
    rear = drawn(
        (split, low),
        (0.196, low),
        (0.21, 0.3),
        (0.256, 0.432),
        (0.276, 0.62),
        (0.281, 0.7),
        (0.256, 0.905),
        (split, 0.92),
        radius=30.0,
    )
    leaves = [front, rear] if doors == "five" else [front]
    # a seam ends beside what is black like it
    seams = shapely.difference(
        shapely.union_all([seam_of(leaf, SEAM_MM) for leaf in leaves]), frame.buffer(2.0, quad_segs=2)
    )
    about = shapely.union_all([arch.buffer(19) for arch in arches])
    lips = [shapely.difference(arch.buffer(15, quad_segs=24), arch.buffer(EDGE_MM)) for arch in arches]
    sill = shapely.difference(box(-0.6, 0.0, 0.6, 0.158, 0.0), about)
    ends = [split - 0.044, 0.216] if doors == "five" else [split - 0.048]
    handles = [box(left, 0.545, left + 0.037, 0.562, 8.0) for left in ends]
    strips = shapely.difference(shapely.union_all([box(-0.196, 0.33, 0.2, 0.356, 6.0)]), seams.buffer(9.0))
    lamp = box(-0.24, 0.5, -0.224, 0.513, 5.0)
    filler = drawn((0.315, 0.5), (0.36, 0.5), (0.36, 0.6), (0.315, 0.6), radius=22.0)
    insets = (
        Inset("handles", "blank", area_of(*handles), 18.0),
        Inset("side lamps", "amber lens", area_of(lamp), 4.0),
        Inset("windows", "detail", area_of(*panes), -4.0),
        Inset("window frames", "under", area_of(frame), -1.5),
        Inset("arch lips", "blank", area_of(*lips), 4.0),
        Inset("rubbing strips", "trim", area_of(strips), 8.0),
        Inset("door seams", "under", area_of(seams), -SEAM_DEEP_MM),
        Inset("filler flap", "under", area_of(seam_of(filler, SEAM_MM)), -4.0),
        Inset("sill", "trim", area_of(sill), 0.0),
    )
    keep = {"door seams": [piece for leaf in leaves for piece in pieces(leaf)]}
    keep |= {"handles": handles, "rubbing strips": [strips], "filler flap": pieces(filler)}
    return insets, window_zones([frame]) + zones(keep)


def _on_nose(on: OnAnEnd) -> Made:
    wide, v, box = on.shape.wide, on.v, on.box
    lamps, lit = headlamps(
        on,
        ((0.225, 0.372), (0.43, 0.372), (0.462, 0.452), (0.4, 0.458), (0.27, 0.415)),
        ((0.315, 0.396, 38.0), (0.39, 0.414, 46.0)),
        16.0,
        5.0,
    )
    grille = on.drawn((-0.19, 0.372), (0.19, 0.372), (0.205, 0.416), (-0.205, 0.416), radius=16.0)
    bars = shapely.union_all([box(-0.3, low, 0.3, low + 0.007, 2.0) for low in (0.383, 0.396)])
    bars = shapely.intersection(bars, grille)
    intake = on.drawn((-0.3, 0.178), (0.3, 0.178), (0.27, 0.252), (-0.27, 0.252), radius=18.0)
    slats = shapely.union_all([box(-0.4, low, 0.4, low + 0.008, 2.0) for low in (0.198, 0.222)])
    slats = shapely.intersection(slats, intake)
    fog = both(shapely.Point(0.385 * wide, v(0.215)).buffer(40, quad_segs=12))
    pocket = both(on.drawn((0.325, 0.178), (0.44, 0.19), (0.44, 0.255), (0.335, 0.252), radius=16.0))
    plate = plate_at(0.0, v(0.3))
    lip = shapely.box(-wide, v(0.0), wide, v(0.168))
    insets = (
        *plated(plate, 9.0),
        Inset("fog lamps", "clear lens", area_of(fog), -8.0),
        Inset("fog lamp pockets", "under", area_of(pocket), -18.0),
        Inset("intake bars", "trim", area_of(slats), -10.0),
        Inset("intake", "under", area_of(intake), -34.0),
        Inset("lip", "trim", area_of(lip), 0.0),
        *lit,
        Inset("grille bars", "rim", area_of(bars), -6.0),
        Inset("grille", "under", area_of(grille), -36.0),
    )
    keep = {"lamps": [lamps], "grille": [grille], "number plate": [plate], "bumper": [intake, pocket]}
    return insets, zones(keep)


def _on_bonnet(shape: Shape) -> Made:
    """The seam between the lid and the wings."""
    wide, long = shape.wide, shape.long
    lid = rounded(
        shapely.Polygon(
            [
                (-0.37 * wide, -0.094 * long),
                (0.37 * wide, -0.094 * long),
                (0.428 * wide, 0.3 * long),
                (-0.428 * wide, 0.3 * long),
            ]
        ),
        70.0,
    )
    seam = seam_of(lid, SEAM_MM)
    return (Inset("bonnet seam", "under", area_of(seam), -SEAM_DEEP_MM),), zones(
        {"bonnet seam": pieces(lid)}
    )


def _on_rear(on: OnAnEnd) -> Made:
    wide, v, box = on.shape.wide, on.v, on.box
    edge, foot = 0.3, 0.345  # the tailgate: half its width, and how low it goes
    door = box(-edge, foot, edge, 0.7, 26.0)
    split = shapely.box(
        -0.6 * wide, v(foot - 0.012) - SEAM_MM / 2, 0.6 * wide, v(foot - 0.012) + SEAM_MM / 2
    )
    seams = shapely.union(seam_of(door, SEAM_MM), split)
    lamps = [
        (name, slot, both(box(0.318, low, 0.47, high, 9.0)))
        for name, slot, low, high in (
            ("tail lamps", "red lens", 0.518, 0.596),
            ("rear indicators", "amber lens", 0.482, 0.51),
            ("reversing lamps", "white lens", 0.448, 0.477),
        )
    ]
    housing = both(box(0.312, 0.44, 0.48, 0.604, 12.0))
    plate = plate_at(0.0, v(0.41))
    handle = box(-0.11, 0.462, 0.11, 0.486, 8.0)
    valance = shapely.box(-wide, v(0), wide, v(0.2))
    cats = both(box(0.34, 0.235, 0.43, 0.252, 4.0))
    lock = shapely.Point(0.0, v(0.56)).buffer(24, quad_segs=12)
    insets: tuple[Inset, ...] = (
        *plated(plate, 6.0),
        Inset("reflectors", "red lens", area_of(cats), 3.0),
        Inset("handle", "trim", area_of(handle), 9.0),
        Inset("lock", "rim", area_of(lock), 4.0),
        *(Inset(name, slot, area_of(area), 5.0) for name, slot, area in lamps),  # type: ignore[arg-type]
        Inset("lamps", "under", area_of(housing), 2.0),
        Inset("valance", "trim", area_of(valance), 0.0),
        Inset("door seams", "under", area_of(seams), -SEAM_DEEP_MM),
    )
    keep: dict[str, list[Any]] = {
        "door seams": [split, *pieces(door)],
        "lamps": [housing],
        "handle": [handle, lock],
        "number plate": [plate],
    }
    return insets, zones(keep)


DESIGN = Design(
    shape_of,
    _facets,
    tuple(
        (f"{hand} {part}", "blank")
        for part in ("edge", "bumper corner", "bumper end")
        for hand in ("left", "right")
    )
    + (("cowl", "trim"), ("brow", "blank"), ("back edge", "blank")),
)
