"""Light by LED: how much of it a sign needs, what feeds it, where. Common practice; a maker's own sheet is
more exact."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from kilnchisel.core.build import laids_of
from kilnchisel.core.crafts.standing import STRIP_MM, strips_of
from kilnchisel.core.crafts.tubes import runs_of
from kilnchisel.core.job.boards import BoxSign
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
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.shop.litface import modules_of

ROPE_W_M, STRIP_W_M = 9.0, 9.6  # watts a metre
MODULE_W, MODULES_M2 = 0.72, 120.0  # a module of three, and how many light a face from behind
RESERVE = 1.2  # of a supply over what it feeds
FED_M = 5.0  # of strip or rope from one feed point
FED_MODULES = 50
SUPPLIES_W = (20.0, 35.0, 60.0, 100.0, 150.0, 200.0, 320.0)


@dataclass(frozen=True)
class Lit:
    """The LEDs of one lettering: ``what`` and how much of it, its power and feed points."""

    words: str
    what: str
    amount: float
    unit: str
    watts: float
    feeds: int


def lights_of(job: Job) -> list[Lit]:
    """The LEDs of a job. Raises KilnError."""
    found = _of_blank(job)
    for index, lettering in enumerate(job.letterings):
        if lettering.hidden:
            continue
        for laid in laids_of(job, index):
            found += leds_of(lettering.craft, laid, one_line(lettering))
    return found


def _of_blank(job: Job) -> list[Lit]:
    if not isinstance(job.blank, BoxSign) or job.blank.brightness <= 0:
        return []
    return [_of_modules("both faces", modules_of(job.blank))]


def supplies_w(watts: float) -> list[float]:
    """The supplies for so many watts with a reserve: as many of the largest as it takes, then the smallest
    that does for the rest."""
    left, found = watts * RESERVE, []
    while left > SUPPLIES_W[-1]:
        found.append(SUPPLIES_W[-1])
        left -= SUPPLIES_W[-1]
    if left > 0:
        found.append(next(size for size in SUPPLIES_W if size >= left))
    return found


@by_kind(Craft)
def leds_of(craft: Any, laid: Laid, words: str) -> list[Lit]:
    """The LEDs of one lettering."""
    raise NotImplementedError


@leds_of.of(Printed, Pressed, Engraved, Raised, Carved, Relief, Fitting, Embroidered, WovenPatch)
def _unlit(_: Any, laid: Laid, words: str) -> list[Lit]:
    return []


@leds_of.of(Tube)
def _rope(craft: Tube, laid: Laid, words: str) -> list[Lit]:
    if craft.form != "rope":
        return []
    metres = sum(run.length_mm for run in runs_of(laid, craft)) / 1000
    return [_line(words, "LED rope", metres, ROPE_W_M, len(runs_of(laid, craft)))]


@leds_of.of(Standing)
def _standing(craft: Standing, laid: Laid, words: str) -> list[Lit]:
    found = []
    if craft.halo and craft.standoff_mm > 2 * STRIP_MM:
        strips = [strip for layer in laid.layers for strip in strips_of(laid, layer.layer)]
        found.append(_line(words, "LED strip behind", sum(map(length_of, strips)) / 1000, STRIP_W_M, 1))
    if craft.face_lit:
        found.append(_modules(words, laid.ink.area))
    return found


@leds_of.of(CutThrough)
def _behind(craft: CutThrough, laid: Laid, words: str) -> list[Lit]:
    shines = craft.fill == "open" and craft.behind == "light"
    return [_modules(words, laid.ink.area)] if shines else []


def _line(words: str, what: str, metres: float, watts: float, runs: int) -> Lit:
    return Lit(words, what, metres, "m", metres * watts, max(runs, math.ceil(metres / FED_M)))


def _modules(words: str, area_mm2: float) -> Lit:
    return _of_modules(words, max(1, math.ceil(area_mm2 / 1e6 * MODULES_M2)))


def _of_modules(words: str, count: int) -> Lit:
    feeds = math.ceil(count / FED_MODULES)
    return Lit(words, "LED modules", float(count), "", count * MODULE_W, feeds)
