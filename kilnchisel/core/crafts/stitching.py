"""Letters as stitches: satin columns across their strokes, rows of fill where they are wide.

A stroke is sewn out and back: along its middle underlay that holds the cloth, then across it, edge to edge,
pulled a little wider than drawn because thread draws the cloth in. All by common practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.job.crafts import Embroidered
from kilnchisel.core.lettering.centrelines import CentreLine, centre_lines
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.polygons import polygons_in, rings_of, run_of
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

SATIN_MM = 7.0  # the widest stroke that is sewn across
LONGEST_MM, LEAST_MM = 7.0, 0.3  # of a stitch
FILL_STITCH_MM = 3.6
UNDER_MM = 2.2  # underlay: its stitches
INSET_MM = 0.45  # how far within the edge a second underlay stays
WIDE_MM = 3.0  # from there on satin lies on an underlay of zigzag too
TRIM_MM = 3.0  # to a start farther off the thread is cut
REACH, END_REACH = 1.5, 4.0  # across a stroke at most, by its half width; at its free ends, for serifs
CORNER_MM, CORNER = 0.9, np.cos(np.radians(48.0))  # a line turns so much over so far: it is cut there
BRICKS = (0.0, 0.5, 0.25, 0.75)  # where stitches end in rows that follow each other


@dataclass(frozen=True, eq=False)
class Thread:
    """A thread from start to cut: where the needle goes in one after the other, (n, 2) mm, and whether the
    stitch that ends there is underlay, (n,)."""

    points: Array
    under: Array

    @property
    def length_mm(self) -> float:
        """The sum of its stitches."""
        return float(np.linalg.norm(np.diff(self.points, axis=0), axis=1).sum())

    @property
    def stitches(self) -> int:
        return len(self.points) - 1


@remembered
def threads_of(outline: Outline, craft: Embroidered) -> tuple[tuple[Thread, ...], ...]:
    """The threads of each layer of an outline, in its own coordinates, in the order they are sewn."""
    cap = max(outline.cap_height_mm, 1e-3)
    return tuple(_sewn(layer.region, craft, cap) for layer in outline.layers)


def _sewn(region: shapely.MultiPolygon, craft: Embroidered, cap: float) -> tuple[Thread, ...]:
    """Letter by letter in reading order; one thread as long as the next start is near."""
    threads: list[Thread] = []
    for part in sorted(polygons_in(region), key=lambda p: _place(p, cap)):
        corner = np.array(part.bounds[:2])
        own = shapely.set_precision(shapely.transform(part, lambda p, c=corner: p - c), 1e-4)
        for one in _of_part(shapely.to_wkb(own), craft, cap):
            moved = Thread(one.points + corner, one.under)
            if threads and np.linalg.norm(threads[-1].points[-1] - moved.points[0]) <= TRIM_MM:
                threads[-1] = _tied(threads[-1], moved)
            else:
                threads.append(moved)
    return tuple(threads)


def is_filled(outline: Outline) -> bool:
    """Whether something of it is wider than satin reaches, and sewn in rows."""
    return any(_is_wide(part) for layer in outline.layers for part in polygons_in(layer.region))


def _is_wide(part: shapely.Polygon) -> bool:
    return not part.buffer(-SATIN_MM / 2).is_empty


def _place(part: Any, cap: float) -> tuple[float, float]:
    """Where it comes in reading order."""
    left, low, _, high = part.bounds
    return (-round((low + high) / 2 / (1.3 * cap)), left)


def _tied(one: Thread, other: Thread) -> Thread:
    """Two threads as one, with a stitch over to the other's start."""
    points = np.concatenate([one.points, other.points])
    under = np.concatenate([one.under, [True], other.under[1:]])
    return _clean(points, under)


@remembered
def _of_part(part: bytes, craft: Embroidered, cap: float) -> tuple[Thread, ...]:
    """The threads of one letter or dot; the same letter is worked out once."""
    found: list[Thread] = []
    for polygon in polygons_in(shapely.from_wkb(part)):
        if not _is_wide(polygon):
            found += _in_order(
                [one for line in _lines(polygon, cap) for one in _columns(polygon, line, craft)]
            )
        else:
            found += _filled(polygon, craft)
    return tuple(found)


def _lines(polygon: shapely.Polygon, cap: float) -> list[CentreLine]:
    lines = list(centre_lines(shapely.MultiPolygon([polygon]), cap))
    if lines:
        return lines
    # a blot: across its longer side
    box = shapely.minimum_rotated_rectangle(polygon)
    corners = shapely.get_coordinates(box)[:4]
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    first = int(np.argmax(sides))
    half = (np.roll(corners, -first - 1, axis=0)[1] - np.roll(corners, -first, axis=0)[1]) / 2
    start = corners[first] + half
    end = corners[(first + 1) % 4] + half
    return [CentreLine(np.stack([0.9 * start + 0.1 * end, 0.1 * start + 0.9 * end]), (True, True))]


def _in_order(columns: list[Thread]) -> list[Thread]:
    """Columns sewn one after the other, each nearest to where the last one ended; near ones on one
    thread."""
    left: list[Thread] = list(columns)
    found: list[Thread] = []
    while left:
        at = found[-1].points[-1] if found else np.array([np.inf, np.inf])
        first = min(
            range(len(left)),
            key=lambda k: (
                float(left[k].points[0, 0]) if not found else float(np.linalg.norm(left[k].points[0] - at))
            ),
        )
        column = left.pop(first)
        if found and np.linalg.norm(column.points[0] - at) <= TRIM_MM:
            found[-1] = _tied(found[-1], column)
        else:
            found.append(column)
    return found


def _evenly(line: Array, step: float) -> Array:
    """A line with points so far apart, its ends kept."""
    run = run_of(line)
    spots = np.linspace(0, run[-1], max(round(float(run[-1]) / step), 2) + 1)
    return np.stack([np.interp(spots, run, line[:, k]) for k in (0, 1)], axis=1)


def _columns(part: shapely.Polygon, line: CentreLine, craft: Embroidered) -> list[Thread]:
    """A stroke, in pieces from corner to corner: underlay out along its middle, satin back across it."""
    edges, found = _edges(part), []
    shapely.prepare(part)
    for points, free in _straights(line, craft):
        made = (
            points if line.closed and len(points) == len(line.points) else _to_the_ends(points, free, edges)
        )
        spots = _evenly(made, craft.density_mm)
        ways = _ways(spots, closed=line.closed and made is points)
        out = np.stack([-ways[:, 1], ways[:, 0]], axis=1)
        left, right = _cast(spots, out, edges), _cast(spots, -out, edges)
        near = np.minimum(left, right)
        most = REACH * near + 0.2
        run = np.arange(len(spots)) * craft.density_mm
        for is_free, away in ((free[0], run), (free[1], run[-1] - run)):
            if is_free:
                most = np.where(away < 1.3 * near, END_REACH * near, most)
        left, right = np.minimum(left, most), np.minimum(right, most)
        within = shapely.contains_xy(part, spots[:, 0], spots[:, 1])
        sewn = np.flatnonzero(within & (left + right > LEAST_MM))
        for run_ in np.split(sewn, np.flatnonzero(np.diff(sewn) > 1) + 1):
            if len(run_) > 1:
                found.append(_satin(spots[run_], out[run_], left[run_], right[run_], craft))
    return found


def _satin(spots: Array, out: Array, left: Array, right: Array, craft: Embroidered) -> Thread:
    """From edge to edge, the way over a little on, back from where its underlay has come to."""
    one = spots + (left + craft.pull_mm)[:, None] * out
    other = spots - (right + craft.pull_mm)[:, None] * out
    if not craft.underlay:
        across = _split(np.stack([one, other], axis=1).reshape(-1, 2))[0]
        return _clean(across, np.zeros(len(across), dtype=bool))
    under = _underlay(spots, out, left, right, craft)
    across = np.stack([one[::-1], other[::-1]], axis=1).reshape(-1, 2)
    points = np.concatenate([under, _split(across)[0]])
    return _clean(points, np.arange(len(points)) < len(under))


def _straights(line: CentreLine, craft: Embroidered) -> list[tuple[Array, tuple[bool, bool]]]:
    """A line in pieces between its corners, each on a little past them; whether its ends are free."""
    spots = _evenly(line.points, craft.density_mm)
    k = max(round(CORNER_MM / craft.density_mm), 1)
    if len(spots) < 4 * k:
        return [(line.points, line.free)]
    before, after = spots[k:-k] - spots[: -2 * k], spots[2 * k :] - spots[k:-k]
    size = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    bend = np.einsum("ij,ij->i", before, after) / np.maximum(size, 1e-12)
    sharp: list[int] = []
    for at in np.argsort(bend).tolist():
        if bend[at] > CORNER:
            break
        if all(abs(at + k - other) > 2 * k for other in sharp):
            sharp.append(at + k)
    if not sharp:
        return [(line.points, line.free)]
    cuts = [0, *sorted(sharp), len(spots) - 1]
    pieces = []
    for number, (first, last) in enumerate(pairwise(cuts)):
        # its ends are like free ones: it covers the corner, as its neighbour does
        free = (line.free[0] or number > 0, line.free[1] or number < len(cuts) - 2)
        inner = spots[first : last + 1]
        # what is bent by the corner itself is left to the way on from the straight part
        low, high = (k if number > 0 else 0), (k if number < len(cuts) - 2 else 0)
        if len(inner) > low + high + 2:
            inner = inner[low : len(inner) - high]
        pieces.append((inner, free))
    return pieces


def _underlay(spots: Array, out: Array, left: Array, right: Array, craft: Embroidered) -> Array:
    """Along the middle, in a wide stroke from edge to edge too, to the end of the stroke."""
    steps = max(round(UNDER_MM / craft.density_mm), 1)
    along = np.append(spots[::steps], spots[-1:], axis=0)
    wide = (left + right) > WIDE_MM
    if wide.mean() < 0.5:
        return along
    inner = np.maximum(left - INSET_MM, 0.0), np.maximum(right - INSET_MM, 0.0)
    one, other = spots + inner[0][:, None] * out, spots - inner[1][:, None] * out
    zig = one[::steps]
    zag = other[np.minimum(np.arange(len(zig)) * steps + steps // 2, len(other) - 1)]
    over = np.stack([zig, zag], axis=1).reshape(-1, 2)
    # back along the middle, out in zigzag: both end at the end
    return _split(np.concatenate([along, along[::-1][1:], over, spots[-1:]]))[0]


def _edges(part: shapely.Polygon) -> tuple[Array, Array]:
    """Starts and steps of all its edges, (k, 2) each."""
    starts, steps = [], []
    for ring in rings_of(part):
        starts.append(ring)
        steps.append(np.roll(ring, -1, axis=0) - ring)
    return np.concatenate(starts), np.concatenate(steps)


def _cast(spots: Array, ways: Array, edges: tuple[Array, Array]) -> Array:
    """How far it is from each spot to the outline in its way, (n,)."""
    starts, steps = edges
    cross = ways[:, None, 0] * steps[None, :, 1] - ways[:, None, 1] * steps[None, :, 0]
    off = starts[None] - spots[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        far = (off[..., 0] * steps[None, :, 1] - off[..., 1] * steps[None, :, 0]) / cross
        at = (off[..., 0] * ways[:, None, 1] - off[..., 1] * ways[:, None, 0]) / cross
    hit = (np.abs(cross) > 1e-12) & (far > 1e-6) & (at >= -1e-9) & (at <= 1 + 1e-9)
    found = np.where(hit, far, np.inf).min(axis=1)
    return np.asarray(np.where(np.isfinite(found), found, 0.0))


def _ways(spots: Array, *, closed: bool) -> Array:
    """The way of a line at its points, smooth, (n, 2)."""
    if closed:
        step = np.roll(spots[:-1], -2, axis=0) - np.roll(spots[:-1], 2, axis=0)
        step = np.append(step, step[:1], axis=0)
    else:
        padded = np.concatenate([spots[:1], spots[:1], spots, spots[-1:], spots[-1:]])
        step = padded[4:] - padded[:-4]
    return np.asarray(step / np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-12))


def _to_the_ends(points: Array, free: tuple[bool, bool], edges: tuple[Array, Array]) -> Array:
    """A line on to the outline where a stroke ends."""
    made = points
    for end, is_free in ((0, free[0]), (-1, free[1])):
        if not is_free:
            continue
        inner = made[min(3, len(made) - 1)] if end == 0 else made[max(-4, -len(made))]
        way = made[end] - inner
        size = np.linalg.norm(way)
        if size < 1e-9:
            continue
        way = way / size
        far = float(_cast(made[end][None], way[None], edges)[0])
        tip = made[end] + max(far - 0.12, 0.0) * way
        made = np.concatenate([tip[None], made]) if end == 0 else np.concatenate([made, tip[None]])
    return made


def _split(points: Array) -> tuple[Array, Array]:
    """With no stitch longer than the longest: a longer one has holes between; and of each point the one it
    was."""
    far = np.linalg.norm(np.diff(points, axis=0), axis=1)
    many = np.maximum(np.ceil(far / LONGEST_MM - 1e-9).astype(int), 1)
    start = np.repeat(np.arange(len(far)), many)
    share = (np.arange(len(start)) - np.repeat(np.cumsum(many) - many, many) + 1) / many[start]
    between = points[start] + share[:, None] * (points[start + 1] - points[start])
    return np.concatenate([points[:1], between]), np.append(0, start + 1)


def _clean(points: Array, under: Array) -> Thread:
    """Without stitches that are too short, long ones in several."""
    keep = [0]
    last = points[0]
    for k in range(1, len(points)):
        if np.hypot(*(points[k] - last)) >= LEAST_MM:
            keep.append(k)
            last = points[k]
    split, of = _split(points[keep])
    return Thread(split, under[keep][of])


def _filled(part: shapely.Polygon, craft: Embroidered) -> list[Thread]:
    """A wide part in rows, back and forth, in as many pieces as it takes; under it a wide grid of rows
    across."""
    threads = []
    grown = part.buffer(craft.pull_mm) if craft.pull_mm else part
    for section in _sections(grown, craft.fill_deg, craft.density_mm):
        points, under = section, np.zeros(len(section), dtype=bool)
        threads.append(_clean(points, under))
    if craft.underlay:
        inner = part.buffer(-INSET_MM)
        below = [
            _clean(rows, np.ones(len(rows), dtype=bool))
            for piece in polygons_in(inner)
            for rows in _sections(piece, craft.fill_deg + 90.0, 6 * craft.density_mm)
        ]
        threads = below + threads
    return _in_order([thread for thread in threads if len(thread.points) > 1])


def _sections(part: shapely.Polygon, deg: float, apart: float) -> list[Array]:
    """Rows of stitches over an area, each section one run back and forth, (n, 2)."""
    turn = np.radians(deg)
    way, up = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    rings = [np.stack([ring @ way, ring @ up], axis=1) for ring in rings_of(part)]
    starts = np.concatenate(rings)
    ends = np.concatenate([np.roll(ring, -1, axis=0) for ring in rings])
    low, high = starts[:, 1].min(), starts[:, 1].max()
    rows = np.arange(low + apart / 2, high, apart)
    open_: list[tuple[tuple[float, float], list[tuple[float, float, float]]]] = []
    done: list[list[tuple[float, float, float]]] = []
    for v in rows.tolist():
        crosses = (starts[:, 1] <= v) != (ends[:, 1] <= v)
        a, b = starts[crosses], ends[crosses]
        us = np.sort(a[:, 0] + (v - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0]))
        spans = [(float(x), float(y)) for x, y in us.reshape(-1, 2) if y - x > LEAST_MM]
        fits = [[k for k, (span, _) in enumerate(open_) if span[0] < y and x < span[1]] for x, y in spans]
        counts = [sum(k in one for one in fits) for k in range(len(open_))]
        going, kept = [], set()
        for (x, y), one in zip(spans, fits, strict=True):
            if len(one) == 1 and counts[one[0]] == 1:
                open_[one[0]][1].append((v, x, y))
                going.append(((x, y), open_[one[0]][1]))
                kept.add(one[0])
            else:
                going.append(((x, y), [(v, x, y)]))
        done += [lines for k, (_, lines) in enumerate(open_) if k not in kept]
        open_ = going
    done += [lines for _, lines in open_]
    found = []
    for lines in done:
        points = []
        for number, (v, x, y) in enumerate(lines):
            first = (np.floor(x / FILL_STITCH_MM) + BRICKS[number % len(BRICKS)]) * FILL_STITCH_MM
            inner = np.arange(first, y, FILL_STITCH_MM)
            inner = inner[(inner > x + LEAST_MM) & (inner < y - LEAST_MM)]
            row = np.concatenate([[x], inner, [y]])
            row = row if number % 2 == 0 else row[::-1]
            points.append(row[:, None] * way + v * up)
        found.append(np.concatenate(points))
    return found
