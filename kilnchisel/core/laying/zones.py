"""Where a lettering stands to the parts of a side that are to be kept clear."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

TOUCHING_MM = 1e-6  # less than this is not an overlap worth a word
ROUND = 0.78  # of its box: a zone that fills as much, as a round one does, goes as one
FULL = 0.95  # the same of a part of a zone
LEAST = 1 / 24  # of a zone: its parts are not made smaller
TRIED = 4  # lines that a zone may be cut along, each way


@dataclass(frozen=True)
class ZoneSpace:
    """How a lettering stands to a keep-clear zone: the gap, or how far it reaches in (mm). ``covered``: it
    is hidden there."""

    name: str
    gap_mm: float
    reaches_in_mm: float
    covered: bool = False


@dataclass(frozen=True, eq=False)
class Zones:
    """The zones of one name."""

    name: str
    covered: bool
    areas: tuple[shapely.Polygon, ...]

    @cached_property
    def whole(self) -> Any:
        """All that they cover."""
        return shapely.union_all(self.areas)

    @cached_property
    def parts(self) -> tuple[shapely.Polygon, ...]:
        """What they cover in parts that fill their boxes: what lies within a frame is in none of them."""
        found: list[shapely.Polygon] = []
        for area in self.areas:
            left, low, right, high = area.bounds
            if area.area > ROUND * (right - left) * (high - low):
                found.append(area)
            else:
                # a band need not be cut finer than it is wide
                wide = 2 * area.area / area.length
                found += _filling(area, max(LEAST * max(right - left, high - low), wide / 2))
        return tuple(found)

    @cached_property
    def boxes(self) -> Array:
        """Of each part, (n, 4): left, low, right, high."""
        return np.asarray(shapely.bounds(np.array(self.parts, dtype=object))).reshape(-1, 4)


@remembered
def zones_of(side: Side) -> tuple[Zones, ...]:
    """A side's zones by their names; of a closed side those beyond both ends of its sheet, too."""
    named: dict[tuple[str, bool], list[shapely.Polygon]] = {}
    turns = (0.0,) if side.period is None else (-side.period, 0.0, side.period)
    for zone in side.clear:
        there = [shapely.transform(zone.area, lambda p, s=shift: p + (s, 0.0)) for shift in turns]
        named.setdefault((zone.name, zone.covered), []).extend(there)
    return tuple(Zones(name, covered, tuple(areas)) for (name, covered), areas in named.items())


def zone_spaces(ink: shapely.MultiPolygon, side: Side) -> tuple[ZoneSpace, ...]:
    """How the ink stands to the zones of its side, by their names."""
    return tuple(_space(ink, zone) for zone in zones_of(side)) if side.clear else ()


def _space(ink: shapely.MultiPolygon, zone: Zones) -> ZoneSpace:
    # this way round: from ink within a frame the other takes twenty times as long
    gap, reach = float(shapely.distance(zone.whole, ink)), 0.0
    if gap < TOUCHING_MM:
        left, low, right, high = ink.bounds
        zone_left, zone_low, zone_right, zone_high = zone.boxes.T
        # how far the ink would have to move, the shortest way, to be clear of each again
        ways = np.min((right - zone_left, zone_right - left, high - zone_low, zone_high - low), axis=0)
        for number in np.argsort(-ways):
            part = zone.parts[number]
            if ways[number] <= 0:
                break
            if shapely.intersects(ink, part) and not shapely.intersection(ink, part).is_empty:
                reach = float(ways[number])
                break
    return ZoneSpace(zone.name, gap, reach, zone.covered)


def _filling(area: Any, least: float) -> list[shapely.Polygon]:
    """An area in parts that fill their boxes, none smaller than ``least`` mm: cut, again and again, where
    the boxes of both halves are smallest."""
    parts = [part for part in shapely.get_parts(area) if part.geom_type == "Polygon" and part.area > 0]
    if len(parts) != 1:
        return [small for part in parts for small in _filling(part, least)]
    (part,) = parts
    left, low, right, high = part.bounds
    if part.area >= FULL * (right - left) * (high - low) or max(right - left, high - low) < 2 * least:
        return [part]
    halves = [
        pair
        for axis, (first, last) in enumerate(((left, right), (low, high)))
        for at in _lines(shapely.get_coordinates(part)[:, axis], first + least, last - least)
        if (pair := _cut(part, axis, at))
    ]
    if not halves:
        return [part]
    best = min(halves, key=lambda pair: sum(shapely.box(*half.bounds).area for half in pair))
    return [small for half in best for small in _filling(half, least)]


def _lines(places: Any, first: float, last: float) -> list[float]:
    """Some of the corners' places between two, evenly spread among them."""
    within = np.unique(places[(places > first) & (places < last)])
    some = np.linspace(0, len(within) - 1, min(TRIED, len(within)), dtype=int)
    return [float(one) for one in within[some]]


def _cut(area: Any, axis: int, at: float) -> tuple[Any, Any] | None:
    left, low, right, high = area.bounds
    one, other = (
        ((left, low, at, high), (at, low, right, high))
        if axis == 0
        else ((left, low, right, at), (left, at, right, high))
    )
    halves = shapely.clip_by_rect(area, *one), shapely.clip_by_rect(area, *other)
    return None if any(half.area == 0 for half in halves) else halves
