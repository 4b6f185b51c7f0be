"""A mockup on its way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True)
class Wish:
    """What is wanted of a picture besides its pixels. ``transparent``: without what is behind and without
    its ground, of which only the shadow stays; ``layers``: what is known of each pixel."""

    transparent: bool = False
    layers: bool = False


@dataclass(frozen=True, eq=False)
class Light:
    """A picture as light, exposed but not yet bent to what a screen shows.

    light (h, w, 3): premultiplied; what only adds (a glow) is in it without being in any alpha.
    cover (h, w): how much of what is behind is hidden by the piece; shade (h, w): how much of it is lost
    in the piece's shadow. ``layers``: (h, w, n) by name.
    """

    light: Array
    cover: Array
    shade: Array
    layers: dict[str, Array]

    @property
    def alpha(self) -> Array:
        """(h, w): what is behind counts 1 - alpha in linear light."""
        return np.asarray(1 - (1 - self.cover) * (1 - self.shade))


@dataclass(frozen=True, eq=False)
class Refined:
    """A state of the picture: pixels (h, w, 3) uint8 sRGB after ``done`` of ``wanted`` samples; the last
    one with its ``light`` where that was wished for."""

    pixels: Array
    done: int
    wanted: int
    light: Light | None = None
