"""The plaque: a flat plate with rounded edges, standing on z = 0 with its front facing -y."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Sheet, Shell, arc_angles
from kilnchisel.core.blanks.mesh import Mesh, grid
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.job.blank import Plaque

Array = NDArray[Any]


def plaque_body(plaque: Plaque, fine: bool) -> Body:
    """The body of a plaque; the front is at y = 0, the back at y = thickness."""
    ring, out = _outline(plaque, fine)
    inset = plaque.edge_round_mm
    face = ring - inset * out
    middle = np.array([0.0, 0.0, plaque.height_mm / 2])
    deep = np.array([0.0, plaque.thickness_mm, 0.0])
    x, z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])
    front = Plane("front", _area(face), middle, x, z, plaque.thickness_mm)
    mirrored = (face * [-1.0, 1.0])[::-1]
    back = Plane("back", _area(mirrored), middle + deep, -x, z, plaque.thickness_mm)
    none = np.empty(0)
    return Body(
        (Shell("edge", "rim", _edge(plaque, ring, out, fine)),),
        (Sheet(front, "blank", none), Sheet(back, "blank", none)),
    )


def _area(ring: Array) -> shapely.Polygon:
    """The polygon of a ring whose corners may have shrunk to single points."""
    return shapely.remove_repeated_points(shapely.Polygon(ring), 1e-7)


def _outline(plaque: Plaque, fine: bool) -> tuple[Array, Array]:
    """The outer outline about its middle, counter-clockwise seen from the front, and its outward
    normals: (n, 2) each as (x, z)."""
    a, b = plaque.width_mm / 2, plaque.height_mm / 2
    if plaque.shape == "oval":
        count = 8 * (len(arc_angles(0, 45, max(a, b) ** 2 / min(a, b), fine)))
        t = np.linspace(0, 2 * np.pi, count, endpoint=False)
        points = np.stack([a * np.cos(t), b * np.sin(t)], axis=1)
        normals = np.stack([b * np.cos(t), a * np.sin(t)], axis=1)
        return points, normals / np.linalg.norm(normals, axis=1, keepdims=True)
    # corners at least as round as the edge, so that the face's inset keeps every point
    corner = float(np.clip(plaque.corner_mm, plaque.edge_round_mm, min(a, b)))
    points_list, normals_list = [], []
    for start, sx, sz in ((0, 1, 1), (90, -1, 1), (180, -1, -1), (270, 1, -1)):
        angle = arc_angles(start, start + 90, corner, fine)
        normal = np.stack([np.cos(angle), np.sin(angle)], axis=1)
        centre = np.array([sx * (a - corner), sz * (b - corner)])
        points_list.append(centre + corner * normal)
        normals_list.append(normal)
    points, normals = np.concatenate(points_list), np.concatenate(normals_list)
    apart = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 1e-6
    return points[apart], normals[apart]


def _edge(plaque: Plaque, ring: Array, out: Array, fine: bool) -> Mesh:
    """The band between front and back: quarter round, straight, quarter round."""
    r, deep = plaque.edge_round_mm, plaque.thickness_mm
    first = arc_angles(-90, 0, r, fine)
    second = arc_angles(0, 90, r, fine)
    if deep - 2 * r < 1e-6:
        second = second[1:]
    angle = np.concatenate([first, second])
    centre_y = np.where(np.arange(len(angle)) < len(first), r, deep - r)
    outward = r * np.cos(angle) - r
    y = centre_y + r * np.sin(angle)
    closed, normal = np.vstack([ring, ring[:1]]), np.vstack([out, out[:1]])
    flat = closed[None] + outward[:, None, None] * normal[None]
    points = np.stack(
        [
            flat[..., 0],
            np.broadcast_to(y[:, None], flat.shape[:2]),
            flat[..., 1] + plaque.height_mm / 2,
        ],
        axis=-1,
    )
    normals = np.stack(
        [
            np.cos(angle)[:, None] * normal[None, :, 0],
            np.broadcast_to(np.sin(angle)[:, None], flat.shape[:2]),
            np.cos(angle)[:, None] * normal[None, :, 1],
        ],
        axis=-1,
    )
    steps = np.linalg.norm(np.diff(closed, axis=0), axis=1)
    run = np.concatenate([[0.0], np.cumsum(steps)])
    drop = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(y), np.diff(outward)))])
    uv = np.stack(np.broadcast_arrays(run[None, :], drop[:, None]), axis=-1)
    return grid(points, normals, uv)
