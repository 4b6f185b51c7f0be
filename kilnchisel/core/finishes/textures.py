"""Procedural textures, tileable by construction: noise is made in the frequency domain.

Each function takes a size in pixels and returns a Texture; the same seed gives the same texture.
"""

from __future__ import annotations

import contextlib
import os
import zipfile
from collections.abc import Callable
from functools import cache, wraps
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.paths import cache_folder

Array = NDArray[Any]

SIZE = 1024
RECIPE = 3  # raise it when a texture changes: kept copies are then made again


def kept(make: Callable[[], Texture]) -> Callable[[], Texture]:
    """Make a texture once a process, and read it back from the cache folder at later starts."""

    @cache
    @wraps(make)
    def once() -> Texture:
        path = cache_folder() / f"texture-{make.__name__}-{RECIPE}.npz"
        texture = _read(path)
        if texture is None:
            texture = make()
            _write(path, texture)
        return texture

    return once


def _read(path: Path) -> Texture | None:
    try:
        with np.load(path) as store:
            return Texture(
                float(store["tile_mm"]),
                store["tint"].astype(np.float32),
                store["slope"].astype(np.float32),
            )
    except (OSError, KeyError, ValueError, zipfile.BadZipFile):
        return None  # not there or cut short: it is made again


def _write(path: Path, texture: Texture) -> None:
    part = path.with_suffix(f".{os.getpid()}.tmp")
    with contextlib.suppress(OSError):  # a full disk costs time at the next start, nothing else
        with part.open("wb") as file:
            np.savez(
                file,
                tile_mm=texture.tile_mm,
                tint=texture.tint.astype(np.float16),
                slope=texture.slope.astype(np.float16),
            )
        part.replace(path)


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


def _texture(tile_mm: float, tint: Array, height_mm: Array) -> Texture:
    return Texture(tile_mm, tint.astype(np.float32), slope_of(height_mm, tile_mm).astype(np.float32))


def _grey(values: Array) -> Array:
    return np.repeat(values[..., None], 3, axis=-1)


@kept
def enamel() -> Texture:
    """The faint waviness of fired glass, and a breath of unevenness in its colour."""
    size = 512
    tile = 60.0
    wave = 0.0045 * noise(size, 11, 2, 24, 1.2)
    tint = 1.0 + 0.006 * noise(size, 12, 1, 60, 0.7)
    return _texture(tile, _grey(np.clip(tint, 0.9, 1.05)), wave)


@kept
def metal_brushed() -> Texture:
    """Long fine scratches along u."""
    size = SIZE
    tile = 60.0
    lines = 0.6 * noise(size, 21, 20, 500, 0.15, along=60) + 0.4 * noise(size, 22, 6, 120, 0.4, along=30)
    tint = 1.0 + 0.035 * noise(size, 23, 20, 500, 0.2, along=60)
    return _texture(tile, _grey(np.clip(tint, 0.85, 1.0)), 0.0042 * lines)


@kept
def metal_satin() -> Texture:
    """The uneven polish of a hand-finished plate: broad waves, few scratches."""
    size = SIZE
    tile = 90.0
    waves = 0.008 * noise(size, 31, 2, 12, 1.3) + 0.0012 * noise(size, 32, 40, 400, 0.3, along=8)
    tint = 1.0 + 0.02 * noise(size, 33, 2, 60, 0.9)
    return _texture(tile, _grey(np.clip(tint, 0.88, 1.0)), waves)


@kept
def wood_grain() -> Texture:
    """Bare-wood relief and figure in grey, for under paint: pores and growth lines along u."""
    size = SIZE
    tile = 160.0
    figure, pores, height = _figure(size, 41)
    tint = np.clip(1.0 - 0.16 * figure - 0.20 * pores, 0.4, 1.0)
    return _texture(tile, _grey(tint), height)


def _figure(size: int, seed: int) -> tuple[Array, Array, Array]:
    """Growth rings cut lengthwise (0..1), pores (0..1), relief (mm)."""
    v = np.linspace(0, 1, size, endpoint=False)[:, None]
    bend = 0.055 * noise(size, seed, 1, 3, 1.0, along=2.5) + 0.006 * noise(
        size, seed + 1, 3, 30, 1, along=10
    )
    rings = 0.5 + 0.5 * np.sin(2 * np.pi * (14 * (v + bend)))
    figure = rings**2.2 * (0.75 + 0.25 * np.tanh(noise(size, seed + 2, 2, 20, 0.8, along=6)))
    raw = noise(size, seed + 3, 60, 480, 0.1, along=26)
    pores = np.clip((raw - 1.15) / 1.2, 0, 1)
    height = -0.035 * pores + 0.012 * figure + 0.004 * noise(size, seed + 4, 30, 300, 0.3, along=12)
    return figure, pores, height


@kept
def oak_boards() -> Texture:
    """An oiled oak table top: boards 100 mm wide along u, each from another part of the tree."""
    size = SIZE
    tile, boards = 400.0, 4
    light, dark = np.array(hex_to_linear("#b8997a")), np.array(hex_to_linear("#866a4e"))
    tint = np.empty((size, size, 3))
    height = np.empty((size, size))
    step = size // boards
    rng = np.random.default_rng(50)
    for board in range(boards):
        figure, pores, relief = _figure(size, 51 + 10 * board)
        rows = slice(board * step, (board + 1) * step)
        start = int(rng.integers(0, size - step))
        piece = slice(start, start + step)
        mix = np.clip(0.18 + 0.62 * figure[piece] + 0.05 * rng.standard_normal(), 0, 1)[..., None]
        shade = 1.0 + 0.10 * rng.standard_normal()
        colour = (light * (1 - mix) + dark * mix) * shade * (1 - 0.45 * pores[piece][..., None])
        tint[rows] = colour
        height[rows] = relief[piece]
        gap = np.exp(-((np.arange(step) / (size * 0.6 / tile)) ** 2))[:, None]
        tint[rows] *= (1 - 0.72 * gap)[..., None]
        height[rows] -= 0.12 * gap
    soft = 1.0 + 0.05 * noise(size, 97, 1, 10, 1.0)[..., None]
    return _texture(tile, np.clip(tint * soft, 0.01, 0.9), height)


@kept
def slate() -> Texture:
    """Riven slate: low steps and ripples, fine grain, grey with a little blue and rust."""
    size = SIZE
    tile = 220.0
    broad = noise(size, 61, 1, 9, 1.4)
    steps = np.tanh(3.0 * np.sin(2.2 * broad)) * 0.05
    height = (
        0.16 * broad
        + steps
        + 0.022 * noise(size, 62, 12, 220, 0.9)
        + 0.006 * noise(size, 63, 150, 500, 0.2)
    )
    shade = 1.0 + 0.10 * noise(size, 64, 2, 40, 0.9) + 0.08 * noise(size, 65, 100, 500, 0.1)
    warm = np.clip(noise(size, 66, 1, 8, 1.2), 0, 3)[..., None] * np.array([0.05, 0.025, 0.0])
    tint = _grey(shade) * np.array([0.97, 1.0, 1.05]) + warm
    return _texture(tile, np.clip(tint, 0.5, 1.6), height * 0.55)


@kept
def fibre() -> Texture:
    """Card and plaster: fine unevenness."""
    size = 512
    tile = 120.0
    height = 0.018 * noise(size, 71, 30, 250, 0.5) + 0.03 * noise(size, 72, 2, 14, 1.0)
    tint = 1.0 + 0.018 * noise(size, 73, 4, 200, 0.5)
    return _texture(tile, _grey(np.clip(tint, 0.9, 1.06)), height)


@kept
def weave() -> Texture:
    """Plain weave, 8 threads a centimetre, no two threads alike."""
    size = SIZE
    tile, threads = 40.0, 32
    u = np.arange(size) / size * threads
    warp, weft = np.meshgrid(u, u)
    over = (np.floor(warp) + np.floor(weft)) % 2
    round_u = np.sqrt(np.clip(1 - (2 * (warp % 1) - 1) ** 2, 0, 1))
    round_v = np.sqrt(np.clip(1 - (2 * (weft % 1) - 1) ** 2, 0, 1))
    height = np.where(over > 0, round_u * (0.6 + 0.4 * round_v), round_v * (0.6 + 0.4 * round_u))
    rng = np.random.default_rng(81)
    own = rng.normal(1, 0.06, (2, threads))
    shade = np.where(
        over > 0, own[0][np.floor(warp).astype(int) % threads], own[1][np.floor(weft).astype(int) % threads]
    )
    tint = shade * (0.62 + 0.38 * height) + 0.02 * noise(size, 82, 40, 400, 0.2)
    return _texture(tile, _grey(np.clip(tint / tint.mean(), 0.4, 1.4)), 0.16 * height)


@kept
def rough_stone() -> Texture:
    """Brick and mortar: pits, grit, and a mottled firing."""
    size = SIZE
    tile = 460.0
    pits = np.clip(noise(size, 91, 60, 420, 0.4) - 1.2, 0, 2)
    height = 0.5 * noise(size, 92, 6, 90, 1.0) - 0.55 * pits + 0.12 * noise(size, 93, 120, 500, 0.1)
    mottle = 1.0 + 0.13 * noise(size, 94, 2, 14, 0.9) + 0.07 * noise(size, 95, 30, 400, 0.3) - 0.16 * pits
    warm = 0.05 * noise(size, 96, 2, 9, 1.0)
    tint = _grey(mottle) + np.stack([warm, np.zeros_like(warm), -warm], axis=-1)
    return _texture(tile, np.clip(tint, 0.45, 1.5), 0.6 * height)


@kept
def pebbled() -> Texture:
    """Leather: a fine pebble of rounded cells between creases, deeper ones darker."""
    size = SIZE
    tile = 60.0
    cells = noise(size, 121, 28, 60, 0.2)
    pebble = np.tanh(1.6 * cells) - 0.35 * np.clip(-cells - 0.3, 0, 2)
    height = 0.05 * pebble + 0.012 * noise(size, 122, 60, 400, 0.4) + 0.06 * noise(size, 123, 1, 6, 1.0)
    tint = 1.0 + 0.07 * np.tanh(cells) + 0.05 * noise(size, 124, 1, 10, 1.0)
    return _texture(tile, _grey(np.clip(tint, 0.6, 1.25)), height)


@kept
def granite() -> Texture:
    """Dressed stone: grains of three shades, hardly any relief."""
    size = SIZE
    tile = 180.0
    grains = noise(size, 131, 24, 160, 0.5)
    dark = np.clip(noise(size, 132, 40, 220, 0.3) - 1.3, 0, 1.5)
    light = np.clip(noise(size, 133, 40, 220, 0.3) - 1.5, 0, 1.5)
    tint = 1.0 + 0.09 * grains - 0.38 * dark + 0.22 * light + 0.04 * noise(size, 134, 1, 8, 1.0)
    height = 0.008 * grains + 0.004 * noise(size, 135, 100, 500, 0.2)
    return _texture(tile, _grey(np.clip(tint, 0.3, 1.5)), height)


@kept
def turf() -> Texture:
    """Grass from some way off: tufts, and patches drier than others."""
    size = SIZE
    tile = 2600.0
    tufts = noise(size, 101, 40, 500, 0.5)
    patches = noise(size, 102, 1, 9, 1.1)
    shade = 1.0 + 0.26 * tufts + 0.10 * patches
    dry = np.clip(0.12 * patches, -0.2, 0.3)
    tint = np.stack([shade * (1 + dry), shade, shade * (1 - 0.6 * dry)], axis=-1)
    return _texture(tile, np.clip(tint, 0.25, 1.9), 9.0 * tufts)


@kept
def asphalt() -> Texture:
    """A road's surface: grains of stone in dark binder."""
    size = SIZE
    tile = 700.0
    grain = noise(size, 111, 60, 500, 0.1)
    worn = noise(size, 112, 1, 8, 1.2)
    tint = 1.0 + 0.22 * grain + 0.10 * worn
    return _texture(tile, _grey(np.clip(tint, 0.4, 1.8)), 0.5 * np.tanh(grain))
