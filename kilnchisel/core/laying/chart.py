"""A chart: a piece of a free mesh with flat coordinates for its points, which makes it a side.

Between the points everything is linear: a chart follows the triangles of its mesh exactly.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import FreeMesh
from kilnchisel.core.blanks.mesh import border_edges, shares_of
from kilnchisel.core.blanks.net import Net, gridded
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.later import spatial
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]

GAP = 0.2  # of the size of a piece: parts that are farther apart do not line up
NEAR = 16  # faces among which the one under a sheet point is looked for, by their middles


@dataclass(frozen=True, eq=False)
class Chart:
    """A side of a free mesh.

    faces (k,): numbers of the mesh's faces; corners (k, 3): for each its points in ``uv`` (n, 2) mm,
    ``points`` and ``normals`` (n, 3). Counter-clockwise on the sheet.
    """

    name: str
    mesh: FreeMesh
    faces: Array
    corners: Array
    uv: Array
    points: Array
    normals: Array
    wall_mm: float
    period: float | None = None
    taper: float | None = None
    clear: tuple[ClearZone, ...] = field(default=())

    @cached_property
    def net(self) -> Net:
        return Net(gridded(self.uv), self.corners.astype(np.int32), self.uv)

    @cached_property
    def domain(self) -> shapely.Polygon:
        """The area that the chart's faces cover, with its holes; where it is in pieces, with the gaps
        between those that come close to the largest."""
        largest = max(self.pieces.geoms, key=lambda part: float(part.area))
        if len(self.pieces.geoms) == 1:
            return largest
        wide = GAP * float(np.sqrt(largest.area))
        closed = self.pieces.buffer(wide).buffer(-wide)
        parts = shapely.get_parts(closed)
        return parts[int(np.argmax(shapely.area(parts)))]

    @cached_property
    def pieces(self) -> shapely.MultiPolygon:
        """The area that the chart's faces cover, exactly."""
        edges = shapely.linestrings(self.net.points[border_edges(self.corners)])
        parts = shapely.get_parts(shapely.polygonize([shapely.union_all(edges)]))
        spots = shapely.get_coordinates(shapely.point_on_surface(parts))
        covered = self.located(spots)[1].min(axis=1) >= -1e-9
        if not covered.any():
            return as_region([shapely.MultiPoint(self.uv).convex_hull])
        return as_region([shapely.union_all(parts[covered])])

    def located(self, uv: Array) -> tuple[Array, Array]:
        """The face (as a row of ``corners``) under each sheet point, the nearest beside the chart, and the
        shares of its corners: (n,), (n, 3)."""
        count = min(NEAR, len(self.corners))
        near = self._middles.query(uv, k=count)[1].reshape(len(uv), count)
        share = _flat_shares(uv[:, None], self._flat[near])
        best = share.min(axis=2).argmax(axis=1)
        pick = np.arange(len(uv))
        return near[pick, best], share[pick, best]

    @cached_property
    def _flat(self) -> Array:
        return np.asarray(self.uv[self.corners])

    @cached_property
    def _middles(self) -> Any:
        return spatial.cKDTree(self._flat.mean(axis=1))

    def to_body(self, uv: Array, height: Array) -> Array:
        row, share = self.located(uv)
        flat = np.einsum("nk,nkj->nj", share, self.points[self.corners[row]])
        return np.asarray(flat + np.asarray(height)[:, None] * self._normals(row, share))

    def _normals(self, row: Array, share: Array) -> Array:
        mixed = np.einsum("nk,nkj->nj", np.clip(share, 0, 1), self.normals[self.corners[row]])
        return np.asarray(mixed / np.maximum(np.linalg.norm(mixed, axis=1, keepdims=True), 1e-12))

    def _steps(self, rows: Array) -> Array:
        """Body steps for unit steps along u and v on these faces, (k, 3, 2)."""
        corners = self.corners[rows]
        a, b, c = (self.uv[corners[:, i]] for i in range(3))
        p, q, r = (self.points[corners[:, i]] for i in range(3))
        flat = np.stack([b - a, c - a], axis=2)
        det = flat[:, 0, 0] * flat[:, 1, 1] - flat[:, 0, 1] * flat[:, 1, 0]
        sound = np.abs(det) > 1e-18
        inverse = np.zeros_like(flat)
        inverse[sound] = np.linalg.inv(flat[sound])
        return np.asarray(np.stack([q - p, r - p], axis=2) @ inverse)

    def frames(self, uv: Array) -> Array:
        row, share = self.located(uv)
        out = self._normals(row, share)
        along = self._steps(row)[:, :, 0]
        along = along - np.einsum("ij,ij->i", along, out)[:, None] * out
        along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
        return np.stack([along, np.cross(out, along), out], axis=1)

    def jacobian(self, uv: Array) -> Array:
        row, _ = self.located(uv)
        along, up = np.moveaxis(self._steps(row), 2, 0)
        first = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
        off = np.einsum("ij,ij->i", up, first)
        rest = np.linalg.norm(up - off[:, None] * first, axis=1)
        wide = np.einsum("ij,ij->i", along, first)
        return np.stack(
            [np.stack([wide, off], axis=1), np.stack([np.zeros_like(off), rest], axis=1)], axis=1
        )

    def true_at(self, spot: Array) -> Array:
        return np.eye(2)  # a chart is sized as a whole; one triangle's own stretch means nothing

    @cached_property
    def _tracer(self) -> Any:
        scene = EmbreeScene()
        TriangleMesh(scene, self.points[self.corners].astype(np.float32))
        return scene

    def meet(self, origins: Array, directions: Array) -> Array:
        rays = (origins.astype(np.float32), np.asarray(directions).astype(np.float32))
        found = self._tracer.run(*rays, output=True)
        row = np.asarray(found["primID"])
        uv = np.full((len(origins), 2), np.nan)
        hit = row >= 0
        if not hit.any():
            return uv
        a, b, c = (self.points[self.corners[row[hit], i]] for i in range(3))
        normal = np.cross(b - a, c - a)
        way = np.asarray(directions)[hit]
        facing = np.einsum("ij,ij->i", normal, way)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.einsum("ij,ij->i", a - origins[hit], normal) / facing
        spot = origins[hit] + t[:, None] * way
        share = shares_of(spot, np.stack([a, b, c], axis=1))
        uv[hit] = np.einsum("nk,nkj->nj", share, self._flat[row[hit]])
        turned = np.flatnonzero(hit)[facing >= 0]
        uv[turned] = np.nan
        return uv

    def degrees(self, length_mm: float) -> float | None:
        return None


def _flat_shares(spot: Array, triangles: Array) -> Array:
    """Barycentric shares (..., 3) of flat points in triangles (..., 3, 2)."""
    a, b, c = (triangles[..., i, :] for i in range(3))
    e1, e2, away = b - a, c - a, spot - a
    det = e1[..., 0] * e2[..., 1] - e1[..., 1] * e2[..., 0]
    det = np.where(np.abs(det) < 1e-18, 1e-18, det)
    second = (away[..., 0] * e2[..., 1] - away[..., 1] * e2[..., 0]) / det
    third = (e1[..., 0] * away[..., 1] - e1[..., 1] * away[..., 0]) / det
    return np.stack([1 - second - third, second, third], axis=-1)
