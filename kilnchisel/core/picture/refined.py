"""A mockup on its way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Refined:
    """A state of the picture: pixels (h, w, 3) uint8 sRGB after ``done`` of ``wanted`` samples."""

    pixels: NDArray[Any]
    done: int
    wanted: int
