"""A body: meshes that never carry lettering, and sheets that may, sharing their edge points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Blank

Array = NDArray[Any]

OPPOSITE = {"front": "back", "back": "front", "lid": "bottom", "bottom": "lid"}
FinishSlot = Literal["blank", "rim"]
COARSER = 3
MANY_ROWS = 40


@dataclass(frozen=True, eq=False)
class Shell:
    """A mesh of the body with the finish it takes."""

    name: str
    slot: FinishSlot
    mesh: Mesh


@dataclass(frozen=True, eq=False)
class Sheet:
    """A side as the cutter takes it.

    ``cuts``: ascending u of the strip edges where the sheet is curved along u; the first and last are
    the domain's ends. Empty on a flat side, which is cut in one piece. ``rows``: the same along v,
    empty where the side is straight that way.
    """

    side: Side
    slot: FinishSlot
    cuts: Array
    rows: Array = field(default_factory=lambda: np.empty(0))

    @property
    def border(self) -> shapely.Polygon:
        return self.side.domain

    def coarser(self) -> Sheet:
        """The sheet with every COARSER-th cut only, for pictures while something moves. It does not
        share its edge points with the shells any more, so it closes to no solid."""
        if len(self.cuts) == 0:
            return self
        # where a side curves both ways there are many cells: half as many again each way
        step = COARSER if len(self.rows) < MANY_ROWS else 2 * COARSER
        return replace(self, cuts=_every(self.cuts, step), rows=_every(self.rows, step))


def _every(rows: Array, step: int) -> Array:
    """Every ``step``-th row, and both ends."""
    return rows if len(rows) == 0 else np.append(rows[:-1:step], rows[-1])


@dataclass(frozen=True, eq=False)
class Body:
    """All surfaces of a blank. Shells and unlettered sheets of one ``solid`` close to a solid.

    ``extra``: closed solids that overlap the main one (a handle) and are united with it in files.
    """

    shells: tuple[Shell, ...]
    sheets: tuple[Sheet, ...]
    extra: tuple[Shell, ...] = ()

    def opposite(self, name: str) -> str | None:
        """The side that is seen when the body is turned over; None where there is none."""
        partner = OPPOSITE.get(name)
        return partner if any(sheet.side.name == partner for sheet in self.sheets) else None

    def sheet(self, name: str) -> Sheet:
        """The sheet of a side by name. Raises KilnError naming the sides there are."""
        for sheet in self.sheets:
            if sheet.side.name == name:
                return sheet
        names = " and ".join(f"“{sheet.side.name}”" for sheet in self.sheets)
        raise KilnError(f"This blank has no side “{name}”; it has {names}.")


@cache
def body_of(blank: Blank, fine: bool = True) -> Body:
    """The body of a blank; ``fine=False`` is the coarse one used for gathering light."""
    from kilnchisel.core.blanks import mug, plaque, rounds, vessels

    makers: dict[str, Callable[[Any, bool], Body]] = {
        "mug": mug.mug_body,
        "plaque": plaque.plaque_body,
        "tumbler": vessels.tumbler_body,
        "jar": vessels.jar_body,
        "bottle": vessels.bottle_body,
        "can": vessels.can_body,
        "band": rounds.band_body,
        "medallion": rounds.medallion_body,
        "globe": rounds.globe_body,
    }
    return makers[blank.kind](blank, fine)


def arc_angles(start_deg: float, end_deg: float, radius_mm: float, fine: bool) -> Array:
    """Angles (radians) along an arc, close enough that no chord strays 0.02 mm (fine) or 0.3 mm."""
    sagitta = 0.02 if fine else 0.3
    step = 2 * np.arccos(max(1 - sagitta / max(radius_mm, sagitta), 0.5))
    halves = max(int(np.ceil(abs(np.radians(end_deg - start_deg)) / step / 2)), 2 if fine else 1)
    return np.radians(np.linspace(start_deg, end_deg, 2 * halves + 1))  # the middle is a point
