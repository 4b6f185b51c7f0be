"""Feet hidden in what grows on the ground of a photo: blades stand before the lowest part of a piece.

Found in the picture itself: where the lower edge of the piece meets ground that is as near as the piece is,
it stands on it; from there up to the height of the blades, of unequal length, the photo is seen.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import ndimage

Array = NDArray[Any]

BLADE_MM = 9.0  # how wide what grows is seen to be: a few blades together
SHORTEST = 0.25  # of the height given, the shortest of them
SEED = 7
SOFT_PX = 0.8
EDGE_PX = 3  # how far round a foot there may be pixels that it covers in part
TOUCHES, OFF_PX = 0.5, 1.5  # of the blades' height, and pixels: a foot no higher stands on its ground
UNLIKE = 2.5  # times: what goes away more or less steeply than most of the ground is none
BELOW = (2, 6)  # pixels below a foot, where its ground is looked at
LEAST_PX = 0.75


def hidden_by_grass(cover: Array, depth: Array, tall_mm: float, focal_px: float) -> Array:
    """How much of each pixel blades stand before, (h, w) 0..1. ``cover`` (h, w): how much of it is piece;
    ``depth`` (h, w): how far ahead what is seen there is, mm; ``tall_mm``: of the blades; ``focal_px``: by
    which 1 mm at 1 mm is so many pixels."""
    piece = cover > 0.5
    height, width = piece.shape
    hidden = np.zeros(piece.shape)
    if not piece.any() or tall_mm <= 0:
        return hidden
    rows, columns = np.nonzero(piece[:-1] & ~piece[1:])  # the lowest pixels of what is piece
    # of a plane, one over the depth goes evenly down the picture: from below it is led up to the foot
    below = [np.minimum(rows + n, height - 1) for n in BELOW]
    near, on = (1 / np.maximum(depth[row, columns], 1.0) for row in below)
    steep = (on - near) / (BELOW[1] - BELOW[0])  # of one over the depth, for each row down
    open_ = ~piece[below[0], columns] & ~piece[below[1], columns] & (steep > 0)
    usual = float(np.median(steep[open_])) if open_.any() else 0.0
    led = near - steep * (BELOW[0] - 0.5)
    behind = 1 / np.maximum(led, 1e-9)
    own = depth[rows, columns]
    reach = focal_px / np.maximum(own, 1.0) * tall_mm
    # how far above its ground a foot is: so many rows of the picture, as far as that goes away in each
    rows_off = np.abs(behind - own) / np.maximum(own**2 * steep, 1e-6)
    stands = rows_off * own / focal_px < TOUCHES * tall_mm + OFF_PX * own / focal_px
    is_ground = open_ & (steep > usual / UNLIKE) & (steep < usual * UNLIKE)
    touching = stands & is_ground & (reach >= LEAST_PX)
    rows, columns, own, reach = rows[touching], columns[touching], own[touching], reach[touching]
    if not len(rows):
        return hidden
    share = _shares(width, float(np.median(focal_px / own)))[columns]
    far = np.arange(-EDGE_PX, int(np.ceil(reach.max())) + 2)
    for row, column, tall in zip(rows, columns, reach * share, strict=True):
        up = row - far
        inside = (up >= 0) & (up < height)
        amount = np.clip(tall - far[inside] + 0.5, 0, 1)
        hidden[up[inside], column] = np.maximum(hidden[up[inside], column], amount)
    soft = ndimage.gaussian_filter(hidden, (SOFT_PX, 0.0), mode="nearest")
    # about a foot there are pixels that it covers in part, and the line of its shadow
    beside = ndimage.maximum_filter1d(soft, 2 * EDGE_PX + 1, axis=1)
    return np.asarray(np.where(piece, soft, beside))


def _shares(width: int, px_per_mm: float) -> Array:
    """How long what grows in each column is, as a share of the longest, (w,)."""
    rng = np.random.default_rng(SEED)
    blade = max(BLADE_MM * px_per_mm, 1.0)
    coarse = ndimage.gaussian_filter1d(rng.normal(size=width), 4 * blade, mode="wrap")
    fine = ndimage.gaussian_filter1d(rng.normal(size=width), 0.5 * blade, mode="wrap")
    both = 0.5 * coarse / max(coarse.std(), 1e-9) + fine / max(fine.std(), 1e-9)
    return np.asarray(np.clip(0.6 + 0.25 * both, SHORTEST, 1.0))
