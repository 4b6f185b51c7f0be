"""Typing on the object: what keys do to the words, and where the caret stands.

The caret is a place in the text, 0 before the first character.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.view.band import on_picture
from kilnchisel.ui.view.letters import letter_under, own_place, stand_of

Array = NDArray[Any]


def typed(text: str, caret: int, event: QKeyEvent) -> tuple[str, int] | None:
    """Text and caret after a key; None for a key that is none of its business."""
    key, word = event.key(), event.text()
    caret = min(max(caret, 0), len(text))
    if key == Qt.Key.Key_Left:
        return text, max(caret - 1, 0)
    if key == Qt.Key.Key_Right:
        return text, min(caret + 1, len(text))
    if key == Qt.Key.Key_Home:
        return text, text.rfind("\n", 0, caret) + 1
    if key == Qt.Key.Key_End:
        end = text.find("\n", caret)
        return text, len(text) if end < 0 else end
    if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
        return text, _other_row(text, caret, -1 if key == Qt.Key.Key_Up else 1)
    if key == Qt.Key.Key_Backspace:
        return (text[: caret - 1] + text[caret:], caret - 1) if caret else (text, 0)
    if key == Qt.Key.Key_Delete:
        return text[:caret] + text[caret + 1 :], caret
    if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
        return text[:caret] + "\n" + text[caret:], caret + 1
    command = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier
    if word and word.isprintable() and not event.modifiers() & command:
        return text[:caret] + word + text[caret:], caret + len(word)
    return None


def _other_row(text: str, caret: int, step: int) -> int:
    rows = text.split("\n")
    start, row = 0, 0
    while row < len(rows) - 1 and caret > start + len(rows[row]):
        start += len(rows[row]) + 1
        row += 1
    target = min(max(row + step, 0), len(rows) - 1)
    first = sum(len(line) + 1 for line in rows[:target])
    return first + min(caret - start, len(rows[target]))


def caret_at(laid: Laid, text: str, uv: Array) -> int:
    """The place in the text nearest to a sheet point: before or after the letter under it."""
    place = letter_under(laid, uv)
    if place is None:
        return len(text)
    stand = stand_of(laid, place)
    if stand is None:
        return place
    along = float((own_place(laid, uv) - stand.anchor) @ stand.turn[:, 0])
    return place + (1 if along > stand.advance_mm / 2 else 0)


def caret_line(drawn: Drawn, laid: Laid, text: str, caret: int, size: tuple[int, int]) -> Array | None:
    """The caret on the picture, (2, 2) widget pixels; None where it is turned away."""
    foot, up = _foot(laid, text, caret)
    cap = laid.outline.cap_height_mm
    ends = laid.placing.points(np.array([foot - 0.22 * cap * up, foot + 1.12 * cap * up]))
    pixels, seen = on_picture(drawn, laid, ends, size)
    return pixels if seen.any() else None


def _foot(laid: Laid, text: str, caret: int) -> tuple[Array, Array]:
    """Where the caret stands on the baseline, and which way is up there, in the outline's own mm."""
    caret = min(caret, len(text))  # the words may have become shorter since it was put there
    after = stand_of(laid, caret)
    if after is not None:
        return np.asarray(after.anchor), np.asarray(after.turn[:, 1])
    before = next(
        (s for place in range(caret - 1, -1, -1) if text[place] != "\n" and (s := stand_of(laid, place))),
        None,
    )
    rows = text[:caret].count("\n")
    if before is None:
        return np.zeros(2), np.array([0.0, 1.0])
    if rows > before.row:  # an empty row below: a row lower, at its middle
        drop = 1.6 * laid.outline.cap_height_mm * (rows - before.row)
        return before.anchor - drop * before.turn[:, 1], np.asarray(before.turn[:, 1])
    return before.anchor + before.advance_mm * before.turn[:, 0], np.asarray(before.turn[:, 1])
