"""Closed solids for the parts that are never lettered: round bars and prisms."""

from __future__ import annotations

from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import arc_angles
from kilnchisel.core.blanks.mesh import Mesh, doubled_areas, facing_out, grid, join, without_slivers
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


def bar(line: Array, thick: Array, around: int) -> Mesh:
    """A closed round bar along a smooth line (n, 3), as thick at each of its points."""
    way = np.gradient(line, axis=0)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    first = np.empty_like(way)
    side = np.cross(way[0], [0.0, 1.0, 0.3])
    for number, one in enumerate(way):  # carried along without turning
        side = side - (side @ one) * one
        side /= np.linalg.norm(side)
        first[number] = side
    second = np.cross(way, first)
    turn = np.linspace(0, 2 * np.pi, around + 1)
    turn[-1] = 0.0
    out = np.cos(turn)[None, :, None] * first[:, None] + np.sin(turn)[None, :, None] * second[:, None]
    points = line[:, None] + thick[:, None, None] * out
    ends = [np.broadcast_to(line[k], (1, around + 1, 3)) for k in (0, -1)]
    caps = [np.broadcast_to(s * way[k], (1, around + 1, 3)) for k, s in ((0, -1.0), (-1, 1.0))]
    rows = np.concatenate([ends[0], points, ends[1]])
    normals = np.concatenate([caps[0], out, caps[1]])
    uv = np.zeros((*rows.shape[:2], 2))
    return without_slivers(grid(rows, normals, uv))


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


def plate(area: shapely.Polygon, origin: Array, right: Array, up: Array, length: float) -> Mesh:
    """A closed plate of any outline with holes, in the plane of ``right`` and ``up``, pushed ``length`` mm
    along their cross product; its edges are flat."""
    way = np.cross(right, up)
    area = shapely.orient_polygons(area)
    flat, faces = _conforming(area)
    base = origin + flat[:, :1] * right + flat[:, 1:] * up
    parts = []
    for points, sign in ((base, -1.0), (base + length * way, 1.0)):
        normals = np.broadcast_to(sign * way, points.shape).copy()
        parts.append(facing_out(points, normals, flat, faces))
    start = 0
    for ring in (area.exterior, *area.interiors):
        count = len(shapely.get_coordinates(ring)) - 1
        loop = flat[start : start + count]
        index = start + np.append(np.arange(count), 0)
        out2 = normals_of(loop)
        out2 /= np.linalg.norm(out2, axis=1, keepdims=True)
        out = np.append(out2, out2[:1], axis=0) @ np.stack([right, up])
        walls = np.stack([base[index], base[index] + length * way])
        run = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(walls[0], axis=0), axis=1)))
        uv = np.stack(np.broadcast_arrays(run[None], np.array([[0.0], [length]])), axis=-1)
        parts.append(grid(walls, np.stack([out, out]), uv))
        start += count
    return join(parts)


def _conforming(area: shapely.Polygon) -> tuple[Array, Array]:
    """A flat area in triangles none of whose edges runs through a corner of it, as may happen where
    corners of its holes lie in one line: points (n, 2) and faces (m, 3)."""
    rings = [shapely.get_coordinates(ring)[:-1] for ring in (area.exterior, *area.interiors)]
    flat = np.concatenate(rings)
    number = {tuple(point): k for k, point in enumerate(flat.tolist())}
    triangles = shapely.get_parts(shapely.constrained_delaunay_triangles(area))
    corners = shapely.get_coordinates(triangles).reshape(len(triangles), 4, 2)[:, :3]
    faces = np.array([[number[tuple(point)] for point in three] for three in corners.tolist()])
    turned = doubled_areas(flat, faces) < 0
    return flat, np.where(turned[:, None], faces[:, ::-1], faces)


def lathed(profile: Array, origin: Array, axis: Array, first: Array, around: int) -> Mesh:
    """A closed body of revolution: ``profile`` (n, 2) of radius and place along ``axis``, closed, counter-
    clockwise as radius runs right and the axis up; shaded round where it bends little."""
    second = np.cross(axis, first)
    closed = np.append(profile, profile[:1], axis=0)
    step = np.diff(closed, axis=0)
    step /= np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-12)
    own = np.stack([step[:, 1], -step[:, 0]], axis=1)
    turn = np.linspace(0, 2 * np.pi, around + 1)
    turn[-1] = 0.0
    radial = np.cos(turn)[:, None] * first + np.sin(turn)[:, None] * second
    parts = []
    for k in range(len(profile)):
        if closed[k, 0] < 1e-9 and closed[k + 1, 0] < 1e-9:
            continue  # along the axis
        ends, normals = closed[[k, k + 1]], []
        for number, beside in ((k, k - 1), (k, (k + 1) % len(profile))):
            soft = own[number] @ own[beside] > SMOOTH
            way = own[number] + own[beside] if soft else own[number]
            normals.append(way / np.linalg.norm(way))
        points = origin + ends[:, None, :1] * radial + ends[:, None, 1:] * axis
        out = np.stack([n[0] * radial + n[1] * axis for n in normals])
        uv = np.stack(np.broadcast_arrays(turn[None] * ends[:, :1].mean(), ends[:, 1:]), axis=-1)
        parts.append(without_slivers(grid(points, out, uv)))
    return join(parts)
