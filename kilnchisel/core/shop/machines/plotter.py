"""A simulated plotter: what the knife of a roll plotter does with an HPGL file.

The tip of a drag knife is pulled after its pivot at a fixed distance: it moves along the blade only, on a
tractrix, here in steps much shorter than the blade is.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.polygons import length_of, run_of

Array = NDArray[Any]

MM_A_UNIT = 0.025
WORD = re.compile(r"([A-Za-z]{2})([^A-Za-z;]*);?")
KNOWN = ("IN", "SP", "PU", "PD", "PA", "PR")
STEPS_A_BLADE = 24


@dataclass(frozen=True, eq=False)
class Plotted:
    """Lines (n, 2) in mm that the pivot went with the knife down, each with its pen, and how far it went
    with the knife up."""

    lines: list[tuple[int, Array]]
    travel_mm: float

    @property
    def cut_mm(self) -> float:
        """How far it went with the knife down."""
        return sum(length_of(line) for _, line in self.lines)


def read_hpgl(data: bytes) -> Plotted:
    """What a plotter does with a file. Raises KilnError naming what it does not know."""
    text = "".join(data.decode("ascii", "replace").split())
    here, pen, down, relative = np.zeros(2), 1, False, False
    lines: list[tuple[int, list[Array]]] = []
    travel, end = 0.0, 0
    for match in WORD.finditer(text):
        if match.start() != end:
            raise KilnError(f"“{text[end : match.start()][:20]}” is no instruction of a plotter.")
        end = match.end()
        word, rest = match[1].upper(), match[2]
        if word not in KNOWN:
            raise KilnError(f"{word} is not known here, only {', '.join(KNOWN)}.")
        try:
            numbers = [float(part) for part in rest.split(",") if part]
        except ValueError:
            raise KilnError(f"“{word}{rest[:20]}” has what is no number.") from None
        if word == "SP":
            pen, down = int(numbers[0]) if numbers else 0, False
            continue
        if word in ("PU", "PD"):
            down = word == "PD"
        elif word in ("PA", "PR"):
            relative = word == "PR"
        if len(numbers) % 2:
            raise KilnError(f"“{word}{rest[:20]}” has a number too few.")
        for x, y in zip(numbers[::2], numbers[1::2], strict=True):
            to = np.array([x, y]) * MM_A_UNIT + (here if relative else 0)
            if not down:
                travel += float(np.linalg.norm(to - here))
            elif lines and lines[-1][0] == pen and lines[-1][1] and np.array_equal(lines[-1][1][-1], here):
                lines[-1][1].append(to)
            else:
                lines.append((pen, [here, to]))
            here = to
        if word == "PU":
            lines.append((pen, []))  # the next line is another one
    if end != len(text):
        raise KilnError(f"“{text[end:][:20]}” is no instruction of a plotter.")
    return Plotted([(pen, np.array(points)) for pen, points in lines if points], travel)


def tip_way(pivot: Array, offset_mm: float) -> Array:
    """Where the tip of a knife cuts while its pivot goes a way (n, 2) mm; it begins behind it on its first
    piece."""
    if offset_mm <= 0:
        return pivot
    far = run_of(pivot)
    count = max(int(far[-1] / (offset_mm / STEPS_A_BLADE)), 2)
    at = np.linspace(0, far[-1], count)
    at = np.union1d(at, far)
    fine = np.stack([np.interp(at, far, pivot[:, axis]) for axis in (0, 1)], axis=1)
    ahead = pivot[1] - pivot[0]
    tip = pivot[0] - offset_mm * ahead / np.linalg.norm(ahead)
    made = [tip]
    for point in fine[1:]:
        blade = point - tip
        tip = point - offset_mm * blade / np.linalg.norm(blade)
        made.append(tip)
    return np.array(made)
