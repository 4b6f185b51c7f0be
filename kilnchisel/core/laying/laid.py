"""An outline on a side's sheet, with what can be measured of its place: room, overlaps, degrees."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Plane, Side, on_side, principal_stretches
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.laying.beam import Beam
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.zones import ZoneSpace, zone_spaces
from kilnchisel.core.lettering.outline import Layer, Outline
from kilnchisel.core.lettering.polygons import weld

Array = NDArray[Any]


@dataclass(frozen=True)
class Space:
    """Space left, mm. A negative edge is how far the lettering sticks out there."""

    left_mm: float
    right_mm: float
    below_mm: float
    above_mm: float
    tail_mm: float | None  # gap between the end and the beginning, round a closed side
    seam_mm: float | None  # gap to the seam of a closed side, below zero where letters lie across it
    outside_mm: float  # how far the ink reaches beyond the usable area, 0 when it fits
    zones: tuple[ZoneSpace, ...]


@dataclass(frozen=True, eq=False)
class LaidLayer:
    """A layer of the outline on the sheet; ``number``: its place among the outline's layers."""

    number: int
    layer: Layer
    region: shapely.MultiPolygon


@dataclass(frozen=True, eq=False)
class Placing:
    """Where an outline's own coordinates lie on a side's sheet, for each repetition.

    copies: ``turn`` (2, 2) and ``middle`` (2,) of each; outline point p lies at ``turn`` @ p + ``middle``,
    or on an unrolled cone where a flat sheet wrapped round would have it, or where the ``beams`` cast it,
    one for each repetition. ``scale``: true mm round for each sheet mm at the lettering's own height.
    """

    side: Side
    copies: tuple[tuple[Array, Array], ...]
    scale: float
    unrolled: bool
    beams: tuple[Beam, ...] = ()

    def points(self, points: Array, copy: int = 0) -> Array:
        """Outline points (n, 2) on the sheet."""
        turn, middle = self.copies[copy]
        if self.beams:
            return self.beams[copy].sheet(points @ turn.T)
        if self.unrolled:
            return _on_cone(points @ turn.T * (self.scale, 1.0), middle, self.side)
        return np.asarray(points @ turn.T + middle)

    def everywhere(self, points: Array) -> list[Array]:
        """Outline points (n, 2) on the sheet, once for each repetition."""
        return [self.points(points, copy) for copy in range(len(self.copies))]

    def region(self, region: shapely.MultiPolygon) -> shapely.MultiPolygon:
        """A region of the outline on the sheet, all repetitions welded."""
        if self.beams:
            parts = [
                beam.region(shapely.transform(region, lambda p, t=turn: p @ t.T))
                for beam, (turn, _) in zip(self.beams, self.copies, strict=True)
            ]
        else:
            region = self._closely(region)
            parts = [
                shapely.transform(region, lambda p, k=k: self.points(p, k)) for k in range(len(self.copies))
            ]
        return parts[0] if len(parts) == 1 else weld(parts)

    def shape(self, polygon: shapely.Polygon, copy: int) -> tuple[Any, bool]:
        """A polygon of the outline on the sheet, its edges straight there, and whether it is whole: of one
        that a beam does not reach all over, what it reaches."""
        if self.beams:
            turn, _ = self.copies[copy]
            turned = shapely.transform(polygon, lambda p: p @ turn.T)
            if not shapely.covers(self.beams[copy].seen, turned):
                return self.beams[copy].region(shapely.MultiPolygon([turned])), False
        return shapely.transform(polygon, lambda p: self.points(p, copy)), True

    def lines(self, line: Array) -> list[Array]:
        """An open line of the outline on the sheet, once for each repetition."""
        closely = self.beams[0].closely if self.beams else self._closely
        points = shapely.get_coordinates(closely(shapely.LineString(line)))
        return self.everywhere(points)

    def back(self, uv: Array, copy: int = 0) -> Array:
        """Sheet points (n, 2) in the outline's own coordinates, the short way round a closed side."""
        turn, middle = self.copies[copy]
        if self.beams:
            return np.asarray(self.beams[copy].plane(uv) @ np.linalg.inv(turn).T)
        away = uv - middle
        if self.side.period is not None:
            away[:, 0] = _wrapped(away[:, 0], self.side.period)
        return np.asarray(away @ np.linalg.inv(turn).T)

    def stretches(self, uv: Array) -> Array:
        """Principal stretches (n, 2) of the outline at points of the sheet."""
        if self.beams:  # each point as the beam casts it that falls on it the straightest
            each = np.array([principal_stretches(beam.growth(uv)) for beam in self.beams])
            straightest = np.argmax([beam.facing(uv) for beam in self.beams], axis=0)
            return np.asarray(each[straightest, np.arange(len(uv))])
        return principal_stretches(self.side.jacobian(uv) @ self.copies[0][0])

    def _closely(self, geometry: Any) -> Any:
        """With points close enough that straight pieces may be bent round a cone."""
        if not self.unrolled or geometry.is_empty:
            return geometry
        return shapely.segmentize(geometry, cone_step(self.copies[0][1], self.side))


@dataclass(frozen=True, eq=False)
class Laid:
    """An outline in sheet coordinates. ``ink`` may run past the seam; it is not yet cut there."""

    outline: Outline
    side: Side
    lay: Lay
    placing: Placing
    layers: tuple[LaidLayer, ...]
    ink: shapely.MultiPolygon
    frame: Array  # (4, 2): corners of the ink's box in its own turned frame, from lower left
    width_mm: float
    height_mm: float
    degrees: float | None
    seam_mm: float | None  # u of the seam, on a closed side

    @cached_property
    def space(self) -> Space:
        """What is left round the ink; worked out where it is read, which nothing that is drawn does."""
        return _space(self.ink, self.side, self.placing.scale, self.seam_mm, self._spans)

    @property
    def _spans(self) -> list[tuple[float, float]]:
        """From where to where along u the letters of each repetition go."""
        if len(self.placing.copies) == 1:
            return [(float(self.ink.bounds[0]), float(self.ink.bounds[2]))]
        every = self.placing.everywhere(shapely.get_coordinates(self.outline.ink))
        return [(float(uv[:, 0].min()), float(uv[:, 0].max())) for uv in every]

    @cached_property
    def stretch(self) -> tuple[float, float]:
        """The least and greatest stretch under the ink, against true size at its own height."""
        return (1.0, 1.0) if self.placing.unrolled else _stretch(self.ink, self.placing)

    @cached_property
    def unreached(self) -> float:
        """What share of the letters is left out because nothing is cast there, 0 to 1."""
        beams = self.placing.beams
        if not beams or self.outline.ink.is_empty:
            return 0.0
        reached = 0.0
        for beam, (turn, _) in zip(beams, self.placing.copies, strict=True):
            turned = shapely.transform(self.outline.ink, lambda p, t=turn: p @ t.T)
            reached += beam.reached(turned) / float(turned.area)
        return max(1 - reached / len(beams), 0.0)

    @property
    def middle(self) -> Array:
        """The sheet point of the outline's origin, (2,)."""
        return self.placing.copies[0][1]

    def layer_words(self, layer: LaidLayer) -> str:
        """What a part made of a layer is called after its lettering's name; nothing where it is the only
        one."""
        return f" {layer.layer.kind} {layer.number + 1}" if len(self.layers) > 1 else ""

    def roughly(self) -> Laid:
        """With fewer points in its layers, for pictures while something moves; the same one each time."""
        return self._rough

    @cached_property
    def _rough(self) -> Laid:
        plain = self.outline.plainer
        layers = (replace(x, region=self.placing.region(plain[x.number])) for x in self.layers)
        return replace(self, layers=tuple(layers))


def lay_outline(outline: Outline, side: Side, lay: Lay, *, centre: bool = False) -> Laid:
    """Place the outline: turned about its origin, then moved to (along, across), and repeated.

    ``centre``: it runs round its origin, so repetitions turn about that.
    """
    middle = np.array([_wrapped(lay.along_mm, side.period), lay.across_mm])
    # letters are as wide as they say at their own height, whatever the sheet's reference radius
    there = side.true_at(middle if isinstance(side, Plane | Chart) else on_side(side, middle))
    scale = float(there[0, 0])
    copies = _copies(outline, side, lay, np.linalg.inv(there), middle, centre=centre)
    if lay.wrap == "project" and not isinstance(side, Plane | Chart):
        copies = tuple((there @ turn, spot) for turn, spot in copies)  # a plane has no scale of its own
        beams = tuple(Beam(side, spot) for _, spot in copies)
        placing = Placing(side, copies, scale, unrolled=False, beams=beams)
    else:
        placing = Placing(side, copies, scale, lay.cone == "unrolled" and side.taper is not None)
    layers = tuple(
        LaidLayer(n, layer, placing.region(layer.region)) for n, layer in enumerate(outline.layers)
    )
    ink = layers[0].region if len(layers) == 1 else placing.region(outline.ink)
    left, bottom, right, top = outline.bounds
    box = (0.0, 0.0, 0.0, 0.0) if ink.is_empty else ink.bounds
    around = float(box[2] - box[0])
    return Laid(
        outline=outline,
        side=side,
        lay=lay,
        placing=placing,
        layers=layers,
        ink=ink,
        frame=placing.points(np.array([[left, bottom], [right, bottom], [right, top], [left, top]])),
        width_mm=around * scale,
        height_mm=float(box[3] - box[1]),
        degrees=side.degrees(around),
        seam_mm=_seam(middle, side, lay),
    )


def _on_cone(points: Array, middle: Array, side: Side) -> Array:
    """Flat points (n, 2), mm about the lettering's middle, where a flat sheet wrapped on a cone has them.

    The cone unrolls to a sector whose apex is S = r / sin(half angle) away; a flat point keeps its
    distance from the apex and its angle there, which is its angle round times the sine.
    """
    sine, period = side.taper, side.period
    assert sine is not None and period is not None
    reference = period / (2 * np.pi)
    radius = reference * float(side.jacobian(middle[None])[0, 0, 0])
    away = radius / abs(sine)
    up = np.sign(sine)
    toward = away + up * points[:, 1]
    distance = np.hypot(points[:, 0], toward)
    angle = np.arctan2(points[:, 0], toward) / abs(sine)
    return np.stack([middle[0] + angle * reference, middle[1] + up * (distance - away)], axis=1)


CONE_MM = 0.003  # how far a straight piece of an outline may depart from its bent place


def cone_step(middle: Array, side: Side) -> float:
    """How far apart points of an outline may be that is bent on to a cone there, mm."""
    sine = side.taper or 1.0
    reference = (side.period or 1.0) / (2 * np.pi)
    away = reference * float(side.jacobian(middle[None])[0, 0, 0]) / abs(sine)
    return float(np.sqrt(8 * away * CONE_MM))


def _stretch(ink: shapely.MultiPolygon, placing: Placing) -> tuple[float, float]:
    """The least and greatest stretch under the ink, against the outline's own mm."""
    if ink.is_empty:
        return (1.0, 1.0)
    spots = _spots(ink)
    if placing.beams:  # what is cast is stretched the most where it ends
        corners = shapely.get_coordinates(ink)
        spots = corners[:: -(-len(corners) // MOST_SPOTS)]
    elif placing.side.period is None:
        # beyond its border a side may not be defined
        spots = spots[shapely.intersects_xy(placing.side.domain, *spots.T)]
    values = placing.stretches(spots)
    if len(values) == 0:
        return (1.0, 1.0)
    return float(values[:, 0].min()), float(values[:, 1].max())


def _spots(ink: shapely.MultiPolygon) -> Array:
    """Points where stretch is measured: a grid over the box of the ink, near it only."""
    low_u, low_v, high_u, high_v = ink.bounds
    u, v = np.meshgrid(np.linspace(low_u, high_u, SPOTS[0]), np.linspace(low_v, high_v, SPOTS[1]))
    return np.stack([u.ravel(), v.ravel()], axis=1)


SPOTS, MOST_SPOTS = (25, 13), 2000


MIRRORED = np.diag([-1.0, 1.0])


def _turning(degrees: float) -> Array:
    turn = np.radians(degrees)
    return np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])


def _copies(
    outline: Outline, side: Side, lay: Lay, upright: Array, middle: Array, *, centre: bool
) -> tuple[tuple[Array, Array], ...]:
    """Turn and place of every repetition: round the origin, round a closed side, or side by side."""
    turn = upright @ _turning(lay.turn_deg)
    if lay.mirrored:
        turn = turn @ MIRRORED
    first = ((turn, middle),)
    repeat = lay.repeat
    if repeat is None or outline.width_mm <= 0:
        return _and_opposite(first, side, lay)
    gap = repeat.gap_mm
    if centre:
        count = _fitting(360.0, _sweep(outline, gap)) if repeat.fill else repeat.times
        turned = tuple((turn @ _turning(-360.0 * k / count), middle) for k in range(count))
        return _and_opposite(turned, side, lay)
    width, gap = _extent(outline, turn), gap * float(upright[0, 0])
    if side.period is not None:
        count = _fitting(side.period, width + gap) if repeat.fill else repeat.times
        round_ = tuple((turn, middle + (side.period * k / count, 0.0)) for k in range(count))
        # where they are as many as fit, or even, the side opposite has them
        return round_ if repeat.fill or count % 2 == 0 else _and_opposite(round_, side, lay)
    step = width + gap
    low, _, high, _ = side.domain.bounds
    count = _fitting(high - low + gap, step) if repeat.fill else repeat.times
    start = (low + high) / 2 - middle[0] if repeat.fill else 0.0
    return tuple((turn, middle + (start + (k - (count - 1) / 2) * step, 0.0)) for k in range(count))


def _and_opposite(
    copies: tuple[tuple[Array, Array], ...], side: Side, lay: Lay
) -> tuple[tuple[Array, Array], ...]:
    """On a closed side the opposite side is half way round."""
    if not lay.both or side.period is None:
        return copies
    return copies + tuple((turn, middle + (side.period / 2, 0.0)) for turn, middle in copies)


def _fitting(room: float, step: float) -> int:
    return int(min(max(room // max(step, 1e-6), 1), 500))


def _extent(outline: Outline, turn: Array) -> float:
    left, low, right, high = outline.bounds
    across = np.array([[left, low], [right, low], [right, high], [left, high]]) @ turn[0]
    return float(np.ptp(across))


def _sweep(outline: Outline, gap_mm: float) -> float:
    """Degrees of circle that an outline about its origin takes, with its gap."""
    points = shapely.get_coordinates(outline.ink)
    angles = np.sort(np.degrees(np.arctan2(points[:, 0], points[:, 1])))
    breaks = np.diff(np.append(angles, angles[0] + 360))
    radius = float(np.median(np.linalg.norm(points, axis=1)))
    return float(360 - breaks.max() + np.degrees(gap_mm / max(radius, 1e-9)))


def _wrapped(u: Any, period: float | None) -> Any:
    return u if period is None else (u + period / 2) % period - period / 2


def _seam(middle: Array, side: Side, lay: Lay) -> float | None:
    """Where the seam of a closed side lies, u, within half a turn of the lettering's middle."""
    if side.period is None:
        return None
    return float(middle[0] - _wrapped(-lay.seam_deg / 360 * side.period, side.period))


def _space(
    ink: shapely.MultiPolygon,
    side: Side,
    scale: float,
    seam: float | None,
    spans: list[tuple[float, float]],
) -> Space:
    if ink.is_empty:
        return Space(0, 0, 0, 0, None, None, 0, ())
    left, bottom, right, top = ink.bounds
    low_u, low_v, high_u, high_v = side.domain.bounds
    tail = None if side.period is None else float(side.period - (right - left)) * scale
    return Space(
        left_mm=float(left - low_u),
        right_mm=float(high_u - right),
        below_mm=float(bottom - low_v),
        above_mm=float(high_v - top),
        tail_mm=tail,
        seam_mm=None if seam is None or side.period is None else _to_seam(spans, seam, side.period),
        outside_mm=outside_mm(ink, side),
        zones=zone_spaces(ink, side),
    )


def _to_seam(spans: list[tuple[float, float]], seam: float, period: float) -> float:
    """The gap between seam and what is nearest to it of spans along u, or how far one reaches over it
    (below zero)."""
    gaps = []
    for left, right in spans:
        first = np.ceil((left - seam) / period - 1)  # the seam to the left of it, and those after that
        for at in seam + period * (first + np.arange(4)):
            gaps.append(
                max(left - at, at - right) if not left < at < right else -min(at - left, right - at)
            )
    return float(min(gaps))


def outside_mm(ink: shapely.MultiPolygon, side: Side) -> float:
    """How far ink reaches beyond the domain, in mm; round a closed side only up and down count."""
    if side.period is not None:
        _, low, _, high = side.domain.bounds
        return float(max(low - ink.bounds[1], ink.bounds[3] - high, 0.0))
    if shapely.covers(side.domain, ink):
        return 0.0
    beyond = shapely.get_coordinates(shapely.difference(ink, side.domain))
    return float(shapely.distance(shapely.points(beyond), side.domain).max(initial=0.0))
