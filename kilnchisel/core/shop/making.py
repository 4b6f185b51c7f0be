"""Whether a lettering can be made by its craft: walls, cutters, bends, clearances."""

from __future__ import annotations

import math

from kilnchisel.core.crafts.roof import widest_mm
from kilnchisel.core.crafts.tubes import CLEARANCE_MM, back_mm, runs_of, tightest_mm
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Pressed, Relief, Tube
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Stencil, Wording
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.shop.check import Check, rounded_down, set_to
from kilnchisel.core.shop.volumes import relief_range_mm
from kilnchisel.core.units import format_length, format_number

LEAST_WALL_MM = 0.4  # common practice: what is left under an engraving
ROPE_BEND_MM = 30.0  # common practice: LED rope is not bent tighter
CODE = "NEC 600.41 (from memory)"
GLASS_BEND = 1.0  # in diameters, common practice: tighter bends thin the glass too much


def making(job: Job, index: int, laid: Laid) -> list[Check]:
    """What the craft itself asks for."""
    craft = job.letterings[index].craft
    if isinstance(craft, Tube):
        return _tube(index, laid, craft)
    if isinstance(craft, CutThrough):
        return _islands(job, index, laid, craft)
    if isinstance(craft, Engraved | Pressed | Carved | Relief):
        return _wall(job, index, laid) + (
            _cutter(index, laid, craft) if isinstance(craft, Engraved) else []
        )
    return []


def _islands(job: Job, index: int, laid: Laid, craft: CutThrough) -> list[Check]:
    """What would fall out of a panel that is cut through."""
    if craft.fill != "open":
        return []
    loose = sum(len(part.interiors) for part in polygons_in(laid.outline.ink))
    if loose == 0:
        return [Check("islands", "good", "Nothing falls out.")]
    what = "The middle of one letter falls" if loose == 1 else f"The middles of {loose} letters fall"
    fix = None
    wording = job.letterings[index].wording
    if isinstance(wording, Wording) and wording.stencil is None:
        bridge = max(round(wording.cap_height_mm / 12, 1), 0.5)
        made = Stencil(bridge_mm=bridge)
        fix = set_to(index, f"Bridges {format_length(bridge)}", ("wording", "stencil"), made)
    return [Check("islands", "failure", f"{what} out; they need bridges.", fix=fix)]


def _cutter(index: int, laid: Laid, craft: Engraved) -> list[Check]:
    """Where a V cutter that is held at its depth leaves a flat floor."""
    if craft.floor != "v":
        return []
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


def _wall(job: Job, index: int, laid: Laid) -> list[Check]:
    """How much of the wall a cut leaves."""
    left = laid.side.wall_mm + relief_range_mm(job.letterings[index], laid)[0]
    if left >= LEAST_WALL_MM - 1e-9:
        return [Check("wall", "good", f"{format_length(left)} of wall stays under the letters.")]
    depth = rounded_down(laid.side.wall_mm - LEAST_WALL_MM)
    # of a carving or a relief several numbers decide: none is changed alone
    mends = depth > 0 and isinstance(job.letterings[index].craft, Engraved | Pressed)
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


def _tube(index: int, laid: Laid, craft: Tube) -> list[Check]:
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
