"""Where a ray meets a curved side: first on a coarse mesh of it, then exactly by Newton's steps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import lattice_faces
from kilnchisel.core.blanks.sides import Side

Array = NDArray[Any]

NEWTON = 6
NEAR_ENOUGH_MM = 1e-9


@dataclass(frozen=True, eq=False)
class Triangles:
    """A coarse mesh of a side: corners on the sheet (k, 3, 2) and on the body (k, 3, 3), mm."""

    sheet: Array
    body: Array

    @cached_property
    def planes(self) -> tuple[Array, Array, Array, Array]:
        """A corner of each, its two edges from there, and their cross product, each (k, 3)."""
        a, b, c = (np.ascontiguousarray(self.body[:, k]) for k in range(3))
        return a, b - a, c - a, np.cross(b - a, c - a)


def lattice_of(side: Side, u: Array, v: Array) -> Triangles:
    """The mesh of a grid over the sheet, by the places of its lines."""
    uv = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
    return triangles_of(side, uv, lattice_faces(len(v), len(u)))


def triangles_of(side: Side, uv: Array, faces: Array) -> Triangles:
    """The mesh of triangles on the sheet, (n, 2) and (k, 3)."""
    return Triangles(uv[faces], side.to_body(uv, np.zeros(len(uv)))[faces])


# a place on the sheet (2,) -> where it is on the body (3,), what steps along u and v become there (3, 2)
Tangents = Callable[[Array], tuple[Array, Array]]


def meet_surface(
    side: Side, mesh: Triangles, origins: Array, directions: Array, tangents: Tangents | None = None
) -> Array:
    """Where rays first meet a curved side from outside: (n, 3), (n, 3) -> (n, 2), NaN for a miss.
    ``tangents``: the side's own, where its frames and Jacobian take longer or tell of cloth that is
    ironed."""
    found = np.full((len(origins), 2), np.nan)
    for number, (origin, way) in enumerate(zip(origins, directions, strict=True)):
        start = _first_hit(mesh, origin, way)
        if start is not None:
            found[number] = _refined(side, tangents or partial(_tangents, side), start, origin, way)
    return found


def _tangents(side: Side, uv: Array) -> tuple[Array, Array]:
    at = uv[None]
    return side.to_body(at, np.zeros(1))[0], side.frames(at)[0, :2].T @ side.jacobian(at)[0]


def _first_hit(mesh: Triangles, origin: Array, way: Array) -> Array | None:
    """Where a ray meets the coarse mesh from outside (Möller and Trumbore's test, turned so that the edges'
    cross product comes first: half of all triangles face away)."""
    corner, one, other, cross = mesh.planes
    det = -(cross @ way)
    near = np.flatnonzero(det > 1e-12)
    off = origin - corner[near]
    det = det[near]
    x = _triple(way, other[near], off) / det
    y = _triple(way, off, one[near]) / det
    t = np.einsum("ij,ij->i", off, cross[near]) / det
    met = np.flatnonzero((x >= -1e-6) & (y >= -1e-6) & (x + y <= 1 + 1e-6) & (t > 0))
    if not len(met):
        return None
    k = met[np.argmin(t[met])]
    w = np.array([1 - x[k] - y[k], x[k], y[k]])
    return np.asarray(w @ mesh.sheet[near[k]])


def _triple(way: Array, p: Array, q: Array) -> Array:
    """way · (p × q) for rows of p and q, (k,)."""
    found = way[0] * (p[:, 1] * q[:, 2] - p[:, 2] * q[:, 1])
    found += way[1] * (p[:, 2] * q[:, 0] - p[:, 0] * q[:, 2])
    found += way[2] * (p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0])
    return np.asarray(found)


def _refined(side: Side, tangents: Tangents, uv: Array, origin: Array, way: Array) -> Array:
    """The exact place by Newton's steps: where the ray meets the tangent plane."""
    low_u, low_v, high_u, high_v = side.domain.bounds
    for _ in range(NEWTON):
        point, plane = tangents(uv)
        out = np.cross(plane[:, 0], plane[:, 1])
        if abs(out @ way) < 1e-9 * np.linalg.norm(out):
            return uv
        step = np.linalg.solve(np.column_stack([plane, -way]), origin - point)[:2]
        uv = uv + step
        uv[1] = np.clip(uv[1], low_v, high_v)
        if side.period is None:
            uv[0] = np.clip(uv[0], low_u, high_u)
        if np.abs(step).max() < NEAR_ENOUGH_MM:
            break
    return uv
