"""What a bender needs to know of a sign's tubes: bends in order, blockout, what holds them, where they
cross, how much glass, and the transformer that lights them.

Seen from behind, as glass is bent over its pattern: what goes to the left there is to the right in front.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import laids_of
from kilnchisel.core.crafts.tubes import Run, runs_of, support_places
from kilnchisel.core.job.crafts import LightColour, Tube
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.lettering.polygons import run_of

Array = NDArray[Any]

LEAST_TURN_DEG = 8.0  # what turns less is not bent by itself
EVEN_DEG = 8.0  # how far a bend's turning may be from even
STRAIGHT_OFF_MM = 0.02
STRAIGHT_TIMES = 3.0  # as long as its neighbour: a chord of an arc is not
FLAME_MORE = 0.5  # of the diameter, to either side of a bend: common practice
RIBBON = 8.0  # diameters: what is longer is heated in a ribbon burner, common practice
ELECTRODE_MM = 75.0  # glass that an electrode's end takes of a tube, common practice
SPARE = 1.1  # glass that is bought for what is bent: breakage and grip, common practice


@dataclass(frozen=True)
class Bend:
    """One bend of a tube: from where to where along it, how far and how tightly, and which way: "left",
    "right" as seen from behind, "back" to the wall or "front"."""

    start_mm: float
    end_mm: float
    angle_deg: float
    radius_mm: float
    way: str

    @property
    def at_mm(self) -> float:
        return (self.start_mm + self.end_mm) / 2


@dataclass(frozen=True, eq=False)
class Bent:
    """One tube: its number on the plan, the lettering and side it belongs to, and how it runs."""

    number: int
    index: int
    side: str
    words: str
    craft: Tube
    run: Run
    bends: tuple[Bend, ...]

    @property
    def length_mm(self) -> float:
        return self.run.length_mm

    @property
    def colour(self) -> str:
        """The colour of its light, by its name or as #rrggbb."""
        return self.craft.own_colour if self.craft.colour == "own" else self.craft.colour

    @property
    def glass_mm(self) -> float:
        """What is cut for it: the tube and what both electrodes take."""
        return self.length_mm + (2 * ELECTRODE_MM if self.craft.form == "glass" else 0.0)

    @property
    def blocked_mm(self) -> float:
        """How much of it is painted out."""
        if not self.craft.blockout or self.craft.form != "glass":
            return 0.0
        steps = np.linalg.norm(np.diff(self.run.path, axis=0), axis=1)
        return float(steps[~(self.run.lit[1:] & self.run.lit[:-1])].sum())

    @cached_property
    def supports(self) -> Array:
        """Where it is held, sheet points (k, 2)."""
        return support_places(self.run) if self.craft.supports else np.empty((0, 2))

    def flame(self, bend: Bend) -> tuple[float, float]:
        """From where to where along the tube it is heated for a bend."""
        more = FLAME_MORE * self.craft.tube_mm
        return max(bend.start_mm - more, 0.0), min(bend.end_mm + more, self.length_mm)

    def burner(self, bend: Bend) -> str:
        """In which fire: common practice."""
        start, end = self.flame(bend)
        return "ribbon" if end - start > RIBBON * self.craft.tube_mm else "cross"


@dataclass(frozen=True)
class Crossing:
    """Where two stretches cross on the plan: the tubes, the place, and how far apart their middles are
    in height."""

    above: int
    below: int
    at: tuple[float, float]
    apart_mm: float


@dataclass(frozen=True, eq=False)
class Bending:
    """All the tubes of one side."""

    side: str
    tubes: tuple[Bent, ...]

    @cached_property
    def crossings(self) -> tuple[Crossing, ...]:
        return _crossings(self.tubes)


def bendings_of(job: Job) -> list[Bending]:
    """The tubes of a job's sides, numbered from 1 in the order they are bent. Raises KilnError."""
    found: dict[str, list[Bent]] = {}
    number = 0
    for index, lettering in enumerate(job.letterings):
        craft = lettering.craft
        if lettering.hidden or not isinstance(craft, Tube):
            continue
        for laid in laids_of(job, index):
            for run in runs_of(laid, craft):
                number += 1
                bends = bends_of(run, craft)
                words = one_line(lettering)
                found.setdefault(laid.lay.side, []).append(
                    Bent(number, index, laid.lay.side, words, craft, run, bends)
                )
    return [Bending(side, tuple(tubes)) for side, tubes in found.items()]


def without_tubes(job: Job) -> str:
    """Why a job has nothing for a bender; empty where it has."""
    if any(isinstance(item.craft, Tube) and not item.hidden for item in job.letterings):
        return ""
    return "nothing on it is of tubes"


def bends_of(run: Run, craft: Tube) -> tuple[Bend, ...]:
    """The bends along a tube, in order.

    In front its direction turns in a plane: what turns evenly is one bend. Behind and at its ends it runs
    straight between bends that leave that plane.
    """
    along = run_of(run.path)
    found: list[Bend] = []
    marks = run.lit
    edges = [0, *(np.flatnonzero(marks[1:] != marks[:-1]) + 1).tolist(), len(marks)]
    for first, stop in itertools.pairwise(edges):
        # a stretch behind has the way into it and out of it
        low, high = (first, stop) if marks[first] else (max(first - 1, 0), min(stop + 1, len(marks)))
        path, at = run.path[low:high], along[low:high]
        if len(path) >= 3:
            found += _in_front(path[:, :2], at) if marks[first] else _behind(path, at, craft)
    return tuple(sorted(found, key=lambda bend: bend.start_mm))


def _in_front(path: Array, along: Array) -> list[Bend]:
    """Bends of a flat stretch: its direction over its length, in as few straight pieces as are true to
    ``EVEN_DEG``; each piece that rises or falls is a bend of even radius."""
    corners = np.asarray(shapely.LineString(path).simplify(STRAIGHT_OFF_MM).coords)
    if len(corners) < 3:
        return []
    steps = np.diff(corners, axis=0)
    long = np.linalg.norm(steps, axis=1)
    turned = np.degrees(np.unwrap(np.arctan2(steps[:, 1], steps[:, 0])))
    run = np.append(0.0, np.cumsum(long))
    # a chord has its direction in its middle, what is straight up to its ends
    beside = np.minimum(np.append(long[1:], np.inf), np.append(np.inf, long[:-1]))
    straight = long > STRAIGHT_TIMES * beside
    straight[[0, -1]] = True
    half = np.where(straight, long / 2 * (1 - 1e-6), 0.0)
    middles = (run[1:] + run[:-1]) / 2
    at = np.stack([middles - half, middles + half], axis=1).ravel()
    turned = np.repeat(turned, 2)
    # flattened so much that how far a point is off counts in degrees only
    flat = shapely.LineString(np.stack([at, turned * 1e-6], axis=1)).simplify(EVEN_DEG * 1e-6)
    s, way = np.asarray(flat.coords).T
    return [
        _bend(along[0] + a, along[0] + b, (after - before) * 1e6)
        for a, b, before, after in zip(s[:-1], s[1:], way[:-1], way[1:], strict=True)
        if abs(after - before) * 1e6 >= LEAST_TURN_DEG
    ]


def _bend(start: float, end: float, turned_deg: float) -> Bend:
    radius = (end - start) / math.radians(abs(turned_deg))
    # to the left seen from the front is to the right from behind
    return Bend(
        float(start), float(end), abs(turned_deg), float(radius), "right" if turned_deg > 0 else "left"
    )


def _behind(path: Array, along: Array, craft: Tube) -> list[Bend]:
    """Bends of a stretch that leaves the front: neighbours that turn the same way together."""
    steps = np.diff(path, axis=0)
    long = np.linalg.norm(steps, axis=1)
    way = steps / np.maximum(long, 1e-12)[:, None]
    axis = np.cross(way[:-1], way[1:])
    size = np.linalg.norm(axis, axis=1)
    turned = np.degrees(np.arctan2(size, np.einsum("ij,ij->i", way[:-1], way[1:])))
    axis /= np.maximum(size, 1e-12)[:, None]
    found = []
    i = 0
    while i < len(turned):
        if turned[i] < 0.5:
            i += 1
            continue
        stop = i + 1
        while (
            stop < len(turned)
            and turned[stop] >= 0.5
            and float(axis[stop] @ axis[i]) > 0.8
            and long[stop] < craft.tube_mm
        ):
            stop += 1
        angle = float(turned[i:stop].sum())
        if angle >= LEAST_TURN_DEG:
            # an arc of chords begins half a chord before its first corner
            start = along[i + 1] - min(long[i], long[min(i + 1, stop)]) / 2
            end = along[stop] + min(long[stop], long[max(stop - 1, i)]) / 2
            fall = abs(float(path[stop + 1, 2] - path[i, 2]))
            found.append(_out_of_front(float(start), float(end), angle, way[i], way[stop], fall))
        i = stop
    return found


def _out_of_front(start: float, end: float, angle: float, into: Array, out: Array, fall: float) -> Bend:
    """A bend that is told by the leg of it that leaves its plane; ``fall``: how far apart in height its
    ends are, mm."""
    rise = float(out[2] - into[2])
    if abs(rise) > 0.3:
        words = "front" if rise > 0 else "back"
    elif fall > 0.3 * (end - start):  # turned back behind itself
        words = "back"
    else:
        words = "right" if into[0] * out[1] - into[1] * out[0] > 0 else "left"
    return Bend(start, end, angle, (end - start) / math.radians(angle), words)


def _crossings(tubes: tuple[Bent, ...]) -> tuple[Crossing, ...]:
    """Where stretches cross on the sheet, each place once."""
    owners, steps, flat = [], [], []
    for tube in tubes:
        flat.append(tube.run.path)
        for step in range(len(tube.run.path) - 1):
            owners.append((tube, step))
            steps.append(tube.run.path[step : step + 2, :2])
    lines = shapely.linestrings(np.array(steps))
    tree = shapely.STRtree(lines)
    found: list[Crossing] = []
    for a, b in tree.query(lines, predicate="crosses").T.tolist():
        (one, i), (other, j) = owners[a], owners[b]
        if a >= b or (one is other and abs(i - j) < 2):
            continue
        spot = shapely.intersection(lines[a], lines[b])
        if spot.geom_type != "Point":
            continue
        at = np.array(spot.coords[0])
        heights = [_height_at(tube, step, at) for tube, step in ((one, i), (other, j))]
        near = any(math.dist(c.at, at) < one.craft.tube_mm for c in found)
        if not near:
            upper, lower = (one, other) if heights[0] >= heights[1] else (other, one)
            apart = abs(heights[0] - heights[1])
            found.append(Crossing(upper.number, lower.number, (float(at[0]), float(at[1])), apart))
    return tuple(found)


def _height_at(tube: Bent, step: int, at: Array) -> float:
    a, b = tube.run.path[step], tube.run.path[step + 1]
    long = float(np.linalg.norm(b[:2] - a[:2]))
    share = float(np.linalg.norm(at - a[:2])) / max(long, 1e-9)
    return float(a[2] + share * (b[2] - a[2]))


# metres of tube that a transformer of 15 kV, 30 mA lights, by diameter in mm and what fills it: published
# charts of the trade, from memory; what is rated lower lights in proportion
LIT_M = {
    "neon": ((8.0, 6.4), (10.0, 8.5), (12.0, 10.7), (15.0, 14.6), (18.0, 18.3), (20.0, 20.1)),
    "mercury": ((8.0, 7.9), (10.0, 10.7), (12.0, 13.4), (15.0, 18.0), (18.0, 22.6), (20.0, 25.0)),
}
RATED_KV = (2.0, 3.0, 4.0, 5.0, 6.0, 7.5, 9.0, 10.5, 12.0, 15.0)  # from memory
PAIR_M = 0.3  # a pair of electrodes takes as much as a foot of tube: common practice
NEON_RED: frozenset[LightColour] = frozenset({"neon red", "ruby", "orange"})  # without mercury


@dataclass(frozen=True)
class Transformers:
    """What lights a sign: how many, of how many kilovolts, for how many metres of tube, electrodes with
    them."""

    count: int
    kilovolts: float
    metres: float
    fill: str
    tube_mm: float

    @property
    def words(self) -> str:
        many = "One transformer" if self.count == 1 else f"{self.count} transformers"
        return (
            f"{many} of {self.kilovolts:g} kV, 30 mA, for {self.metres:.2f} m of "
            f"{self.tube_mm:g} mm {self.fill} tube, electrodes counted"
        )


def transformers_of(tubes: tuple[Bent, ...]) -> list[Transformers]:
    """The smallest transformers that light glass tubes, for each diameter and filling."""
    found = []
    groups: dict[tuple[str, float], list[Bent]] = {}
    for tube in tubes:
        if tube.craft.form == "glass":
            fill = "neon" if tube.craft.colour in NEON_RED else "mercury"
            groups.setdefault((fill, tube.craft.tube_mm), []).append(tube)
    for (fill, wide), mine in groups.items():
        metres = sum(t.length_mm / 1000 + PAIR_M for t in mine)
        widths, carried = zip(*LIT_M[fill], strict=True)
        most = float(np.interp(wide, widths, carried))
        count = max(1, math.ceil(metres / most))
        needed = RATED_KV[-1] * metres / count / most
        rated = next(kv for kv in RATED_KV if kv >= needed - 1e-9)
        found.append(Transformers(count, rated, metres, fill, wide))
    return found


def cable_mm(tubes: tuple[Bent, ...]) -> float:
    """High-voltage cable from each glass tube's end to the next one's beginning, mm, in straight lines."""
    glass = [tube for tube in tubes if tube.craft.form == "glass"]
    pairs = itertools.pairwise(glass)
    return float(sum(np.linalg.norm(a.run.path[-1, :2] - b.run.path[0, :2]) for a, b in pairs))
