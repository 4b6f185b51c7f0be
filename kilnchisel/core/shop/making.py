"""Whether a lettering can be made by its craft: walls, cutters, bends, clearances."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import body_of_job, lettering_laid
from kilnchisel.core.crafts.inked import inked_of, milled, patch_of, refuse_too_deep
from kilnchisel.core.crafts.roof import widest_mm
from kilnchisel.core.crafts.through import across
from kilnchisel.core.crafts.tubes import CLEARANCE_MM, back_mm, runs_of, tightest_mm
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Mesh3D
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
from kilnchisel.core.job.wording import Stencil, Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.later import spatial
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.measures import smallest_gap_mm
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.shop.check import Check, rounded_down, set_to
from kilnchisel.core.shop.limits import LEAST_WALL_MM, limits_of
from kilnchisel.core.shop.volumes import relief_range_mm
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

ROPE_BEND_MM = 30.0  # common practice: LED rope is not bent tighter
CODE = "NEC 600.41 (from memory)"
GLASS_BEND = 1.0  # in diameters, common practice: tighter bends thin the glass too much


def making(job: Job, index: int, laid: Laid) -> list[Check]:
    """What the craft itself asks for."""
    found = asked(job.letterings[index].craft, job, index, laid) + _walls_between(job, index, laid)
    if not any(check.key == "wall" and check.level == "failure" for check in found):
        found += _refused(job, index, laid)
    return found


def _refused(job: Job, index: int, laid: Laid) -> list[Check]:
    """What picture and solid would refuse."""
    craft = job.letterings[index].craft
    panel = None if isinstance(job.blank, Mesh3D) else across(body_of_job(job), laid.lay.side)
    try:
        inks = inked_of(index, laid, craft, 0.0 if panel is None else panel[2], detail=Detail.ROUGH)
        refuse_too_deep(laid.side, craft, inks)
    except KilnError as error:
        return [Check("made", "failure", str(error))]
    return []


def _walls_between(job: Job, index: int, laid: Laid) -> list[Check]:
    """What stays of the ground between two letters that are cut in."""
    least = limits_of(job.letterings[index].craft).between_mm
    gap = smallest_gap_mm(laid.outline)
    if least is None or gap is None or gap >= least - 1e-6:
        return []
    left = format_length(gap, decimals=3)
    says = f"Only {left} of wall stays between two letters; {format_length(least)} is safe."
    fix = None
    wording = job.letterings[index].content
    if isinstance(wording, Wording) and wording.fit is None:
        wider = math.ceil(100 * (wording.letter_spacing_mm + least - gap)) / 100
        words = f"Letter spacing {format_length(wider)}"
        fix = set_to(index, words, ("content", "letter_spacing_mm"), wider)
    return [Check("walls", "warning", says, source="common practice", amount_mm=least - gap, fix=fix)]


@by_kind(Craft)
def asked(craft: Any, job: Job, index: int, laid: Laid) -> list[Check]:
    """What the craft of one lettering asks for by itself."""
    raise NotImplementedError


@asked.of(Printed, Standing, Fitting)
def _nothing_asked(_: Craft, job: Job, index: int, laid: Laid) -> list[Check]:
    return []


@asked.of(Pressed, Carved, Relief)
def _cut_in(_: Craft, job: Job, index: int, laid: Laid) -> list[Check]:
    return _wall(job, index, laid) + _between(job, index, laid)


@asked.of(Engraved)
def _engraved(craft: Engraved, job: Job, index: int, laid: Laid) -> list[Check]:
    return _cut_in(craft, job, index, laid) + _cutter(index, laid, craft)


@asked.of(CutThrough)
def _cut_through(craft: CutThrough, job: Job, index: int, laid: Laid) -> list[Check]:
    pocket = _wall(job, index, laid) if craft.fill == "inlay" else []
    return pocket + _islands(job, index, laid, craft)


CAST_DRAFT_DEG = 3.0  # common practice: a casting leaves its sand mould with so much


@asked.of(Raised)
def _draft(craft: Raised, job: Job, index: int, laid: Laid) -> list[Check]:
    """Whether letters that slope leave a mould."""
    if craft.edge != "sloped" or craft.slope_deg >= CAST_DRAFT_DEG:
        return []
    says = f"A draft of {format_number(craft.slope_deg)}° holds a casting in its mould."
    fix = set_to(index, f"Draft {CAST_DRAFT_DEG:g}°", ("craft", "slope_deg"), CAST_DRAFT_DEG)
    return [Check("draft", "warning", says, source="common practice", fix=fix)]


SAMPLES = 60  # points along the longer extent of a lettering where its floor is felt


def _between(job: Job, index: int, laid: Laid) -> list[Check]:
    """What is left between this cut and one on another side, the inside of a band, the back of a plate."""
    own = relief_range_mm(job.letterings[index], laid)[0]
    floor = _floor(laid, own)
    thinnest, where = math.inf, ""
    for other, lettering in enumerate(job.letterings):
        cuts = limits_of(lettering.craft).cuts_in
        if other == index or lettering.hidden or not cuts or lettering.lay.side == laid.lay.side:
            continue
        across = lettering_laid(job, other)
        deep = relief_range_mm(lettering, across)[0]
        if across.ink.is_empty or -own - deep < 0.2 * laid.side.wall_mm:
            continue
        gap = float(spatial.cKDTree(_floor(across, deep)).query(floor)[0].min())
        if gap < thinnest:
            thinnest, where = gap, one_line(lettering)[:24]
    if thinnest >= laid.side.wall_mm - 1e-6 or thinnest >= LEAST_WALL_MM:
        return []
    says = f"Only {format_length(thinnest)} stays between this and “{where}” on the other side."
    return [Check("between", "warning", says, source="common practice", amount_mm=LEAST_WALL_MM - thinnest)]


def _floor(laid: Laid, height: float) -> Array:
    """Points on the floor of a cut, (n, 3)."""
    left, low, right, high = laid.ink.bounds
    step = max(right - left, high - low) / SAMPLES
    u, v = np.meshgrid(np.arange(left, right, step) + step / 2, np.arange(low, high, step) + step / 2)
    spots = np.stack([u.ravel(), v.ravel()], axis=1)
    spots = spots[shapely.contains_xy(laid.ink, spots[:, 0], spots[:, 1])]
    spots = np.concatenate([spots, shapely.get_coordinates(laid.ink)])
    return np.asarray(laid.side.to_body(spots, np.full(len(spots), height)))


def _islands(job: Job, index: int, laid: Laid, craft: CutThrough) -> list[Check]:
    """What would fall out of a panel that is cut through."""
    if craft.fill != "open":
        return []
    loose = sum(len(part.interiors) for part in polygons_in(laid.outline.ink))
    if loose == 0:
        return [Check("islands", "good", "Nothing falls out.")]
    what = "The middle of one letter falls" if loose == 1 else f"The middles of {loose} letters fall"
    fix = None
    wording = job.letterings[index].content
    if isinstance(wording, Wording) and wording.stencil is None:
        bridge = max(round(wording.cap_height_mm / 12, 1), 0.5)
        made = Stencil(bridge_mm=bridge)
        fix = set_to(index, f"Bridges {format_length(bridge)}", ("content", "stencil"), made)
    return [Check("islands", "failure", f"{what} out; they need bridges.", fix=fix)]


def _cutter(index: int, laid: Laid, craft: Engraved) -> list[Check]:
    """Where a V cutter that is held at its depth leaves a flat floor; where a round one does not get in."""
    if craft.floor != "v":
        return _reached(index, laid, craft) if craft.cutter_mm > 0 else []
    slope = math.tan(math.radians(craft.angle_deg / 2))
    widest = max((widest_mm(layer.layer) for layer in laid.layers), default=0.0)
    flat = 2 * (widest - craft.depth_mm * slope)
    if flat <= 0.01:
        return [Check("cutter", "good", "The V runs out in a line everywhere.")]
    deep = math.ceil(100 * widest / slope) / 100
    return [
        Check(
            "cutter",
            "warning",
            f"Wide strokes keep a flat floor, up to {format_length(flat)} wide.",
            source="0.5 × width / tan(half the cutter's angle)",
            amount_mm=flat,
            fix=set_to(index, f"Deepest {format_length(deep)}", ("craft", "depth_mm"), deep)
            if deep < laid.side.wall_mm - LEAST_WALL_MM and deep <= 50
            else None,
        )
    ]


CUTTERS_MM = (12.0, 10.0, 8.0, 6.0, 5.0, 4.0, 3.0, 2.0, 1.5, 1.0, 0.8, 0.6, 0.5, 0.4, 0.3, 0.2)
ENOUGH_REACHED = 0.985  # of the letters' area: the rest is what lies in corners


def reached_share(laid: Laid, cutter_mm: float) -> float:
    """How much of the letters' area a cutter of this diameter reaches, 0..1."""
    whole = sum(item.layer.region.area for item in laid.layers)
    reached = sum(milled(item.layer, cutter_mm).region.area for item in laid.layers)
    return float(reached / max(whole, 1e-12))


def left_in_corners_mm(laid: Laid, cutter_mm: float) -> float:
    """How far the cutter stays away from the deepest inner corner that it reaches at all."""
    far = 0.0
    for item in laid.layers:
        region = milled(item.layer, cutter_mm).region
        if region.is_empty:
            continue
        missed = shapely.difference(item.layer.region, shapely.buffer(region, 1e-3))
        near = [p for p in polygons_in(missed) if shapely.distance(p, region) < 0.01]
        points = shapely.get_coordinates(near)
        if len(points):
            far = max(far, float(shapely.distance(shapely.points(points), region).max()))
    return min(far, cutter_mm)


def _reached(index: int, laid: Laid, craft: Engraved) -> list[Check]:
    share = reached_share(laid, craft.cutter_mm)
    if share >= ENOUGH_REACHED:
        corner = format_length(craft.cutter_mm / 2)
        return [Check("reach", "good", f"The cutter gets everywhere; inner corners keep {corner} radius.")]
    smaller = (c for c in CUTTERS_MM if c < craft.cutter_mm)
    fits = next((c for c in smaller if reached_share(laid, c) >= ENOUGH_REACHED), None)
    says = (
        f"A cutter of {format_length(craft.cutter_mm)} gets into {100 * share:.0f} % of the letters only."
    )
    fix = None
    if fits is not None:
        fix = set_to(index, f"Cutter {format_length(fits)}", ("craft", "cutter_mm"), fits)
    return [Check("reach", "failure" if share < 0.9 else "warning", says, fix=fix)]


def _wall(job: Job, index: int, laid: Laid) -> list[Check]:
    """How much of the wall a cut leaves."""
    left = laid.side.wall_mm + relief_range_mm(job.letterings[index], laid)[0]
    if left >= LEAST_WALL_MM - 1e-9:
        return [Check("wall", "good", f"{format_length(left)} of wall stays under the letters.")]
    depth = rounded_down(laid.side.wall_mm - LEAST_WALL_MM)
    # of a carving or a relief several numbers decide: none is changed alone
    mends = depth > 0 and limits_of(job.letterings[index].craft).by_depth
    return [
        Check(
            "wall",
            "failure" if left <= 0 else "warning",
            f"Only {format_length(max(left, 0.0))} of wall stays under the letters.",
            source="common practice",
            amount_mm=LEAST_WALL_MM - left,
            fix=set_to(index, f"Depth {format_length(depth)}", ("craft", "depth_mm"), depth)
            if mends
            else None,
        )
    ]


def _too_low(job: Job, index: int, laid: Laid, key: str, least_mm: float, taking: str) -> list[Check]:
    """A warning where capitals are lower than thread can show; ``taking``: what takes them so high."""
    content = job.letterings[index].content
    cap = laid.outline.cap_height_mm if isinstance(content, Wording) else math.inf
    if cap >= least_mm:
        return []
    least = format_length(least_mm)
    words = f"Capitals of {format_length(cap)} are low for {taking}, which takes {least}."
    fix = set_to(index, f"Capitals {least}", ("content", "cap_height_mm"), least_mm)
    amount = least_mm - cap
    return [Check(key, "warning", words, source="common practice", amount_mm=amount, fix=fix)]


LEAST_WOVEN_MM = 4.0  # common practice: capitals of a damask weave


@asked.of(WovenPatch)
def _patch(craft: WovenPatch, job: Job, index: int, laid: Laid) -> list[Check]:
    """Whether letters are high enough to be woven, and whether it is one patch."""
    found = _too_low(job, index, laid, "woven", LEAST_WOVEN_MM, "weaving")
    pieces = len(patch_of(laid, craft).geoms)
    if pieces > 1:
        fix = set_to(index, "A rectangle", ("craft", "form"), "rectangle")
        found.append(Check("patch", "warning", f"The patch falls into {pieces} pieces.", fix=fix))
    return found or [Check("patch", "good", "The patch is one piece, its letters high enough to be woven.")]


@asked.of(Embroidered)
def _embroidered(craft: Embroidered, job: Job, index: int, laid: Laid) -> list[Check]:
    """Whether the letters are high enough for satin, and how closely thread lies."""
    found = _too_low(job, index, laid, "satin", LEAST_SATIN_MM, "satin")
    low, high = DENSITY_MM
    if not low <= craft.density_mm <= high:
        words = (
            "Threads lie so closely that they cut the cloth"
            if craft.density_mm < low
            else "Threads lie so far apart that the cloth is seen between them"
        )
        usual = low if craft.density_mm < low else high
        found.append(
            Check(
                "density",
                "warning",
                f"{words}; {format_length(low)} to {format_length(high)} apart is usual.",
                source="common practice",
                fix=set_to(index, f"Density {format_length(usual)}", ("craft", "density_mm"), usual),
            )
        )
    short, long = sorted((laid.width_mm, laid.height_mm))
    if short > FRAME_MM[0] or long > FRAME_MM[1]:
        size = " x ".join(format_length(mm) for mm in FRAME_MM)
        says = f"Larger than what a frame holds, {size}: it would be sewn in parts."
        found.append(Check("frame", "warning", says, source="common practice"))
    if not found:
        found.append(Check("satin", "good", "The letters can be sewn.", source="common practice"))
    return found


FRAME_MM = (360.0, 500.0)  # the largest usual frame of a machine, common practice
LEAST_SATIN_MM = 5.0  # capitals, common practice
DENSITY_MM = (0.35, 0.5)  # of satin in number 40 thread, common practice


@asked.of(Tube)
def _tube(craft: Tube, job: Job, index: int, laid: Laid) -> list[Check]:
    """Bends of the glass, its way to the wall, and how long it gets."""
    found = []
    tightest = tightest_mm(laid, craft)
    least = GLASS_BEND * craft.tube_mm if craft.form == "glass" else ROPE_BEND_MM
    if tightest < 0.97 * least:
        bend = math.ceil(20 * least / craft.tube_mm) / 20
        found.append(
            Check(
                "bend",
                "failure",
                f"Bent to a radius of {format_length(tightest)}; it takes {format_length(least)}.",
                source="common practice",
                amount_mm=least - tightest,
                fix=set_to(index, f"Least bend {format_number(bend)} ×", ("craft", "bend"), bend),
            )
        )
    elif math.isfinite(tightest):
        words = "glass" if craft.form == "glass" else "rope"
        found.append(
            Check("bend", "good", f"The {words} takes its tightest bend.", source="common practice")
        )
    if craft.form == "glass":
        found += _clearance(index, laid, craft)
    return found


def _clearance(index: int, laid: Laid, craft: Tube) -> list[Check]:
    runs = runs_of(laid, craft)
    joined = any(not run.lit[1:-1].all() and (~run.lit).sum() > 8 for run in runs) and craft.joined
    gap = craft.standoff_mm if not joined else min(craft.standoff_mm, back_mm(craft) - craft.tube_mm / 2)
    wanted = CLEARANCE_MM + (2 * craft.tube_mm if joined else 0.0)
    if craft.standoff_mm < wanted - 1e-6:
        off = float(math.ceil(wanted))
        words = (
            "what joins the letters has no room behind them"
            if gap >= CLEARANCE_MM - 0.01
            else (f"only {format_length(max(gap, 0.0))} between glass and wall")
        )
        return [
            Check(
                "clearance",
                "warning" if gap >= CLEARANCE_MM - 0.01 else "failure",
                f"{words[0].upper()}{words[1:]}.",
                source=CODE,
                amount_mm=wanted - craft.standoff_mm,
                fix=set_to(index, f"Off the wall {format_length(off)}", ("craft", "standoff_mm"), off),
            )
        ]
    return [Check("clearance", "good", "The glass is clear of the wall.", source=CODE)]
