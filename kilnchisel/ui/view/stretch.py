"""The stretch of the surface under a lettering, cell by cell, for the coloured overlay."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.view.band import on_picture

Array = NDArray[Any]

CELLS = (48, 16)
BEYOND = 0.12  # of the ink's box, shown round it


@dataclass(frozen=True, eq=False)
class StretchCells:
    """Small pieces of the surface: corners (k, 4, 2), widget pixels, and by how much the principal stretch
    is farther from true there, (k,), per cent, below zero where letters come out smaller."""

    corners: Array
    percent: Array


def stretch_cells(drawn: Drawn, laid: Laid, size: tuple[int, int]) -> StretchCells:
    """The cells that face the camera."""
    if laid.ink.is_empty or laid.placing.unrolled:
        return StretchCells(np.empty((0, 4, 2)), np.empty(0))
    low_u, low_v, high_u, high_v = laid.ink.bounds
    grow_u, grow_v = BEYOND * (high_u - low_u), BEYOND * (high_v - low_v)
    u = np.linspace(low_u - grow_u, high_u + grow_u, CELLS[0] + 1)
    v = np.linspace(low_v - grow_v, high_v + grow_v, CELLS[1] + 1)
    uu, vv = np.meshgrid(u, v)
    uv = np.stack([uu.ravel(), vv.ravel()], axis=1)
    pixels, seen = on_picture(drawn, laid, uv, size)
    middles = np.stack(np.meshgrid((u[:-1] + u[1:]) / 2, (v[:-1] + v[1:]) / 2), axis=-1).reshape(-1, 2)
    values = laid.placing.stretches(middles)
    off = np.where(np.abs(values[:, 1] - 1) >= np.abs(values[:, 0] - 1), values[:, 1], values[:, 0]) - 1
    inside = shapely.intersects_xy(laid.side.domain, *middles.T)
    if laid.side.period is not None:
        inside = np.ones(len(middles), dtype=bool)
    index = np.arange(len(uv)).reshape(len(v), len(u))
    corners = np.stack(
        [index[:-1, :-1].ravel(), index[:-1, 1:].ravel(), index[1:, 1:].ravel(), index[1:, :-1].ravel()], 1
    )
    shown = inside & seen[corners].all(axis=1)
    return StretchCells(pixels[corners[shown]], 100 * off[shown])


def stretch_picture(cells: StretchCells, limit: float, size: tuple[int, int]) -> Array:
    """The cells in their colours on nothing, (h, w, 4) RGBA. Painted once, then shown again and again."""
    picture = Image.new("RGBA", size)
    brush = ImageDraw.Draw(picture)
    corners, percent = cells.corners.reshape(-1, 8).tolist(), cells.percent.tolist()
    for ring, value in zip(corners, percent, strict=True):
        brush.polygon(ring, fill=stretch_colour(value, limit))
    return np.array(picture)


def stretch_colour(percent: float, limit: float) -> tuple[int, int, int, int]:
    """RGBA: blue where letters come out smaller, red where larger, clear where they are true; full at
    twice the limit."""
    share = max(min(percent / max(2 * limit, 0.1), 1.0), -1.0)
    return (*(LARGER if share > 0 else SMALLER), round(190 * abs(share) ** 0.8))


LARGER, SMALLER = (181, 67, 43), (43, 98, 181)
