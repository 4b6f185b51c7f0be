"""Arcs in ways that are given as points: where enough of them lie on one circle, at one height."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

CHORDS = 5.0  # the points of a way that is flattened lie on what it was, its chords beside that
LEAST = 5  # points: fewer are as short as moves
WIDEST = 1e4  # radius: what is flatter is a line
MOST_TURN = np.radians(300.0)  # so that begin and end are well apart
MOST_STEP = np.radians(30.0)  # from point to point: what turns farther is a corner


@dataclass(frozen=True, eq=False)
class Arc:
    """From the point ``first`` of a way to its point ``last``, round ``middle`` (2,)."""

    first: int
    last: int
    middle: Array
    clockwise: bool


def arcs_in(way: Array, off: float) -> list[Arc]:
    """The arcs of a way (n, 3), none overlapping: every point of it is within ``off`` of them, and the
    middle of every piece within CHORDS times as much."""
    found: list[Arc] = []
    at = 0
    while at + LEAST <= len(way):
        arc = _from(way, at, off)
        if arc is None:
            at += 1
            continue
        found.append(arc)
        at = arc.last
    return found


def _from(way: Array, first: int, off: float) -> Arc | None:
    """The longest arc that begins at a point."""
    best, last = None, first + LEAST - 1
    reach = LEAST - 1
    while last < len(way):
        arc = _through(way, first, last, off)
        if arc is None:
            break
        best = arc
        reach *= 2
        last += reach
    if best is None:
        return None
    low, high = best.last, min(last, len(way)) - 1
    while low < high:  # where between the last that fits and the first that does not
        middle = (low + high + 1) // 2
        arc = _through(way, first, middle, off)
        low, high, best = (middle, high, arc) if arc is not None else (low, middle - 1, best)
    return best


def _through(way: Array, first: int, last: int, off: float) -> Arc | None:
    """The arc through the ends and the middle of a stretch, where all of it lies on that."""
    points = way[first : last + 1]
    if np.ptp(points[:, 2]) > 1e-9:
        return None
    flat = points[:, :2]
    a, b, c = flat[0], flat[len(flat) // 2], flat[-1]
    turn = 2 * ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
    if abs(turn) < 1e-12:
        return None
    ab, ac = b - a, c - a
    # circumcentre of a triangle with a corner in the origin
    x = (ac[1] * (ab @ ab) - ab[1] * (ac @ ac)) / turn
    y = (ab[0] * (ac @ ac) - ac[0] * (ab @ ab)) / turn
    middle = a + (x, y)
    radius = float(np.hypot(x, y))
    if radius > WIDEST:
        return None
    halves = (flat[1:] + flat[:-1]) / 2
    if np.abs(np.linalg.norm(flat - middle, axis=1) - radius).max() > off:
        return None
    if np.abs(np.linalg.norm(halves - middle, axis=1) - radius).max() > CHORDS * off:
        return None
    angles = np.unwrap(np.arctan2(flat[:, 1] - middle[1], flat[:, 0] - middle[0]))
    steps = np.diff(angles)
    way_round = 1.0 if steps.sum() > 0 else -1.0
    if (steps * way_round <= 0).any() or np.abs(steps).max() > MOST_STEP or abs(steps.sum()) > MOST_TURN:
        return None
    return Arc(first, last, middle, way_round < 0)
