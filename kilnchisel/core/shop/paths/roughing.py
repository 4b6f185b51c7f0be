"""The wide pass before a fine one: level by level, what a flat cutter gets without touching what stays."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import fill_even_odd
from kilnchisel.core.shop.paths.entry import come_down
from kilnchisel.core.shop.paths.pocket import from_the_middle, levels_to
from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

MOST_CELLS = 1_500_000  # of the grid that it is worked out on


def rough_ways(heights: Heights, tool: Tool, step_mm: float, left_mm: float) -> list[Array]:
    """Ways (n, 3) of a flat cutter that clear a surface (z 0 and below) in levels, ``left_mm`` above it;
    round the grid there is stock that stays."""
    import contourpy
    import cv2

    every = max(int(np.ceil(np.sqrt(heights.values.size / MOST_CELLS))), 1)
    cell = heights.cell_mm * every
    values = np.nan_to_num(heights.values, nan=0.0)
    if every > 1:  # the highest of what is taken together: nothing of it is cut
        values = cv2.dilate(values, np.ones((every, every)))[every // 2 :: every, every // 2 :: every]
    reach = int(np.ceil((tool.radius_mm + left_mm) / cell))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = (np.hypot(x, y) * cell <= tool.radius_mm + left_mm).astype(np.uint8)
    lowest = cv2.dilate(np.pad(values, 1), disc, borderType=cv2.BORDER_CONSTANT, borderValue=0.0) + left_mm
    deepest = -float(lowest.min())
    if deepest <= 0:
        return []
    at = [heights.corner[k] + (np.arange(n) - 0.5) * cell for k, n in enumerate(lowest.shape[::-1])]
    found = contourpy.contour_generator(at[0], at[1], lowest)
    ways: list[Array] = []
    for above, level in pairwise(levels_to(deepest, step_mm)):
        lines = [line for line in found.lines(level + 1e-6) if len(line) > 3]
        ways += [come_down(way, above, level) for way in from_the_middle(fill_even_odd(lines), tool)]
    return ways
