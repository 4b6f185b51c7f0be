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

RECIPE = 1  # to be raised when places are read in another way
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

    kept = kept_arrays("rooms", f"place-{name}-{RECIPE}", made, most=48)
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
    shown = np.asarray(base, np.float64) / 255
    stops = _smoothed(least + (most - least) * share, shown.mean(axis=2))
    return np.asarray((srgb_decode(shown) + OFFSET) * 2.0**stops - OFFSET)


EVEN_PIXELS, EVEN = 25, 0.02  # over what width a part is looked at, and what deviation makes it even


def _smoothed(stops: Array, shown: Array) -> Array:
    """The stops of a gain map (h, w, 3) with its coarse blocks smoothed away where the picture (h, w) is
    even, as a sky is."""
    mode = ("nearest", "wrap")

    def mean(one: Array) -> Array:
        return np.asarray(ndimage.uniform_filter(one, EVEN_PIXELS, mode=mode))

    spread = np.maximum(mean(shown * shown) - mean(shown) ** 2, 0)
    even = np.exp(-spread / EVEN**2)[..., None]
    # even up to the next edge: what is beyond it must not come in
    even = ndimage.minimum_filter(even, (EVEN_PIXELS, EVEN_PIXELS, 1), mode=(*mode, "nearest"))
    smooth = np.stack([mean(mean(stops[..., k])) for k in range(3)], axis=-1)
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
