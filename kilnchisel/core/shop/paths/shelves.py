"""Boxes laid on sheets or a roll in the order they come: in rows from the upper left, as people read, so
that what is cut or printed one after the other is picked up in that order."""

from __future__ import annotations

from dataclasses import dataclass

from kilnchisel.core.errors import KilnError
from kilnchisel.core.shop.paths.nesting import sheet_written
from kilnchisel.core.units import format_length, parse_length

LONGEST_MM = 5000.0  # of a roll that is one page


@dataclass(frozen=True)
class Bed:
    """What is laid on: so wide and tall, or of a roll as long as it takes (``tall_mm`` None), with a margin
    all round and a gap between boxes, mm."""

    wide_mm: float
    tall_mm: float | None = None
    margin_mm: float = 10.0
    gap_mm: float = 6.0

    @property
    def tallest_mm(self) -> float:
        return LONGEST_MM if self.tall_mm is None else self.tall_mm

    @property
    def words(self) -> str:
        if self.tall_mm is None:
            return f"a roll {format_length(self.wide_mm)} wide"
        return f"a sheet of {format_length(self.wide_mm)} by {format_length(self.tall_mm)}"


@dataclass(frozen=True)
class Spot:
    """Where the lower left corner of a box lies: on which sheet, from 0, from its lower left corner."""

    sheet: int
    x: float
    y: float


def bed_written(text: str, margin: str = "10mm", gap: str = "6mm") -> Bed:
    """ "330mm" is a roll so wide, "600x300mm" a sheet. Raises KilnError."""
    if "x" in text.lower().replace("×", "x"):
        wide, tall = sheet_written(text)
        bed = Bed(wide, tall, parse_length(margin), parse_length(gap))
    else:
        bed = Bed(parse_length(text), None, parse_length(margin), parse_length(gap))
    if not (10 <= bed.wide_mm <= 20_000):
        raise KilnError("A roll is from 10 mm to 20 m wide.")
    if not (0 <= bed.margin_mm < min(bed.wide_mm, bed.tallest_mm) / 2 and 0 <= bed.gap_mm <= 500):
        raise KilnError("A margin is less than half of what is laid on, and gaps are at most 500 mm.")
    return bed


def shelved(boxes: list[tuple[float, float]], bed: Bed) -> tuple[list[Spot], list[float]]:
    """Where boxes (wide, tall) go, and how much of the height of each sheet is used, margins and all.
    Raises KilnError where one is too large."""
    wide, tall = bed.wide_mm - 2 * bed.margin_mm, bed.tallest_mm - 2 * bed.margin_mm
    rows: list[tuple[int, float, float, list[tuple[int, float]]]] = []  # sheet, its top, height, boxes at x
    sheet, top, left, high = 0, 0.0, 0.0, 0.0
    current: list[tuple[int, float]] = []
    for number, (across, up) in enumerate(boxes):
        if across > wide + 1e-6 or up > tall + 1e-6:
            raise KilnError(
                f"{format_length(across)} by {format_length(up)} does not fit on {bed.words} with "
                f"{format_length(bed.margin_mm)} all round."
            )
        if current and left + across > wide + 1e-6:
            rows.append((sheet, top, high, current))
            top, left, high, current = top + high + bed.gap_mm, 0.0, 0.0, []
        if top + max(high, up) > tall + 1e-6:  # what is begun goes on with it
            sheet, top = sheet + 1, 0.0
        current.append((number, left))
        left, high = left + across + bed.gap_mm, max(high, up)
    if current:
        rows.append((sheet, top, high, current))
    used = [2 * bed.margin_mm] * (sheet + 1)
    for on, row_top, row_high, _ in rows:
        used[on] = max(used[on], row_top + row_high + 2 * bed.margin_mm)
    spots: dict[int, Spot] = {}
    for on, row_top, _, held in rows:
        whole = used[on] if bed.tall_mm is None else bed.tall_mm
        for number, x in held:
            y = whole - bed.margin_mm - row_top - boxes[number][1]
            spots[number] = Spot(on, bed.margin_mm + x, y)
    return [spots[number] for number in range(len(boxes))], used
