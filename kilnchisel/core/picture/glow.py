"""The veil round what shines: light scattered in the eye, added in linear light before the picture curve.

Kernel: Spencer, Shirley, Zimmerman and Greenberg, "Physically-Based Glare Effects for Digital Images",
1995, the photopic one (figures from memory; each of its parts integrates to 1).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.fourier import convolved
from kilnchisel.core.job.setting import Glow

Array = NDArray[Any]

WIDEST_DEG = 60.0


def scatter(degrees: Array) -> Array:
    """The photopic point spread of the eye, per steradian, at angles in degrees."""
    t = np.asarray(degrees, dtype=float)
    f0 = 2.61e6 * np.exp(-((t / 0.02) ** 2))
    f1 = 20.91 / (t + 0.02) ** 3
    f2 = 72.37 / (t + 0.02) ** 2
    return np.asarray(0.384 * f0 + 0.478 * f1 + 0.138 * f2)


@lru_cache(maxsize=8)
def kernel(pixel_deg: float, half: int, reach: float) -> Array:
    """The point spread over pixels, (2 half + 1, 2 half + 1), its sum 1. ``reach`` 1 is that of the eye.

    The middle pixel holds what the outer ones leave of the whole.
    """
    y, x = np.mgrid[-half : half + 1, -half : half + 1]
    away = np.hypot(x, y) * pixel_deg / reach
    solid = (np.radians(pixel_deg) / reach) ** 2
    with np.errstate(divide="ignore"):
        values = scatter(away) * solid
    # steep near the middle: the pixels next to it are averaged over
    fine = np.arange(-0.5 + 1 / 18, 0.5, 1 / 9)
    near = 3
    for j in range(-near, near + 1):
        for i in range(-near, near + 1):
            if i or j:
                spots = np.hypot(i + fine[None, :], j + fine[:, None]) * pixel_deg / reach
                values[half + j, half + i] = float(scatter(spots).mean()) * solid
    values[half, half] = 0.0
    rest = float(values.sum())
    if rest > 1:
        values /= rest
        rest = 1.0
    values[half, half] = 1.0 - rest
    return np.asarray(values)


def veil(light: Array, glow: Glow, degrees_high: float) -> Array:
    """What the glow adds to a linear picture (h, w, 3) that is so many degrees high: the light above the
    threshold spread out, less what it takes away. Its sum is nought but for what leaves the picture."""
    height, width = light.shape[:2]
    if glow.strength <= 0:
        return np.zeros_like(light)
    # the part above the threshold keeps the colour of the whole
    peak = light.max(axis=2, keepdims=True)
    over = light * np.maximum(1 - glow.threshold / np.maximum(peak, 1e-9), 0.0)
    if not over.any():
        return np.zeros_like(light)
    half = min(max(height, width), int(WIDEST_DEG / degrees_high * height) + 1)
    spread = kernel(degrees_high / height, half, glow.reach / 100)
    for channel in range(3):  # one after the other: a picture's transform is large
        over[..., channel] = convolved(over[..., channel], spread) - over[..., channel]
    return np.asarray(glow.strength / 100 * over)
