"""The surface over a region whose height changes with the distance from its outline.

Triangles over the region's own border and points inside it: on its medial axis, where distances are
greatest, and along the lines where the height bends. Delaunay's triangulation, with edges of the border
that it lacks put in.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import among, border_edges, distinct, edges_of
from kilnchisel.core.blanks.net import points_over
from kilnchisel.core.crafts.sheet import one_way, triangulated
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import csgraph, sparse, spatial
from kilnchisel.core.lettering.nearness import distances_to
from kilnchisel.core.lettering.outline import Layer, plainer
from kilnchisel.core.lettering.polygons import as_region, polygons_in, stroke_mm
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

FINE, ROUGH = 5.0, 1.4  # points along a border to the mean width of a stroke
MEDIAL = 8.0  # the same for the medial axis
LEVEL = 1.5  # points along a level line are farther apart than those lines, so many times
MEDIAL_TURN = np.radians(25)  # generators of the medial axis are seen under a wider angle from it
HAIR = 3e-4  # of the way between points along a border
CLOSE = 0.25  # of the way from line to line: what each may be off
ON_EDGE_MM = 1e-6
MOST_MISSING = 400  # edges of a border that are put in one by one


def border_step(layer: Layer, deepest: float, *, detail: Detail) -> float:
    """How far apart the points of an outline may be for an even slope down to ``deepest``: closer than
    the points inside, so that its edges are among the triangles' own."""
    step = stroke_mm(layer.region) / (ROUGH if detail.rough else FINE)
    return float(np.clip(1.5 * deepest, step / 5, step))


@remembered
def widest_mm(layer: Layer) -> float:
    """How far the inmost point of a layer is from its outline."""
    points = medial_points(layer, detail=Detail.FINE)
    return float(points[:, 2].max(initial=0.0))


@remembered
def medial_points(layer: Layer, *, detail: Detail) -> Array:
    """Points on the medial axis of a layer's region with their distance from the outline, (n, 3).

    The corners of the Voronoi cells of points along the outline, those near the outline left out.
    """
    region = layer.region
    if region.is_empty:
        return np.empty((0, 3))
    step = stroke_mm(region) / (ROUGH if detail.rough else MEDIAL)
    outline = shapely.segmentize(region.boundary, step)
    samples = np.round(shapely.get_coordinates(outline), 9)
    samples = samples[distinct(samples)[0]]
    cells = spatial.Voronoi(samples)
    corners = cells.vertices
    shapely.prepare(region)
    inside = shapely.contains_xy(region, corners[:, 0], corners[:, 1])
    # a corner that sees its generators within a narrow angle stands between samples of a smooth curve
    pairs, ridge = cells.ridge_points, np.array(cells.ridge_vertices)
    ends = (ridge >= 0).all(axis=1)
    apart = np.linalg.norm(samples[pairs[ends, 0]] - samples[pairs[ends, 1]], axis=1)
    wide = np.zeros(len(corners))
    for end in range(2):
        at = ridge[ends, end]
        away = np.linalg.norm(corners[at] - samples[pairs[ends, 0]], axis=1)
        np.maximum.at(wide, at, 2 * np.arcsin(np.clip(apart / 2 / np.maximum(away, 1e-12), 0, 1)))
    kept = corners[inside & (wide > MEDIAL_TURN)]
    far = distances_to(region.boundary, kept)
    clear = far > 0.2 * step
    kept, far = kept[clear], far[clear]
    cell = np.rint(kept / (0.7 * step)).astype(np.int64)
    first = distinct(cell)[0]
    along = _along_ridges(samples, corners, pairs[ends], ridge[ends], inside, step)
    there = distances_to(region.boundary, along)
    return np.concatenate([np.column_stack([kept[first], far[first]]), np.column_stack([along, there])])


def _along_ridges(
    samples: Array, corners: Array, pairs: Array, ridges: Array, inside: Array, step: float
) -> Array:
    """Points along the long edges of Voronoi cells (k, 2) that lie within, where strokes meet: their ends
    alone would leave the ridge between them out."""
    first, last = corners[ridges[:, 0]], corners[ridges[:, 1]]
    long = np.linalg.norm(last - first, axis=1)
    away = np.linalg.norm((first + last) / 2 - samples[pairs[:, 0]], axis=1)
    apart = np.linalg.norm(samples[pairs[:, 0]] - samples[pairs[:, 1]], axis=1)
    seen = 2 * np.arcsin(np.clip(apart / 2 / np.maximum(away, 1e-12), 0, 1))
    which = inside[ridges].all(axis=1) & (long > step) & (seen > MEDIAL_TURN)
    count = np.ceil(long[which] / step).astype(int) - 1
    owner = np.repeat(np.flatnonzero(which), count)
    number = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count) + 1
    share = (number / (np.repeat(count, count) + 1))[:, None]
    return np.asarray(first[owner] * (1 - share) + last[owner] * share)


@remembered
def inner_points(layer: Layer, deepest: float, *, detail: Detail) -> Array:
    """Points inside a layer that an even slope down to ``deepest`` from its outline needs, and how far
    inside it they are, as near as its corners are drawn round, (n, 3): the medial axis, the line where the
    slope ends, and lines between."""
    region = layer.region
    if region.is_empty:
        return np.empty((0, 3))
    step = stroke_mm(region) / (ROUGH if detail.rough else FINE)
    medial = medial_points(layer, detail=detail)
    end = shapely.buffer(region, -deepest, quad_segs=6)
    # where the slope ends, what is nearly as deep gives way to the line along which it does
    most = np.inf if end.is_empty else deepest - 0.1 * step
    found = [medial[medial[:, 2] < most], _at(_along(end, step), deepest)]
    # round a bend the slope is part of a cone: lines between follow it
    between = int(min(deepest, float(medial[:, 2].max(initial=0.0))) / step)
    for k in range(1, between + 1):
        line = _along(shapely.buffer(region, -k * step, quad_segs=6), step)
        if len(line) and len(medial):
            line = line[spatial.cKDTree(medial[:, :2]).query(line)[0] > 0.4 * step]
        found.append(_at(line, k * step))
    return _thinned(np.concatenate(found), 0.1 * step)


@remembered
def level_points(layer: Layer, distances: tuple[float, ...], *, detail: Detail) -> Array:
    """Points along the lines so far inside a layer's outline, outside where that is below zero, (n, 3) with
    how far: a profile that bends at them, where letters are cut and its terraces are not whole."""
    step = stroke_mm(layer.region) / (ROUGH if detail.rough else FINE)
    between = np.diff(np.sort(distances))
    apart = float(np.clip(LEVEL * between.min(initial=step), step / 6, step))
    lines = [_at(_along(shapely.buffer(layer.region, -far, quad_segs=6), apart), far) for far in distances]
    return _thinned(np.concatenate([np.empty((0, 3)), *lines]), 0.2 * apart)


def _at(points: Array, far: float) -> Array:
    """Points (n, 2) with how far all of them are inside the outline, (n, 3)."""
    return np.column_stack([points, np.full(len(points), far)])


MOST_FIELD_POINTS = 1_200_000


@remembered
def field_points(layer: Layer, step: float) -> Array:
    """Points all over a layer's region, about ``step`` apart, clear of its outline, (n, 2). Raises
    KilnError where there would be too many."""
    count = layer.region.area / step**2
    if count > MOST_FIELD_POINTS:
        wider = step * (count / MOST_FIELD_POINTS) ** 0.5
        raise KilnError(
            f"A texture as fine as this takes {count / 1e6:.1f} million points; the most is "
            f"{MOST_FIELD_POINTS / 1e6:.1f}. Make its marks {wider / step:.1f} times as large."
        )
    return points_over(shapely.buffer(layer.region, -0.6 * step), step)


def _along(region: Any, step: float) -> Array:
    """Points along a region's outline, about ``step`` apart."""
    if region.is_empty:
        return np.empty((0, 2))
    plain = shapely.simplify(region, 0.02 * step)
    return np.asarray(shapely.get_coordinates(shapely.segmentize(plain.boundary, step)))


def _thinned(points: Array, step: float) -> Array:
    """The points without those that share a cell of a grid with an earlier one."""
    if len(points) == 0:
        return points
    cell = np.rint(points[:, :2] / step).astype(np.int64)
    return np.asarray(points[np.sort(distinct(cell)[0])])


@dataclass(frozen=True, eq=False)
class Terraces:
    """What is inside the first line along which a layer's height bends: ``first``, the region within it,
    and its triangles, with all further lines among their edges: points (n, 2), faces (m, 3), for each its
    polygon of ``first``, (m,), and how far each point is from the outline, (n,)."""

    first: shapely.MultiPolygon
    points: Array
    faces: Array
    owner: Array
    far: Array


@remembered
def terraces(layer: Layer, distances: tuple[float, ...], *, detail: Detail) -> Terraces:
    """The lines of equal distance from a layer's outline, ascending, and triangles between them."""
    # the outline itself has another round it, which it must not stray over
    region = plainer(layer.region) if detail.rough and 0.0 not in distances else layer.region
    step = stroke_mm(region) / (ROUGH if detail.rough else FINE)
    # no coarser than the lines are apart, or they would cross each other and the outline
    close = float(np.diff(np.unique((0.0, *distances))).min(initial=step))
    plainer_by = min((0.04 if detail.rough else 0.01) * step, CLOSE * close)
    lines: list[shapely.MultiPolygon] = []
    for distance in distances:
        if distance == 0:
            plain = shapely.segmentize(region, step)  # the outline itself, whole
        else:
            # a hair farther: strokes just so wide would leave a line of no width, which has no triangles
            inside = shapely.buffer(region, -(distance + HAIR * step), quad_segs=6)
            plain = shapely.segmentize(shapely.simplify(inside, plainer_by), step)
        if lines:
            plain = shapely.intersection(plain, lines[-1].buffer(-min(0.02 * step, CLOSE * close)))
        lines.append(as_region([plain]))
        if plain.is_empty:
            break
    if not lines or lines[0].is_empty:
        none = np.empty((0, 3), dtype=np.int64)
        return Terraces(shapely.MultiPolygon(), np.empty((0, 2)), none, none[:, 0], np.empty(0))
    bands = []
    for outer, inner in itertools.pairwise(lines):
        bands += polygons_in(shapely.difference(outer, inner))
    parts = bands + polygons_in(lines[-1])
    points, faces, part = triangulated(parts, list(range(len(parts))))
    polygons = np.array(polygons_in(lines[0]), dtype=object)
    spots, found = shapely.STRtree(polygons).query(shapely.point_on_surface(parts), predicate="intersects")
    owner = np.zeros(len(parts), dtype=np.int64)
    owner[spots] = found
    far = _by_line(lines, distances, points) if detail.rough else distances_in(region, points)
    return Terraces(lines[0], points, faces.astype(np.int64), owner[part], far)


def _by_line(lines: list[shapely.MultiPolygon], distances: tuple[float, ...], points: Array) -> Array:
    """How far points are inside an outline by the line each is on: as near as the lines were simplified."""
    corners = [shapely.get_coordinates(line) for line in lines]
    known = np.repeat(distances[: len(lines)], [len(some) for some in corners])
    return np.asarray(known[spatial.cKDTree(np.concatenate(corners)).query(points)[1]])


def _prepared(geometry: Any) -> Any:
    shapely.prepare(geometry)
    return geometry


def distances_in(region: shapely.MultiPolygon, points: Array) -> Array:
    """How far points (n, 2) are inside a region's outline; below zero outside, 0 on it."""
    far = distances_to(region.boundary, points)
    far[far < ON_EDGE_MM] = 0.0
    inside = shapely.contains_xy(_prepared(region), points[:, 0], points[:, 1])
    return np.asarray(np.where(inside, far, -far))


def roof_faces(points: Array, border: Array) -> Array | None:
    """Triangles (m, 3), counter-clockwise, over the region on the left of directed edges (k, 2).

    points (n, 2): those of the border and any inside it. None where no triangulation has all its edges.
    A few edges are put into scipy's triangulation by hand: shapely's constrained one takes no inner points.
    """
    faces = spatial.Delaunay(points).simplices.astype(np.int64)  # counter-clockwise
    size = len(points)
    for _ in range(3):
        have = _keys(edges_of(faces), size)
        missing = border[~among(_keys(border, size), have)]
        if len(missing) == 0:
            break
        if len(missing) > MOST_MISSING:
            return None
        boxes = _boxes(points[faces])
        for start, end in missing.tolist():
            _put_edge(points, faces, boxes, start, end)
    return _left_of(faces, border, size)


def _keys(edges: Array, size: int) -> Array:
    """A number for each edge, whichever way it runs."""
    return np.asarray(edges.min(axis=1).astype(np.int64) * size + edges.max(axis=1))


def _boxes(corners: Array) -> Array:
    """Left, right, bottom, top of triangles (n, 3, 2), in rows (4, n)."""
    x, y = corners[:, :, 0], corners[:, :, 1]
    return np.stack([x.min(axis=1), x.max(axis=1), y.min(axis=1), y.max(axis=1)])


def _put_edge(points: Array, faces: Array, boxes: Array, start: int, end: int) -> None:
    """One more edge in a triangulation: the triangles that it crosses are taken out, and the gaps on both
    sides of it filled by ear clipping. ``faces`` and their ``boxes`` are changed in place."""
    a, b = points[start], points[end]
    (left, low), (right, high) = np.minimum(a, b), np.maximum(a, b)
    near = np.flatnonzero((boxes[1] >= left) & (boxes[0] <= right) & (boxes[3] >= low) & (boxes[2] <= high))
    crossed = []
    for row in near.tolist():
        for i in range(3):
            p, q = int(faces[row, i]), int(faces[row, (i + 1) % 3])
            if {p, q} & {start, end}:
                continue
            if _across(a, b, points[p], points[q]):
                crossed.append(row)
                break
    if not crossed:
        return
    cavity = faces[crossed]
    after = dict(border_edges(cavity).tolist())
    halves = []
    for first, last in ((start, end), (end, start)):
        ring, at = [first], first
        while at != last:
            at = after.get(at, -1)
            if at < 0 or len(ring) > len(after):
                return  # the gap is no simple ring: leave it
            ring.append(at)
        halves.append(ring)
    fresh = []
    for ring in halves:
        if len(ring) < 3:
            return
        flat = np.ascontiguousarray(points[ring])
        ears = mapbox_earcut.triangulate_float64(flat, np.array([len(ring)], dtype=np.uint32))
        fresh.append(one_way(points, np.array(ring)[ears.astype(np.int64).reshape(-1, 3)]))
    new = np.concatenate(fresh)
    if len(new) != len(crossed):
        return  # points on the edge or in the gap: leave it
    faces[crossed] = new
    boxes[:, crossed] = _boxes(points[new])


def _across(a: Array, b: Array, p: Array, q: Array) -> bool:
    """Whether two segments cross between their ends."""

    def side(u: Array, v: Array, w: Array) -> float:
        return float((v[0] - u[0]) * (w[1] - u[1]) - (v[1] - u[1]) * (w[0] - u[0]))

    return side(a, b, p) * side(a, b, q) < 0 and side(p, q, a) * side(p, q, b) < 0


def _left_of(faces: Array, border: Array, size: int) -> Array | None:
    """The faces on the left of the border, found by crossing all edges but those; None where the border
    does not part them."""
    edges = edges_of(faces)
    keys = _keys(edges, size)
    face = np.tile(np.arange(len(faces)), 3)
    order = np.argsort(keys, kind="stable")
    twin = keys[order][1:] == keys[order][:-1]
    first, second = face[order[:-1][twin]], face[order[1:][twin]]
    fence = among(keys[order[:-1][twin]], _keys(border, size))
    links = sparse.coo_matrix(
        (np.ones(int((~fence).sum())), (first[~fence], second[~fence])), shape=(len(faces), len(faces))
    )
    number, group = csgraph.connected_components(links, directed=False)
    wanted = border.astype(np.int64) @ [size, 1]
    wide = np.zeros(number, dtype=bool)
    wide[group[face[among(edges @ [size, 1], wanted)]]] = True
    kept = faces[wide[group]]
    outline = border_edges(kept) @ [size, 1]
    if len(outline) != len(wanted) or not among(outline, wanted).all():
        return None
    return np.asarray(kept)
