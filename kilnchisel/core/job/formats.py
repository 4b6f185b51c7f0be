"""Sizes of blanks that are known by name."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.boards import Plate
from kilnchisel.core.job.vehicles import Van

Sizes = tuple[str, ...]
PLATE_SIZES: Sizes = ("width_mm", "height_mm", "apart_mm", "apart_up_mm", "corner_mm")
VAN_SIZES: Sizes = ("length_mm", "height_mm")
PLATE_FORMATS: dict[str, tuple[float, ...]] = {
    # width, height, hole centres along and up, corner. SAE J686 (12 x 6 in, holes 7 x 4.75 in), from
    # memory; the long and square European formats by common practice
    "2 to 1": (304.8, 152.4, 177.8, 120.7, 12.0),
    "long": (520.0, 110.0, 400.0, 60.0, 10.0),
    "square": (340.0, 220.0, 240.0, 160.0, 10.0),
    "two wheels": (180.0, 200.0, 120.0, 140.0, 10.0),
}
VAN_FORMATS: dict[str, tuple[float, ...]] = {  # common practice
    "short, low": (4950.0, 1980.0),
    "short, high": (4950.0, 2450.0),
    "long, low": (5700.0, 1980.0),
    "long, high": (5700.0, 2450.0),
}
FORMATS: dict[type, tuple[Sizes, dict[str, tuple[float, ...]]]] = {
    Plate: (PLATE_SIZES, PLATE_FORMATS),
    Van: (VAN_SIZES, VAN_FORMATS),
}


def format_of(blank: Any) -> str | None:
    """The name of a blank's format; None for sizes of its own."""
    names, formats = FORMATS[type(blank)]
    have = tuple(getattr(blank, name) for name in names)
    return next((name for name, known in formats.items() if known == have), None)


def in_format(blank: Any, name: str) -> Any:
    """A blank in a format. Raises KilnError where its other sizes do not go with it."""
    names, formats = FORMATS[type(blank)]
    return type(blank)(**(dict(blank) | dict(zip(names, formats[name], strict=True))))
