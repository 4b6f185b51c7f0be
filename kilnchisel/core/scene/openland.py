"""A clear sky over open land: what is seen behind large things out of doors, sharp as far as the horizon.

The camera is balanced for the sun, not for the sky, so that the sky is as blue as it is; the land is lit by
both. Two far rows of hills and trees stand before it, the farther one more in the haze.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, light_of_kelvin

Array = NDArray[Any]

# by the room: how much more light than from the sky comes to level ground from the sun, about 3 to 1 with
# the sun half up, and less than the sky's towards evening (common knowledge), and the sun's kelvin
OPEN_SKIES = {"clear sky": (3.0, 5400.0), "evening sky": (0.7, 3900.0)}
FINER = 4  # the sky is smooth, what stands before it is not
LAND = np.array([0.31, 0.3, 0.265])  # reflectance of bare pale ground
WOODS = np.array([0.05, 0.075, 0.04])
HAZE_DEG = 0.25  # below the horizon: how far haze reaches
# rows of hills and trees, the farthest first: how high, degrees, how that goes up and down round about
# (from, to: in waves), and how much haze is before them
ROWS = ((0.55, (3, 40), 0.72), (0.34, (14, 420), 0.42))
SEED = 21


def over_land(sky: Array, sun: float, kelvin: float) -> Array:
    """An all-round picture (h, w, 3) of a sky whose lower half is open land, a white sheet lying below it
    returning 1. ``sun``: how many times the sky's own light the sun adds on the ground, and its colour."""
    height, width = (FINER * n for n in sky.shape[:2])
    middle, step = height // 2, 180 / height
    up = 90 - (np.arange(height) + 0.5) * step
    upper = _finer(sky[: len(sky) // 2])
    upper[-FINER:] = upper[-FINER - 1]  # no land has been mixed in
    weight = np.sin(np.radians(up)) * np.cos(np.radians(up)) * np.radians(step) * 2 * np.pi / width
    sheet = (upper.sum(axis=1) * weight[:middle, None]).sum(axis=0) / np.pi
    lit = sheet + sun * float(sheet @ LUMA) * light_of_kelvin(kelvin)
    haze = upper[-1]
    clear = 1 - np.exp(up[middle:] / HAZE_DEG)[:, None, None]
    picture = np.concatenate([upper, haze + clear * (LAND * lit - haze)])
    rng = np.random.default_rng(SEED)
    for high, (first, last), hazy in ROWS:
        top = high * _waves(rng, width, first, last)
        rows = slice(int(np.argmax(up < top.max() + step)), middle + 1)
        cover = np.clip((top - up[rows, None]) / step + 0.5, 0, 1)[..., None]
        picture[rows] += cover * (hazy * haze + (1 - hazy) * WOODS * lit - picture[rows])
    return np.asarray(picture / float(sheet @ LUMA))


def _finer(sky: Array) -> Array:
    """The upper half of a sky with FINER times as many pixels each way, straight from one to the next."""
    round_ = np.concatenate([sky[:, -1:], sky, sky[:, :1]], axis=1)
    near = np.concatenate([round_[:1], round_, round_[-1:]])
    share = (np.arange(FINER) + 0.5) / FINER - 0.5  # of the way from a pixel's middle to the next one's
    for axis in (0, 1):
        own, before, after = (
            np.moveaxis(near, axis, 0)[k] for k in (slice(1, -1), slice(-2), slice(2, None))
        )
        steps = [own + abs(t) * ((after if t > 0 else before) - own) for t in share]
        near = np.moveaxis(np.stack(steps, axis=1).reshape(-1, *own.shape[1:]), 0, axis)
    return np.ascontiguousarray(near)


def _waves(rng: np.random.Generator, width: int, first: int, last: int) -> Array:
    """A height about 1 that goes up and down round about, (width,)."""
    turn = (np.arange(width) + 0.5) / width * 2 * np.pi
    many = np.unique(np.geomspace(first, last, 28).round())
    size, phase = many**-0.55, rng.uniform(0, 2 * np.pi, len(many))
    found = (size[:, None] * np.cos(many[:, None] * turn + phase[:, None])).sum(axis=0)
    return np.asarray(np.maximum(1 + 0.42 * found / found.std(), 0.12))
