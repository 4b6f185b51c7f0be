"""All sides of a piece on one square sheet of maps: each at the same scale, its rim going on into the
gutter round it, so that nothing bleeds over a seam."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.handover.sidemaps import Baking
from kilnchisel.core.picture.baked import Maps
from kilnchisel.core.picture.gutters import GUTTER, spread
from kilnchisel.core.scene.items import Item

Array = NDArray[Any]
Stop = Callable[[], bool]

ROUNDS = 30  # of looking for the scale


@dataclass(frozen=True, eq=False)
class Atlas:
    """The maps of all sides together; ``places``: of each side its left and top texel and its maps' own
    columns and rows."""

    baking: Baking
    maps: Maps
    places: dict[str, tuple[int, int, int, int]]


def atlas_of(
    bakings: Sequence[Baking],
    size: int,
    *,
    relief: bool = True,
    stop: Stop = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> Atlas | None:
    """The sides on a square of so many texels; None when stopped."""
    extents = [(box[2] - box[0], box[3] - box[1]) for box in (one.box for one in bakings)]
    low, high = 0.0, size / min(max(wide, tall) for wide, tall in extents)
    for _ in range(ROUNDS):
        middle = (low + high) / 2
        low, high = (middle, high) if _packed(extents, middle, size) is not None else (low, middle)
    spots = _packed(extents, low, size)
    if spots is None:
        return None
    made = Maps((0.0, 0.0), 1 / max(low, 1e-12), (size, size))
    fine: Array | None = None
    items: list[Item] = []
    parts: list[Part] = []
    places: dict[str, tuple[int, int, int, int]] = {}
    for number, (one, (wide, tall), (left, top)) in enumerate(zip(bakings, extents, spots, strict=True)):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(bakings))

        longest = max(1, int(max(wide, tall) * low))
        maps = one.maps(longest, relief=relief, stop=stop, progress=share)
        if maps is None:
            return None
        rows, columns = maps.shape
        places[one.name] = (left, top, columns, rows)
        _paste(made, maps, left, top, len(items))
        if maps.finer is not None:
            fine = np.full((2 * size, 2 * size), -1, np.int16) if fine is None else fine
            shifted = np.where(maps.finer >= 0, maps.finer + len(items), -1)
            fine[2 * top : 2 * (top + rows), 2 * left : 2 * (left + columns)] = shifted
        items += one.items
        parts += one.parts
    made.finer = fine
    return Atlas(Baking("atlas", (0.0, 0.0, 1.0, 1.0), None, (), tuple(items), tuple(parts)), made, places)


def _packed(extents: list[tuple[float, float]], scale: float, size: int) -> list[tuple[int, int]] | None:
    """Where sides of these extents lie at a scale, in rows, the highest first; None where there is no
    room."""
    spots: list[tuple[int, int]] = [(0, 0)] * len(extents)
    x = y = high = 0
    for number in sorted(range(len(extents)), key=lambda k: -extents[k][1]):
        wide, tall = (int(np.ceil(extent * scale)) + 2 * GUTTER + 1 for extent in extents[number])
        if wide > size or tall > size:
            return None
        if x + wide > size:
            x, y, high = 0, y + high, 0
        if y + tall > size:
            return None
        spots[number] = (x + GUTTER, y + GUTTER)
        x, high = x + wide, max(high, tall)
    return spots


def _paste(into: Maps, maps: Maps, left: int, top: int, first: int) -> None:
    """Lay a side's maps into the atlas; what is nothing near its rim, and the gutter, become as the rim."""
    rows, columns = maps.shape
    spread(into, maps, GUTTER, (top, left))
    part = np.where(maps.part >= 0, maps.part + first, -1)
    into.part[top : top + rows, left : left + columns] = part
