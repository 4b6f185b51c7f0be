"""What a router does to pieces of stock, and how: values that its ways are worked out for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.shop.paths.nesting import Stock
from kilnchisel.core.shop.paths.setup import Setup
from kilnchisel.core.shop.paths.surface import Rolled
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

BELOW_MM = 0.2  # so far a cut goes through what is under the stock
CHANGES = ("m6", "stop")  # of cutters: by the machine, or by hand


@dataclass(frozen=True)
class Routing:
    """How a job is routed. ``flats_mm``: the flat cutters there are, their diameters; ``balls_mm``: the
    ball ends for reliefs; ``scallop_mm``: what one may leave between its lines; ``safe_mm``: how high above
    the stock a cutter is moved; ``tabs``: to each outline, with ``tab_mm`` wide and high."""

    flats_mm: tuple[float, ...] = (6.0, 3.0, 1.0, 0.5)
    balls_mm: tuple[float, ...] = (3.0, 1.0)
    scallop_mm: float = 0.02
    safe_mm: float = 5.0
    tabs: int = 4
    tab_mm: tuple[float, float] = (6.0, 2.0)
    inch: bool = False
    numbered: bool = False
    arcs: bool = False  # G2 and G3 where a way goes round
    coolant: bool = False  # M8 while it cuts
    change: str = "m6"  # or "stop" (M0)
    sheet: Stock | None = None  # what letters are laid on, else each row is cut from stock of its size
    inlay_deg: float = 0.0  # of the V cutter for inlays and their pockets, 0: both are upright
    blank: bool = False  # the piece is cut out as well, and its holes

    def checked(self) -> Routing:
        """The same, if it can be done. Raises KilnError."""
        if (
            not self.flats_mm
            or not self.balls_mm
            or not all(0.05 <= d <= 100 for d in (*self.flats_mm, *self.balls_mm))
        ):
            raise KilnError(
                "A cutter's diameter goes from 0.05 to 100 mm; one flat and one ball end are needed."
            )
        if not 0.001 <= self.scallop_mm <= min(self.balls_mm) / 2:
            raise KilnError("Scallops are 0.001 mm high at least, and at most half the ball end.")
        if self.change not in CHANGES:
            raise KilnError(f"“{self.change}” is no way to change a cutter; there is {', '.join(CHANGES)}.")
        if not 0.5 <= self.safe_mm <= 200:
            raise KilnError("The safe height goes from 0.5 to 200 mm above the stock.")
        return self


@dataclass(frozen=True, eq=False)
class Operation:
    """A cutter's ways (n, 3), mm: x and y from the lower left corner of the stock, z from its top.
    ``clear``: each begins where all above it has been cut before."""

    name: str
    tool: Tool
    ways: list[Array]
    clear: bool = False


@dataclass(frozen=True, eq=False)
class Routed:
    """What is done to one piece of stock of ``stock`` (wide, tall, thick) mm; ``setup``: how it lies to the
    side that is lettered, none of letters that are cut out of it; ``corner``: the sheet place of its lower
    left corner."""

    name: str
    setup: Setup | None
    stock: tuple[float, float, float]
    corner: tuple[float, float]
    operations: list[Operation]
    left: list[str]  # what could not be cut, and why
    finish: Any  # of what the stock is
    notes: tuple[str, ...] = ()
    rotary: Rolled | None = None  # ways are x along the axis, y round it


def tools_of(pieces: Iterable[Routed]) -> list[Tool]:
    """The cutters that are used, each once, in the order of their first use."""
    return list(dict.fromkeys(o.tool for piece in pieces for o in piece.operations))


def by_tool(operations: list[Operation]) -> list[Operation]:
    """Operations with as few changes of the cutter as their order allows: wide before fine, what goes right
    through last."""
    order = {
        "rough": 0,
        "relief": 1,
        "detail": 1,
        "steep": 1,
        "pocket": 2,
        "rest": 3,
        "v": 4,
        "line": 4,
        "through": 5,
        "hole": 5,
        "out": 6,
    }
    return sorted(operations, key=lambda o: (order[o.name.split()[0]], o.tool.form, -o.tool.diameter_mm))
