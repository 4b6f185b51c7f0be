"""Closed solids for the parts that are never lettered: round bars and prisms."""

from __future__ import annotations

from typing import Any

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import arc_angles
from kilnchisel.core.blanks.mesh import Mesh, facing_out, grid, join
from kilnchisel.core.blanks.outlines import normals_of
from kilnchisel.core.detail import Detail

Array = NDArray[Any]


def tube(line: Array, radius: float, *, detail: Detail) -> Mesh:
    """A straight round bar between two points, (2, 3)."""
    start, end = line
    way = (end - start) / np.linalg.norm(end - start)
    helper = np.array([0.0, 0.0, 1.0]) if abs(way[2]) < 0.9 else np.array([1.0, 0.0, 0.0])
    first = np.cross(helper, way)
    first /= np.linalg.norm(first)
    angle = arc_angles(0, 360, radius, detail=detail)[:-1]
    ring = radius * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    return prism(ring, start, first, np.cross(way, first), float(np.linalg.norm(end - start)))


def prism(ring: Array, origin: Array, right: Array, up: Array, length: float) -> Mesh:
    """A closed prism: a counter-clockwise outline (n, 2) in the plane of ``right`` and ``up``, pushed
    ``length`` mm along their cross product. Smooth round the outline where it bends little."""
    way = np.cross(right, up)
    base = origin + ring[:, :1] * right + ring[:, 1:] * up
    top = base + length * way
    flat = normals_of(ring)
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    step = np.roll(ring, -1, axis=0) - ring
    step /= np.linalg.norm(step, axis=1, keepdims=True)
    bend = np.einsum("ij,ij->i", step, np.roll(step, 1, axis=0))
    walls = []
    count = len(ring)
    for i in range(count):
        k = (i + 1) % count
        own = np.array([step[i, 1], -step[i, 0]])
        ends = [flat[j] if bend[j] > SMOOTH else own for j in (i, k)]
        out = np.array([n[0] * right + n[1] * up for n in ends])
        points = np.stack([base[[i, k]], top[[i, k]]])
        uv = np.zeros((2, 2, 2))
        uv[0, 1, 0] = uv[1, 1, 0] = np.linalg.norm(ring[k] - ring[i])
        uv[1, :, 1] = length
        walls.append(grid(points, np.stack([out, out]), uv))
    faces = np.asarray(mapbox_earcut.triangulate_float64(ring, np.array([count], np.uint32))).reshape(-1, 3)
    for points, sign in ((base, -1.0), (top, 1.0)):
        normals = np.broadcast_to(sign * way, points.shape).copy()
        walls.append(facing_out(points, normals, ring, faces))
    return join(walls)


SMOOTH = 0.9  # cosine of the bend up to which a prism's wall is shaded round
