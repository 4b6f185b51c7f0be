"""Copies of the piece in its picture: where each is put, and what it is made of."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.coarse import matrix_in, points_of, repeated
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Copy
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.stance import stance_of, stance_shown

Array = NDArray[Any]

X, Y, Z = np.eye(3)


def placings_of(job: Job, body: Body) -> tuple[bytes, ...]:
    """Where each copy is, in the piece's own frame: a matrix (4, 4), float64, as bytes, that can be
    remembered by. ``body``: the piece without lettering."""
    if not job.setting.copies:
        return ()
    return _placings(job.setting.copies, body, stance_of(job).tobytes(), hung=stance_shown(job) == "hung")


@remembered
def _placings(copies: tuple[Copy, ...], body: Body, stance: bytes, *, hung: bool) -> tuple[bytes, ...]:
    into = matrix_in(stance)
    back = np.linalg.inv(into)
    points = points_of(body) @ into[:3, :3].T + into[:3, 3]
    return tuple((back @ _put(copy, points, hung=hung) @ into).tobytes() for copy in copies)


def _put(copy: Copy, points: Array, *, hung: bool) -> Array:
    """The motion (4, 4) in the scene that brings the piece, of these points (n, 3), to where its copy is:
    leant, turned, moved, and let down on what the piece is on."""
    right, beyond, out = (X, Z, -Y) if hung else (X, Y, Z)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    turned = _about(out, np.radians(copy.turn_deg)) @ _about(right, -np.radians(copy.lean_deg))
    moved = (points - middle) @ turned.T
    down = (points @ out).min() - (moved @ out).min() - middle @ out
    shift = middle + copy.beside_mm * right + copy.beyond_mm * beyond + down * out
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = turned, shift - turned @ middle
    return matrix


def _about(axis: Array, angle: float) -> Array:
    """The rotation (3, 3) about a unit axis, counter-clockwise seen against it (Rodrigues)."""
    x, y, z = axis
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross)


def shown_body(job: Job, body: Body) -> Body:
    """A job's body with its copies; itself where there are none."""
    placings = placings_of(job, body)
    return repeated(body, placings) if placings else body


@remembered
def moved(mesh: Mesh, placing: bytes) -> Mesh:
    """A mesh where a copy is: the same one each time, so that what is kept of it can be found."""
    return mesh.moved(matrix_in(placing))
