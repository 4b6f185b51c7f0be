"""Where a closed mesh cuts through itself: every edge against every triangle, by closed forms.

Written for the tests alone; nothing of the program is used.
"""

import numpy as np
import shapely


def self_cuts(points, faces, deeper_than=1e-3):
    """The faces, by number, that are cut through or overlapped in their own plane by another, deeper than
    this (mm) from the borders of both. points (n, 3), faces (m, 3)."""
    points, faces = np.asarray(points, dtype=np.float64), np.asarray(faces, dtype=np.int64)
    found = set()
    for first, second in _near(points, faces, deeper_than):
        found.update(_pierced(points, faces, first, second, deeper_than))
        found.update(_overlapped(points, faces, first, second, deeper_than))
    return sorted(found)


def _near(points, faces, slack, some=400_000):
    """Pairs of faces whose boxes meet, in lots."""
    corners = points[faces]
    low, high = corners.min(axis=1) - slack, corners.max(axis=1) + slack
    # the two directions in which most of the boxes are small beside the whole
    a, b = np.argsort((high - low).mean(axis=0) / np.ptp(points, axis=0))[:2]
    c = 3 - a - b
    boxes = shapely.box(low[:, a], low[:, b], high[:, a], high[:, b])
    tree = shapely.STRtree(boxes)
    for start in range(0, len(faces), 4000):
        one, other = tree.query(boxes[start : start + 4000])
        one = one + start
        apart = (one < other) & (low[one, c] <= high[other, c]) & (low[other, c] <= high[one, c])
        one, other = one[apart], other[apart]
        for lot in range(0, len(one), some):
            yield one[lot : lot + some], other[lot : lot + some]


def _pierced(points, faces, first, second, slack):
    for edges_of, plane_of in ((first, second), (second, first)):
        for k in range(3):
            i, j = faces[edges_of][:, k], faces[edges_of][:, (k + 1) % 3]
            corner = faces[plane_of]
            free = ~(corner == i[:, None]).any(axis=1) & ~(corner == j[:, None]).any(axis=1)
            p, q = points[i[free]], points[j[free]]
            a, b, c = (points[corner[free][:, n]] for n in range(3))
            normal = np.cross(b - a, c - a)
            size = np.linalg.norm(normal, axis=1)
            sound = size > 1e-12
            normal = normal / np.maximum(size, 1e-12)[:, None]
            hp, hq = (np.einsum("ij,ij->i", x - a, normal) for x in (p, q))
            through = sound & (hp * hq < 0) & (np.abs(hp) > slack) & (np.abs(hq) > slack)
            if not through.any():
                continue
            p, q, a, b, c, normal = (x[through] for x in (p, q, a, b, c, normal))
            hp, hq = hp[through], hq[through]
            at = p + (hp / (hp - hq))[:, None] * (q - p)
            inside = np.full(len(at), np.inf)
            for u, v in ((a, b), (b, c), (c, a)):
                way = np.cross(normal, v - u)
                way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
                inside = np.minimum(inside, np.einsum("ij,ij->i", at - u, way))
            rows = np.flatnonzero(free)[through][inside > slack]
            yield from edges_of[rows].tolist()
            yield from plane_of[rows].tolist()


def _overlapped(points, faces, first, second, slack):
    a, b = points[faces[first]], points[faces[second]]
    na, nb = (np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]) for x in (a, b))
    sa, sb = np.linalg.norm(na, axis=1), np.linalg.norm(nb, axis=1)
    sound = (sa > 1e-9) & (sb > 1e-9)
    na, nb = na / np.maximum(sa, 1e-12)[:, None], nb / np.maximum(sb, 1e-12)[:, None]
    off = np.abs(np.einsum("nij,nj->ni", b - a[:, :1], na)).max(axis=1)
    flat = np.flatnonzero(sound & (off < 1e-5) & (np.abs(np.einsum("ij,ij->i", na, nb)) > 1 - 1e-9))
    if len(flat) == 0:
        return
    right = a[flat, 1] - a[flat, 0]
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    up = np.cross(na[flat], right)
    shapes = []
    for corners in (a[flat], b[flat]):
        away = corners - a[flat, :1]
        flat_points = np.stack(
            [np.einsum("nij,nj->ni", away, right), np.einsum("nij,nj->ni", away, up)], axis=-1
        )
        shapes.append(shapely.polygons(flat_points))
    deep = shapely.intersection(*shapes)
    some = shapely.area(deep) > 4 * slack * slack
    some[some] = shapely.area(shapely.buffer(deep[some], -slack)) > 0
    yield from first[flat[some]].tolist()
    yield from second[flat[some]].tolist()
