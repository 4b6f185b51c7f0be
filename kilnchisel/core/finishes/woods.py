"""Woods: the figure of their growth rings, their pores, and what fire does to them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.finishes.noise import grey, kept, noise, relief_texture
from kilnchisel.core.later import ndimage, spatial

Array = NDArray[Any]

SIZE = 1024
TILE_MM = 160.0
RINGS_MM = 11.0  # of the wood under paint


def wood(ring_mm: float, pores_percent: float) -> Texture:
    """A wood by the width of its rings and how open its pores are; to the next whole ring of a tile."""
    rings = max(round(TILE_MM / ring_mm), 3)
    return _wood(rings, round(pores_percent / 5) * 5)


@kept
def _wood(rings: int, pores_percent: int) -> Texture:
    figure, pores, height = _figure(SIZE, 41, rings, pores_percent / 50)
    tint = np.clip(1.0 - 0.16 * figure - 0.20 * np.minimum(pores, 1), 0.4, 1.0)
    return relief_texture(TILE_MM, grey(tint), height)


@kept
def charred() -> Texture:
    """Charred wood: black scales between cracks across the grain and along it, silvery on top."""
    size = SIZE
    rng = np.random.default_rng(191)
    spots = rng.uniform(0, size, (420, 2))
    grid = np.stack(np.meshgrid(np.arange(size), np.arange(size)), -1).reshape(-1, 2) + 0.5
    wide = (1.0, 2.1)  # scales are twice as long as broad
    bend = 9 * noise(size, 192, 2, 30, 0.8).reshape(-1, 1)
    box = (size * wide[0], size * wide[1])
    places = (grid + bend) % size * wide
    near = spatial.cKDTree(spots * wide, boxsize=box).query(places, k=2)[0]
    gap = ((near[:, 1] - near[:, 0]) / 26).reshape(size, size)
    scale = np.clip(gap, 0, 1) ** 0.5
    height = ndimage.gaussian_filter(0.7 * scale, 1.2, mode="wrap") + 0.06 * noise(
        size, 193, 20, 300, 0.4, along=6
    )
    tint = 0.25 + 0.75 * scale + 0.25 * np.clip(noise(size, 194, 10, 200, 0.4, along=6), 0, 2) * scale
    return relief_texture(TILE_MM, grey(np.clip(tint / tint.mean(), 0.1, 2.0)), height)


def _figure(
    size: int, seed: int, rings: int = 14, open_: float = 1.0, share: float = 1.0
) -> tuple[Array, Array, Array]:
    """Growth rings cut lengthwise (0..1), pores (0..1, more where they are ``open_``), relief (mm).
    ``share``: of a whole tile that is seen."""
    v = np.linspace(0, 1, size, endpoint=False)[:, None]
    bend = 0.77 / rings * noise(size, seed, 1, 3, 1.0, along=2.5) + 0.006 * noise(
        size, seed + 1, 3, 30, 1, along=10
    )
    wave = 0.5 + 0.5 * np.sin(2 * np.pi * rings * (v + bend))
    figure = wave**2.2 * (0.75 + 0.25 * np.tanh(noise(size, seed + 2, 2, 20, 0.8, along=6)))
    raw = noise(size, seed + 3, 60 * share, 480, 0.1, along=26)
    pores = open_ * np.clip((raw - 1.15) / 1.2, 0, 1)
    height = -0.035 * pores + 0.012 * figure + 0.004 * noise(size, seed + 4, 30, 300, 0.3, along=12)
    return figure, pores, height


@kept
def oak_boards(tile: float = 400.0, size: int = SIZE) -> Texture:
    """An oiled oak table top: boards 100 mm wide along u, each from another part of the tree."""
    boards = round(tile / 100)
    light, dark = np.array(hex_to_linear("#b8997a")), np.array(hex_to_linear("#866a4e"))
    tint = np.empty((size, size, 3))
    height = np.empty((size, size))
    step = size // boards
    rng = np.random.default_rng(50)
    for board in range(boards):
        figure, pores, relief = _figure(size, 51 + 10 * board, round(14 * tile / 400), share=tile / 400)
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
    return relief_texture(tile, np.clip(tint * soft, 0.01, 0.9), height)
