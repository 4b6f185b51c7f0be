"""Regions whose height changes all over: the triangles they need, found once, and lifted to any heights."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, among, compacted, creased, edges_of, joined_faces, neighbours
from kilnchisel.core.blanks.sides import Plane, Side
from kilnchisel.core.crafts.fields import Moulding
from kilnchisel.core.crafts.following import Followed, following
from kilnchisel.core.crafts.inked import FIELD_CREASE, Inked, distances_of, field_step, heights_at
from kilnchisel.core.crafts.roof import (
    Terraces,
    field_points,
    inner_points,
    level_points,
    medial_points,
    roof_faces,
    terraces,
)
from kilnchisel.core.crafts.sheet import (
    places_among,
    region_walls,
    triangulated,
)
from kilnchisel.core.crafts.walls import CREASE
from kilnchisel.core.detail import Detail
from kilnchisel.core.later import spatial
from kilnchisel.core.laying.laid import Placing
from kilnchisel.core.lettering.polygons import polygons_in, stroke_mm

Array = NDArray[Any]


ON_OUTLINE_MM = 1e-5
NARROW = 0.6  # of a stroke
NARROW_SLOPE = 0.03  # of a stroke: no part of one is so thin that the slopes of its two sides meet
APART = 0.008  # of a stroke: lines nearer to each other are one
# how far triangles may be from the surface that they are on, of what is large a share; in a hurry farther
FOLLOWS_MM, FOLLOWS, ROUGHLY = 0.01, 1e-4, 8.0
CLEAR = 0.02  # of a stroke: so far from a cut points are in nothing's way


@dataclass(frozen=True, eq=False)
class Surface:
    """The surface over one label: its mesh, the height (n,) of the cut's points that it has, and which of
    its faces lie within the outline, where that has been grown."""

    mesh: Mesh
    heights: Array
    within: Array | None = None


@dataclass(frozen=True, eq=False)
class Bent:
    """A region made ready for heights that change over it: uv (n, 2), the places base and ways out (n, 3)
    of its points, faces (m, 3), far (n,): how far inside the outline they are. ``used`` (k,): the cut's
    points among them, ``at`` (k,): where."""

    uv: Array
    base: Array
    out: Array
    faces: Array
    far: Array
    used: Array
    at: Array

    def surface(self, ink: Inked, size: int, uv: Array | None = None) -> Surface:
        """The surface at the heights of a stage; ``size``: how many points the cut has."""
        high = heights_at(ink, self.far, self.uv)
        heights = np.zeros(size)
        heights[self.used] = high[self.at]
        points = self.base + high[:, None] * self.out
        crease = CREASE if ink.stage.field is None else FIELD_CREASE
        made = creased(points, self.uv if uv is None else uv, self.faces, crease)
        return Surface(made, heights, np.all(self.far[self.faces] >= 0, axis=1))


def ready(
    uv: Array,
    base: Array,
    out: Array,
    used: Array,
    corners: Array,
    ink: Inked,
    true: Array,
    foot: Callable[[Array], Array],
    *,
    detail: Detail,
) -> Bent:
    """A region of a cut made ready: its points ``used`` as they are there, (k, 2), (k, 3), (k, 3), and its
    triangles; ``true`` (2, 2) makes distances on the sheet true. ``foot``: sheet points (n, 2) on the
    surface that was cut, (n, 3)."""
    side, count = ink.laid.side, len(uv)
    border, _ = region_walls(corners, np.zeros(len(corners), dtype=np.int64))
    points, faces, far = with_heights(uv, border, corners, ink, detail=detail)
    kept, compact = compacted(faces, len(points))
    fresh = kept[kept >= count]
    more = np.zeros((len(points) - count, 3))
    base, out = np.concatenate([base, more]), np.concatenate([out, more])
    base[fresh] = foot(points[fresh])
    out[fresh] = side.frames(points[fresh])[:, 2]
    if detail.rough and ink.stage.grow_mm == 0:  # the outline's own points are where they are
        near = spatial.cKDTree(shapely.get_coordinates(ink.region)).query(points[:count])[0]
        far[:count][np.isnan(far[:count]) & (near < ON_OUTLINE_MM)] = 0.0
    unknown = kept[np.isnan(far[kept])]
    far[unknown] = distances_of(ink, points[unknown], true)
    old = kept < count
    used, at = used[kept[old]], np.flatnonzero(old)
    on, far = Followed(points[kept], base[kept], out[kept], compact), far[kept]
    if not isinstance(side, Plane) and ink.stage.field is None:
        most = max(FOLLOWS_MM, FOLLOWS * float(np.ptp(on.uv, axis=0).max()))
        on = following(on, foot, side, ROUGHLY * most if detail.rough else most)
        far = np.concatenate([far, distances_of(ink, on.uv[len(far) :], true)])
    return Bent(on.uv, on.base, on.out, on.faces, far, used, at)


def with_heights(
    uv: Array, border: Array, faces: Array, ink: Inked, *, detail: Detail
) -> tuple[Array, Array, Array]:
    """The points of a region, (n, 2), with those that its heights need, triangles over all of them, and
    how far inside the outline they are where that is known; ``faces``: the triangles there were, which
    stay where no better ones are found."""
    side, placing, layer = ink.laid.side, ink.laid.placing, ink.layer.layer
    distances = tuple(float(d) for d, _ in ink.stage.knots)
    if ink.stage.field is not None:
        points, found = _with_field(uv, border, faces, ink, detail=detail)
        return points, found, np.full(len(points), np.nan)
    inside = tuple(d for d in distances if d > 1e-9 - ink.stage.grow_mm)
    fresh, more, far = [uv], [], [np.full(len(uv), np.nan)]
    rest = np.ones(len(border), dtype=bool)
    wide = stroke_mm(layer.region)
    # of an even slope that is narrow points between its two lines would be too few to hold it
    if len(inside) > 1 or (inside and 0 < inside[-1] < NARROW_SLOPE * wide):
        if detail.rough and len(inside) > 3:
            # while something moves a narrow edge is one slope
            every = len(inside) if inside[-1] < NARROW * wide else 3
            last = len(inside) - 1
            inside = tuple(d for n, d in enumerate(inside) if (last - n) % every == 0 or d == 0)
        elif detail.fine:
            inside = _apart(inside, APART * wide)
        points, found, rest, known = _on_terraces(
            uv, border, terraces(layer, inside, detail=detail), placing, side
        )
        fresh.append(points)
        more.append(found)
        far.append(known)
    if rest.any():
        # an even slope, or what the side's border or another lettering has cut
        # a slope that ends at the outline needs no points within it
        inner = inner_points(layer, distances[-1], detail=detail) if distances[-1] > 0 else np.empty((0, 3))
        if len(inside) > 1:
            inner = np.concatenate([level_points(layer, inside, detail=detail), inner])
        spots = np.concatenate([_on_domain(some, side) for some in placing.everywhere(inner[:, :2])])
        # while something moves it is enough how far they are meant to be
        deep = np.tile(inner[:, 2] if detail.rough else np.full(len(inner), np.nan), len(placing.copies))
        true = side.true_at(ink.laid.middle)
        slope, kept = _over(uv, border[rest], spots, true, CLEAR * stroke_mm(layer.region))
        if slope is None:
            more.append(faces if rest.all() else _bordering(faces, border[rest]))
        else:
            start = sum(len(x) for x in fresh) - len(uv)
            fresh.append(spots[kept])
            more.append(np.where(slope < len(uv), slope, slope + start))
            far.append(deep[kept])
    return np.concatenate(fresh), np.concatenate(more), np.concatenate(far)


def _apart(distances: tuple[float, ...], least: float) -> tuple[float, ...]:
    """Ascending distances without those hardly farther in than the one before, or than the outline: of so
    narrow an edge on so wide a stroke they are not seen. The last and the outline itself stay, and the
    first outside it."""
    kept: list[float] = []
    for far in distances[:-1]:
        before = kept[-1] if kept else min(0.0, far - least)
        if far == 0 or far - before >= least:
            kept.append(far)
    if kept and kept[-1] != 0 and distances[-1] - kept[-1] < least and len(kept) > 1:
        kept.pop()
    return (*kept, distances[-1])


def _over(uv: Array, border: Array, spots: Array, true: Array, clear: float) -> tuple[Array | None, Array]:
    """Triangles over what some directed edges of points enclose and points within, None where they cannot
    be made, and which points they have, (n,): those count after ``uv``. Where it is cut, points beyond the
    cut or nearer to it than ``clear`` may be in the way: then without them."""
    kept = np.ones(len(spots), dtype=bool)
    used, edges = compacted(border, len(uv))
    for again in (False, True):
        if again:
            kept = _clear_of(spots, uv, border, clear)
        points = np.concatenate([uv, spots[kept]])
        own = np.concatenate([used, np.arange(len(uv), len(points))])
        found = roof_faces(points[own] @ true.T, edges)
        if found is not None:
            return own[found], kept
    return None, kept


def _clear_of(spots: Array, uv: Array, border: Array, clear: float) -> Array:
    """Which points lie within what directed edges enclose, and farther from them than ``clear``, (n,)."""
    inside = np.zeros(len(spots), dtype=bool)
    tree = shapely.STRtree(shapely.points(spots))
    for region, own in zip(*_enclosed(uv, border), strict=True):
        if own:
            inside[tree.query(region, predicate="contains")] = True
    edges = shapely.STRtree(shapely.linestrings(uv[border]))
    inside[edges.query(shapely.points(spots), predicate="dwithin", distance=clear)[0]] = False
    return inside


def _enclosed(uv: Array, border: Array) -> tuple[Array, Array]:
    """The polygons that edges enclose, and which of them lie on their left."""
    whole = np.asarray(shapely.get_parts(shapely.polygonize(list(shapely.linestrings(uv[border])))))
    known = {(int(a), int(b)) for a, b in border}
    place = {(float(x), float(y)): n for n, (x, y) in enumerate(uv)}
    rings = [[place[(x, y)] for x, y in shapely.orient_polygons(p).exterior.coords] for p in whole]
    return whole, np.array([(ring[0], ring[1]) in known for ring in rings], dtype=bool)


ROUGH_POINTS = 60_000


def _with_field(
    uv: Array, border: Array, faces: Array, ink: Inked, *, detail: Detail
) -> tuple[Array, Array]:
    """A region's points and triangles, fine enough for heights that vary all over it."""
    side, placing, layer, field = ink.laid.side, ink.laid.placing, ink.layer.layer, ink.stage.field
    step = field_step(layer, ink.stage, detail=detail)
    if detail.rough:  # a hurried picture of a large ground: as many points as can be seen
        step = max(step, float(np.sqrt(layer.region.area / ROUGH_POINTS)))
    spots = []
    # clear of every border, that of letters on it too
    middles = spatial.cKDTree(np.concatenate([uv[border[:, 0]], uv[border].mean(axis=1)]))

    def put(inner: Array, clear: float) -> None:
        for some in placing.everywhere(inner):
            there = _on_domain(some, side)
            spots.append(there[middles.query(there)[0] > clear])

    if isinstance(field, Moulding):
        clear = 0.1 * step  # lines along which a profile bends may run close to a border
        put(field.lines(rough=detail.rough), clear)
    else:
        clear = 0.5 * step
        put(field_points(layer, step), clear)
    edge = ink.stage.knots[-1][0]
    if edge > 0:  # where its edge comes to an end, and on the way there
        near = inner_points(layer, edge, detail=Detail.ROUGH)
        if detail.fine:
            narrow = medial_points(layer, detail=detail)
            thirds = level_points(layer, (edge / 3, 2 * edge / 3, edge), detail=detail)
            near = np.concatenate([near, thirds, narrow[narrow[:, 2] < edge]])
        put(near[:, :2], min(0.25 * edge, clear))
    every = np.concatenate(spots)
    found, kept = _over(uv, border, every, side.true_at(ink.laid.middle), clear)
    return (uv, faces) if found is None else (np.concatenate([uv, every[kept]]), found)


def _bordering(faces: Array, border: Array) -> Array:
    """The faces that hang together with those along some directed border edges, slivers on it too."""
    size = int(faces.max()) + 1
    _, group = joined_faces(neighbours(faces), len(faces))
    along = among(edges_of(faces) @ [size, 1], border.astype(np.int64) @ [size, 1])
    return np.asarray(faces[np.isin(group, np.unique(np.tile(group, 3)[along]))])


def _on_terraces(
    uv: Array, border: Array, shelf: Terraces, placing: Placing, side: Side
) -> tuple[Array, Array, Array, Array]:
    """New points (n, 2) and triangles of the parts of a region that hold their terraces whole: those of
    the terraces and a band round them up to the part's own border. Triangles count the points of ``uv``
    first. Also which border edges belong to no such part, and how far the points are from the outline."""
    whole, own = _enclosed(uv, border)
    whole = whole[own]
    polygons = polygons_in(shelf.first)
    shapes, reached, owners, points, faces = [], [], [], [], []
    for copy in range(len(placing.copies)):
        for polygon in polygons:
            shape, all_over = placing.shape(polygon, copy)
            shapes.append(shape)
            reached.append(all_over)
        owners.append(shelf.owner + len(polygons) * copy)
        points.append(placing.points(shelf.points, copy))
        mirrored = float(np.linalg.det(placing.copies[copy][0])) < 0
        turned = shelf.faces[:, ::-1] if mirrored else shelf.faces
        faces.append(turned + len(shelf.points) * copy)
    spots, corners, owner = np.concatenate(points), np.concatenate(faces), np.concatenate(owners)
    if side.period is not None:
        # each piece as a whole, by its leftmost point
        low = float(side.domain.bounds[0])
        turns = np.floor((shapely.bounds(np.array(shapes, dtype=object))[:, 0] - low) / side.period)
        shift = -turns * side.period
        shapes = [
            shapely.transform(s, lambda c, d=d: c + (d, 0.0)) for s, d in zip(shapes, shift, strict=True)
        ]
        of_point = np.zeros(len(spots), dtype=np.int64)
        of_point[corners] = owner[:, None]
        spots = spots + np.column_stack([shift[of_point], np.zeros(len(spots))])
        # what goes over the seam is on its other side, too, and whole on neither
        over = [s for s in shapes if s.bounds[2] > low + side.period]
        shapes += [shapely.transform(s, lambda c: c - (side.period, 0.0)) for s in over]
        reached += [False] * len(over)
    tree = shapely.STRtree(shapes)
    touching = tree.query(whole, predicate="intersects")
    held = tree.query(whole, predicate="contains_properly")
    held = held[:, np.array(reached, dtype=bool)[held[1]]]
    sound = np.bincount(touching[0], minlength=len(whole)) == np.bincount(held[0], minlength=len(whole))
    bands = []
    for number in np.flatnonzero(sound):
        inner = [shapes[k] for k in held[1][held[0] == number]]
        try:
            bands += polygons_in(shapely.difference(whole[number], shapely.MultiPolygon(inner)))
        except shapely.errors.GEOSException:  # bent on to the side they touch: a plain slope for this part
            sound[number] = False
    taken = np.isin(owner, held[1][sound[held[0]]])
    rest = np.ones(len(border), dtype=bool)
    if not bands:
        return np.empty((0, 2)), np.empty((0, 3), dtype=np.int64), rest, np.empty(0)
    round_points, round_faces, _ = triangulated(bands, [0] * len(bands))
    used, within = compacted(corners[taken], len(spots))
    fresh = np.concatenate([round_points, spots[used]])
    all_faces = np.concatenate([round_faces, within + len(round_points)])
    at: Array = places_among(uv, fresh)
    new: Array = at < 0
    again = places_among(fresh[new], fresh)  # points that bands and terraces share
    names: Array = np.where(new, len(uv) + again, at)
    middles = shapely.points(uv[border].mean(axis=1))
    rest[shapely.STRtree(whole[sound]).query(middles, predicate="dwithin", distance=1e-7)[0]] = False
    terraced = np.tile(shelf.far, len(placing.copies))[used]
    told = np.concatenate([np.full(len(round_points), np.nan), terraced])
    # of a point that bands and terraces share, what the terraces know of it
    far = np.full(int(new.sum()), np.nan)
    sure = ~np.isnan(told) & (again >= 0)
    far[again[sure]] = told[sure]
    return fresh[new], names[all_faces], rest, far


def _on_domain(points: Array, side: Side) -> Array:
    """Points brought round to the part of a closed side that was cut."""
    if side.period is None:
        return points
    low = float(side.domain.bounds[0])
    return np.column_stack([(points[:, 0] - low) % side.period + low, points[:, 1]])
