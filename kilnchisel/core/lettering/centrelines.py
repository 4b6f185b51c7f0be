"""The centre lines of a glyph: its medial axis, cleaned into the strokes a pen or a tube would follow.

From the Voronoi cells of the sampled outline a ridge is kept where the two outline points it lies
between are clearly apart and are seen well apart from it. Branches that only run into corners and
serifs are pruned, the straightest pairs are joined to through lines, what a junction bends is
straightened, sharp turns become corners, and free ends reach the end of their stroke.
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.later import spatial
from kilnchisel.core.lettering.polygons import length_of, polygons_in, rings_of, run_of, sampled

Array = NDArray[Any]

SAMPLES_PER_CAP = 70
SEEN_APART = 0.5  # radians between the two outline points, seen from the ridge
APART_STEPS = 1.5
TAPER = 0.25  # a branch that narrows faster than this runs into a corner
STUB = 0.6  # a branch shorter than this many radii is no stroke
CRUMB = 0.25  # of the largest piece of axis: less is not a stroke of its own
STRAIGHT_JOIN = np.cos(np.radians(140.0))  # branches that go on within 40° are one line
CORNER = np.cos(np.radians(42.0))


@dataclass(frozen=True, eq=False)
class CentreLine:
    """A line (n, 2); ``free``: whether its start and its end are ends of a stroke."""

    points: Array
    free: tuple[bool, bool]

    @property
    def closed(self) -> bool:
        return bool(np.linalg.norm(self.points[0] - self.points[-1]) < 1e-9)


@dataclass(eq=False)
class _Branch:
    """A chain of axis points between two nodes, with the stroke's half width at each."""

    points: Array
    radius: Array
    start: int
    end: int


def centre_lines(region: shapely.MultiPolygon, cap_height: float) -> tuple[CentreLine, ...]:
    """The centre lines of a filled region, in its own units."""
    step = cap_height / SAMPLES_PER_CAP
    lines: list[CentreLine] = []
    for part in polygons_in(region):
        dot = _dot(part, cap_height)
        lines += [dot] if dot is not None else _of_part(part, step)
    return tuple(lines)


def _dot(part: shapely.Polygon, cap_height: float) -> CentreLine | None:
    """A full stop or the point of an i: a small compact blot becomes a short stroke."""
    if part.interiors:
        return None
    left, low, right, high = part.bounds
    wide, tall = right - left, high - low
    if max(wide, tall) > 0.36 * cap_height or max(wide, tall) > 1.7 * min(wide, tall):
        return None
    if part.area < 0.6 * wide * tall:
        return None
    middle = np.array([(left + right) / 2, (low + high) / 2])
    reach = max(min(wide, tall) / 12, (max(wide, tall) - min(wide, tall)) / 2)
    way = np.array([1.0, 0.0]) if wide >= tall else np.array([0.0, 1.0])
    return CentreLine(np.array([middle - reach * way, middle + reach * way]), (False, False))


def _of_part(part: shapely.Polygon, step: float) -> list[CentreLine]:
    points, edges, radius = _axis(part, step)
    if not len(edges):
        return []
    branches = _pruned(_without_crumbs(_branches(points, edges, radius)))
    return _joined(branches, part, step)


def _axis(part: shapely.Polygon, step: float) -> tuple[Array, Array, Array]:
    """Voronoi vertices, kept ridges (k, 2) and the distance of each vertex to the outline."""
    outline = np.concatenate([sampled(ring, step) for ring in rings_of(part)])
    try:
        cells = spatial.Voronoi(outline)
    except spatial.QhullError:
        return np.empty((0, 2)), np.empty((0, 2), dtype=int), np.empty(0)
    ridges = np.array(cells.ridge_vertices)
    inner = (ridges >= 0).all(axis=1)
    ridges, pairs = ridges[inner], cells.ridge_points[inner]
    vertices = cells.vertices
    shapely.prepare(part)
    inside = shapely.contains_xy(part, vertices[:, 0], vertices[:, 1])
    gap = np.linalg.norm(outline[pairs[:, 0]] - outline[pairs[:, 1]], axis=1)
    middle = vertices[ridges].mean(axis=1)
    far = np.linalg.norm(middle - outline[pairs[:, 0]], axis=1)
    seen = 2 * np.arcsin(np.clip(gap / (2 * np.maximum(far, 1e-12)), 0, 1))
    keep = inside[ridges].all(axis=1) & (gap > APART_STEPS * step) & (seen >= SEEN_APART)
    radius, _ = spatial.cKDTree(outline).query(vertices)
    return vertices, ridges[keep], radius


def branches_of(points: Array, edges: Array) -> list[Array]:
    """Edges (k, 2) between points (n, 2) as chains of points, from one node to the next."""
    return [one.points for one in _branches(points, edges, np.zeros(len(points)))]


def _branches(points: Array, edges: Array, radius: Array) -> list[_Branch]:
    """Chains of edges between nodes where not exactly two meet; a plain loop is one chain.

    By hand: networkx has nothing that draws chains together, and making its graph alone takes as long as
    all of this (0.5 ms for a bold S of 335 edges, 0.6 ms with its components).
    """
    near: dict[int, list[int]] = defaultdict(list)
    for a, b in edges.tolist():
        if a != b:
            near[a].append(b)
            near[b].append(a)
    nodes = {v for v, others in near.items() if len(others) != 2}
    used: set[tuple[int, int]] = set()
    branches = []

    def walk(start: int, second: int) -> None:
        chain = [start, second]
        used.add((start, second))
        while chain[-1] not in nodes and chain[-1] != start:
            one, two = near[chain[-1]]
            step = two if one == chain[-2] else one
            used.add((chain[-1], step))
            chain.append(step)
        used.add((chain[-1], chain[-2]))
        branches.append(_Branch(points[chain], radius[chain], chain[0], chain[-1]))

    for node in sorted(nodes):
        for other in near[node]:
            if (node, other) not in used:
                walk(node, other)
    for v in sorted(near.keys() - nodes):  # what is left are loops without a node
        for other in near[v]:
            if (v, other) in used or (other, v) in used:
                continue
            walk(v, other)
            loop = branches[-1]
            if loop.start == loop.end:  # marked both ways
                used.update((b, a) for a, b in list(used))
    return branches


def _without_crumbs(branches: list[_Branch]) -> list[_Branch]:
    """Without pieces of axis that hang on nothing, as they lie in the corners of serifs."""
    group: dict[int, int] = {}

    def root(node: int) -> int:
        while group.setdefault(node, node) != node:
            node = group[node]
        return node

    for branch in branches:
        group[root(branch.start)] = root(branch.end)
    size: dict[int, float] = defaultdict(float)
    for branch in branches:
        size[root(branch.start)] += length_of(branch.points)
    largest = max(size.values(), default=0.0)
    return [branch for branch in branches if size[root(branch.start)] > CRUMB * largest]


def _degrees(branches: list[_Branch]) -> dict[int, int]:
    count: dict[int, int] = defaultdict(int)
    for branch in branches:
        count[branch.start] += 1
        count[branch.end] += 1
    return count


def _pruned(branches: list[_Branch]) -> list[_Branch]:
    """Without branches into corners, serifs and short stubs; chains are merged where two are left.

    All that are found go at once: the two that fork into the corners of a square end belong together.
    """
    while True:
        count = _degrees(branches)
        doomed = {number for number, branch in enumerate(branches) if _no_stroke(branch, count)}
        if not doomed:
            return branches
        if len(doomed) == len(branches):
            doomed.remove(max(doomed, key=lambda n: length_of(branches[n].points)))
        branches = _merged([branch for number, branch in enumerate(branches) if number not in doomed])
        if len(branches) == 1:
            return branches


def _no_stroke(branch: _Branch, count: dict[int, int]) -> bool:
    ends = (count[branch.start] == 1, count[branch.end] == 1)
    if ends[0] == ends[1]:
        return False  # between two nodes, or a stroke all by itself
    tip, foot = (0, -1) if ends[0] else (-1, 0)
    length = length_of(branch.points)
    taper = (branch.radius[foot] - branch.radius[tip]) / max(length, 1e-9)
    return bool(taper > TAPER or length < STUB * branch.radius[foot])


def _merged(branches: list[_Branch]) -> list[_Branch]:
    """Two branches that alone meet at a node become one."""
    while True:
        at: dict[int, list[int]] = defaultdict(list)
        for number, branch in enumerate(branches):
            at[branch.start].append(number)
            at[branch.end].append(number)
        pair = next((v for v in at.values() if len(v) == 2 and v[0] != v[1]), None)
        if pair is None:
            return branches
        first, second = branches[pair[0]], branches[pair[1]]
        shared = {first.start, first.end} & {second.start, second.end}
        node = next(n for n in shared if len(at[n]) == 2)
        a = first if first.end == node else _turned(first)
        b = second if second.start == node else _turned(second)
        joined = _Branch(
            np.concatenate([a.points, b.points[1:]]),
            np.concatenate([a.radius, b.radius[1:]]),
            a.start,
            b.end,
        )
        branches = [x for n, x in enumerate(branches) if n not in pair] + [joined]


def _turned(branch: _Branch) -> _Branch:
    return _Branch(branch.points[::-1], branch.radius[::-1], branch.end, branch.start)


def _joined(branches: list[_Branch], part: shapely.Polygon, step: float) -> list[CentreLine]:
    """Through lines joined at junctions, then straightened, extended and smoothed."""
    at: dict[int, list[tuple[int, bool]]] = defaultdict(list)  # node: (branch, whether it is its start)
    for number, branch in enumerate(branches):
        at[branch.start].append((number, True))
        at[branch.end].append((number, False))
    follow: dict[tuple[int, bool], tuple[int, bool]] = {}
    for ends in at.values():
        if len(ends) < 3:
            continue
        ways = [_leaving(branches[n], from_start=start) for n, start in ends]
        pairs = sorted(
            (float(ways[i] @ ways[j]), i, j)
            for i in range(len(ends))
            for j in range(i)
            if ends[i] != ends[j]
        )
        taken: set[int] = set()
        for cosine, i, j in pairs:
            if cosine < STRAIGHT_JOIN and not {i, j} & taken:
                taken |= {i, j}
                follow[ends[i]], follow[ends[j]] = ends[j], ends[i]
    lines = []
    done: set[int] = set()
    order = sorted(range(len(branches)), key=lambda n: ((n, True) in follow) + ((n, False) in follow))
    for number in order:
        if number in done:
            continue
        chain = _chain(number, follow, done)
        lines.append(_line_of(chain, branches, at, part, step))
    return [line for line in lines if line is not None]


def _chain(
    number: int, follow: dict[tuple[int, bool], tuple[int, bool]], done: set[int]
) -> list[tuple[int, bool]]:
    """Branches one after the other, with whether each is walked from its start."""
    forward = (number, True) not in follow or (number, False) in follow
    if (number, True) in follow and (number, False) not in follow:
        forward = False
    chain = [(number, forward)]
    done.add(number)
    while True:
        here, walked = chain[-1]
        after = follow.get((here, not walked))  # the end that is left by
        if after is None or after[0] in done:
            return chain
        chain.append(after)
        done.add(after[0])


def _leaving(branch: _Branch, *, from_start: bool) -> Array:
    """The direction a branch leaves a node in, measured beyond what the junction bends."""
    points = branch.points if from_start else branch.points[::-1]
    radius = float(branch.radius[0] if from_start else branch.radius[-1])
    run = run_of(points)
    one = points[min(int(np.searchsorted(run, 0.9 * radius)), len(points) - 1)]
    two = points[min(int(np.searchsorted(run, 2.4 * radius)), len(points) - 1)]
    way = two - one if np.linalg.norm(two - one) > 1e-9 else points[-1] - points[0]
    return np.asarray(way / max(np.linalg.norm(way), 1e-12))


def _line_of(
    chain: list[tuple[int, bool]],
    branches: list[_Branch],
    at: dict[int, list[tuple[int, bool]]],
    part: shapely.Polygon,
    step: float,
) -> CentreLine | None:
    walked = [branches[n] if forward else _turned(branches[n]) for n, forward in chain]
    pieces: list[Array] = []
    for number, branch in enumerate(walked):
        points, radius = branch.points, branch.radius
        run = run_of(points)
        keep = np.ones(len(points), dtype=bool)
        # near a junction the axis is pulled aside: the line is carried straight across instead
        if number > 0:
            keep &= run > min(radius[0], 0.45 * run[-1])
        if number < len(walked) - 1:
            keep &= run[-1] - run > min(radius[-1], 0.45 * run[-1])
        pieces.append(points[keep] if keep.sum() >= 2 else points[[0, -1]])
    points = np.concatenate(pieces)
    first, last = walked[0], walked[-1]
    closed = first.start == last.end and len(at[first.start]) <= 2
    if closed:
        return CentreLine(_smooth(np.vstack([points[:-1], points[:1]]), step, closed=True), (False, False))
    free = (len(at[first.start]) == 1, len(at[last.end]) == 1)
    points = _ended(points, float(first.radius[0]), free=free[0], part=part)
    points = _ended(points[::-1], float(last.radius[-1]), free=free[1], part=part)[::-1]
    if len(points) < 2:
        return None
    return CentreLine(_smooth(points, step, closed=False), free)


def _ended(points: Array, radius: float, part: shapely.Polygon, *, free: bool) -> Array:
    """The start of a line: carried to the stroke's end, or straight into the line it joins."""
    run = run_of(points)
    whole = run[-1]
    inner = int(np.searchsorted(run, min(0.8 * radius, 0.3 * whole)))
    beyond = int(np.searchsorted(run, min(2.2 * radius, 0.7 * whole)))
    if beyond <= inner:
        return points
    way = points[inner] - points[beyond]
    way = way / max(np.linalg.norm(way), 1e-12)
    if not free:
        # straight on as far as the junction lies along this direction
        reach = float((points[0] - points[inner]) @ way)
        return np.vstack([points[inner] + max(reach, 0.0) * way, points[inner:]])
    ray = shapely.LineString([points[inner], points[inner] + 6 * radius * way])
    inside = shapely.intersection(ray, part)
    reach = 0.0
    for piece in shapely.get_parts(inside):
        coords = shapely.get_coordinates(piece)
        if len(coords) and np.linalg.norm(coords - points[inner], axis=1).min() < 1e-6:
            reach = float(np.linalg.norm(coords - points[inner], axis=1).max())
    return np.vstack([points[inner] + reach * way, points[inner:]])


def _smooth(points: Array, step: float, *, closed: bool) -> Array:
    """Evenly spaced and smoothed between corners; turns that were cut short meet in a corner."""
    run = run_of(points)
    apart = np.append(True, np.diff(run) > 1e-9)
    points, run = points[apart], run[apart]
    count = max(int(run[-1] / (1.2 * step)), 3)
    even = np.linspace(0, run[-1], count + 1)
    line = np.stack([np.interp(even, run, points[:, i]) for i in range(2)], axis=1)
    reach = 4
    if count < 3 * reach:
        return line
    i = np.arange(count + 1)
    if closed:
        before, after = line[(i - reach) % count], line[(i + reach) % count]
    else:
        before, after = line[np.maximum(i - reach, 0)], line[np.minimum(i + reach, count)]
    into, out = line - before, after - line
    size = np.linalg.norm(into, axis=1) * np.linalg.norm(out, axis=1)
    cosine = np.where(size > 0, np.einsum("ij,ij->i", into, out) / np.maximum(size, 1e-12), 1.0)
    corners = [
        k
        for k in range(reach, count + 1 - reach)
        if cosine[k] < CORNER and cosine[k] == cosine[max(k - reach, 0) : k + reach + 1].min()
    ]
    if closed and not corners:
        return _averaged_loop(line)
    if closed:
        line = np.vstack([line[corners[0] : -1], line[: corners[0] + 1]])
        return _between(line, sorted({(c - corners[0]) for c in corners[1:]}), reach)
    return _between(line, corners, reach)


def _averaged_loop(line: Array) -> Array:
    ring = line[:-1]
    for _ in range(6):
        ring = 0.25 * np.roll(ring, 1, axis=0) + 0.5 * ring + 0.25 * np.roll(ring, -1, axis=0)
    return np.vstack([ring, ring[:1]])


def _between(line: Array, corners: list[int], reach: int) -> Array:
    """Runs between corners, averaged; each corner is where its two runs, carried on, meet."""
    stops = [0, *corners, len(line) - 1]
    runs = []
    for start, end in itertools.pairwise(stops):
        run = line[start : end + 1]
        cut_start = reach if start in corners and len(run) > 3 * reach else 0
        cut_end = reach if end in corners and len(run) > 3 * reach else 0
        run = run[cut_start : len(run) - cut_end].copy()
        for _ in range(6):
            if len(run) > 2:
                run[1:-1] = 0.25 * run[:-2] + 0.5 * run[1:-1] + 0.25 * run[2:]
        runs.append(run)
    result = [runs[0]]
    for corner, (before, after) in zip(corners, itertools.pairwise(runs), strict=True):
        meet = _crossing(
            before[-1],
            before[-1] - before[-min(4, len(before))],
            after[0],
            after[min(3, len(after) - 1)] - after[0],
        )
        near = np.linalg.norm(meet - line[corner]) if meet is not None else np.inf
        span = np.linalg.norm(before[-1] - after[0])
        result.append(np.array([meet if meet is not None and near < 3 * span + 1e-9 else line[corner]]))
        result.append(after)
    return np.concatenate(result)


def _crossing(p: Array, u: Array, q: Array, v: Array) -> Array | None:
    """Where two straight lines cross, None when they hardly do."""
    across = u[0] * v[1] - u[1] * v[0]
    if abs(across) < 0.2 * np.linalg.norm(u) * np.linalg.norm(v) + 1e-15:
        return None
    t = ((q[0] - p[0]) * v[1] - (q[1] - p[1]) * v[0]) / across
    return np.asarray(p + t * u)
