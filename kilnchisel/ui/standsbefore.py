"""Asks what of a photo stands before the piece, a stroke on it, a stroke beside it, and it grows; and what
of it is taken away."""

from __future__ import annotations

import threading
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QWidget

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Stroke
from kilnchisel.core.job.photo import Brush, Photo
from kilnchisel.core.photo.masks import grown
from kilnchisel.core.photo.reading import photo_pixels
from kilnchisel.ui.away import Told
from kilnchisel.ui.masking import MaskCanvas, MaskDialog, image_of
from kilnchisel.ui.theme import Theme

Array = NDArray[Any]

VEIL = (214, 158, 46, 120)  # what stands before, over the photo


class _Canvas(MaskCanvas):
    both = True


class StandsBefore(MaskDialog):
    """Strokes on what stands before the piece and on what does not; what they make is shown as it grows."""

    title, kinds = "What stands before it", ("Stands before", "Does not")
    none = "None of it", "Drop all strokes"
    Canvas = _Canvas

    def __init__(self, photo: Photo, theme: Theme, parent: QWidget | None = None) -> None:
        self.photo = photo
        self.pixels = photo_pixels(photo.sha256, photo.name)
        self._number, self._told = 0, Told()
        known = () if photo.before is None else photo.before.strokes
        super().__init__(
            image_of(self.pixels), tuple(_as_stroke(one, photo) for one in known), theme, parent
        )
        self._told.made.connect(self._show)
        self._grow()

    @property
    def brushes(self) -> tuple[Brush, ...]:
        """The strokes in the photo's own pixels."""
        return tuple(_as_brush(one, self.photo) for one in self.strokes)

    def _changed(self) -> None:
        super()._changed()
        if hasattr(self, "photo"):
            self._grow()

    def _grow(self) -> None:
        """Have what the strokes make worked out beside the window; what comes late is dropped."""
        self._number += 1
        number, brushes, pixels, told = self._number, self.brushes, self.pixels, self._told
        size = self.photo.width_px, self.photo.height_px
        if len({one.before for one in brushes}) < 2:
            self._show(None, number)
            return

        def work() -> None:
            try:
                amount: Array | None = grown(pixels, brushes, size)
            except KilnError:
                amount = None
            told.made.emit(amount, number)

        # waited for when the program ends: the library that grows it does not bear to be left in the middle
        threading.Thread(target=work, name="mask").start()

    def _show(self, amount: Array | None, number: int) -> None:
        if number != self._number:
            return
        if amount is None:
            self.canvas.grown = None
        else:
            veil = np.empty((*amount.shape, 4), np.uint8)
            veil[...] = VEIL
            veil[..., 3] = np.rint(amount * VEIL[3])
            self.canvas.grown = image_of(veil)
        self.canvas.update()


class TakenAway(MaskDialog):
    """Strokes on what is to be gone from a photo."""

    title, kinds = "What is taken away", ("Take away", "Keep")
    none = "None of it", "Drop all strokes"

    def __init__(self, photo: Photo, theme: Theme, parent: QWidget | None = None) -> None:
        self.photo = photo
        known = () if photo.cleared is None else photo.cleared.strokes
        strokes = tuple(_as_stroke(one, photo) for one in known)
        super().__init__(image_of(photo_pixels(photo.sha256, photo.name)), strokes, theme, parent)

    @property
    def brushes(self) -> tuple[Brush, ...]:
        """The strokes in the photo's own pixels."""
        return tuple(_as_brush(one, self.photo) for one in self.strokes)


def _as_brush(stroke: Stroke, photo: Photo) -> Brush:
    wide, tall = photo.width_px, photo.height_px
    points = tuple((round(x * wide, 1), round((1 - y) * tall, 1)) for x, y in stroke.points)
    return Brush(points=points, wide_px=max(stroke.wide / 100 * wide, 1.0), before=stroke.hides)


def _as_stroke(brush: Brush, photo: Photo) -> Stroke:
    wide, tall = photo.width_px, photo.height_px
    points = tuple(
        (min(max(x / wide, 0.0), 1.0), min(max(1 - y / tall, 0.0), 1.0)) for x, y in brush.points
    )
    return Stroke(points=points, wide=min(max(brush.wide_px / wide * 100, 0.1), 100.0), hides=brush.before)
