"""What a laser does with a side: fill what is engraved, score open lines, cut what goes through, its beam's
width allowed for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import sides_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Relief, Standing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import polygons_in, rings_of
from kilnchisel.core.shop.holes import drilled
from kilnchisel.core.shop.paths.facework import PANELS
from kilnchisel.core.shop.paths.flatwork import (
    Work,
    as_layered,
    flat_work,
    on_side,
    open_lines,
    without_work,
)
from kilnchisel.core.shop.paths.inlays import inlay_name, within_gap
from kilnchisel.core.shop.paths.lettersheets import letter_sheets
from kilnchisel.core.shop.paths.nesting import Stock
from kilnchisel.core.shop.paths.order import rings_in_order
from kilnchisel.core.shop.paths.surface import faced, is_faced
from kilnchisel.core.shop.silhouette import seen_at

Array = NDArray[Any]

LASERED = (Engraved, CutThrough, Standing, Carved, Relief)
MOST_KERF_MM = 2.0


@dataclass(frozen=True, eq=False)
class Lasered:
    """One sheet: areas that are filled, open lines that are scored, and lines that are cut, what is inside
    first; flat mm. ``thick_mm``: of a sheet that pieces are cut from; ``told``: what is to know of it, such
    as what its own beam's width takes away altogether."""

    name: str
    side: str
    fill: list[Array]
    score: list[Array]
    cut: list[Array]
    told: list[str]
    thick_mm: float = 0.0


def not_lasered(job: Job) -> str:
    """Why a job has nothing for a laser; empty where it has."""
    return without_work(job, "engraved, cut through or of letters that stand", *LASERED)


def lasered(job: Job, kerf_mm: float, stock: Stock | None = None) -> list[Lasered]:
    """The sheets of a job: what is on one side together, letters of their own by themselves. ``kerf_mm``:
    how wide the beam cuts; ``stock``: sheets that letters are laid on. Raises KilnError."""
    if not 0 <= kerf_mm <= MOST_KERF_MM:
        raise KilnError(f"A beam's kerf goes from 0 to {MOST_KERF_MM:g} mm.")
    works = flat_work(job, *LASERED)
    found, inlaid = [], []
    lying = [work for work in works if not isinstance(work.craft, Standing)]
    sides = sides_of_job(job)
    for side in dict.fromkeys(work.side for work in lying):
        mine = [work for work in lying if work.side == side]
        told: list[str] = []
        if sides is None:
            mine = as_layered(mine)
        else:
            laid, told = on_side(sides.named(side), mine)
            mine = [work.flattened() for work in laid]
        found.append(_ground(job, side, mine, told, kerf_mm))
        inlaid += [work for work in mine if _filled(work) == "inlay"]
    found += [_inlay(work, kerf_mm) for work in inlaid]
    standing = [work for work in works if isinstance(work.craft, Standing)]
    for sheet in letter_sheets(job, standing, stock):
        cut, lost = _cut(sheet.work.name, sheet.region, kerf_mm, outside=True)
        told = [*lost, *sheet.notes]
        found.append(Lasered(sheet.name, sheet.work.side, [], [], cut, told, sheet.thick_mm))
    if not any(one.fill or one.score or one.cut for one in found):
        raise KilnError("There is nothing to cut: the lettering draws nothing.")
    return found


def _filled(work: Work) -> str:
    """What is in an opening; nothing for what is none."""
    return work.craft.fill if isinstance(work.craft, CutThrough) else ""


def _ground(job: Job, side: str, works: list[Work], told: list[str], kerf_mm: float) -> Lasered:
    """What is done to a side, the later over the earlier."""
    through = [work for work in works if _filled(work) == "open"]
    scored = [(work, open_lines(job, work)) for work in works if work not in through]
    fill = [ring for work, lines in scored if not lines for ring in rings_of(work.region)]
    score = [line for _, lines in scored for line in lines]
    cut: list[Array] = []
    told = list(told)
    for work in through:
        ways, lost = _cut(work.name, work.region, kerf_mm, outside=False)
        cut, told = [*cut, *ways], [*told, *lost]
    return Lasered(side, side, fill, score, cut + (_blank(job, side, kerf_mm) if through else []), told)


def _blank(job: Job, side: str, kerf_mm: float) -> list[Array]:
    """The ways that cut out a panel itself, its holes first; none of what is no panel."""
    if not isinstance(job.blank, PANELS) or not is_faced(job, side):
        return []
    border = seen_at(job, faced(job, side))
    holes = [hole.region for one in drilled(job) if one.side == side for hole in one.holes]
    kept = border.difference(shapely.union_all(holes)) if holes else border
    return [np.asarray(ring) for ring in rings_in_order(shapely.buffer(kept, kerf_mm / 2))]


def _inlay(work: Work, kerf_mm: float) -> Lasered:
    """What lies in a pocket, cut out of a sheet as thick as that is deep."""
    assert isinstance(work.craft, CutThrough)
    region, lost = within_gap(work, work.craft)
    cut, more = _cut(work.name, region, kerf_mm, outside=True)
    return Lasered(inlay_name(work), work.side, [], [], cut, [*lost, *more], work.craft.depth_mm)


def _cut(name: str, region: Any, kerf_mm: float, *, outside: bool) -> tuple[list[Array], list[str]]:
    """The beam's ways half its width beside a region's edge, and in words what it takes away altogether.
    ``outside``: the region is kept, not what is round it."""
    region = shapely.union_all(polygons_in(region))
    moved = shapely.buffer(region, kerf_mm / 2 if outside else -kerf_mm / 2, join_style="mitre")
    ways = [np.asarray(ring) for ring in rings_in_order(moved)]
    # a counter or a gap between letters closed, a part of an opening lost or parted
    same = len(ways) == len(rings_of(region))
    return ways, [] if same else [f"{name}: the beam is wider than some of it"]
