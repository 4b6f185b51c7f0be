"""A lens that bends straight lines, by one coefficient.

A point at r from the picture's middle, in halves of its diagonal, is seen by a lens that bends nothing at
r (1 + k r²) (Brown, Close-Range Camera Calibration, 1971: the first radial term). k is found from edges
that are straight in life.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Horizon, Oval, Parallels, Rectangle, Rims, Spot, Told
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.later import optimize

Array = NDArray[Any]

MOST = 1.0  # of the coefficient, either way
ROUNDS = 30


def straight(pixels: Array, bent: float, size: tuple[int, int]) -> Array:
    """Where a lens that bends nothing sees what is at these pixels (n, 2)."""
    if bent == 0:
        return np.asarray(pixels, float)
    middle, half = np.array(size) / 2, np.hypot(*size) / 2
    away = np.asarray(pixels, float) - middle
    square = np.sum(away**2, axis=-1, keepdims=True) / half**2
    return np.asarray(middle + away * (1 + bent * square))


def curved(pixels: Array, bent: float, size: tuple[int, int]) -> Array:
    """Where the bending lens sees what a straight one sees at these pixels (n, 2): the way back, by
    Newton's rule for r (1 + k r²) = s."""
    if bent == 0:
        return np.asarray(pixels, float)
    middle, half = np.array(size) / 2, np.hypot(*size) / 2
    away = np.asarray(pixels, float) - middle
    wanted = np.linalg.norm(away, axis=-1, keepdims=True) / half
    # where the bend turns back, a lens sees nothing farther out
    most = np.sqrt(-1 / (3 * bent)) if bent < 0 else np.inf
    found = np.minimum(wanted, most)
    for _ in range(ROUNDS):
        slope = np.maximum(1 + 3 * bent * found**2, 1e-6)
        found = np.clip(found - (found * (1 + bent * found**2) - wanted) / slope, 0, most)
    return np.asarray(middle + away * (found / np.maximum(wanted, 1e-12)))


def bent_of(edges: Sequence[Array], size: tuple[int, int]) -> tuple[float, float]:
    """The coefficient that makes edges straight, each (n, 2) pixels with n of 3 or more, and how far off
    straight they are then, root mean square, pixels. Raises KilnError where they tell nothing."""
    edges = [np.asarray(edge, float) for edge in edges]
    if not edges or any(len(edge) < 3 for edge in edges):
        raise KilnError("Mark three points at least along each edge that is straight in life.")

    def left(share: Array) -> Array:
        return np.concatenate([_off_line(straight(edge, float(share[0]), size)) for edge in edges])

    found = optimize.least_squares(left, [0.0], bounds=(-MOST, MOST), x_scale=0.05)
    sure = float(found.jac.ravel() @ found.jac.ravel())
    if sure < 1.0:
        raise KilnError("These edges go through the picture's middle; a lens does not bend those.")
    return float(found.x[0]), float(np.sqrt(np.mean(found.fun**2)))


def _off_line(points: Array) -> Array:
    """How far points are off the line that fits them best (n,)."""
    away = points - points.mean(axis=0)
    return np.asarray(away @ np.linalg.svd(away, full_matrices=False)[2][1])


def straightened(told: Any, bent: float, size: tuple[int, int]) -> Any:
    """What was marked as a lens that bends nothing would have shown it."""
    return told if bent == 0 else unbent(told, bent, size)


@by_kind(Told)
def unbent(told: Any, bent: float, size: tuple[int, int]) -> Any:
    """What was marked, with every point where a straight lens sees it."""
    raise NotImplementedError


def _spots(spots: Sequence[Spot], bent: float, size: tuple[int, int]) -> tuple[Spot, ...]:
    return tuple((float(x), float(y)) for x, y in straight(np.array(spots), bent, size))


@unbent.of(Rectangle)
def _rectangle(told: Rectangle, bent: float, size: tuple[int, int]) -> Rectangle:
    return told.model_copy(update={"corners": _spots(told.corners, bent, size)})


@unbent.of(Parallels)
def _parallels(told: Parallels, bent: float, size: tuple[int, int]) -> Parallels:
    families = {
        way: tuple(_spots(line, bent, size) for line in getattr(told, way))
        for way in ("along", "upright", "away")
    }
    return told.model_copy(update={**families, "measured": _spots(told.measured, bent, size)})


@unbent.of(Horizon)
def _horizon(told: Horizon, bent: float, size: tuple[int, int]) -> Horizon:
    below = _spots((told.below,), bent, size)[0]
    return told.model_copy(update={"line": _spots(told.line, bent, size), "below": below})


@unbent.of(Rims)
def _rims(told: Rims, bent: float, size: tuple[int, int]) -> Rims:
    update = {name: _oval(getattr(told, name), bent, size) for name in ("rim", "foot")}
    return told.model_copy(update=update)


def _oval(oval: Oval, bent: float, size: tuple[int, int]) -> Oval:
    """An ellipse by the ends of its axes."""
    turn = np.radians(oval.turn_deg)
    along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    ends = np.array([along, -along]) * oval.long_px, np.array([across, -across]) * oval.short_px
    four = straight(np.concatenate(ends) + oval.middle, bent, size)
    middle = four.mean(axis=0)
    long_px, short_px = (float(np.linalg.norm(pair[0] - pair[1])) / 2 for pair in (four[:2], four[2:]))
    made = {"middle": (float(middle[0]), float(middle[1])), "long_px": long_px, "short_px": short_px}
    return oval.model_copy(update=made)
