"""Programs for a router: RS-274 (ISO 6983-1) from the ways of its cutters.

X and Y from the lower left corner of the stock, Z from its top. Each cutter is told of in a comment that
the simulated router reads: (TOOL 1 flat 6mm).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.routing import Routed, Routing, not_flat, routed, tools_of
from kilnchisel.core.units import MM_PER_INCH, format_length, format_number

Array = NDArray[np.float64]

PLACES_MM, PLACES_INCH = 3, 5
NEAR_MM = 1e-4  # a way that begins so near to where the last one ended goes on from there
CHARACTERS = 70


def router_files(
    job: Job, how: Routing, pieces: Sequence[Routed] | None = None
) -> tuple[dict[str, bytes], str]:
    """A program for each piece of stock, bytes by a file's name, and what it takes in words. Raises
    KilnError. ``pieces``: where they have been worked out."""
    pieces = routed(job, how) if pieces is None else pieces
    made, words = {}, []
    for piece in pieces:
        if not any(operation.ways for operation in piece.operations):
            raise KilnError(f"No cutter gets into what is on the {piece.side}; take finer ones.")
        name = f"router-{piece.name.replace(' ', '-')}.nc"
        made[name] = program_of(job.name, piece, how)
        wide, tall, thick = (format_length(one) for one in piece.stock)
        tools = ", ".join(tool.words for tool in tools_of([piece]))
        words += [f"stock {wide} by {tall} by {thick}, cutters {tools}", *piece.left]
    return made, "; ".join([*words, *not_flat(job)])


def program_of(title: str, piece: Routed, how: Routing) -> bytes:
    """One program, ASCII."""
    scale, places = (1 / MM_PER_INCH, PLACES_INCH) if how.inch else (1.0, PLACES_MM)

    def word(letter: str, value: float) -> str:
        return _words(np.array([value * scale]), places, letter)[0]

    tools = tools_of([piece])
    lines = [
        "%",
        _comment(title),
        _comment(f"STOCK {piece.stock[0]:.3f} {piece.stock[1]:.3f} {piece.stock[2]:.3f} mm"),
        *([] if piece.letters else [_comment(f"SIDE {piece.side} TOP {piece.top_mm:.3f} mm")]),
        *(_comment(f"TOOL {n} {tool.ascii}") for n, tool in enumerate(tools, start=1)),
        "G20" if how.inch else "G21",
        "G17 G90 G94",
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
            lines += ["M5", f"T{number} M6", f"S{feeds.turns:.0f} M3", f"G0 {safe}"]
            used = number
        lines.append(_comment(operation.name))
        here = None
        for way in operation.ways:
            first = way[0]
            near = here is not None and np.linalg.norm(first[:2] - here[:2]) < NEAR_MM
            if not near:
                lines += [f"G0 {safe}", f"G0 {word('X', first[0])} {word('Y', first[1])}"]
            lines.append(f"G1 {word('Z', first[2])} {down}")
            lines += _moves(way * scale, along, places)
            here = way[-1]
        lines.append(f"G0 {safe}")
    lines += ["M5", "M30", "%"]
    if how.numbered:
        body = [f"N{10 * n} {line}" for n, line in enumerate(lines[1:-1], start=1)]
        lines = [lines[0], *body, lines[-1]]
    return ("\n".join(lines) + "\n").encode("ascii", "replace")


def _words(values: Array, places: int, letter: str) -> list[str]:
    """Words with a letter for values (n,), none of them minus nothing."""
    return [f"{letter}{value:.{places}f}" for value in (np.round(values, places) + 0.0).tolist()]


def _moves(way: Array, along: str, places: int) -> list[str]:
    """The moves along a way (n, 3) in the program's unit, each naming only what changes."""
    lines = []
    columns = [_words(way[:, k], places, letter) for k, letter in enumerate("XYZ")]
    points = zip(*columns, strict=True)
    last, feed = next(points), f" {along}"
    for words in points:
        changed = [new for new, old in zip(words, last, strict=True) if new != old]
        if changed:
            lines.append(f"G1 {' '.join(changed)}{feed}")
            feed, last = "", words
    return lines


def _comment(text: str) -> str:
    """A comment: no brackets in it, plain letters only."""
    plain = "".join(c if c.isascii() and c.isprintable() and c not in "()%;" else "?" for c in text)
    return f"({plain[:CHARACTERS]})"
