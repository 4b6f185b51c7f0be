"""A drawing as it is laid down on paper: ink in the file's order, white that covers it, open lines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.lettering.curves import cubic
from kilnchisel.core.lettering.polygons import as_region, fill_even_odd, fill_nonzero, run_of
from kilnchisel.core.lettering.reshaping import Pen, pen_along

Array = NDArray[Any]

FINENESS = 12_000  # chords stray no further than this share of the drawing's size
MOST_PIECES = 200_000
MOST_POINTS = 2_000_000
MOST_FAR = 1e9  # units: what is farther is a mistake
MOST_NESTED = 16  # drawings within drawings
WHITE = 0.94
SEEN = 0.1  # of full strength: fainter is not there
DRAWN = 0.6  # of the work is done when every piece was read; the rest is joining them
STROKE_PIECES = 16  # to a quarter circle
PICTURE_LEFT_OUT = "A picture inside the file is left out; put it in by itself."


class Words(NamedTuple):
    """Words in a face: their outline, baseline from the origin on, and how far they advance."""

    region: shapely.MultiPolygon
    advance: float


TextOutline = Callable[[str, str, float], "Words | None"]  # words, the face's name, its size


class Line(NamedTuple):
    """An open line: points (n, 2), and the stated pen (of width 0: a hairline)."""

    points: Array
    pen: Pen


@dataclass(frozen=True, eq=False)
class Drawing:
    """What a file draws. ``unit_mm``: mm of the unit it states, None when it states none; the shapes
    are then in its own units."""

    region: shapely.MultiPolygon
    lines: tuple[Line, ...]
    unit_mm: float | None
    notes: tuple[str, ...] = ()

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, bottom, right, top of everything; zeros when nothing is drawn."""
        boxes = [] if self.region.is_empty else [self.region.bounds]
        boxes += [(*line.points.min(axis=0), *line.points.max(axis=0)) for line in self.lines]
        if not boxes:
            return (0.0, 0.0, 0.0, 0.0)
        array = np.array(boxes, dtype=float)
        left, low = array[:, :2].min(axis=0).tolist()
        right, high = array[:, 2:].max(axis=0).tolist()
        return (left, low, right, high)


@dataclass(eq=False)
class Sheet:
    """Ink as it is laid down, in the file's order."""

    inks: list[tuple[shapely.Geometry, bool]] = field(default_factory=list)  # geometry, is ink
    lines: list[Line] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    points: int = 0
    pieces: int = 0
    expected: int | None = None  # how many pieces the file has

    def count(self, points: int) -> None:
        """That much more is drawn. Raises KilnError where it is too much."""
        self.points += points
        self.pieces += 1
        if self.pieces > MOST_PIECES or self.points > MOST_POINTS:
            raise KilnError(
                f"The drawing has more than {MOST_PIECES:,} pieces or {MOST_POINTS:,} points; that is more "
                "than can be lettered. Save a simpler copy."
            )
        share = None if self.expected is None else DRAWN * min(self.pieces / self.expected, 1.0)
        gate.at(share, f"piece {self.pieces:,}".replace(",", "\u202f"))

    def lay(self, geometry: shapely.Geometry, clip: shapely.Geometry | None, *, ink: bool) -> None:
        """Lay down what of a geometry is within the clip."""
        seen = geometry if clip is None else shapely.intersection(geometry, clip)
        if not seen.is_empty:
            self.inks.append((seen, ink))

    def stroke(
        self,
        points: Array,
        pen: Pen,
        *,
        loop: bool = False,
        line: bool = False,
        ink: bool = True,
        clip: shapely.Geometry | None = None,
        matrix: Array | None = None,
    ) -> None:
        """Lay down what a pen leaves along points; ``matrix`` (2, 3) turns what it left. A ``line`` stays
        one, with its pen, where it is all seen and no slanting pen draws it."""
        drawn = pen_along(points, pen, closed=loop and len(points) > 3, pieces=STROKE_PIECES)
        if matrix is not None:
            drawn = shapely.transform(drawn, lambda p: moved(p, matrix))
        if line and ink and matrix is None and (clip is None or shapely.covers(clip, drawn)):
            self.lines.append(Line(points, pen))
            return
        self.lay(drawn, clip, ink=ink)

    def strokes(
        self,
        runs: list[Run],
        matrix: Array,
        pen: Pen,
        dashes: tuple[list[float], float],
        tolerance: float,
        *,
        growth: float | None,
        line: bool,
        ink: bool,
        clip: shapely.Geometry | None,
    ) -> None:
        """Lay down what a pen leaves along outlines, through a matrix (2, 3). ``dashes``: their lengths
        (none for a whole line) and how far into them it begins; ``growth``: how much larger the matrix
        draws the pen, None where it slants it; ``line``: what does not close stays a line."""
        slanting, grown = growth is None, 1.0 if growth is None else growth
        near = tolerance / max(float(np.abs(matrix[:, :2]).max()), 1e-12)
        lengths, phase = [one * grown for one in dashes[0]], dashes[1] * grown
        pen = pen._replace(width=pen.width * grown)
        for run in runs:
            points = run.points(None, near) if slanting else run.points(matrix, tolerance)
            loop = run.closed or comes_back(points)
            parts = dashed(points, lengths, phase) if sum(lengths) > 0 else [points]
            whole = len(parts) == 1 and parts[0] is points
            for part in parts:
                if not whole:
                    self.count(len(part))
                self.stroke(
                    part,
                    pen,
                    loop=loop and whole,
                    line=line and not (loop and whole),
                    ink=ink,
                    clip=clip,
                    matrix=matrix if slanting else None,
                )

    def region(self) -> shapely.MultiPolygon:
        """All ink, less what white covers of it."""
        result: shapely.Geometry = shapely.MultiPolygon()
        pending: list[shapely.Geometry] = []
        for geometry, ink in self.inks:
            if ink:
                pending.append(geometry)
                continue
            result = shapely.union_all([result, *pending])
            pending = []
            result = shapely.difference(result, geometry)
        return as_region([shapely.union_all([result, *pending])])

    def drawing(self, unit_mm: float | None, scale: tuple[float, float]) -> Drawing:
        """The finished drawing; ``scale`` along and up, below zero where the file's y runs down."""
        gate.at(DRAWN, "joining the pieces")
        region = shapely.transform(self.region(), lambda p: p * scale)
        lines = tuple(
            Line(points * scale, pen._replace(width=pen.width * abs(scale[0])))
            for points, pen in self.lines
        )
        return Drawing(region, lines, unit_mm, tuple(dict.fromkeys(self.notes)))


def moved(points: Array, matrix: Array) -> Array:
    """Points (n, 2) through a matrix (2, 3)."""
    return np.asarray(points @ matrix[:, :2].T + matrix[:, 2])


def same(one: Any, other: Any, within: float = 1e-12) -> bool:
    """Whether two points are one."""
    return bool(abs(one[0] - other[0]) <= within and abs(one[1] - other[1]) <= within)


def together(outer: Array, inner: Array) -> Array:
    """Two matrices (2, 3), the inner one first."""
    return np.column_stack([outer[:, :2] @ inner[:, :2], outer[:, :2] @ inner[:, 2] + outer[:, 2]])


def even_scale(matrix: Array) -> float | None:
    """How much larger a matrix (2, 3) makes things, None where that differs by direction."""
    (a, c), (b, d) = matrix[:, :2]
    size = float(np.sqrt(abs(a * d - b * c)))
    # a turn, or one with a mirror
    alike = min(float(np.hypot(a - d, b + c)), float(np.hypot(a + d, b - c)))
    return size if alike <= 1e-4 * max(abs(a), abs(b), abs(c), abs(d), 1e-300) else None


@dataclass(frozen=True, eq=False)
class Run:
    """One outline of straight pieces (2, 2) and cubics (4, 2), end to end; ``closed`` by itself."""

    pieces: tuple[Array, ...]
    closed: bool

    def points(self, matrix: Array | None, tolerance: float) -> Array:
        """Points along it (n, 2), through a matrix (2, 3)."""
        found: list[tuple[float, float]] = []
        for piece in self.pieces:
            corners = piece if matrix is None else moved(piece, matrix)
            ends = [(float(x), float(y)) for x, y in corners]
            if not found:
                found.append(ends[0])
            found += ends[1:] if len(ends) == 2 else cubic(ends[0], ends[1], ends[2], ends[3], tolerance)
        if self.closed and found and not same(found[0], found[-1]):
            found.append(found[0])
        return np.array(found, dtype=float).reshape(-1, 2)


def filled(rings: list[Array], *, even_odd: bool) -> shapely.MultiPolygon:
    """What rings enclose, whether they come back to their first points or not."""
    open_rings = [
        ring[:-1] if same(ring[0], ring[-1], 1e-9 + 1e-5 * np.ptp(ring)) else ring for ring in rings
    ]
    open_rings = [ring for ring in open_rings if len(ring) >= 3]
    return (fill_even_odd if even_odd else fill_nonzero)(open_rings)


def comes_back(points: Array) -> bool:
    """Whether a line ends where it began."""
    return bool(np.linalg.norm(points[0] - points[-1]) < 1e-6 * max(np.ptp(points), 1e-12))


def dashed(points: Array, lengths: list[float], offset: float) -> list[Array]:
    """The dashes of a line (n, 2): on, off, on, off by these lengths, which are said once more where they
    are odd (SVG 2, 13.5.6). None at all where every length is zero: the line is whole."""
    if len(lengths) % 2:
        lengths = lengths * 2
    period = sum(lengths)
    run = run_of(points)
    if period <= 0 or min(lengths) < 0:
        return [points]
    if run[-1] / period * len(lengths) > MOST_PIECES:
        raise KilnError("The drawing has too many dashes to be used; save a copy with whole lines.")
    edges = np.cumsum([0.0, *lengths])
    first = int(np.floor(offset / period))
    found = []
    for number in range(first, first + int(np.ceil(run[-1] / period)) + 2):
        for on, off in zip(edges[:-1:2], edges[1::2], strict=True):
            begin = max(number * period + on - offset, 0.0)
            end = min(number * period + off - offset, float(run[-1]))
            if end < begin or (end == begin and off > on) or begin >= run[-1]:
                continue
            end = max(end, begin + 1e-9 * period)  # a dash of no length is a dot of a round pen
            within = (run > begin) & (run < end)
            ends = [[np.interp(at, run, points[:, k]) for k in (0, 1)] for at in (begin, end)]
            found.append(np.vstack([ends[0], points[within], ends[1]]))
    return found


def words_left_out(words: str, family: str) -> str:
    """What is said of words whose face is not here."""
    font = family or "a font"
    return f"The words “{words[:40]}” are set in {font}, which is not here; they are left out."
