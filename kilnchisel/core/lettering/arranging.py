"""Shaped rows to letters that stand somewhere: spacing, fitting, and rows, columns, circles, lines.

Every letter is set about its anchor, the middle of its advance on the baseline; an arrangement moves
and turns anchors and knows nothing of shapes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.wording import Circle, Column, Curve, LetterChange, Rows, Slope, Wording
from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.glyphs import glyph_hull, tolerance_units
from kilnchisel.core.lettering.optical import optical_kern
from kilnchisel.core.lettering.paths import baseline_of
from kilnchisel.core.lettering.shaping import Cluster, ShapedRow, shape_row

Array = NDArray[Any]

FIT_MM = 1e-7
FIT_TRIES = 24
COLUMN_GAP = 0.9  # between columns, capital heights
UPRIGHT = np.eye(2)


@dataclass(frozen=True, eq=False)
class Placed:
    """A glyph where it stands: font units p go to ``linear`` @ p + ``shift``, mm."""

    row: int
    at: int  # index of its character in the text
    character: str
    glyph: int
    linear: Array
    shift: Array


@dataclass(frozen=True, eq=False)
class Stand:
    """A letter's anchor, mm, and the turn of its baseline there, for handles. (2,), (2, 2)."""

    row: int
    at: int
    anchor: Array
    turn: Array
    advance_mm: float


@dataclass(frozen=True, eq=False)
class Arranged:
    """Everything placed, and the measures after fitting."""

    placed: tuple[Placed, ...]
    stands: tuple[Stand, ...]
    missing: tuple[str, ...]
    cap_height_mm: float
    width: float


@dataclass(frozen=True)
class _Measure:
    """The measures that fitting may change."""

    cap: float
    spacing: float
    width: float


@dataclass(frozen=True, eq=False)
class _Set:
    """A cluster set in a straight row: its pen position and advance, mm, and its own transform."""

    cluster: Cluster
    at: int
    character: str
    x: float
    advance: float
    linear: Array  # font units to mm about the anchor
    shift: Array

    @property
    def anchor(self) -> float:
        return self.x + self.advance / 2


def arrange(wording: Wording, face: LoadedFace, slack_mm: float = 0.0) -> Arranged:
    """Set the words; fitted ones ``slack_mm`` narrower than asked, for what is added to them later.

    Raises KilnError where they cannot be arranged as asked.
    """
    shaped, starts = _shaped(wording, face)
    changes = {change.at: change for change in wording.letters}
    measure = _Measure(wording.cap_height_mm, wording.letter_spacing_mm, wording.width)

    def straight(measure: _Measure) -> list[list[_Set]]:
        return [
            _row(face, row, start, measure, wording, changes)
            for row, start in zip(shaped, starts, strict=True)
        ]

    measure = _fitted(wording, face, measure, straight, slack_mm)
    rows = straight(measure)
    arrangement = wording.arrangement
    if isinstance(arrangement, Column):
        places = _column(face, wording, measure, rows)
    elif isinstance(arrangement, Circle):
        places = _circle(face, wording, arrangement, measure, rows)
    elif isinstance(arrangement, Curve | Slope):
        places = _along(face, wording, arrangement, measure, rows)
    else:
        places = _rows(face, wording, measure, rows)
    placed: list[Placed] = []
    stands: list[Stand] = []
    for index, (row, row_places) in enumerate(zip(rows, places, strict=True)):
        for item, (anchor, turn) in zip(row, row_places, strict=True):
            stands.append(Stand(index, item.at, anchor, turn, item.advance))
            for glyph in item.cluster.glyphs:
                offset = item.linear @ np.array([glyph.x, glyph.y]) + item.shift
                placed.append(
                    Placed(
                        index,
                        item.at,
                        item.character,
                        glyph.glyph,
                        turn @ item.linear,
                        turn @ offset + anchor,
                    )
                )
    missing = tuple(dict.fromkeys(c for row in shaped for c in row.missing))
    return Arranged(tuple(placed), tuple(stands), missing, measure.cap, measure.width)


def _shaped(wording: Wording, face: LoadedFace) -> tuple[list[ShapedRow], list[int]]:
    texts = wording.text.replace("\t", " ").replace("\r", " ").split("\n")
    starts = np.cumsum([0] + [len(text) + 1 for text in texts])[:-1].tolist()
    spread = wording.letter_spacing_mm != 0 or (wording.fit is not None and wording.fit.by == "spacing")
    alone = isinstance(wording.arrangement, Column)
    places = [change.at for change in wording.letters]
    rows = [
        shape_row(
            face,
            text,
            wording.features,
            kerning=wording.kerning == "face",
            direction=wording.direction,
            spaced=spread or alone,
            apart=tuple(at - start for at in places if start <= at < start + len(text)),
        )
        for text, start in zip(texts, starts, strict=True)
    ]
    return rows, starts


def _row(
    face: LoadedFace,
    row: ShapedRow,
    start: int,
    measure: _Measure,
    wording: Wording,
    changes: dict[int, LetterChange],
) -> list[_Set]:
    scale = measure.cap / face.cap_height
    wide = scale * measure.width / 100
    lean = np.tan(np.radians(wording.slant_deg))
    common = np.array([[wide, scale * lean], [0.0, scale]])
    items: list[_Set] = []
    x = 0.0
    previous: Cluster | None = None
    for cluster in row.clusters:
        at = start + cluster.at
        change = changes.get(at)
        if previous is not None:
            if not (previous.joined and cluster.joined):
                x += measure.spacing
            if wording.kerning == "optical":
                x += _optical(face, row.text, previous, cluster) * wide
        size = 1.0 if change is None else change.size / 100
        advance = cluster.advance * wide * size
        if change is None:
            linear, shift = common, np.array([-advance / 2, 0.0])
        else:
            linear, shift = _changed(common, advance, size, measure.cap, change)
            if cluster.rightward:
                x += change.kern_mm
        items.append(_Set(cluster, at, row.text[cluster.at], x, advance, linear, shift))
        x += advance
        if change is not None and not cluster.rightward:
            x += change.kern_mm  # more room on the side that is read first
        previous = cluster
    return items


def _changed(
    common: Array, advance: float, size: float, cap: float, change: LetterChange
) -> tuple[Array, Array]:
    """A letter turned about its middle, raised and sized."""
    turn = np.radians(change.turn_deg)
    rotate = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    middle = np.array([0.0, cap * size / 2])
    shift = rotate @ (np.array([-advance / 2, 0.0]) - middle) + middle + (0.0, change.raise_mm)
    return rotate @ (common * size), shift


def _optical(face: LoadedFace, text: str, left: Cluster, right: Cluster) -> float:
    plain = len(left.glyphs) == 1 and len(right.glyphs) == 1
    if not plain or left.joined or right.joined or text[left.at].isspace() or text[right.at].isspace():
        return 0.0
    return optical_kern(face, left.glyphs[0].glyph, right.glyphs[0].glyph)


def _span(face: LoadedFace, wording: Wording, row: list[_Set]) -> tuple[float, float]:
    """The ink's left and right end in a straight row, mm; (0, 0) without ink."""
    pen = wording.pen_mm / 2 if wording.by_lines else 0.0
    tolerance = 0.0 if wording.by_lines else tolerance_units(face, wording.cap_height_mm)
    low, high = np.inf, -np.inf
    for item in row:
        for glyph in item.cluster.glyphs:
            hull = glyph_hull(face, glyph.glyph, tolerance)
            if not len(hull):
                continue
            across = (hull + (glyph.x, glyph.y)) @ item.linear[0]
            place = item.shift[0] + item.anchor
            low, high = min(low, across.min() + place), max(high, across.max() + place)
    return (0.0, 0.0) if low > high else (float(low - pen), float(high + pen))


def _fitted(
    wording: Wording,
    face: LoadedFace,
    measure: _Measure,
    straight: Callable[[_Measure], list[list[_Set]]],
    slack_mm: float,
) -> _Measure:
    """The measure whose widest row has exactly the wanted ink width (secant steps)."""
    fit = wording.fit
    if fit is None or not wording.text.strip():
        return measure
    wanted = fit.width_mm - slack_mm

    def with_(value: float) -> _Measure:
        if fit.by == "size":
            return _Measure(value, measure.spacing, measure.width)
        if fit.by == "width":
            return _Measure(measure.cap, measure.spacing, value)
        return _Measure(measure.cap, value, measure.width)

    def error(value: float) -> float:
        spans = [_span(face, wording, row) for row in straight(with_(value))]
        return max(right - left for left, right in spans) - wanted

    old = {"size": measure.cap, "width": measure.width, "spacing": measure.spacing}[fit.by]
    new = old + 1.0 if fit.by == "spacing" else old * 1.05
    off_old, off_new = error(old), error(new)
    for _ in range(FIT_TRIES):
        if abs(off_new) < FIT_MM or off_new == off_old:
            break
        step = new - off_new * (new - old) / (off_new - off_old)
        if fit.by != "spacing":
            step = max(step, 0.02 * new)
        old, off_old, new = new, off_new, step
        off_new = error(new)
    if abs(off_new) > 1e-4:
        raise KilnError(f"These words cannot be brought to {fit.width_mm:g} mm by {fit.by}.")
    return with_(new)


# arrangements: for each row, the anchor (mm) and turn of each letter

Places = list[list[tuple[Array, Array]]]


def _lead(wording: Wording, measure: _Measure) -> float:
    return measure.cap * wording.row_spacing / 100


def _hang(wording: Wording, span: tuple[float, float], room: float) -> float:
    """Where a row starts so that its ink hangs as asked in ``room`` mm about zero."""
    left, right = span
    if wording.align == "left":
        return -room / 2 - left
    if wording.align == "right":
        return room / 2 - right
    return -(left + right) / 2


def _rows(face: LoadedFace, wording: Wording, measure: _Measure, rows: list[list[_Set]]) -> Places:
    spans = [_span(face, wording, row) for row in rows]
    widest = max((right - left for left, right in spans), default=0.0)
    lead = _lead(wording, measure)
    top = (lead * (len(rows) - 1) - measure.cap) / 2
    return [
        [
            (np.array([item.anchor + _hang(wording, span, widest), top - lead * index]), UPRIGHT)
            for item in row
        ]
        for index, (row, span) in enumerate(zip(rows, spans, strict=True))
    ]


def _column(face: LoadedFace, wording: Wording, measure: _Measure, rows: list[list[_Set]]) -> Places:
    lead = _lead(wording, measure)
    longest = max(len(row) for row in rows)
    reach = [
        max((span[1] - span[0] for item in row if (span := _span(face, wording, [item]))), default=0.0)
        for row in rows
    ]
    gap = COLUMN_GAP * measure.cap + measure.spacing
    lefts = np.cumsum([0.0] + [wide + gap for wide in reach])[:-1]
    whole = lefts[-1] + reach[-1]
    places: Places = []
    for index, row in enumerate(rows):
        middle = lefts[index] + reach[index] / 2 - whole / 2
        spare = longest - len(row)
        before = {"left": 0.0, "centre": spare / 2, "right": float(spare)}[wording.align]
        top = (lead * (longest - 1) - measure.cap) / 2
        column = []
        ordered = sorted(row, key=lambda item: item.at)
        place = {item.at: number for number, item in enumerate(ordered)}
        for item in row:
            left, right = _span(face, wording, [item])
            own_middle = (left + right) / 2 - item.anchor
            y = top - lead * (place[item.at] + before)
            column.append((np.array([middle - own_middle, y]), UPRIGHT))
        places.append(column)
    return places


def _circle(
    face: LoadedFace, wording: Wording, circle: Circle, measure: _Measure, rows: list[list[_Set]]
) -> Places:
    lead = _lead(wording, measure)
    places: Places = []
    for index, row in enumerate(rows):
        out = circle.heads == "out"
        centre, radius, depth = np.radians(circle.centre_deg), circle.radius_mm, index
        if circle.second_under and index >= 1:
            centre += np.pi
            radius += measure.cap if out else -measure.cap
            out, depth = not out, index - 1
        radius += -lead * depth if out else lead * depth
        if radius < 0.25 * measure.cap:
            raise KilnError(
                f"A circle of {circle.radius_mm:g} mm radius has no room for {len(rows)} rows; "
                "make it larger."
            )
        span = _span(face, wording, row)
        middle = -_hang(wording, span, 0.0)
        line = []
        for item in row:
            along = (item.anchor - middle) / radius
            angle = centre + along if out else centre - along
            s, c = np.sin(angle), np.cos(angle)
            turn = np.array([[c, s], [-s, c]]) if out else np.array([[-c, -s], [s, -c]])
            line.append((radius * np.array([s, c]), turn))
        places.append(line)
    return places


def _along(
    face: LoadedFace, wording: Wording, way: Curve | Slope, measure: _Measure, rows: list[list[_Set]]
) -> Places:
    lead = _lead(wording, measure)
    base = baseline_of(way.points, smooth=way.smooth)
    low, high = base.points[:, 0].min(), base.points[:, 0].max()
    places: Places = []
    for index, row in enumerate(rows):
        span = _span(face, wording, row)
        anchors = np.array([item.anchor for item in row])
        if isinstance(way, Slope):
            x = anchors + _hang(wording, span, high - low) + (low + high) / 2
            y = base.height(x) - lead * index
            places.append([(np.array(point), UPRIGHT) for point in zip(x, y, strict=True)])
            continue
        run = anchors + _hang(wording, span, base.length) + base.length / 2
        points, ways = base.at(run) if len(run) else (np.empty((0, 2)), np.empty((0, 2)))
        line = []
        for point, (c, s) in zip(points, ways, strict=True):
            turn = np.array([[c, -s], [s, c]])
            line.append((point - lead * index * np.array([-s, c]), turn))
        places.append(line)
    return places


def is_straight(wording: Wording) -> bool:
    """Whether rows run level, so that a width and rows mean what they say."""
    return isinstance(wording.arrangement, Rows)
