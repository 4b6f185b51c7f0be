"""Land below a sky; and a clear sky over open land: what is seen behind large things out of doors, sharp as
far as the horizon.

There the camera is balanced for the sun, not for the sky, so that the sky is as blue as it is; the land is
lit by both. Far hills stand before it, in the haze; woods are no part of the picture, which has too few
pixels for them (``trees``).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, light_of_kelvin
from kilnchisel.core.scene.clouds import cloud_over

Array = NDArray[Any]

LAND = np.array([0.31, 0.3, 0.265])  # reflectance of bare pale ground
FIELDS = np.array([0.14, 0.165, 0.062])  # and of grass
# by the room: how much more light than from the sky comes to level ground from the sun, about 3 to 1 with
# the sun half up, and less than the sky's towards evening (common knowledge), the sun's kelvin, the land
OPEN_SKIES = {
    "clear sky": (3.0, 5400.0, LAND),
    "evening sky": (0.7, 3900.0, LAND),
    "sky over fields": (3.0, 5400.0, FIELDS),
}
FINER = 4  # the sky is smooth, what stands before it is not
WOODS = np.array([0.05, 0.075, 0.04])
HAZE_DEG = 0.05  # below the horizon: how far haze reaches; woods end the land before it is lost in it
SOFT_LAND, SOFT_HAZE_DEG = np.array([0.27, 0.25, 0.2]), 1.6  # of land that is only seen out of focus
# hills: how high, degrees; how that goes up and down round about (from, to: in waves); the haze before them
HILLS_DEG, HILLS_WAVES, HILLS_HAZE = 0.5, (3, 40), 0.76
SEED = 21
# thin cloud sends down so much of what a white sheet there returns, and so much of the sky comes through
CLOUD, THROUGH = 0.42, 0.75


def lay_land(picture: Array, sheet: Array) -> None:
    """Land below a sky (h, w, 3), in its light: ``sheet`` (3,), what a white sheet lying there returns."""
    middle = len(picture) // 2
    haze = picture[middle - 3 : middle].mean(axis=(0, 1))
    picture[middle:] = _land(middle, sheet * SOFT_LAND, haze, SOFT_HAZE_DEG)


def _land(rows: int, land: Array, haze: Array, haze_deg: float) -> Array:
    """The lower half of an all-round picture, in haze towards the horizon."""
    down = (np.arange(rows) + 0.5) / rows * 90
    share = np.exp(-down / haze_deg)[:, None, None]
    return np.asarray(land * (1 - share) + haze * share)


def over_land(sky: Array, sheet: Array, sun: float, kelvin: float, land: Array) -> Array:
    """An all-round picture (h, w, 3) of a sky whose lower half is open land. ``sheet`` (3,): what a white
    sheet lying there returns of the sky; in the picture that is 1. ``sun``: how many times the sky's own
    light the sun adds on the ground, and its colour; ``land`` (3,): the land's reflectance."""
    upper = _finer(sky[: len(sky) // 2])
    upper[-FINER:] = upper[-FINER - 1]  # no land has been mixed in
    middle, width = upper.shape[:2]
    step = 90 / middle
    up = 90 - (np.arange(2 * middle) + 0.5) * step
    lit = sheet + sun * float(sheet @ LUMA) * light_of_kelvin(kelvin)
    haze = upper[-1]
    thick = cloud_over(middle, width)[..., None]
    clouded = upper + thick * (CLOUD * lit + (THROUGH - 1) * upper)
    # a level sheet gets as much light from it as from the clear sky
    level = np.sin(2 * np.radians(up[:middle]))[:, None]
    upper = clouded * ((upper @ LUMA * level).sum() / (clouded @ LUMA * level).sum())
    picture = np.concatenate([upper, _land(middle, land * lit, haze, HAZE_DEG)])
    top = HILLS_DEG * _waves(np.random.default_rng(SEED), width, *HILLS_WAVES)
    rows = slice(int(np.argmax(up < top.max() + step)), middle)
    cover = np.clip((top - up[rows, None]) / step + 0.5, 0, 1)[..., None]
    picture[rows] += cover * (HILLS_HAZE * haze + (1 - HILLS_HAZE) * WOODS * lit - picture[rows])
    return np.asarray(picture / float(sheet @ LUMA))


def _finer(sky: Array) -> Array:
    """The upper half of a sky with FINER times as many pixels each way, straight from one to the next: in a
    tenth of the time that looking it up by directions takes."""
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
