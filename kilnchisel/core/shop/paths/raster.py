"""A relief cut line by line with a ball end: its middle as low as the surface lets it come.

The lowest place of a ball over a surface is the surface dilated by the ball (grey-scale dilation: Serra,
Image Analysis and Mathematical Morphology, 1982). Between two lines at distance s on a plane the ball of
radius r leaves a scallop of r - sqrt(r² - s²/4), about s² / 8r.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import compiled
from kilnchisel.core.shop.paths.order import spans
from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

LOWEST, TALLEST = -1e6, 1e5  # mm: no surface is so low, no cutter so tall
STEEP = 1.0  # height over distance
FOOT_MM = 0.005  # above the deepest place, where contours still are
STRAIGHT_MM = 0.002  # how far a way may leave the places worked out for it


def stepover_of(tool: Tool, scallop_mm: float) -> float:
    """From line to line so that a ball end leaves scallops of this height on a plane, mm."""
    r = tool.radius_mm
    return float(2 * np.sqrt(max(r**2 - (r - min(scallop_mm, r)) ** 2, 0.0)))


def raster_ways(heights: Heights, where: Array, tool: Tool, step_mm: float) -> list[Array]:
    """Ways (n, 3) of a cutter's tip, there and back along x, over the cells that are wanted (h, w) bool;
    beyond the grid there is nothing in its way."""
    cell = heights.cell_mm
    surface = _ready(heights)
    every = max(round(step_mm / cell), 1)
    wanted = np.flatnonzero(where.any(axis=1))
    if not len(wanted):
        return []
    rows = np.unique(np.append(np.arange(wanted[0], wanted[-1], every), wanted[-1]))
    lowest = _dilated(surface, _edge(tool, cell), rows)
    reach = tool.radius_mm / cell
    ways = []
    for number, row in enumerate(rows):
        here = np.flatnonzero(where[max(row - every, 0) : row + every + 1].any(axis=0))
        if not len(here):
            continue
        for run in np.split(here, np.flatnonzero(np.diff(here) > 2 * reach) + 1):
            columns = np.arange(run[0], run[-1] + 1)
            x = heights.corner[0] + (columns + 0.5) * cell
            y = heights.corner[1] + (row + 0.5) * cell
            way = np.column_stack([x, np.full(len(x), y), lowest[number, columns]])
            ways.append(way if number % 2 == 0 else way[::-1])
    return _thinned(ways) if ways else []


def _ready(heights: Heights) -> Array:
    """Heights (h, w) float32 of which what is not there is in no cutter's way."""
    values = np.nan_to_num(heights.values, nan=LOWEST, neginf=LOWEST)
    return np.asarray(np.maximum(values, LOWEST), np.float32)


def _edge(tool: Tool, cell: float) -> Array:
    """A quarter of a cutter's edge on a grid, half a cell nearer than it is: an upright wall may stand that
    much nearer than the middle of its cell."""
    reach = int(np.ceil(tool.radius_mm / cell))
    away = np.hypot(*np.mgrid[: reach + 1, : reach + 1]) * cell
    edge = tool.edge(np.maximum(away - cell / 2, 0.0))
    return np.minimum(edge, 2 * TALLEST).astype(np.float32)


def left_by(heights: Heights, tool: Tool) -> Array:
    """The surface that a cutter leaves which goes everywhere, (h, w): the wanted one closed by its edge."""
    surface, edge = _ready(heights), _edge(tool, heights.cell_mm)
    every = np.arange(surface.shape[0])
    return np.asarray(-_dilated(-_dilated(surface, edge, every), edge, every))


def level_ways(heights: Heights, where: Array, tool: Tool, step_mm: float) -> list[Array]:
    """Ways (n, 3) at one height each round what is steep, where lines along x leave steps: contours of how
    low the tip gets, ``step_mm`` apart in height and one at the foot, over the cells that are wanted."""
    import contourpy
    import shapely

    cell = heights.cell_mm
    lowest = np.maximum(
        _dilated(_ready(heights), _edge(tool, cell), np.arange(heights.values.shape[0])), LOWEST
    )
    there = where & (lowest > LOWEST)
    if not there.any():
        return []
    lowest = np.where(lowest > LOWEST, lowest, 0.0)
    steep = np.hypot(*np.gradient(lowest, cell)) > STEEP
    deepest = float(lowest[there].min())
    count = max(int(-deepest / step_mm), 1)
    at = [heights.corner[k] + (np.arange(n) + 0.5) * cell for k, n in enumerate(lowest.shape[::-1])]
    contours = contourpy.contour_generator(at[0], at[1], lowest)
    ways = []
    for level in deepest + FOOT_MM + step_mm * np.arange(count):
        if level >= 0:
            break
        for line in contours.lines(level):
            column, row = (((line - heights.corner) / cell).astype(int)).T
            row, column = np.minimum(row, steep.shape[0] - 1), np.minimum(column, steep.shape[1] - 1)
            kept = steep[row, column] & there[row, column]
            runs = (line[a:b] for a, b in spans(kept) if b - a > 1)
            plain = shapely.simplify(
                [shapely.LineString(run) for run in runs], STRAIGHT_MM, preserve_topology=False
            )
            lines = (shapely.get_coordinates(one) for one in plain)
            ways += [np.column_stack([run, np.full(len(run), level)]) for run in lines]
    return ways


def _thinned(ways: list[Array]) -> list[Array]:
    """Ways along x without the places that lie on the line between their others."""
    import shapely

    flat = [shapely.LineString(way[:, ::2]) if len(way) > 1 else shapely.Point(way[0, ::2]) for way in ways]
    plain = shapely.simplify(np.array(flat, object), STRAIGHT_MM, preserve_topology=False)
    kept = (shapely.get_coordinates(one) for one in plain)
    return [
        np.column_stack([xz[:, 0], np.full(len(xz), way[0, 1]), xz[:, 1]])
        for way, xz in zip(ways, kept, strict=True)
    ]


@compiled(nogil=True, cache=True, fastmath=True)
def _dilated(surface: Array, edge: Array, rows: Array) -> Array:
    """In some rows of a surface (h, w), how low the tip of a cutter with this edge gets, (n, w). ``edge``
    (k, k): by cells away from its axis up and across; it is round, so rows and columns are folded."""
    height, width = surface.shape
    reach = edge.shape[0] - 1
    lowest = np.float32(LOWEST)
    found = np.full((len(rows), width), lowest, np.float32)
    folded = np.full(width + 2 * reach, lowest, np.float32)
    for number in range(len(rows)):
        out = found[number]
        for dj in range(reach + 1):
            up, down = rows[number] + dj, rows[number] - dj
            if up >= height and down < 0:
                continue
            one = surface[min(max(down, 0), height - 1)] if down >= 0 else surface[up]
            other = surface[up] if up < height else one
            for i in range(width):
                folded[reach + i] = max(one[i], other[i])
            for di in range(reach + 1):
                by = edge[dj, di]
                if by > TALLEST:
                    break
                for i in range(width):
                    z = max(folded[reach + i - di], folded[reach + i + di]) - by
                    out[i] = max(out[i], z)
    return found
