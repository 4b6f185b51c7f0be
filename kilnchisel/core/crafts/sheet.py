"""The strip-cut sheet: a side's sheet divided into lettered regions and ground, meshed without booleans.

The sheet is cut into strips along u (one piece on a flat side; a side that bends both ways has a net of
triangles instead, see ``netcut``). Letters are cut by the same lines, the
ground is what is left of each strip, and both are triangulated on the same points. Regions are then
raised or sunk and closed with walls that stand exactly on the outlines, so the surface stays closed
whatever the height. Along u a strip departs from the curved side by du²/8R at most.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet
from kilnchisel.core.blanks.mesh import among, compacted, doubled_areas, edges_of, open_edges
from kilnchisel.core.blanks.net import KEEP_OFF_MM, Net
from kilnchisel.core.crafts.netcut import net_pieces
from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.polygons import as_region, polygons_in

Array = NDArray[Any]
Clip = Callable[[shapely.Polygon, float, float, float, float], shapely.Geometry]

GROUND = -1
SNAP_MM = 1e-6  # outline points this close to a strip line are put on it
KEY_MM = 1e-7  # points closer than this are one point of the sheet
TRIES = 6
NUDGE_MM = 3.7e-5
CLEAR_OF_LINES_MM = 1e-5
SHAKE_MM = 2e-8
THIN_MM2 = 1e-6  # a triangle with less area may turn over when its corners are shaken
GRID_MM = 1e-6  # where outlines cross each other, their points are brought to this grid


@dataclass(frozen=True, eq=False)
class CutSheet:
    """A meshed sheet.

    points (n, 2) mm on the sheet; faces (m, 3) counter-clockwise; label (m,): index of the region
    of each face, or GROUND; walls (k, 2): directed point pairs with the region on their left;
    wall_label (k,). parent (m,): the face of the sheet's net that each is from, None without a net; the
    net's own points come first.
    """

    points: Array
    faces: Array
    label: Array
    walls: Array
    wall_label: Array
    parent: Array | None = None


def cut_sheet(sheet: Sheet, regions: Sequence[shapely.MultiPolygon]) -> CutSheet:
    """Divide the sheet among ``regions`` (sheet mm, may run past the seam) and ground.

    Where regions overlap, the later one has it. What lies outside the border is dropped. Raises
    KilnError if no closed division is found.
    """
    nudges = _nudges(sheet, regions)
    for attempt, nudge in enumerate(nudges):
        # along v as well where there is a net, each time by another amount
        up = 0.0 if sheet.net is None else NUDGE_MM * (attempt + 0.37)
        trimmed = [_trimmed(sheet, _shifted(region, nudge, up)) for region in regions]
        try:
            result = _cut(sheet, layered(trimmed), attempt)
        except shapely.errors.GEOSException:
            continue  # a division that geometry cannot settle: another place may be clear
        if _closed(sheet, result):
            return result
    raise KilnError("The lettering could not be cut into the surface; move it by 0.1 mm.")


def _nudges(sheet: Sheet, regions: Sequence[shapely.MultiPolygon]) -> list[float]:
    """Shifts along u to try, mm, best first.

    A corner that falls exactly on a strip line can leave a point in the middle of an edge; a shift
    far below any tolerance takes it off the line.
    """
    if sheet.net is not None:
        return [NUDGE_MM * k for k in range(TRIES)]
    if len(sheet.cuts) == 0:
        return [0.0]
    u = np.concatenate([shapely.get_coordinates(region)[:, 0] for region in regions] or [[]])
    if len(u) == 0:
        return [0.0]
    step = (sheet.cuts[-1] - sheet.cuts[0]) / (len(sheet.cuts) - 1)

    def nearest(nudge: float) -> float:
        place = (u + nudge - sheet.cuts[0]) / step
        return float(np.abs(place - np.rint(place)).min() * step)

    if nearest(0.0) > CLEAR_OF_LINES_MM:
        return [0.0, NUDGE_MM]
    shifts = [NUDGE_MM * k for k in range(1, TRIES + 1)]
    return sorted(shifts, key=nearest, reverse=True)


def _shifted(region: shapely.MultiPolygon, du: float, dv: float) -> shapely.MultiPolygon:
    return region if du == 0 and dv == 0 else shapely.transform(region, lambda p: p + (du, dv))


def _trimmed(sheet: Sheet, region: shapely.MultiPolygon) -> shapely.MultiPolygon:
    """The region inside the border, brought round the seam where the side is closed."""
    if region.is_empty:
        return region
    period = sheet.side.period
    if period is None:
        inner = sheet.within
        if shapely.covers(inner, region):
            return region
        return as_region([shapely.intersection(region, inner)])
    low_u, low_v, high_u, high_v = sheet.border.bounds
    inner = shapely.box(low_u, low_v + KEEP_OFF_MM, high_u, high_v - KEEP_OFF_MM)
    if shapely.covers(inner, region):
        return region
    turns = np.floor((np.array(region.bounds)[[0, 2]] - low_u) / period).astype(int)
    parts = []
    for turn in range(turns[0], turns[1] + 1):
        moved = shapely.transform(region, lambda p, t=turn: p - (t * period, 0.0))
        parts.append(shapely.intersection(moved, inner))
    return as_region([shapely.union_all(parts)])


def layered(regions: list[shapely.MultiPolygon]) -> list[shapely.MultiPolygon]:
    """Each region without what later ones cover.

    Where regions meet, all their outlines are cut at each other's crossings, so that both sides of a
    shared edge have the same points.
    """
    if len(regions) < 2:
        return regions
    tree = shapely.STRtree(regions)
    first, second = tree.query(regions, predicate="intersects")
    meeting = np.unique(first[first != second]).tolist()
    if not meeting:
        return regions
    lines = shapely.union_all([regions[i].boundary for i in meeting], grid_size=GRID_MM)
    faces = np.array(shapely.get_parts(shapely.polygonize([lines])), dtype=object)
    spots = shapely.point_on_surface(faces)
    owner = np.full(len(faces), GROUND)
    for i in meeting:
        shapely.prepare(regions[i])
        owner[shapely.contains(regions[i], spots)] = i
    return [as_region(faces[owner == i]) if i in meeting else region for i, region in enumerate(regions)]


def _cut(sheet: Sheet, regions: list[shapely.MultiPolygon], attempt: int) -> CutSheet:
    clip: Clip = _clip_fast if attempt == 0 else _clip_sure
    polygons: list[shapely.Polygon] = []
    owners: list[int] = []
    for label, region in enumerate(regions):
        parts = polygons_in(region)
        polygons += parts
        owners += [label] * len(parts)
    if sheet.net is not None:
        points, faces, face_label, parent = cut_net(sheet.net, regions, snapped=attempt % 2 == 0)
        return CutSheet(points, faces, face_label, *region_walls(faces, face_label), parent)
    if len(sheet.cuts) == 0:
        pieces = [(p, o) for p, o in zip(polygons, owners, strict=True)]
        # what meets has its points in common by now, so that nothing needs to be intersected again
        ground = polygons_in(shapely.difference(sheet.border, shapely.coverage_union_all(polygons)))
    else:
        pieces, ground = _in_strips(sheet, polygons, owners, clip)
    parts = [p for p, _ in pieces] + ground
    labels = [o for _, o in pieces] + [GROUND] * len(ground)
    points, faces, face_label = triangulated(parts, labels)
    return CutSheet(points, faces, face_label, *region_walls(faces, face_label))


def cut_net(
    net: Net, regions: list[shapely.MultiPolygon], *, snapped: bool = True
) -> tuple[Array, Array, Array, Array]:
    """The net divided: points (n, 2), the net's own first; faces (m, 3); label and net face of each.

    ``snapped``: as in ``net_pieces``.
    """
    pieces = net_pieces(net, regions, GROUND, snapped=snapped)
    points, faces, label = net.at, net.faces[pieces.whole], pieces.whole_label
    parent = np.flatnonzero(pieces.whole)
    if pieces.parts:
        more, divided, part = triangulated(pieces.parts, list(range(len(pieces.parts))))
        near, _ = compacted(net.faces[~pieces.whole], len(points))
        found = places_among((net.points if snapped else net.at)[near], more)
        fresh = found < 0
        index = np.where(fresh, len(points) + np.cumsum(fresh) - 1, near[found])
        points = np.concatenate([points, more[fresh]])
        faces = np.concatenate([faces, index[divided].astype(np.int32)])
        label = np.concatenate([label, np.array(pieces.labels)[part]])
        parent = np.concatenate([parent, pieces.parents[part]])
    return points, faces, label, parent


def faces_of_points(faces: Array, parent: Array, first: int, count: int) -> Array:
    """For each of ``count`` points that a cut added, numbered from ``first`` on, a face of the net that it
    lies in; ``parent`` (m,): the net's face that each face is from."""
    row = np.zeros(count, dtype=np.int64)
    new = faces >= first
    row[faces[new] - first] = np.broadcast_to(parent[:, None], faces.shape)[new]
    return row


def places_among(known: Array, points: Array) -> Array:
    """For each point (n, 2) the place of the same one among the known, -1 where there is none."""
    _, index = _merged(np.concatenate([known, points]))
    place = np.full(int(index.max()) + 1, -1)
    place[index[: len(known)]] = np.arange(len(known))
    return place[index[len(known) :]]


def _in_strips(
    sheet: Sheet, polygons: list[shapely.Polygon], owners: list[int], clip: Clip
) -> tuple[list[tuple[shapely.Polygon, int]], list[shapely.Polygon]]:
    """Regions and ground, cut at the strip lines.

    Each strip's ground is a box round the letters that reach into it, with those letters as holes,
    cut to the strip; the counters of letters are ground of their own.
    """
    cuts = sheet.cuts
    _, low, _, high = sheet.border.bounds
    if not polygons:
        return [], list(shapely.box(cuts[:-1], low, cuts[1:], high))
    marked = _with_line_points(polygons, cuts)
    whole = _merged_where_touching(marked)
    counters = _counters(whole)
    inked: list[shapely.Geometry] = []
    inks: list[int] = []
    ground: list[shapely.Geometry] = []
    reach: dict[int, list[int]] = {}
    for polygon, owner in zip(marked, owners, strict=True):
        for strip in _strips_of(polygon, cuts):
            inked.append(clip(polygon, cuts[strip], low, cuts[strip + 1], high))
            inks.append(owner)
    for number, polygon in enumerate(whole):
        for strip in _strips_of(polygon, cuts):
            reach.setdefault(strip, []).append(number)
    for counter in counters:
        for strip in _strips_of(counter, cuts):
            ground.append(clip(counter, cuts[strip], low, cuts[strip + 1], high))
    holes = [shapely.get_exterior_ring(polygon) for polygon in whole]
    bounds = shapely.bounds(np.array(whole, dtype=object))
    lefts, rights = bounds[:, 0].tolist(), bounds[:, 2].tolist()
    outermost = _outermost(whole, counters)
    touched = {strip: [n for n in hits if outermost[n]] for strip, hits in reach.items()}
    bare = np.array([k for k in range(len(cuts) - 1) if not touched.get(k)], dtype=int)
    ground += list(shapely.box(cuts[bare], low, cuts[bare + 1], high))
    for strip, inside in touched.items():
        if not inside:
            continue
        left, right = float(cuts[strip]), float(cuts[strip + 1])
        from_u = min(left, *(lefts[n] for n in inside)) - 1.0
        to_u = max(right, *(rights[n] for n in inside)) + 1.0
        shell = [(from_u, low), (to_u, low), (to_u, high), (from_u, high)]
        around = shapely.Polygon(shell, [holes[number] for number in inside])
        ground.append(clip(around, left, low, right, high))
    pieces, of = _polygons_of(inked)
    return [(piece, inks[number]) for piece, number in zip(pieces, of, strict=True)], _polygons_of(ground)[
        0
    ]


def _polygons_of(cut: list[shapely.Geometry]) -> tuple[list[shapely.Polygon], list[int]]:
    """The polygons of geometries, all at once, and which each is from; what else a cut leaves goes."""
    parts, first = shapely.get_parts(np.array(cut, dtype=object), return_index=True)
    parts, second = shapely.get_parts(parts, return_index=True)  # a collection may hold several of several
    keep = (shapely.get_type_id(parts) == shapely.GeometryType.POLYGON) & ~shapely.is_empty(parts)
    return parts[keep].tolist(), first[second[keep]].tolist()


def _merged_where_touching(polygons: list[shapely.Polygon]) -> list[shapely.Polygon]:
    """The same ink with polygons that share an edge made one, as holes of the ground must not touch."""
    first, second = shapely.STRtree(polygons).query(polygons, predicate="intersects")
    if (first == second).all():
        return polygons
    touching = np.unique(first[first != second]).tolist()
    apart = [polygons[number] for number in sorted(set(range(len(polygons))) - set(touching))]
    return apart + polygons_in(shapely.union_all([polygons[number] for number in touching]))


def _strips_of(polygon: shapely.Polygon, cuts: Array) -> range:
    """The numbers of the strips a polygon reaches into."""
    left, _, right, _ = polygon.bounds
    first = int(np.searchsorted(cuts, left, side="right")) - 1
    last = int(np.searchsorted(cuts, right, side="left")) - 1
    return range(max(first, 0), min(last, len(cuts) - 2) + 1)


def _counters(polygons: list[shapely.Polygon]) -> list[shapely.Polygon]:
    """The enclosed grounds of all letters, without what stands inside them."""
    counters = [shapely.Polygon(ring) for polygon in polygons for ring in polygon.interiors]
    if not counters:
        return []
    outer, inner = shapely.STRtree(polygons).query(counters, predicate="contains")
    for index in np.unique(outer):
        islands = [polygons[i] for i in inner[outer == index]]
        shells = [shapely.Polygon(island.exterior) for island in islands]
        rest = polygons_in(shapely.difference(counters[index], shapely.union_all(shells)))
        counters[index] = rest[0] if rest else counters[index]
    return counters


def _outermost(polygons: list[shapely.Polygon], counters: list[shapely.Polygon]) -> list[bool]:
    """Which polygons do not stand inside another's counter."""
    if not counters:
        return [True] * len(polygons)
    filled = [shapely.Polygon(counter.exterior) for counter in counters]
    _, inner = shapely.STRtree(polygons).query(filled, predicate="contains")
    enclosed = set(inner.tolist())
    return [number not in enclosed for number in range(len(polygons))]


def _clip_fast(
    polygon: shapely.Polygon, left: float, low: float, right: float, high: float
) -> shapely.Geometry:
    return shapely.clip_by_rect(polygon, left, low, right, high)


def _clip_sure(
    polygon: shapely.Polygon, left: float, low: float, right: float, high: float
) -> shapely.Geometry:
    return shapely.intersection(polygon, shapely.box(left, low, right, high))


def _with_line_points(polygons: list[shapely.Polygon], cuts: Array) -> list[shapely.Polygon]:
    """Polygons with a point wherever an outline crosses a strip line, exactly on the line."""
    array = np.array(polygons, dtype=object)
    rings, polygon_of = shapely.get_rings(array, return_index=True)
    points, ring_of = shapely.get_coordinates(rings, return_index=True)
    nearest = np.clip(np.searchsorted(cuts, points[:, 0]), 1, len(cuts) - 1)
    for candidate in (nearest - 1, nearest):
        line = cuts[candidate]
        points[:, 0] = np.where(np.abs(points[:, 0] - line) < SNAP_MM, line, points[:, 0])
    starts = np.flatnonzero(
        ring_of[1:] == ring_of[:-1]
    )  # rings are closed: each edge goes to the next point
    start, end = points[starts], points[starts + 1]
    first = np.searchsorted(cuts, np.minimum(start[:, 0], end[:, 0]), side="right")
    last = np.searchsorted(cuts, np.maximum(start[:, 0], end[:, 0]), side="left")
    counts = np.maximum(last - first, 0)
    edge = np.repeat(np.arange(len(starts)), counts)
    offset = np.arange(len(edge)) - np.repeat(np.cumsum(counts) - counts, counts)
    line = cuts[first[edge] + offset]
    start, end = start[edge], end[edge]
    t = (line - start[:, 0]) / (end[:, 0] - start[:, 0])
    # always from left to right, so that an edge two regions share is cut to the same bit for both
    backward = (start[:, 0] > end[:, 0])[:, None]
    left, right = np.where(backward, end, start), np.where(backward, start, end)
    along = (line - left[:, 0]) / (right[:, 0] - left[:, 0])
    extra = np.stack([line, left[:, 1] + along * (right[:, 1] - left[:, 1])], axis=1)
    # each after the point that its edge begins with
    order = np.lexsort(
        (
            np.concatenate([np.zeros(len(points)), t]),
            np.concatenate([np.arange(len(points)), starts[edge]]),
        )
    )
    whole = np.concatenate([points, extra])[order]
    rings = shapely.linearrings(whole, indices=np.concatenate([ring_of, ring_of[starts[edge]]])[order])
    # of each polygon its first ring is the outer one
    outer = np.append(True, polygon_of[1:] != polygon_of[:-1])
    made = shapely.polygons(rings[outer])
    for number in np.unique(polygon_of[~outer]):
        holes = rings[(polygon_of == number) & ~outer]
        made[number] = shapely.polygons(rings[outer][number], holes=holes)
    return list(made)


def triangulated(parts: list[shapely.Polygon], labels: list[int]) -> tuple[Array, Array, Array]:
    """Ear clipping of every part; points shared by parts become one."""
    array = np.array(parts, dtype=object)
    rings = shapely.get_rings(array)
    ring_part = np.repeat(np.arange(len(array)), shapely.get_num_interior_rings(array) + 1)
    coordinates, ring_of = shapely.get_coordinates(rings, return_index=True)
    closing = np.append(ring_of[1:] != ring_of[:-1], True) if len(ring_of) else np.empty(0, dtype=bool)
    coordinates, ring_of = coordinates[~closing], ring_of[~closing]
    unique, index = _merged(coordinates)
    # Ear clipping drops points that turn nothing, but a neighbour may need them (the feet of letters
    # stand on one line, outlines cross in the middle of an edge): moved by less than any tolerance, the
    # same way for every part that has the point, no three are in line to the last bit.
    shaken = np.random.default_rng(0).uniform(-SHAKE_MM, SHAKE_MM, unique.shape)
    unaligned = np.ascontiguousarray(coordinates + shaken[index])
    ring_sizes = np.bincount(ring_of, minlength=len(rings))
    part_sizes = np.bincount(ring_part[ring_of], minlength=len(array))
    ring_stops = np.cumsum(ring_sizes)
    ring_first = np.searchsorted(ring_part, np.arange(len(array) + 1))
    starts = np.cumsum(part_sizes) - part_sizes
    whole, turned = _plain_triangles(coordinates, starts, part_sizes)
    rest = np.setdiff1d(np.arange(len(array)), whole)
    stops = (ring_stops - np.repeat(starts, np.diff(ring_first))).astype(np.uint32)
    ends, first = (starts + part_sizes).tolist(), ring_first.tolist()
    ears = [_ears(unaligned[starts[n] : ends[n]], stops[first[n] : first[n + 1]]) for n in rest.tolist()]
    sizes = np.array([len(ear) for ear in ears], dtype=np.int64)
    corners = np.concatenate([*ears, np.empty(0, dtype=np.uint32)]) + np.repeat(starts[rest], sizes)
    faces = index[corners.astype(np.int64).reshape(-1, 3)]
    of_part = np.array(labels, dtype=np.int64)
    all_faces = np.concatenate([one_way(unique, faces), index[turned]])
    all_labels = np.concatenate([np.repeat(of_part[rest], sizes // 3), of_part[whole]])
    proper = (
        (all_faces[:, 0] != all_faces[:, 1])
        & (all_faces[:, 1] != all_faces[:, 2])
        & (all_faces[:, 2] != all_faces[:, 0])
    )
    return unique, all_faces[proper].astype(np.int32), all_labels[proper]


MANY_HOLES = 200  # from which on clipping ears takes longer: it looks for a way to each through all others


def _ears(points: Array, stops: Array) -> Array:
    """The corners of an area's triangles, as numbers of its points (n, 2); ``stops``: where each of its
    rings ends, the outer one first."""
    if len(stops) > MANY_HOLES:
        found = _delaunay(points, stops)
        if found is not None:
            return found
    ears = np.asarray(mapbox_earcut.triangulate_float64(points, stops))
    if len(ears) == 3 * _by_euler(points, stops):
        return ears
    # points that are hardly off one line can end the clipping before all is taken
    found = _delaunay(points, stops)
    return ears if found is None else found


def _by_euler(points: Array, stops: Array) -> int:
    """How many triangles an area has whose corners are its points, in so many rings."""
    return len(points) + 2 * len(stops) - 4


def _delaunay(points: Array, stops: Array) -> Array | None:
    """The same by GEOS, which lets other threads go on; None where it leaves out a point."""
    rings = np.split(points, stops[:-1])
    area = shapely.Polygon(rings[0], rings[1:])
    try:
        corners = shapely.get_coordinates(shapely.constrained_delaunay_triangles(area))
    except shapely.GEOSException:  # it has no corner that turns
        return None
    if len(corners) != 4 * _by_euler(points, stops):
        return None
    triangles = corners.reshape(-1, 4, 2)[:, 2::-1]  # each is closed, clockwise
    found = places_among(points, np.ascontiguousarray(triangles).reshape(-1, 2))
    return None if (found < 0).any() else found.astype(np.uint32)


def _plain_triangles(coordinates: Array, starts: Array, sizes: Array) -> tuple[Array, Array]:
    """The parts that are triangles already, thin ones aside, and their corners, counter-clockwise."""
    three = np.flatnonzero(sizes == 3)
    corners = starts[three, None] + np.arange(3)
    left = doubled_areas(coordinates, corners)
    sound = np.abs(left) > THIN_MM2
    corners, left = corners[sound], left[sound]
    return three[sound], np.where((left > 0)[:, None], corners, corners[:, ::-1])


def one_way(points: Array, faces: Array) -> Array:
    """One turning sense for all: the clipper keeps to one, and the sign of a sliver means nothing."""
    return faces[:, ::-1] if doubled_areas(points, faces).sum() < 0 else faces


def _merged(points: Array) -> tuple[Array, Array]:
    """Distinct points and, for each given point, its place among them."""
    keys = np.rint(points / KEY_MM).astype(np.int64)
    order = np.lexsort((keys[:, 1], keys[:, 0]))
    ordered = keys[order]
    fresh = np.append(True, (ordered[1:] != ordered[:-1]).any(axis=1))
    number = np.cumsum(fresh) - 1
    index = np.empty(len(points), dtype=np.int64)
    index[order] = number
    return points[order[fresh]], index


def region_walls(faces: Array, label: Array) -> tuple[Array, Array]:
    """Directed edges of each region's faces that no face of the same region runs back along."""
    lettered = label != GROUND
    if not lettered.any():
        return np.empty((0, 2), dtype=np.int64), np.empty(0, dtype=np.int64)
    own, owner = faces[lettered].astype(np.int64), label[lettered]
    edges = edges_of(own)
    owners = np.tile(owner, 3)
    size = int(faces.max()) + 1
    base = owners * size * size
    forward = base + edges[:, 0] * size + edges[:, 1]
    backward = base + edges[:, 1] * size + edges[:, 0]
    outline = ~among(forward, backward)
    return edges[outline], owners[outline]


def _closed(sheet: Sheet, cut: CutSheet) -> bool:
    """Whether the flat division has no open edge but its border."""
    if sheet.net is not None:
        return _open(sheet, sheet.net.at, sheet.net.faces) == _open(sheet, cut.points, cut.faces)
    if len(sheet.cuts) == 0:
        rings = [sheet.border.exterior, *sheet.border.interiors]
        return open_edges(cut.faces) == sum(len(ring.coords) - 1 for ring in rings)
    sides = 0 if sheet.side.period is not None else 2
    return _open(sheet, cut.points, cut.faces) == 2 * (len(sheet.cuts) - 1) + sides


def _open(sheet: Sheet, points: Array, faces: Array) -> int:
    """Open edges of a division once the two ends of a closed side, which are the same line, are glued."""
    if sheet.side.period is None:
        return open_edges(faces)
    low, _, high, _ = sheet.border.bounds
    glued = points.copy()
    glued[points[:, 0] == high, 0] = low
    return open_edges(_merged(glued)[1][faces])
