"""Grounds that are no plane seen close by: bricks that stand out of their joints, blades of grass."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.coarse import matrix_in
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.finishes.textures import BRICK_MM, COURSE_MM, JOINT_MM, STRETCHER_MM
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grass import grown, meadow

Array = NDArray[Any]

MOST_BRICKS = 6000
SET_BACK_MM = 7.0  # the joints, behind the faces
UNEVEN_MM, CROOKED_MM = 0.9, 0.8  # how far faces stand out unevenly, and corners stray
PROUD_MM = 0.7  # none stands out farther: what hangs before the wall is little farther away
ROUNDED_MM = 3.5  # the worn edge of a brick


@remembered
def bricked(half_mm: float) -> Mesh:
    """Bricks over a wall, half_mm each way of the origin of its sheet, in the sheet's own frame (u, v,
    outward), laid as the brick texture is; at 0 their faces, between them nothing."""
    reach = min(half_mm, float(np.sqrt(MOST_BRICKS * BRICK_MM * COURSE_MM)) / 2)
    courses = np.arange(-int(reach // COURSE_MM) - 1, int(reach // COURSE_MM) + 1)
    columns = np.arange(-int(reach // BRICK_MM) - 1, int(reach // BRICK_MM) + 2)
    course, column = (x.ravel() for x in np.meshgrid(courses, columns, indexing="ij"))
    shift = np.where(course % 2 == 0, 0.0, BRICK_MM / 2)
    middle = np.stack([column * BRICK_MM + BRICK_MM / 2 - shift, (course + 0.5) * COURSE_MM], axis=1)
    count = len(middle)
    rng = np.random.default_rng(411)
    ways = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], float)
    half = np.array([STRETCHER_MM, COURSE_MM - JOINT_MM]) / 2
    corner = middle[:, None] + ways * half + rng.uniform(-CROOKED_MM, CROOKED_MM, (count, 4, 2))
    inner = corner - ways * ROUNDED_MM
    # each face a little in or out, and a little askew
    out = rng.normal(0, UNEVEN_MM, (count, 1)) + rng.normal(0, UNEVEN_MM / 3, (count, 4))
    out = np.clip(out - PROUD_MM, -3 * UNEVEN_MM, PROUD_MM)
    rounded = np.concatenate([ways / np.sqrt(2), np.ones((4, 1))], axis=1) / np.sqrt(2)
    rows = [
        (inner, out, np.broadcast_to([0.0, 0.0, 1.0], (4, 3))),
        (corner, out - 0.4 * ROUNDED_MM, rounded),
    ]
    sides = []
    for n in range(4):  # the four sides, down into the joint
        pair = [n, (n + 1) % 4]
        facing = (ways[n] + ways[(n + 1) % 4]) / 2
        normal = np.broadcast_to([*facing, 0.0], (2, 3))
        sides += [
            (corner[:, pair], out[:, pair] - 0.4 * ROUNDED_MM, normal),
            (corner[:, pair], np.full((count, 2), -2 * SET_BACK_MM), normal),
        ]
    points, normals, uv = [], [], []
    for flat, high, normal in (*rows, *sides):
        points.append(np.concatenate([flat, high[..., None]], axis=2))
        normals.append(np.broadcast_to(normal, (count, *normal.shape)))
        # what is on its edge has the brick's own colour, not the joint's
        within = np.clip(flat - middle[:, None], -half + ROUNDED_MM, half - ROUNDED_MM)
        uv.append(middle[:, None] + within)
    top = [[0, 1, 2], [0, 2, 3]]
    for n in range(4):
        m = (n + 1) % 4
        top += [[n, 4 + n, 4 + m], [n, 4 + m, m]]
        first = 8 + 4 * n
        top += [[first, first + 2, first + 3], [first, first + 3, first + 1]]
    size = 24
    faces = np.array(top)[None] + size * np.arange(count)[:, None, None]
    return Mesh(
        np.concatenate(points, axis=1).reshape(-1, 3),
        np.concatenate(normals, axis=1).reshape(-1, 3).astype(float),
        np.concatenate(uv, axis=1).reshape(-1, 2),
        faces.reshape(-1, 3).astype(np.int32),
    )


MADE: dict[str, Callable[..., Mesh]] = {"bricks": bricked, "blades": grown, "meadow": meadow}


@remembered
def laid(kind: str, frame: bytes, flat: Mesh, sizes: tuple[Any, ...]) -> Mesh:
    """The relief of a kind of ground on its plane. ``frame``: the motion (4, 4), float64 as bytes, that
    brings the sheet's u, v and outward into the scene; ``flat``: the plane itself; ``sizes``: what the
    relief is made by."""
    into = matrix_in(frame)
    relief = MADE[kind](*sizes)
    sunk = np.eye(4)
    sunk[:3, 3] = -(SET_BACK_MM if kind == "bricks" else 0.0) * into[:3, 2]
    return join([flat.moved(sunk), relief.moved(into)])
