"""The van: a smooth body with windows, doors, lamps and bumpers let into its sides, on four wheels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, facing_out, filled, grid
from kilnchisel.core.blanks.net import KEEP_OFF_MM
from kilnchisel.core.blanks.sides import ClearZone, flipped
from kilnchisel.core.blanks.vehicles.bodywork import (
    Facet,
    Facing,
    Skin,
    View,
    facing,
    sheet_of,
    shells_of,
    skin_of,
    together,
)
from kilnchisel.core.blanks.vehicles.fittings import mirror, wiper
from kilnchisel.core.blanks.vehicles.vancage import TAGS, Shape
from kilnchisel.core.blanks.vehicles.wheels import wheel
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Van
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
AXLES = (-0.315, 0.3)  # by share of length
ARCH = 0.56  # of a wheel: its arch's radius
TYRE_MM = 215.0
SEAM_MM, SEAM_DEEP_MM = 6.0, 6.0
KEEP_MM = 18.0  # clear beside a seam or a window
EDGE_MM = 1.5 * KEEP_OFF_MM  # what is let in keeps so far off the border of its side
PLATE_MM = (520.0, 110.0)  # a number plate
SHELLS: dict[str, tuple[str, FinishSlot]] = {
    "left edge": ("left edge", "blank"),
    "right edge": ("right edge", "blank"),
    "left bumper corner": ("left bumper corner", "trim"),
    "right bumper corner": ("right bumper corner", "trim"),
    "left bumper end": ("left bumper end", "trim"),
    "right bumper end": ("right bumper end", "trim"),
    "cowl": ("cowl", "trim"),
    "brow": ("brow", "blank"),
    "back edge": ("back edge", "blank"),
}


def van_body(van: Van, *, detail: Detail) -> Body:
    """A van standing on z = 0, heading to -x: its left side faces the front."""
    shape, skin = Shape(van), _skin(van, detail=detail)
    sheets = tuple(_sheet(van, facet, detail=detail) for facet in _facets(van))
    named = {sheet.side.name: sheet.side for sheet in sheets}
    shells = shells_of(skin, {TAGS.index(tag): told for tag, told in SHELLS.items()})
    shells += _underside(shape, skin, named["left side"], named["right side"])
    shells = together(shells)
    shells += together(_wheels(shape, detail=detail))
    shells += together(_mirrors_and_wipers(shape, named["windscreen"], detail=detail))
    return Body(tuple(shells), sheets, lengthwise=True)


def _wheels(shape: Shape, *, detail: Detail) -> list[Shell]:
    van, shells = shape.van, []
    for axle, end in zip(AXLES, ("front", "rear"), strict=True):
        x = float(shape.x(axle))
        for way, hand in ((-1.0, "left"), (1.0, "right")):
            out = float(shape.half(np.array(x), np.array(van.wheel_mm / 2))) - TYRE_MM / 2 - 16
            middle = np.array([x, way * out, van.wheel_mm / 2])
            shells += wheel(f"{end} {hand}", middle, van.wheel_mm / 2, TYRE_MM, way, detail=detail)
    return shells


def _mirrors_and_wipers(shape: Shape, screen: Any, *, detail: Detail) -> list[Shell]:
    wide, shells = shape.van.width_mm, []
    x, z = shape.at((-0.322, 0.612))
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        shells += mirror(hand, np.array([x, way * float(shape.half(x, z)), z]), way, detail=detail)
    low = screen.domain.bounds[1]
    for name, aside in (("left", 0.04), ("right", -0.34)):
        foot = np.array([aside * wide, low + 16])
        shells += wiper(name, screen, foot, foot + (0.3 * wide, 64.0), detail=detail)
    return shells


@remembered
def _skin(van: Van, *, detail: Detail) -> Skin:
    return skin_of(Shape(van).cage(), detail=detail)


@remembered
def _facing(van: Van, name: str, *, detail: Detail) -> Facing:
    facet = next(one for one in _facets(van) if one.name == name)
    return facing(_skin(van, detail=detail), facet.tags, facet.view)


def _place(van: Van, name: str, detail: Detail, uv: Array) -> Array:
    """Places on a side of a van, (n, 2) sheet mm -> (n, 3)."""
    return _facing(van, name, detail=detail).place(uv)


def _sheet(van: Van, facet: Facet, *, detail: Detail) -> Sheet:
    known = _facing(van, facet.name, detail=detail)
    sheet = sheet_of(facet, known, partial(_place, van, facet.name, detail), detail=detail)
    within = sheet.side.domain.buffer(-EDGE_MM)
    taken: Any = shapely.MultiPolygon()
    insets = []
    for inset in facet.insets:  # the first named lies on those after it
        area = shapely.difference(shapely.intersection(inset.area, within), taken)
        parts = [part for part in shapely.get_parts(area) if part.geom_type == "Polygon" and part.area > 4]
        if parts:
            insets.append(replace(inset, area=shapely.MultiPolygon(parts)))
            taken = shapely.union(taken, insets[-1].area)
    return replace(sheet, insets=tuple(insets))


@remembered
def _facets(van: Van) -> tuple[Facet, ...]:
    """All its sides."""
    shape = Shape(van)
    long, high = van.length_mm, van.height_mm
    insets, zones = _on_side(shape)
    arches = shapely.union_all(_arches(shape))
    middle = np.array([0.0, 0.0, high / 2])

    def tags(*names: str) -> tuple[int, ...]:
        return tuple(TAGS.index(name) for name in names)

    def seen(low: tuple[float, float], top: tuple[float, float], out_x: float) -> View:
        """Square on to the line between two places (x, z) by shares of length and height."""
        ends = np.array([low, top]) * (long, high)
        up = np.insert((ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0]), 1, 0.0)
        out = np.array([out_x * up[2], 0.0, -out_x * up[0]])
        return View(np.insert(ends.mean(axis=0), 1, 0.0), np.cross(up, out), up)

    nose, bonnet = seen((-0.5, 0.17), (-0.5, 0.41), -1), seen((-0.485, 0.475), (-0.375, 0.555), -1)
    screen, rear = seen((-0.365, 0.57), (-0.24, 0.945), -1), seen((0.5, 0.17), (0.497, 0.93), 1)
    roof = View(np.array([0.12 * long, 0.0, high]), X, Y)
    facets = [
        Facet(
            "left side", tags("left side"), View(middle, X, Z), without=arches, clear=zones, insets=insets
        ),
        Facet(
            "right side",
            tags("right side"),
            View(middle, -X, Z),
            without=flipped(arches),
            clear=tuple(ClearZone(z.name, flipped(z.area)) for z in zones),
            insets=tuple(replace(i, area=flipped(i.area)) for i in insets),
        ),
    ]
    for name, view, made in (
        ("nose", nose, _on_nose(shape, nose)),
        ("bonnet", bonnet, ((), ())),
        ("windscreen", screen, _on_screen(shape)),
        ("rear", rear, _on_rear(shape, rear)),
        ("roof", roof, ((), ())),
    ):
        facets.append(Facet(name, tags(name), view, insets=made[0], clear=made[1]))
    return tuple(facets)


def _area(*parts: Any) -> shapely.MultiPolygon:
    """Areas as one region."""
    return shapely.MultiPolygon(
        [p for p in shapely.get_parts(shapely.union_all(parts)) if p.geom_type == "Polygon"]
    )


def _round(shape: Any, radius: float) -> Any:
    """A shape with its corners rounded, both ways."""
    return shape.buffer(-radius).buffer(2 * radius, quad_segs=6).buffer(-radius, quad_segs=6)


def _line(shape: shapely.Polygon) -> Any:
    """The seam round a shape."""
    return shapely.simplify(shape.exterior, 0.4).buffer(SEAM_MM / 2, quad_segs=3, join_style="mitre")


def _arches(shape: Shape) -> list[Any]:
    """Of the left side, on its sheet."""
    van = shape.van
    return [
        shapely.Point(float(shape.x(axle)), (van.wheel_mm - van.height_mm) / 2).buffer(
            ARCH * van.wheel_mm, quad_segs=24
        )
        for axle in AXLES
    ]


def _on_side(shape: Shape) -> tuple[tuple[Inset, ...], tuple[ClearZone, ...]]:
    """What the left side has, on its sheet."""
    van = shape.van
    drop = np.array([0.0, van.height_mm / 2])

    def drawn(*corners: tuple[float, float], radius: float = 34.0) -> Any:
        return _round(shapely.Polygon(shape.at(corners) - drop), radius)

    def box(left: float, low: float, right: float, high: float, radius: float = 4.0) -> Any:
        return drawn((left, low), (right, low), (right, high), (left, high), radius=radius)

    panes = [drawn((-0.307, 0.6), (-0.145, 0.6), (-0.145, 0.9), (-0.209, 0.9))]
    if van.windows == "minibus":
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
    seams = shapely.union_all([_line(door) for door in doors])
    arches = _arches(shape)
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
        Inset("handles", "trim", _area(*handles), 20.0),
        Inset("side lamps", "amber lens", _area(lamp), 7.0),
        Inset("windows", "detail", _area(*panes), -5.0),
        Inset("window seals", "under", _area(*(pane.buffer(13.0) for pane in panes)), -1.5),
        Inset("arch trims", "trim", _area(*flares), 7.0),
        Inset("bumper", "trim", _area(bumper), 0.0),
        Inset("rubbing strips", "trim", _area(strips), 11.0),
        Inset("door seams", "under", _area(shapely.difference(seams, sill)), -SEAM_DEEP_MM),
        Inset("sill", "trim", _area(sill), 0.0),
    )
    zones = tuple(ClearZone("windows", pane.buffer(13.0 + KEEP_MM, quad_segs=3)) for pane in panes)
    keep = {"door seams": [piece for door in doors for piece in _pieces(door)]}
    return insets, zones + _zones(keep | {"handles": handles, "rubbing strips": [strips]})


Made = tuple[tuple[Inset, ...], tuple[ClearZone, ...]]


def _zones(of: dict[str, list[Any]]) -> tuple[ClearZone, ...]:
    return tuple(
        ClearZone(name, part.buffer(KEEP_MM, quad_segs=2))
        for name, shapes in of.items()
        for shape in shapes
        for part in shapely.get_parts(shape)
    )


def _both(shape: Any) -> Any:
    """A shape and its mirror image."""
    return shapely.union(shape, flipped(shape))


def _by_shares(shape: Shape, view: View) -> tuple[Callable[[float], float], Callable[..., Any]]:
    """Of an upright end: how high a share of the height is on its sheet, and rounded boxes by shares of
    width and height: left, low, right, high, and the radius in mm."""
    wide = shape.van.width_mm

    def v(share: float) -> float:
        return float(shape.z(share)) - float(view.origin[2])

    def box(left: float, low: float, right: float, high: float, radius: float) -> Any:
        return _round(shapely.box(left * wide, v(low), right * wide, v(high)), radius)

    return v, box


def _on_nose(shape: Shape, view: View) -> Made:
    wide = shape.van.width_mm
    v, box = _by_shares(shape, view)
    lamp = _round(
        shapely.Polygon(
            [(x * wide, v(z)) for x, z in ((0.252, 0.318), (0.425, 0.324), (0.445, 0.424), (0.292, 0.392))]
        ),
        20.0,
    )
    lamps = _both(lamp)
    bowls = _both(
        shapely.union(
            shapely.Point(0.315 * wide, v(0.353)).buffer(42),
            shapely.Point(0.382 * wide, v(0.366)).buffer(48),
        )
    )
    rings = shapely.difference(bowls.buffer(9), bowls)
    turn = _both(box(0.29, 0.392, 0.43, 0.405, 3.0)).intersection(lamps.buffer(-8))
    grille = box(-0.23, 0.318, 0.23, 0.384, 22.0)
    bars = shapely.intersection(
        shapely.union_all([box(-0.3, low, 0.3, low + 0.009, 3.0) for low in (0.33, 0.347, 0.364)]), grille
    )
    intake = box(-0.27, 0.152, 0.27, 0.203, 14.0)
    fog = _both(shapely.Point(0.345 * wide, v(0.195)).buffer(46, quad_segs=12))
    plate = shapely.box(-PLATE_MM[0] / 2, v(0.244) - 55, PLATE_MM[0] / 2, v(0.244) + 55)
    bumper = shapely.box(-wide, v(0), wide, v(shape.bumper))
    seam = box(-0.46, 0.428, 0.46, 0.4315, 2.0)
    insets = (
        Inset("number plate", "number plate", _area(plate), 9.0),
        Inset("plate holder", "under", _area(plate.buffer(7)), 7.0),
        Inset("fog lamps", "clear lens", _area(fog), -4.0),
        Inset("fog lamp rings", "under", _area(fog.buffer(12)), -9.0),
        Inset("intake", "under", _area(intake), -34.0),
        Inset("bumper", "trim", _area(bumper), 0.0),
        Inset("lamp bowls", "reflector", _area(bowls), -12.0),
        Inset("lamp rings", "rim", _area(rings), -7.0),
        Inset("indicators", "amber lens", _area(turn), -5.0),
        Inset("lamps", "clear lens", _area(lamps), -3.0),
        Inset("lamp edges", "under", _area(lamps.buffer(7)), -8.0),
        Inset("grille bars", "trim", _area(bars), -7.0),
        Inset("grille", "under", _area(grille), -42.0),
        Inset("bonnet seam", "under", _area(seam), -SEAM_DEEP_MM),
    )
    keep = {"lamps": [lamps], "grille": [grille], "number plate": [plate], "bonnet seam": [seam]}
    keep |= {"bumper": [intake, fog]}
    return insets, _zones(keep)


def _on_screen(shape: Shape) -> Made:
    """Glass over nearly all of it, black round its edge."""
    wide, tall = shape.van.width_mm, 0.5 * shape.van.height_mm
    low = -0.455 * tall
    pane = shapely.Polygon(
        [
            (-0.405 * wide, low),
            (0.405 * wide, low),
            (0.385 * wide, 0.43 * tall),
            (-0.385 * wide, 0.43 * tall),
        ]
    )
    pane = _round(pane, 60.0)
    insets = (
        Inset("windscreen", "detail", _area(pane), -3.0),
        Inset("screen edge", "under", _area(shapely.box(-wide, -2 * tall, wide, 2 * tall)), -2.0),
    )
    return insets, ()


def _on_rear(shape: Shape, view: View) -> Made:
    wide = shape.van.width_mm
    v, box = _by_shares(shape, view)
    panes = [box(0.035, 0.6, 0.345, 0.885, 36.0)]
    panes.append(flipped(panes[0]))
    door = box(-0.372, shape.step + 0.012, 0.372, 0.925, 30.0)
    split = shapely.box(-SEAM_MM / 2, v(shape.step + 0.012), SEAM_MM / 2, v(0.925))
    seams = shapely.union(_line(door), split)
    lamps = [
        (name, slot, _both(box(0.385, low, 0.427, high, 9.0)))
        for name, slot, low, high in (
            ("tail lamps", "red lens", 0.43, 0.545),
            ("rear indicators", "amber lens", 0.375, 0.427),
            ("reversing lamps", "white lens", 0.325, 0.372),
        )
    ]
    housing = _both(box(0.382, 0.32, 0.43, 0.55, 12.0))
    handle = box(0.02, 0.498, 0.062, 0.53, 10.0)
    hinges = _both(shapely.union(box(0.366, 0.86, 0.388, 0.89, 6.0), box(0.366, 0.262, 0.388, 0.292, 6.0)))
    plate_at = (-0.19 * wide, v(0.318))
    plate = shapely.box(
        *(np.array(plate_at) - np.array(PLATE_MM) / 2), *(np.array(plate_at) + np.array(PLATE_MM) / 2)
    )
    bumper = shapely.box(-wide, v(0), wide, v(shape.step))
    cats = _both(box(0.33, 0.15, 0.4, 0.168, 5.0))
    stop = box(-0.09, 0.932, 0.09, 0.944, 6.0)
    insets: tuple[Inset, ...] = (
        Inset("number plate", "number plate", _area(plate), 7.0),
        Inset("plate holder", "under", _area(plate.buffer(7)), 5.0),
        Inset("reflectors", "red lens", _area(cats), 4.0),
        Inset("stop lamp", "red lens", _area(stop), 3.0),
        Inset("bumper", "trim", _area(bumper), 0.0),
        Inset("handle", "trim", _area(handle), 22.0),
        Inset("hinges", "blank", _area(hinges), 12.0),
        Inset("windows", "detail", _area(*panes), -5.0),
        Inset("window seals", "under", _area(*(pane.buffer(13.0) for pane in panes)), -1.5),
        *(Inset(name, slot, _area(area), 10.0) for name, slot, area in lamps),  # type: ignore[arg-type]
        Inset("lamps", "under", _area(housing), 6.0),
        Inset("door seams", "under", _area(seams), -SEAM_DEEP_MM),
    )
    keep: dict[str, list[Any]] = {
        "windows": [pane.buffer(13.0) for pane in panes],
        "door seams": [split, *_pieces(door)],
        "lamps": [housing, stop],
        "handle": [handle],
        "number plate": [plate],
    }
    return insets, _zones(keep)


def _pieces(shape: shapely.Polygon) -> list[Any]:
    """The straight pieces of a shape's outline, nearly."""
    ring = shapely.get_coordinates(shapely.simplify(shape.exterior, 2.0))
    return [shapely.LineString(ends) for ends in pairwise(ring)]


def _underside(shape: Shape, skin: Skin, left: Any, right: Any) -> list[Shell]:
    """The floor with its wheel arches, from one side's lower edge to the other's, and the ends before and
    behind it."""
    ring = shapely.get_coordinates(left.domain.exterior)[:-1]
    places = left.to_body(ring, np.zeros(len(ring)))
    # the lower edge from the front to the rear: counter-clockwise round the side it comes first
    border = skin.border((TAGS.index("left side"),))
    low = skin.points[border][np.abs(skin.points[border][:, 2] - shape.low) < 1e-6]
    ends = low[np.argmin(low[:, 0])], low[np.argmax(low[:, 0])]
    first, last = (int(np.argmin(np.linalg.norm(places - end, axis=1))) for end in ends)
    index = (first + np.arange((last - first) % len(ring) + 1)) % len(ring)
    here = places[index]
    mirrored = ring * (-1.0, 1.0)
    there = right.to_body(mirrored, np.zeros(len(ring)))[index]
    along = np.gradient(here, axis=0)
    down = np.stack([along[:, 2], np.zeros(len(along)), -along[:, 0]], axis=1)
    down /= np.linalg.norm(down, axis=1, keepdims=True)
    points = np.stack([there, here])
    floor = grid(points, np.stack([down, down]), np.ascontiguousarray(points[..., :2]))
    shells = [Shell("underside", "under", floor)]
    open_ = skin.border(tuple(range(len(TAGS))))
    loop = skin.points[open_]
    for name, way, end in (("front", -1.0, ends[0]), ("rear", 1.0, ends[1])):
        beyond = way * loop[:, 0] >= way * end[0] - 1e-6
        start = int(np.flatnonzero(beyond & ~np.roll(beyond, 1))[0])
        lip = np.roll(loop, -start, axis=0)[: int(beyond.sum())]
        shells.append(Shell(f"{name} lip", "under", _level(lip)))
    return shells


def _level(loop: Array) -> Mesh:
    """A level face within a loop of points, seen from below."""
    flat = np.ascontiguousarray(loop[:, :2])
    area = shapely.Polygon(flat)
    if not shapely.is_ccw(area.exterior):
        loop, flat = loop[::-1], flat[::-1]
    order, faces = filled(shapely.Polygon(flat))
    normals = np.broadcast_to(-Z, loop.shape).copy()
    assert len(order) == len(loop)
    return facing_out(loop, normals, flat, faces)
