"""Letters cut out of stock of their own: each row from a piece of its size, or laid on sheets."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from kilnchisel.core.job.crafts import Standing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.amounts import finish_worn
from kilnchisel.core.shop.densities import density_of
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work
from kilnchisel.core.shop.paths.nesting import Stock, nested, yield_of
from kilnchisel.core.shop.paths.plainwork import in_corners, moved_by
from kilnchisel.core.shop.paths.pocket import profile_ways
from kilnchisel.core.shop.paths.reach import fitting, long_enough
from kilnchisel.core.shop.paths.routerwork import BELOW_MM, Operation, Routed, Routing
from kilnchisel.core.shop.paths.tools import Tool


def row_of_letters(job: Job, works: list[Work], how: Routing, *, again: bool) -> Routed:
    """Letters cut out of a sheet of their own; ``again``: those of the side opposite."""
    craft = works[0].craft
    assert isinstance(craft, Standing)
    region = as_region(part for work in works for part in polygons_in(work.region))
    name = f"letters {works[0].index + 1}{' again' if again else ''}"
    return cut_out(_stuff(job, works[0]), works[0], region, craft.thickness_mm, how, name)


def on_sheets(job: Job, works: list[Work], how: Routing) -> list[Routed]:
    """All standing letters of one thickness and stuff laid on sheets, a program for each sheet."""
    assert how.sheet is not None
    groups: dict[tuple[float, str], list[Work]] = {}
    for work in works:
        assert isinstance(work.craft, Standing)
        stuff = _stuff(job, work)
        groups.setdefault((work.craft.thickness_mm, stuff.model_dump_json()), []).append(work)
    found: list[Routed] = []
    for (thick, _), mine in groups.items():
        pieces = [part for work in mine for part in polygons_in(work.region)]
        laid = nested(pieces, how.sheet)
        sheets = 1 + max(one.sheet for one in laid)
        share = 100 * yield_of(laid, how.sheet)
        for sheet in range(sheets):
            region = as_region(
                part for one in laid if one.sheet == sheet for part in polygons_in(one.region)
            )
            name = f"sheet {len(found) + 1}"
            note = (
                f"{len(pieces)} letters on {sheets} sheet{'' if sheets == 1 else 's'}, {share:.0f} % used"
            )
            one = cut_out(_stuff(job, mine[0]), mine[0], region, thick, how, name, how.sheet)
            found.append(replace(one, notes=(note,) if sheet == 0 else ()))
    return found


def _stuff(job: Job, work: Work) -> Any:
    """What the sheet is of that letters are cut from."""
    craft = work.craft
    assert isinstance(craft, Standing)
    finish = finish_worn(job, job.letterings[work.index].finish)
    if density_of(finish) is None:  # paint says nothing of what is under it
        finish = craft.return_finish or finish
    return finish


def cut_out(
    finish: Any,
    work: Work,
    region: Any,
    thick_mm: float,
    how: Routing,
    name: str,
    sheet: Stock | None = None,
) -> Routed:
    """A region cut out of stock of a thickness: of a sheet that it lies on, or of one of its own size."""
    margin = 2 * max(how.flats_mm)
    left, low, right, high = np.array(region.bounds) + (-margin, -margin, margin, margin)
    if sheet is not None:
        left, low, right, high = 0.0, 0.0, sheet.wide_mm, sheet.tall_mm
    deep = thick_mm + BELOW_MM
    flats = long_enough(how.flats_mm, deep)
    # counters are as narrow as letters
    holes = [shapely.Polygon(ring) for part in polygons_in(region) for ring in part.interiors]
    tool = fitting(as_region(holes), flats) if holes else Tool("flat", max(flats))
    tabs = how.tabs, *how.tab_mm
    ways = profile_ways(region, tool, deep, feeds_for(finish, tool).deep_mm, tabs, inside=False)
    around = shapely.buffer(region, tool.diameter_mm).difference(region)
    corners, missed = in_corners(finish, work.name, as_region(polygons_in(around)), tool, deep, how)
    made = [Operation(f"through {work.name}", tool, ways, clear=True), *corners]
    return Routed(
        name,
        None,
        (right - left, high - low, thick_mm),
        (left, low),
        moved_by(made, (-left, -low, 0.0)),
        missed,
        finish,
    )
