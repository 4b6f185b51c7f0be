"""Pockets cleared in rings, and outlines cut round with tabs that hold them."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import as_region, polygons_in, run_of
from kilnchisel.core.shop.paths.entry import come_down, led, linked
from kilnchisel.core.shop.paths.order import rings_in_order
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

OVERLAP = 0.45  # of a cutter's diameter: from ring to ring (common practice)
ROUND = 24  # pieces of a quarter circle
PLAIN_MM = 0.002  # how far a ring may leave the true offset
LET_MM = 0.005  # how far a way in may leave the room it has
LEAST_REST_MM2 = 0.01


def rings_over(region: shapely.Geometry, tool: Tool) -> list[Array]:
    """Ways (n, 2) of a flat cutter's middle that clear a region it fits into, from the middle of each
    pocket outwards, ring into ring, ending along its edge."""
    pockets = polygons_in(shapely.buffer(region, -tool.radius_mm, quad_segs=ROUND))
    made: list[Array] = []
    for pocket in pockets:
        made += from_the_middle(pocket, tool)
    return made


def from_the_middle(room: shapely.Geometry, tool: Tool) -> list[Array]:
    """Ways (n, 2) over all the room that a cutter's middle has, the inmost ring first, joined to those
    round it where there is room."""
    rings: list[list[Array]] = []
    inner, apart = room, OVERLAP * tool.diameter_mm
    while not inner.is_empty:
        rings.append(rings_in_order(shapely.simplify(inner, PLAIN_MM)))
        inner = shapely.buffer(inner, -apart, quad_segs=ROUND)
    return linked([ring for outline in reversed(rings) for ring in outline], room, apart + 4 * PLAIN_MM)


def reached(region: shapely.Geometry, tool: Tool) -> shapely.Geometry:
    """What of a region a flat cutter clears."""
    inner = shapely.buffer(region, -tool.radius_mm, quad_segs=ROUND)
    return shapely.buffer(inner, tool.radius_mm, quad_segs=ROUND)


def rest_of(region: shapely.Geometry, tool: Tool) -> shapely.Geometry:
    """What of a region a flat cutter leaves, where it is worth a smaller one."""
    left = shapely.buffer(region, -1e-4).difference(shapely.buffer(reached(region, tool), 2e-3))
    return as_region([part for part in polygons_in(left) if part.area > LEAST_REST_MM2])


def rest_rings(region: shapely.Geometry, rest: shapely.Geometry, tool: Tool) -> list[Array]:
    """Ways of a smaller cutter over what a larger one has left of a region: parts of the rings by which it
    would clear all of it."""
    near = shapely.buffer(rest, tool.diameter_mm)
    made = []
    for ring in rings_over(region, tool):
        for piece in shapely.get_parts(shapely.LineString(ring).intersection(near)):
            if piece.geom_type == "LineString" and piece.length > 0:
                made.append(np.asarray(piece.coords))
    return _joined(made)


def _joined(pieces: list[Array]) -> list[Array]:
    """Lines, those that meet end to end in one."""
    if not pieces:
        return []
    merged = shapely.line_merge(shapely.MultiLineString(pieces))
    return [np.asarray(one.coords) for one in shapely.get_parts(merged)]


def in_levels(ways: list[Array], depth_mm: float, step_mm: float) -> list[Array]:
    """Ways (n, 2) at one depth after the other, (n, 3), the last at ``depth_mm``, each come down to along
    itself."""
    levels = levels_to(depth_mm, step_mm)
    return [come_down(way, above, z) for above, z in pairwise(levels) for way in ways]


def levels_to(depth_mm: float, step_mm: float) -> list[float]:
    """0 and the heights of passes no deeper than a step, the last at ``-depth_mm``."""
    count = max(int(np.ceil(depth_mm / step_mm - 1e-9)), 1)
    return [-depth_mm * k / count for k in range(count + 1)]


def profile_ways(
    region: shapely.Geometry,
    tool: Tool,
    depth_mm: float,
    step_mm: float,
    tabs: tuple[int, float, float],
    *,
    inside: bool,
) -> list[Array]:
    """Ways (n, 3) round a region, outside of what it is or inside of an opening, counters before what they
    are in; each comes in from beside, where there is room, and leaves so. ``tabs``: how many to a line,
    their width and their height above the bottom, mm."""
    by = -tool.radius_mm if inside else tool.radius_mm
    moved = shapely.buffer(region, by, quad_segs=ROUND)
    room = shapely.buffer(moved, LET_MM if inside else -LET_MM)
    if not inside:
        room = shapely.box(*room.bounds).buffer(2 * tool.diameter_mm).difference(room)
    made = []
    for ring in rings_in_order(shapely.simplify(moved, PLAIN_MM)):
        into, line, out = led(ring, room, tool.radius_mm)
        for above, z in pairwise(levels_to(depth_mm, step_mm)):
            if not len(into):  # no room beside it, and along itself there are tabs
                begin = np.append(line[0], above)[None]
                made.append(np.concatenate([begin, _tabbed(line, z, depth_mm, tool, tabs)]))
                continue
            after = np.column_stack([out, np.full(len(out), z)])[1:]
            before = come_down(into, above, z)[:-1]
            made.append(np.concatenate([before, _tabbed(line, z, depth_mm, tool, tabs), after]))
    return made


def _tabbed(ring: Array, z: float, depth_mm: float, tool: Tool, tabs: tuple[int, float, float]) -> Array:
    return _with_tabs(np.column_stack([ring, np.full(len(ring), z)]), depth_mm, tool, tabs)


def _with_tabs(way: Array, depth_mm: float, tool: Tool, tabs: tuple[int, float, float]) -> Array:
    """A closed way at one level, lifted over its tabs where it is below their tops."""
    count, width, height = tabs
    top = -depth_mm + height
    if count == 0 or way[0, 2] >= top:
        return way
    far = run_of(way[:, :2])
    span = width + tool.diameter_mm  # the cutter is round: the tab is left between two cuts
    if far[-1] < count * (span + tool.diameter_mm):
        count = max(int(far[-1] / (span + tool.diameter_mm)), 0)
    if count == 0:
        return way
    middles = far[-1] * (np.arange(count) + 0.5) / count
    marks = np.concatenate([middles - span / 2, middles + span / 2])
    at = np.union1d(far, np.repeat(marks, 2) + np.tile([-1e-6, 1e-6], len(marks)))
    x, y = (np.interp(at, far, way[:, axis]) for axis in (0, 1))
    lifted = (np.abs(at[:, None] - middles) < span / 2).any(axis=1)
    return np.column_stack([x, y, np.where(lifted, top, way[0, 2])])
