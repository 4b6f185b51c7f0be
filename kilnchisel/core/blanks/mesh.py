"""Triangle meshes as immutable values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.later import compiled, csgraph, sparse, spatial

Array = NDArray[Any]

WELD_MM = 1e-5  # points closer than this are one


def volume_within(points: Array, faces: Array) -> float:
    """The signed volume within a closed surface, mm³: points (n, 3), faces (m, 3); by the divergence
    theorem."""
    a, b, c = (points[faces[:, i]] for i in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles with a normal at each corner.

    points (n, 3) mm; normals (n, 3) unit, outward; uv (n, 2) mm along the surface, for grain and
    texture; faces (m, 3) int32, counter-clockwise from outside. Compared by identity.
    """

    points: Array
    normals: Array
    uv: Array
    faces: Array

    @cached_property
    def volume_mm3(self) -> float:
        """Its signed volume; right for closed meshes only."""
        return volume_within(self.points, self.faces)

    @cached_property
    def bounds(self) -> Array:
        """(2, 3): least and greatest corner, mm."""
        return np.stack([self.points.min(axis=0), self.points.max(axis=0)])

    @cached_property
    def round_mm(self) -> float:
        """After how many mm along u the mesh comes round and meets itself; 0 where it does not."""
        if len(self.uv) == 0:
            return 0.0
        u = self.uv[:, 0]
        low, high = float(u.min()), float(u.max())
        first, last = (self.points[np.abs(u - end) < 1e-6] for end in (low, high))
        if high - low < 1e-3 or len(first) < 2 or len(last) < 2:
            return 0.0
        if len(first) * len(last) <= FEW_PAIRS:  # without the library that looks through many
            gaps = np.linalg.norm(first[:, None] - last[None], axis=2).min(axis=0)
        else:
            gaps = spatial.cKDTree(first).query(last)[0]
        return high - low if float(gaps.max()) < WELD_MM else 0.0

    def moved(self, matrix: Array) -> Mesh:
        """The mesh under a rigid motion, (4, 4)."""
        turn, shift = matrix[:3, :3], matrix[:3, 3]
        return Mesh(self.points @ turn.T + shift, self.normals @ turn.T, self.uv, self.faces)

    def of_faces(self, marked: Array) -> Mesh:
        """The part of it that has the marked (m,) faces."""
        used, faces = compacted(self.faces[marked], len(self.points))
        return Mesh(self.points[used], self.normals[used], self.uv[used], faces)


FEW_PAIRS = 250_000


def join(meshes: Sequence[Mesh]) -> Mesh:
    """All triangles in one mesh; corners are not welded."""
    starts = np.cumsum([0] + [len(mesh.points) for mesh in meshes])
    return Mesh(
        np.concatenate([mesh.points for mesh in meshes]),
        np.concatenate([mesh.normals for mesh in meshes]),
        np.concatenate([mesh.uv for mesh in meshes]),
        np.concatenate(
            [mesh.faces + start for mesh, start in zip(meshes, starts[:-1], strict=True)]
        ).astype(np.int32),
    )


def distinct(rows: Array) -> tuple[Array, Array]:
    """Of each kind of equal rows (n, k) the first one's number, kinds ascending, and of each row its kind.

    As ``np.unique`` of rows, several times quicker: columns are sorted one by one, and other threads go
    on meanwhile.
    """
    order = np.lexsort(rows.T[::-1])
    ordered = rows[order]
    fresh = np.append(True, (ordered[1:] != ordered[:-1]).any(axis=1))[: len(rows)]
    kind = np.empty(len(rows), dtype=np.int64)
    kind[order] = np.cumsum(fresh) - 1
    return order[fresh], kind


OFF_GRID = 0.137  # of WELD_MM: outlines lie on a grid of a tenth of it, so that none is on the brink


def weld_keys(points: Array) -> Array:
    """Whole numbers (n, 3) that are equal for points within about WELD_MM."""
    return np.rint(points / WELD_MM + OFF_GRID).astype(np.int64)


def welded(points: Array, faces: Array) -> tuple[Array, Array]:
    """Merge points that coincide within WELD_MM and drop triangles that collapse.

    points (n, 3), faces (m, 3) -> (k, 3), (l, 3).
    """
    first, kind = distinct(weld_keys(points))
    new = kind[faces]
    whole = (new[:, 0] != new[:, 1]) & (new[:, 1] != new[:, 2]) & (new[:, 2] != new[:, 0])
    return points[first], new[whole].astype(np.int32)


def edges_of(faces: Array) -> Array:
    """The directed edges of triangles (m, 3), face by face in three blocks: (3 m, 2) int64."""
    return np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]).astype(np.int64)


def border_edges(faces: Array) -> Array:
    """Directed edges (k, 2) that no face runs back along; none when the faces close."""
    edges = edges_of(faces)
    size = int(faces.max()) + 1 if len(faces) else 1
    forward, backward = edges[:, 0] * size + edges[:, 1], edges[:, 1] * size + edges[:, 0]
    return np.asarray(edges[~among(forward, backward)])


def open_edges(faces: Array) -> int:
    """How many directed edges lack their opposite; 0 means closed and consistently turned."""
    return len(border_edges(faces))


def joined_faces(pairs: Array, count: int) -> tuple[int, Array]:
    """How many groups ``count`` faces make when those of each pair (k, 2) belong together, and the group
    of each, (count,)."""
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    number, label = csgraph.connected_components(graph, directed=False)
    return int(number), np.asarray(label)


def shares_of(spots: Array, triangles: Array) -> Array:
    """Barycentric shares (n, 3) of points (n, d) in the planes of their triangles (n, 3, d)."""
    a, b, c = (triangles[:, i] for i in range(3))
    e1, e2, away = b - a, c - a, spots - a
    d11, d12, d22 = (np.einsum("ij,ij->i", p, q) for p, q in ((e1, e1), (e1, e2), (e2, e2)))
    d1, d2 = np.einsum("ij,ij->i", away, e1), np.einsum("ij,ij->i", away, e2)
    det = np.maximum(d11 * d22 - d12 * d12, 1e-30)
    second, third = (d22 * d1 - d12 * d2) / det, (d11 * d2 - d12 * d1) / det
    return np.stack([1 - second - third, second, third], axis=1)


def doubled_areas(points: Array, faces: Array) -> Array:
    """Twice the signed area of flat triangles, positive counter-clockwise: (n, 2), (m, 3) -> (m,)."""
    a, b, c = (points[faces[:, i]] for i in range(3))
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))


def among(keys: Array, known: Array) -> Array:
    """Which integer keys (n,) are among the known ones; by sorting, which is quick for edges of meshes."""
    if len(known) == 0:
        return np.zeros(len(keys), dtype=bool)
    ordered = np.sort(known)
    place = np.minimum(np.searchsorted(ordered, keys), len(ordered) - 1)
    return np.asarray(ordered[place] == keys)


def compacted(faces: Array, count: int) -> tuple[Array, Array]:
    """The points that faces use, ascending, and the faces by their places among them; ``count``: of all."""
    used = np.zeros(count, dtype=bool)
    used[faces] = True
    return np.flatnonzero(used), (np.cumsum(used) - 1)[faces].astype(np.int32)


def neighbours(faces: Array) -> Array:
    """Pairs of triangles that share an edge, (k, 2)."""
    edges = edges_of(faces)
    edges.sort(axis=1)
    keys = edges[:, 0] * (int(faces.max()) + 1) + edges[:, 1]
    order = np.argsort(keys, kind="stable")
    same = keys[order][1:] == keys[order][:-1]
    owner = order % len(faces)
    return np.stack([owner[:-1][same], owner[1:][same]], axis=1)


def creased(points: Array, uv: Array, faces: Array, crease: float) -> Mesh:
    """Triangles as a mesh whose normals are shared where it bends by less than an angle of this cosine."""
    a, b, c = (points[faces[:, i]] for i in range(3))
    normals = np.cross(b - a, c - a)  # twice the area long
    corner = corner_normals(normals, faces, crease)
    # corners of one point with one normal become one again
    steps = np.rint((corner.reshape(-1, 3) + 1) * 4000).astype(np.int64)
    key = ((faces.reshape(-1).astype(np.int64) << 13 | steps[:, 0]) << 13 | steps[:, 1]) << 13 | steps[:, 2]
    _, first, index = np.unique(key, return_index=True, return_inverse=True)
    point = faces.reshape(-1)[first]
    out = corner.reshape(-1, 3)[first]
    return Mesh(points[point], out, uv[point], index.reshape(-1, 3).astype(np.int32))


def corner_normals(weighted: Array, faces: Array, crease: float) -> Array:
    """At each corner of each face, (m, 3, 3): the mean of those faces round the point that bend away from
    this one by less than an angle whose cosine is ``crease``, by their area.

    weighted (m, 3): the faces' normals, as long as they are to count.
    """
    size = int(faces.max()) + 1 if len(faces) else 0
    own = weighted / np.maximum(np.linalg.norm(weighted, axis=1, keepdims=True), 1e-30)
    total = np.zeros((size, 3))
    for corner in range(3):
        for axis in range(3):
            total[:, axis] += np.bincount(faces[:, corner], weighted[:, axis], size)
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-30)
    found = total[faces]
    bends = np.einsum("mij,mj->mi", found, own) < np.cos(np.arccos(crease) / 2)
    sharp = np.zeros(size, dtype=bool)
    sharp[faces[bends]] = True
    if sharp.any():
        _part(
            np.ascontiguousarray(faces),
            own,
            np.ascontiguousarray(weighted, dtype=float),
            sharp,
            crease,
            found,
        )
    return np.asarray(found)


CROWD = 4096  # faces round one point, above which each is taken to bend away from none


@compiled(nogil=True, cache=True)
def _part(faces: Array, own: Array, weighted: Array, sharp: Array, crease: float, found: Array) -> None:
    """The normals of ``corner_normals`` at the sharp points, in place. Compiled: where all of a surface
    bends, each corner is held against a dozen others."""
    first = np.zeros(len(sharp) + 1, np.int64)
    for face in range(len(faces)):
        for corner in range(3):
            if sharp[faces[face, corner]]:
                first[faces[face, corner] + 1] += 1
    for point in range(len(sharp)):
        first[point + 1] += first[point]
    place, met = first[:-1].copy(), np.empty(first[-1], np.int64)
    for face in range(len(faces)):
        for corner in range(3):
            point = faces[face, corner]
            if sharp[point]:
                met[place[point]] = face
                place[point] += 1
    for face in range(len(faces)):
        for corner in range(3):
            point = faces[face, corner]
            if not sharp[point] or first[point + 1] - first[point] > CROWD:
                continue
            a, b, c = own[face, 0], own[face, 1], own[face, 2]
            x, y, z = 0.0, 0.0, 0.0
            for number in range(first[point], first[point + 1]):
                other = met[number]
                if a * own[other, 0] + b * own[other, 1] + c * own[other, 2] > crease:
                    x += weighted[other, 0]
                    y += weighted[other, 1]
                    z += weighted[other, 2]
            long = np.sqrt(x * x + y * y + z * z)
            if long < 1e-30:
                x, y, z, long = a, b, c, 1.0
            found[face, corner, 0] = x / long
            found[face, corner, 1] = y / long
            found[face, corner, 2] = z / long


def unit(ways: Array) -> Array:
    """Directions (..., 3) of length 1; 0 where there is none."""
    return np.asarray(ways / np.maximum(np.linalg.norm(ways, axis=-1, keepdims=True), 1e-12))


def lattice_faces(rows: int, columns: int) -> Array:
    """Triangles (k, 3), counter-clockwise, between points numbered row by row from below."""
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b = index[:-1, :-1].ravel(), index[:-1, 1:].ravel()
    c, d = index[1:, 1:].ravel(), index[1:, :-1].ravel()
    return np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])


def quartered(mesh: Mesh) -> Mesh:
    """Each triangle as four, by the middles of its edges: a closed one stays closed, and knows its light
    at more points."""
    return _halved(mesh, 0.0)


def with_short_edges(mesh: Mesh, longest_mm: float) -> Mesh:
    """Edges that are longer halved until none is: a closed mesh stays closed, and knows its light at more
    points."""
    again = _halved(mesh, longest_mm)
    while again is not mesh:
        mesh, again = again, _halved(again, longest_mm)
    return mesh


def _halved(mesh: Mesh, longest_mm: float) -> Mesh:
    """Edges that are longer in two; the mesh itself where there are none."""
    pairs = np.sort(edges_of(mesh.faces), axis=1)
    first, which = distinct(pairs)
    a, b = pairs[first].T
    long = np.linalg.norm(mesh.points[a] - mesh.points[b], axis=1) > longest_mm
    if not long.any():
        return mesh
    number = np.full(len(first), -1)
    number[long] = len(mesh.points) + np.arange(long.sum())
    a, b = a[long], b[long]
    return Mesh(
        np.concatenate([mesh.points, (mesh.points[a] + mesh.points[b]) / 2]),
        np.concatenate([mesh.normals, unit(mesh.normals[a] + mesh.normals[b])]),
        np.concatenate([mesh.uv, (mesh.uv[a] + mesh.uv[b]) / 2]),
        _cut(mesh.faces, number[which].reshape(3, -1).T).astype(np.int32),
    )


def _cut(faces: Array, middle: Array) -> Array:
    """Triangles (n, 3) by the middles of their edges, ab, bc, ca, (n, 3): -1 where an edge stays whole."""
    cut = middle >= 0
    count = cut.sum(axis=1)
    # the one that is cut comes first, the one that is not last
    start = np.where(count == 2, (np.argmin(cut, axis=1) + 1) % 3, np.argmax(cut, axis=1))
    turn = (np.arange(3) + start[:, None]) % 3
    corners, middles = np.take_along_axis(faces, turn, 1), np.take_along_axis(middle, turn, 1)
    found = [faces[count == 0]]
    for cuts, triangles in _CUT.items():
        both = np.column_stack([corners, middles])[count == cuts]
        found += [both[:, triangle] for triangle in triangles]
    return np.concatenate(found)


# by how many edges are cut: triangles of the corners a, b, c, 0 to 2, and the middles ab, bc, ca, 3 to 5
_CUT = {
    1: ([0, 3, 2], [3, 1, 2]),
    2: ([3, 1, 4], [0, 3, 2], [3, 4, 2]),
    3: ([0, 3, 5], [3, 1, 4], [5, 4, 2], [3, 4, 5]),
}


def grid(points: Array, normals: Array, uv: Array) -> Mesh:
    """A mesh from a lattice of corners, (rows, columns, 3) and (rows, columns, 2).

    The triangles turn the way the normals point.
    """
    faces = lattice_faces(*points.shape[:2])
    return facing_out(points.reshape(-1, 3), normals.reshape(-1, 3), uv.reshape(-1, 2), faces)


def smooth_grid(points: Array, out: Array) -> Mesh:
    """A mesh from a lattice of corners (rows, columns, 3), with the normals of a smooth surface through
    them that on the whole look the ways of ``out``, (..., 3); without triangles that are none."""
    along, across = np.gradient(points, axis=0), np.gradient(points, axis=1)
    normals = np.cross(across, along)
    if np.sum(normals * out) < 0:
        normals = -normals
    size = np.linalg.norm(normals, axis=2, keepdims=True)
    ways = out / np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-12)
    normals = np.where(size > 1e-9, normals / np.maximum(size, 1e-9), ways)  # all in one place: a tip
    return without_slivers(grid(points, normals, np.zeros((*points.shape[:2], 2))))


def facing_out(points: Array, normals: Array, uv: Array, faces: Array) -> Mesh:
    """A mesh of consistently turned faces, turned all together the way the normals point."""
    a, b, c = (points[faces[:, i]] for i in range(3))
    if np.einsum("ij,ij->", np.cross(b - a, c - a), normals[faces].sum(axis=1)) < 0:
        faces = faces[:, ::-1]
    return Mesh(points, normals, uv, faces.astype(np.int32))


def filled(area: shapely.Polygon) -> tuple[Array, Array]:
    """A flat area in triangles: points (n, 2) and faces (m, 3)."""
    rings = [shapely.get_coordinates(ring)[:-1] for ring in (area.exterior, *area.interiors)]
    flat = np.concatenate(rings)
    ends = np.cumsum([len(ring) for ring in rings]).astype(np.uint32)
    return flat, np.asarray(mapbox_earcut.triangulate_float64(flat, ends)).reshape(-1, 3)


def without_slivers(mesh: Mesh) -> Mesh:
    """The mesh without triangles that have two corners in one place (at a pole, say)."""
    a, b, c = (mesh.points[mesh.faces[:, i]] for i in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    return Mesh(mesh.points, mesh.normals, mesh.uv, mesh.faces[area > 1e-12])
