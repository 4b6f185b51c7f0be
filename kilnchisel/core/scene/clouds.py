"""High thin cloud of a fair day: ice that wind has drawn out, so thin that the blue comes through.

Made up: layers of smooth noise on a level sheet far up, bent by one another and drawn out along the wind;
the sheet is seen from below, so that clouds lie closer towards the horizon and go into the haze there.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.kept import Arrays, kept_arrays
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

RECIPE = 1  # raise it when clouds change: kept ones are then made again
SEED = 8
WIND_DEG = 24.0  # the way it is drawn out, from the picture's first column
DRAWN_OUT = 3.2  # how much longer than wide
SCALE = 0.8  # of a patch, in heights of the sheet
ROUGHER, OCTAVES = 0.56, 7  # of each finer layer, and how many there are
COVER, SOFT, MOST = 0.5, 0.34, 0.72  # from where on it is seen, how softly it begins, how thick it gets
LOWEST_DEG, CLEAR_DEG = 1.0, 6.0  # below the first there is haze alone; above the second none of it


@remembered
def cloud_over(rows: int, width: int) -> Array:
    """How much of the light of each pixel of a sky is a cloud's, (rows, width) from 0 on, the zenith first.
    It takes a second: made once, kept for the next start."""

    def made() -> Arrays:
        return {"thick": _thick(90 - (np.arange(rows) + 0.5) / rows * 90, width).astype(np.float32)}

    return np.asarray(kept_arrays("clouds", f"{rows}-{width}-{RECIPE}", made)["thick"])


def _thick(up: Array, width: int) -> Array:
    """The same of rows so high, degrees (rows,)."""
    rise = np.radians(np.maximum(up, LOWEST_DEG))[:, None]
    turn = (np.arange(width) + 0.5) / width * 2 * np.pi
    far = 1 / np.tan(rise)  # on a sheet one unit up
    x, y = far * np.sin(turn), far * np.cos(turn)
    wind = np.radians(WIND_DEG)
    along, across = x * np.sin(wind) + y * np.cos(wind), x * np.cos(wind) - y * np.sin(wind)
    noise = _Noise(np.random.default_rng(SEED))
    along, across = along / (SCALE * DRAWN_OUT), across / SCALE
    # what a pixel covers of the sheet, in patches: finer layers go where it covers all of them
    pixel = np.radians(abs(float(up[1] - up[0]))) / np.sin(rise) ** 2 / (SCALE * DRAWN_OUT)
    bend = noise.layers(along * 0.6 + 7.3, across * 0.6, 3, pixel)
    found = noise.layers(along + 0.9 * bend, across + 1.1 * bend, OCTAVES, pixel)
    patches = noise.layers(along * 0.22 + 3.1, across * 0.3 + 5.7, 2, 0.3 * pixel)
    thick = np.clip((found + 0.75 * patches - COVER + 0.5) / SOFT, 0, None)
    clear = np.clip((up - LOWEST_DEG) / (CLEAR_DEG - LOWEST_DEG), 0, 1)[:, None]
    return np.asarray(MOST * (1 - np.exp(-0.55 * thick**1.5)) * clear * clear * (3 - 2 * clear))


class _Noise:
    """Smooth noise in layers (gradient noise after Perlin, 1985), about 0, most of it within 0.5."""

    def __init__(self, rng: np.random.Generator) -> None:
        self._order = rng.permutation(256)
        ways = rng.uniform(0, 2 * np.pi, 256)
        self._ways = np.stack([np.cos(ways), np.sin(ways)])

    def layers(self, x: Array, y: Array, count: int, pixel: Array) -> Array:
        """``pixel``: how wide one is, in patches of the first layer."""
        total, size = np.zeros_like(x), 1.0
        for k in range(count):
            shown = np.clip(1.5 - 2 * pixel * 2.03**k, 0, 1)
            total = total + size * shown * self._one(x * 2.03**k + 17.1 * k, y * 2.03**k - 9.7 * k)
            size *= ROUGHER
        return total

    def _one(self, x: Array, y: Array) -> Array:
        left, low = np.floor(x), np.floor(y)
        u, v = x - left, y - low
        i, j = left.astype(int) & 255, low.astype(int) & 255
        fade_u, fade_v = (t * t * t * (t * (6 * t - 15) + 10) for t in (u, v))

        def corner(right: int, above: int) -> Array:
            own = self._order[(self._order[(i + right) & 255] + j + above) & 255]
            return np.asarray(self._ways[0][own] * (u - right) + self._ways[1][own] * (v - above))

        lower = corner(0, 0) + fade_u * (corner(1, 0) - corner(0, 0))
        upper = corner(0, 1) + fade_u * (corner(1, 1) - corner(0, 1))
        return np.asarray(lower + fade_v * (upper - lower))
