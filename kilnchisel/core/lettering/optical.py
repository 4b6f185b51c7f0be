"""Optical kerning: the gaps between letters made alike to the eye, whatever the face's own tables say.

Between two letters the white is measured in bands from baseline to capital line; white deeper than a
share of the capital height does not count, as the eye does not see it as part of the gap. Each pair is
set so that its mean white equals that of two straight stems (HH). An own method, common practice in
what it aims at.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.glyphs import glyph_region
from kilnchisel.core.lettering.polygons import rings_of

Array = NDArray[Any]

BANDS = 28
DEEP_SHARE = 0.16  # of the capital height: white beyond the nearest point plus this is not counted
CLOSEST_SHARE = 0.3  # of the stems' gap: no pair comes closer
FAR = 1e9


def optical_kern(face: LoadedFace, left: int, right: int) -> float:
    """What to add between two glyphs whose own advance is unkerned, font units."""
    gaps = _gaps(face, left, right)
    if gaps is None:
        return 0.0
    target = _stem_gap(face)
    nearest = float(gaps.min())
    mean = _mean_white(face, gaps)
    return max(target - mean, CLOSEST_SHARE * target - nearest)


def _mean_white(face: LoadedFace, gaps: Array) -> float:
    return float(np.minimum(gaps, gaps.min() + DEEP_SHARE * face.cap_height).mean())


@lru_cache(maxsize=256)
def _stem_gap(face: LoadedFace) -> float:
    stem = next((face.font.get_nominal_glyph(ord(c)) for c in "HINn" if face.has(c)), None)
    gaps = _gaps(face, stem, stem) if stem else None
    return 0.2 * face.cap_height if gaps is None else _mean_white(face, gaps)


@lru_cache(maxsize=8192)
def _gaps(face: LoadedFace, left: int, right: int) -> Array | None:
    """White between two glyphs in each band where either has ink, None when they never face."""
    _, far = _profile(face, left)
    near, _ = _profile(face, right)
    with face.lock:
        advance = float(face.font.get_glyph_h_advance(left))
    # a letter that has no ink in a band is as far away there as white counts at all
    gaps = np.where(far > -FAR, advance - far, FAR) + np.where(near < FAR, near, FAR)
    return None if not (gaps < FAR).any() else np.minimum(gaps, FAR)


@lru_cache(maxsize=4096)
def _profile(face: LoadedFace, glyph: int) -> tuple[Array, Array]:
    """The leftmost and rightmost ink in each band, font units; FAR and -FAR without ink."""
    region = glyph_region(face, glyph, face.cap_height / 256)
    left, right = np.full(BANDS, FAR), np.full(BANDS, -FAR)
    heights = (np.arange(BANDS) + 0.5) / BANDS * face.cap_height
    for ring in rings_of(region):
        a, b = ring, np.roll(ring, -1, axis=0)
        for band, y in enumerate(heights):
            crossing = (a[:, 1] > y) != (b[:, 1] > y)
            if crossing.any():
                p, q = a[crossing], b[crossing]
                x = p[:, 0] + (y - p[:, 1]) / (q[:, 1] - p[:, 1]) * (q[:, 0] - p[:, 0])
                left[band], right[band] = min(left[band], x.min()), max(right[band], x.max())
    return left, right
