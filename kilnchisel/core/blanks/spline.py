"""Cubic B-splines over an even lattice of three values each, and their slopes, by compiled loops: each
point finds its sixteen values once, for all three and for both slopes.

Source: de Boor, A Practical Guide to Splines, chapter IX, the uniform cubic case. Beyond the lattice the
coefficients are those of its border.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import compiled

Array = NDArray[Any]

BEYOND = 3.0  # steps beyond the lattice from which on nothing changes


def splined(values: Array, at: Array) -> Array:
    """What coefficients (rows, columns, 3) give at (n, 2): column and row, (n, 3)."""
    found = np.empty((len(at), 3))
    _splined(values, np.ascontiguousarray(at, dtype=float), found)
    return found


def spline_slopes(values: Array, at: Array) -> tuple[Array, Array]:
    """How that grows for a step along the columns and one along the rows, (n, 3) each."""
    along, up = np.empty((len(at), 3)), np.empty((len(at), 3))
    _sloped(values, np.ascontiguousarray(at, dtype=float), along, up)
    return along, up


@compiled(nogil=True, cache=True)
def _splined(values: Array, at: Array, found: Array) -> None:
    rows, columns = values.shape[0], values.shape[1]
    across, upward = np.empty(4), np.empty(4)
    for n in range(len(at)):
        x = min(max(at[n, 0], -BEYOND), columns - 1 + BEYOND)
        y = min(max(at[n, 1], -BEYOND), rows - 1 + BEYOND)
        left, low = int(np.floor(x)), int(np.floor(y))
        for weights, t in ((across, x - left), (upward, y - low)):
            s = 1.0 - t
            weights[0] = s * s * s / 6.0
            weights[1] = (3.0 * t * t * t - 6.0 * t * t + 4.0) / 6.0
            weights[2] = (3.0 * s * s * s - 6.0 * s * s + 4.0) / 6.0
            weights[3] = t * t * t / 6.0
        a, b, c = 0.0, 0.0, 0.0
        for i in range(4):
            row = min(max(low + i - 1, 0), rows - 1)
            for j in range(4):
                column = min(max(left + j - 1, 0), columns - 1)
                share = upward[i] * across[j]
                a += share * values[row, column, 0]
                b += share * values[row, column, 1]
                c += share * values[row, column, 2]
        found[n, 0], found[n, 1], found[n, 2] = a, b, c


@compiled(nogil=True, cache=True)
def _sloped(values: Array, at: Array, along: Array, up: Array) -> None:
    rows, columns = values.shape[0], values.shape[1]
    across, upward, steps, climbs = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    for n in range(len(at)):
        x = min(max(at[n, 0], -BEYOND), columns - 1 + BEYOND)
        y = min(max(at[n, 1], -BEYOND), rows - 1 + BEYOND)
        left, low = int(np.floor(x)), int(np.floor(y))
        for weights, slopes, t in ((across, steps, x - left), (upward, climbs, y - low)):
            s = 1.0 - t
            weights[0] = s * s * s / 6.0
            weights[1] = (3.0 * t * t * t - 6.0 * t * t + 4.0) / 6.0
            weights[2] = (3.0 * s * s * s - 6.0 * s * s + 4.0) / 6.0
            weights[3] = t * t * t / 6.0
            slopes[0] = -s * s / 2.0
            slopes[1] = (3.0 * t * t - 4.0 * t) / 2.0
            slopes[2] = -(3.0 * s * s - 4.0 * s) / 2.0
            slopes[3] = t * t / 2.0
        a, b, c, d, e, f = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(4):
            row = min(max(low + i - 1, 0), rows - 1)
            for j in range(4):
                column = min(max(left + j - 1, 0), columns - 1)
                x, y, z = values[row, column, 0], values[row, column, 1], values[row, column, 2]
                step, climb = upward[i] * steps[j], climbs[i] * across[j]
                a += step * x
                b += step * y
                c += step * z
                d += climb * x
                e += climb * y
                f += climb * z
        along[n, 0], along[n, 1], along[n, 2] = a, b, c
        up[n, 0], up[n, 1], up[n, 2] = d, e, f
