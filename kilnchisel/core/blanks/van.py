"""The van: its side outline pushed from a curved left side to the right one, wheels in their arches."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Inset, Sheet, Shell
from kilnchisel.core.blanks.outlines import rectangle, rounded, subdivided
from kilnchisel.core.blanks.sides import ClearZone, flipped
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.blanks.tubes import prism
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Van

Array = NDArray[Any]

X, Y, Z = np.eye(3)
# the side's outline by share of length (from the middle, nose to the left) and of height
NOSE = ((-0.5, 0.17), (-0.5, 0.41))
BONNET = ((-0.485, 0.475), (-0.375, 0.555))
SCREEN = ((-0.365, 0.57), (-0.24, 0.945))
ROOF = ((-0.2, 0.985), (0.44, 1.0))
REAR = ((0.497, 0.93), (0.5, 0.17))
AXLES = (-0.315, 0.3)
SEAM_MM, SEAM_DEEP_MM = 7.0, 5.0
KEEP_MM = 18.0  # clear beside a seam or a window
STEP_MM = 60.0


def van_body(van: Van, *, detail: Detail) -> Body:
    """A van standing on z = 0, heading to -x: its left side faces the front."""
    length, height = van.length_mm, van.height_mm
    ring = subdivided(_outline(van, detail=detail), STEP_MM if detail.fine else 2.4 * STEP_MM)
    middle = height / 2
    insets, zones = _side_details(van)
    mirrored = tuple(replace(i, area=flipped(i.area)) for i in insets)
    strips = tuple(
        (name, slot, *_run_on(ring[0], length, height, line))
        for name, slot, line in (
            ("nose", "blank", NOSE),
            ("bonnet", "blank", BONNET),
            ("windscreen", "detail", SCREEN),
            ("rear", "blank", REAR),
        )
    )
    typed: tuple[tuple[str, FinishSlot, int, int], ...] = strips  # type: ignore[assignment]
    what = Slab(
        ring,
        Face("left side", partial(_half, van, -1.0), step_mm=STEP_MM, clear=zones, insets=insets),
        Face(
            "right side",
            partial(_half, van, 1.0),
            step_mm=STEP_MM,
            clear=tuple(ClearZone(z.name, flipped(z.area)) for z in zones),
            insets=mirrored,
        ),
        edge_of("round", 42.0, detail=detail),
        wall_mm=40.0,
        middle_z=middle,
        edge_slot="blank",
        name="roof and floor",
        strips=typed,
    )
    shells, sheets = slab(what, detail=detail)
    sheets = tuple(_with_ends(van, sheet) for sheet in sheets)
    return Body(shells + _wheels(van, detail=detail), sheets, lengthwise=True)


def _outline(van: Van, *, detail: Detail) -> tuple[Array, Array]:
    length, height = van.length_mm, van.height_mm
    corners = [*REAR[::-1], *ROOF[::-1], *SCREEN[::-1], *BONNET[::-1], *NOSE[::-1]]
    body = shapely.Polygon(np.array(corners) * (length, height))
    radius = 0.56 * van.wheel_mm
    spans = 4 * 8 if detail.fine else 12
    for axle in AXLES:
        spot = shapely.Point(axle * length, van.wheel_mm / 2)
        body = body.difference(spot.buffer(radius, quad_segs=spans))
    return rounded(shapely.get_coordinates(body.exterior)[:-1], 46.0, detail=detail)


def _run_on(ring: Array, length: float, height: float, line: tuple[Any, Any]) -> tuple[int, int]:
    """First and last ring point on a straight piece of the outline, counter-clockwise."""
    ends = shapely.LineString(np.array(line) * (length, height))
    on = shapely.distance(shapely.points(ring), ends) < 0.05
    if on.all() or on.sum() < 2:
        raise AssertionError("the van's outline has lost a straight piece")
    start = int(np.flatnonzero(on & ~np.roll(on, 1))[0])
    return start, start + int(on.sum()) - 1


def _half(van: Van, way: float, x: Array, z: Array) -> Array:
    """Half the body's width, towards the back (way 1) or the front: narrower towards the roof, the nose."""
    up = np.clip((z / van.height_mm - 0.42) / 0.58, 0, 1)
    ahead = np.clip((-x / van.length_mm - 0.2) / 0.3, 0, 1)
    return np.asarray(way * van.width_mm / 2 * (1 - 0.1 * up**2 - 0.09 * ahead**2))


def _side_details(van: Van) -> tuple[tuple[Inset, ...], tuple[ClearZone, ...]]:
    """Windows and door seams of the left side, on its sheet (u = x, v from half height)."""
    scale = np.array([van.length_mm, van.height_mm])

    def shape(*corners: tuple[float, float]) -> shapely.Polygon:
        points = (np.array(corners) - (0.0, 0.5)) * scale
        return shapely.Polygon(points).buffer(-30).buffer(30, quad_segs=6)

    panes = [shape((-0.325, 0.6), (-0.145, 0.6), (-0.145, 0.9), (-0.235, 0.9))]
    if van.windows == "minibus":
        for left, right in ((-0.115, 0.06), (0.085, 0.26), (0.285, 0.455)):
            panes.append(shape((left, 0.6), (right, 0.6), (right, 0.9), (left, 0.9)))
    doors = [
        [
            (-0.35, 0.59),
            (-0.385, 0.42),
            (-0.225, 0.2),
            (-0.13, 0.2),
            (-0.13, 0.93),
            (-0.24, 0.93),
            (-0.35, 0.59),
        ],
        [(-0.115, 0.93), (-0.115, 0.2), (0.075, 0.2), (0.075, 0.93)],
    ]
    lines, pieces = [], []
    for door in doors:
        points = (np.array(door) - (0.0, 0.5)) * scale
        lines.append(shapely.LineString(points).buffer(SEAM_MM / 2, quad_segs=4, join_style="mitre"))
        pieces += [shapely.LineString(ends) for ends in pairwise(points)]
    seams = shapely.difference(shapely.union_all(lines), shapely.union_all(panes).buffer(8.0))
    seam_parts = [part for part in shapely.get_parts(seams) if part.area > 1.0]
    insets = (
        Inset("windows", "detail", shapely.MultiPolygon(panes), -6.0),
        Inset("door seams", "detail", shapely.MultiPolygon(seam_parts), -SEAM_DEEP_MM),
    )
    zones = [ClearZone("windows", pane.buffer(KEEP_MM, quad_segs=3)) for pane in panes]
    zones += [ClearZone("door seams", piece.buffer(KEEP_MM, quad_segs=2)) for piece in pieces]
    return insets, tuple(zones)


def _with_ends(van: Van, sheet: Sheet) -> Sheet:
    """Rear windows and doors, and lamps, on the flat ends."""
    width, height = van.width_mm, van.height_mm
    low, high = sheet.border.bounds[1], sheet.border.bounds[3]
    if sheet.side.name == "rear":
        tall = 0.28 * height
        one = rectangle(0.33 * width, tall, 40, detail=Detail.FINE)[0]
        up = high - 0.09 * height - tall / 2
        panes = [shapely.Polygon(one + (way * 0.205 * width, up)) for way in (-1, 1)]
        split = shapely.box(-SEAM_MM / 2, low + 40, SEAM_MM / 2, high - 60)
        lamps = [
            shapely.Polygon(
                rectangle(70, 0.16 * height, 18, detail=Detail.FINE)[0]
                + (way * 0.42 * width, low + 0.3 * height)
            )
            for way in (-1, 1)
        ]
        insets: tuple[Inset, ...] = (
            Inset("windows", "detail", shapely.MultiPolygon(panes), -5.0),
            Inset("door seams", "detail", shapely.MultiPolygon([split]), -SEAM_DEEP_MM),
            Inset("lamps", "rim", shapely.MultiPolygon(lamps), 4.0),
        )
        zones = [ClearZone("windows", pane.buffer(KEEP_MM, quad_segs=3)) for pane in panes]
        zones.append(ClearZone("door seams", split.buffer(KEEP_MM, quad_segs=2)))
        zones += [ClearZone("lamps", lamp.buffer(KEEP_MM, quad_segs=3)) for lamp in lamps]
        return replace(sheet, insets=insets, side=replace(sheet.side, clear=tuple(zones)))  # type: ignore[type-var]
    if sheet.side.name == "nose":
        lamps = [
            shapely.Polygon(
                rectangle(230, 130, 40, detail=Detail.FINE)[0] + (way * 0.32 * width, high - 130)
            )
            for way in (-1, 1)
        ]
        grille = shapely.Polygon(rectangle(0.36 * width, 90, 20, detail=Detail.FINE)[0] + (0.0, high - 150))
        insets = (
            Inset("lamps", "rim", shapely.MultiPolygon(lamps), 4.0),
            Inset("grille", "detail", shapely.MultiPolygon([grille]), -6.0),
        )
        zones = [ClearZone("lamps", lamp.buffer(KEEP_MM, quad_segs=3)) for lamp in lamps]
        zones.append(ClearZone("grille", grille.buffer(KEEP_MM, quad_segs=3)))
        return replace(sheet, insets=insets, side=replace(sheet.side, clear=tuple(zones)))  # type: ignore[type-var]
    return sheet


def _wheels(van: Van, *, detail: Detail) -> tuple[Shell, ...]:
    """Four tyres with their hubs."""
    radius, wide = van.wheel_mm / 2, 215.0
    tyre = rectangle(2 * radius, 2 * radius, radius, detail=detail)[0]
    hub = rectangle(1.24 * radius, 1.24 * radius, 0.62 * radius, detail=detail)[0]
    shells = []
    for axle in AXLES:
        for way in (-1.0, 1.0):
            outer = way * (van.width_mm / 2 * (0.985 if axle > 0 else 0.955) - 12)
            name = f"{'rear' if axle > 0 else 'front'} {'left' if way < 0 else 'right'}"
            spot = np.array([axle * van.length_mm, outer if way < 0 else outer - wide, radius])
            # pushed along y: z x x = y
            shells.append(Shell(f"{name} tyre", "detail", prism(tyre, spot, Z, X, wide), f"{name} tyre"))
            face = np.array([spot[0], outer - 14 if way < 0 else outer - wide / 2, radius])
            shells.append(Shell(f"{name} hub", "rim", prism(hub, face, Z, X, wide / 2 + 14), f"{name} hub"))
    return tuple(shells)
