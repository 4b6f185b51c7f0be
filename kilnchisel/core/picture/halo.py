"""The halo along edges that sharpening in a camera has left in a photo, and the same for what is put in.

An edge that was blurred by s and sharpened by unsharp masking of amount a and radius r shows at a distance
x from it (1 + a) F(x / s) - a F(x / sqrt(s² + r²)), F the normal distribution: the three are fitted to the
mean of the photo's steepest edges (the edge spread function of ISO 12233).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.later import ndimage, optimize, special
from kilnchisel.core.picture.likeness import softness

Array = NDArray[Any]

REACH, STEP = 8.0, 0.5  # pixels each way across an edge, and from sample to sample
LEVEL_FROM = 5.0  # pixels from the edge: so far away both sides are level
STEEPEST = 0.985  # of all slopes
LEAST_SLOPE = 1.0  # steps of 255 a pixel
MOST_EDGES, LEAST_EDGES = 4000, 60
CONTRAST, UNEVEN = 36.0, 0.08  # of both sides, steps of 255; how far a level may vary, of the contrast
CLIPPED = 6.0  # steps of 255 from black and white: what is cut off there tells nothing
LEAST_AMOUNT = 0.06  # less is not seen, and within what the fit leaves
LITTLE = 0.02  # an amount and a radius that do the same cannot be told apart: the smaller amount is taken
MOST_AMOUNT, LEAST_RADIUS, MOST_RADIUS = 4.0, 0.5, 4.0


@dataclass(frozen=True)
class Halo:
    """Unsharp masking: its amount, and its radius as the standard deviation of a Gaussian, pixels.
    ``softer``: how many times as soft as it looks a thing was before."""

    amount: float = 0.0
    radius: float = 1.0
    softer: float = 1.0

    def less(self, share: float) -> Halo:
        """A share of it."""
        return Halo(self.amount * share, self.radius, 1 + (self.softer - 1) * min(share, 1.0))


NONE = Halo()


def edge_spread(x: Array, spread: float, amount: float, radius: float) -> Array:
    """How an edge from 0 to 1 is seen at ``x`` pixels from it, blurred and sharpened."""
    wide = np.hypot(spread, radius)
    return np.asarray((1 + amount) * special.ndtr(x / spread) - amount * special.ndtr(x / wide))


def halo(pixels: Array) -> Halo:
    """The halo in a photo (h, w, 3) uint8; none where too few edges tell."""
    import cv2

    grey = (pixels.astype(np.float32)) @ LUMA.astype(np.float32)
    smooth = ndimage.gaussian_filter(grey, 1.0)
    across, down = (ndimage.sobel(smooth, axis=axis) / 8 for axis in (1, 0))
    slope = np.hypot(across, down)
    least = max(float(np.quantile(slope, STEEPEST)), LEAST_SLOPE)
    edge = (slope >= least) & (slope >= 0.999 * ndimage.maximum_filter(slope, 3))
    rim = int(REACH) + 2
    edge[:rim] = edge[-rim:] = edge[:, :rim] = edge[:, -rim:] = False
    y, x = np.nonzero(edge)
    if len(x) < LEAST_EDGES:
        return NONE
    if len(x) > MOST_EDGES:
        some = np.linspace(0, len(x) - 1, MOST_EDGES).astype(int)
        y, x = y[some], x[some]
    at = np.arange(-REACH, REACH + STEP / 2, STEP)
    way = np.stack([across[y, x], down[y, x]]) / slope[y, x]
    places = [np.float32(p[:, None] + w[:, None] * at) for p, w in zip((x, y), way, strict=True)]
    seen = cv2.remap(grey, places[0], places[1], cv2.INTER_CUBIC)
    low, high = seen[:, at <= -LEVEL_FROM], seen[:, at >= LEVEL_FROM]
    bottom, top = np.median(low, axis=1), np.median(high, axis=1)
    contrast = top - bottom
    even = np.maximum(low.std(axis=1), high.std(axis=1)) < UNEVEN * contrast
    inside = (seen.min(axis=1) > CLIPPED) & (seen.max(axis=1) < 255 - CLIPPED)
    told = (contrast > CONTRAST) & even & inside
    if told.sum() < LEAST_EDGES:
        return NONE
    profile = np.median((seen[told] - bottom[told, None]) / contrast[told, None], axis=0)
    fit = optimize.least_squares(
        lambda p: np.append(edge_spread(at - p[3], *p[:3]) - profile, LITTLE * p[1]),
        (0.9, 0.3, 1.2, 0.0),
        bounds=((0.3, 0.0, LEAST_RADIUS, -1.0), (5.0, MOST_AMOUNT, MOST_RADIUS, 1.0)),
    )
    amount, radius = float(fit.x[1]), float(fit.x[2])
    if amount < LEAST_AMOUNT:
        return NONE
    looks = softness(pixels)
    return Halo(amount, radius, 1.0 if looks is None else max(float(fit.x[0]) / looks, 1.0))


def sharpened(made: Array, seen: Array, cover: Array, hidden: Array | None, by: Halo) -> Array:
    """A picture (h, w, 3) uint8 in which what was put over what was ``seen`` is sharpened as that is.
    ``cover`` (h, w): how much of a pixel is what was put there; ``hidden``: how much stands before it.

    What is seen of the photo was sharpened once: of that only what changes by its new neighbours is done.
    """
    if by.amount <= 0:
        return made
    import cv2

    out = made.copy()
    for channel in range(3):
        edges = [
            one - cv2.GaussianBlur(one, (0, 0), by.radius)
            for one in (made[..., channel].astype(np.float32), seen[..., channel].astype(np.float32))
        ]
        more = by.amount * (edges[0] - (1 - cover) * edges[1])
        if hidden is not None:
            more *= 1 - hidden
        out[..., channel] = np.rint(np.clip(made[..., channel] + more, 0, 255))
    return out
