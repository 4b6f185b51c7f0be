"""States of a job side by side on one picture."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from kilnchisel.core.handover.paper.pdf import INTERFACE_FONTS

Array = NDArray[Any]

PAPER, INK, PENCIL = (246, 241, 230), (38, 35, 31), (122, 112, 100)
MARGIN, LINE = 18, 1.35  # pixels; of a row of words, of its size


def sheet_of(pictures: Sequence[Array], words: Sequence[tuple[str, str]], columns: int = 0) -> Array:
    """Pictures of one size side by side on paper, each with its name and what it is below it,
    (h, w, 3) uint8. ``columns``: 0 for as many as make it widest on a screen."""
    count = len(pictures)
    tall, wide, _ = pictures[0].shape
    columns = columns or _columns(count, wide, tall)
    size = max(wide // 34, 11)
    name_font, more_font = (
        ImageFont.truetype(str(INTERFACE_FONTS / f"Commissioner-{weight}.ttf"), size)
        for weight in (600, 400)
    )
    texts = [_broken(more, more_font, wide) for _, more in words]
    under = round(LINE * size * (1 + max(len(rows) for rows in texts))) + MARGIN // 2
    rows = math.ceil(count / columns)
    sheet = Image.new(
        "RGB",
        (columns * (wide + MARGIN) + MARGIN, rows * (tall + under + MARGIN) + MARGIN),
        PAPER,
    )
    draw = ImageDraw.Draw(sheet)
    for number, (picture, (name, _), lines) in enumerate(zip(pictures, words, texts, strict=True)):
        left = MARGIN + (number % columns) * (wide + MARGIN)
        top = MARGIN + (number // columns) * (tall + under + MARGIN)
        sheet.paste(Image.fromarray(picture), (left, top))
        draw.text((left, top + tall + 4), name, INK, name_font)
        for k, line in enumerate(lines, start=1):
            draw.text((left, top + tall + 4 + round(LINE * size * k)), line, PENCIL, more_font)
    return np.asarray(sheet)


def _columns(count: int, wide: int, tall: int) -> int:
    """So many columns that the sheet is shaped as nearly as can be like a screen, 16 to 10."""
    return min(
        range(1, count + 1), key=lambda n: abs(math.log(n * wide / (math.ceil(count / n) * tall) / 1.6))
    )


def _broken(text: str, font: Any, wide: int) -> list[str]:
    """Words in rows that are not wider than a picture."""
    rows: list[str] = []
    for word in text.replace("→", "to").split():  # of which the interface's face has no sign
        if rows and font.getlength(f"{rows[-1]} {word}") <= wide:
            rows[-1] += f" {word}"
        else:
            rows.append(word)
    return rows
