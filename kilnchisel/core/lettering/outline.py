"""Wording to outline: letters as regions in mm, in rows, around the middle of the block.

The origin is the middle of the ink from left to right, and half way between the top row's capital
line and the bottom row's baseline, so that descenders do not make a row jump.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.job.lettering import Wording
from kilnchisel.core.lettering.faces import LoadedFace, load_face
from kilnchisel.core.lettering.glyphs import glyph_region, tolerance_units
from kilnchisel.core.lettering.polygons import weld
from kilnchisel.core.lettering.shaping import ShapedRow, shape_row

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Letter:
    """One glyph of the wording, placed. ``region`` is in mm, in the block's coordinates."""

    character: str
    glyph: int
    row: int
    region: shapely.MultiPolygon


@dataclass(frozen=True, eq=False)
class Row:
    """A row's text, baseline height (mm), start of its pen (mm) and advance width (mm)."""

    text: str
    baseline_mm: float
    start_mm: float
    advance_mm: float


@dataclass(frozen=True, eq=False)
class Outline:
    """The drawn wording. ``bounds``: ink (left, bottom, right, top) mm, zeros when nothing is drawn."""

    face: LoadedFace
    cap_height_mm: float
    letters: tuple[Letter, ...]
    rows: tuple[Row, ...]
    ink: shapely.MultiPolygon
    bounds: tuple[float, float, float, float]
    missing: tuple[str, ...]

    @property
    def width_mm(self) -> float:
        return self.bounds[2] - self.bounds[0]

    @property
    def height_mm(self) -> float:
        return self.bounds[3] - self.bounds[1]


def make_outline(wording: Wording) -> Outline:
    """Draw the wording. Raises KilnError when its face cannot be used."""
    face = load_face(wording.face)
    scale = wording.cap_height_mm / face.cap_height
    tolerance = tolerance_units(face, wording.cap_height_mm)
    shaped = [
        shape_row(face, text, wording.letter_spacing_mm / scale)
        for text in wording.text.expandtabs(4).split("\n")
    ]
    spans = [_ink_span(face, row, tolerance) for row in shaped]
    widest = max((right - left for left, right in spans), default=0.0)
    lead = wording.cap_height_mm * wording.row_spacing / 100
    middle = (lead * (len(shaped) - 1) - wording.cap_height_mm) / 2
    letters: list[Letter] = []
    rows = []
    missing: list[str] = []
    for index, (row, (left, right)) in enumerate(zip(shaped, spans, strict=True)):
        slack = {"left": 0.0, "centre": (widest - (right - left)) / 2, "right": widest - right + left}
        start = (slack[wording.align] - left - widest / 2) * scale
        baseline = middle - lead * index
        rows.append(Row(row.text, baseline, start, row.advance * scale))
        letters.extend(_placed(face, row, index, tolerance, scale, start, baseline))
        missing.extend(c for c in row.missing if c not in missing)
    ink = weld([letter.region for letter in letters])
    left, bottom, right, top = (0.0, 0.0, 0.0, 0.0) if ink.is_empty else map(float, ink.bounds)
    bounds = (left, bottom, right, top)
    return Outline(face, wording.cap_height_mm, tuple(letters), tuple(rows), ink, bounds, tuple(missing))


def _ink_span(face: LoadedFace, row: ShapedRow, tolerance: float) -> tuple[float, float]:
    """Left and right end of a row's ink in font units; (0, 0) for a row without ink."""
    lefts, rights = [], []
    for glyph in row.glyphs:
        region = glyph_region(face, glyph.glyph, tolerance)
        if not region.is_empty:
            left, _, right, _ = region.bounds
            lefts.append(glyph.x + left)
            rights.append(glyph.x + right)
    return (min(lefts), max(rights)) if lefts else (0.0, 0.0)


def _placed(
    face: LoadedFace,
    row: ShapedRow,
    index: int,
    tolerance: float,
    scale: float,
    start: float,
    baseline: float,
) -> list[Letter]:
    inked = [
        (glyph, region)
        for glyph in row.glyphs
        if not (region := glyph_region(face, glyph.glyph, tolerance)).is_empty
    ]
    if not inked:
        return []
    regions = np.array([region for _, region in inked], dtype=object)
    points, owner = shapely.get_coordinates(regions, return_index=True)
    pens = np.array([(glyph.x, glyph.y) for glyph, _ in inked])
    moved = (points + pens[owner]) * scale + (start, baseline)
    regions = shapely.set_coordinates(regions.copy(), moved)
    return [
        Letter(row.text[glyph.cluster], glyph.glyph, index, region)
        for (glyph, _), region in zip(inked, regions, strict=True)
    ]
