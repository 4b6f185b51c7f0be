"""What is cut flat and then laid on: the true flat pattern of a side where it has one.

A plane, a cylinder and a cone unroll without stretch, so that everything on them keeps its place; cloth
has the pattern that it was cut by. What bends both ways otherwise has no flat pattern: there each lettering
is taken true to size at its own height, as it would be cut and pressed on.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.cloth import ClothSide
from kilnchisel.core.blanks.sides import Cylinder, Plane, Side
from kilnchisel.core.blanks.turnedside import Turned
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid, cone_step

Array = NDArray[Any]

STRAIGHT_MM = 1e-4  # a side whose radius changes less is a cylinder


@dataclass(frozen=True, eq=False)
class Flat:
    """How the sheet of a lettering becomes what is cut: ``points`` takes sheet points (n, 2) to flat mm and
    ``back`` takes those to the sheet again, ``closely`` gives a geometry points enough for that, ``words``
    say which pattern it is."""

    points: Callable[[Array], Array]
    back: Callable[[Array], Array]
    closely: Callable[[Any], Any]
    words: str


def flats_of(laid: Sequence[Laid]) -> list[Flat]:
    """The flat patterns of letterings of one side, which keep their places to each other where the side
    unrolls without stretch."""
    boxes = [item.ink.bounds for item in laid if not item.ink.is_empty]
    middle = (min(box[0] for box in boxes) + max(box[2] for box in boxes)) / 2 if boxes else 0.0
    return [_flat(item, middle) for item in laid]


def _flat(laid: Laid, middle: float) -> Flat:
    side = laid.side
    if isinstance(side, Plane):
        return _lying("as it lies")
    if isinstance(side, ClothSide):
        return _lying("as the cloth lies when it is ironed")
    if isinstance(side, Chart):
        return _lying("as unrolled round its spot")
    if unrolls_true(side):
        return _lying("true flat pattern of the cylinder")
    if side.taper is not None:
        step = cone_step(laid.middle, side)
        return Flat(
            lambda uv: on_sector(uv, side, middle),
            lambda flat: off_sector(flat, side, middle),
            lambda shape: shapely.segmentize(shape, step),
            "true flat pattern of the cone",
        )
    spot = laid.middle
    true = side.true_at(spot)
    back = np.linalg.inv(true)
    return Flat(
        lambda uv: (uv - spot) @ true.T + true @ spot,
        lambda flat: (flat - true @ spot) @ back.T + spot,
        _as_it_is,
        "true to size at its own height; this side has no flat pattern",
    )


def _lying(words: str) -> Flat:
    """Of a side whose own sheet is true to size."""
    return Flat(np.asarray, np.asarray, _as_it_is, words)


def distance_on(side: Side, start: Array, end: Array) -> tuple[float, float, float]:
    """How far apart two points of a side's sheet are, (2,) each, mm over its surface along the line that is
    straight on the sheet; then how far along u and how far up v, from the first point."""
    corner = np.array([end[0], start[1]])
    ways = ((start, end), (start, corner), (start, np.array([start[0], end[1]])))
    found = []
    for a, b in ways:
        line = a + np.linspace(0, 1, WAY_STEPS + 1)[:, None] * (b - a)
        spots = side.to_body(line, np.zeros(len(line)))
        found.append(float(np.linalg.norm(np.diff(spots, axis=0), axis=1).sum()))
    return found[0], found[1], found[2]


WAY_STEPS = 512


def _as_it_is(shape: Any) -> Any:
    return shape


def unrolls_true(side: Side) -> bool:
    """Whether a side's own sheet is true to size all over: flat, a cylinder, or a pattern of cloth."""
    if isinstance(side, Turned):
        return float(np.ptp(side.profile.radius)) < STRAIGHT_MM
    return isinstance(side, Plane | Cylinder | ClothSide)


def on_sector(uv: Array, side: Side, middle: float) -> Array:
    """Sheet points (n, 2) of a cone's side on its flat pattern, mm, upright at u = ``middle``.

    A cone of half angle a unrolls to a sector: a point at distance S = r / sin(a) from the apex keeps it,
    and its angle round the axis becomes that times sin(a) (elementary geometry of developable surfaces).
    """
    sine, period = side.taper, side.period
    assert sine is not None and period is not None
    reference = period / (2 * np.pi)
    slant = side.jacobian(uv)[:, 0, 0] * reference / abs(sine)
    angle = (uv[:, 0] - middle) / reference * abs(sine)
    up = float(np.sign(sine))
    apex = reference / abs(sine)  # v = 0 is at the reference radius
    return np.stack([slant * np.sin(angle) + middle, up * (slant * np.cos(angle) - apex)], axis=1)


def off_sector(flat: Array, side: Side, middle: float) -> Array:
    """Sheet points (n, 2) of places on a cone's flat pattern, mm: the way back from ``on_sector``."""
    sine, period = side.taper, side.period
    assert sine is not None and period is not None
    reference = period / (2 * np.pi)
    up, apex = float(np.sign(sine)), reference / abs(sine)
    across, along = flat[:, 0] - middle, up * flat[:, 1] + apex
    u = middle + np.arctan2(across, along) * reference / abs(sine)
    return np.stack([u, up * (np.hypot(across, along) - apex)], axis=1)
