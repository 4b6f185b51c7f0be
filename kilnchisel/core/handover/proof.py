"""The proof sheet that a customer signs: the picture, what is made of what, each lettered side with its
measures, colours, typefaces, what a check warns of, and a place to sign."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import lays_of, lettering_laid
from kilnchisel.core.colour import linear_to_hex
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.gas import tube_rgb
from kilnchisel.core.handover.letterhead import SIGN_MM, Letterhead, headed, to_sign
from kilnchisel.core.handover.paper.dimensions import Placed, drawn, moved, placed, room_round
from kilnchisel.core.handover.paper.marks import (
    BRICK,
    INK,
    PENCIL,
    Area,
    Block,
    Line,
    Mark,
    Placing,
    Shown,
    Words,
    rectangle,
)
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import HEAD_MM, SMALL_MM, Paper, Sheets, broken
from kilnchisel.core.handover.sideviews import SideView, colour_of_blank, colour_of_layer, side_views
from kilnchisel.core.job.crafts import Fitting, Tube
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import detail_word, rim_word
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.blanks import blank_words
from kilnchisel.core.job.words.contents import content_words, face_words, one_line
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.finishes import finish_words
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.shop.amounts import finish_worn
from kilnchisel.core.shop.checks import warned
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

APART_MM, BOX_MM = 6.0, 3.6  # of choices; the box that is ticked
SWATCH_MM = 5.0
LEAST_PICTURE, MOST_PICTURE = 0.24, 0.45  # of the page's height
LEAST_VIEW_MM = 45.0
LETTERS_TOLD = 34


@dataclass(frozen=True, eq=False)
class Choice:
    """One of several that a customer chooses from: its name, what it is in words, its picture (h, w, 3)."""

    name: str
    words: str
    picture: Array


def proof_bytes(
    job: Job, picture: Array, head: Letterhead, paper: Paper, choices: Sequence[Choice] = ()
) -> bytes:
    """The sheet as PDF. ``picture``: (h, w, 3) uint8; ``choices``: proofs side by side on pages of their
    own. Raises KilnError."""
    sheets = Sheets(paper, f"{job.name} · proof, revision {head.revision} · {head.day}")
    headed(sheets, head, "Proof")
    sheets.words(job.name, "H2", HEAD_MM * 1.25, bold=True)
    # the picture as large as leaves room to sign on the same page
    scratch = Sheets(paper, "")
    _told(scratch, job)
    taken = scratch.top - scratch.y
    fits = not scratch.pages and sheets.y - sheets.low - taken - SIGN_MM > LEAST_PICTURE * sheets.size[1]
    room = sheets.y - sheets.low - taken - SIGN_MM - 4.0 if fits else MOST_PICTURE * sheets.size[1]
    _picture(sheets, job, picture, min(room, MOST_PICTURE * sheets.size[1]))
    _told(sheets, job)
    if fits:
        to_sign(sheets)
    if choices:
        _to_choose(sheets, choices)
    for view in side_views(job):
        _view(sheets, view)
    _typefaces(sheets, job)
    _sizes(sheets, job)
    _warnings(sheets, job)
    if not fits:
        to_sign(sheets)
    return pdf_of(f"{job.name}, proof {head.revision}", sheets.done())


def _to_choose(sheets: Sheets, choices: Sequence[Choice]) -> None:
    """Proofs in rows of two, each with its picture, a box to tick, its name and what it is."""
    sheets.heading("To choose from")
    left, right = sheets.box
    wide = (right - left - APART_MM) / 2
    for first in range(0, len(choices), 2):
        pair = choices[first : first + 2]
        rows = [broken(one.words.replace("→", "to"), wide - BOX_MM - 2, SMALL_MM) for one in pair]
        tall = max(wide * one.picture.shape[0] / one.picture.shape[1] for one in pair)
        sheets.room(tall + 10.0 + 4.0 * max(len(lines) for lines in rows))
        top = sheets.y
        for place, (one, lines) in enumerate(zip(pair, rows, strict=True)):
            x = left + place * (wide + APART_MM)
            high = wide * one.picture.shape[0] / one.picture.shape[1]
            shown = Shown(one.picture, (x, top - high, x + wide, top))
            sheets.add(Block("Figure", (shown,), said=f"Proof {one.name}."))
            y = top - tall - 5.0
            square = np.array([[x, y], [x + BOX_MM, y], [x + BOX_MM, y + BOX_MM], [x, y + BOX_MM]])
            words: list[Mark] = [Line(square, 0.3, INK, closed=True)]
            words.append(Words((x + BOX_MM + 2, y + 0.4), one.name, bold=True))
            for k, line in enumerate(lines, start=1):
                words.append(Words((x + BOX_MM + 2, y + 0.4 - 4.0 * k), line, SMALL_MM, colour=PENCIL))
            sheets.add(Block("P", tuple(words)))
        sheets.y = top - tall - 9.0 - 4.0 * max(len(lines) for lines in rows)


def _told(sheets: Sheets, job: Job) -> None:
    """What it is, in words and colours."""
    sheets.words(f"{blank_words(job.blank)}. {_capital(finish_words(job.finish))}.")
    for lettering in job.letterings:
        if not lettering.hidden:
            sheets.words(_in_words(lettering))
    _colours(sheets, job)


def _in_words(lettering: Lettering) -> str:
    made = f"{craft_words(lettering.craft)}."
    if isinstance(lettering.craft, Fitting):
        return made
    return f"{_capital(content_words(lettering.content))}. {made}"


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _picture(sheets: Sheets, job: Job, picture: Array, most: float) -> None:
    left, right = sheets.box
    tall, wide = picture.shape[:2]
    scale = min((right - left) / wide, most / tall)
    sheets.room(scale * tall + 4)
    sheets.y -= scale * tall + 2
    start = (left + right - scale * wide) / 2
    box = (start, sheets.y, start + scale * wide, sheets.y + scale * tall)
    sheets.add(Block("Figure", (Shown(picture, box),), said=f"Picture of {job.name}."))
    sheets.y -= 1


def _view(sheets: Sheets, view: SideView) -> None:
    """A side with its measures, as large as there is room for."""
    left, right = sheets.box
    low_x, low_y, high_x, high_y = view.box
    wide, tall = max(high_x - low_x, 1e-3), max(high_y - low_y, 1e-3)
    places = placed(view.dimensions, view.box)
    room = room_round(places, view.box)
    free = sheets.y - sheets.low - 14.0
    for _ in range(3):  # figures take other room at another scale
        most = min(free, 0.62 * sheets.size[1]) - room[1] - room[3]
        if most < LEAST_VIEW_MM and most < tall:
            sheets.turn()
            free = sheets.y - sheets.low - 14.0
            continue
        scale = min((right - left - room[0] - room[2]) / wide, most / tall, 1.0)
        shift = (
            left + room[0] + (right - left - room[0] - room[2] - scale * wide) / 2 - scale * low_x,
            sheets.y - 9.0 - room[3] - scale * high_y,
        )
        places = _places(view, scale, shift)
        needed = room_round(places, _box(view, scale, shift))
        if np.allclose(needed, room, atol=0.01):
            break
        room = needed
    sheets.heading(f"{_capital(view.name)}{', unrolled' if view.closed else ''}")
    shift = (shift[0], sheets.y - 1.0 - room[3] - scale * high_y)
    places, box = _places(view, scale, shift), _box(view, scale, shift)
    marks = (*view.drawing.marks(Placing(scale, shift)), *drawn(places, box))
    told = "; ".join(
        f"{'width' if d.axis == 'across' else 'height'} {d.figure} mm" for d in view.dimensions
    )
    sheets.add(Block("Figure", marks, said=f"The {view.name}, with its measures: {told}."))
    sheets.y = box[1] - room[1] - 1.0
    size = "true size" if scale == 1.0 else f"1 to {format_number(1 / scale, 2)}"
    sheets.words(f"In mm, {size}.", size=SMALL_MM, colour=PENCIL)


def _box(view: SideView, scale: float, shift: tuple[float, float]) -> tuple[float, float, float, float]:
    left, low, right, high = view.box
    x, y = shift
    return scale * left + x, scale * low + y, scale * right + x, scale * high + y


def _places(view: SideView, scale: float, shift: tuple[float, float]) -> list[Placed]:
    return placed([moved(d, scale, shift) for d in view.dimensions], _box(view, scale, shift))


def _colours(sheets: Sheets, job: Job) -> None:
    """Each finish with a swatch, its name and its value."""
    sheets.heading("Materials and colours")
    rows: dict[tuple[str, str], list[str]] = {}  # whose it is, by words and value
    rows[finish_words(job.finish), colour_of_blank(job)] = ["piece"]
    for word, finish in (
        (rim_word(job.blank), job.rim_finish),
        (detail_word(job.blank), job.detail_finish),
    ):
        if word is not None:
            shown = linear_to_hex(np.clip(material_of(finish).albedo, 0.0, 1.0))
            rows.setdefault((finish_words(finish), shown), []).append(word)
    for index, lettering in enumerate(job.letterings):
        if not lettering.hidden and not isinstance(lettering.craft, Fitting):
            for words, colour in _colours_of(job, index, lettering):
                rows.setdefault((words, colour), []).append(one_line(lettering))
    left, _ = sheets.box
    for (words, colour), parts in rows.items():
        sheets.room(SWATCH_MM + 2)
        sheets.y -= SWATCH_MM + 1.2
        swatch = rectangle(left, sheets.y, left + 9.0, sheets.y + SWATCH_MM)
        sheets.add(
            Block("", (Area((swatch,), colour), Line(swatch, 0.15, PENCIL, closed=True))),
            Block(
                "P",
                (
                    Words((left + 13, sheets.y + 1.4), _capital(words)),
                    Words((left + 84, sheets.y + 1.4), f"sRGB {colour.upper()}", colour=PENCIL),
                    Words(
                        (left + 118, sheets.y + 1.4), _short(", ".join(dict.fromkeys(parts))), colour=PENCIL
                    ),
                ),
            ),
        )
    sheets.y -= 1.5


def _colours_of(job: Job, index: int, lettering: Lettering) -> list[tuple[str, str]]:
    craft = lettering.craft
    if isinstance(craft, Tube):
        return [(craft_words(craft), linear_to_hex(np.array(tube_rgb(craft.colour, craft.own_colour))))]
    found = []
    for layer in lettering_laid(job, index).layers:
        finish = layer.layer.finish or lettering.finish
        words = finish_words(finish_worn(job, finish))
        if layer.layer.raster is not None:
            words = "as its picture"
        found.append((words, colour_of_layer(job, lettering, layer.layer)))
    return found


def _short(text: str) -> str:
    return text if len(text) <= LETTERS_TOLD else f"{text[: LETTERS_TOLD - 1]}…"


def _typefaces(sheets: Sheets, job: Job) -> None:
    rows: dict[tuple[str, ...], None] = {}
    for lettering in job.letterings:
        content = lettering.content
        if lettering.hidden or not isinstance(content, Wording):
            continue
        capitals = format_length(content.cap_height_mm)
        try:
            licence = load_face(content.face).licence
        except KilnError:
            licence = "cannot be read"
        rows[_short(one_line(lettering)), face_words(content.face), capitals, licence] = None
    if rows:
        sheets.heading("Typefaces")
        heads = ("Words", "Typeface", "Capitals", "The font's licence")
        sheets.table(heads, list(rows), (3, 2.2, 1.2, 3))


def _sizes(sheets: Sheets, job: Job) -> None:
    rows: list[tuple[str, ...]] = []
    for index, lettering in enumerate(job.letterings):
        if lettering.hidden or isinstance(lettering.craft, Fitting):
            continue
        laid = lettering_laid(job, index)
        size = f"{format_number(laid.width_mm, 1)} × {format_number(laid.height_mm, 1)} mm"
        sides = ", ".join(lay.side for lay in lays_of(job, index))
        rows.append((_short(one_line(lettering)), sides, size, craft_words(lettering.craft)))
    if rows:
        sheets.heading("Sizes and making")
        sheets.table(("Lettering", "Side", "Wide × high", "How"), rows, (2.6, 1.2, 2, 4))


def _warnings(sheets: Sheets, job: Job) -> None:
    """What a check warns of; a sentence where none does."""
    sheets.heading("Checks")
    said: dict[str, str] = {}
    for lettering, check in warned(job):
        source = f" ({check.source})" if check.source else ""
        said[f"{_short(one_line(lettering))}: {check.says}{source}"] = check.level
    if not said:
        sheets.words("Nothing is warned of.")
    for words, level in said.items():
        sheets.words(words, colour=BRICK if level == "failure" else INK)
