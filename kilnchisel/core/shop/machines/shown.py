"""What a simulated router has left, seen from above in a low light, so that every scallop shows."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

LIGHT = np.array([-0.5, 0.62, 0.6])  # from the upper left
STOCK = np.array([214.0, 190.0, 150.0])  # sRGB: fresh-cut wood
AMBIENT, DEEP = 0.25, 0.45  # of the light; how much darker the deepest place is
MOST_PX = 2400
RING, RING_EDGE, LEAST_RING_PX = (30, 90, 160), (250, 248, 240), 5


def shaded(heights: Heights, most_px: int = MOST_PX) -> Array:
    """A picture (h, w, 3) uint8 of a surface, up as it is seen; ``most_px``: of its longer side."""
    import cv2

    values, cell = heights.values, heights.cell_mm
    up, across = np.gradient(values, cell)
    normal = np.dstack([-across, -up, np.ones_like(values)])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    lit = np.clip(normal @ (LIGHT / np.linalg.norm(LIGHT)), 0, 1)
    low = float(values.min())
    depth = 1 - DEEP * (values / low if low < 0 else np.zeros_like(values))
    made = (AMBIENT + (1 - AMBIENT) * lit)[..., None] * depth[..., None] * STOCK * 1.15
    pixels = np.rint(np.clip(made[::-1], 0, 255)).astype(np.uint8)
    share = most_px / max(pixels.shape[:2])
    if share < 1:
        pixels = cv2.resize(pixels, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(pixels)


def with_cutter(pixels: Array, heights: Heights, tip: Array, tool: Tool) -> Array:
    """The picture of a surface with a ring where a cutter is, as wide as that cuts."""
    import cv2

    scale = pixels.shape[1] / (heights.values.shape[1] * heights.cell_mm)
    at = round(float(tip[0]) * scale), round(pixels.shape[0] - float(tip[1]) * scale)
    made = np.ascontiguousarray(pixels)
    radius = max(round(tool.reach(max(-float(tip[2]), 0.0)) * scale), LEAST_RING_PX)
    for wide, colour in ((4, RING_EDGE), (2, RING)):
        cv2.circle(made, at, radius, colour, wide, cv2.LINE_AA)
    return made
