"""Programs for a router: RS-274 (ISO 6983-1) from the ways of its cutters.

X and Y from the lower left corner of the stock, Z from its top. Each cutter is told of in a comment that
the simulated router reads: (TOOL 1 flat 6mm).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.cutpicture import scene_as_cut
from kilnchisel.core.handover.pictures import PictureOrder, made_picture, png_bytes
from kilnchisel.core.handover.sidemaps import plain_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.machines.against import compared
from kilnchisel.core.shop.machines.router import route, time_of
from kilnchisel.core.shop.machines.rs274 import Program, read_program
from kilnchisel.core.shop.paths.arcs import arcs_in
from kilnchisel.core.shop.paths.feeds import Feeds, feeds_for
from kilnchisel.core.shop.paths.routerwork import Operation, Routed, Routing, tools_of
from kilnchisel.core.shop.paths.routing import not_flat, routed
from kilnchisel.core.shop.paths.surface import Rolled
from kilnchisel.core.units import MM_PER_INCH, format_length, format_number

Array = NDArray[np.float64]

PLACES_MM, PLACES_INCH = 3, 5
TRIED = (1200, 800)  # pixels of the picture as cut
PLACES_DEG, LEAST_MM = 4, 1e-3
NEAR_MM = 1e-4  # a way that begins so near to where the last one ended goes on from there
APPROACH_MM = 1.0  # common practice: nearer than that it goes at its feed
CHARACTERS = 70
ROUND = 2.0  # of the last place that is written: how far an arc may be from its way


@dataclass(frozen=True, eq=False)
class Written:
    """A program of one piece of stock: its file's name, its bytes, and what reads in them."""

    piece: Routed
    name: str
    data: bytes
    program: Program

    @property
    def minutes(self) -> float:
        """How long it takes."""
        return time_of(self.program) / 60


def written(job: Job, how: Routing) -> list[Written]:
    """A program for each piece of stock, read again as a machine reads it; what no cutter gets into is told
    with the first of them. Raises KilnError where that is all there is."""
    found = []
    pieces = routed(job, how)
    cut = [piece for piece in pieces if any(operation.ways for operation in piece.operations)]
    if not cut:
        where = pieces[0].name if pieces[0].setup is None else f"the {pieces[0].setup.side}"
        raise KilnError(f"No cutter gets into what is on {where}; take finer ones.")
    cut[0].left.extend(words for piece in pieces if piece not in cut for words in piece.left)
    for piece in cut:
        name = f"router-{piece.name.replace(' ', '-')}.nc"
        data = program_of(job.name, piece, how)
        found.append(Written(piece, name, data, read_program(data, name)))
    return found


def router_files(
    job: Job, how: Routing, programs: Sequence[Written] | None = None
) -> tuple[dict[str, bytes], str]:
    """A program for each piece of stock, bytes by a file's name, and what it takes in words. Raises
    KilnError. ``programs``: where they have been worked out."""
    programs = written(job, how) if programs is None else programs
    words = []
    for one in programs:
        wide, tall, thick = (format_length(size) for size in one.piece.stock)
        tools = ", ".join(tool.words for tool in tools_of([one.piece]))
        words += [f"stock {wide} by {tall} by {thick}, cutters {tools}", *one.piece.notes, *one.piece.left]
    return {one.name: one.data for one in programs}, "; ".join([*words, *not_flat(job)])


def tried(job: Job, one: Written) -> tuple[str, bytes]:
    """A program run through the simulated router: what that found in words, and the quick picture of the
    job as it is cut; no picture of what is cut out of it. Raises KilnError."""
    done = route(one.program, one.piece.stock)
    assert done is not None
    found = [f"line {trouble.line}: {trouble.says}" for trouble in done.troubles[:3]]
    setup = one.program.setup
    if setup is None:
        return "; ".join([f"{one.piece.name} tried: {format_number(one.minutes, 0)} min", *found]), b""
    told = compared(done, job, setup)
    deep = format_length(told.over.most_mm, decimals=3)
    words = (
        f"{one.piece.name} tried on the simulated router: {format_number(one.minutes, 0)} min, "
        f"too deep by {deep} at most, {format_number(told.under.area_mm2, 1)} mm² left standing"
    )
    order = PictureOrder(TRIED, draft=True)
    scene = scene_as_cut(job, done.heights, done.stock[2], setup)
    made = made_picture(plain_job(job), order, scene=scene)
    assert made is not None
    return "; ".join([words, *found]), png_bytes(made.pixels, job.name)


def program_of(title: str, piece: Routed, how: Routing) -> bytes:
    """One program, ASCII."""
    scale, places = _unit(how)

    def word(letter: str, value: float) -> str:
        return _words(np.array([value * scale]), places, letter)[0]

    tools, turn = tools_of([piece]), piece.rotary
    lines = [
        "%",
        _comment(title),
        _comment(f"STOCK {piece.stock[0]:.3f} {piece.stock[1]:.3f} {piece.stock[2]:.3f} mm"),
        *([] if piece.setup is None else map(_comment, piece.setup.comments())),
        *(_comment(f"TOOL {n} {tool.ascii}") for n, tool in enumerate(tools, start=1)),
        "G20" if how.inch else "G21",
        f"G17 G90 {'G94' if turn is None else 'G93'}",
    ]
    safe = word("Z", how.safe_mm)
    used = None
    for operation in piece.operations:
        if not operation.ways:
            continue
        feeds = feeds_for(piece.finish, operation.tool)
        down, along = (
            f"F{format_number(f * scale, 2).replace(',', '')}" for f in (feeds.down, feeds.along)
        )
        number = tools.index(operation.tool) + 1
        if number != used:
            lines += _change(number, operation, feeds, how, first=used is None)
            lines.append(f"G0 {safe}")
            used = number
        lines.append(_comment(operation.name))
        here = None
        for way in operation.ways:
            first = way[0]
            near = here is not None and np.linalg.norm(first[:2] - here[:2]) < NEAR_MM
            if turn is not None:
                lines += _turned_moves(way, turn, feeds, how, near=bool(near), clear=operation.clear)
                here = way[-1]
                continue
            if not near:
                lines += [f"G0 {safe}", f"G0 {word('X', first[0])} {word('Y', first[1])}"]
                lines.append(f"G0 {word('Z', _approach(first[2], how, clear=operation.clear))}")
            lines.append(f"G1 {word('Z', first[2])} {down}")
            lines += _moves(way * scale, along, places, arcs=how.arcs)
            here = way[-1]
        lines.append(f"G0 {safe}")
    lines += [*(["M9"] if how.coolant else []), "M5", "M30", "%"]
    if how.numbered:
        body = [f"N{10 * n} {line}" for n, line in enumerate(lines[1:-1], start=1)]
        lines = [lines[0], *body, lines[-1]]
    return ("\n".join(lines) + "\n").encode("ascii", "replace")


def _unit(how: Routing) -> tuple[float, int]:
    """What mm are multiplied by in a program, and how many places it has."""
    return (1 / MM_PER_INCH, PLACES_INCH) if how.inch else (1.0, PLACES_MM)


def _approach(z: float, how: Routing, *, clear: bool) -> float:
    """How low a cutter is moved fast: beside the stock's top, or what has been cut above its way."""
    return min((z if clear else 0.0) + APPROACH_MM, how.safe_mm)


def _words(values: Array, places: int, letter: str) -> list[str]:
    """Words with a letter for values (n,), none of them minus nothing."""
    return [f"{letter}{value:.{places}f}" for value in (np.round(values, places) + 0.0).tolist()]


def _moves(way: Array, along: str, places: int, *, arcs: bool = False) -> list[str]:
    """The moves along a way (n, 3) in the program's unit, each naming only what changes."""
    lines = []
    columns = [_words(way[:, k], places, letter) for k, letter in enumerate("XYZ")]
    points = list(zip(*columns, strict=True))
    last, feed = points[0], f" {along}"
    round_it = {arc.first: arc for arc in arcs_in(way, ROUND / 10**places)} if arcs else {}
    at = 0
    while at + 1 < len(points):
        arc = round_it.get(at)
        if arc is not None:
            # the middle from where the machine is: the last point as it was written
            here = np.array([float(word[1:]) for word in last[:2]])
            i, j = (
                _words(np.array([v]), places, letter)[0]
                for v, letter in zip(arc.middle - here, "IJ", strict=True)
            )
            words = points[arc.last]
            lines.append(f"{'G2' if arc.clockwise else 'G3'} {words[0]} {words[1]} {i} {j}{feed}")
            feed, last, at = "", words, arc.last
            continue
        at += 1
        words = points[at]
        changed = [new for new, old in zip(words, last, strict=True) if new != old]
        if changed:
            lines.append(f"G1 {' '.join(changed)}{feed}")
            feed, last = "", words
    return lines


def _turned_moves(
    way: Array, turn: Rolled, feeds: Feeds, how: Routing, *, near: bool, clear: bool
) -> list[str]:
    """The moves along a way (n, 3) round an axis: A in degrees for y, each cut in inverse time (G93), its F
    being one over its minutes, so that it is as fast round as along."""
    scale, places = _unit(how)
    high = _approach(float(way[0, 2]), how, clear=clear)
    x, z = _words(way[:, 0] * scale, places, "X"), _words(way[:, 2] * scale, places, "Z")
    a = _words(np.degrees(way[:, 1] / turn.radius_mm), PLACES_DEG, "A")
    lines = []
    if not near:
        safe, low = _words(np.array([how.safe_mm, high]) * scale, places, "Z")
        lines += [f"G0 {safe}", f"G0 {x[0]} {a[0]}", f"G0 {low}"]
    lines.append(f"G1 {z[0]} F{feeds.down / max(high - way[0, 2], LEAST_MM):.3f}")
    far = np.maximum(np.linalg.norm(np.diff(way, axis=0), axis=1), LEAST_MM)
    for k, rate in enumerate((feeds.along / far).tolist(), start=1):
        lines.append(f"G1 {x[k]} {a[k]} {z[k]} F{rate:.3f}")
    return lines


def _change(number: int, operation: Operation, feeds: Feeds, how: Routing, *, first: bool) -> list[str]:
    """What changes a cutter and starts it turning; one that is drawn along does not turn."""
    lines = ["M5"]
    if how.change == "m6":
        lines.append(f"T{number} M6")
    else:
        lines += [_comment(f"CHANGE TO TOOL {number} {operation.tool.ascii}"), *([] if first else ["M0"])]
    if operation.tool.form != "drag":
        lines.append(f"S{feeds.turns:.0f} M3")
    return [*lines, "M8"] if how.coolant else lines


def _comment(text: str) -> str:
    """A comment: no brackets in it, plain letters only."""
    plain = "".join(c if c.isascii() and c.isprintable() and c not in "()%;" else "?" for c in text)
    return f"({plain[:CHARACTERS]})"
