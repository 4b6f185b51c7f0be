"""How much of a surface something covers: scratches, flecks, patina. Tiles, made of noise and lines."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from kilnchisel.core.easing import smooth_step
from kilnchisel.core.finishes.material import Amount
from kilnchisel.core.finishes.noise import RECIPE, noise
from kilnchisel.core.kept import Arrays, kept_arrays
from kilnchisel.core.later import ndimage
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

SIZE = 1024
# a texel is 0.07 mm, about as wide as a scratch that is seen; the tile so wide that none is seen twice
SCRATCH_TILE_MM, SCRATCH_SIZE = 150.0, 2048
MOST_SCRATCHES = 1900
FLECK_TILE_MM = 12.0


def evenly(share: float) -> Amount:
    """The same everywhere, 0..1."""
    return _even(round(share, 3))


@remembered
def _even(share: float) -> Amount:
    return Amount(np.full((2, 2), share, dtype=np.float32), (10.0, 10.0))


def _kept(make: Callable[[float, int], Array], percent: float, seed: int, tile_mm: float) -> Amount:
    """A square tile made once and read back from the cache folder after that."""

    def made() -> Arrays:
        return {"values": make(percent, seed).astype(np.float16)}

    named = f"{make.__name__[1:]}-{percent:g}-{seed}-{RECIPE}"
    return Amount(kept_arrays("textures", named, made)["values"].astype(np.float32), (tile_mm, tile_mm))


@remembered
def scratches(percent: float, seed: int) -> Amount:
    """Fine scratches, most of them short and faint, some long; more of them with the percentage."""

    return _kept(_scratches, percent, seed, SCRATCH_TILE_MM)


def _scratches(percent: float, seed: int) -> Array:
    size = SCRATCH_SIZE
    rng = np.random.default_rng([seed, 201])
    count = round(MOST_SCRATCHES * (percent / 100) ** 1.5) + 12
    drawn = np.zeros((size, size), dtype=np.float32)
    for strength, share, long in ((0.16, 0.62, 0.024), (0.35, 0.28, 0.048), (0.75, 0.1, 0.14)):
        sheet = Image.new("L", (3 * size, 3 * size))
        pen = ImageDraw.Draw(sheet)
        for _ in range(max(round(count * share), 1)):
            start = rng.uniform(size, 2 * size, 2)
            length = min(rng.exponential(long), 0.9) * size
            way, bow = rng.uniform(0, 2 * np.pi), rng.normal(0, 0.25)
            turn = way + bow * np.linspace(-0.5, 0.5, 9)
            steps = np.stack([np.cos(turn), np.sin(turn)], axis=1) * length / 8
            line = start + np.concatenate([[[0, 0]], np.cumsum(steps[:-1], axis=0)])
            pen.line([(float(x), float(y)) for x, y in line], fill=255, width=1)
        whole = np.asarray(sheet).reshape(3, size, 3, size).max(axis=(0, 2)) > 0
        drawn = np.maximum(drawn, np.float32(strength) * whole)
    return np.asarray(np.clip(1.5 * ndimage.gaussian_filter(drawn, 0.6, mode="wrap"), 0, 1))


HAND_TILE_MM = 150.0
RIDGE_MM = 0.48  # from ridge to ridge of a finger: about 0.5 mm in grown people, common knowledge
MOST_PRINTS, MOST_SPECKS = 26, 2600


@remembered
def handled(percent: float, seed: int) -> Amount:
    """What hands and air leave on gloss: some fingerprints, a greasy film in patches, specks of dust; more
    of each with the percentage."""

    return _kept(_handled, percent, seed, HAND_TILE_MM)


def _handled(percent: float, seed: int) -> Array:
    share = percent / 100
    rng = np.random.default_rng([seed, 231])
    texel = HAND_TILE_MM / SIZE
    film = smooth_step(noise(SIZE, 232 + seed, 1, 24, 1.2), 0.5, 2.6)
    wander = 1.1 * noise(SIZE, 233 + seed, 4, 30, 1.0)
    prints = np.zeros((SIZE, SIZE))
    reach = round(16 / texel)
    y, x = np.mgrid[-reach:reach, -reach:reach] * texel
    for _ in range(round(MOST_PRINTS * share**0.7) + 2):
        row, column = rng.integers(0, SIZE, 2)
        rows, columns = (row + np.arange(-reach, reach)) % SIZE, (column + np.arange(-reach, reach)) % SIZE
        turn = rng.uniform(0, 2 * np.pi)
        u, v = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
        bent = wander[np.ix_(rows, columns)]
        # loops: ridges go up one side of a middle line and down the other, and lie flatter below
        loops = np.hypot(1.25 * u, np.maximum(v + 3, 0) * 0.8 + 0.25 * np.abs(u)) + 0.35 * bent
        ridges = 0.5 + 0.5 * np.sin(2 * np.pi * loops / RIDGE_MM)
        pad = smooth_step(1 - np.hypot(u / 7.5, v / 10.5) + 0.12 * bent, 0.0, 0.45)
        touch = rng.uniform(0.45, 1.0) * smooth_step(bent + rng.normal(0, 0.4), -1.8, 0.6)
        prints[np.ix_(rows, columns)] = np.maximum(
            prints[np.ix_(rows, columns)], touch * pad * (0.3 + 0.7 * ridges)
        )
    specks = np.zeros((SIZE, SIZE))
    count = round(MOST_SPECKS * share) + 40
    specks[rng.integers(0, SIZE, count), rng.integers(0, SIZE, count)] = rng.uniform(0.3, 1.0, count)
    dust = np.clip(3.2 * ndimage.gaussian_filter(specks, 0.6, mode="wrap"), 0, 1)
    grease = np.minimum(0.7 * prints + 0.16 * film, 1) * min(0.12 + 1.1 * share, 1)
    return np.asarray(np.maximum(grease, (0.25 + 0.5 * share) * dust))


@remembered
def flecks(share: float) -> Amount:
    """Small flakes lying about, covering ``share`` of the surface."""
    size = 512
    grain = noise(size, 211, 60, 250, 0.0)
    level = float(np.quantile(grain, 1 - share))
    return Amount(smooth_step(grain, level - 0.15, level + 0.15).astype(np.float32), (FLECK_TILE_MM,) * 2)


@remembered
def patches(percent: float, seed: int = 0) -> Amount:
    """What creeps over a metal in patches, thin at their borders: ``percent`` of it is covered."""
    cover = noise(SIZE, 221 + seed, 1, 60, 1.2) + 0.5 * noise(SIZE, 222 + seed, 8, 400, 0.5)
    level = float(np.quantile(cover, 1 - min(max(percent / 100, 0.001), 0.999)))
    thick = smooth_step(cover, level - 1.1, level + 1.0)
    return Amount((0.96 * thick).astype(np.float32), (260.0, 260.0))
