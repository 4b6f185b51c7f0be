"""What makes a piece belong to a photo: as soft as what is about it, and with the photo's own grain.

Both are measured in the photo, at the size of the picture. Softness: along edges, by how much less steep
they get when they are blurred more (Zhuo and Sim, Defocus map estimation from a single image, Pattern
Recognition 44, 2011; blurred a little before that too, so that grain tells nothing). Grain: what is left of
even places once their slope is taken out (the mask of Immerkaer, Fast noise variance estimation, Computer
Vision and Image Understanding 64, 1996), by channel and brightness.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.later import ndimage

Array = NDArray[Any]

ONCE_PX, AGAIN_PX = 1.0, 2.4  # how far edges are blurred, and how far for comparison
MASK_PX = (
    0.59  # how soft a pixel and the mask of a slope are themselves: measured on edges of known softness
)
STEEP = 0.9  # of all slopes: the steepest tell
SHARPEST = 0.3  # of the edges, from the sharpest on: what is not an edge is softer
LEAST_EDGES, LEAST_SLOPE = 40, 0.012
LEAST_PX, MOST_PX = 0.35, 12.0  # a lens and a sensor are never sharper than a third of a pixel
BINS, CELL = 8, 8  # steps of brightness; pixels of a place
EVEN, OF_EVEN = (
    0.25,
    0.845,
)  # of the places of a brightness the most even tell; what they show of white noise
LEAST_PLACES = 12
MASK = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], float)


def softness(pixels: Array, where: Array | None = None) -> float | None:
    """How soft a photo is, as the standard deviation of a Gaussian, pixels: (h, w, 3) uint8; ``where``
    (h, w) bool: only there. None where no edge tells."""
    grey = (pixels.astype(np.float32) / 255) @ LUMA.astype(np.float32)
    once, again = (_slope(ndimage.gaussian_filter(grey, px)) for px in (ONCE_PX, AGAIN_PX))
    looked = np.ones(grey.shape, bool) if where is None else where.copy()
    looked[[0, 1, -2, -1]] = looked[:, [0, 1, -2, -1]] = False
    if looked.sum() < LEAST_EDGES:
        return None
    limit = max(float(np.quantile(once[looked], STEEP)), LEAST_SLOPE)
    # only where it is steepest across the edge
    edges = looked & (once >= limit) & (once >= ndimage.maximum_filter(once, 3) * 0.999)
    if edges.sum() < LEAST_EDGES:
        return None
    ratio = once[edges] / np.maximum(again[edges], 1e-6)
    ratio = ratio[ratio > 1.001]
    if len(ratio) < LEAST_EDGES:
        return None
    # an edge of spread s is as steep as 1 / sqrt(s² + blur²)
    square = (AGAIN_PX**2 - ratio**2 * ONCE_PX**2) / (ratio**2 - 1)
    found = np.sqrt(np.maximum(square - MASK_PX**2, 0))
    return float(np.clip(np.quantile(found, SHARPEST), LEAST_PX, MOST_PX))


def _slope(grey: Array) -> Array:
    across, down = (ndimage.sobel(grey, axis=axis) / 8 for axis in (1, 0))
    return np.asarray(np.hypot(across, down))


def grain(pixels: Array) -> Array:
    """The grain of a photo (h, w, 3) uint8: its standard deviation in steps of 255, (BINS, 3) by brightness
    from dark to light."""
    values = pixels.astype(np.float32)
    height, width = (side // CELL * CELL for side in pixels.shape[:2])
    found = np.full((BINS, 3), np.nan)
    light = _cells(values[:height, :width] @ LUMA.astype(np.float32)).mean(axis=1)
    which = np.minimum((light / 256 * BINS).astype(int), BINS - 1)
    for channel in range(3):
        left = ndimage.convolve(values[..., channel], MASK, mode="nearest")[:height, :width]
        # the mask's squares sum to 36
        spread = np.sqrt((_cells(left) ** 2).mean(axis=1) / np.sum(MASK**2))
        for step in range(BINS):
            mine = spread[which == step]
            if len(mine) >= LEAST_PLACES:
                found[step, channel] = np.quantile(mine, EVEN) / OF_EVEN
        known = np.flatnonzero(np.isfinite(found[:, channel]))
        if not len(known):
            return np.zeros((BINS, 3))
        found[:, channel] = np.interp(np.arange(BINS), known, found[known, channel])
    return found


def _cells(values: Array) -> Array:
    """An array (h, w) in places of CELL x CELL, (n, CELL²)."""
    rows, columns = values.shape[0] // CELL, values.shape[1] // CELL
    split = values.reshape(rows, CELL, columns, CELL).swapaxes(1, 2)
    return np.asarray(split.reshape(rows * columns, CELL * CELL))


def grained(pixels: Array, cover: Array, by: Array, amount: float, seed: int = 0) -> Array:
    """A picture (h, w, 3) uint8 with grain (BINS, 3) where a piece covers it, (h, w) 0..1. Another ``seed``
    makes other grain."""
    if amount <= 0 or not by.any():
        return pixels
    rng = np.random.default_rng(11 + seed)
    values = pixels.astype(np.float32)
    light = (values @ LUMA.astype(np.float32)) / 256 * BINS - 0.5
    deviation = np.stack([np.interp(light, np.arange(BINS), by[:, k]) for k in range(3)], axis=-1)
    noise = rng.standard_normal(values.shape, dtype=np.float32) * deviation * cover[..., None] * amount
    return np.asarray(np.rint(np.clip(values + noise, 0, 255)).astype(np.uint8))
