"""The camera from the four corners of a rectangle of known size.

First guess: the plane's homography (Hartley and Zisserman, Multiple View Geometry, 2nd edition, 8.1 and
example 8.18): its first two columns are at right angles and as long as the sides tell, if the focal length
is right. Then least squares over the corners.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Rectangle
from kilnchisel.core.photo.stood import (
    LEAST_LENS,
    LENS,
    MOST_LENS,
    SHIFTS,
    TURNS,
    Fit,
    Stood,
    fitted,
    stood_of,
    with_a_lens,
)

Array = NDArray[Any]

EDGE_ON = 0.01  # of the square of its longer diagonal, that a rectangle's picture must have in area
ALIKE_PX = 12.0  # the corners together: two tilts that are as near as this are both followed
TRIED = 25  # focal lengths of a first look
ACROSS = {"wall": np.array([0.0, 0.0, 1.0]), "ground": np.array([0.0, 1.0, 0.0])}


def from_rectangle(told: Rectangle, lens_mm: float | None, size: tuple[int, int]) -> Stood:
    """Where the camera stood. Raises KilnError for corners that are no rectangle's."""
    corners = checked(told)
    flat = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) / 2 * (told.width_mm, told.height_mm)
    marks = corners - np.array(size) / 2
    plane = homography(flat, marks)
    axes = np.array([1.0, 0.0, 0.0]), ACROSS[told.on]
    points = flat[:, :1] * axes[0] + flat[:, 1:] * axes[1]

    def left(fit: Fit) -> Array:
        return np.asarray((fit.seen(points) - marks).ravel())

    def solve(focal: float | None) -> Stood | None:
        longer = max(size)
        tried = np.geomspace(LEAST_LENS, MOST_LENS, TRIED) * longer if focal is None else [focal]
        firsts = [posed(plane, float(one), axes) for one in tried]
        firsts.sort(key=lambda fit: float(np.sum(left(fit) ** 2)))
        starts = [firsts[0]]
        other = other_way(firsts[0], np.cross(*axes))
        if np.linalg.norm(left(other)) < ALIKE_PX:
            starts.append(other)
        steps = TURNS + SHIFTS + (LENS if focal is None else ())
        return stood_of(*fitted(starts, left, steps), size, free=focal is None)

    return with_a_lens(solve, lens_mm, size)


def checked(told: Rectangle) -> Array:
    """The corners (4, 2). Raises KilnError where they cross, go round the wrong way or lie in a line."""
    corners = np.array(told.corners)
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    bends = -(sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0])  # y is down
    x, y = corners.T
    area = 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))
    longer = max(np.sum((corners[2] - corners[0]) ** 2), np.sum((corners[3] - corners[1]) ** 2))
    if (bends < 0).all():
        raise KilnError(
            "The corners go round the other way; begin at the lower left one and go on to the lower right."
        )
    if (bends <= 0).any():
        raise KilnError(
            "The corners cross or turn inward; a rectangle seen in a photo has four that go round."
        )
    if area < EDGE_ON * longer:
        raise KilnError("This rectangle is seen from its edge; take one that faces the camera more.")
    return corners


def homography(flat: Array, marks: Array) -> Array:
    """The (3, 3) that brings four points of a plane to four pixels (direct linear transform, Hartley and
    Zisserman 4.1); numbers are brought near 1 first."""
    into, out = _near_one(flat), _near_one(marks)
    a, b = _through(into, flat), _through(out, marks)
    rows = []
    for (x, y), (u, v) in zip(a, b, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, -u], [0, 0, 0, x, y, 1, -v * x, -v * y, -v]]
    found = np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3)
    return np.asarray(np.linalg.inv(out) @ found @ into)


def _near_one(points: Array) -> Array:
    middle = points.mean(axis=0)
    scale = 1 / max(float(np.abs(points - middle).max()), 1e-9)
    return np.array([[scale, 0, -scale * middle[0]], [0, scale, -scale * middle[1]], [0, 0, 1]])


def _through(matrix: Array, points: Array) -> Array:
    ends = np.c_[points, np.ones(len(points))] @ matrix.T
    return np.asarray(ends[:, :2] / ends[:, 2:])


def posed(plane: Array, focal: float, axes: tuple[Array, Array]) -> Fit:
    """The camera with this focal length that sees a plane with these axes through a homography."""
    columns = np.diag([1 / focal, 1 / focal, 1]) @ plane
    columns = columns * (2 / (np.linalg.norm(columns[:, 0]) + np.linalg.norm(columns[:, 1])))
    if columns[2, 2] < 0:
        columns = -columns
    first, second, shift = columns.T
    seen = np.stack([first, second, np.cross(first, second)], axis=1)
    own = np.stack([*axes, np.cross(*axes)], axis=1)
    u, _, vt = np.linalg.svd(seen)
    look = u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt @ own.T
    return Fit(look, shift, focal)


def other_way(fit: Fit, normal: Array) -> Fit:
    """The camera that sees a plane with this normal tilted the other way about the line of sight: from afar
    both see nearly the same (Collins and Bartoli, Infinitesimal Plane-Based Pose Estimation, 2014)."""
    sight = fit.shift / np.linalg.norm(fit.shift)
    half_turn, about = (2 * np.outer(one, one) - np.eye(3) for one in (sight, normal))
    return Fit(half_turn @ fit.look @ about, fit.shift, fit.focal)
