"""Which edges of a cut surface walls stand on, how high, and the normals that make them turn smoothly."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

CREASE = np.cos(np.radians(38.0))  # walls turn smoothly below this angle, sharply above
LEVEL_MM = 1e-9


def standing_edges(edges: Array, label: Array, stack: Array) -> tuple[Array, Array, Array]:
    """Heights at both ends of directed edges (k, 2) with their region on the left, (k,) each, and whether
    a wall stands there.

    label (k,): the region of each; stack (regions, points): the height of each region's surface. None
    stands where the surface is level with the ground, or where two surfaces meet at one height.
    """
    start, end = edges[:, 0].astype(np.int64), edges[:, 1].astype(np.int64)
    if len(edges) == 0:
        return np.zeros(0), np.zeros(0), np.zeros(0, dtype=bool)
    size = stack.shape[1]
    at_start, at_end = stack[label, start], stack[label, end]
    level = (np.abs(at_start) < LEVEL_MM) & (np.abs(at_end) < LEVEL_MM)
    order = np.argsort(start * size + end)
    forward = (start * size + end)[order]
    place = np.minimum(np.searchsorted(forward, end * size + start), len(forward) - 1)
    across = order[place]
    met = forward[place] == end * size + start
    apart = np.maximum(np.abs(at_end[across] - at_start), np.abs(at_start[across] - at_end))
    return at_start, at_end, ~(level | (met & (apart < LEVEL_MM)))


def wall_faces(at_start: Array, at_end: Array) -> Array:
    """Triangles (m, 3) of walls whose corners come in four blocks: start and end at the ground, end and
    start at their heights; none where a wall has no height at an end."""
    count = len(at_start)
    i = np.arange(count)
    first = np.stack([i, i + count, i + 2 * count], axis=1)[np.abs(at_end) > LEVEL_MM]
    second = np.stack([i, i + 2 * count, i + 3 * count], axis=1)[np.abs(at_start) > LEVEL_MM]
    return np.concatenate([first, second]).astype(np.int32)


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
        return np.asarray(mixed / np.linalg.norm(mixed, axis=1, keepdims=True))

    return shared(before, end[before] == start), shared(after, start[after] == end)
