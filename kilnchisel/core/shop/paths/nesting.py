"""Pieces laid on sheets of stock so that little is wasted: each as low and as far to the left as it goes,
turned as its grain lets it, the largest first.

Where a piece goes is looked up on a grid: the sheet's free cells against the piece's own, all places at
once by convolution, as fine as the gap between pieces asks. What is laid is the piece itself.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import affinity

from kilnchisel.core.errors import KilnError
from kilnchisel.core.fourier import convolved_within
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.units import format_length, parse_length

Array = NDArray[Any]

MOST_CELLS = 700  # along a sheet
MOST_SHEETS = 40
MOST_PIECES = 400
Grain = Literal["none", "along"]


@dataclass(frozen=True)
class Stock:
    """Sheets that pieces are cut from, mm: ``margin_mm`` all round is left, ``gap_mm`` between pieces.
    ``grain``: along the sheet, so that pieces are turned half round at most, or none."""

    wide_mm: float
    tall_mm: float
    margin_mm: float = 10.0
    gap_mm: float = 8.0
    grain: Grain = "none"


@dataclass(frozen=True, eq=False)
class Nested:
    """Where a piece lies: on which sheet, from 0, turned by so many degrees, and its region there."""

    piece: int
    sheet: int
    turned_deg: float
    region: shapely.MultiPolygon


def nested(pieces: list[Any], stock: Stock) -> list[Nested]:
    """Where pieces go, in their own order, each a region in mm. Raises KilnError where one is larger than a
    sheet, or there are too many."""
    if len(pieces) > MOST_PIECES:
        raise KilnError(
            f"{len(pieces)} pieces are more than the {MOST_PIECES} that are laid on sheets at once."
        )
    wide, tall = (size - 2 * stock.margin_mm for size in (stock.wide_mm, stock.tall_mm))
    if wide <= 0 or tall <= 0:
        raise KilnError("The margin leaves nothing of the sheet.")
    cell = max(max(wide, tall) / MOST_CELLS, stock.gap_mm / 8, 0.1)
    turns = (0.0, 180.0) if stock.grain == "along" else (0.0, 90.0, 180.0, 270.0)
    taken: list[Array] = []  # of each sheet, (rows, columns) bool
    # half a gap goes round each piece, and may lie on the margin
    shape = tuple(math.ceil((size + stock.gap_mm) / cell) + 2 for size in (tall, wide))
    found: dict[int, Nested] = {}
    for number in sorted(range(len(pieces)), key=lambda k: -pieces[k].area):
        found[number] = _laid(number, pieces[number], stock, turns, taken, (shape[0], shape[1]), cell)
    return [found[number] for number in range(len(pieces))]


def _laid(
    number: int,
    piece: Any,
    stock: Stock,
    turns: tuple[float, ...],
    taken: list[Array],
    shape: tuple[int, int],
    cell: float,
) -> Nested:
    """Lay one piece on the first sheet that has room for it."""
    forms = [(turn, *_form(piece, turn, stock.gap_mm, cell)) for turn in turns]
    rooms = [_room(region, stock, cell) for _, region, _ in forms]
    fits = [(form, room) for form, room in zip(forms, rooms, strict=True) if min(room) >= 0]
    if not fits:
        left, low, right, high = piece.bounds
        raise KilnError(
            f"A piece of {format_length(right - left)} by {format_length(high - low)} does not fit on a "
            f"sheet of {format_length(stock.wide_mm)} by {format_length(stock.tall_mm)}; take a larger one."
        )
    for sheet in range(MOST_SHEETS):
        if sheet == len(taken):
            taken.append(np.zeros(shape, bool))
        spots = [
            (spot, one) for one, room in fits if (spot := _lowest(taken[sheet], one[2], room)) is not None
        ]
        if not spots:
            continue
        (row, column), (turn, region, mask) = min(spots, key=_top)
        taken[sheet][row : row + mask.shape[0], column : column + mask.shape[1]] |= mask
        place = stock.margin_mm + np.array([column, row]) * cell
        x, y = place - region.bounds[:2]
        moved = affinity.translate(region, x, y)
        return Nested(number, sheet, turn, shapely.MultiPolygon(polygons_in(moved)))
    raise KilnError(f"More than {MOST_SHEETS} sheets would be needed; take larger ones.")


def _top(found: tuple[tuple[int, int], tuple[float, Any, Array]]) -> tuple[int, int]:
    """How high a piece reaches where it would go, and how far to the right it begins."""
    (row, column), (_, _, mask) = found
    return row + mask.shape[0], column


def _form(piece: Any, turn_deg: float, gap: float, cell: float) -> tuple[Any, Array]:
    """A piece turned, and the cells that it takes with half the gap round it; what is within a closed form
    (a counter) is free for others."""
    turn = np.radians(turn_deg)
    c, s = round(np.cos(turn), 12), round(np.sin(turn), 12)
    region = shapely.transform(piece, lambda p: p @ np.array([[c, s], [-s, c]]))
    left, low, right, high = region.bounds
    half = gap / 2
    columns = int(np.ceil((right - left + gap) / cell)) + 1
    rows = int(np.ceil((high - low + gap) / cell)) + 1
    x = left - half + (np.arange(columns) + 0.5) * cell
    y = low - half + (np.arange(rows) + 0.5) * cell
    # a cell is taken where any of it is: its middle lies in what is grown by half of its diagonal
    grown = shapely.buffer(region, half + 0.71 * cell, quad_segs=4)
    shapely.prepare(grown)
    u, v = np.meshgrid(x, y)
    return region, shapely.contains_xy(grown, u, v)


def _room(region: Any, stock: Stock, cell: float) -> tuple[int, int]:
    """How many cells a piece can lie above and to the right of the lower left corner; below 0: it is too
    large."""
    left, low, right, high = region.bounds
    tall, wide = stock.tall_mm - (high - low), stock.wide_mm - (right - left)
    rows, columns = (math.floor((size - 2 * stock.margin_mm) / cell + 1e-6) for size in (tall, wide))
    return rows, columns


def _lowest(taken: Array, mask: Array, room: tuple[int, int]) -> tuple[int, int] | None:
    """The lowest place, then the leftmost, where a mask meets nothing that is taken."""
    if not taken.any():
        return 0, 0
    met = convolved_within(taken.astype(np.float32), mask[::-1, ::-1].astype(np.float32))
    free = met[: room[0] + 1, : room[1] + 1] < 0.5
    if not free.any():
        return None
    row = int(np.argmax(free.any(axis=1)))
    return row, int(np.argmax(free[row]))


def sheet_written(text: str) -> tuple[float, float]:
    """A sheet's size from "1220x610mm" or "4ft x 8ft". Raises KilnError."""
    parts = [part for part in text.lower().replace("×", "x").split("x") if part.strip()]
    if len(parts) != 2:
        raise KilnError(f"“{text[:30]}” is no sheet; write how wide and how tall it is: 1220x610mm.")
    wide, tall = (parse_length(part.strip()) for part in parts)
    if not (10 <= wide <= 20_000 and 10 <= tall <= 20_000):
        raise KilnError("A sheet is from 10 mm to 20 m wide and tall.")
    return wide, tall


def yield_of(laid: list[Nested], stock: Stock) -> float:
    """How much of the sheets that are begun becomes pieces, 0..1."""
    sheets = 1 + max((one.sheet for one in laid), default=0)
    return float(sum(one.region.area for one in laid) / (sheets * stock.wide_mm * stock.tall_mm))
