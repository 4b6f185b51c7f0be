"""Surfaces as they are kept: whole numbers on a lattice, written so that they pack well."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


def packed(whole: Array) -> Array:
    """Whole numbers (rows, columns, k) as bytes (b, k, rows, columns): what each differs by from what its
    neighbours before it let expect (the corner of a parallelogram), small ones of either sign as small
    numbers, all lowest bytes first."""
    off: Array = np.diff(np.diff(whole.astype(np.int64), axis=0, prepend=0), axis=1, prepend=0)
    unsigned = (off << 1) ^ (off >> 63)
    planes: list[Array] = []
    while unsigned.any() or not planes:
        planes.append((unsigned & 255).astype(np.uint8))
        unsigned = unsigned >> 8
    return np.ascontiguousarray(np.moveaxis(np.stack(planes), -1, 1))


def unpacked(planes: Array) -> Array:
    """The whole numbers (rows, columns, k) that were packed, int64."""
    places = 256 ** np.arange(len(planes), dtype=np.int64)
    unsigned = np.tensordot(places, planes.astype(np.int64), axes=1)
    off = (unsigned >> 1) ^ -(unsigned & 1)
    return np.moveaxis(np.cumsum(np.cumsum(off, axis=1), axis=2), 0, -1)
