"""A lettered mesh over the surface map that its file brought.

Each triangle of the crafted piece lies on, above or below one of the mesh's own, which is found by a ray
along its normal; where its corners are on the map follows from where they are on that one. Normals are told
against the mesh's own smooth ones, in the frame of the map: right along u, up along v (the tangent space of
glTF 2.0).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import FreeMesh
from kilnchisel.core.blanks.mesh import Mesh, shares_of
from kilnchisel.core.picture.baked import LEAST_FACING, Laying
from kilnchisel.core.scene.items import Item

Array = NDArray[Any]

BEYOND = 1e-4  # of the picture: so far may a map go over its edge
OFF = 1e-4  # of the mesh's size: where rays begin
LEAST_AREA = 1e-14


def outside_its_picture(free: FreeMesh) -> bool:
    """Whether a surface map is wrapped round, or goes over several pictures."""
    assert free.surface_map is not None
    return bool(free.surface_map.min() < -BEYOND or free.surface_map.max() > 1 + BEYOND)


def laid_on_map(
    free: FreeMesh, items: Sequence[Item]
) -> tuple[tuple[float, float, float, float], tuple[Laying, ...]]:
    """The box of the map in mm, as large as has its texels about as large as they are on the mesh; and the
    items over it, each number its part."""
    assert free.surface_map is not None
    d1, d2 = (free.surface_map[:, k] - free.surface_map[:, 0] for k in (1, 2))
    flat = np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]).sum() / 2
    scale = float(np.sqrt(free.face_areas.sum() / max(float(flat), LEAST_AREA)))
    found = []
    for number, item in enumerate(items):
        laying = _laid(free, item, number, scale)
        if laying is not None:
            found.append(laying)
    return (0.0, 0.0, scale, scale), tuple(found)


def _laid(free: FreeMesh, item: Item, number: int, scale: float) -> Laying | None:
    mesh = item.mesh
    if len(mesh.faces) == 0 or free.surface_map is None:
        return None
    corners = mesh.points[mesh.faces]  # (m, 3, 3)
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(across, axis=1)
    source = _under(free, corners.mean(axis=1), across / np.maximum(size, 1e-12)[:, None])
    facing = np.einsum("nk,nk->n", across, free.face_normals[source]) / np.maximum(size, 1e-12)
    own = free.surface_map[source] * scale  # (m, 3, 2)
    ways, wide = _frames(free, source, own)
    over = (source >= 0) & (facing > LEAST_FACING) & (wide > LEAST_AREA)
    if not over.any():
        return None
    faces, spots = mesh.faces, corners.reshape(-1, 3)
    triangles = np.repeat(free.points[free.faces[source]], 3, axis=0)
    shares = shares_of(spots, triangles)
    sheet = np.einsum("nk,nkj->nj", shares, np.repeat(own, 3, axis=0))
    foot = np.einsum("nk,nkj->nj", shares, triangles)
    out = np.einsum("nk,nkj->nj", shares, np.repeat(free.corner_normals[source], 3, axis=0))
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)
    height = np.einsum("nk,nk->n", spots - foot, out)
    right, up = _square_to(np.repeat(ways, 3, axis=0), out)
    frame = np.stack([right, up, out], axis=1)
    index = faces.ravel()
    normal = np.einsum("nik,nk->ni", frame, mesh.normals[index])
    turn = _turned(mesh, faces, right, up)
    expanded = Mesh(
        spots, mesh.normals[index], mesh.uv[index], np.arange(len(index), dtype=np.int32).reshape(-1, 3)
    )
    return Laying(replace(item, mesh=expanded), sheet, height, normal, expanded.faces[over], number, turn)


def _under(free: FreeMesh, middles: Array, ways: Array) -> Array:
    """The mesh's own face below or above each place (n, 3) along a direction, the nearer, -1 for none."""
    reach = OFF * float(np.ptp(free.points, axis=0).max())
    best = np.full(len(middles), -1)
    least = np.full(len(middles), np.inf)
    for sign in (-1.0, 1.0):
        rays = (middles - sign * reach * ways).astype(np.float32), (sign * ways).astype(np.float32)
        found = free.tracer.run(*rays, output=True)
        face, far = found["primID"].astype(np.int64), np.asarray(found["tfar"], float)
        nearer = (face >= 0) & (far < least)
        # it looks the same way: not the far side of a thin wall
        nearer &= np.einsum("nk,nk->n", free.face_normals[face], ways) > 0
        best[nearer], least[nearer] = face[nearer], far[nearer]
    return best


def _frames(free: FreeMesh, source: Array, own: Array) -> tuple[Array, Array]:
    """The directions of the map's u and v on some of the mesh's faces (n, 2, 3), and how large they are
    there (n,), mm²."""
    tri = free.points[free.faces[source]]
    e1, e2 = tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
    d1, d2 = own[:, 1] - own[:, 0], own[:, 2] - own[:, 0]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    by = np.where(np.abs(area) > LEAST_AREA, area, 1.0)[:, None]
    u = (d2[:, 1:] * e1 - d1[:, 1:] * e2) / by
    v = (d1[:, :1] * e2 - d2[:, :1] * e1) / by
    return np.stack([u, v], axis=1), np.abs(area)


def _square_to(ways: Array, out: Array) -> tuple[Array, Array]:
    """u and v (n, 2, 3) as unit directions square to normals and to each other, v on the side it was."""
    u, v = ways[:, 0], ways[:, 1]
    right = u - np.einsum("nk,nk->n", u, out)[:, None] * out
    right /= np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-12)
    up = np.cross(out, right)
    return right, up * np.sign(np.einsum("nk,nk->n", up, v))[:, None]


def _turned(mesh: Mesh, faces: Array, right: Array, up: Array) -> Array:
    """What brings the directions of a mesh's own uv to those of the map, (n, 4)."""
    tri, uv = mesh.points[faces], mesh.uv[faces]
    e1, e2 = tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    by = np.where(np.abs(area) > LEAST_AREA, area, 1.0)[:, None]
    own = np.stack([(d2[:, 1:] * e1 - d1[:, 1:] * e2) / by, (d1[:, :1] * e2 - d2[:, :1] * e1) / by], axis=1)
    own /= np.maximum(np.linalg.norm(own, axis=2, keepdims=True), 1e-12)
    own = np.repeat(own, 3, axis=0)
    return np.concatenate([np.einsum("nik,nk->ni", own, right), np.einsum("nik,nk->ni", own, up)], axis=1)
