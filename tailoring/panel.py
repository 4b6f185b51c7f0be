"""A panel of cloth as it is cut: its outline in runs, and where it lies before it is worn."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Edge:
    """A run of a panel's outline: (n, 2) on its sheet, both ends included. ``seam``: edges of one seam are
    sewn together, point by point; "" for a free edge. ``turned``: it runs against the seam's own way."""

    points: Array
    seam: str = ""
    turned: bool = False


@dataclass(frozen=True, eq=False)
class Panel:
    """``edges`` follow on each other counter-clockwise round it. ``lies``: its sheet (n, 2) -> where it
    lies before it is worn, (n, 3). ``rib``: it is knitted rib, and letters do not go on it. ``stiff``: how
    much stiffer than the cloth of the rest it bends."""

    name: str
    edges: tuple[Edge, ...]
    lies: Callable[[Array], Array]
    rib: bool = False
    stiff: float = 1.0

    @property
    def ring(self) -> Array:
        """Its outline (n, 2), not repeated."""
        return np.concatenate([edge.points[:-1] for edge in self.edges])


def run_of(line: Array) -> Array:
    """How far along a line (n, 2) its points are."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])


def evenly(line: Array, step: float) -> Array:
    """A line (n, 2) with points about ``step`` apart, its ends kept."""
    along = run_of(line)
    count = max(round(along[-1] / step), 1)
    places = np.linspace(0, along[-1], count + 1)
    return np.stack([np.interp(places, along, line[:, axis]) for axis in (0, 1)], axis=1)


def bezier(a: Any, b: Any, c: Any, d: Any) -> Array:
    """A cubic curve by its four points, (65, 2)."""
    t = np.linspace(0, 1, 65)[:, None]
    p = [np.asarray(one, dtype=float) for one in (a, b, c, d)]
    curve = (1 - t) ** 3 * p[0] + 3 * t * (1 - t) ** 2 * p[1] + 3 * t * t * (1 - t) * p[2] + t**3 * p[3]
    return np.asarray(curve)


# a part of a neckline, (n, 2); what it is sewn to; whether against its way; the sign of its side
NeckRun = tuple[Array, str, bool, float]
