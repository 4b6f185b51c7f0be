"""How much of a surface something covers: scratches, flecks, patina. Tiles, made of noise and lines."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from kilnchisel.core.finishes.material import Amount
from kilnchisel.core.finishes.noise import noise, smooth_step
from kilnchisel.core.later import ndimage
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

SIZE = 1024
SCRATCH_TILE_MM = 70.0  # a texel is 0.07 mm, about as wide as a scratch that is seen
MOST_SCRATCHES = 420
FLECK_TILE_MM = 12.0


def evenly(share: float) -> Amount:
    """The same everywhere, 0..1."""
    return _even(round(share, 3))


@remembered
def _even(share: float) -> Amount:
    return Amount(np.full((2, 2), share, dtype=np.float32), (10.0, 10.0))


@remembered
def scratches(percent: float, seed: int) -> Amount:
    """Fine scratches, most of them short and faint, some long; more of them with the percentage."""
    rng = np.random.default_rng([seed, 201])
    count = round(MOST_SCRATCHES * (percent / 100) ** 1.5) + 3
    drawn = np.zeros((SIZE, SIZE), dtype=np.float32)
    for strength, share, long in ((0.16, 0.62, 0.05), (0.35, 0.28, 0.1), (0.75, 0.1, 0.3)):
        sheet = Image.new("L", (3 * SIZE, 3 * SIZE))
        pen = ImageDraw.Draw(sheet)
        for _ in range(max(round(count * share), 1)):
            start = rng.uniform(SIZE, 2 * SIZE, 2)
            length = min(rng.exponential(long), 0.9) * SIZE
            way, bow = rng.uniform(0, 2 * np.pi), rng.normal(0, 0.25)
            turn = way + bow * np.linspace(-0.5, 0.5, 9)
            steps = np.stack([np.cos(turn), np.sin(turn)], axis=1) * length / 8
            line = start + np.concatenate([[[0, 0]], np.cumsum(steps[:-1], axis=0)])
            pen.line([(float(x), float(y)) for x, y in line], fill=255, width=1)
        whole = np.asarray(sheet, dtype=np.float32).reshape(3, SIZE, 3, SIZE).max(axis=(0, 2)) / 255
        drawn = np.maximum(drawn, strength * whole)
    soft = np.clip(1.5 * ndimage.gaussian_filter(drawn, 0.6, mode="wrap"), 0, 1)
    return Amount(soft.astype(np.float32), (SCRATCH_TILE_MM, SCRATCH_TILE_MM))


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
