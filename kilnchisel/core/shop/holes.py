"""Holes that a sign needs in what it hangs on: for pins, supports of tubes, electrodes, screws, chains."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import laids_of
from kilnchisel.core.crafts.standing import PIN_MM, pin_places
from kilnchisel.core.crafts.tubes import runs_of, support_places
from kilnchisel.core.job.crafts import (
    Carved,
    Craft,
    CutThrough,
    Embroidered,
    Engraved,
    Fitting,
    Pressed,
    Printed,
    Raised,
    Relief,
    Standing,
    Tube,
    WovenPatch,
)
from kilnchisel.core.job.model import Job
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import polygons_in

Array = NDArray[Any]

SUPPORT_MM = 4.0  # a screw's plug under a tube support, common practice
ELECTRODE_HOLE_MM = 25.0  # the bushing of an electrode's housing, common practice
SCREW_SHARE = 0.4  # of the cap that covers it


@dataclass(frozen=True)
class Hole:
    """A hole on a side's sheet: its middle and diameter, mm, and what it is for."""

    at: tuple[float, float]
    diameter_mm: float
    what: str

    @property
    def region(self) -> shapely.Polygon:
        return shapely.Point(self.at).buffer(self.diameter_mm / 2, 32)


@dataclass(frozen=True, eq=False)
class Drilled:
    """The holes of one side: the letterings that they are for as they lie there, each with its own."""

    side: str
    laid: tuple[tuple[int, Laid, tuple[Hole, ...]], ...]

    @property
    def holes(self) -> tuple[Hole, ...]:
        return tuple(hole for _, _, own in self.laid for hole in own)

    def counted(self) -> Counter[tuple[float, str]]:
        """How many there are by diameter, mm, and what they are for, in the order they come."""
        return Counter((hole.diameter_mm, hole.what) for hole in self.holes)


def drilled(job: Job) -> list[Drilled]:
    """The holes of a job, side by side. Raises KilnError."""
    found: dict[str, list[tuple[int, Laid, tuple[Hole, ...]]]] = {}
    for index, lettering in enumerate(job.letterings):
        if lettering.hidden or not needs_holes(lettering.craft):
            continue
        for laid in laids_of(job, index):
            if holes := holes_of(lettering.craft, laid):
                found.setdefault(laid.lay.side, []).append((index, laid, tuple(holes)))
    return [Drilled(side, tuple(laid)) for side, laid in found.items()]


def without_holes(job: Job) -> str:
    """Why a job needs no template for holes; empty where it does."""
    if any(needs_holes(item.craft) and not item.hidden for item in job.letterings):
        return ""
    return "nothing on it is held by pins, supports or screws"


def needs_holes(craft: Any) -> bool:
    """Whether something of a craft goes into the wall."""
    if isinstance(craft, Standing):
        return craft.pins and craft.standoff_mm > 0.5 and not craft.upright
    if isinstance(craft, Tube):
        return craft.supports or craft.form == "glass"
    return isinstance(craft, Fitting) and craft.form in ("caps", "eyes")


@by_kind(Craft)
def holes_of(craft: Any, laid: Laid) -> list[Hole]:
    """The holes that one lettering needs."""
    raise NotImplementedError


@holes_of.of(Printed, Pressed, Engraved, Raised, CutThrough, Carved, Relief, Embroidered, WovenPatch)
def _no_holes(_: Any, laid: Laid) -> list[Hole]:
    return []


@holes_of.of(Standing)
def _pins(craft: Standing, laid: Laid) -> list[Hole]:
    spots = [pin_places(layer.layer) for layer in laid.layers]
    return [
        _hole(spot, 2 * PIN_MM, "pin")
        for places in spots
        if len(places)
        for copy in laid.placing.everywhere(places)
        for spot in copy
    ]


@holes_of.of(Tube)
def _tubes(craft: Tube, laid: Laid) -> list[Hole]:
    found = []
    for run in runs_of(laid, craft):
        if craft.supports:
            found += [_hole(spot, SUPPORT_MM, "support") for spot in support_places(run)]
        if craft.form == "glass":
            found += [_hole(run.path[k, :2], ELECTRODE_HOLE_MM, "electrode") for k in (0, -1)]
    return found


@holes_of.of(Fitting)
def _screws(craft: Fitting, laid: Laid) -> list[Hole]:
    wide, what = {"caps": (SCREW_SHARE * craft.size_mm, "screw"), "eyes": (0.0, "eye")}.get(
        craft.form, (0.0, "")
    )
    if not what:
        return []
    spots = [np.array(part.centroid.coords[0]) for part in polygons_in(laid.ink)]
    return [_hole(spot, wide or 0.25 * craft.size_mm, what) for spot in spots]


def _hole(at: Array, wide: float, what: str) -> Hole:
    return Hole((float(at[0]), float(at[1])), wide, what)
