"""How far points are from lines, for many of both: by a grid of cells, each with the pieces of lines in it,
and rings of cells about each point until nothing beyond them can be nearer."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.later import compiled

Array = NDArray[Any]

MOST_CELLS = 1024  # of a side of the grid
COARSE = 2.0  # a cell, to one for each piece: found by trying
FEW = 20_000  # points times pieces, below which each is held against each


def distances_to(lines: Any, points: Array) -> Array:
    """How far points (n, 2) are from the lines of a geometry, (n,); infinite where there are none."""
    parts = shapely.get_parts(lines)
    spots, owner = shapely.get_coordinates(parts, return_index=True)
    if len(points) * len(spots) < FEW:
        return np.asarray(shapely.distance(shapely.points(points), lines)) if len(spots) else _none(points)
    same = owner[1:] == owner[:-1]
    pieces = np.concatenate([spots[:-1], spots[1:]], axis=1)[same]
    low, high = spots.min(axis=0), spots.max(axis=0)
    wide = np.maximum(high - low, 1e-9 * max(float((high - low).max()), 1e-9))
    cell = max(COARSE * float(np.sqrt(wide[0] * wide[1] / len(pieces))), float(wide.max()) / MOST_CELLS)
    columns, rows = (int(one) for one in np.floor(wide / cell) + 1)
    first = np.zeros(rows * columns + 1, np.int64)
    _enter(pieces, low, cell, columns, rows, first, np.empty(0, np.int64))
    first = np.cumsum(first)
    held = np.empty(first[-1], np.int64)
    _enter(pieces, low, cell, columns, rows, first[:-1].copy(), held)
    found = np.empty(len(points))
    _nearest(
        np.ascontiguousarray(points, dtype=float), pieces, low, cell, columns, rows, first, held, found
    )
    return found


def _none(points: Array) -> Array:
    return np.full(len(points), np.inf)


@compiled(nogil=True, cache=True)
def _enter(
    pieces: Array, low: Array, cell: float, columns: int, rows: int, place: Array, held: Array
) -> None:
    """Every piece (m, 4) in the cells that it goes through: counted, in ``place`` from its second on, where
    nothing is ``held``, else put where ``place`` says is room."""
    counts = len(held) == 0
    for n in range(len(pieces)):
        x, y, u, v = pieces[n, 0], pieces[n, 1], pieces[n, 2], pieces[n, 3]
        if y > v:
            x, y, u, v = u, v, x, y
        bottom = min(max(int((y - low[1]) / cell), 0), rows - 1)
        top = min(max(int((v - low[1]) / cell), 0), rows - 1)
        for row in range(bottom, top + 1):
            # what of it is in this row of cells, a little more for rounding
            begin, end = 0.0, 1.0
            if top > bottom:
                begin = min(max((low[1] + row * cell - y) / (v - y) - 1e-9, 0.0), 1.0)
                end = min(max((low[1] + (row + 1) * cell - y) / (v - y) + 1e-9, 0.0), 1.0)
            one, other = x + begin * (u - x), x + end * (u - x)
            slack = 1e-9 * cell
            left = min(max(int(np.floor((min(one, other) - slack - low[0]) / cell)), 0), columns - 1)
            right = min(max(int(np.floor((max(one, other) + slack - low[0]) / cell)), 0), columns - 1)
            for column in range(left, right + 1):
                at = row * columns + column
                if counts:
                    place[at + 1] += 1
                else:
                    held[place[at]] = n
                    place[at] += 1


@compiled(nogil=True, cache=True)
def _nearest(
    points: Array,
    pieces: Array,
    low: Array,
    cell: float,
    columns: int,
    rows: int,
    first: Array,
    held: Array,
    found: Array,
) -> None:
    for n in range(len(points)):
        x, y = points[n, 0], points[n, 1]
        column = min(max(int(np.floor((x - low[0]) / cell)), 0), columns - 1)
        row = min(max(int(np.floor((y - low[1]) / cell)), 0), rows - 1)
        best = np.inf
        for ring in range(max(columns, rows) + 1):
            for j in range(max(row - ring, 0), min(row + ring, rows - 1) + 1):
                whole = j == row - ring or j == row + ring
                step = 1 if whole or ring == 0 else 2 * ring
                i = column - ring
                while i <= column + ring:
                    if 0 <= i < columns:
                        at = j * columns + i
                        for k in range(first[at], first[at + 1]):
                            piece = held[k]
                            a, b = pieces[piece, 0], pieces[piece, 1]
                            u, v = pieces[piece, 2] - a, pieces[piece, 3] - b
                            long, t = u * u + v * v, 0.0
                            if long > 0.0:
                                t = min(max(((x - a) * u + (y - b) * v) / long, 0.0), 1.0)
                            p, q = x - a - t * u, y - b - t * v
                            best = min(best, p * p + q * q)
                    i += step
            # how near what is beyond these cells can be
            reach = min(
                min(x - (low[0] + (column - ring) * cell), low[0] + (column + ring + 1) * cell - x),
                min(y - (low[1] + (row - ring) * cell), low[1] + (row + ring + 1) * cell - y),
            )
            if reach > 0 and best <= reach * reach:
                break
        found[n] = np.sqrt(best)
