"""What each craft holds: the thinnest stroke, the thinnest wall between two letters, the thinnest floor."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

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
from kilnchisel.core.kinds import by_kind

LEAST_WALL_MM = 0.4  # common practice: what is left under an engraving


@dataclass(frozen=True)
class Limits:
    """Common practice, mm; None where there is no such limit.

    ``stroke_mm``: the thinnest stroke that is held, ``else_`` what a thinner one does. ``between_mm``: the
    thinnest wall that a cutter or a die leaves standing between two letters. ``cuts_in``: it takes of the
    wall below it, ``by_depth`` as deep as one number says.
    """

    stroke_mm: float | None = None
    else_: str = ""
    between_mm: float | None = None
    cuts_in: bool = False
    by_depth: bool = False


@by_kind(Craft)
def limits_of(craft: Any) -> Limits:
    """What a craft holds."""
    raise NotImplementedError


@limits_of.of(Printed)
def _printed(_: Printed) -> Limits:
    return Limits(0.15, "may not print")  # screen or transfer printing


@limits_of.of(Pressed)
def _pressed(_: Pressed) -> Limits:
    return Limits(0.3, "may fill in", 0.3, cuts_in=True, by_depth=True)  # a die


@limits_of.of(Engraved)
def _engraved(_: Engraved) -> Limits:
    return Limits(0.2, "may not cut clean", 0.2, cuts_in=True, by_depth=True)  # a small cutter


@limits_of.of(Raised)
def _raised(_: Raised) -> Limits:
    return Limits(0.4, "may break off")


@limits_of.of(Carved)
def _carved(_: Carved) -> Limits:
    return Limits(between_mm=0.5, cuts_in=True)


@limits_of.of(Relief)
def _relief(_: Relief) -> Limits:
    return Limits(cuts_in=True)


@limits_of.of(CutThrough)
def _cut_through(craft: CutThrough) -> Limits:
    return Limits(between_mm=0.5, by_depth=craft.fill == "inlay")


@limits_of.of(Embroidered)
def _embroidered(_: Embroidered) -> Limits:
    return Limits(1.0, "are too thin for a satin stitch")  # common practice


@limits_of.of(WovenPatch)
def _woven(_: WovenPatch) -> Limits:
    return Limits(0.5, "are too thin to be woven")  # common practice: two threads


@limits_of.of(Tube, Standing, Fitting)
def _free(_: Any) -> Limits:
    return Limits()
