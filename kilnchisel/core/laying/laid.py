"""An outline on a side's sheet, with what can be measured of its place: room, overlaps, degrees."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.lettering.outline import Outline

Array = NDArray[Any]

TOUCHING_MM = 1e-6  # less than this is not an overlap worth a word


@dataclass(frozen=True)
class ZoneRoom:
    """How a lettering stands to a keep-clear zone: the gap, or how far it reaches in (mm)."""

    name: str
    gap_mm: float
    reaches_in_mm: float


@dataclass(frozen=True)
class Room:
    """Space left, mm. A negative edge is how far the lettering sticks out there."""

    left_mm: float
    right_mm: float
    below_mm: float
    above_mm: float
    tail_mm: float | None  # gap between the end and the beginning, round a closed side
    outside_mm: float  # how far the ink reaches beyond the usable area, 0 when it fits
    zones: tuple[ZoneRoom, ...]


@dataclass(frozen=True, eq=False)
class Laid:
    """An outline in sheet coordinates. ``ink`` may run past the seam; it is not yet cut there."""

    outline: Outline
    side: Side
    lay: Lay
    ink: shapely.MultiPolygon
    frame: Array  # (4, 2): corners of the ink's box in its own turned frame, from lower left
    room: Room
    width_mm: float
    height_mm: float
    degrees: float | None
    seam_mm: float | None  # u of the seam, opposite the lettering, on a closed side


def lay_outline(outline: Outline, side: Side, lay: Lay) -> Laid:
    """Place the outline: turned about its middle, then moved to (along, across)."""
    turn = np.radians(lay.turn_deg)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    middle = np.array([_wrapped(lay.along_mm, side.period), lay.across_mm])

    def place(points: Array) -> Array:
        return np.asarray(points @ matrix.T + middle)

    ink = shapely.transform(outline.ink, place)
    left, bottom, right, top = outline.bounds
    frame = place(np.array([[left, bottom], [right, bottom], [right, top], [left, top]]))
    box = (0.0, 0.0, 0.0, 0.0) if ink.is_empty else ink.bounds
    width = float(box[2] - box[0])
    return Laid(
        outline=outline,
        side=side,
        lay=lay,
        ink=ink,
        frame=frame,
        room=_room(ink, side),
        width_mm=width,
        height_mm=float(box[3] - box[1]),
        degrees=side.degrees(width),
        seam_mm=None if side.period is None else float(middle[0] + side.period / 2),
    )


def _wrapped(u: float, period: float | None) -> float:
    return u if period is None else (u + period / 2) % period - period / 2


def _room(ink: shapely.MultiPolygon, side: Side) -> Room:
    if ink.is_empty:
        return Room(0, 0, 0, 0, None, 0, ())
    left, bottom, right, top = ink.bounds
    low_u, low_v, high_u, high_v = side.domain.bounds
    tail = None if side.period is None else float(side.period - (right - left))
    return Room(
        left_mm=float(left - low_u),
        right_mm=float(high_u - right),
        below_mm=float(bottom - low_v),
        above_mm=float(high_v - top),
        tail_mm=tail,
        outside_mm=_outside(ink, side),
        zones=tuple(_zone_room(ink, side, zone.name, zone.area) for zone in side.clear),
    )


def _outside(ink: shapely.MultiPolygon, side: Side) -> float:
    """How far ink reaches beyond the domain, in mm; round a closed side only up and down count."""
    if side.period is not None:
        _, low, _, high = side.domain.bounds
        return float(max(low - ink.bounds[1], ink.bounds[3] - high, 0.0))
    if shapely.covers(side.domain, ink):
        return 0.0
    beyond = shapely.get_coordinates(shapely.difference(ink, side.domain))
    return float(shapely.distance(shapely.points(beyond), side.domain).max(initial=0.0))


def _zone_room(ink: shapely.MultiPolygon, side: Side, name: str, area: shapely.Polygon) -> ZoneRoom:
    turns = (0.0,) if side.period is None else (-side.period, 0.0, side.period)
    gap, reach = np.inf, 0.0
    for shift in turns:
        zone = shapely.transform(area, lambda p, s=shift: p + (s, 0.0))
        gap = min(gap, float(shapely.distance(ink, zone)))
        if gap < TOUCHING_MM:
            shared = shapely.intersection(ink, zone)
            if shared.is_empty:
                continue
            # how far the ink would have to move along u to be clear again
            zone_left, _, zone_right, _ = zone.bounds
            ink_left, _, ink_right, _ = ink.bounds
            reach = max(reach, min(ink_right - zone_left, zone_right - ink_left))
    return ZoneRoom(name, gap, float(reach))
