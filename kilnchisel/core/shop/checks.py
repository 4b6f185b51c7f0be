"""Checks: what is right or wrong with a lettering, why, and the change that would mend it."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial

import shapely

from kilnchisel.core.build import laids_of, lettering_laid
from kilnchisel.core.colour import ENOUGH, LARGE_ENOUGH
from kilnchisel.core.crafts.inked import widest_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture
from kilnchisel.core.job.crafts import Fitting
from kilnchisel.core.job.edits import Fix, change, limits, scaled
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Column, Rows, Wording
from kilnchisel.core.laying.laid import Laid, outside_mm
from kilnchisel.core.lettering.bending import tightest_bend
from kilnchisel.core.lettering.catalogue import faces_with
from kilnchisel.core.lettering.content import artwork_size, pixels_per_inch
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.lettering.measures import counters_of
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.lettering.strokes import MOST_MEASURED, stroke_range_mm
from kilnchisel.core.shop.check import Check, rounded_down, set_to
from kilnchisel.core.shop.legibility import contrast_of
from kilnchisel.core.shop.limits import limits_of
from kilnchisel.core.shop.litface import evenness_check
from kilnchisel.core.shop.making import making
from kilnchisel.core.shop.placing import centred, clear_of_zones
from kilnchisel.core.shop.standards import rules_for
from kilnchisel.core.shop.stock import stock_check
from kilnchisel.core.units import format_length, format_number


def checks(job: Job, index: int) -> tuple[Check, ...]:
    """The checks of one lettering, those that apply. Raises KilnError when it cannot be drawn."""
    if job.letterings[index].hidden:
        return (Check("hidden", "warning", "Hidden: it is not made."),)
    laid = lettering_laid(job, index)
    content = job.letterings[index].content
    if isinstance(job.letterings[index].craft, Fitting):
        return tuple(stock_check(job))  # it is read by nobody, and belongs where holes and edges are
    if isinstance(content, Wording) and not content.text.strip():
        return (Check("empty", "warning", "No words yet."),)
    found = [_letters(job, index, laid)] if isinstance(content, Wording) else []
    found += _unreached(index, laid)
    if not laid.ink.is_empty:
        found += [_edges(job, index, laid), *_zones(job, index, laid)]
        found += _around(job, index, laid)
        found += _across(job, index, found)
        found += (
            _tail(job, index, laid) + _seam(laid) + _strokes(job, index, laid) + making(job, index, laid)
        )
        found += (
            _stretch(laid)
            + _outline(job, index, laid)
            + _contrast(job, index, laid)
            + _artwork(job, index, laid)
        )
        found += stock_check(job) + evenness_check(job)
        found += [
            Check(f"rule_{rule.key}", "good" if rule.holds else "failure", rule.says, rule.source)
            for rule in rules_for(job.letterings[index], laid)
        ]
    return tuple(found)


def warned(job: Job) -> list[tuple[Lettering, Check]]:
    """What the checks of all that is made are not content with. Raises KilnError."""
    return [
        (lettering, check)
        for index, lettering in enumerate(job.letterings)
        if not lettering.hidden
        for check in checks(job, index)
        if check.level != "good"
    ]


def _letters(job: Job, index: int, laid: Laid) -> Check:
    missing = laid.outline.missing
    if not missing:
        return Check("letters", "good", "The face has every letter.")
    named = ", ".join(f"“{c}”" if c.isprintable() else f"U+{ord(c):04X}" for c in missing)
    wording = job.letterings[index].content
    assert isinstance(wording, Wording) and laid.outline.face is not None
    proposed = next(faces_with(wording.text), None)
    fix = None
    if proposed is not None:
        fix = set_to(index, f"Use {load_face(proposed).title}", ("content", "face"), proposed)
    return Check(
        "letters", "failure", f"{laid.outline.face.title} has no {named}; it would leave a gap.", fix=fix
    )


def _edges(job: Job, index: int, laid: Laid) -> Check:
    beyond = laid.space.outside_mm
    if beyond <= 1e-4:
        return Check("fit", "good", "Fits the side.")
    return Check(
        "fit",
        "failure",
        f"Reaches {format_length(beyond)} beyond the edge; that part is left out.",
        amount_mm=beyond,
        fix=_shrink_to_side(job, index, laid),
    )


def _around(job: Job, index: int, laid: Laid) -> list[Check]:
    """What goes round the letters, which fit themselves: a patch, a carrier, a countersink."""
    craft = job.letterings[index].craft
    region, period = widest_of(laid, craft), laid.side.period
    if region is None:
        return []
    left, _, right, _ = region.bounds
    over = 0.0 if period is None else max(right - left - period, 0.0)
    beyond = outside_mm(region, laid.side)
    named, field = AROUND.get(craft.kind, ("Its edge", None))
    found = []
    if over > 1e-4 and (laid.space.tail_mm or 0.0) >= 0:
        found.append(
            Check("round", "failure", f"{named} runs over its own beginning by {format_length(over)}.")
        )
    if beyond > 1e-4 and laid.space.outside_mm <= 1e-4:
        says = f"{named} reaches {format_length(beyond)} beyond the edge; that part is left out."
        fix = None if field is None else _less_around(job, index, field, beyond)
        found.append(Check("around", "failure", says, amount_mm=beyond, fix=fix))
    return found


# by the kind of craft: what goes round the letters, and the field that says how far
AROUND = {"woven patch": ("The patch", "margin_mm"), "printed": ("The carrier", "carrier_mm")}


def _less_around(job: Job, index: int, field: str, beyond: float) -> Fix | None:
    """A narrower one, where one is left."""
    craft = job.letterings[index].craft
    narrower = rounded_down(getattr(craft, field) - beyond)
    if narrower < (limits(type(craft), field)[0] or 0.0):
        return None
    label = f"{field.removesuffix('_mm').capitalize()} {format_length(narrower)}"
    return set_to(index, label, ("craft", field), narrower)


def _unreached(index: int, laid: Laid) -> list[Check]:
    """Letters on what turns away from straight on, or is hidden by a fold of its own."""
    if laid.unreached <= UNREACHED:
        return []
    share = format_number(max(100 * laid.unreached, 0.1), 1)
    return [
        Check(
            "unreached",
            "failure",
            f"Straight on from here, {share} % of the letters fall on nothing that is seen; that part is "
            "left out.",
            fix=set_to(index, "Follow the surface", ("lay", "wrap"), "follow"),
        )
    ]


def _zones(job: Job, index: int, laid: Laid) -> list[Check]:
    found = []
    for zone in laid.space.zones:
        if zone.reaches_in_mm > 0:
            reach = format_length(zone.reaches_in_mm)
            says = (
                f"Lies under the {zone.name} by {reach}; nothing is seen of it there."
                if zone.covered
                else f"Runs {reach} into the space kept clear for the {zone.name}."
            )
            found.append(
                Check(
                    f"clear_{zone.name}",
                    "failure" if zone.covered else "warning",
                    says,
                    amount_mm=zone.reaches_in_mm,
                    fix=_off_zones(job, index),
                )
            )
        else:
            found.append(Check(f"clear_{zone.name}", "good", f"Clear of the {zone.name}."))
    return found


def _across(job: Job, index: int, own: list[Check]) -> list[Check]:
    """What is not well on the side opposite alone, of a lettering that is on both: a door, a flap."""
    told = {check.key for check in own if check.level != "good"}
    found = []
    for laid in laids_of(job, index)[1:]:
        for check in (_edges(job, index, laid), *_zones(job, index, laid)):
            if check.level != "good" and check.key not in told:
                says = f"On the {laid.lay.side}: {check.says[0].lower()}{check.says[1:]}"
                found.append(replace(check, key=f"other_{check.key}", says=says, fix=None))
    return found


def _tail(job: Job, index: int, laid: Laid) -> list[Check]:
    tail = laid.space.tail_mm
    if tail is None or laid.side.period is None:
        return []
    if tail >= 0:
        return []
    fix = _scaled_fix(job, index, laid, (laid.side.period - 1.0) / laid.width_mm)
    return [
        Check(
            "tail",
            "failure",
            f"Runs over its own beginning by {format_length(-tail)}.",
            amount_mm=-tail,
            fix=fix,
        )
    ]


def _stretch(laid: Laid) -> list[Check]:
    worst = max(abs(value - 1) for value in laid.stretch)
    if worst <= laid.lay.stretch_limit / 100:
        return []
    cone = laid.side.taper is not None
    more = "; unroll the cone, or make the lettering lower" if cone else "; make the lettering lower"
    return [
        Check(
            "stretch",
            "warning",
            f"Letters are stretched by up to {100 * worst:.0f} % away from their middle{more}.",
            "the limit that was set; cast film takes a few per cent (common practice)",
            decides="lay",
        )
    ]


def _seam(laid: Laid) -> list[Check]:
    """Letters across the seam of a wrapped label."""
    gap = laid.space.seam_mm
    if gap is None or gap >= 0 or (laid.space.tail_mm or 0) < 0:
        return []
    return [
        Check(
            "seam",
            "warning",
            f"Lies across the seam by {format_length(-gap)}; turn the seam away.",
            amount_mm=-gap,
            decides="lay",
        )
    ]


def _strokes(job: Job, index: int, laid: Laid) -> list[Check]:
    limits = limits_of(job.letterings[index].craft)
    strokes, least = stroke_range_mm(laid.outline), limits.stroke_mm
    if least is None or strokes is None or strokes[0] >= least:
        return []
    stroke = strokes[0]
    wording = job.letterings[index].content
    fix = None
    if isinstance(wording, Wording) and wording.by_lines:
        fix = set_to(index, f"Pen {format_length(least)}", ("content", "pen_mm"), least)
    elif isinstance(wording, Wording):
        fix = _cap(index, math.ceil(wording.cap_height_mm * least / stroke * 10) / 10)
    return [
        Check(
            "strokes",
            "warning",
            f"Strokes of {format_length(stroke)} {limits.else_}; {format_length(least)} is safe.",
            source="common practice",
            amount_mm=least - stroke,
            fix=fix,
        )
    ]


def _outline(job: Job, index: int, laid: Laid) -> list[Check]:
    """What the outline's own changes could not do, and islands that would fall out."""
    wording = job.letterings[index].content
    if not isinstance(wording, Wording):
        return []
    found = _collisions(laid)
    if laid.outline.rounded_mm < wording.round_mm - 1e-9:
        found.append(
            Check(
                "rounding",
                "warning",
                f"Corners could be rounded by {format_length(laid.outline.rounded_mm)} only, "
                "or strokes would be lost.",
                amount_mm=wording.round_mm - laid.outline.rounded_mm,
            )
        )
    if wording.thicken_mm < 0 and len(polygons_in(laid.outline.letter_ink)) > _pieces_before(job, index):
        found.append(
            Check(
                "thinning",
                "failure",
                "Thinned so far, strokes break apart.",
                fix=set_to(index, "Thin by half of it", ("content", "thicken_mm"), wording.thicken_mm / 2),
            )
        )
    if wording.stencil is not None:
        left = counters_of(laid.outline)
        found.append(
            Check("stencil", "good", "Every counter is held by bridges.")
            if left is None
            else Check(
                "stencil", "failure", f"{left.count} counters would fall out; make the bridges wider."
            )
        )
    if wording.by_lines and wording.bend_mm > 0:
        bend = min((tightest_bend(line) for line in laid.outline.lines), default=math.inf)
        if bend < 0.9 * wording.bend_mm:
            found.append(
                Check(
                    "bend",
                    "warning",
                    f"The tightest bend has {format_length(bend)} radius; "
                    f"{format_length(wording.bend_mm)} is asked for.",
                    amount_mm=wording.bend_mm - bend,
                    fix=_cap(index, math.ceil(wording.cap_height_mm * wording.bend_mm / bend * 10) / 10),
                )
            )
    return found


def _collisions(laid: Laid) -> list[Check]:
    """Rows that run into each other, as they do round a circle that is too small."""
    rows: dict[int, list[shapely.MultiPolygon]] = {}
    for letter in laid.outline.letters:
        rows.setdefault(letter.row, []).append(letter.region)
    if len(rows) < 2:
        return []
    regions = [shapely.union_all(parts) for parts in rows.values()]
    for number, one in enumerate(regions):
        for other in regions[number + 1 :]:
            if shapely.intersection(one, other).area > TOUCHING_MM2:
                return [Check("rows", "failure", "Rows run into each other.")]
    return []


TOUCHING_MM2 = 1e-6


def _pieces_before(job: Job, index: int) -> int:
    plain = change(job, ("letterings", index, "content", "thicken_mm"), 0.0)
    return len(polygons_in(lettering_laid(plain, index).outline.letter_ink))


def _contrast(job: Job, index: int, laid: Laid) -> list[Check]:
    ratio = contrast_of(job, index, laid.outline.layers)
    if ratio is None:
        return []
    source = "WCAG 2.x, 1.4.3"
    if ratio >= ENOUGH:
        return [Check("contrast", "good", "Letters stand out from their ground.", source)]
    if ratio >= LARGE_ENOUGH:
        return [Check("contrast", "good", "Enough contrast for large letters.", source)]
    return [
        Check(
            "contrast",
            "warning",
            f"Letters hardly stand out: contrast {ratio:.1f} to 1, {LARGE_ENOUGH:g} is the least.",
            source,
        )
    ]


UNREACHED = 1e-4  # of the letters: less is where a grid of cells ends
LEAST_PPI = 150.0  # common practice for prints seen at arm's length


def _artwork(job: Job, index: int, laid: Laid) -> list[Check]:
    content = job.letterings[index].content
    found = [Check("artwork", "warning", note) for note in laid.outline.notes]
    count = len(polygons_in(laid.outline.letter_ink))
    if count > MOST_MEASURED:
        says = f"Of {count:,} parts the strokes of the {MOST_MEASURED} thinnest and widest were measured."
        found.append(Check("sampled", "warning", says))
    if isinstance(content, Picture):
        fineness = pixels_per_inch(content)
        if fineness is not None and fineness < LEAST_PPI:
            width = rounded_down(content.width_mm * fineness / LEAST_PPI)
            found.append(
                Check(
                    "fineness",
                    "warning",
                    f"{fineness:.0f} pixels an inch will look coarse; {LEAST_PPI:g} is the least.",
                    "common practice",
                    fix=set_to(index, f"Width {format_length(width)}", ("content", "width_mm"), width),
                )
            )
    if (
        isinstance(content, Artwork)
        and content.unit_mm is None
        and content.width_mm is None
        and not artwork_size(content).stated
    ):
        found.append(
            Check("unit", "warning", "The file states no unit; give its width, or what one unit is.")
        )
    return found


def _shrink_to_side(job: Job, index: int, laid: Laid) -> Fix | None:
    """A smaller capital height, and the middle, so that the ink fits with a little air."""
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    share = 0.94 * (high_v - low_v) / laid.height_mm
    if laid.side.period is None:
        share = min(share, 0.94 * (high_u - low_u) / laid.width_mm)
    if share >= 1:
        return Fix("Centre it", partial(centred, index=index))
    smaller = _scaled_fix(job, index, laid, share)
    if smaller is None:
        return None
    return Fix(f"Fit it: {smaller.label.lower()}", partial(_smaller_centred, smaller=smaller, index=index))


def _smaller_centred(job: Job, smaller: Fix, index: int) -> Job:
    return centred(smaller.apply(job), index)


def _scaled_fix(job: Job, index: int, laid: Laid, share: float) -> Fix | None:
    """The lettering made smaller as a whole; None when nothing legible would be left."""
    content = job.letterings[index].content
    if (
        isinstance(content, Wording)
        and content.fit is None
        and isinstance(content.arrangement, Rows | Column)
    ):
        cap = rounded_down(content.cap_height_mm * share)
        return _cap(index, cap) if cap >= 0.2 else None
    factor = rounded_down(100 * share) / 100
    if factor <= 0.01:
        return None
    smaller = scaled(content, factor, laid.outline.width_mm)
    return set_to(index, f"Smaller, {100 * factor:.0f} %", ("content",), smaller)


def _off_zones(job: Job, index: int) -> Fix | None:
    try:
        clear_of_zones(job, index)
    except KilnError:
        return None
    return Fix("Move it clear", partial(clear_of_zones, index=index))


def _cap(index: int, cap: float) -> Fix:
    return set_to(index, f"Capitals {format_length(cap)}", ("content", "cap_height_mm"), cap)
