"""One PDF of all rows for whoever approves them: a quick picture of each, its name and words, what was done
so that it fits and what a check warns of, a box to tick; and a place to sign."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.letterhead import Letterhead, headed, to_sign
from kilnchisel.core.handover.packing import packed
from kilnchisel.core.handover.paper.marks import (
    BRICK,
    INK,
    PENCIL,
    Block,
    Line,
    Mark,
    Shown,
    Words,
    rectangle,
)
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import HEAD_MM, LINE, SMALL_MM, TEXT_MM, Paper, Sheets, broken
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.engines import Engine
from kilnchisel.core.lists.filling import lettered_by_list
from kilnchisel.core.lists.making import alone
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import Outcome, checked_listing, listing_of
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.lists.working import PICTURE, Answer, Common

MOST_APPROVED = 2000
COLUMNS, APART_MM, BOX_MM = 3, 5.0, 3.6
PICTURE_PX = (480, 320)
MOST_LINES = 4  # told below a picture
WIDEST_CELLS = 3  # columns of the list that are told with a name


def approval(
    job: Job,
    names: Names,
    beside: Path,
    engine: Engine,
    head: Letterhead,
    paper: Paper,
    *,
    by_camera: bool = False,
    stop: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> tuple[bytes, list[Outcome]]:
    """The PDF, and what came of each row in the list's order; nothing when stopped. ``by_camera``: as the
    job's camera sees it, instead of square on what is of the list. Raises KilnError."""
    checked_listing(listing_of(job))
    if len(names.rows) > MOST_APPROVED:
        raise KilnError(f"{MOST_APPROVED} rows are put to be approved at most; part the list.")
    answers: dict[int, Answer] = {}
    at = None if by_camera else lettered_by_list(job, names)
    common = Common(packed(alone(job)), "picture", size=PICTURE_PX, square_on=at)
    for answer in engine.each(common, orders_of(job, names, beside), stop):
        answers[answer.outcome.row] = answer
        progress(0.95 * len(answers) / len(names.rows))
    if stop():
        return b"", []
    in_order = [answers[number] for number in sorted(answers)]
    data = approval_bytes(job, names, in_order, head, paper)
    progress(1.0)
    return data, [answer.outcome for answer in in_order]


def approval_bytes(job: Job, names: Names, answers: list[Answer], head: Letterhead, paper: Paper) -> bytes:
    """The same from what was drawn."""
    sheets = Sheets(paper, f"{job.name} · {len(answers)} rows · {head.day}")
    headed(sheets, head, "To approve")
    sheets.words(job.name, "H2", HEAD_MM * 1.25, bold=True)
    bad = sum(not answer.outcome.good for answer in answers)
    warned = f"; {bad} of them are to be looked at, marked in red" if bad else ""
    sheets.words(f"{len(answers)} rows in the order of the list{warned}.", colour=PENCIL)
    sheets.y -= 3.0
    for first in range(0, len(answers), COLUMNS):
        _row(sheets, names, answers[first : first + COLUMNS])
    to_sign(sheets)
    return pdf_of(f"{job.name}, to approve", sheets.done())


def _row(sheets: Sheets, names: Names, answers: list[Answer]) -> None:
    left, right = sheets.box
    wide = (right - left - APART_MM * (COLUMNS - 1)) / COLUMNS
    tall = wide * PICTURE_PX[1] / PICTURE_PX[0]
    told = [_told(names, answer.outcome, wide - BOX_MM - 2) for answer in answers]
    deep = tall + 4.5 + SMALL_MM * LINE * max(len(lines) for lines in told) + 3.0
    sheets.room(deep)
    top = sheets.y
    for place, (answer, lines) in enumerate(zip(answers, told, strict=True)):
        x = left + place * (wide + APART_MM)
        box = (x, top - tall, x + wide, top)
        name = answer.outcome.name
        if answer.files is not None:
            pixels = np.asarray(Image.open(io.BytesIO(answer.files[PICTURE])).convert("RGB"))
            sheets.add(Block("Figure", (Shown(pixels, box),), said=f"Picture of {name}."))
        else:
            sheets.add(
                Block("Figure", (Line(rectangle(*box), 0.3, closed=True),), said=f"{name} cannot be made.")
            )
        y = top - tall - 4.5
        marks: list[Mark] = [Line(rectangle(x, y, x + BOX_MM, y + BOX_MM), 0.3, closed=True)]
        for k, (line, colour) in enumerate(lines):
            at = (x + BOX_MM + 2, y + 0.4 - k * SMALL_MM * LINE)
            marks.append(Words(at, line, TEXT_MM if k == 0 else SMALL_MM, bold=k == 0, colour=colour))
        sheets.add(Block("P", tuple(marks)))
    sheets.y = top - deep


def _told(names: Names, outcome: Outcome, wide: float) -> list[tuple[str, str]]:
    """Lines below a picture, each with its colour: the name, then what there is to know."""
    lines = [(line, INK) for line in broken(outcome.name, wide, TEXT_MM, bold=True)[:1]]
    cells = [cell for cell in names.rows[outcome.row - 1] if cell][:WIDEST_CELLS]
    texts = [(" · ".join(cells), PENCIL)]
    texts += [(words, BRICK) for words in (outcome.refused, *outcome.warnings) if words]
    texts += [(words.replace("→", "to"), PENCIL) for words in outcome.done]
    for text, colour in texts:
        lines += [(line, colour) for line in broken(text, wide, SMALL_MM)]
    if len(lines) > MOST_LINES + 1:
        lines = [*lines[:MOST_LINES], ("…", lines[MOST_LINES][1])]
    return lines
