"""Changes to finished outlines: thicker, thinner, rounder, lines and shapes round them, bridges.

Distances are mm on the sheet. Round offsets keep within OFFSET_MM of the true one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import as_region, polygons_in, weld

Array = NDArray[Any]

Cap = Literal["round", "flat", "square"]
Join = Literal["round", "mitre", "bevel"]

OFFSET_MM = 0.005
BRIDGE_WAYS = 24


def offset(region: shapely.Geometry, distance: float) -> shapely.MultiPolygon:
    """The region grown (or shrunk, below zero) by a distance, outer corners round."""
    if distance == 0 or region.is_empty:
        return as_region([region])
    return as_region([shapely.buffer(region, distance, quad_segs=arc_pieces(abs(distance)))])


def arc_pieces(radius: float) -> int:
    """Straight pieces to a quarter circle so that no chord strays OFFSET_MM (sagitta r(1 - cos(a/2)))."""
    share = min(OFFSET_MM / radius, 0.3)
    return max(3, math.ceil(math.pi / 4 / math.acos(1 - share)))


MITRE_LIMIT = 4.0  # SVG 2, 13.5.5, where nothing is said


class Pen(NamedTuple):
    """How a line is drawn: its width, its ends, its corners. ``limit``: a mitre longer than so many widths
    is a bevel."""

    width: float
    cap: Cap = "round"
    join: Join = "round"
    limit: float = MITRE_LIMIT


def pen_along(
    line: Array, pen: Pen, *, closed: bool = False, pieces: int | None = None
) -> shapely.Geometry:
    """What a pen leaves along a line (n, 2). ``closed``: the line's last point is its first. ``pieces``:
    straight ones to a quarter circle."""
    drawn = shapely.buffer(
        shapely.LinearRing(line[:-1]) if closed else shapely.LineString(line),
        pen.width / 2,
        cap_style=pen.cap,
        # the library cuts a mitre off at its limit
        join_style="bevel" if pen.join == "mitre" else pen.join,
        quad_segs=pieces or arc_pieces(pen.width / 2),
    )
    if pen.join != "mitre":
        return drawn
    return shapely.union_all([drawn, *_mitres(line, pen.width / 2, pen.limit, closed=closed)])


SLIGHT = 0.02  # rad: what a corner turns by at which a mitre adds nothing to a bevel


def _mitres(line: Array, half: float, limit: float, *, closed: bool) -> list[shapely.Polygon]:
    """What mitred corners have that bevelled ones have not. A corner that turns by t is 1 / cos(t / 2)
    widths long (SVG 2, 13.5.5: 1 / sin(theta / 2), theta = pi - t)."""
    ahead = np.diff(line, axis=0)
    long = np.linalg.norm(ahead, axis=1)
    ahead, at = ahead[long > 0] / long[long > 0, None], line[1:][long > 0]
    if not closed:
        at = at[:-1]
    before, after = ahead[: len(at)], np.roll(ahead, -1, axis=0)[: len(at)]
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turn = np.arctan2(cross, np.sum(before * after, axis=1))
    short = np.cos(turn / 2)
    sharp = (np.abs(turn) > SLIGHT) & (short * limit >= 1) & (short > 1e-6)
    out = np.where(turn > 0, half, -half)[:, None]  # the outer side is the other one from the turn
    first = at + out * np.stack([before[:, 1], -before[:, 0]], axis=1)
    last = at + out * np.stack([after[:, 1], -after[:, 0]], axis=1)
    middle = (first + last) / 2 - at
    tip = at + middle / np.maximum(short, 1e-6)[:, None] ** 2
    return [shapely.Polygon(corners) for corners in np.stack([first, tip, last], axis=1)[sharp]]


def stroked(lines: Sequence[Array], width: float) -> shapely.MultiPolygon:
    """What a round pen leaves along lines (n, 2)."""
    return as_region([shapely.union_all([pen_along(line, Pen(width)) for line in lines])])


def thickened(region: shapely.MultiPolygon, by: float) -> shapely.MultiPolygon:
    """Strokes thicker by 2 x ``by`` (thinner below zero), corners as sharp as they were."""
    if by == 0 or region.is_empty:
        return region
    return as_region([shapely.buffer(region, by, join_style="mitre", mitre_limit=3.0)])


def rounded(region: shapely.MultiPolygon, radius: float) -> tuple[shapely.MultiPolygon, float]:
    """Corners rounded, outer and inner alike, and the radius that could be kept.

    Each letter is opened and closed by the radius; it is halved where a stroke would be lost or a
    counter closed. The least radius used is returned.
    """
    parts, least = [], radius
    for part in polygons_in(region):
        own = radius
        for _ in range(7):
            result = _rounded_part(part, own)
            if result is not None:
                parts.append(result)
                least = min(least, own)
                break
            own /= 2
        else:
            parts.append(shapely.MultiPolygon([part]))
            least = 0.0
    return weld([as_region([part]) for part in parts]), least


def _rounded_part(part: shapely.Polygon, radius: float) -> shapely.Geometry | None:
    opened = offset(offset(part, -radius), radius)
    closed = offset(offset(opened, radius), -radius)
    pieces = polygons_in(closed)
    if len(pieces) != 1 or len(pieces[0].interiors) != len(part.interiors):
        return None
    # what the opening took must be corners only: no lost piece may reach deeper than the corner of a
    # 40 degree point does, r / sin(20 deg) - r
    lost = shapely.difference(part, offset(opened, radius * 0.02))
    deepest = max((math.sqrt(piece.area) for piece in polygons_in(lost)), default=0.0)
    return closed if deepest < 1.6 * radius else None


def contour_lines(
    region: shapely.Geometry, distance: float, line: float, second: float, gap: float
) -> shapely.MultiPolygon:
    """One or two lines round the outside of a region: the first ``distance`` away and ``line`` wide."""
    region = _filled(region)
    bands = [(distance, distance + line)]
    if second > 0:
        bands.append((distance + line + gap, distance + line + gap + second))
    return as_region(
        [shapely.difference(offset(region, outer), offset(region, inner)) for inner, outer in bands]
    )


def backing_shape(region: shapely.Geometry, distance: float) -> shapely.MultiPolygon:
    """A plate that follows the letters at a distance: no holes, inner corners rounded."""
    return offset(offset(_filled(offset(region, distance)), distance), -distance)


def _filled(region: shapely.Geometry) -> shapely.Geometry:
    """The region without its holes."""
    return shapely.union_all([shapely.Polygon(part.exterior) for part in polygons_in(region)])


def bridged(region: shapely.MultiPolygon, width: float, bridges: int) -> shapely.MultiPolygon:
    """The region cut through by bridges, so that no counter is an island any more.

    Each island gets its first bridge where the stroke is thinnest, upright ones preferred, and a
    second one opposite if ``bridges`` is 2.
    """
    parts = []
    for part in polygons_in(region):
        for hole in part.interiors:
            cuts = _bridges(part, shapely.Polygon(hole), width, bridges)
            if cuts:
                part = as_region([shapely.difference(part, shapely.union_all(cuts))])
        parts.append(part)
    result = as_region(parts)
    # an island that was joined to another one only may be left: cut it free as well
    for _ in range(4):
        left = [part for part in polygons_in(result) if part.interiors]
        if not left:
            break
        whole = [part for part in polygons_in(result) if not part.interiors]
        for part in left:
            cuts = [c for hole in part.interiors for c in _bridges(part, shapely.Polygon(hole), width, 1)]
            whole += polygons_in(shapely.difference(part, shapely.union_all(cuts)))
        result = as_region(whole)
    return result


def _bridges(part: Any, hole: shapely.Polygon, width: float, bridges: int) -> list[shapely.Polygon]:
    """Strips from the middle of a hole to the outside across its stroke, the best first."""
    middle = np.array(hole.representative_point().coords[0])
    centre = np.array(hole.centroid.coords[0])
    if shapely.contains_xy(hole, *centre):
        middle = centre
    left, low, right, high = part.bounds
    reach = 2 * math.hypot(right - left, high - low)
    ways = []
    for k in range(BRIDGE_WAYS):
        angle = 2 * math.pi * k / BRIDGE_WAYS
        way = np.array([math.cos(angle), math.sin(angle)])
        ray = shapely.LineString([middle, middle + reach * way])
        stroke = shapely.intersection(ray, part)
        pieces = [p for p in shapely.get_parts(stroke) if p.length > 0]
        if not pieces:
            continue
        spans = sorted(
            (min(d), max(d))
            for p in pieces
            if (d := np.linalg.norm(shapely.get_coordinates(p) - middle, axis=1)).size
        )
        start, end = spans[0]
        upright = 1.0 if abs(way[1]) > 0.99 else 1.35 if abs(way[0]) > 0.99 else 1.6
        inward = 4.0 if len(spans) > 1 else 1.0  # it would only reach another counter
        ways.append(((end - start) * upright * inward, angle, start, end))
    if not ways:
        return []
    first = min(ways)
    chosen = [first]
    if bridges == 2:
        opposite = [
            way
            for way in ways
            if abs(math.remainder(way[1] - first[1] - math.pi, 2 * math.pi)) < math.radians(50)
        ]
        chosen += [min(opposite)] if opposite else []
    strips = []
    for _, angle, start, end in chosen:
        way = np.array([math.cos(angle), math.sin(angle)])
        line = shapely.LineString([middle + (start - width / 2) * way, middle + (end + width / 2) * way])
        strips.append(shapely.buffer(line, width / 2, cap_style="flat"))
    return strips
