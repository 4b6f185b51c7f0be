"""A line to set letters on: through given points, smooth or straight, measured by its length."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import run_of

Array = NDArray[Any]

PIECES = 48  # straight pieces between two points of a smooth curve


@dataclass(frozen=True, eq=False)
class Baseline:
    """A polyline (n, 2) with the length up to each point (n,)."""

    points: Array
    run: Array

    @property
    def length(self) -> float:
        return float(self.run[-1])

    def at(self, run: Array) -> tuple[Array, Array]:
        """Points (k, 2) and unit directions (k, 2) at lengths (k,); straight on beyond the ends."""
        piece = np.clip(np.searchsorted(self.run, run, side="right") - 1, 0, len(self.run) - 2)
        step = self.points[piece + 1] - self.points[piece]
        span = self.run[piece + 1] - self.run[piece]
        way = step / span[:, None]
        return self.points[piece] + way * (run - self.run[piece])[:, None], way

    def height(self, x: Array) -> Array:
        """The line's height over each x; level beyond its ends."""
        order = np.argsort(self.points[:, 0], kind="stable")
        return np.asarray(np.interp(x, self.points[order, 0], self.points[order, 1]))


@lru_cache(maxsize=128)
def baseline_of(points: tuple[tuple[float, float], ...], *, smooth: bool) -> Baseline:
    """The line through points. A smooth one is a centripetal Catmull-Rom spline (exponent 1/2)."""
    corners = np.array(points, dtype=float)
    apart = np.append(True, np.linalg.norm(np.diff(corners, axis=0), axis=1) > 1e-9)
    corners = corners[apart]
    if len(corners) < 2:
        corners = np.array([corners[0] - (0.5, 0.0), corners[0] + (0.5, 0.0)])
    if smooth and len(corners) > 2:
        corners = _spline(corners)
    run = run_of(corners)
    return Baseline(corners, run)


def _spline(p: Array) -> Array:
    closed = np.allclose(p[0], p[-1])
    first = p[-2] if closed else 2 * p[0] - p[1]
    last = p[1] if closed else 2 * p[-1] - p[-2]
    q = np.vstack([first, p, last])
    knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(q, axis=0), axis=1)))])
    rows = [p[:1]]
    for i in range(1, len(q) - 2):
        k0, k1, k2, k3 = knots[i - 1 : i + 3]
        t = np.linspace(k1, k2, PIECES + 1)[1:, None]
        a1 = (k1 - t) / (k1 - k0) * q[i - 1] + (t - k0) / (k1 - k0) * q[i]
        a2 = (k2 - t) / (k2 - k1) * q[i] + (t - k1) / (k2 - k1) * q[i + 1]
        a3 = (k3 - t) / (k3 - k2) * q[i + 1] + (t - k2) / (k3 - k2) * q[i + 2]
        b1 = (k2 - t) / (k2 - k0) * a1 + (t - k0) / (k2 - k0) * a2
        b2 = (k3 - t) / (k3 - k1) * a2 + (t - k1) / (k3 - k1) * a3
        rows.append((k2 - t) / (k2 - k1) * b1 + (t - k1) / (k2 - k1) * b2)
    return np.concatenate(rows)
