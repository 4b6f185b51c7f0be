"""A program that is watched: the stock at any time of its run, from states kept on the way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.shop.machines.router import Cutting, durations_of
from kilnchisel.core.shop.machines.rs274 import Program
from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

KEPT = 24  # states on the way
MOST_CELLS = 600_000  # of the stock while it is watched


@dataclass(frozen=True, eq=False)
class Moment:
    """The stock at a time: what is left; where the cutter's tip is (3,), mm, and which it is, None before
    and after; the line of the program that is done."""

    seconds: float
    heights: Heights
    tip: Array
    tool: Tool | None
    line: int


class Running:
    """A program run once through its stock in a coarse grid; ``at`` goes to any time of it."""

    def __init__(
        self,
        program: Program,
        stock: tuple[float, float, float],
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        """Raises KilnError where the program does not say what a cutter is."""
        self.program = program
        cell = (stock[0] * stock[1] / MOST_CELLS) ** 0.5
        self._cutting = Cutting(program, stock, cell_mm=cell)
        self._until = np.concatenate([[0.0], np.cumsum(durations_of(program))])
        marks = np.searchsorted(self._until, self.seconds * np.arange(1, KEPT + 1) / KEPT)
        self._kept: list[tuple[int, Array]] = [(0, self._cutting.values.astype(np.float32))]
        for number, mark in enumerate(np.unique(np.minimum(marks, len(program.rapid)))):
            self._go(self._kept[-1][0], int(mark))
            self._kept.append((int(mark), self._cutting.values.astype(np.float32)))
            progress((number + 1) / KEPT)

    @property
    def seconds(self) -> float:
        """How long all of it takes."""
        return float(self._until[-1])

    def at(self, seconds: float) -> Moment:
        """The stock so many seconds after the start."""
        seconds = float(np.clip(seconds, 0.0, self.seconds))
        done = int(np.searchsorted(self._until, seconds, "right")) - 1
        first, values = max((one for one in self._kept if one[0] <= done), key=lambda one: one[0])
        self._cutting.values[:] = values
        self._go(first, done)
        last = min(done, len(self.program.rapid) - 1)
        ends, tip = self.program.ends, self.program.ends[done]
        tool = self._cutting.tools.get(int(self.program.tool[last]))
        if not 0 < seconds < self.seconds:
            tool = None
        if done < len(self.program.rapid):  # part of the move that it is at
            whole = self._until[done + 1] - self._until[done]
            share = (seconds - self._until[done]) / whole if whole > 0 else 1.0
            tip = ends[done] + share * (ends[done + 1] - ends[done])
            if tool is not None:
                self._cutting.along(np.stack([ends[done], tip]), tool)
        return Moment(seconds, self._cutting.heights(), tip, tool, int(self.program.line[last]))

    def _go(self, first: int, last: int) -> None:
        tools = self.program.tool[first:last]
        cuts = np.flatnonzero(np.diff(tools)) + 1
        for start, end in zip([0, *cuts], [*cuts, len(tools)], strict=True):
            tool = self._cutting.tools.get(int(tools[start])) if end > start else None
            if tool is not None:
                self._cutting.go(first + int(start), first + int(end), tool)
