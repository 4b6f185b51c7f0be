"""Boxes of what a scene is surrounded with: only the sides that are seen, with uv at true size."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, join

Array = NDArray[Any]

SIDES = {  # of a box: corners as (x, y, z) of low (0) and high (1), counter-clockwise from outside
    "front": ((0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)),
    "back": ((1, 1, 0), (0, 1, 0), (0, 1, 1), (1, 1, 1)),
    "left": ((0, 1, 0), (0, 0, 0), (0, 0, 1), (0, 1, 1)),
    "right": ((1, 0, 0), (1, 1, 0), (1, 1, 1), (1, 0, 1)),
    "top": ((0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)),
}
FACING = {"front": (0, -1, 0), "back": (0, 1, 0), "left": (-1, 0, 0), "right": (1, 0, 0), "top": (0, 0, 1)}


def boxes(low: Any, high: Any, *sides: str, shifts: Any = (0.0, 0.0)) -> Mesh:
    """Some sides of upright boxes, uv in mm. low, high (n, 3); shifts (n, 2): of their uv."""
    ends = np.stack([np.atleast_2d(low), np.atleast_2d(high)])
    parts = []
    for side in sides:
        which = np.array(SIDES[side])
        corners = np.stack([ends[which[:, axis], :, axis].T for axis in range(3)], axis=2)
        x, y = (1, 2) if side in ("left", "right") else (0, 1) if side == "top" else (0, 2)
        flat = corners[..., [x, y]] + np.reshape(shifts, (-1, 1, 2))
        if side in ("back", "left"):  # seen from there, it runs the other way
            flat = flat * (-1.0, 1.0)
        parts.append(_quads(corners, flat, FACING[side]))
    return join(parts)


def _quads(corners: Array, uv: Array, normal: tuple[int, int, int]) -> Mesh:
    """Quads (n, 4, 3), counter-clockwise, with their uv (n, 4, 2), that all face one way."""
    index = np.arange(4 * len(corners)).reshape(-1, 4)
    faces = np.concatenate([index[:, [0, 1, 2]], index[:, [0, 2, 3]]]).astype(np.int32)
    normals = np.broadcast_to(np.array(normal, dtype=float), (4 * len(corners), 3)).copy()
    return Mesh(corners.reshape(-1, 3).astype(float), normals, uv.reshape(-1, 2).astype(float), faces)
