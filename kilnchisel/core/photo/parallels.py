"""The camera from lines that are parallel in life, and one length.

Lines of one direction meet in its vanishing point; two directions at right angles give the focal length
(Hartley and Zisserman, Multiple View Geometry, 2nd edition, 8.8), and all of them how the camera was held.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Line, Parallels
from kilnchisel.core.photo.stood import (
    LEAST_LENS,
    LENS,
    MARKED_PX,
    MOST_LENS,
    TURNS,
    Fit,
    Stood,
    fitted,
    stood_of,
    with_a_lens,
)

Array = NDArray[Any]

WAYS = {"along": np.array([1.0, 0, 0]), "away": np.array([0, 1.0, 0]), "upright": np.array([0, 0, 1.0])}
NAMES = {"along": "along the wall", "away": "away from it", "upright": "upright"}
SHORT_PX = 4.0  # a line that is shorter tells nothing
TRIED = 25


def from_parallels(told: Parallels, lens_mm: float | None, size: tuple[int, int]) -> Stood:
    """Where the camera stood. Raises KilnError where the lines do not tell it."""
    middle = np.array(size) / 2
    lines = {way: _lines(getattr(told, way), way, middle) for way in WAYS}
    known = {way: both for way, both in lines.items() if len(both)}
    if len(known) < 2 or any(len(both) < 2 for both in known.values()):
        raise KilnError("Mark two lines at least in each of two directions: along, upright or away.")
    points = {way: vanishing(both) for way, both in known.items()}

    def left(fit: Fit) -> Array:
        return np.concatenate([off_their_point(both, fit.look @ WAYS[way] * (fit.focal, fit.focal, 1))
                               for way, both in known.items()])  # fmt: skip

    def solve(focal: float | None) -> Stood | None:
        firsts = [held(points, one) for one in ([focal] if focal else _focal_lengths(points, size))]
        first = min(firsts, key=lambda fit: float(np.sum(left(fit) ** 2)))
        fit, covariance, off = fitted([first], left, TURNS + (() if focal else LENS))
        fit = replace(fit, shift=_measured(told, fit, middle))
        stood = stood_of(fit, covariance, off, size, free=focal is None)
        long_px = float(np.linalg.norm(np.subtract(*told.measured)))
        shares = stood.place_share, stood.focal_share, MARKED_PX * np.sqrt(2) / long_px
        return replace(stood, place_share=float(np.linalg.norm(shares)))

    return with_a_lens(solve, lens_mm, size)


def _lines(lines: tuple[Line, ...], way: str, middle: Array) -> Array:
    """Lines as pairs of points from the picture's middle, (n, 2, 2)."""
    both = np.array(lines, float).reshape(-1, 2, 2) - middle
    if (np.linalg.norm(both[:, 1] - both[:, 0], axis=1) < SHORT_PX).any():
        raise KilnError(f"A line {NAMES[way]} is too short; draw it from one end of the edge to the other.")
    return both


def vanishing(both: Array) -> Array:
    """The point (3,), homogeneous, that lines (n, 2, 2) come nearest to meeting in; at infinity where they
    are parallel in the picture."""
    scale = float(np.abs(both).max())
    ends = np.concatenate([both / scale, np.ones((*both.shape[:2], 1))], axis=2)
    rows = np.cross(ends[:, 0], ends[:, 1])
    rows = rows / np.linalg.norm(rows[:, :2], axis=1, keepdims=True)
    rows = rows * np.linalg.norm(both[:, 1] - both[:, 0], axis=1, keepdims=True)
    point = np.linalg.svd(rows)[2][-1]
    return np.asarray(point * (scale, scale, 1))


def off_their_point(both: Array, point: Array) -> Array:
    """How far the ends of lines are off the lines through their middles and a vanishing point, pixels."""
    middles = both.mean(axis=1)
    ways = point[:2] - point[2] * middles
    across = np.stack([-ways[:, 1], ways[:, 0]], axis=1)
    across = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
    return np.asarray(((both - middles[:, None]) * across[:, None]).sum(axis=2).ravel())


def _focal_lengths(points: dict[str, Array], size: tuple[int, int]) -> list[float]:
    """Focal lengths to begin with: of each pair of vanishing points, and some of all sizes."""
    longer = max(size)
    tried = list(np.geomspace(LEAST_LENS, MOST_LENS, TRIED) * longer)
    for a, b in combinations(points.values(), 2):
        if abs(a[2] * b[2]) > 1e-12:
            square = -float(a[:2] @ b[:2]) / float(a[2] * b[2])
            if square > (LEAST_LENS * longer) ** 2:
                tried.append(float(np.sqrt(square)))
    return tried


def held(points: dict[str, Array], focal: float) -> Fit:
    """The camera with this focal length that sees these directions in their vanishing points, as nearly as
    they are at right angles."""
    ways = {}
    for way, point in points.items():
        seen = point / (focal, focal, 1)
        seen = seen / np.linalg.norm(seen)
        forward = {"along": seen[0], "away": seen[2], "upright": -seen[1]}[way]
        ways[way] = seen if forward >= 0 else -seen
    if len(ways) == 2:
        missing = next(way for way in WAYS if way not in ways)
        order = list(WAYS)
        at = order.index(missing)
        after, last = order[(at + 1) % 3], order[(at + 2) % 3]
        ways[missing] = np.cross(ways[after], ways[last])
    seen = np.stack([ways[way] for way in WAYS], axis=1)
    u, _, vt = np.linalg.svd(seen)
    look = u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt
    return Fit(look, np.array([0.0, 0.0, 1000.0]), focal)


def _measured(told: Parallels, fit: Fit, middle: Array) -> Array:
    """Where the camera sees the first point of the length that was measured, (3,) mm."""
    first, last = (np.append((np.array(spot) - middle) / fit.focal, 1.0) for spot in told.measured)
    if np.linalg.norm(np.subtract(*told.measured)) < SHORT_PX:
        raise KilnError("The measured length is too short in the photo; measure something larger.")
    way = told.length_mm * (fit.look @ WAYS[told.way])
    apart = np.cross(last, first)
    # depth of the first point, so that the last lies in its direction
    depth = -float(apart @ np.cross(last, way)) / float(apart @ apart)
    return np.asarray(abs(depth) * first)
