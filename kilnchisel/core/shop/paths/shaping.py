"""What shapes a surface: a wide pass in levels, then lines of ball ends, steep places one height after the
other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import ndimage
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.order import in_short_order
from kilnchisel.core.shop.paths.raster import left_by, level_ways, raster_ways, stepover_of
from kilnchisel.core.shop.paths.roughing import rough_ways
from kilnchisel.core.shop.paths.routerwork import Operation, Routing
from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

LEFT_MM = 0.3  # what the wide pass leaves for the fine one
CELLS_A_BALL = 12.0  # of the grid that a relief is cut from, to the ball's radius
MOST_CELLS = 12_000_000
LEFT_BY_BALL_MM = 0.03  # what is not worth a finer one


@dataclass(frozen=True, eq=False)
class Wanted:
    """What stock is cut to. ``heights``: from its top down; ``stock``: how high it stands before, (h, w) or
    what goes with that; ``again``: rows at the beginning and the end that repeat those at the other one;
    ``touched_mm``: what is lower than the stock by less is left as it is."""

    heights: Heights
    stock: Any = 0.0
    again: int = 0
    touched_mm: float = 1e-4


def shaped_to(
    names: str, wanted_at: Callable[[float], Wanted], balls: tuple[float, ...], finish: Any, how: Routing
) -> list[Operation]:
    """The operations that cut stock to what is wanted; ``wanted_at``: that, in cells of a size in mm."""
    made: list[Operation] = []
    left: tuple[Heights, Array] | None = None
    for number, wide in enumerate(sorted(balls, reverse=True)):
        ball = Tool("ball", wide)
        wanted = wanted_at(wide / 2 / CELLS_A_BALL)
        heights, stock = wanted.heights, wanted.stock
        below = np.nan_to_num(heights.values, nan=0.0) - stock
        here = np.zeros(heights.values.shape, bool)
        here[wanted.again : len(here) - wanted.again] = True
        where = here & ~np.isnan(heights.values) & (below < -wanted.touched_mm)
        if not where.any():
            return made
        if number == 0:
            tool = Tool("flat", max(how.flats_mm))
            rough = rough_ways(heights, tool, feeds_for(finish, tool).deep_mm, LEFT_MM)
            if rough and -float(below[where].min()) > 2 * LEFT_MM:
                made.append(Operation(f"rough {names}", tool, rough, clear=True))
        if left is not None:
            where &= _looked_up(*left, heights)
        wider, step = ndimage.binary_dilation(where), stepover_of(ball, how.scallop_mm)
        if ways := raster_ways(heights, wider, ball, step):
            made.append(Operation(f"{'detail' if number else 'relief'} {names}", ball, ways))
        if wide == min(balls):
            if steep := level_ways(heights, wider, ball, step):
                made.append(Operation(f"steep {names}", ball, in_short_order(steep)))
        else:  # where it leaves something for a finer one
            standing = left_by(heights, ball) - np.nan_to_num(heights.values, nan=0.0)
            left = heights, where & (standing > how.scallop_mm + LEFT_BY_BALL_MM)
    return made


def cell_for(cell_mm: float, wide_mm: float, tall_mm: float) -> float:
    """A cell as it is wanted, or so large that there are not too many."""
    return max(cell_mm, float(np.sqrt(wide_mm * tall_mm / MOST_CELLS)))


def _looked_up(of: Heights, values: Array, into: Heights) -> Array:
    """Values of one grid's cells (h, w) bool in the cells of another, a cell more each way."""
    wider = ndimage.binary_dilation(values)
    found = []
    for axis, (n, m) in enumerate(zip(into.values.shape, wider.shape, strict=True)):
        at = into.corner[1 - axis] - of.corner[1 - axis] + (np.arange(n) + 0.5) * into.cell_mm
        found.append(np.clip((at / of.cell_mm).astype(int), 0, m - 1))
    return np.asarray(wider[np.ix_(*found)])
