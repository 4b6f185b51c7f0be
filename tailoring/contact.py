"""What of a cloth may come to touch within a frame."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import sparse, spatial

from tailoring.sewn import Sewn
from tailoring.solver import Touching

Array = NDArray[Any]

NO_PAIRS = np.zeros((0, 2), dtype=np.int64), np.zeros(0)
NO_LAYERS = np.zeros((0, 4), dtype=np.int64), np.zeros(0), np.zeros((0, 3))
NEAR = 6.0  # gaps: how far off another layer may be that is looked at
AT_ONCE = 4096  # faces: what is near all of a folded garment's would fill the memory
OUTSIDE = -0.12  # of a triangle: so far beyond its edges a particle still counts as over it


def folds(x: Array, rest: Array, reach: float) -> Touching:
    """Particles that may come to touch and are not neighbours in the cloth as it lay, ``rest``: they stay
    ``reach`` mm apart."""
    found = spatial.cKDTree(x).query_pairs(1.7 * reach, output_type="ndarray")
    away = np.linalg.norm(rest[found[:, 0]] - rest[found[:, 1]], axis=1)
    return Touching(np.ascontiguousarray(found), np.minimum(reach, away), *NO_LAYERS, 0.0)


class Layers:
    """Layers that lie on each other nearer than particles are apart: each particle stays on its side of the
    triangles of others. They must not cross at first."""

    def __init__(self, cloth: Sewn, edges: Array, gap: float) -> None:
        self._faces, self._gap = cloth.faces, gap
        count = len(cloth.points)
        links = np.concatenate([edges, edges[:, ::-1]])
        beside = sparse.csr_array((np.ones(len(links), dtype=np.int8), links.T), shape=(count, count))
        two = (beside + beside @ beside).tocoo()
        self._size = count
        self._neighbours = np.unique(two.coords[0].astype(np.int64) * count + two.coords[1])
        corner = cloth.points[cloth.faces]
        wide = np.linalg.norm(corner - corner.mean(axis=1, keepdims=True), axis=2).max()
        self._reach = float(np.hypot(wide, NEAR * gap))

    def touching(self, x: Array) -> Touching:
        """What is near what, at places (n, 3)."""
        faces = self._faces
        tree = spatial.cKDTree(x)
        found = [self._near(x, tree, faces[at : at + AT_ONCE]) for at in range(0, len(faces), AT_ONCE)]
        above, side, weights = (np.concatenate(one) for one in zip(*found, strict=True))
        return Touching(*NO_PAIRS, above, side, weights, self._gap)

    def _near(self, x: Array, tree: spatial.cKDTree, faces: Array) -> tuple[Array, Array, Array]:
        """Of some faces: what is near them (k, 4), on which side, and where on them."""
        near = tree.query_ball_point(x[faces].mean(axis=1), self._reach)
        counts = np.array([len(one) for one in near])
        who = np.concatenate([np.asarray(one, dtype=np.int64) for one in near])
        corners = np.repeat(faces, counts, axis=0)
        keep = np.ones(len(who), dtype=bool)
        for k in range(3):
            key = who * self._size + corners[:, k]
            at = np.minimum(np.searchsorted(self._neighbours, key), len(self._neighbours) - 1)
            keep &= (self._neighbours[at] != key) & (who != corners[:, k])
        who, corners = who[keep], corners[keep]
        a, b, c = (x[corners[:, k]] for k in range(3))
        e, f, p = b - a, c - a, x[who] - a
        out = np.cross(e, f)
        square = np.einsum("ij,ij->i", out, out)
        v = np.einsum("ij,ij->i", np.cross(p, f), out) / square
        w = np.einsum("ij,ij->i", np.cross(e, p), out) / square
        u = 1 - v - w
        high = np.einsum("ij,ij->i", p, out) / np.sqrt(square)
        over = (np.minimum(np.minimum(u, v), w) > OUTSIDE) & (np.abs(high) < NEAR * self._gap)
        return np.column_stack([who, corners])[over], np.sign(high[over]), np.stack([u, v, w], axis=1)[over]
