"""Road wheels: tyre, rim with spokes, nuts and a brake disc behind."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Shell
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.tubes import lathed, plate
from kilnchisel.core.detail import Detail
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
RIM = 0.66  # of the tyre's radius
SPOKES, NUTS = 6, 5
# half way through the hub: by share of the rim's radius and of half its width
HUB = np.array(
    [[0, 0.4], [0.34, 0.4], [0.37, 0.56], [0.3, 0.66], [0.16, 0.7], [0.15, 0.76], [0.1, 0.8], [0, 0.81]]
)
# the same of a pressed one: its bolt ring, and the hub within it
DISH = np.array(
    [[0, 0.15], [0.62, 0.15], [0.56, 0.42], [0.52, 0.46], [0.3, 0.46], [0.27, 0.8], [0.23, 0.86], [0, 0.87]]
)
HOLES = 10
GROOVES = (-0.27, -0.09, 0.09, 0.27)  # of the tread, by share of the width
GROOVE_MM, GROOVE_DEEP_MM = 9.0, 8.0


Face = Literal["spoked", "pressed"]


def wheel(
    name: str,
    middle: Array,
    radius: float,
    wide: float,
    way: float,
    *,
    face: Face = "spoked",
    detail: Detail,
) -> list[Shell]:
    """A wheel whose outer face looks along y by the sign of ``way``; ``middle``: of its tyre; ``face``:
    with spokes, or pressed of steel with holes all round."""
    return [
        Shell(
            f"{name} {part}",
            slot,
            replace(mesh, points=mesh.points + middle),  # all else is shared by all wheels of a side
            f"{name} {part}",
        )
        for part, slot, mesh in _made(radius, wide, way, face, detail=detail)
    ]


@remembered
def _made(
    radius: float, wide: float, way: float, face: Face, *, detail: Detail
) -> tuple[tuple[str, FinishSlot, Mesh], ...]:
    """The parts of a wheel about the origin, with their finishes."""
    axis, middle = way * Y, np.zeros(3)
    around = 72 if detail.fine else 20
    disc = lathed(_disc(0.78 * RIM * radius, -0.1 * wide, 24.0), middle, axis, X, around)
    return (
        ("tyre", "tyre", lathed(_tyre(radius, wide, detail=detail), middle, axis, X, around)),
        ("rim", "rim", _rim(middle, radius, wide, axis, around, face, detail=detail)),
        ("brake", "under", disc),
    )


def _tyre(radius: float, wide: float, *, detail: Detail) -> Array:
    """Half way through a tyre, (n, 2): radius, and along the axis outward."""
    half, inner = wide / 2, RIM * radius
    wall = radius - inner
    t = np.linspace(0, 1, 9 if detail.fine else 4)
    # the wall bulges out from the rim and rounds into the tread
    bulge = half * (0.86 + 0.14 * np.sin(np.pi * np.clip(0.15 + 0.75 * t, 0, 1)))
    bulge[-3 if detail.fine else -1 :] *= (0.985, 0.94, 0.84) if detail.fine else 0.9
    out = np.stack([inner + wall * (t**0.94) * np.array([1.0] * (len(t) - 1) + [0.995]), bulge], axis=1)
    tread = []
    if detail.fine:
        for share in GROOVES:
            at, deep = share * wide, radius - GROOVE_DEEP_MM
            low, high = at - GROOVE_MM / 2, at + GROOVE_MM / 2
            tread += [(radius, low), (deep, low + 1.5), (deep, high - 1.5), (radius, high)]
    tread = [(radius, -0.72 * half), *tread, (radius, 0.72 * half)]
    inward = out * (1.0, -1.0)
    # counter-clockwise: up the tread, in over the outer wall, down the bore, out over the inner wall
    return np.concatenate([inward, np.array(tread), out[::-1]])


def _rim(
    middle: Array, radius: float, wide: float, axis: Array, around: int, face: Face, *, detail: Detail
) -> Mesh:
    """Its barrel with a rolled edge, the spoked face, the cap and the nuts."""
    inner, half = RIM * radius, wide / 2
    barrel = np.array(
        [
            [0.9 * inner, -0.8 * half],
            [inner + 6, -0.86 * half],
            [inner + 6, 0.86 * half],
            [inner + 3, 0.9 * half],
            [0.965 * inner, 0.9 * half],
            [0.94 * inner, 0.84 * half],
            [0.9 * inner, 0.5 * half],
        ]
    )
    parts = [lathed(barrel, middle, axis, X, around)]
    if not detail.fine:
        parts.append(lathed(_disc(0.93 * inner, 0.52 * half, 14.0), middle, axis, X, around))
        return join(parts)
    if face == "pressed":
        return join([*parts, *_pressed(middle, inner, half, axis, around)])
    return join([*parts, *_spoked(middle, inner, half, axis)])


def _spoked(middle: Array, inner: float, half: float, axis: Array) -> list[Mesh]:
    """A face that dishes in towards the hub, with openings between its spokes."""
    side = np.cross(axis, X)
    face = shapely.Point(0, 0).buffer(0.935 * inner, quad_segs=24)
    for number in range(SPOKES):
        turn = (number + 0.5) * 2 * np.pi / SPOKES
        ways = [turn - 0.31, turn - 0.3, turn, turn + 0.3, turn + 0.31]
        rim = [(0.83 * inner * np.cos(a), 0.83 * inner * np.sin(a)) for a in ways]
        near = [(0.42 * inner * np.cos(a), 0.42 * inner * np.sin(a)) for a in (turn + 0.2, turn - 0.2)]
        hole = shapely.Polygon([*rim, *near]).buffer(-9).buffer(9, quad_segs=5)
        face = face.difference(hole)
    hub = lathed(HUB * (inner, half), middle, axis, X, 36)
    spokes = plate(face, middle + 0.46 * half * axis, X, side, 22.0)
    return [spokes, hub, *_nuts(middle + 0.6 * half * axis, 0.235 * inner, NUTS, axis)]


def _pressed(middle: Array, inner: float, half: float, axis: Array, around: int) -> list[Mesh]:
    """A dished disc of steel with round holes, a hub that stands out, and nuts."""
    side = np.cross(axis, X)
    face = shapely.Point(0, 0).buffer(0.955 * inner, quad_segs=24)
    for number in range(HOLES):
        turn = number * 2 * np.pi / HOLES
        at = (0.77 * inner * np.cos(turn), 0.77 * inner * np.sin(turn))
        face = face.difference(shapely.Point(at).buffer(0.085 * inner, quad_segs=6))
    flat = plate(face, middle + 0.2 * half * axis, X, side, 14.0)
    dish = lathed(DISH * (inner, half), middle, axis, X, around)
    return [flat, dish, *_nuts(middle + 0.45 * half * axis, 0.42 * inner, HOLES, axis, 15.0)]


def _nuts(middle: Array, out: float, count: int, axis: Array, size: float = 9.5) -> list[Mesh]:
    side, nut = np.cross(axis, X), shapely.Point(0, 0).buffer(size, quad_segs=2)
    turns = np.arange(count) * 2 * np.pi / count
    spots = middle + out * (np.cos(turns)[:, None] * X + np.sin(turns)[:, None] * side)
    one = plate(nut, np.zeros(3), X, side, 2.1 * size)
    return [replace(one, points=one.points + spot) for spot in spots]


def _disc(radius: float, at: float, thick: float) -> Array:
    return np.array([[0.0, at], [radius, at], [radius, at + thick], [0.0, at + thick]])
