"""Carving with a V cutter: its tip follows the middle of the strokes, as deep as their width lets it.

At a point of the medial axis the largest circle within the region has radius r; the cutter's flanks touch
both edges where its tip is r / tan(angle / 2) deep (elementary geometry). Distances are worked out exactly
at every point of the way, so that it never cuts beyond the outline.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.later import spatial
from kilnchisel.core.lettering.centrelines import branches_of
from kilnchisel.core.lettering.polygons import polygons_in, rings_of, sampled
from kilnchisel.core.shop.paths.order import in_short_order, spans
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

WAY_MM, OUTLINE_MM = 0.2, 0.25  # from point to point of the way, and of the outline at the widest
STROKE_SHARE = 1 / 10  # of a stroke: the same for narrow ones
LEAST_STEP_MM = 0.01
SEEN_RAD = 0.35  # both edges are seen from the middle at least so far apart
SHARP_RAD = 0.2  # what turns less is no corner
LET_MM = 1e-4  # the cutter stays so far within the outline


def v_ways(region: shapely.Geometry, tool: Tool, deepest_mm: float) -> list[Array]:
    """The tip's ways (n, 3) over a region, z from 0 down, at most ``deepest_mm``. Where a stroke is wider
    than the cutter gets at that depth, the way goes round what is left in its middle."""
    ways: list[Array] = []
    most = tool.reach(deepest_mm)
    for part in polygons_in(region):
        edge = part.boundary
        shapely.prepare(edge)
        for line in _medial(part):
            fine = np.asarray(shapely.segmentize(shapely.LineString(line), WAY_MM).coords)
            far = shapely.distance(shapely.points(fine), edge)
            ways += _deep(fine, far, tool, most)
        for ring in rings_of(floor_of(part, tool, deepest_mm)):
            closed = np.vstack([ring, ring[:1]])
            fine = np.asarray(shapely.segmentize(shapely.LineString(closed), WAY_MM * 5).coords)
            ways.append(np.column_stack([fine, -_depth(np.full(len(fine), most), tool)]))
    return in_short_order(ways)


def floor_of(region: shapely.Geometry, tool: Tool, deepest_mm: float) -> shapely.Geometry:
    """What of a region a V cutter leaves in the middle of its widest strokes at its greatest depth."""
    return shapely.buffer(region, -tool.reach(deepest_mm), quad_segs=32)


def _depth(radius: Array, tool: Tool) -> Array:
    """How deep a tip goes where both edges are so far, (n,)."""
    return np.asarray(np.maximum(radius - LET_MM - tool.tip_mm / 2, 0.0) * tool.slope)


def _deep(line: Array, far: Array, tool: Tool, most: float) -> list[Array]:
    """A line with its depths, without what is wider than the cutter gets."""
    depth = _depth(np.minimum(far, most), tool)
    made = [np.column_stack([line[a:b], -depth[a:b]]) for a, b in spans(far <= most + WAY_MM) if b - a > 1]
    return [one for one in made if one[:, 2].min() < 0]


def _medial(part: shapely.Polygon) -> list[Array]:
    """The medial axis of a part in chains of points (n, 2), run out into its corners."""
    stroke = 2 * part.area / max(part.length, 1e-9)
    step = float(np.clip(stroke * STROKE_SHARE, LEAST_STEP_MM, OUTLINE_MM))
    outline = np.concatenate([sampled(ring, step) for ring in rings_of(part)])
    if len(outline) < 4:
        return []
    cells = spatial.Voronoi(outline)
    ridges, pairs = np.array(cells.ridge_vertices), cells.ridge_points
    inner = (ridges >= 0).all(axis=1)
    ridges, pairs, points = ridges[inner], pairs[inner], cells.vertices
    shapely.prepare(part)
    inside = shapely.contains_xy(part, points[:, 0], points[:, 1])
    gap = np.linalg.norm(outline[pairs[:, 0]] - outline[pairs[:, 1]], axis=1)
    far = np.linalg.norm(points[ridges].mean(axis=1) - outline[pairs[:, 0]], axis=1)
    seen = 2 * np.arcsin(np.clip(gap / (2 * np.maximum(far, 1e-12)), 0, 1))
    kept = ridges[inside[ridges].all(axis=1) & (seen > SEEN_RAD)]
    chains = branches_of(points, kept)
    corners = _corners(part)
    if not len(corners):
        return chains
    tree = spatial.cKDTree(corners)
    reach = 2.5 * step
    ends: list[Array] = []
    for chain in chains:
        first, last = tree.query(chain[0], distance_upper_bound=reach), tree.query(chain[-1])
        line = chain
        if np.isfinite(first[0]) and first[0] > 1e-9:
            line = np.vstack([corners[first[1]], line])
        if last[0] < reach and last[0] > 1e-9:
            line = np.vstack([line, corners[last[1]]])
        ends.append(line)
    return ends


def _corners(part: shapely.Polygon) -> Array:
    """The corners of a part that point out of it, (n, 2)."""
    found = []
    for points in rings_of(part):  # they run so that the part lies on their left
        ways = np.diff(np.vstack([points, points[:1]]), axis=0)
        angle = np.arctan2(ways[:, 1], ways[:, 0])
        turn = (angle - np.roll(angle, 1) + np.pi) % (2 * np.pi) - np.pi
        found.append(points[turn > SHARP_RAD])
    return np.concatenate(found) if found else np.empty((0, 2))
