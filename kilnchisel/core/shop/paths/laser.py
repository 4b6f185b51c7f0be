"""What a laser does with a side: fill what is engraved, score open lines, cut what goes through, its beam's
width allowed for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import body_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Relief, Standing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in, rings_of
from kilnchisel.core.shop.paths.flatwork import Work, flat_work, open_lines, without_work
from kilnchisel.core.shop.paths.nesting import Stock, nested, yield_of
from kilnchisel.core.shop.paths.order import rings_in_order

Array = NDArray[Any]

LASERED = (Engraved, CutThrough, Standing, Carved, Relief)
MOST_KERF_MM = 2.0


@dataclass(frozen=True, eq=False)
class Lasered:
    """One sheet: areas that are filled, open lines that are scored, and lines that are cut, what is inside
    first; flat mm. ``lost``: what its own beam's width takes away altogether."""

    name: str
    side: str
    fill: list[Array]
    score: list[Array]
    cut: list[Array]
    lost: list[str]


def not_lasered(job: Job) -> str:
    """Why a job has nothing for a laser; empty where it has."""
    return without_work(job, "engraved, cut through or of letters that stand", *LASERED)


def lasered(job: Job, kerf_mm: float, stock: Stock | None = None) -> list[Lasered]:
    """The sheets of a job: what is on one side together, letters of their own by themselves. ``kerf_mm``:
    how wide the beam cuts; ``stock``: sheets that letters are laid on. Raises KilnError."""
    if not 0 <= kerf_mm <= MOST_KERF_MM:
        raise KilnError(f"A beam's kerf goes from 0 to {MOST_KERF_MM:g} mm.")
    works = flat_work(job, *LASERED)
    found = []
    standing = [work for work in works if isinstance(work.craft, Standing)]
    for side in dict.fromkeys(work.side for work in works):
        mine = [work for work in works if work.side == side]
        ground = [work for work in mine if not isinstance(work.craft, Standing)]
        letters = [work for work in mine if isinstance(work.craft, Standing)]
        if ground:
            found.append(_ground(job, side, ground, kerf_mm))
        if letters and stock is None:
            cut, lost = _cut(letters, kerf_mm, outside=True)
            found.append(Lasered(f"{side} letters", side, [], [], cut, lost))
    if stock is not None and standing:
        found += _on_sheets(standing, kerf_mm, stock)
    if not any(one.fill or one.score or one.cut for one in found):
        raise KilnError("There is nothing to cut: the lettering draws nothing.")
    return found


def _on_sheets(works: list[Work], kerf_mm: float, stock: Stock) -> list[Lasered]:
    """Standing letters laid on sheets."""
    laid = nested([part for work in works for part in polygons_in(work.region)], stock)
    found = []
    for sheet in range(1 + max(one.sheet for one in laid)):
        region = as_region(part for one in laid if one.sheet == sheet for part in polygons_in(one.region))
        name = f"sheet {sheet + 1}"
        cut, lost = _cut([replace(works[0], name=name, region=region)], kerf_mm, outside=True)
        share = 100 * yield_of(laid, stock)
        found.append(
            Lasered(name, works[0].side, [], [], cut, [*lost, f"{share:.0f} % of the sheets used"])
        )
    return found


def _ground(job: Job, side: str, works: list[Work], kerf_mm: float) -> Lasered:
    through = [work for work in works if isinstance(work.craft, CutThrough) and work.craft.fill == "open"]
    scored = [(work, open_lines(job, work)) for work in works if work not in through]
    fill = [ring for work, lines in scored if not lines for ring in rings_of(work.region)]
    score = [line for _, lines in scored for line in lines]
    cut, lost = _cut(through, kerf_mm, outside=False)
    if not isinstance(job.blank, Mesh3D):
        # the blank itself, outside of what is cut in it and last
        rim = body_of_job(job).sheet(side).side.domain
        if through and body_of_job(job).sheet(side).side.period is None:
            cut += [np.asarray(ring) for ring in rings_in_order(shapely.buffer(rim, kerf_mm / 2))]
    return Lasered(side, side, fill, score, cut, lost)


def _cut(works: list[Work], kerf_mm: float, *, outside: bool) -> tuple[list[Array], list[str]]:
    """The beam's ways: half its width outside what is kept. ``outside``: the letters are kept, not what is
    round them."""
    ways, lost = [], []
    for work in works:
        region = shapely.buffer(work.region, kerf_mm / 2 if outside else -kerf_mm / 2, join_style="mitre")
        gone = len(polygons_in(work.region)) - len(polygons_in(region))
        if region.is_empty or (gone > 0 and not outside):
            lost.append(f"{work.name}: the beam is wider than some of it")
        ways += [np.asarray(ring) for ring in rings_in_order(region)]
    return ways, lost
