"""The pattern that glass is bent over: the sign at 1:1 as it is seen from behind, its tubes numbered with
start, direction, electrodes, bends and flames; and lists of bends, glass, colours, transformers.
"""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.crafts.tubes import back_mm
from kilnchisel.core.handover.paper.marks import (
    BRICK,
    CLAY,
    GLAZE,
    INK,
    PALE,
    PENCIL,
    Area,
    Block,
    Drawing,
    Line,
    Placing,
    Words,
    circle,
    rectangle,
)
from kilnchisel.core.handover.paper.sheets import TITLE_MM, Paper, Sheets
from kilnchisel.core.handover.plans import named_for, plan_files
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import length_of, rings_of, run_of
from kilnchisel.core.shop.bender import (
    ELECTRODE_MM,
    SPARE,
    Bend,
    Bending,
    Bent,
    bendings_of,
    cable_mm,
    transformers_of,
)
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

HATCH_MM = 3.0
NUMBER_MM, NAME_MM = 3.0, 6.0
ARROW_MM = 7.0
CLEAR_MM = 4.0  # between what is written


def bending_files(job: Job, paper: Paper) -> tuple[dict[str, bytes], str]:
    """The plan, bytes by a file's name, and what it takes in words. Raises KilnError."""
    made: dict[str, bytes] = {}
    words = []
    bendings = bendings_of(job)
    for bending in bendings:
        drawing = plan_of(bending)
        title = f"{job.name}, {bending.side}: bending plan from behind"
        name, lists = named_for("bending", bending.side, bendings), _lists(job, bending, drawing, paper)
        made |= plan_files(name, title, drawing, _glass_words(bending), paper, lists)
        words.append(_glass_words(bending))
    return made, "; ".join(words)


def _glass_words(bending: Bending) -> str:
    long = sum(tube.glass_mm for tube in bending.tubes)
    count = len(bending.tubes)
    return f"{count} {'tube' if count == 1 else 'tubes'}, {format_number(long / 1000, 2)} m with electrodes"


def plan_of(bending: Bending) -> Drawing:
    """One side's tubes at 1:1, mirrored: seen from behind."""
    drawing = Drawing()
    for layer in ("tubes", "blockout", "way", "flames", "crossings", "supports", "electrodes", "numbers"):
        drawing.add(layer)
    ways = {tube.number: tube.run.path[:, :2] * (-1.0, 1.0) for tube in bending.tubes}
    written = _Written(list(ways.values()))
    for tube in bending.tubes:
        _tube(drawing, tube, ways[tube.number])
    for tube in bending.tubes:
        _ends(drawing, tube, ways[tube.number], written)
    for crossing in bending.crossings:
        at = np.array(crossing.at) * (-1.0, 1.0)
        touching = crossing.apart_mm < bending.tubes[0].craft.tube_mm
        half = 0.9 * bending.tubes[0].craft.tube_mm
        corners = at + half * np.array([[0, -1], [1, 0], [0, 1], [-1, 0]])
        drawing.add("crossings", Line(corners, 0.35, BRICK if touching else PENCIL, closed=True))
    for tube in bending.tubes:
        _bends(drawing, tube, ways[tube.number], written)
    return drawing


class _Written:
    """Where there is something already, so that what is written beside tubes finds a place of its own."""

    def __init__(self, ways: list[Array]) -> None:
        self._ways = shapely.union_all([shapely.LineString(way) for way in ways])
        shapely.prepare(self._ways)
        self._spots: list[Array] = []
        far, side = np.meshgrid(
            (1.0, 1.4, 1.9, 2.6), (0.0, 0.6, -0.6, 1.2, -1.2, 2.2, -2.2, np.pi), indexing="ij"
        )
        self._far, self._side = far.ravel(), side.ravel()

    def place(self, near: Array, out: Array, reach: float, clear: float) -> Array:
        """A place near a point, best on one side of it and at ``reach``."""
        across = np.array([-out[1], out[0]])
        ways = np.cos(self._side)[:, None] * out + np.sin(self._side)[:, None] * across
        spots = near + reach * self._far[:, None] * ways
        off = shapely.distance(shapely.points(spots), self._ways)
        cost = 3 * np.maximum(0.0, 0.8 * reach - off)
        cost += 0.6 * (self._far - 1) * reach + 0.4 * np.abs(self._side)
        if self._spots:
            apart = np.linalg.norm(spots[:, None] - np.array(self._spots), axis=2)
            cost += 4 * np.maximum(0.0, clear - apart).sum(axis=1)
        best = spots[int(np.argmin(cost))]
        self._spots.append(best)
        return np.asarray(best)


def _tube(drawing: Drawing, tube: Bent, way: Array) -> None:
    """The glass at its own width, its middle, and where it is painted out."""
    wide, lit = tube.craft.tube_mm, tube.run.lit
    body = shapely.LineString(way).buffer(wide / 2, cap_style="flat", quad_segs=6)
    for ring in rings_of(body):
        drawing.add("tubes", Line(ring, 0.25, INK, closed=True))
    if tube.blocked_mm > 0:
        turns = np.flatnonzero(lit[1:] != lit[:-1]) + 1
        edges = [0, *turns.tolist(), len(way) - 1]
        for first, last in itertools.pairwise(edges):
            piece = way[first : last + 1]
            if not lit[first] and length_of(piece) > 0.5:
                region = shapely.LineString(piece).buffer(wide / 2, cap_style="flat", quad_segs=6)
                for line in _hatched(region):
                    drawing.add("blockout", Line(line, 0.18, PENCIL))
    drawing.add("way", Line(way, 0.13, PALE if tube.craft.form == "rope" else PENCIL, (3.0, 1.0, 0.6, 1.0)))


def _hatched(region: shapely.Geometry) -> list[Array]:
    left, low, right, high = region.bounds
    tall = high - low
    starts = np.arange(left - tall, right, HATCH_MM)
    lines = shapely.linestrings([[(x, low), (x + tall, high)] for x in starts])
    cut = shapely.get_parts(shapely.intersection(lines, region))
    return [np.asarray(part.coords) for part in cut if part.geom_type == "LineString" and part.length > 0.3]


def _ends(drawing: Drawing, tube: Bent, way: Array, written: _Written) -> None:
    """The tube's number where it starts, which way it goes, its electrodes, and what holds it."""
    radius = tube.craft.tube_mm / 2
    glass = tube.craft.form == "glass"
    for end, inner in ((way[0], _on(way, 12.0)), (way[-1], _on(way, -12.0))):
        if glass:
            drawing.add("electrodes", Area((circle(end, radius * 0.75),), INK))
        drawing.add("electrodes", Line(circle(end, radius + 1.6), 0.4, INK, closed=True))
        drawing.add("electrodes", Line(np.array([end, inner]), 0.13, PENCIL))
    ahead = _on(way, 16.0) - way[0]
    ahead = ahead / max(float(np.hypot(*ahead)), 1e-9)
    across = np.array([-ahead[1], ahead[0]])
    tip = way[0] + (radius + 4 + ARROW_MM) * ahead
    foot = tip - ARROW_MM * ahead
    drawing.add("electrodes", Area((np.array([tip, foot + 2.2 * across, foot - 2.2 * across]),), CLAY))
    at = written.place(way[0], -ahead, radius + NAME_MM * 1.3, NAME_MM * 1.8)
    drawing.add("numbers", Area((circle(at, NAME_MM * 0.75),), CLAY))
    low = (float(at[0]), float(at[1] - 0.35 * NAME_MM))
    drawing.add(
        "numbers", Words(low, str(tube.number), NAME_MM, bold=True, colour="#ffffff", align="middle")
    )
    for spot in tube.supports * (-1.0, 1.0):
        drawing.add("supports", Line(circle(spot, radius + 1.0), 0.3, GLAZE, closed=True))
        reach = radius + 3.0
        for line in ((-reach, 0, reach, 0), (0, -reach, 0, reach)):
            drawing.add("supports", Line(spot + np.array(line).reshape(2, 2), 0.2, GLAZE))


def _on(way: Array, at: float) -> Array:
    """The point so many mm along a line, from its end where it is below zero."""
    run = run_of(way)
    where = at if at >= 0 else run[-1] + at
    return np.array([np.interp(where, run, way[:, k]) for k in range(2)])


def _bends(drawing: Drawing, tube: Bent, way: Array, written: _Written) -> None:
    """A bend's number on its outer side, and two strokes across the tube where its flame ends."""
    along = run_of(tube.run.path)
    half = tube.craft.tube_mm / 2

    def at_run(where: float) -> Array:
        return np.array([np.interp(where, along, way[:, k]) for k in range(2)])

    for number, bend in enumerate(tube.bends, start=1):
        middle = at_run(bend.at_mm)
        before, after = at_run(bend.start_mm), at_run(bend.end_mm)
        out = middle - (before + after) / 2
        if float(np.hypot(*out)) < 0.05:
            step = after - before
            out = np.array([-step[1], step[0]]) if float(np.hypot(*step)) > 1e-6 else np.array([0.0, 1.0])
        out = out / float(np.hypot(*out))
        for where in tube.flame(bend):
            a, b = at_run(where - 0.5), at_run(where + 0.5)
            step = b - a
            size = float(np.hypot(*step))
            if size > 0.2:
                side = np.array([-step[1], step[0]]) / size * (half + 1.2)
                spot = (a + b) / 2
                drawing.add("flames", Line(np.array([spot - side, spot + side]), 0.25, CLAY))
        colour = PENCIL if bend.way in ("back", "front") else CLAY
        at = written.place(middle, out, half + NUMBER_MM, CLEAR_MM)
        drawing.add("flames", Line(np.array([middle, at]), 0.1, PALE))
        low = (float(at[0]), float(at[1] - 0.35 * NUMBER_MM))
        drawing.add("numbers", Words(low, str(number), NUMBER_MM, colour=colour, align="middle"))


def _lists(job: Job, bending: Bending, drawing: Drawing, paper: Paper) -> list[Any]:
    """The first pages: the plan small, what is what on it, glass and colours, bends tube by tube."""
    sheets = Sheets(paper, f"{job.name} · bending plan")
    sheets.words("Bending plan", "H1", TITLE_MM, bold=True)
    sheets.words(
        f"{job.name}, {bending.side}. Seen from behind, as it is worked. All lengths in mm.", colour=PENCIL
    )
    _small(sheets, drawing, job, bending)
    _key(sheets, bending)
    sheets.heading("Glass")
    rows: list[tuple[str, ...]] = [
        (
            str(tube.number),
            tube.words,
            f"{tube.craft.tube_mm:g} mm {tube.colour}",
            format_number(tube.length_mm, 0),
            format_number(tube.glass_mm, 0),
            format_number(tube.blocked_mm, 0),
            str(len(tube.bends)),
        )
        for tube in bending.tubes
    ]
    heads = ("Tube", "Words", "Glass", "Bent", "With electrodes", "Painted out", "Bends")
    sheets.table(heads, rows, (1, 3.4, 2.8, 1.2, 1.8, 1.6, 1.1))
    sheets.heading("Altogether")
    for line in _altogether(bending):
        sheets.words(line)
    touching = [c for c in bending.crossings if c.apart_mm < bending.tubes[0].craft.tube_mm]
    if touching:
        many = "At one place" if len(touching) == 1 else f"At {len(touching)} places"
        sheets.words(
            f"{many}, in a red square, two stretches cross in the same plane: the later is bent over the "
            "earlier by its own diameter.",
            colour=BRICK,
        )
    for tube in bending.tubes:
        sheets.heading(f"Tube {tube.number}: {tube.words}")
        rows = [_bend_row(tube, number, bend) for number, bend in enumerate(tube.bends, start=1)]
        half = (len(rows) + 1) // 2  # two columns of them
        empty = ("",) * len(BEND_HEADS)
        pairs = [
            (*row, *(rows[half + k] if half + k < len(rows) else empty))
            for k, row in enumerate(rows[:half])
        ]
        sheets.table((*BEND_HEADS, *BEND_HEADS), pairs, (*BEND_SHARES, *BEND_SHARES))
    return sheets.done()


BEND_HEADS = ("Bend", "Heat", "to", "Angle", "Radius", "Way", "Fire")
BEND_SHARES = (0.9, 1, 1, 1, 1.2, 1, 1.3)


def _bend_row(tube: Bent, number: int, bend: Bend) -> tuple[str, ...]:
    start, end = tube.flame(bend)
    return (
        str(number),
        format_number(start + _taken(tube), 0),
        format_number(end + _taken(tube), 0),
        f"{format_number(bend.angle_deg, 0)}°",
        "tight" if bend.radius_mm < tube.craft.tube_mm / 2 else format_number(bend.radius_mm, 0),
        bend.way,
        tube.burner(bend),
    )


def _taken(tube: Bent) -> float:
    """Lengths are told from the end of the glass, where its electrode is."""
    return ELECTRODE_MM if tube.craft.form == "glass" else 0.0


def _small(sheets: Sheets, drawing: Drawing, job: Job, bending: Bending) -> None:
    """The whole plan, as large as half a page lets it be."""
    left, low, right, high = drawing.box()
    start, end = sheets.box
    most = 0.36 * sheets.size[1]
    scale = min((end - start) / max(right - left, 1.0), most / max(high - low, 1.0), 1.0)
    tall = scale * (high - low)
    sheets.room(tall + 12)
    sheets.y -= 4 + tall
    to = Placing(
        scale, (start + (end - start - scale * (right - left)) / 2 - scale * left, sheets.y - scale * low)
    )
    kept = Drawing({name: drawing.layers[name] for name in ("tubes", "crossings", "electrodes")})
    marks = [
        *kept.marks(to),
        *(
            mark.moved(to)
            for mark in drawing.layers["numbers"]
            if isinstance(mark, Area) or (isinstance(mark, Words) and mark.bold)
        ),
    ]
    numbers = [m if not isinstance(m, Words) else _fitting(m, scale) for m in marks]
    said = f"The plan of {len(bending.tubes)} tubes on the {bending.side}, small."
    sheets.add(Block("Figure", tuple(numbers), said=said))
    sheets.y -= 2


def _fitting(words: Words, scale: float) -> Words:
    """A number as small as the disc that it stands on has become."""
    return replace(words, size_mm=words.size_mm * scale)


def _key(sheets: Sheets, bending: Bending) -> None:
    """What is what on the plan, each with the sign itself."""
    sheets.heading("On the plan")
    signs: list[tuple[str, list[Any]]] = [
        ("start of a tube, its number, and which way it goes", _start_sign()),
        (
            "electrode: the end goes back to the wall",
            [Line(circle((4, 1), 2.4), 0.4, closed=True), Area((circle((4, 1), 1.4),), INK)],
        ),
        (
            "a bend's number; strokes across the tube: where its flame ends",
            [
                Words((4, 0), "7", NUMBER_MM, colour=CLAY, align="middle"),
                Line(np.array([[0.5, -0.5], [0.5, 2.5]]), 0.25, CLAY),
                Line(np.array([[7.5, -0.5], [7.5, 2.5]]), 0.25, CLAY),
            ],
        ),
        (
            "a bend that leaves the front, or comes back to it",
            [Words((4, 0), "8", NUMBER_MM, colour=PENCIL, align="middle")],
        ),
        (
            "painted out",
            [
                Line(rectangle(0, -0.5, 8, 2.5), 0.25, closed=True),
                *(Line(line, 0.18, PENCIL) for line in _hatched(shapely.box(0, -0.5, 8, 2.5))),
            ],
        ),
        (
            "support",
            [
                Line(circle((4, 1), 1.6), 0.3, GLAZE, closed=True),
                Line(np.array([[1.5, 1], [6.5, 1]]), 0.2, GLAZE),
                Line(np.array([[4, -1.5], [4, 3.5]]), 0.2, GLAZE),
            ],
        ),
        (
            "crossing; red: in the same plane",
            [
                Line(np.array([[2.5, -0.8], [4.3, 1], [2.5, 2.8], [0.7, 1]]), 0.35, PENCIL, closed=True),
                Line(np.array([[6.7, -0.8], [8.5, 1], [6.7, 2.8], [4.9, 1]]), 0.35, BRICK, closed=True),
            ],
        ),
    ]
    start, _ = sheets.box
    for words, marks in signs:
        sheets.room(6)
        sheets.y -= 5.6
        to = Placing(shift=(start, sheets.y))
        sign = tuple(mark.moved(to) for mark in marks)
        said = Words((start + 13, sheets.y), words)
        sheets.add(Block("P", (*sign, said)))
    sheets.y -= 1


def _start_sign() -> list[Any]:
    return [
        Area((circle((1.8, 1), 1.8),), CLAY),
        Words((1.8, 0.0), "1", 2.6, bold=True, colour="#ffffff", align="middle"),
        Area((np.array([[9.0, 1.0], [5.0, 2.4], [5.0, -0.4]]),), CLAY),
    ]


def _altogether(bending: Bending) -> list[str]:
    tubes = bending.tubes
    found = []
    groups: dict[tuple[float, str, str], float] = {}
    for tube in tubes:
        key = (tube.craft.tube_mm, tube.colour, tube.craft.form)
        groups[key] = groups.get(key, 0.0) + tube.glass_mm
    for (wide, colour, form), long in groups.items():
        metres = format_number(long / 1000, 2)
        if form == "glass":
            buy = format_number(long * SPARE / 1000, 1)
            found.append(f"{metres} m of {wide:g} mm glass, {colour}; {buy} m with a tenth for breakage.")
        else:
            found.append(f"{metres} m of {wide:g} mm LED rope, {colour}.")
    glass = [tube for tube in tubes if tube.craft.form == "glass"]
    if glass:
        found.append(f"{2 * len(glass)} electrodes, each {ELECTRODE_MM:g} mm of glass.")
        found += [f"{one.words}." for one in transformers_of(tubes)]
        found.append("Footage from published charts, from memory: go by the transformer's own.")
        cable = cable_mm(tubes)
        if cable > 0:
            found.append(
                f"{format_number(cable / 1000, 2)} m of high-voltage cable from tube to tube, in straight "
                "lines; to the transformer and back comes with it."
            )
        heights = {(t.craft.standoff_mm, back_mm(t.craft) - t.craft.tube_mm / 2) for t in glass}
        for off, behind in sorted(heights):
            found.append(
                f"In front the glass is {format_length(off)} off the wall, behind {format_length(behind)}."
            )
    held = sum(len(tube.supports) for tube in tubes)
    if held:
        found.append(f"{held} supports.")
    return found
