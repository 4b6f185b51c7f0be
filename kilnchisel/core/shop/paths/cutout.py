"""Letters cut out of stock of their own: each row from a piece of its size, or laid on sheets."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work
from kilnchisel.core.shop.paths.lettersheets import letter_sheets
from kilnchisel.core.shop.paths.nesting import Stock
from kilnchisel.core.shop.paths.plainwork import in_corners, moved_by
from kilnchisel.core.shop.paths.pocket import profile_ways
from kilnchisel.core.shop.paths.reach import fitting, long_enough
from kilnchisel.core.shop.paths.routerwork import BELOW_MM, Operation, Routed, Routing
from kilnchisel.core.shop.paths.tools import Tool


def letters_out(job: Job, works: list[Work], how: Routing) -> list[Routed]:
    """Letters that stand cut out of their sheets, a program for each."""
    return [
        replace(
            cut_out(one.stuff, one.work, one.region, one.thick_mm, how, one.name, one.stock),
            notes=one.notes,
        )
        for one in letter_sheets(job, works, how.sheet)
    ]


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
