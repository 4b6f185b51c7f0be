"""The coach: one deck, a band of glass along both sides, luggage flaps below, a door on one side."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Shell
from kilnchisel.core.blanks.vehicles.bodywork import Facet, View, together
from kilnchisel.core.blanks.vehicles.cabin import Cabin, cabin_of
from kilnchisel.core.blanks.vehicles.design import EDGE_MM, Design, arches_of, wheels_of
from kilnchisel.core.blanks.vehicles.fittings import hung_mirror, pod, wipers
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
from kilnchisel.core.job.vehicles import Coach
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
AXLES = {"front": -0.274, "rear": 0.222}  # by share of length
TYRE_MM = 295.0
USUAL_LONG = 12_200.0
COACH = Outline(
    rows=(
        ("nose", -0.491, 0.090, 150.0),
        ("nose", -0.498, 0.120, 190.0),
        ("nose", -0.502, 0.200, 215.0),
        ("nose", -0.501, 0.300, 225.0),
        ("windscreen", -0.498, 0.350, 230.0),
        ("windscreen", -0.493, 0.540, 230.0),
        ("windscreen", -0.482, 0.760, 220.0),
        ("brow", -0.473, 0.880, 200.0),
        ("roof", -0.458, 0.958, 150.0),
        ("roof", -0.425, 0.994, 105.0),
        ("roof", -0.340, 1.002, 90.0),
        ("roof", -0.150, 1.000, 90.0),
        ("roof", 0.050, 1.000, 90.0),
        ("roof", 0.250, 1.000, 90.0),
        ("roof", 0.420, 0.998, 90.0),
        ("back edge", 0.474, 0.980, 84.0),
        ("rear window", 0.489, 0.945, 80.0),
        ("rear window", 0.495, 0.800, 84.0),
        ("rear", 0.498, 0.640, 90.0),
        ("rear", 0.500, 0.500, 90.0),
        ("rear", 0.501, 0.380, 90.0),
        ("rear", 0.502, 0.260, 90.0),
        ("rear", 0.502, 0.180, 90.0),
        ("rear", 0.499, 0.125, 84.0),
        ("", 0.492, 0.090, 80.0),
    ),
    front=8,
    top=16,
    bumper=2,
    step=22,
    wide=2550.0,
    round_mm=84.0,
)
SHORT_END = 0.2  # before and behind it the ends keep their lengths
SILL, WAIST, HEAD = 0.118, 0.468, 0.872  # by share of height: under the flaps, under and over the glass
FLAP = 0.305  # the top of the luggage flaps
ROW_MM = 860.0  # from seat to seat
PANE_MM, BETWEEN_MM = 1500.0, 16.0  # about how long a pane is; the joint between two
DOOR = (-0.462, -0.388)  # by share of length


class CoachShape(Shape):
    """A coach's measures: a longer one is longer between its axles."""

    drawn = COACH

    def x(self, share: Any) -> Array:
        """By share of length."""
        share = np.asarray(share, dtype=float)
        ends = np.sign(share) * (self.long / 2 - (0.5 - np.abs(share)) * USUAL_LONG)
        middle = share / SHORT_END * (self.long / 2 - (0.5 - SHORT_END) * USUAL_LONG)
        return np.asarray(np.where(np.abs(share) > SHORT_END, ends, middle))

    def half(self, x: Array, z: Array) -> Array:
        """A little narrower above its waist and towards the front."""
        up = np.clip((z / self.high - WAIST) / (1 - WAIST), 0, 1)
        ahead = np.clip((-x - self.long / 2 + 1900.0) / 1900.0, 0, 1)
        return np.asarray(self.wide / 2 * (1 - 0.055 * up**2 - 0.04 * ahead**2))


def shape_of(coach: Coach) -> CoachShape:
    """A coach's shape."""
    return CoachShape(coach.length_mm, coach.width_mm, coach.height_mm)


def coach_body(coach: Coach, *, detail: Detail) -> Body:
    """A coach standing on z = 0, heading to -x: its left side faces the front."""
    shape = shape_of(coach)
    shells, sheets = DESIGN.clad(coach, detail=detail)
    shells = together(shells)
    shells += together(
        wheels_of(shape, AXLES, coach.wheel_mm, TYRE_MM, face="pressed", twin="rear", detail=detail)
    )
    x, z = shape.at((-0.478, 0.865))
    more: list[Shell] = []
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        root = np.array([x, way * (float(shape.half(x, z)) - 60.0), z])
        more += hung_mirror(hand, root, way, detail=detail)
    more += cabin_of(shape, _cabin(shape), detail=detail)
    screen = next(sheet.side for sheet in sheets if sheet.side.name == "windscreen")
    more += wipers(shape.wide, screen, 0.36, detail=detail)
    return Body(
        tuple(shells + together(more) + _on_the_roof(shape, detail=detail)), sheets, lengthwise=True
    )


def _cabin(shape: CoachShape) -> Cabin:
    """Rows of four from behind the door to the rear, the driver's seat before them."""
    first, last = (float(shape.x(share)) for share in (-0.33, 0.45))
    rows = np.linspace(first, last, max(int((last - first) / ROW_MM), 1) + 1)
    known = np.linspace(-0.5, 0.5, 401)
    shares = [-0.415, *np.interp(rows, shape.x(known), known).tolist()]
    return Cabin(rows=shares, seats=(-0.76, -0.36, 0.36, 0.76), sill=WAIST, dash=-0.452)


def _on_the_roof(shape: Shape, *, detail: Detail) -> list[Shell]:
    """The cooler, and a hatch before it."""
    parts = []
    for name, at, half, soft in (
        ("cooler", (0.11, 1.004), (1350.0, 0.34 * shape.wide, 150.0), 170.0),
        ("hatch", (-0.22, 1.0), (400.0, 400.0, 50.0), 50.0),
    ):
        x, z = shape.at(at)
        mesh = pod(np.array([x, 0.0, z]), np.array(half), soft, detail=detail)
        parts.append(Shell(name, "blank", mesh, name))
    return parts


@remembered
def _facets(coach: Coach) -> tuple[Facet, ...]:
    """All its sides."""
    shape = shape_of(coach)
    arches = arches_of(shape, tuple(AXLES.values()), coach.wheel_mm)
    left, right = (_on_side(shape, arches, door=f"{hand} side" == coach.door_on) for hand in HANDS)
    facets = both_sides(shape, left, shapely.union_all(arches), step_mm=90.0, right=right)
    nose = pillar_view(shape, (-0.5, 0.12), (-0.5, 0.32), -1)
    screen = pillar_view(shape, (-0.497, 0.34), (-0.477, 0.85), -1)
    glass = pillar_view(shape, (0.497, 0.7), (0.491, 0.95), 1)
    rear = pillar_view(shape, (0.5, 0.15), (0.5, 0.68), 1)
    roof = View(np.array([0.0, 0.0, shape.high]), X, Y)
    for name, view, made in (
        ("nose", nose, _on_nose(OnAnEnd(shape, nose))),
        ("windscreen", screen, screen_in(shape, 0.44, 0.415, 0.54)),
        ("rear window", glass, screen_in(shape, 0.39, 0.37, 0.2)),
        ("rear", rear, _on_rear(OnAnEnd(shape, rear))),
        ("roof", roof, NOTHING),
    ):
        facets.append(Facet(name, COACH.tag(name), view, step_mm=90.0, insets=made[0], clear=made[1]))
    return tuple(facets)


def _on_side(shape: CoachShape, arches: list[Any], *, door: bool) -> Made:
    """What a side has, on the left one's sheet; ``door``: whether the passengers get in there."""
    on = OnASide(shape)
    drawn, box = on.drawn, on.box
    # the band of glass, its driver's end lower and raked like the screen
    start = DOOR[1] + 0.012 if door else -0.382
    band = box(start, WAIST, 0.468, HEAD, 60.0)
    low_u, low_v, high_u, high_v = band.bounds
    count = max(round((high_u - low_u) / PANE_MM), 1)
    joints = low_u + np.arange(1, count) * (high_u - low_u) / count
    cut = shapely.union_all(
        [shapely.box(u - BETWEEN_MM / 2, low_v, u + BETWEEN_MM / 2, high_v) for u in joints]
    )
    glass = shapely.difference(band.buffer(-26.0), cut)
    corner = drawn((-0.466, 0.4), (-0.397, 0.4), (-0.397, HEAD), (-0.4545, HEAD), radius=50.0)
    panes = [glass] if door else [glass, corner.buffer(-22.0)]
    frames = [band] if door else [band, corner]
    about = shapely.union_all([arch.buffer(60.0) for arch in arches])
    flaps = [
        box(left + 0.004, SILL, right - 0.004, FLAP, 24.0)
        for left, right in _between(arches, shape, 1480.0)
    ]
    engine = box(0.325, SILL, 0.455, FLAP, 24.0)
    flaps.append(engine)
    leaf = drawn(
        (DOOR[0], SILL + 0.008),
        (DOOR[1], SILL + 0.008),
        (DOOR[1], HEAD),
        (DOOR[0] + 0.011, HEAD),
        radius=60.0,
    )
    lights = [leaf.buffer(-58.0)] if door else []
    leaves = [*flaps, leaf] if door else flaps
    seams = shapely.union_all([seam_of(one) for one in leaves])
    locks = [
        shapely.Point((one.bounds[0] + one.bounds[2]) / 2, one.bounds[1] + 70).buffer(34) for one in flaps
    ]
    slats = shapely.union_all([box(0.345, v, 0.437, v + 0.007) for v in np.arange(0.165, 0.265, 0.0145)])
    flares = [shapely.difference(arch.buffer(34, quad_segs=24), arch.buffer(EDGE_MM)) for arch in arches]
    marks = [on.spot(x, 0.106) for x in np.linspace(-0.4, 0.42, 6)]
    lamps = [shapely.box(u - 48, v - 16, u + 48, v + 16) for u, v in marks]
    lamps = [lamp for lamp in lamps if not lamp.intersects(about)]
    insets = (
        Inset("door glass", "detail", area_of(*lights), -8.0),
        Inset("windows", "detail", area_of(*panes), -2.0),
        Inset("window frames", "under", area_of(*frames), -4.0),
        Inset("side lamps", "amber lens", area_of(*lamps), 5.0),
        Inset("locks", "rim", area_of(*locks), 3.0),
        Inset("louvres", "under", area_of(slats), -24.0),
        Inset("arch trims", "trim", area_of(*flares), 8.0),
        Inset("door seams", "under", area_of(seams), -SEAM_DEEP_MM),
    )
    keep: dict[str, list[Any]] = {
        "door seams": pieces(leaf) if door else [],
        "luggage flaps": [piece for flap in flaps for piece in pieces(flap)],
        "locks": locks,
        "louvres": [slats.envelope],
    }
    return insets, window_zones(frames) + zones(keep)


def _between(arches: list[Any], shape: CoachShape, about_mm: float) -> list[tuple[float, float]]:
    """The luggage flaps between the arches, as shares of length: left and right ends."""
    left, right = arches[0].bounds[2] + 70.0, arches[1].bounds[0] - 70.0
    ends = np.linspace(left, right, max(round((right - left) / about_mm), 1) + 1)
    known = np.linspace(-0.5, 0.5, 201)
    shares = np.interp(ends, shape.x(known), known)
    return list(zip(shares[:-1].tolist(), shares[1:].tolist(), strict=True))


def _on_nose(on: OnAnEnd) -> Made:
    wide, v, box = on.shape.wide, on.v, on.box
    lamps, lit = headlamps(
        on,
        ((0.27, 0.195), (0.425, 0.195), (0.44, 0.275), (0.4, 0.292), (0.285, 0.24)),
        ((0.315, 0.216, 48.0), (0.386, 0.24, 62.0)),
        22.0,
        8.0,
    )
    plate = plate_at(0.0, v(0.136))
    grille = box(-0.22, 0.178, 0.22, 0.196, 12.0)
    fog = both(box(0.31, 0.128, 0.4, 0.15, 16.0))
    seam = rounded(shapely.box(-0.4 * wide, v(0.166), 0.4 * wide, v(0.3)), 30.0)
    lip = shapely.box(-wide, v(0.0), wide, v(0.106))
    insets = (
        *plated(plate, 9.0),
        Inset("fog lamps", "clear lens", area_of(fog), -4.0),
        Inset("lip", "trim", area_of(lip), 0.0),
        *lit,
        Inset("grille", "under", area_of(grille), -30.0),
        Inset("front flap", "under", area_of(seam_of(seam)), -SEAM_DEEP_MM),
    )
    keep = {"lamps": [lamps], "number plate": [plate], "bumper": [fog, grille], "front flap": pieces(seam)}
    return insets, zones(keep)


def _on_rear(on: OnAnEnd) -> Made:
    wide, v, box = on.shape.wide, on.v, on.box
    door = box(-0.36, 0.2, 0.36, 0.56, 40.0)
    rounds = (
        ("tail lamps", "red lens", 0.44),
        ("rear indicators", "amber lens", 0.375),
        ("reversing lamps", "white lens", 0.31),
        ("fog lamps", "red lens", 0.245),
    )
    lamps = [
        (name, slot, both(shapely.Point(0.415 * wide, v(high)).buffer(82, quad_segs=12)))
        for name, slot, high in rounds
    ]
    housing = both(box(0.372, 0.205, 0.458, 0.48, 60.0))
    plate = plate_at(0.0, v(0.165))
    slats = [both(box(0.06, z, 0.33, z + 0.008, 4.0)) for z in np.arange(0.23, 0.34, 0.016)]
    cats = both(box(0.32, 0.125, 0.4, 0.138, 4.0))
    handle = box(-0.06, 0.225, 0.06, 0.24, 8.0)
    stop = box(-0.12, 0.628, 0.12, 0.638, 8.0)
    insets: tuple[Inset, ...] = (
        *plated(plate, 7.0),
        Inset("reflectors", "red lens", area_of(cats), 4.0),
        Inset("stop lamp", "red lens", area_of(stop), 3.0),
        Inset("handle", "trim", area_of(handle), 16.0),
        *(Inset(name, slot, area_of(area), 10.0) for name, slot, area in lamps),  # type: ignore[arg-type]
        Inset("lamps", "under", area_of(housing), 2.0),
        Inset("louvres", "under", area_of(*slats), -22.0),
        Inset("door seams", "under", area_of(seam_of(door)), -SEAM_DEEP_MM),
    )
    keep: dict[str, list[Any]] = {
        "door seams": pieces(door),
        "lamps": [housing, stop],
        "handle": [handle],
        "louvres": [part.envelope for part in shapely.get_parts(shapely.union_all(slats).buffer(20))],
        "number plate": [plate],
    }
    return insets, zones(keep)


DESIGN = Design(
    shape_of,
    _facets,
    tuple((f"{hand} {part}", "blank") for part in ("edge", "bumper corner", "bumper end") for hand in HANDS)
    + (("brow", "blank"), ("back edge", "blank")),
)
