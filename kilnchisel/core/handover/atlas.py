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
from kilnchisel.core.scene.scene import Item

Array = NDArray[Any]
Stop = Callable[[], bool]

GUTTER = 8  # texels round each side: enough for three halvings of the maps
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
    return Atlas(Baking("atlas", bakings[0].side, (), tuple(items), tuple(parts)), made, places)


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
    import cv2

    rows, columns = maps.shape
    wide = np.pad(maps.part, GUTTER, constant_values=-1)
    empty = (wide < 0).astype(np.uint8)
    if (wide >= 0).any():
        far, label = cv2.distanceTransformWithLabels(empty, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
        here = np.flatnonzero(wide.ravel() >= 0)
        nearest = np.zeros(int(label.max()) + 1, np.int64)
        nearest[label.ravel()[here]] = here
        source = np.where(far <= GUTTER + 1, nearest[label], -1).ravel()
    else:
        source = np.full(wide.size, -1)
    known = source >= 0
    # back to the side's own texels, without the gutter that was put round it
    y, x = np.divmod(source[known], wide.shape[1])
    y, x = y - GUTTER, x - GUTTER
    at = known.reshape(wide.shape)
    window = np.s_[top - GUTTER : top + rows + GUTTER, left - GUTTER : left + columns + GUTTER]
    for mine, own in (
        (into.colour, maps.colour),
        (into.roughness, maps.roughness),
        (into.metal, maps.metal),
        (into.height, maps.height),
        (into.normal, maps.normal),
    ):
        mine[window][at] = own[y, x]
    if maps.emission is not None:
        if into.emission is None:
            into.emission = np.zeros((*into.shape, 3), np.float16)
        into.emission[window][at] = maps.emission[y, x]
    part = np.where(maps.part >= 0, maps.part + first, -1)
    into.part[top : top + rows, left : left + columns] = part
