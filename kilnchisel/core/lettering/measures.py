"""What can be measured on finished letters: gaps between them, counters, the face's own proportions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely

from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.glyphs import glyph_region
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.lettering.strokes import stroke_widths

NO_GAP = 2.5e-4  # of the capital height: as near as curves are drawn, so that parts are taken as touching
MANY_PARTS = 300
NEAR_CAPS = 1.0  # letters further apart than this share of the capital height have no gap worth a word


@dataclass(frozen=True)
class Counters:
    """Enclosed white: how many, and the width of the narrowest (its largest inscribed circle), mm."""

    count: int
    narrowest_mm: float


@lru_cache(maxsize=64)
def smallest_gap_mm(outline: Outline) -> float | None:
    """The smallest white between two parts of the letters, mm; None when nothing stands near."""
    parts = np.array(polygons_in(outline.letter_ink), dtype=object)
    if len(parts) < 2:
        return None
    near = NEAR_CAPS * max(outline.cap_height_mm, 1e-3)
    tree = shapely.STRtree(parts)
    if len(parts) > MANY_PARTS:  # of very many only the nearest to each
        _, gaps = tree.query_nearest(parts, exclusive=True, all_matches=False, return_distance=True)
    else:
        first, second = tree.query(parts, predicate="dwithin", distance=near)
        apart = first < second
        gaps = shapely.distance(parts[first[apart]], parts[second[apart]])
    gaps = gaps[gaps < near]
    gaps = gaps[gaps > NO_GAP * outline.cap_height_mm]
    return float(gaps.min()) if len(gaps) else None


@lru_cache(maxsize=64)
def counters_of(outline: Outline) -> Counters | None:
    """The counters of the letters, None when there are none."""
    holes = [shapely.Polygon(hole) for part in polygons_in(outline.letter_ink) for hole in part.interiors]
    if not holes:
        return None
    # the inscribed circle is never wider than the shorter side of the box: skip the clearly wider ones
    holes.sort(key=lambda hole: min(hole.bounds[2] - hole.bounds[0], hole.bounds[3] - hole.bounds[1]))
    narrowest = np.inf
    for hole in holes[:12]:
        circle = shapely.maximum_inscribed_circle(hole, tolerance=max(outline.cap_height_mm, 1e-3) / 400)
        narrowest = min(narrowest, 2 * float(circle.length))
    return Counters(len(holes), narrowest)


@dataclass(frozen=True)
class Proportions:
    """A face against its capital height: shares of it, None where it lacks the letter."""

    o_width: float | None
    i_stroke: float | None
    x_height: float | None


@lru_cache(maxsize=128)
def proportions_of(face: LoadedFace) -> Proportions:
    """Width of O and stroke of I over the height of I, x-height over capital height."""
    high = _box(face, "I")
    cap = (high[3] - high[1]) if high else face.cap_height
    wide = _box(face, "O")
    stroke = None
    if face.has("I") and face.open_font is None:
        glyph = face.font.get_nominal_glyph(ord("I"))
        widths = stroke_widths(glyph_region(face, glyph, cap / 512), cap / 90) if glyph else None
        stroke = widths[1] / cap if widths else None
    x_height = face.x_height / face.cap_height if face.x_height > 0 else None
    return Proportions((wide[2] - wide[0]) / cap if wide else None, stroke, x_height)


def _box(face: LoadedFace, character: str) -> tuple[float, float, float, float] | None:
    glyph = face.font.get_nominal_glyph(ord(character)) if face.has(character) else None
    if not glyph:
        return None
    region = glyph_region(face, glyph, face.cap_height / 512)
    return None if region.is_empty else tuple(map(float, region.bounds))  # type: ignore[return-value]
