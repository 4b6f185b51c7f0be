"""A net cut by outlines: only the triangles that an outline crosses are divided, all others stay.

Crossed triangles and outlines are brought to one arrangement of lines on a common grid, so that whatever
meets at a crossing has the same point; its faces are then owned by a region or by the ground.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import distinct, doubled_areas, edges_of
from kilnchisel.core.blanks.net import GRID_MM, Net
from kilnchisel.core.later import csgraph, sparse
from kilnchisel.core.lettering.polygons import polygons_in

Array = NDArray[Any]

THIN = 20.0  # heights of a face below this many steps of the grid


@dataclass(frozen=True, eq=False)
class NetPieces:
    """A net divided among regions: the polygons of crossed faces with their labels and the face each is
    from, and which faces of the net stay whole with theirs. A label is the index of a region, or that of
    nobody."""

    parts: list[shapely.Polygon]
    labels: list[int]
    parents: Array
    whole: Array
    whole_label: Array


def net_pieces(
    net: Net, regions: list[shapely.MultiPolygon], nobody: int, *, snapped: bool = True
) -> NetPieces:
    """The net divided among regions that do not overlap.

    ``snapped``: all points on the grid, which settles whatever nearly touches; otherwise as exact as the
    numbers are, which keeps both sides of a seam alike where an outline runs almost along it.
    """
    polygons = [polygon for region in regions for polygon in polygons_in(region)]
    owners = [number for number, region in enumerate(regions) for _ in polygons_in(region)]
    rings = [ring for polygon in polygons for ring in _rings(polygon)]
    crossed = _crossed(net, rings)
    label = np.full(len(net.faces), nobody)
    if polygons:
        inked = np.array(polygons, dtype=object)
        shapely.prepare(inked)
        polygon, face = net.tree.query(inked)
        open_ = ~crossed[face]
        polygon, face = polygon[open_], face[open_]
        x, y = net.points[net.faces[face]].mean(axis=1).T
        inside = shapely.contains_xy(inked[polygon], x, y)
        label[face[inside]] = np.array(owners)[polygon[inside]]
    parts, labels, parents = _divided(net, crossed, regions, rings, nobody, snapped=snapped)
    return NetPieces(parts, labels, parents, ~crossed, label[~crossed])


def _rings(polygon: shapely.Polygon) -> list[shapely.LineString]:
    return [polygon.exterior, *polygon.interiors]


def _crossed(net: Net, rings: list[shapely.LineString]) -> Array:
    """Which faces an outline crosses, with their neighbours: a crossing may be moved by the grid."""
    crossed = np.zeros(len(net.faces), dtype=bool)
    if not rings:
        return crossed
    crossed[net.tree.query(np.array(rings, dtype=object), predicate="intersects")[1]] = True
    crossed = _with_neighbours(net, crossed, crossed)
    # a face almost without area vanishes in the arrangement, its corner drawn on to the edge across from
    # it: such faces beside crossed ones, and all that share their edges, must be in it
    thin = _thin(net)
    while thin.any():
        wider = crossed | (_with_neighbours(net, crossed, crossed) & thin)
        wider = _with_neighbours(net, wider, wider & thin)
        if (wider == crossed).all():
            break
        crossed = wider
    return crossed


def _with_neighbours(net: Net, crossed: Array, some: Array) -> Array:
    """The crossed faces and those that share an edge with some."""
    touched = np.zeros(len(net.points), dtype=bool)
    touched[net.faces[some]] = True
    return np.asarray(crossed | (touched[net.faces].sum(axis=1) >= 2))


def _thin(net: Net) -> Array:
    """Faces so thin that the grid may close them."""
    a, b, c = (net.points[net.faces[:, i]] for i in range(3))
    e1, e2 = b - a, c - a
    longest = np.sqrt(np.max([(e1**2).sum(1), (e2**2).sum(1), ((c - b) ** 2).sum(1)], axis=0))
    return np.asarray(np.abs(doubled_areas(net.points, net.faces)) < THIN * GRID_MM * longest)


def _groups(
    net: Net, mine: Array, rings: list[shapely.LineString]
) -> list[tuple[Array, list[shapely.LineString]]]:
    """The faces of these numbers that hang together by their points, with the rings that run over them.
    All at once where it is not plain which a ring runs over."""
    faces = net.faces[mine]
    size = len(net.points)
    pairs = edges_of(faces)
    links = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(size, size))
    _, label = csgraph.connected_components(links, directed=False)
    kinds = np.unique(label[faces[:, 0]])
    if len(kinds) == 1 or not rings:
        return [(mine, rings)]
    group = np.full(int(kinds.max()) + 1, -1)
    group[kinds] = np.arange(len(kinds))
    ring, face = net.tree.query(np.array(rings, dtype=object), predicate="intersects")
    here = np.isin(face, mine)
    ring, met = ring[here], group[label[net.faces[face[here], 0]]]
    owner = np.full(len(rings), -1)
    owner[ring] = met
    if (owner < 0).any() or (owner[ring] != met).any():
        return [(mine, rings)]
    own = group[label[faces[:, 0]]]
    return [
        (mine[own == number], [rings[k] for k in np.flatnonzero(owner == number)])
        for number in range(len(kinds))
    ]


def _divided(
    net: Net,
    crossed: Array,
    regions: list[shapely.MultiPolygon],
    rings: list[shapely.LineString],
    nobody: int,
    *,
    snapped: bool,
) -> tuple[list[shapely.Polygon], list[int], Array]:
    if not crossed.any():
        return [], [], np.empty(0, dtype=np.int64)
    mine = np.flatnonzero(crossed)
    points = net.points if snapped else net.at
    found = []
    # group by group: each is quicker than all at once, and other threads go on in between
    group = np.full(len(net.faces), -1)
    for number, (some, here) in enumerate(_groups(net, mine, rings)):
        group[some] = number
        edges = np.sort(edges_of(net.faces[some]), axis=1)
        edges = edges[distinct(edges)[0]]
        lines = [*shapely.linestrings(points[edges]), *here]
        parted = shapely.union_all(lines, grid_size=GRID_MM if snapped else None)
        found.append(shapely.get_parts(shapely.polygonize([parted])))
    parts = np.concatenate(found)
    of_group = np.repeat(np.arange(len(found)), [len(one) for one in found])
    spots = shapely.point_on_surface(parts)
    parent = np.full(len(parts), -1)
    found, face = net.tree.query(spots, predicate="intersects")
    parent[found] = np.where(crossed[face], face, -1)
    lost = np.ones(len(parts), dtype=bool)
    lost[found] = False
    if lost.any():  # the grid may have moved a thin part off the face it is of: then the face next to it
        lost_at = np.flatnonzero(lost)
        found, face = net.tree.query(spots[lost_at], predicate="dwithin", distance=2 * GRID_MM)
        parent[lost_at[found[crossed[face]]]] = face[crossed[face]]
    # what lines of one group enclose is no part of another that lies within
    inside = (parent >= 0) & (group[parent] == of_group)
    parts, spots = parts[inside], spots[inside]
    owner = np.full(len(parts), nobody)
    for number, region in enumerate(regions):
        shapely.prepare(region)
        owner[shapely.contains(region, spots)] = number
    return list(parts), owner.tolist(), parent[inside]
