"""Feet hidden in what grows on the ground of a photo: blades stand before the lowest part of a piece.

Found in the picture itself: where the lower edge of the piece meets ground that is as near as the piece is,
it stands on it; from there up to about the height of the blades the photo is seen, along the light and dark
of the blades that it shows there.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.later import ndimage

Array = NDArray[Any]

BLADE_MM = 9.0  # how wide what grows is seen to be: a few blades together
SEED = 7
FULL, GONE = 0.25, 1.0  # of the blades' height: up to there all is hidden, from there on nothing is
RAGGED = 0.35  # of their height: how much the line wanders with their length
TEXTURED = 0.22  # of their height: and with the light and dark of what the photo shows
DOWN = 0.4  # of their height: so far below a foot its shadow is hidden too
EDGE_PX = 3  # how far round a foot there may be pixels that it covers in part
TOUCHES, OFF_PX = 0.5, 1.5  # of the blades' height, and pixels: a foot no higher stands on its ground
UNLIKE = 2.5  # times: what goes away more or less steeply than most of the ground is none
BELOW = (2, 6)  # pixels below a foot, where its ground is looked at
LEAST_PX = 0.75
NARROW = 0.06  # of the blades' height: what stands on less is a slip of the edge
NOWHERE = 1e6


def hidden_by_grass(
    cover: Array, depth: Array, tall_mm: float, focal_px: float, seen: Array | None = None
) -> Array:
    """How much of each pixel blades stand before, (h, w) 0..1. ``cover`` (h, w): how much of it is piece;
    ``depth`` (h, w): how far ahead what is seen there is, mm; ``tall_mm``: of the blades; ``focal_px``: by
    which 1 mm at 1 mm is so many pixels; ``seen`` (h, w, 3) uint8: the photo there."""
    piece = cover > 0.5
    hidden = np.zeros(piece.shape)
    if not piece.any() or tall_mm <= 0:
        return hidden
    rows, columns, own, reach = _feet(piece, depth, tall_mm, focal_px)
    if not len(rows):
        return hidden
    # how far above the foot below it each pixel is, in heights of its blades
    up = np.full(piece.shape, NOWHERE)
    most = int(np.ceil(reach.max() * (GONE + RAGGED + TEXTURED))) + 2
    down = int(np.ceil(reach.max() * DOWN)) + EDGE_PX
    height = piece.shape[0]
    for row, column, tall in zip(rows, columns, reach, strict=True):
        low, high = max(row - most, 0), min(row + down + 1, height)
        here = (row - np.arange(low, high)) / tall
        nearer = np.abs(here) < np.abs(up[low:high, column])
        up[low:high, column][nearer] = here[nearer]
    tall = float(np.median(reach))
    known = up < NOWHERE
    # beside a foot there are pixels that it covers in part
    wide = EDGE_PX + round(0.1 * tall)
    far, where = ndimage.distance_transform_edt(~known, return_indices=True)
    up = np.where(far <= wide, up[where[0], where[1]], NOWHERE)
    length = _lengths(piece.shape[1], float(np.median(focal_px / own)))
    line = up + RAGGED * length[None, :]
    if seen is not None:
        line = line + TEXTURED * _blades(seen, max(tall, 2.0))
    above = np.clip((GONE - line) / (GONE - FULL), 0, 1)
    below = np.clip((up + DOWN) / (DOWN / 2), 0, 1)
    amount = np.where(up < 0, below, above)
    return np.asarray(np.where(up < NOWHERE, ndimage.gaussian_filter(amount, min(0.02 * tall, 0.8)), 0.0))


def _feet(piece: Array, depth: Array, tall_mm: float, focal_px: float) -> tuple[Array, Array, Array, Array]:
    """The lowest pixels of what stands on its ground: rows, columns, depth, and how many pixels the blades
    are tall there."""
    height = piece.shape[0]
    rows, columns = np.nonzero(piece[:-1] & ~piece[1:])
    # of a plane, one over the depth goes evenly down the picture: from below it is led up to the foot
    below = [np.minimum(rows + n, height - 1) for n in BELOW]
    near, on = (1 / np.maximum(depth[row, columns], 1.0) for row in below)
    steep = (on - near) / (BELOW[1] - BELOW[0])  # of one over the depth, for each row down
    open_ = ~piece[below[0], columns] & ~piece[below[1], columns] & (steep > 0)
    usual = float(np.median(steep[open_])) if open_.any() else 0.0
    behind = 1 / np.maximum(near - steep * (BELOW[0] - 0.5), 1e-9)
    own = depth[rows, columns]
    reach = focal_px / np.maximum(own, 1.0) * tall_mm
    # how far above its ground a foot is: so many rows of the picture, as far as that goes away in each
    rows_off = np.abs(behind - own) / np.maximum(own**2 * steep, 1e-6)
    stands = rows_off * own / focal_px < TOUCHES * tall_mm + OFF_PX * own / focal_px
    is_ground = open_ & (steep > usual / UNLIKE) & (steep < usual * UNLIKE)
    touching = np.flatnonzero(stands & is_ground & (reach >= LEAST_PX))
    if len(touching):
        half = max(2, round(NARROW * float(np.median(reach[touching]))))
        marks = np.zeros(piece.shape, np.float32)
        marks[rows[touching], columns[touching]] = 1.0
        beside = ndimage.uniform_filter(marks, 2 * half + 1) * (2 * half + 1) ** 2
        touching = touching[beside[rows[touching], columns[touching]] > half]
    return rows[touching], columns[touching], own[touching], reach[touching]


def _blades(seen: Array, tall: float) -> Array:
    """The light and dark of what grows, by its own spread, (h, w)."""
    light = (seen.astype(np.float32) @ LUMA.astype(np.float32)) / 255
    off = ndimage.gaussian_filter(light, 0.03 * tall) - ndimage.gaussian_filter(light, 0.5 * tall)
    spread = float(off.std())
    return np.asarray(np.clip(off / max(2 * spread, 1e-6), -1, 1))


def _lengths(width: int, px_per_mm: float) -> Array:
    """How long what grows in each column is, about 0 and mostly within 1, (w,)."""
    rng = np.random.default_rng(SEED)
    blade = max(BLADE_MM * px_per_mm, 1.0)
    parts = [
        ndimage.gaussian_filter1d(rng.normal(size=width), by * blade, mode="wrap") for by in (4, 0.8, 0.25)
    ]
    whole = sum(
        share * one / max(one.std(), 1e-9) for share, one in zip((0.5, 0.8, 0.5), parts, strict=True)
    )
    return np.asarray(np.clip(whole / 2, -1, 1))
