"""Tubes: the lettering's lines as bent glass that stands off its side, joined behind, with its fittings.

A path is a line over the sheet with a height: (u, v, h) mm. It runs at the tube's own height along the
letters, and from one letter to the next behind them.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, facing_out, join
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.crafts.piece import Lamp, Part
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Tube
from kilnchisel.core.later import compiled
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.bending import bent_lines, eased, tightest_bend
from kilnchisel.core.lettering.centrelines import centre_lines
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.polygons import (
    as_region,
    length_of,
    polygons_in,
    rings_of,
    run_of,
    stroke_mm,
)
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

CLEARANCE_MM = 6.35  # glass to any surface: NEC 600.41 (1/4 in)
END_SUPPORT_MM = 150.0  # a support within this of every end: NEC 600.41 (6 in)
SUPPORT_EVERY_MM = 420.0  # common practice
APART = 2.6  # gaps wider than so many letter heights are not joined
STEP = 0.45  # of the tube's diameter: how far points along a path may be apart
ROUND = {Detail.FINE: 32, Detail.ROUGH: 12}  # sides of a tube
BACK_BEND = 0.75  # of the diameter: what turns back behind the letters bends as tightly as glass can
SIDE_BY_SIDE = 1.2  # diameters from middle to middle of two stretches that go back beside each other
BOOT_MM = 4.0  # how much thicker an end's boot is
TURN = np.radians(7.5)  # of a bend behind, a step


@dataclass(frozen=True, eq=False)
class Run:
    """One continuous tube: path (n, 3) as (u, v, h); lit (n,): whether it is seen from the front."""

    path: Array
    lit: Array

    @property
    def length_mm(self) -> float:
        return length_of(self.path)


@remembered
def strokes_of(outline: Outline, craft: Tube) -> tuple[Array, ...]:
    """The lines that are bent, in the outline's own coordinates: those it is drawn by, else the centre
    lines of its shapes or the rims of filled ones, with no bend tighter than the tube takes."""
    lines = list(outline.lines)
    if outline.filled:
        soft = _softened(outline.ink, craft.bend * craft.tube_mm)
        lines = [_from_below(ring) for ring in rings_of(soft)]
    elif not lines:
        parts = polygons_in(outline.letter_ink)
        # letters have strokes: an O is drawn by its centre line, as its neighbours are
        middles = [None if outline.face else _middle_of_ring(part) for part in parts]
        lines = [_from_below(middle) for middle in middles if middle is not None]
        rest = as_region([part for part, middle in zip(parts, middles, strict=True) if middle is None])
        if not rest.is_empty:
            lines += [x.points for x in centre_lines(rest, max(outline.cap_height_mm, 1e-3))]
    if craft.double_mm > 0:
        lines = [half for line in lines for half in _doubled(line, craft.double_mm)]
    least = craft.bend * craft.tube_mm
    pieces = [piece for line in lines for part in bent_lines(line, least) for piece in eased(part, least)]
    return tuple(piece for piece in pieces if length_of(piece) > 0.6 * craft.tube_mm)


def _middle_of_ring(part: shapely.Polygon) -> Array | None:
    """The middle of a closed line of even width, an open ring (n, 2); None of anything else."""
    if len(part.interiors) != 1:
        return None
    wide = stroke_mm(part)
    inner = polygons_in(shapely.buffer(shapely.Polygon(part.exterior), -wide / 2, quad_segs=16))
    if len(inner) != 1:
        return None
    middle = shapely.get_coordinates(inner[0].exterior)[:-1]
    away = shapely.distance(shapely.points(middle), part.interiors[0])
    return middle if float(np.abs(away - wide / 2).max()) < EVEN * wide else None


EVEN = 0.3  # how far the middle of an even line may be off, of its width


def _softened(region: shapely.MultiPolygon, radius: float) -> shapely.MultiPolygon:
    """A region with its corners, outer and inner, rounded; as it is where nothing of it would be left."""
    outer = shapely.buffer(shapely.buffer(region, -radius), 2 * radius)
    both = shapely.buffer(outer, -radius)
    return region if len(polygons_in(both)) != len(polygons_in(region)) else as_region([both])


def _from_below(points: Array) -> Array:
    """An open ring (n, 2) as a closed line begun in the middle of its lowest straight piece, where ends
    are least seen."""
    middles = (points + np.roll(points, -1, axis=0)) / 2
    long = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
    first = int(np.argmin(middles[:, 1] - 1e-3 * long))
    turned = np.roll(points, -first - 1, axis=0)
    return np.concatenate([middles[first : first + 1], turned, middles[first : first + 1]])


def _doubled(line: Array, gap: float) -> list[Array]:
    halves = []
    for side in (gap / 2, -gap / 2):
        moved = shapely.offset_curve(shapely.LineString(line), side, join_style="round")
        parts = [p for p in shapely.get_parts(moved) if p.length > 0]
        halves += [shapely.get_coordinates(part) for part in parts]
    return halves


def tightest_mm(laid: Laid, craft: Tube) -> float:
    """The smallest radius along the middle of the tube where it is seen, mm; infinite when straight."""
    return min((tightest_bend(line) for line in strokes_of(laid.outline, craft)), default=np.inf)


@remembered
def runs_of(laid: Laid, craft: Tube) -> tuple[Run, ...]:
    """The tubes of a lettering."""
    strokes = [
        laid.placing.points(_closely(line, STEP * craft.tube_mm), copy)
        for copy in range(len(laid.placing.copies))
        for line in strokes_of(laid.outline, craft)
    ]
    chains = _chained(strokes, craft, max(laid.outline.cap_height_mm, 4 * craft.tube_mm))
    return tuple(_run(chain, craft) for chain in chains)


def _closely(line: Array, step: float) -> Array:
    return np.asarray(shapely.get_coordinates(shapely.segmentize(shapely.LineString(line), step)))


def _chained(strokes: list[Array], craft: Tube, cap: float) -> list[list[Array]]:
    """The strokes in the order they are bent, from the left, each begun at its nearer end; a new chain
    where a gap is too wide or a tube would be too long."""
    left = sorted(range(len(strokes)), key=lambda i: float(strokes[i][:, 0].min()))
    chains: list[list[Array]] = []
    while left:
        first = left.pop(0)
        line = strokes[first]
        line = line if line[0, 0] <= line[-1, 0] else line[::-1]
        chain, long = [line], length_of(line)
        while craft.joined and left:
            end = chain[-1][-1]
            gap, best, turned = min(
                (float(np.linalg.norm(strokes[i][:: -1 if back else 1][0] - end)), i, back)
                for i in left
                for back in (False, True)
            )
            more = gap + length_of(strokes[best])
            if gap > APART * cap or long + more > craft.longest_mm:
                break
            left.remove(best)
            chain.append(strokes[best][::-1] if turned else strokes[best])
            long += more
        chains.append(chain)
    return chains


def back_mm(craft: Tube) -> float:
    """The height of a tube's middle where it runs behind the letters."""
    radius = craft.tube_mm / 2
    return float(max(radius + min(CLEARANCE_MM, craft.standoff_mm), front_mm(craft) - 2 * craft.tube_mm))


def front_mm(craft: Tube) -> float:
    """The height of a tube's middle along the letters."""
    return craft.standoff_mm + craft.tube_mm / 2


def _run(chain: Sequence[Array], craft: Tube) -> Run:
    """One tube through a chain of strokes: its ends go back to the wall, what joins runs behind.

    What joins a stroke turns away from its end within the stroke's own length, so that the stroke is
    taken back by the radius of that bend.
    """
    front, behind = front_mm(craft), back_mm(craft)
    chain = _apart(chain, SIDE_BY_SIDE * craft.tube_mm)
    most = min(BACK_BEND * craft.tube_mm, 0.48 * max(front - behind, 0.2 * craft.tube_mm))
    corners = [min(most, 0.3 * length_of(stroke)) for stroke in chain]
    pieces, lit = [], []
    first, last = chain[0], chain[-1][::-1]
    way = [_at(first[0], 0.0), _at(first[0], front), _ahead(first, front, corners[0])]
    pieces.append(_filleted(np.array(way), corners[:1])[:-1])
    for number, (stroke, corner) in enumerate(zip(chain, corners, strict=True)):
        run = run_of(stroke)
        inside = stroke[(run > corner) & (run < run[-1] - corner)]
        ends = [_point(stroke, run, corner), _point(stroke, run, float(run[-1]) - corner)]
        seen = np.concatenate([ends[0][None], inside, ends[1][None]])
        lit.append(len(pieces))
        pieces.append(np.column_stack([seen, np.full(len(seen), front)]))
        if number + 1 == len(chain):
            break
        start, end, after = stroke[::-1], chain[number + 1], corners[number + 1]
        way = [
            _ahead(start, front, corner),
            _at(start[0], front),
            _at(start[0], behind),
            _at(end[0], behind),
            _at(end[0], front),
            _ahead(end, front, after),
        ]
        pieces.append(_filleted(np.array(way), [corner, corner, after, after])[1:-1])
    way = [_ahead(last, front, corners[-1]), _at(last[0], front), _at(last[0], 0.0)]
    pieces.append(_filleted(np.array(way), corners[-1:])[1:])
    marks = [np.full(len(piece), n in lit) for n, piece in enumerate(pieces)]
    path, seen_all = np.concatenate(pieces), np.concatenate(marks)
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    kept = np.append(True, steps > max(1e-3, 0.02 * min(corners)))
    return Run(path[kept], seen_all[kept])


def _apart(chain: Sequence[Array], gap: float) -> list[Array]:
    """The strokes with room for what goes back between them: where one ends nearer than ``gap`` to the next
    one's beginning, or to its own, both are taken back until they are so far apart, a third of their
    lengths at most."""
    taken = [[0.0, 0.0] for _ in chain]
    for one, other in [(i, i + 1) for i in range(len(chain) - 1)] or [(0, 0)]:
        a, b = chain[one][::-1], chain[other]
        if np.linalg.norm(a[0] - b[0]) < gap:
            backs = np.linspace(0.0, min(1.5 * gap, length_of(a) / 3, length_of(b) / 3), 25)
            runs = run_of(a), run_of(b)
            apart = [float(np.linalg.norm(_point(a, runs[0], t) - _point(b, runs[1], t))) for t in backs]
            enough = next((k for k, far in enumerate(apart) if far >= gap), int(np.argmax(apart)))
            taken[one][1] = taken[other][0] = float(backs[enough])
    return [_taken_back(stroke, *ends) for stroke, ends in zip(chain, taken, strict=True)]


def _taken_back(stroke: Array, start: float, end: float) -> Array:
    """A stroke shorter by so much at its ends, mm."""
    if start == end == 0.0:
        return stroke
    run = run_of(stroke)
    low, high = start, float(run[-1]) - end
    inside = stroke[(run > low) & (run < high)]
    return np.concatenate([_point(stroke, run, low)[None], inside, _point(stroke, run, high)[None]])


def _at(point: Array, height: float) -> Array:
    return np.append(point, height)


def _ahead(stroke: Array, height: float, corner: float) -> Array:
    """A place straight on from a stroke's first point, far enough for a bend there."""
    run = run_of(stroke)
    way = _point(stroke, run, min(corner, float(run[-1]))) - stroke[0]
    way /= max(float(np.linalg.norm(way)), 1e-12)
    return _at(stroke[0] + 2.2 * corner * way, height)


def _point(line: Array, run: Array, at: float) -> Array:
    return np.array([np.interp(at, run, line[:, i]) for i in range(line.shape[1])])


def _filleted(way: Array, radii: Sequence[float]) -> Array:
    """A line of corners (n, k) with each turned on an arc, as large as its sides allow up to its radius,
    (n - 2,)."""
    points = [way[:1]]
    for before, here, after, radius in zip(way[:-2], way[1:-1], way[2:], radii, strict=True):
        a, b = before - here, after - here
        la, lb = float(np.linalg.norm(a)), float(np.linalg.norm(b))
        if min(la, lb) < 1e-9:
            continue
        a, b = a / la, b / lb
        angle = float(np.arccos(np.clip(-(a @ b), -1, 1)))
        if angle < 1e-3 or np.pi - angle < 1e-3:
            points.append(here[None])
            continue
        need = min(radius * float(np.tan(angle / 2)), 0.48 * la, 0.48 * lb)
        r = need / float(np.tan(angle / 2))
        start, out = here + need * a, (a + b) / np.linalg.norm(a + b)
        centre = here + out * float(np.hypot(need, r))
        spoke = start - centre
        side = -a
        turns = np.linspace(0, angle, max(3, int(np.ceil(angle / TURN)) + 1))[:, None]
        points.append(centre + np.cos(turns) * spoke + np.sin(turns) * r * side)
    return np.concatenate([*points, way[-1:]])


def swept(line: Array, radius: float, sides: int) -> Mesh:
    """A round bar along a line (n, 3), its section carried along without twist; caps at its ends."""
    way = np.gradient(line, axis=0)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    helper = np.array([0.0, 0.0, 1.0]) if abs(way[0, 2]) < 0.9 else np.array([1.0, 0.0, 0.0])
    first = np.cross(helper, way[0])
    across = _carried(way, first / np.linalg.norm(first))
    aside = np.cross(way, across)
    turn = np.linspace(0, 2 * np.pi, sides + 1)
    out = np.cos(turn)[None, :, None] * across[:, None] + np.sin(turn)[None, :, None] * aside[:, None]
    points = line[:, None] + radius * out
    run = run_of(line)
    uv = np.stack(np.broadcast_arrays(run[:, None], radius * turn[None, :]), axis=-1)
    index = np.arange(len(line) * (sides + 1)).reshape(len(line), sides + 1)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)])
    body = Mesh(points.reshape(-1, 3), out.reshape(-1, 3), uv.reshape(-1, 2), faces.astype(np.int32))
    return join([body, _cap(line[0], points[0], -way[0]), _cap(line[-1], points[-1], way[-1])])


@compiled(cache=True, nogil=True)
def _carried(way: Array, first: Array) -> Array:
    """A direction carried along a line without twist, (n, 3): what is left of the last one across the new
    way, each time."""
    found = np.empty_like(way)
    found[0] = first
    for i in range(1, len(way)):
        along = found[i - 1, 0] * way[i, 0] + found[i - 1, 1] * way[i, 1] + found[i - 1, 2] * way[i, 2]
        size = 0.0
        for k in range(3):
            found[i, k] = found[i - 1, k] - along * way[i, k]
            size += found[i, k] ** 2
        size = max(np.sqrt(size), 1e-12)
        for k in range(3):
            found[i, k] /= size
    return found


def _cap(middle: Array, ring: Array, out: Array) -> Mesh:
    count = len(ring)
    points = np.concatenate([ring, middle[None]])
    i = np.arange(count - 1)
    faces = np.stack([i, i + 1, np.full(count - 1, count)], axis=1)
    normals = np.broadcast_to(out, points.shape).copy()
    return facing_out(points, normals, np.zeros((count + 1, 2)), faces)


def tube_parts(
    index: int, laid: Laid, craft: Tube, *, detail: Detail
) -> tuple[tuple[Part, ...], tuple[Lamp, ...]]:
    """The parts of a lettering made of tubes, and what shines."""
    side, radius = laid.side, craft.tube_mm / 2
    glass, dark, boots, posts, lamps = [], [], [], [], []
    sides = ROUND[detail]
    for run in runs_of(laid, craft):
        line = on_body(side, run.path)
        share = run_of(run.path) / max(run.length_mm, 1e-9)
        blocked = ~run.lit if craft.blockout and craft.form == "glass" else np.zeros(len(line), dtype=bool)
        for start, stop in _stretches(blocked):
            piece = line[start : stop + 1]
            if len(piece) < 2:
                continue
            if blocked[start]:
                dark.append(swept(piece, radius * 1.01, sides // 2))
            else:
                glass.append(swept(piece, radius, sides))
                lamps.append(Lamp(index, piece, radius, (float(share[start]), float(share[stop]))))
        boots += _boots(side, run, radius, sides) if craft.form == "glass" else []
        if craft.supports:
            posts += _posts(side, run, radius, craft, sides)
    name = f"{side.name} lettering {index + 1}"
    parts = []
    for what, role, meshes in (
        ("tube", "tube", glass),
        ("blockout", "blockout", dark),
        ("boots", "blockout", boots),
        ("supports", "support", posts),
    ):
        if meshes:
            layer = laid.layers[0].layer if laid.layers else None
            mesh = join(meshes)
            parts.append(Part(f"{name} {what}", role, index, None, mesh, layer, solid=f"{name} {what}"))  # type: ignore[arg-type]
    return tuple(parts), tuple(lamps) if craft.lit else ()


def on_body(side: Side, path: Array) -> Array:
    """A path (n, 3) of (u, v, h) on the body, (n, 3)."""
    return side.to_body(path[:, :2], path[:, 2])


def _stretches(marks: Array) -> list[tuple[int, int]]:
    """Runs of equal marks as (first, first of the next), the last ending at the last."""
    turns = np.flatnonzero(marks[1:] != marks[:-1]) + 1
    edges = [0, *turns.tolist(), len(marks) - 1]
    return [(a, b) for a, b in itertools.pairwise(edges) if b > a]


def _boots(side: Side, run: Run, radius: float, sides: int) -> list[Mesh]:
    """The boots over both electrodes, from the wall up."""
    found = []
    for point in (run.path[0], run.path[-1]):
        top = min(0.62 * float(run.path[:, 2].max()), 6 * radius)
        path = np.array([[*point[:2], h] for h in (0.0, 0.5 * top, top)])
        found.append(swept(on_body(side, path), radius + BOOT_MM / 2, sides))
    return found


def support_places(run: Run) -> Array:
    """Where a tube is held: sheet points (k, 2) under what is seen of it."""
    seen = run.path[run.lit]
    if len(seen) < 2:
        return np.empty((0, 2))
    length = run_of(seen)
    total = float(length[-1])
    count = max(2, int(np.ceil(total / SUPPORT_EVERY_MM)) + 1)
    ends = min(0.5 * END_SUPPORT_MM, 0.25 * total)
    at = np.linspace(ends, total - ends, count)
    return np.stack([np.interp(at, length, seen[:, i]) for i in range(2)], axis=1)


def _posts(side: Side, run: Run, radius: float, craft: Tube, sides: int) -> list[Mesh]:
    """Stems from the wall to the tube, each with a ring that holds it."""
    found = []
    for point in support_places(run):
        top = craft.standoff_mm
        if top <= 0.5:
            continue
        foot_mm = min(2.0, 0.5 * top)
        stem = np.array([[*point, h] for h in (foot_mm, 0.5 * (foot_mm + top), top)])
        foot = np.array([[*point, h] for h in (0.0, 0.5 * foot_mm, foot_mm)])
        found.append(swept(on_body(side, stem), 0.32 * radius + 0.6, max(sides // 2, 8)))
        found.append(swept(on_body(side, foot), radius, max(sides // 2, 8)))
    return found
