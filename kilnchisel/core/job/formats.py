"""Sizes of blanks that are known by name."""

from __future__ import annotations

from kilnchisel.core.job.boards import Plate

PLATE_FORMATS: dict[str, tuple[float, float, float, float, float]] = {
    # width, height, hole centres along and up, corner. SAE J686 (12 x 6 in, holes 7 x 4.75 in), from
    # memory; the long and square European formats by common practice
    "2 to 1": (304.8, 152.4, 177.8, 120.7, 12.0),
    "long": (520.0, 110.0, 400.0, 60.0, 10.0),
    "square": (340.0, 220.0, 240.0, 160.0, 10.0),
    "two wheels": (180.0, 200.0, 120.0, 140.0, 10.0),
}
SIZES = ("width_mm", "height_mm", "apart_mm", "apart_up_mm", "corner_mm")


def plate_format(plate: Plate) -> str | None:
    """The name of a plate's format; None for sizes of its own."""
    have = tuple(getattr(plate, name) for name in SIZES)
    return next((name for name, known in PLATE_FORMATS.items() if known == have), None)


def in_format(plate: Plate, name: str) -> Plate:
    """A plate in a format."""
    return plate.model_copy(update=dict(zip(SIZES, PLATE_FORMATS[name], strict=True)))
