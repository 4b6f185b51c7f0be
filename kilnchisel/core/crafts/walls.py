"""Which edges of a cut surface walls stand on, how high, and the normals that make them turn smoothly."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import unit

Array = NDArray[Any]

CREASE = np.cos(np.radians(38.0))  # walls turn smoothly below this angle, sharply above
LEVEL_MM = 1e-9


@dataclass(frozen=True, eq=False)
class EdgeWalls:
    """Walls that stand on edges of a cut: edges (k, 2), their region on the left; label (k,); foot and top
    (k, 2): heights at both ends. ``levels``: of a point where several walls meet, the heights in between
    that another wall ends at."""

    edges: Array
    label: Array
    foot: Array
    top: Array
    levels: dict[int, list[float]]

    def of(self, label: int) -> EdgeWalls | None:
        """The walls of one region; None where there are none."""
        mine = self.label == label
        if not mine.any():
            return None
        return EdgeWalls(self.edges[mine], self.label[mine], self.foot[mine], self.top[mine], self.levels)


def standing_walls(edges: Array, label: Array, stack: Array) -> EdgeWalls:
    """The walls between regions at different heights, and between them and the ground at 0.

    edges (k, 2): directed, their region on the left; label (k,): the region of each; stack
    (regions, points): the height of each region's surface. Where two regions meet on the same side of the
    ground, one wall goes from the one to the other, and is of the one that is farther from the ground: no
    two walls lie in one place. On different sides each has its own, to the ground.
    """
    edges, label = edges.astype(np.int64), np.asarray(label)
    top = np.stack([stack[label, edges[:, 0]], stack[label, edges[:, 1]]], axis=1)
    foot = np.zeros_like(top)
    if len(edges):
        size = stack.shape[1]
        key, back = edges[:, 0] * size + edges[:, 1], edges[:, 1] * size + edges[:, 0]
        order = np.argsort(key)
        place = np.minimum(np.searchsorted(key[order], back), len(key) - 1)
        met, across = key[order][place] == back, order[place]
        there = top[across][:, ::-1]
        nearer = np.where(np.abs(there) < np.abs(top), there, top)
        foot = np.where(met[:, None] & (top * there > 0), nearer, 0.0)
    stands = np.abs(top - foot).max(axis=1, initial=0.0) >= LEVEL_MM
    return EdgeWalls(edges[stands], label[stands], foot[stands], top[stands], _levels(edges, top))


def _levels(edges: Array, top: Array) -> dict[int, list[float]]:
    """The heights (ascending) at points where regions of more than one height meet."""
    points, heights = edges.ravel(), top.ravel()
    away = np.abs(heights) >= LEVEL_MM
    points, heights = points[away], heights[away]
    order = np.lexsort((heights, points))
    points, heights = points[order], heights[order]
    fresh = np.append(True, (points[1:] != points[:-1]) | (heights[1:] - heights[:-1] >= LEVEL_MM))[
        : len(points)
    ]
    points, heights = points[fresh], heights[fresh]
    found, first, times = np.unique(points, return_index=True, return_counts=True)
    many = times > 1
    starts, stops = first[many].tolist(), (first + times)[many].tolist()
    levels = heights.tolist()
    return {
        p: levels[start:stop] for p, start, stop in zip(found[many].tolist(), starts, stops, strict=True)
    }


@dataclass(frozen=True, eq=False)
class Strips:
    """Walls in triangles: for each corner (n,) the wall it is of, at which end of it (0 or 1) and how high;
    faces (m, 3)."""

    wall: Array
    end: Array
    height: Array
    faces: Array


def strips_of(walls: EdgeWalls) -> Strips:
    """The walls in triangles. Where another wall ends in the middle of an upright edge, it has a corner
    there too."""
    count = len(walls.edges)
    i = np.arange(count)
    # start and end at the foot, end and start at the top
    wall, end = np.tile(i, 4), np.repeat([0, 1, 1, 0], count)
    height = np.concatenate([walls.foot[:, 0], walls.foot[:, 1], walls.top[:, 1], walls.top[:, 0]])
    tall = np.abs(walls.top - walls.foot) >= LEVEL_MM
    between = _between(walls)
    plain = np.ones(count, dtype=bool)
    plain[list(between)] = False
    first = np.stack([i, i + count, i + 2 * count], axis=1)[tall[:, 1] & plain]
    second = np.stack([i, i + 2 * count, i + 3 * count], axis=1)[tall[:, 0] & plain]
    faces, more, at = [first, second], [(wall, end, height)], 4 * count
    for k, (low, high) in between.items():
        size = len(low) + len(high)
        ends = np.repeat([0, 1], [len(low), len(high)])
        more.append((np.full(size, k), ends, np.concatenate([low, high])))
        left = [k, *range(at, at + len(low)), k + 3 * count] if tall[k, 0] else [k]
        right = [k + count, *range(at + len(low), at + size), k + 2 * count] if tall[k, 1] else [k + count]
        faces.append(np.array(_zipped(left, right), dtype=np.int64).reshape(-1, 3))
        at += size
    wall, end, height = (np.concatenate(x) for x in zip(*more, strict=True))
    return Strips(wall, end, height, np.concatenate(faces).astype(np.int32))


def _between(walls: EdgeWalls) -> dict[int, tuple[list[float], list[float]]]:
    """Of walls that others end at in between: the heights there, from foot to top, at both ends."""
    if not walls.levels:
        return {}
    some = np.isin(walls.edges, np.fromiter(walls.levels, dtype=np.int64)).any(axis=1)
    found = {}
    # of single numbers: there are a few for each wall, and arrays of so few take longer
    rows = (np.flatnonzero(some), walls.edges[some], walls.foot[some], walls.top[some])
    for k, points, feet, tops in zip(*(row.tolist() for row in rows), strict=True):
        left, right = (
            _inside(walls.levels.get(points[side], []), feet[side], tops[side]) for side in (0, 1)
        )
        if left or right:
            found[k] = (left, right)
    return found


def _inside(levels: list[float], foot: float, top: float) -> list[float]:
    """Those of some levels, ascending, that lie between a wall's foot and its top, on the way up it."""
    low, high = min(foot, top) + LEVEL_MM, max(foot, top) - LEVEL_MM
    inside = [level for level in levels if low < level < high]
    return inside if top > foot else inside[::-1]


def _zipped(left: list[int], right: list[int]) -> list[tuple[int, int, int]]:
    """Triangles between two chains of corners, up together."""
    faces, i, j = [], 0, 0
    while i < len(left) - 1 or j < len(right) - 1:
        lead = (i + 1) / max(len(left) - 1, 1e-9) - (j + 1) / max(len(right) - 1, 1e-9)
        if j < len(right) - 1 and (i == len(left) - 1 or lead >= 0):
            faces.append((left[i], right[j], right[j + 1]))
            j += 1
        else:
            faces.append((left[i], right[j], left[i + 1]))
            i += 1
    return faces


def softened(start: Array, end: Array, out: Array) -> tuple[Array, Array]:
    """Wall normals at both ends of each edge: shared with the neighbour unless a corner lies there."""
    order_in = np.argsort(end, kind="stable")
    place = np.searchsorted(end[order_in], start)
    before = order_in[np.clip(place, 0, len(order_in) - 1)]
    order_out = np.argsort(start, kind="stable")
    place = np.searchsorted(start[order_out], end)
    after = order_out[np.clip(place, 0, len(order_out) - 1)]

    def shared(other: Array, meets: Array) -> Array:
        smooth = meets & (np.einsum("ij,ij->i", out, out[other]) > CREASE)
        mixed = np.where(smooth[:, None], out + out[other], out)
        return unit(mixed)

    return shared(before, end[before] == start), shared(after, start[after] == end)
