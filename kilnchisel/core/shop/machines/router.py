"""A simulated router with three axes: it follows a program through stock and measures what is left.

The stock is a height map. A cutter that moves takes away all that is above its edge; it is set down along
its way in steps of half a cell, so that what is left is right to a fraction of the cell.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import compiled
from kilnchisel.core.shop.machines.rs274 import Program
from kilnchisel.core.shop.paths.surface import Heights, cells_of
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]
Stop = Callable[[], bool]

MOST_CELLS = 4_000_000  # of stock where nobody says how fine
CELLS_A_TOOL, LEAST_CELL_MM = 16, 0.02  # to the smallest cutter's radius, and not finer
RAPID_MM_MIN, ACCELERATION = 5000.0, 500.0  # common practice of small machines; mm/s²
UNDER_MM = 3.0  # what a board under the stock takes
CHANGE_S = 20.0  # to change a cutter, common practice
TOUCHES_MM = 0.01  # what a rapid move takes away less of is rounding
PART = 4000  # moves between two looks at whether it is still wanted
STEP = 0.5  # of a cell, along the way


@dataclass(frozen=True)
class Trouble:
    """Something that a machine must not do, and the line of the program."""

    line: int
    says: str


@dataclass(frozen=True, eq=False)
class Routed:
    """What is left of the stock, z from its top; what went wrong; how long it took."""

    heights: Heights
    stock: tuple[float, float, float]
    troubles: list[Trouble]
    seconds: float
    cut_mm: float
    travel_mm: float

    @property
    def removed_mm3(self) -> float:
        """How much was cut away."""
        return float(-np.maximum(self.heights.values, -self.stock[2]).sum() * self.heights.cell_mm**2)


def route(
    program: Program,
    stock: tuple[float, float, float],
    tools: dict[int, Tool] | None = None,
    cell_mm: float | None = None,
    stop: Stop = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> Routed | None:
    """Follow a program through stock of (wide, tall, thick) mm, its lower left corner and its top at 0.
    ``tools``: cutters by number where the program does not say. None when stopped. Raises KilnError."""
    wide, tall, thick = stock
    if min(stock) <= 0:
        raise KilnError("Stock is wide, tall and thick: 600x300x30.")
    known = program.tools | (tools or {})
    finest = min((tool.radius_mm for tool in known.values()), default=1.0) / CELLS_A_TOOL
    cell = cell_mm or max((wide * tall / MOST_CELLS) ** 0.5, finest, LEAST_CELL_MM)
    across, up = cells_of(wide, tall, cell)
    values = np.zeros((up, across), np.float64)
    troubles: list[Trouble] = []
    low, high = program.ends.min(axis=0), program.ends.max(axis=0)
    widest = max((tool.radius_mm for tool in known.values()), default=0.0)
    beyond = max(-low[0], -low[1], high[0] - wide, high[1] - tall) - widest
    if beyond > 1e-6:
        troubles.append(Trouble(0, f"it goes {beyond:.2f} mm farther than beside the stock"))
    for number in np.unique(program.tool[~program.rapid]):
        if int(number) not in known:
            raise KilnError(
                f"The program does not say what cutter {number} is; name it: --tool “{number}=flat 6mm”."
            )
    for start, end in _runs(program.tool):
        tool = known.get(int(program.tool[start]))
        if tool is None:
            continue
        shape = _shape_of(tool)
        for first in range(start, end, PART):
            last = min(first + PART, end)
            if stop():
                return None
            taken = _cut(values, program.ends[first : last + 1], shape, cell, STEP * cell)
            bad = np.flatnonzero(program.rapid[first:last] & (taken > TOUCHES_MM))
            for k in bad[: 20 - min(len(troubles), 20)]:
                line = int(program.line[first + k])
                troubles.append(Trouble(line, f"a rapid move cuts {taken[k]:.2f} mm deep into the stock"))
            progress(last / len(program.rapid))
        if 0 < tool.flute_mm < -program.ends[start + 1 : end + 1, 2].min():
            troubles.append(
                Trouble(int(program.line[start]), f"it goes deeper than {tool.words} cuts: its shank rubs")
            )
    below = -thick - float(low[2])
    if below > UNDER_MM:
        troubles.append(Trouble(0, f"it goes {below:.1f} mm below the stock"))
    lengths = np.linalg.norm(np.diff(program.ends, axis=0), axis=1)
    return Routed(
        Heights(np.maximum(values, -thick), (0.0, 0.0), cell),
        stock,
        troubles,
        time_of(program),
        float(lengths[~program.rapid].sum()),
        float(lengths[program.rapid].sum()),
    )


def time_of(program: Program, acceleration: float = ACCELERATION) -> float:
    """How long a program takes, seconds: each straight run speeds up and slows down at one rate, what turns
    less than a right angle going on at the speed its turn lets (trapezoid; v²/a each way)."""
    ways = np.diff(program.ends, axis=0)
    length = np.linalg.norm(ways, axis=1)
    kept = length > 1e-9
    ways, length = ways[kept], length[kept]
    speed = np.where(program.rapid[kept], RAPID_MM_MIN, np.minimum(program.feed[kept], RAPID_MM_MIN)) / 60
    unit = ways / length[:, None]
    # at a joint it keeps the share of its speed that goes on in the same direction
    along = np.clip((unit[1:] * unit[:-1]).sum(axis=1), 0.0, 1.0)
    joint = np.concatenate([[0.0], np.minimum(speed[1:], speed[:-1]) * along**2, [0.0]])
    joint = _slowed(joint, length, acceleration)
    return float(_durations(joint, length, speed, acceleration).sum() + program.dwell_s) + (
        program.changes * CHANGE_S
    )


@compiled(nogil=True, cache=True)
def _slowed(joint: Array, length: Array, acceleration: float) -> Array:
    """Speeds at joints (n + 1,) that can be reached from one to the next, forwards and backwards."""
    found = joint.copy()
    for k in range(len(length)):
        found[k + 1] = min(found[k + 1], np.sqrt(found[k] ** 2 + 2 * acceleration * length[k]))
    for k in range(len(length) - 1, -1, -1):
        found[k] = min(found[k], np.sqrt(found[k + 1] ** 2 + 2 * acceleration * length[k]))
    return found


def _durations(joint: Array, length: Array, speed: Array, acceleration: float) -> Array:
    """How long each move takes between its speeds at both ends, seconds."""
    begin, end = joint[:-1], joint[1:]
    top = np.minimum(speed, np.sqrt((begin**2 + end**2) / 2 + acceleration * length))
    top = np.maximum(top, np.maximum(begin, end))
    ramps = (2 * top**2 - begin**2 - end**2) / (2 * acceleration)
    level = np.maximum(length - ramps, 0.0)
    return np.asarray((2 * top - begin - end) / acceleration + level / np.maximum(top, 1e-9))


def _runs(numbers: Array) -> list[tuple[int, int]]:
    """Where equal numbers that follow each other begin and end."""
    cuts = np.flatnonzero(np.diff(numbers)) + 1
    return list(pairwise([0, *cuts.tolist(), len(numbers)]))


FORMS = {"flat": 0, "ball": 1, "v": 2}


def _shape_of(tool: Tool) -> Array:
    """A cutter as ``_cut`` takes it: its form, radius, half the flat of its tip, slope."""
    slope = tool.slope if tool.form == "v" else 0.0
    return np.array([FORMS[tool.form], tool.radius_mm, tool.tip_mm / 2, slope])


@compiled(nogil=True, cache=True)
def _cut(values: Array, ends: Array, shape: Array, cell: float, step: float) -> Array:
    """Move a cutter through places (n + 1, 3); how deep each move cut into what was there (n,)."""
    rows, columns = values.shape
    form, radius, tip, slope = int(shape[0]), shape[1], shape[2], shape[3]
    taken = np.zeros(len(ends) - 1)
    for k in range(len(ends) - 1):
        ax, ay, az = ends[k]
        bx, by, bz = ends[k + 1]
        if az >= 0.0 and bz >= 0.0:
            continue
        far = np.hypot(bx - ax, by - ay)
        count = max(int(np.ceil(far / step)), 1)
        for s in range(count + 1):
            t = s / count
            x, y, z = ax + t * (bx - ax), ay + t * (by - ay), az + t * (bz - az)
            if far == 0.0:
                if s > 0:
                    break
                z = min(az, bz)
            if z >= 0.0:
                continue
            reach = radius  # no wider than it cuts at this depth
            if form == 2:
                reach = min(radius, tip - z / slope)
            elif form == 1 and -z < radius:
                reach = np.sqrt(radius * radius - (radius + z) ** 2)
            first = max(int(np.ceil((x - reach) / cell - 0.5)), 0)
            last = min(int(np.floor((x + reach) / cell - 0.5)), columns - 1)
            top = max(int(np.ceil((y - reach) / cell - 0.5)), 0)
            end = min(int(np.floor((y + reach) / cell - 0.5)), rows - 1)
            for j in range(top, end + 1):
                dy = (j + 0.5) * cell - y
                for i in range(first, last + 1):
                    dx = (i + 0.5) * cell - x
                    away = dx * dx + dy * dy
                    if away > reach * reach:
                        continue
                    low = z
                    if form == 1:
                        low += radius - np.sqrt(radius * radius - away)
                    elif form == 2:
                        low += max(np.sqrt(away) - tip, 0.0) * slope
                    if low < values[j, i]:
                        if values[j, i] - low > taken[k]:
                            taken[k] = values[j, i] - low
                        values[j, i] = low
    return taken
