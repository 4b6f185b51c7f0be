"""Whose paper it is: a shop's name and logo, and which revision of a proof of what day."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.paper.marks import (
    INK,
    PALE,
    PENCIL,
    Block,
    Line,
    Mark,
    Shown,
    Words,
    rectangle,
)
from kilnchisel.core.handover.paper.sheets import HEAD_MM, SMALL_MM, TITLE_MM, Sheets, broken
from kilnchisel.core.intake.gate import bytes_of
from kilnchisel.core.lettering.content import opened_picture

LOGO_MM = (46.0, 18.0)
LOGO_PIXELS = 900
MOST_BYTES = 64 * 2**20
LONGEST = 120
NAME_MM = 100.0
SIGN_MM = 44.0  # what the place to sign takes


@dataclass(frozen=True)
class Letterhead:
    """``name``: the shop's, with lines below it for where it is; ``logo``: a picture file; ``date``: as it
    is written, today's where it is empty."""

    name: str = ""
    logo: Path | None = None
    revision: str = "A"
    date: str = ""

    def checked(self) -> None:
        """Raises KilnError where something is too long, or the logo cannot be read."""
        for what, text in (("revision", self.revision), ("date", self.date)):
            if len(text) > 20:
                raise KilnError(f"The {what} “{text[:20]}…” is too long; 20 letters are room enough.")
        if len(self.name) > LONGEST:
            raise KilnError(f"The heading is too long; {LONGEST} letters are room enough.")
        self.logo_pixels()

    @property
    def day(self) -> str:
        """The date that is written."""
        return self.date or datetime.date.today().isoformat()

    def logo_pixels(self) -> NDArray[Any] | None:
        """The logo, (h, w, 3 or 4) uint8; None where there is none. Raises KilnError."""
        if self.logo is None:
            return None
        data = bytes_of(self.logo, MOST_BYTES, "logo")
        picture = opened_picture(data, self.logo.name, LOGO_PIXELS)
        return np.asarray(picture.convert("RGBA" if "A" in picture.getbands() else "RGB"))


def headed(sheets: Sheets, head: Letterhead, title: str) -> None:
    """Set the head of a first page: the shop to the left, what it is and of when to the right."""
    left, right = sheets.box
    y, x = sheets.y, left
    marks: list[Mark] = []
    lowest = y - 14.0
    logo = head.logo_pixels()
    if logo is not None:
        tall, wide = logo.shape[:2]
        scale = min(LOGO_MM[0] / wide, LOGO_MM[1] / tall)
        marks.append(Shown(logo, (x, y - scale * tall, x + scale * wide, y)))
        lowest = min(lowest, y - scale * tall)
        x += scale * wide + 5.0
        sheets.add(Block("Figure", tuple(marks), said=f"Logo of {head.name}" if head.name else "Logo"))
    first, *rest = broken(head.name, NAME_MM, HEAD_MM, bold=True) or [""]
    lines: list[Mark] = [Words((x, y - HEAD_MM), first, HEAD_MM, bold=True)]
    for k, row in enumerate(rest):
        lines.append(Words((x, y - HEAD_MM - 4.0 * (k + 1)), row, SMALL_MM, colour=PENCIL))
        lowest = min(lowest, y - HEAD_MM - 4.0 * (k + 1))
    if head.name:
        sheets.add(Block("P", tuple(lines)))
    sheets.add(
        Block("H1", (Words((right, y - TITLE_MM * 0.8), title, TITLE_MM, bold=True, align="right"),)),
        Block(
            "P",
            (
                Words(
                    (right, y - TITLE_MM * 0.8 - 6.0),
                    f"Revision {head.revision}",
                    colour=INK,
                    align="right",
                ),
                Words((right, y - TITLE_MM * 0.8 - 10.5), head.day, colour=PENCIL, align="right"),
            ),
        ),
    )
    lowest -= 3.5
    sheets.add(Block("", (Line(np.array([[left, lowest], [right, lowest]]), 0.35, PALE),)))
    sheets.y = lowest - 1.5


def to_sign(sheets: Sheets) -> None:
    """Boxes to tick, and lines for name, date and signature, at the foot of a page."""
    sheets.room(SIGN_MM)
    sheets.y = min(sheets.y, sheets.low + SIGN_MM)
    sheets.heading("Your word on it")
    left, right = sheets.box
    y = sheets.y - 6.0
    marks: list[Mark] = []
    x = left
    for words in ("Make it as shown", "Make it with the changes noted", "Show me a new proof"):
        marks += [Line(rectangle(x, y, x + 4, y + 4), 0.3, closed=True), Words((x + 6, y + 0.7), words)]
        x += (right - left) / 3
    sheets.add(Block("P", tuple(marks)))
    y -= 18.0
    third = (right - left) / 3
    lines: list[Mark] = []
    for k, words in enumerate(("Name", "Date", "Signature")):
        start = left + k * third
        lines += [
            Line(np.array([[start, y], [start + third - 6, y]]), 0.25, PENCIL),
            Words((start, y - 4.2), words, SMALL_MM, colour=PENCIL),
        ]
    sheets.add(Block("P", tuple(lines)))
    sheets.turn()
