"""Places: pictures of all that is seen from one spot, in their full range, with the sun taken out of them.

A place's picture is a JPEG with a second one behind it that says by how much each part was darkened (a
gain map, as ISO 21496-1 describes it). Its sun is given as a light of its own: as a pixel of the picture
it would make noise and no sharp shadow.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, srgb_decode
from kilnchisel.core.kept import Arrays, kept_arrays
from kilnchisel.core.later import ndimage
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.ownplace import picture_of

Array = NDArray[Any]

RECIPE = 2  # to be raised when places are read in another way
OFFSET = 1 / 64  # of the gain map: what is added before and taken off after, both ways
SUNNY = 400.0  # so many times the mean is the sun, and no cloud
SUN_REACH = 4.0  # degrees round the brightest pixel that belong to it


@dataclass(frozen=True, eq=False)
class Sun:
    """The sun of a place: the azimuth of its picture and the elevation, degrees; light (3,), irradiance
    on a surface that faces it, in the place's own scale."""

    azimuth_deg: float
    elevation_deg: float
    light: Array

    @property
    def toward(self) -> Array:
        """The unit vector to it, as the picture lies."""
        azimuth, rise = np.radians(self.azimuth_deg), np.radians(self.elevation_deg)
        return np.array([np.sin(azimuth) * np.cos(rise), np.cos(azimuth) * np.cos(rise), np.sin(rise)])


@dataclass(frozen=True, eq=False)
class Place:
    """What is seen from all round: picture (h, w, 3), row 0 up, without its sun."""

    picture: Array
    sun: Sun | None


@remembered
def place(name: str) -> Place:
    """A shipped place by the name of its file."""
    return _kept(name, lambda: gain_mapped(RESOURCES / "lights" / "places" / f"{name}.jpg"))


@remembered
def place_taken_in(digest: str) -> Place:
    """A place of one's own by its digest. Raises KilnError where its picture is lost."""
    return _kept(digest[:24], lambda: picture_of(digest))


def _kept(name: str, read: Callable[[], Array]) -> Place:
    def made() -> Arrays:
        found = _without_sun(read())
        sun = found.sun
        told = np.zeros(5) if sun is None else np.array([sun.azimuth_deg, sun.elevation_deg, *sun.light])
        return {"picture": found.picture, "sun": told}

    kept = kept_arrays("places", f"{name}-{RECIPE}", made, most=24)
    told = kept["sun"]
    shines = bool(told[2:].any())
    return Place(kept["picture"], Sun(float(told[0]), float(told[1]), told[2:]) if shines else None)


def gain_mapped(path: Path) -> Array:
    """The linear light (h, w, 3) of a JPEG with a gain map: (base + 1/64) 2^gain - 1/64."""
    from PIL import Image

    raw = path.read_bytes()
    said = raw.decode("latin1")
    length = int(re.findall(r'Item:Length="(\d+)"', said)[-1])
    base = Image.open(io.BytesIO(raw), formats=["JPEG"]).convert("RGB")
    gains = Image.open(io.BytesIO(raw[-length:]), formats=["JPEG"]).convert("RGB").resize(base.size)
    least, most = _numbers(said, "GainMapMin", 0.0), _numbers(said, "GainMapMax", 1.0)
    share = (np.asarray(gains, np.float64) / 255) ** (1 / _numbers(said, "Gamma", 1.0))
    shown, stops = _without_blocks(np.asarray(base, np.float64) / 255, least + (most - least) * share)
    return np.asarray((srgb_decode(shown) + OFFSET) * 2.0**stops - OFFSET)


# half widths, pixels, and deviations of what is shown that count as nothing: for its lightness, its
# colours, the stops
LIGHTNESS, COLOURS, STOPS = (6, 0.012), (16, 0.03), (16, 0.03)
PLAIN = 0.08  # deviation of lightness up to which colours are taken together
DIM_STOPS, BRIGHT_STOPS = 1.2, 2.0  # what is brighter than the picture can show, a lamp or the sun, stays


def _without_blocks(shown: Array, stops: Array) -> tuple[Array, Array]:
    """A picture (h, w, 3), 0 to 1, and its stops without the blocks in which a JPEG keeps them: out of
    focus behind a piece they would be patches of colour in the sky."""
    light = shown @ JPEG_LUMA
    spread = np.maximum(_mean(light * light, LIGHTNESS[0]) - _mean(light, LIGHTNESS[0]) ** 2, 0)
    plain = np.exp(-spread / PLAIN**2)
    smooth = _guided(light, light, *LIGHTNESS)
    made = np.empty_like(shown)
    for k in range(3):
        colour = shown[..., k] - light
        made[..., k] = smooth + colour + (_guided(light, colour, *COLOURS) - colour) * plain
    width = 2 * STOPS[0] + 1
    most = ndimage.maximum_filter(stops.max(axis=2), width, mode=ROUND)
    dim = _mean(np.clip((BRIGHT_STOPS - most) / (BRIGHT_STOPS - DIM_STOPS), 0, 1), width // 3)[..., None]
    evened = np.stack([_guided(light, stops[..., k], *STOPS) for k in range(3)], axis=-1)
    kept = _smoothed(stops, shown.mean(axis=2))
    return np.clip(made, 0, 1), kept + (evened - kept) * dim


JPEG_LUMA = np.array([0.299, 0.587, 0.114])  # ITU-T T.871
ROUND = ("nearest", "wrap")  # the pictures go all round


def _mean(one: Array, half: int) -> Array:
    """The mean over a square of 2 half + 1 pixels."""
    return np.asarray(ndimage.uniform_filter(one, 2 * half + 1, mode=ROUND))


def _guided(guide: Array, values: Array, half: int, even: float) -> Array:
    """Values (h, w) as a line through what guides them, square by square, so that they keep its edges and
    no others (He, Sun, Tang, "Guided image filtering", 2010). ``even``: the deviation that is no edge."""
    means = _mean(guide, half), _mean(values, half)
    spread = _mean(guide * guide, half) - means[0] ** 2
    slope = (_mean(guide * values, half) - means[0] * means[1]) / (spread + even**2)
    return _mean(slope, half) * guide + _mean(means[1] - slope * means[0], half)


EVEN_PIXELS, EVEN = 25, 0.02  # over what width a part is looked at, and what deviation makes it even


def _smoothed(stops: Array, shown: Array) -> Array:
    """The stops of a gain map (h, w, 3) with its coarse blocks smoothed away where the picture (h, w) is
    even, as a sky is."""
    half = EVEN_PIXELS // 2
    spread = np.maximum(_mean(shown * shown, half) - _mean(shown, half) ** 2, 0)
    even = np.exp(-spread / EVEN**2)[..., None]
    # even up to the next edge: what is beyond it must not come in
    even = ndimage.minimum_filter(even, (EVEN_PIXELS, EVEN_PIXELS, 1), mode=(*ROUND, "nearest"))
    smooth = np.stack([_mean(_mean(stops[..., k], half), half) for k in range(3)], axis=-1)
    return np.asarray(stops + (smooth - stops) * even)


def _numbers(said: str, name: str, otherwise: float) -> Array:
    """A value of the gain map: one for all channels, or three."""
    alone = re.search(rf'hdrgm:{name}="([^"]+)"', said)
    if alone is not None:
        return np.full(3, float(alone.group(1)))
    listed = re.search(rf"<hdrgm:{name}>(.*?)</hdrgm:{name}>", said, re.DOTALL)
    if listed is None:
        return np.full(3, otherwise)
    return np.array([float(value) for value in re.findall(r"<rdf:li>([^<]+)<", listed.group(1))])


def _without_sun(picture: Array) -> Place:
    """The sun taken out of a picture, what is round it closed over."""
    height, width = picture.shape[:2]
    bright = picture @ LUMA
    rows = np.sin((np.arange(height) + 0.5) / height * np.pi)
    mean = float((bright * rows[:, None]).sum() / (rows.sum() * width))
    row, column = np.unravel_index(int(bright.argmax()), bright.shape)
    if bright[row, column] < SUNNY * mean:
        return Place(picture.astype(np.float32), None)
    elevation = 90 - (row + 0.5) / height * 180
    azimuth = (column + 0.5) / width * 360
    down, across = np.meshgrid(np.arange(height) - row, np.arange(width) - column, indexing="ij")
    across = (across + width // 2) % width - width // 2
    far = np.hypot(down, across * rows[row]) / height * 180
    there = far < SUN_REACH
    ring = np.median(picture[(far >= SUN_REACH) & (far < 1.6 * SUN_REACH)], axis=0)
    over = np.where(there[..., None], np.maximum(picture - ring, 0), 0.0)
    pixel = rows[:, None, None] * (np.pi / height) * (2 * np.pi / width)
    light = (over * pixel).sum(axis=(0, 1))
    left = picture - over
    soft = ndimage.gaussian_filter(left, (3, 3, 0), mode=("nearest", "wrap", "nearest"))
    left = np.where((far < 1.3 * SUN_REACH)[..., None], soft, left)
    return Place(left.astype(np.float32), Sun(float(azimuth), float(elevation), light))
