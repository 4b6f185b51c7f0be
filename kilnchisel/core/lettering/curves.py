"""Curves as straight pieces within a stated tolerance."""

from __future__ import annotations

import math

Point = tuple[float, float]

MOST_PIECES = 400


def quadratic(start: Point, control: Point, end: Point, tolerance: float) -> list[Point]:
    """Points of a quadratic after its start. The chord error of n pieces is |start - 2 control + end| over
    4 n²."""
    (x0, y0), (x1, y1), (x2, y2) = start, control, end
    bend = math.hypot(x0 - 2 * x1 + x2, y0 - 2 * y1 + y2)
    found = []
    for t in _steps(math.sqrt(bend / (4 * tolerance))):
        s = 1 - t
        found.append((s * s * x0 + 2 * s * t * x1 + t * t * x2, s * s * y0 + 2 * s * t * y1 + t * t * y2))
    return found


def cubic(start: Point, one: Point, two: Point, end: Point, tolerance: float) -> list[Point]:
    """Points of a cubic after its start. |B''| is at most 6 times the greater bend of its control polygon,
    the chord error of n pieces at most |B''| over 8 n²."""
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = start, one, two, end
    bend = max(
        math.hypot(x0 - 2 * x1 + x2, y0 - 2 * y1 + y2),
        math.hypot(x1 - 2 * x2 + x3, y1 - 2 * y2 + y3),
    )
    found = []
    for t in _steps(math.sqrt(0.75 * bend / tolerance)):
        s = 1 - t
        a, b, c, d = s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t
        found.append((a * x0 + b * x1 + c * x2 + d * x3, a * y0 + b * y1 + c * y2 + d * y3))
    return found


def _steps(pieces: float) -> list[float]:
    count = min(max(1, math.ceil(pieces)), MOST_PIECES)
    return [i / count for i in range(1, count + 1)]
