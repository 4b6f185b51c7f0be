"""A point that is put on a photo roughly goes to the corner, or else to the edge, that it is nearest to."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.photo import Spot
from kilnchisel.core.later import ndimage

Array = NDArray[Any]

CONTRAST = 14.0  # steps of 255 that an edge has at least
ROUND_PX = 4  # how much about a corner tells where it is
CORNER = 0.12  # of the strongest corner near by: a weaker one is none
LEAST_CORNER = 6e-5  # of squared slopes, full scale 1: two edges of that contrast that meet
PLAIN_PX = 1.0  # the spread of what noise is taken out before edges are looked for


def caught(pixels: Array, spot: Spot, reach_px: float) -> Spot:
    """A spot of a picture (h, w, 3) uint8, moved to the corner within ``reach_px`` that is nearest, else to
    the strongest edge there, else as it is. Spots are from the upper left corner of the first pixel."""
    import cv2

    height, width = pixels.shape[:2]
    x, y = spot[0] - 0.5, spot[1] - 0.5
    half = int(np.ceil(reach_px)) + 3 * ROUND_PX
    left, top = max(int(x) - half, 0), max(int(y) - half, 0)
    right, low = min(int(x) + half + 1, width), min(int(y) + half + 1, height)
    if right - left < 2 * ROUND_PX or low - top < 2 * ROUND_PX:
        return spot
    grey = cv2.cvtColor(pixels[top:low, left:right], cv2.COLOR_RGB2GRAY).astype(np.float32)
    smooth = cv2.GaussianBlur(grey, (0, 0), PLAIN_PX)
    own = np.array([x - left, y - top])
    found = _corner(smooth, own, reach_px)
    if found is None:
        found = _edge(smooth, own, reach_px)
    if found is None:
        return spot
    return float(found[0] + left + 0.5), float(found[1] + top + 0.5)


def _corner(grey: Array, own: Array, reach_px: float) -> Array | None:
    import cv2

    strength = cv2.cornerMinEigenVal(grey, 3)
    corners = cv2.goodFeaturesToTrack(grey / 255, 30, CORNER, 3)
    if corners is None:
        return None
    spots = corners[:, 0]
    far = np.linalg.norm(spots - own, axis=1)
    strong = strength[spots[:, 1].astype(int), spots[:, 0].astype(int)] / 255**2
    usable = np.flatnonzero((far <= reach_px) & (strong > LEAST_CORNER))
    if not len(usable):
        return None
    near = spots[usable[np.argmin(far[usable])]].reshape(1, 1, 2).astype(np.float32)
    ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.01)
    fine = cv2.cornerSubPix(grey, near.copy(), (ROUND_PX, ROUND_PX), (-1, -1), ends)[0, 0]
    return np.asarray(fine if np.linalg.norm(fine - own) <= reach_px + ROUND_PX else near[0, 0])


def _edge(grey: Array, own: Array, reach_px: float) -> Array | None:
    import cv2

    gx, gy = cv2.Sobel(grey, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(grey, cv2.CV_32F, 0, 1) / 8
    steep = np.hypot(gx, gy)
    rows, columns = np.indices(grey.shape)
    far = np.hypot(columns - own[0], rows - own[1]) / reach_px
    weighed = np.where(far < 1, steep * (1 - far**2), 0.0)
    r, c = np.unravel_index(int(np.argmax(weighed)), weighed.shape)
    # an edge that is spread over PLAIN_PX is as steep as its contrast over 2.5 of them
    if steep[r, c] < CONTRAST / 2.5 / PLAIN_PX:
        return None
    way = np.array([gx[r, c], gy[r, c]]) / steep[r, c]
    # how steep it is just before, at and behind: where the parabola through them is highest
    places = np.array([c, r]) + np.array([[-1.0], [0.0], [1.0]]) * way
    before, at, behind = (
        float(ndimage.map_coordinates(steep, p[::-1, None], order=1, mode="nearest")[0]) for p in places
    )
    bend = before - 2 * at + behind
    shift = float(np.clip(0.5 * (before - behind) / bend, -1, 1)) if bend < 0 else 0.0
    # the nearest point of that edge, not the steepest
    edge = np.array([c, r]) + shift * way
    return np.asarray(own + ((edge - own) @ way) * way)
