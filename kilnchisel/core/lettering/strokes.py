"""How thin the thinnest stroke is: the medial axis of each glyph, from the Voronoi cells of its outline.

A point of the axis counts as the middle of a stroke when the two outline points it is nearest to lie
nearly opposite each other (150° or more as seen from it), as two walls do and the sides of a corner do
not, and when the way from one to the other along the outline is at least eight times the gap, as it is
except near the end of a stroke or in a tapering serif. The width there is the gap.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import shapely

from kilnchisel.core.later import spatial
from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.glyphs import glyph_region
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.polygons import polygons_in, rings_of, sampled

OPPOSITE = np.cos(np.radians(150.0))
WAYS_ROUND = (8.0, 4.0, 2.0)  # a stubby stroke is looked for once no longer one is found
SAMPLES_PER_CAP = 90


def stroke_range_mm(outline: Outline) -> tuple[float, float] | None:
    """The narrowest and the widest stroke in mm, None when no stroke is drawn."""
    if outline.face is None or not outline.as_drawn:
        return _of_region(outline)
    face = outline.face
    found = [
        widths
        for glyph in {letter.glyph for letter in outline.letters}
        if (widths := _glyph_strokes(face, glyph)) is not None
    ]
    if not found:
        return None
    scale = outline.cap_height_mm / face.cap_height
    return min(low for low, _ in found) * scale, max(high for _, high in found) * scale


@lru_cache(maxsize=64)
def _of_region(outline: Outline) -> tuple[float, float] | None:
    step = max(outline.cap_height_mm, 1e-3) / SAMPLES_PER_CAP
    # each part by itself: cells of one outline say nothing of another's strokes
    found = [
        widths
        for part in measured_parts(outline)
        if (widths := stroke_widths(shapely.MultiPolygon([part]), step)) is not None
    ]
    return (min(low for low, _ in found), max(high for _, high in found)) if found else None


MOST_MEASURED = 200


def measured_parts(outline: Outline) -> list[shapely.Polygon]:
    """The parts of an outline whose strokes are measured: of very many those that are the thinnest by
    their area and length, and the widest."""
    parts = polygons_in(outline.letter_ink)
    if len(parts) <= MOST_MEASURED:
        return parts
    mean = shapely.area(parts) / np.maximum(shapely.length(parts), 1e-12)
    order = np.argsort(mean)
    chosen = [*order[: MOST_MEASURED - 20], *order[-20:]]
    return [parts[number] for number in chosen]


@lru_cache(maxsize=2048)
def _glyph_strokes(face: LoadedFace, glyph: int) -> tuple[float, float] | None:
    region = glyph_region(face, glyph, face.cap_height / 512)
    if region.is_empty:
        return None
    return stroke_widths(region, face.cap_height / SAMPLES_PER_CAP)


def stroke_widths(region: shapely.MultiPolygon, step: float) -> tuple[float, float] | None:
    """The narrowest and widest stroke of a region, in its own units; ``step``: the outline's sampling.

    Error: below step²/width where walls are straight; None when no stroke is found.
    """
    samples = [sampled(ring, step) for ring in rings_of(region)]
    points = np.concatenate(samples)
    try:
        cells = spatial.Voronoi(points)
    except spatial.QhullError:
        return None
    ridges = np.array(cells.ridge_vertices)
    inner = (ridges >= 0).all(axis=1)
    pairs = cells.ridge_points[inner]
    middles = cells.vertices[ridges[inner]].mean(axis=1)
    to_a = points[pairs[:, 0]] - middles
    to_b = points[pairs[:, 1]] - middles
    far_a, far_b = np.linalg.norm(to_a, axis=1), np.linalg.norm(to_b, axis=1)
    facing = np.einsum("ij,ij->i", to_a, to_b) <= OPPOSITE * far_a * far_b
    gaps = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    way = _way_round(samples, pairs)
    shapely.prepare(region)
    for ratio in WAYS_ROUND:
        candidates = np.flatnonzero(facing & (way >= ratio * gaps))
        inside = shapely.contains_xy(region, middles[candidates, 0], middles[candidates, 1])
        if inside.any():
            found = gaps[candidates[inside]]
            # among stubby strokes the tips of serifs come too: most of the axis is the stroke's own
            low = found.min() if ratio == WAYS_ROUND[0] else np.median(found)
            return float(low), float(found.max())
    return None


def _way_round(samples: list[np.ndarray], pairs: np.ndarray) -> np.ndarray:
    """The shorter way along the outline between two samples; infinite from one ring to another."""
    place, ring, around = [], [], []
    for index, points in enumerate(samples):
        steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        place.append(np.concatenate([[0.0], np.cumsum(steps)[:-1]]))
        ring.append(np.full(len(points), index))
        around.append(np.full(len(points), steps.sum()))
    places, rings, lengths = (np.concatenate(x) for x in (place, ring, around))
    way = np.abs(places[pairs[:, 0]] - places[pairs[:, 1]])
    way = np.minimum(way, lengths[pairs[:, 0]] - way)
    return np.where(rings[pairs[:, 0]] == rings[pairs[:, 1]], way, np.inf)
