"""The plaque: a flat plate with rounded edges, standing on z = 0 with its front facing -y."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Sheet, Shell, arc_angles
from kilnchisel.core.blanks.mesh import Mesh, grid
from kilnchisel.core.blanks.outlines import oval, rectangle
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
    return Body(
        (Shell("edge", "rim", _edge(plaque, ring, out, fine)),),
        (Sheet(front, "blank"), Sheet(back, "blank")),
    )


def _area(ring: Array) -> shapely.Polygon:
    """The polygon of a ring whose corners may have shrunk to single points."""
    return shapely.remove_repeated_points(shapely.Polygon(ring), 1e-7)


def _outline(plaque: Plaque, fine: bool) -> tuple[Array, Array]:
    """The outer outline about its middle, counter-clockwise seen from the front, and its outward
    normals: (n, 2) each as (x, z)."""
    if plaque.shape == "oval":
        return oval(plaque.width_mm, plaque.height_mm, fine)
    # corners at least as round as the edge, so that the face's inset keeps every point
    corner = max(plaque.corner_mm, plaque.edge_round_mm)
    return rectangle(plaque.width_mm, plaque.height_mm, corner, fine)


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
