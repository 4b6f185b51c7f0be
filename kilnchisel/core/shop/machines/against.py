"""What a simulated router has left, measured against the piece that is wanted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.model import Job
from kilnchisel.core.later import ndimage
from kilnchisel.core.shop.machines.router import Routed
from kilnchisel.core.shop.paths.surface import Heights, rolled, rolled_heights, wanted_heights

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


def compared(
    done: Routed, job: Job, side: str, top_mm: float, rotary: tuple[float, float] | None = None
) -> Compared:
    """What was cut against a side of a job, its stock ``top_mm`` above it; ``rotary``: of a program that
    turns it. Raises KilnError."""
    if rotary is not None:
        one, cell = rolled(job, side, rotary[1]), done.heights.cell_mm
        # the stock is turned before: both are measured from that
        wanted, left = rolled_heights(job, one, cell), done.heights.values
        profile = one.profile((np.arange(left.shape[1]) + 0.5) * cell)
        turned = replace(done.heights, values=np.minimum(left - profile, 0.0))
        profile = one.profile((np.arange(wanted.values.shape[1]) + 0.5) * cell)
        return compared_to(replace(done, heights=turned), replace(wanted, values=wanted.values - profile))
    wanted = wanted_heights(job, side, done.heights.cell_mm)
    return compared_to(done, Heights(wanted.values - top_mm, (0.0, 0.0), wanted.cell_mm))


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
