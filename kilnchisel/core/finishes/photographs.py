"""Surfaces from photographs, at their true size and without a visible repeat.

By example after Heitz and Neyret, "High-Performance By-Example Noise using a Histogram-Preserving Blending
Operator" (2018): the photograph's values are made Gaussian, patches from anywhere in it are blended so that
the variance stays, and the photograph's own histogram is given back. Their triangles are squares here, so
that the result itself can be laid side by side. For what has no pattern of its own; boards are dealt out
one by one instead.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import srgb_decode
from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.finishes.noise import kept, noise, relief_texture
from kilnchisel.core.later import ndimage, special
from kilnchisel.core.paths import RESOURCES

Array = NDArray[Any]

SIZE = 1280  # pixels of what is made, each way
SHARP = 3.0  # how quickly one patch gives way to the next


def photograph(name: str) -> Array:
    """A photograph's linear light, (h, w, 3), row 0 at its foot."""
    from PIL import Image

    with Image.open(RESOURCES / "textures" / f"{name}.jpg", formats=["JPEG"]) as picture:
        pixels = np.asarray(picture.convert("RGB"), np.float64) / 255
    return np.asarray(srgb_decode(pixels)[::-1])


def relief_of(name: str) -> Array:
    """The slopes (h, w, 2) of a picture of normals, green up."""
    from PIL import Image

    with Image.open(RESOURCES / "textures" / f"{name}.jpg", formats=["JPEG"]) as picture:
        normal = np.asarray(picture.convert("RGB"), np.float64)[::-1] / 255 * 2 - 1
    slope = -normal[..., :2] / np.maximum(normal[..., 2:], 0.2)
    return np.asarray(slope - slope.mean(axis=(0, 1)))


def spread_out(example: Array, mm: float, tile_mm: float, patches: int, seed: int) -> Array:
    """The example (h, w, c), ``mm`` wide, over a tile of SIZE pixels and ``tile_mm`` that itself repeats.

    ``patches``: how many there are each way. The first three channels get their histogram back.
    """
    _, width, channels = example.shape
    gauss, sorted_ = _gaussian(example[..., :3])
    flat = np.concatenate([gauss, example[..., 3:]], axis=2) if channels > 3 else gauss
    mean = flat.mean(axis=(0, 1))
    step = width / mm * tile_mm / SIZE  # example pixels a pixel
    if step > 1:  # what is finer than a pixel is averaged away first
        flat = ndimage.gaussian_filter(flat, (0.4 * step, 0.4 * step, 0), mode="wrap")
    flat = _at_scale(flat, step) - mean
    rng = np.random.default_rng(seed)
    starts = rng.integers(0, flat.shape[:2], (patches, patches, 2))
    edges = np.arange(patches + 1) * SIZE // patches
    blended = np.empty((SIZE, SIZE, channels), dtype=np.float32)
    for i in range(patches):
        rows = np.arange(edges[i], edges[i + 1])
        down = _turns((rows - edges[i] + 0.5) / len(rows))
        for j in range(patches):
            columns = np.arange(edges[j], edges[j + 1])
            across = _turns((columns - edges[j] + 0.5) / len(columns))
            total = np.zeros((len(rows), len(columns), channels))
            power = np.zeros((len(rows), len(columns), 1))
            for di in (0, 1):
                for dj in (0, 1):
                    start = starts[(i + di) % patches, (j + dj) % patches]
                    # counted from the corner of its own lattice point, so that it runs on over the seam
                    r = (rows - edges[i] - di * len(rows) + start[0]) % flat.shape[0]
                    c = (columns - edges[j] - dj * len(columns) + start[1]) % flat.shape[1]
                    weight = (down[di][:, None] * across[dj][None, :])[..., None]
                    total += weight * flat[np.ix_(r, c)]
                    power += weight**2
            blended[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1] = total / np.sqrt(power) + mean
    # slopes, and whatever else has a mean of nothing, keep their variance too; colours their histogram
    ranks = np.clip((special.ndtr(blended[..., :3]) * (len(sorted_) - 1)), 0, len(sorted_) - 1)
    for k in range(3):
        blended[..., k] = np.interp(ranks[..., k], np.arange(len(sorted_)), sorted_[:, k])
    return np.asarray(blended)


def _turns(share: Array) -> Array:
    """How much the patch before and the one after count at so much of the way, (2, n)."""
    return np.stack([(1 - share) ** SHARP, share**SHARP])


def _at_scale(flat: Array, step: float) -> Array:
    """The example (h, w, c) with its pixels ``step`` of themselves apart; it still meets itself."""
    height, width = (max(round(side / step), 2) for side in flat.shape[:2])
    rows = np.arange(height) * (flat.shape[0] / height)
    columns = np.arange(width) * (flat.shape[1] / width)
    at = _between(flat, rows)
    return np.moveaxis(_between(np.moveaxis(at, 1, 0), columns), 0, 1)


def _between(values: Array, at: Array) -> Array:
    """Rows of (n, ...) at places between them, the last followed by the first."""
    low = np.floor(at).astype(int)
    share = (at - low).reshape(-1, *[1] * (values.ndim - 1))
    return np.asarray(values[low % len(values)] * (1 - share) + values[(low + 1) % len(values)] * share)


def _gaussian(colours: Array) -> tuple[Array, Array]:
    """Each channel of (h, w, 3) as a standard Gaussian of the same order, and its sorted values."""
    flat = colours.reshape(-1, 3)
    count = len(flat)
    made = np.empty_like(flat)
    even = special.ndtri((np.arange(count) + 0.5) / count)
    for k in range(3):
        made[np.argsort(flat[:, k], kind="stable"), k] = even
    return made.reshape(colours.shape), np.sort(flat, axis=0)[:: max(count // 4096, 1)]


def _stuff(
    name: str, mm: float, tile_mm: float, seed: int, relief: float, *, slopes: bool = False
) -> Texture:
    """A photographed stuff over a tile; its tint about 1. ``relief``: mm of height between dark and
    light, or with ``slopes`` the share of its own picture of normals."""
    colours = photograph(name)
    example = np.concatenate([colours, relief * relief_of(f"{name}-relief")], axis=2) if slopes else colours
    patches = max(round(2.2 * tile_mm / mm), 3)
    made = spread_out(example, mm, tile_mm, patches, seed)
    tint = made[..., :3] / made[..., :3].mean(axis=(0, 1))
    tint = tint.astype(np.float32)
    if slopes:
        return Texture(tile_mm, tint, made[..., 3:].astype(np.float32))
    height = relief * (made[..., :3].mean(axis=2) / made[..., :3].mean() - 1)
    return relief_texture(tile_mm, tint, height)


@kept
def felt(tile_mm: float) -> Texture:
    """Felt: fibres that lie every way."""
    return _stuff("felt", 150.0, tile_mm, 301, 1.0, slopes=True)


@kept
def hide(tile_mm: float) -> Texture:
    """Leather with its grain."""
    return _stuff("leather", 150.0, tile_mm, 302, 1.0, slopes=True)


@kept
def paper(tile_mm: float) -> Texture:
    """Heavy paper."""
    return _stuff("paper", 200.0, tile_mm, 303, 0.25)


@kept
def roughcast(tile_mm: float) -> Texture:
    """A wall with a coat of coarse render."""
    return _stuff("roughcast", 600.0, tile_mm, 304, 5.0)


@kept
def gravel(tile_mm: float) -> Texture:
    """Crushed stone."""
    return _stuff("gravel", 500.0, tile_mm, 305, 7.0)


@kept
def moss(tile_mm: float) -> Texture:
    """Low growth on the ground of a wood."""
    return _stuff("moss", 1500.0, tile_mm, 306, 14.0)


@kept
def linen(tile_mm: float) -> Texture:
    """Linen: a plain weave of threads that swell and thin, no two alike, a slub here and there."""
    threads = round(tile_mm * 2.2)  # 22 a centimetre
    rng = np.random.default_rng(307)
    line = (np.arange(SIZE) + 0.5) / SIZE * threads
    wander = 0.18 * noise(SIZE, 308, 2, 40, 0.8), 0.18 * noise(SIZE, 309, 2, 40, 0.8)
    across = line[None, :] + wander[0]
    up = line[:, None] + wander[1]
    over = np.cos(np.pi * np.floor(across)) * np.cos(np.pi * np.floor(up)) > 0
    thick = (
        1 + 0.22 * noise(SIZE, 310, 1, 60, 0.6, along=0.2),
        1 + 0.22 * noise(SIZE, 311, 1, 60, 0.6, along=5),
    )
    round_ = [
        np.sqrt(np.clip(1 - (np.clip(2 * (one % 1) - 1, -1, 1) / np.clip(thick[k], 0.6, 1.3)) ** 2, 0, 1))
        for k, one in enumerate((across, up))
    ]
    height = np.where(over, round_[0] * (0.55 + 0.45 * round_[1]), round_[1] * (0.55 + 0.45 * round_[0]))
    own = rng.normal(1, 0.05, (2, threads + 1))
    shade = np.where(
        over,
        own[0][np.floor(across).astype(int) % threads],
        own[1][np.floor(up).astype(int) % threads],
    )
    tint = shade * (0.72 + 0.28 * height) * (1 + 0.02 * noise(SIZE, 312, 1, 12, 0.9))
    warm = 1 + 0.007 * noise(SIZE, 313, 1, 20, 0.8)[..., None] * np.array([1.0, 0.2, -1.2])
    folds = 0.9 * noise(SIZE, 314, 1, 4, 1.6)  # it never lies quite flat
    return relief_texture(
        tile_mm, np.clip((tint / tint.mean())[..., None] * warm, 0.3, 1.5), 0.05 * height + folds
    )


BOARD_MM = 112.0  # a board of the photograph, with its gap


@kept
def planks(tile_mm: float) -> Texture:
    """Weathered boards: each one of the photograph's, from anywhere along it, either way round; what is
    finer than the photograph shows is added by the grain of its light and dark."""
    source = photograph("planks")
    per = source.shape[1] / 8
    halves = [(4, 250), (262, 508)]
    boards = [
        source[a:b, round(k * per) + 1 : round((k + 1) * per) - 1] for a, b in halves for k in range(8)
    ]
    count = max(round(tile_mm / BOARD_MM), 2)
    rng = np.random.default_rng(315)
    mm = tile_mm / count
    tall_mm = 246 / 512 * 900.0 * 2.2  # a board of the photograph is drawn out: it has few knots
    made = np.zeros((SIZE, SIZE, 3))
    for number in range(count):
        board = boards[int(rng.integers(len(boards)))]
        if rng.random() < 0.5:
            board = board[:, ::-1]
        if rng.random() < 0.5:
            board = board[::-1]
        endless = np.concatenate([board, board[::-1]])  # there and back: it meets itself
        rounds = max(round(tile_mm / (2 * tall_mm)), 1)
        start = rng.uniform(0, len(endless))
        rows = np.arange(SIZE) / SIZE * rounds * len(endless) + start
        first, last = number * SIZE // count, (number + 1) * SIZE // count
        columns = np.linspace(0, board.shape[1] - 1, last - first)
        at = np.stack(np.meshgrid(rows, columns, indexing="ij"))
        for k in range(3):
            made[:, first:last, k] = ndimage.map_coordinates(endless[..., k], at, order=1, mode="grid-wrap")
    grain = noise(SIZE, 316, 20, 700, 0.35, along=0.04)
    ridges = noise(SIZE, 317, 60, 760, 0.2, along=0.03)
    made *= (1 + 0.16 * grain + 0.08 * ridges)[..., None]
    u = (np.arange(SIZE) + 0.5) / SIZE * count % 1
    gap = np.minimum(u, 1 - u) * mm  # mm from the edge of its board
    edge = np.clip(gap / 2.5, 0, 1)[None, :, None]
    made *= 0.12 + 0.88 * edge**1.5
    height = (
        0.5 * ridges * (gap > 3)[None, :] + 0.8 * grain - 7.0 * (1 - np.clip(gap / 5.0, 0, 1))[None, :] ** 2
    )
    return relief_texture(tile_mm, np.clip(made, 0.003, 1.0), 0.3 * height)
