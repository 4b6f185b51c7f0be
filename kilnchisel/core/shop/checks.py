"""Checks: what is right or wrong with a lettering, why, and the change that would mend it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.job.edits import Fix, change
from kilnchisel.core.job.lettering import Engraved, ShippedFace
from kilnchisel.core.job.model import Job
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.faces import SHIPPED, load_face
from kilnchisel.core.lettering.strokes import thinnest_stroke_mm
from kilnchisel.core.units import format_length

Level = Literal["good", "warning", "failure"]

# Common practice: the thinnest stroke that screen or transfer printing holds, and a small cutter
THIN_MM = {"printed": 0.15, "engraved": 0.2, "raised": 0.4}
LEAST_WALL_MM = 0.4  # common practice: what is left under an engraving


@dataclass(frozen=True)
class Check:
    """A verdict in a sentence. ``amount_mm``: by how much, where that can be said."""

    key: str
    level: Level
    says: str
    source: str = ""
    amount_mm: float | None = None
    fix: Fix | None = None


def checks(job: Job, index: int) -> tuple[Check, ...]:
    """The checks of one lettering, those that apply. Raises KilnError when it cannot be drawn."""
    laid = lettering_laid(job, index)
    if not job.letterings[index].wording.text.strip():
        return (Check("empty", "warning", "No words yet."),)
    found = [_letters(job, index, laid)]
    if not laid.ink.is_empty:
        found += [_edges(job, index, laid), *_zones(job, index, laid)]
        found += _tail(job, index, laid) + _strokes(job, index, laid) + _wall(job, index, laid)
    return tuple(found)


def _letters(job: Job, index: int, laid: Laid) -> Check:
    missing = laid.outline.missing
    if not missing:
        return Check("letters", "good", "The face has every letter.")
    named = ", ".join(f"“{c}”" if c.isprintable() else f"U+{ord(c):04X}" for c in missing)
    fix = None
    for name in SHIPPED:
        face = load_face(ShippedFace(name=name))
        if all(
            ord(c) in face.characters and ord(c) not in face.blank_letters
            for c in job.letterings[index].wording.text
            if not c.isspace()
        ):
            fix = _set(index, f"Use {face.title}", ("wording", "face"), ShippedFace(name=name))
            break
    return Check(
        "letters", "failure", f"{laid.outline.face.title} has no {named}; it would leave a gap.", fix=fix
    )


def _edges(job: Job, index: int, laid: Laid) -> Check:
    beyond = laid.room.outside_mm
    if beyond <= 1e-4:
        return Check("fit", "good", "Fits the side.")
    return Check(
        "fit",
        "failure",
        f"Reaches {format_length(beyond)} beyond the edge; that part is left out.",
        amount_mm=beyond,
        fix=_shrink_to_side(job, index, laid),
    )


def _zones(job: Job, index: int, laid: Laid) -> list[Check]:
    found = []
    for zone in laid.room.zones:
        if zone.reaches_in_mm > 0:
            says = (
                f"Runs {format_length(zone.reaches_in_mm)} into the space kept clear for the {zone.name}."
            )
            fix = _set(index, "Centre it opposite", ("lay", "along_mm"), _opposite(laid, zone.name))
            found.append(
                Check(
                    f"clear_{zone.name}",
                    "warning",
                    says,
                    amount_mm=zone.reaches_in_mm,
                    fix=fix if _clear_when_opposite(laid, zone.name) else None,
                )
            )
        else:
            found.append(Check(f"clear_{zone.name}", "good", f"Clear of the {zone.name}."))
    return found


def _tail(job: Job, index: int, laid: Laid) -> list[Check]:
    tail = laid.room.tail_mm
    if tail is None or laid.side.period is None:
        return []
    if tail >= 0:
        return []
    share = (laid.side.period - 1.0) / laid.width_mm
    cap = _rounded_down(job.letterings[index].wording.cap_height_mm * share)
    return [
        Check(
            "tail",
            "failure",
            f"Runs over its own beginning by {format_length(-tail)}.",
            amount_mm=-tail,
            fix=_cap(index, cap),
        )
    ]


def _strokes(job: Job, index: int, laid: Laid) -> list[Check]:
    stroke = thinnest_stroke_mm(laid.outline)
    kind = job.letterings[index].craft.kind
    least = THIN_MM[kind]
    if stroke is None or stroke >= least:
        return []
    verb = {"printed": "may not print", "engraved": "may not cut clean", "raised": "may break off"}[kind]
    cap = math.ceil(job.letterings[index].wording.cap_height_mm * least / stroke * 10) / 10
    return [
        Check(
            "strokes",
            "warning",
            f"Strokes of {format_length(stroke)} {verb}; {format_length(least)} is safe.",
            source="common practice",
            amount_mm=least - stroke,
            fix=_cap(index, cap),
        )
    ]


def _wall(job: Job, index: int, laid: Laid) -> list[Check]:
    craft = job.letterings[index].craft
    if not isinstance(craft, Engraved):
        return []
    left = laid.side.wall_mm - craft.depth_mm
    if left >= LEAST_WALL_MM - 1e-9:
        return [Check("wall", "good", f"{format_length(left)} of wall stays under the engraving.")]
    depth = _rounded_down(laid.side.wall_mm - LEAST_WALL_MM)
    return [
        Check(
            "wall",
            "failure" if left <= 0 else "warning",
            f"Only {format_length(max(left, 0.0))} of wall stays under the engraving.",
            source="common practice",
            amount_mm=LEAST_WALL_MM - left,
            fix=_set(index, f"Depth {format_length(depth)}", ("craft", "depth_mm"), depth)
            if depth > 0
            else None,
        )
    ]


def centred(job: Job, index: int) -> Job:
    """The job with a lettering in the middle of its side: up and down, and from side to side.

    On a closed side it faces the front, or away from the first keep-clear zone if that is nearer
    than the lettering is wide.
    """
    laid = lettering_laid(job, index)
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    along = 0.0 if laid.side.period is not None else (low_u + high_u) / 2
    job = change(job, ("letterings", index, "lay", "along_mm"), along)
    across = _across_for_ink(laid, (low_v + high_v) / 2)
    return change(job, ("letterings", index, "lay", "across_mm"), round(across, 3))


def _across_for_ink(laid: Laid, middle: float) -> float:
    """The lay's v that brings the ink's middle to ``middle``."""
    if laid.ink.is_empty:
        return middle
    _, low, _, high = laid.ink.bounds
    return float(middle - ((low + high) / 2 - laid.lay.across_mm))


def _shrink_to_side(job: Job, index: int, laid: Laid) -> Fix | None:
    """A smaller capital height, and the middle, so that the ink fits with a little air."""
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    share = 0.94 * (high_v - low_v) / laid.height_mm
    if laid.side.period is None:
        share = min(share, 0.94 * (high_u - low_u) / laid.width_mm)
    cap = job.letterings[index].wording.cap_height_mm
    if share >= 1:
        return Fix("Centre it", lambda job: centred(job, index))
    smaller = _rounded_down(cap * share)
    if smaller < 0.2:
        return None

    def apply(job: Job) -> Job:
        return centred(change(job, ("letterings", index, "wording", "cap_height_mm"), smaller), index)

    return Fix(f"Fit it: capitals {format_length(smaller)}", apply)


def _opposite(laid: Laid, zone_name: str) -> float:
    area = next(zone.area for zone in laid.side.clear if zone.name == zone_name)
    period = laid.side.period or 0.0
    u = area.centroid.x + period / 2
    return round((u + period / 2) % period - period / 2, 3) if period else 0.0


def _clear_when_opposite(laid: Laid, zone_name: str) -> bool:
    area = next(zone.area for zone in laid.side.clear if zone.name == zone_name)
    left, _, right, _ = area.bounds
    return laid.side.period is not None and laid.width_mm < laid.side.period - (right - left)


def _cap(index: int, cap: float) -> Fix:
    return _set(index, f"Capitals {format_length(cap)}", ("wording", "cap_height_mm"), cap)


def _set(index: int, label: str, path: tuple[str | int, ...], value: object) -> Fix:
    return Fix(label, lambda job: change(job, ("letterings", index, *path), value))


def _rounded_down(value: float) -> float:
    return math.floor(value * 10) / 10 if value >= 1 else math.floor(value * 100) / 100
