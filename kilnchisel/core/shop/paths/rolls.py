"""Pieces laid on a roll: in rows across it, the highest first, as little of its length as that takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import format_length


@dataclass(frozen=True)
class Place:
    """Where a piece lies: turned by 90 degrees to the left or not, then shifted, mm."""

    turned: bool
    shift: tuple[float, float]

    def of(self, shape: Any) -> Any:
        """A shape of the piece, where it lies."""

        def moved(points: Any) -> Any:
            there = np.stack([-points[:, 1], points[:, 0]], axis=1) if self.turned else points
            return there + self.shift

        return shapely.transform(shape, moved)


def on_roll(
    boxes: list[tuple[float, float, float, float]], roll_mm: float, gap_mm: float
) -> tuple[list[Place], float]:
    """Where pieces of these boxes (left, low, right, high) lie on a roll, x along it from 0 and y across
    it, and the length used. Raises KilnError where one is too large for it both ways."""
    fitted = []
    for number, (left, low, right, high) in enumerate(boxes):
        wide, tall = right - left, high - low
        ways = [way for way in ((wide, tall, False), (tall, wide, True)) if way[1] <= roll_mm]
        if not ways:
            raise KilnError(
                f"A piece of {format_length(wide)} by {format_length(tall)} does not fit on a roll with "
                f"{format_length(roll_mm)} to cut on; take a wider one, or cut it in parts."
            )
        fitted.append((number, *min(ways, key=lambda way: (way[0], way[2]))))
    # a row is as long as its longest piece, so those of like length go together
    places = [Place(turned=False, shift=(0.0, 0.0))] * len(boxes)
    rows: list[list[float]] = []  # where each begins, how long it is, how much of the width is taken
    for number, long, across, turned in sorted(fitted, key=lambda one: -one[1]):
        row = next((r for r in rows if r[2] + gap_mm + across <= roll_mm), None)
        if row is None:
            begin = rows[-1][0] + rows[-1][1] + gap_mm if rows else 0.0
            row = [begin, long, -gap_mm]
            rows.append(row)
        left, low, _, high = boxes[number]
        corner = (-high, left) if turned else (left, low)
        places[number] = Place(turned, (row[0] - corner[0], row[2] + gap_mm - corner[1]))
        row[2] += gap_mm + across
    return places, rows[-1][0] + rows[-1][1] if rows else 0.0
