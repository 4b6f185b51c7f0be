"""Where a ray meets a curved side: first on a coarse mesh of it, then exactly by Newton's steps."""

from __future__ import annotations

from dataclasses import dataclass
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


def lattice_of(side: Side, u: Array, v: Array) -> Triangles:
    """The mesh of a grid over the sheet, by the places of its lines."""
    uv = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
    return triangles_of(side, uv, lattice_faces(len(v), len(u)))


def triangles_of(side: Side, uv: Array, faces: Array) -> Triangles:
    """The mesh of triangles on the sheet, (n, 2) and (k, 3)."""
    return Triangles(uv[faces], side.to_body(uv, np.zeros(len(uv)))[faces])


def meet_surface(side: Side, mesh: Triangles, origins: Array, directions: Array) -> Array:
    """Where rays first meet a curved side from outside: (n, 3), (n, 3) -> (n, 2), NaN for a miss."""
    found = np.full((len(origins), 2), np.nan)
    for number, (origin, way) in enumerate(zip(origins, directions, strict=True)):
        start = _first_hit(mesh, origin, way)
        if start is not None:
            found[number] = _refined(side, start, origin, way)
    return found


def _first_hit(mesh: Triangles, origin: Array, way: Array) -> Array | None:
    """Where a ray meets the coarse mesh from outside (Möller and Trumbore's test)."""
    a, b, c = mesh.body[:, 0], mesh.body[:, 1], mesh.body[:, 2]
    e1, e2 = b - a, c - a
    p = np.cross(way, e2)
    det = np.einsum("ij,ij->i", e1, p)
    with np.errstate(divide="ignore", invalid="ignore"):
        s = origin - a
        x = np.einsum("ij,ij->i", s, p) / det
        q = np.cross(s, e1)
        y = (q @ way) / det
        t = np.einsum("ij,ij->i", e2, q) / det
        seen = (det > 1e-12) & (x >= -1e-6) & (y >= -1e-6) & (x + y <= 1 + 1e-6) & (t > 0)
    if not seen.any():
        return None
    k = np.flatnonzero(seen)[np.argmin(t[seen])]
    w = np.array([1 - x[k] - y[k], x[k], y[k]])
    return np.asarray(w @ mesh.sheet[k])


def _refined(side: Side, uv: Array, origin: Array, way: Array) -> Array:
    """The exact place by Newton steps in the tangent plane."""
    low_u, low_v, high_u, high_v = side.domain.bounds
    for _ in range(NEWTON):
        at = uv[None]
        point, frame = side.to_body(at, np.zeros(1))[0], side.frames(at)[0]
        facing = float(frame[2] @ way)
        if abs(facing) < 1e-9:
            return uv
        t = float((point - origin) @ frame[2]) / facing
        off = origin + t * way - point
        step = np.linalg.solve(side.jacobian(at)[0], frame[:2] @ off)
        uv = uv + step
        uv[1] = np.clip(uv[1], low_v, high_v)
        if side.period is None:
            uv[0] = np.clip(uv[0], low_u, high_u)
        if np.abs(step).max() < NEAR_ENOUGH_MM:
            break
    return uv
