"""How dark the darkest and how light the lightest of a photo is: what is put into it keeps within them.

Haze, a lens against the light or a faded print lift the blacks; a print or a scan has no full white.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, srgb_decode

Array = NDArray[Any]

DARKEST, LIGHTEST = 0.002, 0.999  # of the pixels
RANGE = 12.0  # of lightest over darkest: with less there was nothing dark, or nothing light, to tell by
MOST_BLACK, LEAST_WHITE = 0.03, 0.5  # display-linear
SMALL = 4  # pixels each way that are taken together, so that grain tells nothing


@dataclass(frozen=True, eq=False)
class Tones:
    """What black (3,) and white are shown as, display-linear."""

    black: Array
    white: float

    def of(self, shown: Array) -> Array:
        """Display-linear values (..., 3) as they are seen in the photo."""
        return np.asarray(self.black + (self.white - self.black) * shown)


def tones(pixels: Array, blacks: float, whites: float) -> Tones:
    """The tones of a photo (h, w, 3) uint8; ``blacks``, ``whites``: % of what is measured."""
    height, width = (max(side // SMALL, 1) * SMALL for side in pixels.shape[:2])
    if min(pixels.shape[:2]) < SMALL:
        return Tones(np.zeros(3), 1.0)
    cells = pixels[:height, :width].reshape(height // SMALL, SMALL, width // SMALL, SMALL, 3)
    values = srgb_decode(cells.mean(axis=(1, 3)).reshape(-1, 3) / 255)
    black = np.quantile(values, DARKEST, axis=0)
    white = float(np.quantile(values @ LUMA, LIGHTEST))  # its colour is that of the light, which is told
    if white < RANGE * max(float(black @ LUMA), 1e-6):
        return Tones(np.zeros(3), 1.0)
    top = white if white >= LEAST_WHITE else 1.0  # a dark picture tells nothing
    lost = min((1 - top) * whites / 100, LEAST_WHITE)
    return Tones(np.clip(black, 0, MOST_BLACK) * blacks / 100, 1 - lost)
