"""A body: meshes that never carry lettering, and sheets that may, sharing their edge points."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.net import KEEP_OFF_MM, Net
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.trims import Trim

Array = NDArray[Any]

PAIRS = (
    ("front", "back"),
    ("lid", "bottom"),
    ("left side", "right side"),
    ("left door", "right door"),
    ("fin, left", "fin, right"),
    ("front cover", "back cover"),
)
OPPOSITE = {one: other for a, b in PAIRS for one, other in ((a, b), (b, a))}
FinishSlot = Literal["blank", "rim", "detail"] | Trim
COARSER = 3
MAIN = "body"  # the solid that most of a blank is
BEHIND = "behind the glass"  # how solids are called that are only seen through a window


@dataclass(frozen=True, eq=False)
class Shell:
    """A mesh of the body with the finish it takes. ``solid``: which of the body's solids it helps close;
    ``own``: the number of the copy's finish that it has instead, from 1 on; 0 for none."""

    name: str
    slot: FinishSlot
    mesh: Mesh
    solid: str = MAIN
    own: int = 0


@dataclass(frozen=True, eq=False)
class Inset:
    """A region of a sheet with a finish of its own: a window, a border line, an inlay. ``height_mm``:
    how far it stands out, below zero how deep it lies."""

    name: str
    slot: FinishSlot
    area: shapely.MultiPolygon
    height_mm: float = 0.0


@dataclass(frozen=True, eq=False)
class Sheet:
    """A side as the cutter takes it.

    ``cuts``: ascending u of the strip edges where the sheet is curved along u only; the first and last are
    the domain's ends. Empty on a flat side, which is cut in one piece. ``net``: triangles over the sheet
    where it is curved both ways; ``rough``: wider ones, for pictures while something moves.
    """

    side: Side
    slot: FinishSlot
    cuts: Array = field(default_factory=lambda: np.empty(0))
    solid: str = MAIN
    insets: tuple[Inset, ...] = ()
    net: Net | None = None
    rough: Net | None = None

    @property
    def border(self) -> shapely.Polygon:
        return self.side.domain

    @cached_property
    def within(self) -> Any:
        """What of it can be lettered: all but a hair along its border."""
        inner = self.border.buffer(-KEEP_OFF_MM, join_style="mitre")
        shapely.prepare(inner)
        return inner

    def coarser(self) -> Sheet:
        """The sheet with every COARSER-th cut only, for pictures while something moves. It does not
        share its edge points with the shells any more, so it closes to no solid. The same one each
        time, so that what is made of it can be remembered."""
        return self._coarser

    @cached_property
    def _coarser(self) -> Sheet:
        if self.rough is not None:
            return replace(self, net=self.rough)
        return self if len(self.cuts) == 0 else replace(self, cuts=every(self.cuts, COARSER))


def every(rows: Array, step: int) -> Array:
    """Every ``step``-th row, and both ends."""
    return np.append(rows[:-1:step], rows[-1])


@dataclass(frozen=True, eq=False)
class Sides:
    """The sides of a body that can be lettered: all that placing a lettering takes."""

    all: tuple[Side, ...]

    def opposite(self, name: str) -> str | None:
        """The side that is seen when the body is turned over; None where there is none."""
        partner = OPPOSITE.get(name)
        return partner if any(side.name == partner for side in self.all) else None

    def place(self, name: str) -> int:
        """The place of a side among them. Raises KilnError naming the sides there are."""
        for number, side in enumerate(self.all):
            if side.name == name:
                return number
        names = " and ".join(f"“{side.name}”" for side in self.all)
        raise KilnError(f"This blank has no side “{name}”; it has {names}.")

    def named(self, name: str) -> Side:
        """A side by name. Raises KilnError naming the sides there are."""
        return self.all[self.place(name)]


@dataclass(frozen=True, eq=False)
class Body:
    """All surfaces of a blank. Shells and unlettered sheets of one ``solid`` close to a solid; solids may
    overlap (a handle runs into its mug) and are united in files. ``tracer``: all of it for casting rays
    at, where there is one already."""

    shells: tuple[Shell, ...]
    sheets: tuple[Sheet, ...]
    lengthwise: bool = False  # a place along one side is the same place along the other: a van, a handle
    tracer: Any = None

    @property
    def sides(self) -> Sides:
        """Its sides alone."""
        return Sides(tuple(sheet.side for sheet in self.sheets))

    def opposite(self, name: str) -> str | None:
        """The side that is seen when the body is turned over; None where there is none."""
        return self.sides.opposite(name)

    def sheet(self, name: str) -> Sheet:
        """The sheet of a side by name. Raises KilnError naming the sides there are."""
        return self.sheets[self.sides.place(name)]


def arc_angles(start_deg: float, end_deg: float, radius_mm: float, *, detail: Detail) -> Array:
    """Angles (radians) along an arc, close enough that no chord strays 0.02 mm (fine) or 0.3 mm."""
    sagitta = 0.02 if detail.fine else 0.3
    step = 2 * np.arccos(max(1 - sagitta / max(radius_mm, sagitta), 0.5))
    halves = max(int(np.ceil(abs(np.radians(end_deg - start_deg)) / step / 2)), 2 if detail.fine else 1)
    return np.radians(np.linspace(start_deg, end_deg, 2 * halves + 1))  # the middle is a point
