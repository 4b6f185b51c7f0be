"""Dimension lines that find their own place: outside what they measure, the shorter nearer, on a level and
a side where they cross no other.

Lines, arrows and figures as ISO 129-1 has them (from memory): figures above the line, read from below or
from the right; extension lines begin off the outline and end beyond the line.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.handover.paper.marks import GLAZE, Area, Line, Mark, Words
from kilnchisel.core.handover.paper.pdf import width_of

Array = NDArray[Any]

FIGURE_MM = 2.6
LEVEL_MM = 5.2
FIRST_MM = 6.0
GAP_MM, BEYOND_MM = 1.0, 1.2
ARROW_MM, ARROW_WIDE_MM = 2.0, 0.7
MOST_LEVELS = 9
TOUCHING_MM = 0.05


@dataclass(frozen=True)
class Dimension:
    """A length along ``axis`` from ``start`` to ``end``; ``from_`` says where across it the measured points
    lie; all in mm on the paper. ``figure``: what is written."""

    axis: Literal["across", "up"]
    start: float
    end: float
    from_: tuple[float, float]
    figure: str

    @property
    def taken(self) -> tuple[float, float]:
        """What of its level it takes, its figure too, which stands beside it where it is too short."""
        wide = width_of(self.figure, FIGURE_MM)
        if wide + 1.0 <= self.end - self.start:
            return self.start, self.end
        return self.start, self.end + wide + 2.0


@dataclass(frozen=True)
class Placed:
    """A dimension on a level, 0 the nearest; ``low``: below or to the left of what is measured."""

    dimension: Dimension
    level: int
    low: bool


def placed(dimensions: Sequence[Dimension], box: tuple[float, float, float, float]) -> list[Placed]:
    """Where each goes round a box (left, low, right, high), the shortest first; equal ones once."""
    found: list[Placed] = []
    for dimension in sorted(dimensions, key=lambda one: one.end - one.start):
        if dimension.end - dimension.start < TOUCHING_MM or any(
            _same(dimension, other.dimension) for other in found
        ):
            continue
        tries = [Placed(dimension, level, low) for level in range(MOST_LEVELS) for low in (True, False)]
        costs = [_cost(one, found) + _away(one, box) for one in tries]
        found.append(tries[int(np.argmin(costs))])
    return found


def _same(one: Dimension, other: Dimension) -> bool:
    return (
        one.axis == other.axis
        and abs(one.start - other.start) < TOUCHING_MM
        and abs(one.end - other.end) < TOUCHING_MM
    )


def _cost(one: Placed, others: list[Placed]) -> float:
    """How bad a place is: figures on one another, lines through others, far away."""
    cost = one.level + 0.4 * (not one.low)  # the usual side, if it is all the same
    for other in others:
        if other.dimension.axis != one.dimension.axis or other.low != one.low:
            continue
        if other.level == one.level:
            cost += 100.0 * _overlap(one.dimension, other.dimension)
        inner, outer = (one, other) if one.level < other.level else (other, one)
        if inner.level < outer.level:
            cost += 10.0 * _crossings(inner.dimension, outer.dimension)
    return cost


def _away(one: Placed, box: tuple[float, float, float, float]) -> float:
    """How much of the drawing its lines lead over, up to two levels' worth."""
    left, low, right, high = box
    first, last = (left, right) if one.dimension.axis == "up" else (low, high)
    rim = first if one.low else last
    far = sum(abs(rim - at) for at in one.dimension.from_) / 2
    return 2.0 * far / max(last - first, 1e-9)


def _overlap(one: Dimension, other: Dimension) -> bool:
    (a, b), (c, d) = one.taken, other.taken
    return min(b, d) - max(a, c) > TOUCHING_MM


def _crossings(inner: Dimension, outer: Dimension) -> int:
    """How many extension lines of the outer go through the inner one."""
    low, high = inner.taken
    return sum(low + TOUCHING_MM < at < high - TOUCHING_MM for at in (outer.start, outer.end))


def drawn(places: Sequence[Placed], box: tuple[float, float, float, float]) -> list[Mark]:
    """The lines, arrows and figures round a box: left, low, right, high."""
    return [mark for place in places for mark in _drawn(place, box)]


def room_round(
    places: Sequence[Placed], box: tuple[float, float, float, float]
) -> tuple[float, float, float, float]:
    """How much they take to the left of the box that they are round, below, to the right, above, mm."""

    def of(axis: str, *, low: bool) -> float:
        levels = [p.level for p in places if p.dimension.axis == axis and p.low == low]
        return FIRST_MM + LEVEL_MM * max(levels) + BEYOND_MM + FIGURE_MM if levels else 1.0

    def beyond(axis: str, end: float) -> float:  # a figure beside what is too short for it
        return max((p.dimension.taken[1] - end for p in places if p.dimension.axis == axis), default=0.0)

    right, high = max(of("up", low=False), beyond("across", box[2])), beyond("up", box[3])
    return of("up", low=True), of("across", low=True), right, max(of("across", low=False), high)


def _drawn(place: Placed, box: tuple[float, float, float, float]) -> list[Mark]:
    one = place.dimension
    left, low, right, high = box
    up = one.axis == "up"
    rim = (left if up else low) if place.low else (right if up else high)
    away = -1.0 if place.low else 1.0
    at = rim + away * (FIRST_MM + LEVEL_MM * place.level)

    def spot(along: float, across: float) -> tuple[float, float]:
        return (across, along) if up else (along, across)

    marks: list[Mark] = []
    for along, start in ((one.start, one.from_[0]), (one.end, one.from_[1])):
        begin = start + away * GAP_MM
        if away * (rim - begin) > GAP_MM:  # what leads there is thin, over the drawing
            marks.append(Line(np.array([spot(along, begin), spot(along, rim)]), 0.06, GLAZE, (0.5, 0.9)))
            begin = rim
        ends = np.array([spot(along, begin), spot(along, at + away * BEYOND_MM)])
        marks.append(Line(ends, 0.13, GLAZE))
    _, last = one.taken
    outside = last > one.end  # too short for arrows within
    line = np.array([spot(one.start - (4.0 if outside else 0.0), at), spot(last, at)])
    marks.append(Line(line, 0.18, GLAZE))
    for along, way in ((one.start, 1.0), (one.end, -1.0)):
        turned = -way if outside else way
        tip, foot = np.array(spot(along, at)), np.array(spot(along + turned * ARROW_MM, at))
        side = np.array(spot(0.0, ARROW_WIDE_MM / 2))
        marks.append(Area((np.array([tip, foot + side, foot - side]),), GLAZE))
    middle = (one.start + one.end) / 2 if not outside else (one.end + last) / 2 + 1.0
    if up:
        words = Words(
            (at - 0.8, middle), one.figure, FIGURE_MM, colour=GLAZE, align="middle", turn_deg=90.0
        )
    else:
        words = Words((middle, at + 0.8), one.figure, FIGURE_MM, colour=GLAZE, align="middle")
    return [*marks, words]


def moved(one: Dimension, scale: float, shift: tuple[float, float]) -> Dimension:
    """A dimension in a drawing's own mm as it is on the paper."""
    along, across = (shift[1], shift[0]) if one.axis == "up" else shift
    return replace(
        one,
        start=one.start * scale + along,
        end=one.end * scale + along,
        from_=(one.from_[0] * scale + across, one.from_[1] * scale + across),
    )
