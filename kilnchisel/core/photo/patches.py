"""Patches of a picture compared, sought and put to the vote, by compiled loops.

A field says for every pixel which other one its patch is like: (h, w, 2) int32, rows and columns.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

Array = NDArray[Any]
F = TypeVar("F")

HALF = 3  # of a patch, pixels: 7 x 7
MOST_PARTS = 8

compiled: Callable[[F], F] = njit(cache=True, nogil=True, fastmath=True)


@njit(cache=True, nogil=True, inline="always")  # type: ignore[untyped-decorator]
def _mixed(a: int, b: int) -> int:
    """A number that looks like chance, the same for the same arguments."""
    x = (a * 0x9E3779B1 + b * 0x85EBCA77) & 0xFFFFFFFF
    x = ((x ^ (x >> 15)) * 0x2C1B3C6D) & 0xFFFFFFFF
    x = ((x ^ (x >> 12)) * 0x297A2D39) & 0xFFFFFFFF
    return x ^ (x >> 15)


@compiled
def apart(values: Array, r: int, c: int, sr: int, sc: int, least: Any) -> Any:
    """How far two patches differ, the squares summed; more than ``least`` is not summed on."""
    height, width = values.shape[0], values.shape[1]
    total = np.float32(0.0)
    for i in range(-HALF, HALF + 1):
        y = min(max(r + i, 0), height - 1)
        for j in range(-HALF, HALF + 1):
            x = min(max(c + j, 0), width - 1)
            for k in range(3):
                d = values[y, x, k] - values[sr + i, sc + j, k]
                total += d * d
        if total >= least:
            return total
    return total


@compiled
def compare(spots: Array, costs: Array, values: Array, known: Array, sources: Array) -> None:
    """How far what is known about each spot is from each source, (n, m): the mean of the squares."""
    height, width = known.shape
    for n in range(len(spots)):
        r, c = spots[n, 0], spots[n, 1]
        for m in range(len(sources)):
            total, count = np.float32(0.0), 0
            for i in range(-HALF, HALF + 1):
                for j in range(-HALF, HALF + 1):
                    y, x = r + i, c + j
                    if y < 0 or y >= height or x < 0 or x >= width or not known[y, x]:
                        continue
                    count += 1
                    for k in range(3):
                        d = values[y, x, k] - values[sources[m, 0] + i, sources[m, 1] + j, k]
                        total += d * d
            costs[n, m] = total / max(count, 1)


@compiled
def improve(
    spots: Array, better: Array, values: Array, field: Array, cost: Array, usable: Array, seed: int
) -> None:
    """Nearer patches for some spots: those next to their neighbours' and some by chance."""
    height, width = usable.shape
    for n in range(len(spots)):
        r, c = spots[n, 0], spots[n, 1]
        br, bc = field[r, c, 0], field[r, c, 1]
        best = apart(values, r, c, br, bc, np.float32(1e30))
        for reach in (1, 4):
            for way in range(4):
                dr = (reach, -reach, 0, 0)[way]
                dc = (0, 0, reach, -reach)[way]
                nr, nc = r + dr, c + dc
                if nr < 0 or nr >= height or nc < 0 or nc >= width:
                    continue
                sr, sc = field[nr, nc, 0] - dr, field[nr, nc, 1] - dc
                if sr < 0 or sr >= height or sc < 0 or sc >= width or not usable[sr, sc]:
                    continue
                if sr == br and sc == bc:
                    continue
                found = apart(values, r, c, sr, sc, best)
                if found < best:
                    best, br, bc = found, sr, sc
        radius = max(height, width)
        tries = 0
        while radius >= 1:
            draw = _mixed(seed * 64 + tries, r * 65536 + c)
            sr = br + draw % (2 * radius + 1) - radius
            sc = bc + (draw // 65536) % (2 * radius + 1) - radius
            if 0 <= sr < height and 0 <= sc < width and usable[sr, sc]:
                found = apart(values, r, c, sr, sc, best)
                if found < best:
                    best, br, bc = found, sr, sc
            radius //= 2
            tries += 1
        better[r, c, 0], better[r, c, 1] = br, bc
        cost[r, c] = best


def voted(
    values: Array, field: Array, holes: Array, near: float, hole: Array, weight: Array | None = None
) -> Array:
    """What a field says each pixel of a hole is, (n, 3): of the patches over it, those whose middle is near
    have a say, none that shows the hole itself, and each as much as it has ``weight`` (h, w)."""
    said = np.zeros((len(holes), 3), np.float32)
    if weight is None:
        weight = np.ones(hole.shape, np.float32)
    shared(_vote, holes, said, values, field, weight.astype(np.float32), np.float32(near), hole)
    return said


@compiled
def _vote(
    holes: Array, said: Array, values: Array, field: Array, weight: Array, near: Any, hole: Array
) -> None:
    height, width = field.shape[0], field.shape[1]
    for n in range(len(holes)):
        r, c = holes[n, 0], holes[n, 1]
        total = np.float32(0.0)
        for i in range(-HALF, HALF + 1):
            for j in range(-HALF, HALF + 1):
                y, x = r + i, c + j
                if y < 0 or y >= height or x < 0 or x >= width:
                    continue
                sr, sc = field[y, x, 0] - i, field[y, x, 1] - j
                if sr < 0 or sr >= height or sc < 0 or sc >= width or hole[sr, sc]:
                    continue
                share = weight[y, x] * np.exp(-(i * i + j * j) / (2 * near * near))
                total += share
                for k in range(3):
                    said[n, k] += share * values[sr, sc, k]
        if total > 0:
            for k in range(3):
                said[n, k] /= total


def shared(does: Any, spots: Array, out: Array, *rest: Any) -> None:
    """A kernel over its spots, in as many parts as there are processors. ``out``: a row for each spot, or
    a picture that each spot has its own pixel of."""
    parts = max(min(os.cpu_count() or 1, MOST_PARTS), 1)
    edges = np.linspace(0, len(spots), parts + 1).astype(int)
    rows = len(out) == len(spots) and out.ndim == 2
    with ThreadPoolExecutor(parts) as pool:
        for one in [
            pool.submit(does, spots[a:b], out[a:b] if rows else out, *rest)
            for a, b in itertools.pairwise(edges)
        ]:
            one.result()
