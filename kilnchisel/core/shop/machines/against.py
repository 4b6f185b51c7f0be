"""What a simulated router has left, measured against the piece that is wanted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.job.crafts import CutThrough
from kilnchisel.core.job.model import Job
from kilnchisel.core.later import ndimage
from kilnchisel.core.shop.machines.router import Routed
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.setup import Setup
from kilnchisel.core.shop.paths.surface import Heights, cells_in, rolled, rolled_heights, wanted_heights
from kilnchisel.core.shop.paths.tools import v_tool

Array = NDArray[Any]

BESIDE = 3  # cells each way: an upright wall falls between two of them
TELLS_MM = 0.05  # less counts as right


@dataclass(frozen=True)
class Off:
    """How far one is off the other: at most, where (x, y of the stock), and over which area, mm and mm²."""

    most_mm: float
    at: tuple[float, float]
    area_mm2: float


@dataclass(frozen=True)
class Compared:
    """``over``: too deep; ``under``: what still stands."""

    over: Off
    under: Off
    wanted_mm3: float
    removed_mm3: float


def compared(done: Routed, job: Job, setup: Setup) -> Compared:
    """What was cut against the side of a job that its stock is for. Raises KilnError."""
    cell = done.heights.cell_mm
    if setup.turning is not None:
        one = rolled(job, setup.side, setup.turning.left_mm)
        # the stock is turned before: both are measured from that
        wanted, left = rolled_heights(job, one, cell), done.heights.values
        profile = one.profile((np.arange(left.shape[1]) + 0.5) * cell)
        turned = replace(done.heights, values=np.minimum(left - profile, 0.0))
        profile = one.profile((np.arange(wanted.values.shape[1]) + 0.5) * cell)
        asked = np.minimum(wanted.values - profile - setup.top_mm, 0.0)
        return compared_to(replace(done, heights=turned), replace(wanted, values=asked))
    wanted = wanted_heights(job, setup.side, cell, setup.margin_mm)
    _pocketed(wanted, job, setup)
    # what stands above the stock, such as the rim of a plate that comes with one, is none of the program's
    asked = np.minimum(wanted.values - setup.top_mm, 0.0)
    return compared_to(done, Heights(asked, (0.0, 0.0), wanted.cell_mm))


def _pocketed(wanted: Heights, job: Job, setup: Setup) -> None:
    """Cut the pockets of inlays, which the piece has filled: upright, or as a V does (half a stroke's width
    over the tangent of half its angle, at most as deep as the pocket)."""
    for work in flat_work(job, CutThrough):
        craft = work.craft
        if work.side != setup.side or not isinstance(craft, CutThrough) or craft.fill != "inlay":
            continue
        row, column = np.nonzero(cells_in(wanted, work.region))
        deep = np.full(len(row), craft.depth_mm)
        if setup.inlay_deg:
            at = np.stack([column, row], axis=1) + 0.5
            spots = shapely.points(np.array(wanted.corner) + at * wanted.cell_mm)
            edge = work.region.boundary
            shapely.prepare(edge)
            deep = np.minimum(deep, shapely.distance(edge, spots) * v_tool(setup.inlay_deg, 1.0).slope)
        wanted.values[row, column] = -deep


def compared_to(done: Routed, wanted: Heights) -> Compared:
    """The same against heights from the stock's top and its corner; NaN where nothing is wanted."""
    rows, columns = (min(a, b) for a, b in zip(done.heights.values.shape, wanted.values.shape, strict=True))
    left, asked = done.heights.values[:rows, :columns], wanted.values[:rows, :columns]
    known = ~np.isnan(asked)
    asked = np.maximum(asked, -done.stock[2])  # open right through
    low = ndimage.minimum_filter(np.where(known, asked, -done.stock[2]), BESIDE)
    high = ndimage.maximum_filter(np.where(known, asked, 0.0), BESIDE)
    cell = done.heights.cell_mm
    return Compared(
        _off(np.where(known, low - left, 0.0), cell),
        _off(np.where(known, left - high, 0.0), cell),
        float(-asked[known].sum() * cell**2),
        float(-left[known].sum() * cell**2),
    )


def _off(by: Array, cell: float) -> Off:
    most = max(float(by.max()), 0.0)
    row, column = np.unravel_index(int(by.argmax()), by.shape)
    at = (float(column) + 0.5) * cell, (float(row) + 0.5) * cell
    return Off(most, at, float((by > TELLS_MM).sum() * cell**2))
