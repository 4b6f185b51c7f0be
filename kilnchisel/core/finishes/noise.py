"""Noise that tiles, made in the frequency domain, and textures kept from one start to the next."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.kept import Arrays, kept_arrays
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

RECIPE = 8  # raise it when a texture changes: kept copies are then made again


def kept(make: Callable[..., Texture]) -> Callable[..., Texture]:
    """Make a texture once, keep it while it is used, and read it back from the cache folder after that."""

    @remembered
    @wraps(make)
    def once(*values: float) -> Texture:
        named = "-".join([make.__name__, *(f"{value:g}" for value in values)])

        def made() -> Arrays:
            texture = make(*values)
            found = {"tile_mm": np.array(texture.tile_mm), "tint": _half(texture.tint)}
            found |= {"slope": _half(texture.slope), "mean": texture.mean_tint}
            return found if texture.dull is None else found | {"dull": _half(texture.dull)}

        store = kept_arrays("textures", f"{named}-{RECIPE}", made)
        # the mean takes as long to find as all of it to read
        return Texture(
            float(store["tile_mm"]), store["tint"], store["slope"], store.get("dull"), store["mean"]
        )

    return once


def _half(values: Array) -> Array:
    return np.asarray(values.astype(np.float16))


def noise(size: int, seed: int, low: float, high: float, fall: float = 1.0, along: float = 1.0) -> Array:
    """Periodic noise, (size, size), zero mean and unit deviation.

    Frequencies between ``low`` and ``high`` cycles a tile, power falling as 1/f^fall;
    ``along`` > 1 draws the features out along u by that factor.
    """
    rng = np.random.default_rng(seed)
    fu = np.fft.rfftfreq(size, 1 / size)[None, :] * along
    fv = np.fft.fftfreq(size, 1 / size)[:, None]
    f = np.hypot(fu, fv)
    with np.errstate(divide="ignore"):
        gain = np.where((f >= low) & (f <= high), np.maximum(f, 1e-9) ** -fall, 0.0)
    field = np.fft.irfft2(np.fft.rfft2(rng.standard_normal((size, size))) * gain, s=(size, size))
    return np.asarray((field - field.mean()) / max(float(field.std()), 1e-12))


def slope_of(height_mm: Array, tile_mm: float) -> Array:
    """Gradient of a periodic height field: (h, w) mm -> (h, w, 2)."""
    step = tile_mm / height_mm.shape[0]
    du = (np.roll(height_mm, -1, axis=1) - np.roll(height_mm, 1, axis=1)) / (2 * step)
    dv = (np.roll(height_mm, -1, axis=0) - np.roll(height_mm, 1, axis=0)) / (2 * step)
    return np.stack([du, dv], axis=-1)


def relief_texture(tile_mm: float, tint: Array, height_mm: Array, dull: Array | None = None) -> Texture:
    """A texture of a tint (h, w, 3) and heights (h, w) mm."""
    dull = None if dull is None else dull.astype(np.float32)
    return Texture(tile_mm, tint.astype(np.float32), slope_of(height_mm, tile_mm).astype(np.float32), dull)


def grey(values: Array) -> Array:
    """Values (h, w) as equal red, green and blue."""
    return np.repeat(values[..., None], 3, axis=-1)
