"""The stretch of the surface under a lettering, cell by cell, for the coloured overlay."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.laying.laid import Laid
from kilnchisel.ui.view.band import on_picture
from kilnchisel.ui.work import Drawn

Array = NDArray[Any]

CELLS = (48, 16)
BEYOND = 0.12  # of the ink's box, shown round it


@dataclass(frozen=True, eq=False)
class StretchCell:
    """A piece of the surface on the picture, (4, 2) widget pixels, and the stretch there: whichever
    principal stretch is farther from true, per cent, below zero where letters come out smaller."""

    corners: Array
    percent: float


def stretch_cells(drawn: Drawn, laid: Laid, size: tuple[int, int]) -> tuple[StretchCell, ...]:
    """The cells that face the camera."""
    if laid.ink.is_empty or laid.placing.unrolled:
        return ()
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
    return tuple(
        StretchCell(pixels[corners[k]], float(100 * off[k])) for k in np.flatnonzero(shown).tolist()
    )
