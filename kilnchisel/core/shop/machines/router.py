"""A simulated router with three axes: it follows a program through stock and measures what is left.

The stock is a height map. A cutter that moves along a line takes away all that is above its edge: what that
leaves over the middle of each cell is worked out in closed form, the lowest place of the edge on its way
over it, so that nothing but the cells is rounded.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
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
V_MM = 0.8  # across a V as deep as letters are: it is looked at as finely
CELLS_A_TOOL, LEAST_CELL_MM = 16, 0.02  # to the smallest cutter's radius, and not finer
RAPID_MM_MIN, ACCELERATION = 5000.0, 500.0  # common practice of small machines; mm/s²
UNDER_MM = 3.0  # what a board under the stock takes
CHANGE_S = 20.0  # to change a cutter, common practice
MOST_TROUBLES = 20
TOUCHES_MM = 0.01  # what a rapid move takes away less of is rounding
PART = 20_000  # moves between two looks at whether it is still wanted
PIECE = 4.0  # times as long as it is wide: a piece of a way that is cut at once


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
    cutting = Cutting(program, stock, tools, cell_mm)
    known = cutting.tools
    troubles: list[Trouble] = []
    low, high = program.ends.min(axis=0), program.ends.max(axis=0)
    widest = max((tool.radius_mm for tool in known.values()), default=0.0)
    # round an axis what goes over the end comes in at the beginning
    along = (-low[0], high[0] - wide)
    sides = along if cutting.turns else (*along, -low[1], high[1] - tall)
    beyond = max(sides) - widest
    if beyond > 1e-6:
        troubles.append(Trouble(0, f"it goes {beyond:.2f} mm farther than beside the stock"))
    for start, end in _runs(program.tool):
        tool = known.get(int(program.tool[start]))
        if tool is None:
            continue
        for first in range(start, end, PART):
            last = min(first + PART, end)
            if stop():
                return None
            taken = cutting.go(first, last, tool)
            bad = taken > TOUCHES_MM
            bad[:, 0] &= program.rapid[first:last]
            for k, which in np.argwhere(bad)[: MOST_TROUBLES - min(len(troubles), MOST_TROUBLES)]:
                line, deep = int(program.line[first + k]), f"{taken[k, which]:.2f} mm deep into the stock"
                what = "a rapid move cuts" if which == 0 else f"its {_parts_above(tool)[which - 1]} goes"
                troubles.append(Trouble(line, f"{what} {deep}"))
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
        cutting.heights(),
        stock,
        troubles,
        time_of(program),
        float(lengths[~program.rapid].sum()),
        float(lengths[program.rapid].sum()),
    )


class Cutting:
    """Stock that a program goes through: ``values`` (h, w), mm from its top; ``turns``: whether it goes
    round an axis."""

    def __init__(
        self,
        program: Program,
        stock: tuple[float, float, float],
        tools: dict[int, Tool] | None = None,
        cell_mm: float | None = None,
    ) -> None:
        """Raises KilnError where the program does not say what a cutter is."""
        wide, tall, _ = stock
        self.program, self.stock, self.tools = program, stock, program.tools | (tools or {})
        for number in np.unique(program.tool[~program.rapid]):
            if int(number) not in self.tools:
                words = f"The program does not say what cutter {number} is"
                raise KilnError(f"{words}; name it: --tool “{number}=flat 6mm”.")
        finest = min((_fine_mm(tool) for tool in self.tools.values()), default=1.0) / CELLS_A_TOOL
        self.cell_mm = cell_mm or max((wide * tall / MOST_CELLS) ** 0.5, finest, LEAST_CELL_MM)
        across, up = cells_of(wide, tall, self.cell_mm)
        self.values = np.zeros((up, across), np.float64)
        turning = None if program.setup is None else program.setup.turning
        self.turns = turning is not None
        if turning is not None and turning.profile:
            middles = (np.arange(across) + 0.5) * self.cell_mm
            self.values += np.interp(middles, *np.transpose(turning.profile))
        low, high = program.ends[:, 1].min(), program.ends[:, 1].max()
        self._round = [0.0]
        if self.turns:
            self._round += [turn for turn in (-tall, tall) if low + turn < tall and high + turn > 0]

    def go(self, first: int, last: int, tool: Tool) -> Array:
        """Do some moves with a cutter; how deep each, and what is above it, went into what was there
        (n, s)."""
        cuts = ~self.program.rapid[first:last]
        return self.along(self.program.ends[first : last + 1], tool, cuts & np.append(cuts[1:], False))

    def along(self, way: Array, tool: Tool, goes_on: Array | None = None) -> Array:
        """The same along any way (n + 1, 3). ``goes_on``: after which of its moves another cuts on."""
        shapes, cell = _shapes_of(tool), self.cell_mm
        on = np.zeros(len(way) - 1, bool) if goes_on is None else goes_on
        cuts = [_cut_at_once(self.values, way + (0.0, turn, 0.0), on, shapes, cell) for turn in self._round]
        return np.asarray(np.max(cuts, axis=0))

    def heights(self) -> Heights:
        """What is left."""
        return Heights(np.maximum(self.values, -self.stock[2]), (0.0, 0.0), self.cell_mm)


def time_of(program: Program, acceleration: float = ACCELERATION) -> float:
    """How long a program takes, seconds: each straight run speeds up and slows down at one rate, what turns
    less than a right angle going on at the speed its turn lets (trapezoid; v²/a each way)."""
    return float(durations_of(program, acceleration).sum())


def durations_of(program: Program, acceleration: float = ACCELERATION) -> Array:
    """How long each move takes (n,), seconds, what is waited for between two counted to the later one."""
    ways = np.diff(program.ends, axis=0)
    length = np.linalg.norm(ways, axis=1)
    kept = length > 1e-9
    found = np.zeros(len(length))
    ways, length = ways[kept], length[kept]
    speed = np.where(program.rapid[kept], RAPID_MM_MIN, np.minimum(program.feed[kept], RAPID_MM_MIN)) / 60
    unit = ways / length[:, None]
    # at a joint it keeps the share of its speed that goes on in the same direction
    along = np.clip((unit[1:] * unit[:-1]).sum(axis=1), 0.0, 1.0)
    joint = np.concatenate([[0.0], np.minimum(speed[1:], speed[:-1]) * along**2, [0.0]])
    joint = _slowed(joint, length, acceleration)
    found[kept] = _durations(joint, length, speed, acceleration)
    found[-1] += program.dwell_s
    changed = np.flatnonzero(np.append(True, np.diff(program.tool) != 0))
    # each where its cutter is first moved; a change to the same one with the first
    found[changed[: program.changes]] += CHANGE_S
    found[0] += CHANGE_S * max(program.changes - len(changed), 0)
    return found


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


FORMS = {"flat": 0, "drag": 0, "ball": 1, "v": 2}


def _fine_mm(tool: Tool) -> float:
    """How fine what a cutter leaves is: its radius, of a V what its tip leaves."""
    return min(tool.radius_mm, V_MM) if tool.form == "v" else tool.radius_mm


def _parts_above(tool: Tool) -> list[str]:
    """What of a tool is above what cuts, and wider."""
    shank = tool.flute_mm > 0 and tool.shank_mm > tool.diameter_mm
    return [*(["shank"] if shank else []), *(["holder"] if tool.holder_mm > 0 else [])]


def _shapes_of(tool: Tool) -> Array:
    """A cutter, its shank and holder as ``_cut`` takes them (n, 5): form, radius, half the flat of its tip,
    slope, how far it is above the tip."""
    slope = tool.slope if tool.form == "v" else 0.0
    found = [(FORMS[tool.form], tool.radius_mm, tool.tip_mm / 2, slope, 0.0)]
    above = {"shank": (tool.shank_mm, tool.flute_mm), "holder": (tool.holder_mm, tool.out_mm)}
    for wide, lift in (above[name] for name in _parts_above(tool)):
        found.append((FORMS["flat"], wide / 2, 0.0, 0.0, lift))
    return np.array(found)


def _cut_at_once(values: Array, ends: Array, goes_on: Array, shapes: Array, cell: float) -> Array:
    """As ``_cut`` over all rows, in bands by threads: no two change the same cell."""
    rows = values.shape[0]
    count = min(max(os.cpu_count() or 1, 1), rows)
    bands = [rows * k // count for k in range(count + 1)]
    with ThreadPoolExecutor(count) as threads:
        parts = threads.map(
            lambda band: _cut(values, ends, goes_on, shapes, cell, band[0], band[1]), list(pairwise(bands))
        )
        return np.asarray(np.max(list(parts), axis=0))


@compiled(nogil=True, cache=True)
def _cut(
    values: Array, ends: Array, goes_on: Array, shapes: Array, cell: float, bottom: int, rows: int
) -> Array:
    """Move a cutter and what is above it (s, 5) through places (n + 1, 3) over some of the rows; how deep
    each move cut into what was there (n, s). Where a move goes on in another that cuts, what its end cuts
    is left to the beginning of that, which is the same place."""
    columns = values.shape[1]
    taken = np.zeros((len(ends) - 1, len(shapes)))
    for step in range((len(ends) - 1) * len(shapes)):
        k, part = step // len(shapes), step % len(shapes)
        form, radius, tip, slope, lift = shapes[part]
        ax, ay, az = ends[k]
        bx, by, bz = ends[k + 1]
        az, bz = az + lift, bz + lift
        if az >= 0.0 and bz >= 0.0:
            continue
        far = np.hypot(bx - ax, by - ay)
        deepest = min(az, bz)
        reach = radius  # no wider than it cuts at its deepest
        if form == 2:
            reach = min(radius, tip - deepest / slope)
        elif form == 1 and -deepest < radius:
            reach = np.sqrt(radius * radius - (radius + deepest) ** 2)
        wx, wy, rise = 1.0, 0.0, 0.0
        if far > 0.0:
            wx, wy, rise = (bx - ax) / far, (by - ay) / far, (bz - az) / far
        # along a way that rises a ball touches before or after its middle, by a share of what its chord is
        long = np.sqrt(1.0 + rise * rise)
        ahead = abs(rise) / long * radius if form == 1 else (radius if rise != 0.0 else 0.0)
        curve = 0.5 / radius if form == 1 else 0.0
        # in pieces: the box about a long way is mostly beside it
        count = max(int(np.ceil(far / (PIECE * reach + cell))), 1)
        for piece in range(count):
            begin, end = far * piece / count, far * (piece + 1) / count
            x0, y0, x1, y1 = ax + wx * begin, ay + wy * begin, ax + wx * end, ay + wy * end
            left = max(int(np.ceil((min(x0, x1) - reach) / cell - 0.5)), 0)
            right = min(int(np.floor((max(x0, x1) + reach) / cell - 0.5)), columns - 1)
            low = max(int(np.ceil((min(y0, y1) - reach) / cell - 0.5)), bottom)
            high = min(int(np.floor((max(y0, y1) + reach) / cell - 0.5)), rows - 1)
            on = piece + 1 < count or goes_on[k]
            last = end + (min(ahead, reach) if on else reach)
            for j in range(low, high + 1):
                dy = (j + 0.5) * cell - ay
                for i in range(left, right + 1):
                    dx = (i + 0.5) * cell - ax
                    along = dx * wx + dy * wy
                    e = abs(dx * wy - dy * wx)
                    if e > reach or along < begin - reach or along > last:
                        continue
                    # no lower than the edge is beside the way at its deepest: mostly that is cut already
                    # (r - sqrt(r² - e²) is at least e² / 2r)
                    if values[j, i] <= deepest + curve * e * e:
                        continue
                    at = along
                    if rise != 0.0:  # where the derivative of the edge's height over the cell is 0
                        rho = np.sqrt(max(radius * radius - e * e, 0.0))
                        if form == 1:
                            at -= rise * rho / long
                        elif form == 2 and abs(rise) < slope:
                            over = np.sqrt(max(tip * tip - e * e, 0.0))  # the flat of its tip
                            turn = abs(rise) * e / np.sqrt(slope * slope - rise * rise)
                            at -= np.sign(rise) * max(over, turn)
                        else:
                            at -= np.sign(rise) * rho
                    if on and at > end:
                        continue
                    at = min(max(at, begin), end)
                    away = e * e + (along - at) ** 2
                    if away > radius * radius * (1.0 + 1e-9):  # of a flat one that rises, its very rim
                        continue
                    z = az + rise * at if far > 0.0 else deepest
                    if form == 1:
                        z += radius - np.sqrt(max(radius * radius - away, 0.0))
                    elif form == 2:
                        z += max(np.sqrt(away) - tip, 0.0) * slope
                    if z < values[j, i]:
                        if values[j, i] - z > taken[k, part]:
                            taken[k, part] = values[j, i] - z
                        values[j, i] = z
    return taken
