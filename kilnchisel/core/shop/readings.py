"""Readings: measures of a lettering, computed, never typed."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kilnchisel.core.build import lays_of, lettering_laid, piece_of
from kilnchisel.core.crafts.inked import patch_of
from kilnchisel.core.crafts.stitching import threads_of
from kilnchisel.core.crafts.through import pressed_out
from kilnchisel.core.crafts.tubes import front_mm, runs_of, tightest_mm
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture
from kilnchisel.core.job.bodies import Apparel
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
    stands_free,
)
from kilnchisel.core.job.garments import collar_of, measures_of
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.bending import tightest_bend
from kilnchisel.core.lettering.content import pixels_per_inch
from kilnchisel.core.lettering.measures import counters_of, smallest_gap_mm
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.lettering.strokes import stroke_range_mm
from kilnchisel.core.shop.legibility import best_m, contrast_of, legible_m
from kilnchisel.core.shop.making import left_in_corners_mm, reached_share
from kilnchisel.core.shop.placing import gap_round
from kilnchisel.core.shop.stock import needed
from kilnchisel.core.shop.volumes import relief_range_mm, relief_volume_mm3, relief_weight_g, stages_area
from kilnchisel.core.units import format_angle, format_length, format_number

ENDINGS = {
    "mm": "_mm",
    "°": "_deg",
    "m": "_m",
    "ppi": "_ppi",
    "to 1": "_ratio",
    "%": "_percent",
    "mm²": "_mm2",
    "cm²": "_cm2",
    "cm³": "_cm3",
    "mm³": "_mm3",
    "g": "_g",
    "": "",
}


# of all copies together, on both sides where they are on both
SUMMED = (
    "area",
    "line_length",
    "film",
    "volume",
    "weight",
    "returns",
    "stitches",
    "thread",
    "cuts",
    "tube_length",
    "tubes",
)


@dataclass(frozen=True)
class Reading:
    """One measure: a stable key, the words for it, the value and its unit."""

    key: str
    label: str
    value: float
    unit: str

    @property
    def shown(self) -> str:
        if self.unit == "°":
            return format_angle(self.value)
        if self.unit == "":
            return format_number(self.value, 0)
        if self.unit != "mm":
            places = 2 if self.value < 10 else 1 if self.value < 100 else 0
            if 0 < self.value < 0.1:  # small things: two figures that mean something
                places = 1 - math.floor(math.log10(self.value))
            return f"{format_number(self.value, places)} {self.unit}"
        places = 2 if abs(self.value) < 10 else 1
        return format_length(self.value, "mm", places)


def readings(job: Job, index: int) -> tuple[Reading, ...]:
    """The readings of one lettering. Raises KilnError when it cannot be drawn."""
    lettering = job.letterings[index]
    laid = lettering_laid(job, index)
    outline = laid.outline
    words = isinstance(lettering.content, Wording)
    found = [Reading("cap_height", "Capital height", outline.cap_height_mm, "mm")] if words else []
    if laid.ink.is_empty:
        return tuple(found)
    if outline.face is not None and outline.face.x_height > 0:
        share = outline.face.x_height / outline.face.cap_height
        found.append(Reading("x_height", "x-height", outline.cap_height_mm * share, "mm"))
    closed = laid.side.period is not None
    copies = len(laid.placing.copies)
    found.append(Reading("width", "Width round" if closed else "Width", laid.width_mm, "mm"))
    if laid.degrees is not None:
        found.append(Reading("degrees", "Goes round", laid.degrees, "°"))
    found.append(Reading("height", "Height", laid.height_mm, "mm"))
    if isinstance(lettering.craft, Fitting):
        return (*found, *_fitted(job, index, lettering.craft))
    if max(abs(value - 1) for value in laid.stretch) > 4e-3:
        found += [
            Reading("least_stretch", "Least stretch", 100 * laid.stretch[0], "%"),
            Reading("greatest_stretch", "Greatest stretch", 100 * laid.stretch[1], "%"),
        ]
    found += _space(laid) + _on_garment(job.blank, laid)
    tubes = isinstance(lettering.craft, Tube)
    found += _fitting(laid) + _letters(laid, tubes=tubes)
    found.append(Reading("area", "Area of letters", laid.outline.ink.area * copies, "mm²"))
    found += _relief(job, lettering, laid)
    if words:
        found += [
            Reading("legible", "Can be read from", legible_m(outline.cap_height_mm), "m"),
            Reading("best", "Best seen from", best_m(outline.cap_height_mm), "m"),
        ]
    contrast = contrast_of(job, index, outline.layers)
    if contrast is not None:
        found.append(Reading("contrast", "Contrast", contrast, "to 1"))
    if isinstance(lettering.content, Artwork | Picture):
        fineness = pixels_per_inch(lettering.content)
        if fineness is not None:
            found.append(Reading("fineness", "Pixels an inch", fineness, "ppi"))
    sides = len(lays_of(job, index))
    return tuple(replace(one, value=one.value * sides) if one.key in SUMMED else one for one in found)


def _fitted(job: Job, index: int, craft: Fitting) -> list[Reading]:
    """How many pieces a fitting is, and how long a post is."""
    parts = [part for part in piece_of(job).parts if part.lettering == index]
    found = [Reading("parts", "Pieces", float(len(parts)), "")]
    if craft.form == "posts" and parts:
        ends = parts[0].mesh.points[:, 2]
        found.append(Reading("post", "Length of a post", float(ends.max() - ends.min()), "mm"))
    return found


def _relief(job: Job, lettering: Lettering, laid: Laid) -> list[Reading]:
    """How far it stands out or goes in, and what it takes of its material."""
    craft = lettering.craft
    found = [*_heights(lettering, laid), *own_readings(craft, laid)]
    if stands_free(craft) or isinstance(craft, Printed):
        return found
    carving = needed(job)
    if carving is not None and lettering.lay.side == "front":
        found += [
            Reading("highest", "Highest over the back", carving.highest_mm, "mm"),
            Reading("lowest", "Left below the carving", carving.lowest_mm, "mm"),
        ]
    if pressed_out(craft, laid.side.wall_mm):
        return found  # nothing is cut away or put on
    volume = relief_volume_mm3(lettering, laid)
    words = "Volume cut away" if volume < 0 else "Volume of letters"
    found.append(Reading("volume", words, abs(volume) / 1000, "cm³"))
    weight = relief_weight_g(lettering, laid, job.finish)
    if weight is not None:
        words = "Weight cut away" if volume < 0 else "Weight of letters"
        found.append(Reading("weight", words, weight, "g"))
    return found


def _heights(lettering: Lettering, laid: Laid) -> list[Reading]:
    low, high = relief_range_mm(lettering, laid)
    found = []
    if low < 0:
        found.append(Reading("relief", "Below surface", -low, "mm"))
    if high > 0:
        found.append(Reading("relief" if low >= 0 else "swell", "Above surface", high, "mm"))
    return found


@by_kind(Craft)
def own_readings(craft: Any, laid: Laid) -> list[Reading]:
    """What only this craft is measured by."""
    raise NotImplementedError


@own_readings.of(Pressed, Carved, Relief, CutThrough, Fitting)
def _none(_: Craft, laid: Laid) -> list[Reading]:
    return []


@own_readings.of(Printed)
def _film(craft: Printed, laid: Laid) -> list[Reading]:
    film = sum(stages_area(layer.layer, craft) for layer in laid.layers)
    return [Reading("film", "Film", film * len(laid.placing.copies) / 100, "cm²")]


@own_readings.of(Raised)
def _raised(craft: Raised, laid: Laid) -> list[Reading]:
    return [Reading("draft", "Draft", craft.slope_deg if craft.edge == "sloped" else 0.0, "°")]


@own_readings.of(Engraved)
def _cutter(craft: Engraved, laid: Laid) -> list[Reading]:
    if craft.cutter_mm <= 0 or craft.floor == "v":
        return []
    return [
        Reading("reached", "Cutter gets into", 100 * reached_share(laid, craft.cutter_mm), "%"),
        Reading("corner", "Inner radius", craft.cutter_mm / 2, "mm"),
        Reading("in_corners", "Left in corners", left_in_corners_mm(laid, craft.cutter_mm), "mm"),
    ]


@own_readings.of(Standing)
def _standing(craft: Standing, laid: Laid) -> list[Reading]:
    """How far letters stand out, and how much strip their returns take."""
    edge = sum(layer.layer.region.length for layer in laid.layers) * len(laid.placing.copies)
    out = craft.thickness_mm if craft.upright else craft.standoff_mm + craft.thickness_mm
    label = "Thick" if craft.upright else "Stands out"
    return [
        Reading("relief", label, out, "mm"),
        Reading("returns", "Length of returns", edge / 1000, "m"),
    ]


@own_readings.of(Embroidered)
def _sewn(craft: Embroidered, laid: Laid) -> list[Reading]:
    """Stitches, the thread they take, cuts, and the longest and shortest of them."""
    threads = [one for layer in threads_of(laid.outline, craft) for one in layer]
    copies = len(laid.placing.copies)
    if not threads:
        return []
    long = np.concatenate([np.linalg.norm(np.diff(one.points, axis=0), axis=1) for one in threads])
    return [
        Reading("stitches", "Stitches", float(copies * sum(one.stitches for one in threads)), ""),
        Reading("thread", "Thread", copies * float(long.sum()) / 1000, "m"),
        Reading("cuts", "Cuts", float(copies * len(threads)), ""),
        Reading("longest_stitch", "Longest stitch", float(long.max()), "mm"),
        Reading("shortest_stitch", "Shortest stitch", float(long.min()), "mm"),
    ]


@own_readings.of(WovenPatch)
def _patch(craft: WovenPatch, laid: Laid) -> list[Reading]:
    """How large the patch is, how long its edge."""
    whole = patch_of(laid, craft)
    if whole.is_empty:
        return []
    left, low, right, high = whole.bounds
    return [
        Reading("patch_width", "Patch, wide", right - left, "mm"),
        Reading("patch_height", "Patch, high", high - low, "mm"),
        Reading("patch_edge", "Edge", whole.length / 1000, "m"),
    ]


@own_readings.of(Tube)
def _tubes(craft: Tube, laid: Laid) -> list[Reading]:
    """What is bent: length, number, tightest bend, how far it stands out."""
    runs = runs_of(laid, craft)
    found = [
        Reading("tube_length", "Tube", sum(run.length_mm for run in runs) / 1000, "m"),
        Reading("tubes", "Tubes", float(len(runs)), ""),
        Reading("relief", "Stands out", front_mm(craft) + craft.tube_mm / 2, "mm"),
    ]
    tightest = tightest_mm(laid, craft)
    if tightest < 1e4:
        found.append(Reading("bend", "Tightest bend", tightest, "mm"))
    return found


def _fitting(laid: Laid) -> list[Reading]:
    """How many letters like these there is room for, between what bounds them sideways."""
    letters = [letter for letter in laid.outline.letters if not letter.region.is_empty]
    if len(letters) < 2 or len({letter.row for letter in letters}) != 1 or laid.lay.repeat is not None:
        return []
    try:
        low, high = gap_round(laid, "along")
    except KilnError:
        return []
    across = float(laid.ink.bounds[2] - laid.ink.bounds[0])
    return [Reading("would_fit", "Letters that fit", math.floor(len(letters) * (high - low) / across), "")]


def _letters(laid: Laid, *, tubes: bool) -> list[Reading]:
    outline = laid.outline
    found = []
    strokes = stroke_range_mm(outline)
    if strokes is not None:
        found.append(Reading("thinnest_stroke", "Thinnest stroke", strokes[0], "mm"))
        found.append(Reading("widest_stroke", "Widest stroke", strokes[1], "mm"))
    gap = smallest_gap_mm(outline)
    if gap is not None:
        found.append(Reading("smallest_gap", "Smallest gap", gap, "mm"))
    counters = counters_of(outline)
    if counters is not None:
        found.append(Reading("counters", "Counters", counters.count, ""))
        found.append(Reading("narrowest_counter", "Narrowest counter", counters.narrowest_mm, "mm"))
    if outline.lines:
        length = sum(length_of(line) for line in outline.lines) * len(laid.placing.copies)
        found.append(Reading("line_length", "Length of lines", length, "mm"))
        bend = min(tightest_bend(line) for line in outline.lines)
        if math.isfinite(bend) and not tubes:
            found.append(Reading("tightest_bend", "Tightest bend", bend, "mm"))
    return found


def _space(laid: Laid) -> list[Reading]:
    space = laid.space
    found = []
    if space.tail_mm is None:
        found += [
            Reading("left", "To left edge", space.left_mm, "mm"),
            Reading("right", "To right edge", space.right_mm, "mm"),
        ]
    else:
        found.append(Reading("tail", "Left round the back", space.tail_mm, "mm"))
    if space.seam_mm is not None:
        found.append(Reading("seam", "To the seam", space.seam_mm, "mm"))
    found += [
        Reading("above", "To upper edge", space.above_mm, "mm"),
        Reading("below", "To lower edge", space.below_mm, "mm"),
    ]
    for zone in space.zones:
        value = -zone.reaches_in_mm if zone.reaches_in_mm > 0 else zone.gap_mm
        found.append(Reading(f"to_{zone.name}", f"To the {zone.name}", value, "mm"))
    return found


def _on_garment(blank: Any, laid: Laid) -> list[Reading]:
    """What the trade measures prints on garments by."""
    if not isinstance(blank, Apparel) or laid.side.name not in ("front", "back") or laid.ink.is_empty:
        return []
    left, _, right, high = laid.ink.bounds
    collar = collar_of(measures_of(blank.garment, blank.size), laid.side.name)
    return [
        Reading("collar", "Below the collar", collar - high, "mm"),
        Reading("middle", "From the middle", abs(left + right) / 2, "mm"),
    ]


def _rounded(value: float) -> float:
    """To four places, small values to four figures."""
    return round(value, 4) if abs(value) >= 0.1 or value == 0 else float(f"{value:.4g}")


def measured(job: Job) -> dict[str, Any]:
    """All readings and checks of a job, ready for JSON; lengths in mm, angles in degrees."""
    from kilnchisel.core.shop.checks import checks

    letterings = []
    for index, lettering in enumerate(job.letterings):
        letterings.append(
            {
                "text": one_line(lettering)
                if not isinstance(lettering.content, Wording)
                else lettering.content.text,
                "content": lettering.content.kind,
                "side": lettering.lay.side,
                "craft": lettering.craft.kind,
                "readings": {
                    reading.key + ENDINGS[reading.unit]: _rounded(reading.value)
                    for reading in readings(job, index)
                },
                "checks": [
                    {
                        "key": check.key,
                        "level": check.level,
                        "says": check.says,
                        "source": check.source,
                        "amount_mm": None if check.amount_mm is None else round(check.amount_mm, 4),
                    }
                    for check in checks(job, index)
                ],
            }
        )
    return {"job": job.name, "blank": job.blank.kind, "letterings": letterings}
