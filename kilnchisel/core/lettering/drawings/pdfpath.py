"""Paths of a PDF as outlines of straight pieces and cubics."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.drawings.sheet import MOST_PIECES, Run

Array = NDArray[Any]


def runs_of(count: int, segment: Callable[[int], Any]) -> list[Run]:
    """Outlines of so many segments, in their own units."""
    import pypdfium2.raw as raw

    if count > MOST_PIECES:
        raise KilnError("The drawing has too many pieces to be used.")
    runs: list[Run] = []
    pieces: list[Array] = []
    pending: list[Array] = []
    begin = at = np.zeros(2)
    begun = False

    def end(*, closed: bool) -> None:
        if pieces:
            runs.append(Run(tuple(pieces), closed))
        pieces.clear()

    for number in range(count):
        one = segment(number)
        x, y = ctypes.c_float(), ctypes.c_float()
        raw.FPDFPathSegment_GetPoint(one, x, y)
        kind, spot = raw.FPDFPathSegment_GetType(one), np.array([float(x.value), float(y.value)])
        if kind == raw.FPDF_SEGMENT_MOVETO:
            end(closed=False)
            begin = at = spot
            begun = True
        elif kind == raw.FPDF_SEGMENT_LINETO and begun:
            pieces.append(np.array([at, spot]))
            at = spot
        elif kind == raw.FPDF_SEGMENT_BEZIERTO and begun:
            pending.append(spot)
            if len(pending) == 3:
                pieces.append(np.array([at, *pending]))
                at = spot
                pending = []
        if begun and raw.FPDFPathSegment_GetClose(one):
            end(closed=True)
            at = begin
    end(closed=False)
    return runs
