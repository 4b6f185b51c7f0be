"""What a carving needs of its stock: how high it stands, what is left below it, and fitting it in."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import lettering_laid
from kilnchisel.core.job.boards import Board
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
from kilnchisel.core.job.edits import Fix
from kilnchisel.core.job.model import Job
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.shop.check import Check
from kilnchisel.core.shop.volumes import relief_range_mm
from kilnchisel.core.units import format_length

Array = NDArray[Any]

CLOSE_MM = 0.05  # as near as a board is planed
LEAST_BOARD_MM = 2.0


@dataclass(frozen=True)
class Needed:
    """A carved board over its back, mm: its highest place, and its lowest on the front."""

    highest_mm: float
    lowest_mm: float


def needed(job: Job) -> Needed | None:
    """What the board's front takes of the stock; None where the blank is no board."""
    if not isinstance(job.blank, Board):
        return None
    body = body_of(job.blank)
    sheet = body.sheet("front")
    spots = np.asarray(sheet.border.exterior.coords) if sheet.net is None else sheet.net.points
    thick = job.blank.thickness_mm
    ground = [thick - sheet.side.to_body(spots, np.zeros(len(spots)))[:, 1]]
    ground += [thick - shell.mesh.points[:, 1] for shell in body.shells]
    high, low = max(float(z.max()) for z in ground), float(ground[0].min())
    if job.blank.line_mm > 0:
        high += max(job.blank.line_rise_mm, 0.0) if high <= thick + job.blank.line_rise_mm else 0.0
        low += min(job.blank.line_rise_mm, 0.0)
    for index, lettering in enumerate(job.letterings):
        if lettering.hidden or lettering.lay.side != "front":
            continue
        laid = lettering_laid(job, index)
        if laid.ink.is_empty:
            continue
        deep, tall = relief_range_mm(lettering, laid)
        under = shapely.get_coordinates(laid.ink)
        z = thick - laid.side.to_body(under, np.zeros(len(under)))[:, 1]
        high, low = max(high, float(z.max()) + tall), min(low, float(z.min()) + deep)
    return Needed(high, low)


def fitted(job: Job) -> Job:
    """The carving brought into its stock: as thick as the stock is, all heights lower by one share where
    what must stay below the deepest cut would not stay."""
    found = needed(job)
    assert found is not None and isinstance(job.blank, Board)
    board = job.blank
    span = max(found.highest_mm - found.lowest_mm, 1e-6)
    share = min(1.0, (board.stock_mm - board.keep_mm) / span)
    above = share * (found.highest_mm - board.thickness_mm)
    thick = max(board.stock_mm - above, LEAST_BOARD_MM)
    update = {
        "thickness_mm": math.ceil(1000 * thick) / 1000,
        "dome_mm": board.dome_mm * share,
        "line_rise_mm": board.line_rise_mm * share,
        "frame_rise_mm": max(board.frame_rise_mm * share, 0.5),
        "edge_mm": min(board.edge_mm, math.floor(500 * thick) / 1000),
    }
    items = tuple(
        item.model_copy(update={"craft": lowered(item.craft, share)}) if item.lay.side == "front" else item
        for item in job.letterings
    )
    return job.model_copy(update={"blank": Board(**(dict(board) | update)), "letterings": items})


def lowered(craft: Craft, share: float) -> Craft:
    """A craft with its heights and depths at a share, its widths as they are."""
    return craft if share == 1.0 else at_share(craft, share)


@by_kind(Craft)
def at_share(craft: Any, share: float) -> Craft:
    """A craft with its heights at a share of what they are; one without heights as it is."""
    raise NotImplementedError


@at_share.of(Printed, Tube, Standing, CutThrough, Fitting, Embroidered, WovenPatch)
def _without_height(craft: Craft, share: float) -> Craft:
    return craft


@at_share.of(Engraved)
def _engraved(craft: Engraved, share: float) -> Craft:
    half = math.radians(craft.angle_deg / 2)
    wider = 2 * math.degrees(math.atan(math.tan(half) / share))
    return craft.model_copy(
        update={
            "depth_mm": max(craft.depth_mm * share, 0.01),
            "fillet_mm": max(craft.fillet_mm * share, 0.01),
            "angle_deg": min(max(wider, 10.0), 160.0),
        }
    )


@at_share.of(Raised)
def _raised(craft: Raised, share: float) -> Craft:
    rise = {"height_mm": max(craft.height_mm * share, 0.01), "round_mm": craft.round_mm * share}
    slope = math.tan(math.radians(craft.slope_deg))
    if craft.edge == "ridge":
        rise["slope_deg"] = max(math.degrees(math.atan(slope * share)), 1.0)
    elif craft.edge == "sloped":  # from upright: the same run over a lower rise
        rise["slope_deg"] = min(math.degrees(math.atan(slope / share)), 80.0)
    return craft.model_copy(update=rise)


@at_share.of(Carved)
def _carved(craft: Carved, share: float) -> Craft:
    update = {"base_mm": craft.base_mm * share, "depth_mm": max(craft.depth_mm * share, 0.02)}
    return craft.model_copy(update=update)


@at_share.of(Pressed)
def _pressed(craft: Pressed, share: float) -> Craft:
    return craft.model_copy(update={"depth_mm": max(craft.depth_mm * share, 0.02)})


@at_share.of(Relief)
def _relief(craft: Relief, share: float) -> Craft:
    return craft.model_copy(update={"height_mm": max(craft.height_mm * share, 0.02)})


def stock_check(job: Job) -> list[Check]:
    """Whether the carving lies within its stock, and what is left below it."""
    if not isinstance(job.blank, Board) or job.blank.stock_mm <= 0:
        return []
    found = needed(job)
    assert found is not None
    stock, keep = job.blank.stock_mm, job.blank.keep_mm
    fix = Fix("Fit it to the stock", fitted) if stock > keep + 1 else None
    over = found.highest_mm - stock
    if over > CLOSE_MM:
        says = f"The carving stands {format_length(over)} above its stock of {format_length(stock)}."
        return [Check("stock", "failure", says, amount_mm=over, fix=fix)]
    if found.lowest_mm < keep - CLOSE_MM:
        says = f"Only {format_length(max(found.lowest_mm, 0.0))} stays below the deepest cut."
        return [Check("stock", "warning", says, amount_mm=keep - found.lowest_mm, fix=fix)]
    if over < -CLOSE_MM:
        says = f"{format_length(-over)} of the stock is planed off."
        return [Check("stock", "good", says, fix=fix)]
    says = f"It fills its stock; {format_length(found.lowest_mm)} stays below the deepest cut."
    return [Check("stock", "good", says)]
