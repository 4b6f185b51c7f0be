"""A body: meshes that never carry lettering, and sheets that may, sharing their edge points."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Blank, Mug

Array = NDArray[Any]

FinishSlot = Literal["blank", "rim"]
COARSER = 3


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
    the domain's ends. Empty on a flat side, which is cut in one piece.
    """

    side: Side
    slot: FinishSlot
    cuts: Array

    @property
    def border(self) -> shapely.Polygon:
        return self.side.domain

    def coarser(self) -> Sheet:
        """The sheet with every COARSER-th cut only, for pictures while something moves. It does not
        share its edge points with the shells any more, so it closes to no solid."""
        return self if len(self.cuts) == 0 else replace(self, cuts=self.cuts[::COARSER])


@dataclass(frozen=True, eq=False)
class Body:
    """All surfaces of a blank. Shells and unlettered sheets of one ``solid`` close to a solid.

    ``extra``: closed solids that overlap the main one (a handle) and are united with it in files.
    """

    shells: tuple[Shell, ...]
    sheets: tuple[Sheet, ...]
    extra: tuple[Shell, ...] = ()

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
    from kilnchisel.core.blanks.mug import mug_body
    from kilnchisel.core.blanks.plaque import plaque_body

    return mug_body(blank, fine) if isinstance(blank, Mug) else plaque_body(blank, fine)


def arc_angles(start_deg: float, end_deg: float, radius_mm: float, fine: bool) -> Array:
    """Angles (radians) along an arc, close enough that no chord strays 0.02 mm (fine) or 0.3 mm."""
    sagitta = 0.02 if fine else 0.3
    step = 2 * np.arccos(max(1 - sagitta / max(radius_mm, sagitta), 0.5))
    halves = max(int(np.ceil(abs(np.radians(end_deg - start_deg)) / step / 2)), 2 if fine else 1)
    return np.radians(np.linspace(start_deg, end_deg, 2 * halves + 1))  # the middle is a point
