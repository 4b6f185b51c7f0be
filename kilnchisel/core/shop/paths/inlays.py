"""Inlays: cut out upright beside their pockets, or carved by the V cutter that their pockets are.

A pair cut by one V fits without a gap and into every corner. The pocket is the V carving of a region down
to a depth. The plug is its counterpart, mirrored: all but the letters is carved by the same V from so deep
that its flanks have the outline there. Pressed in, its face comes to lie a little above the pocket's floor,
for the glue; what stands out of the pocket is taken off flush (elementary geometry: at any height both have
the outline moved in by the same width).
"""

from __future__ import annotations

import numpy as np
import shapely

from kilnchisel.core.job.crafts import CutThrough
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.amounts import finish_worn
from kilnchisel.core.shop.paths.cutout import cut_out
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work
from kilnchisel.core.shop.paths.plainwork import deeper, lowered, moved_by, pockets
from kilnchisel.core.shop.paths.routerwork import Operation, Routed, Routing, by_tool
from kilnchisel.core.shop.paths.tools import v_tool
from kilnchisel.core.shop.paths.vcut import floor_of, v_ways

GLUE_MM, GLUE_SHARE = 0.5, 0.25  # under a plug; of a shallow pocket's depth at most (common practice)
SAW_MM = 2.0  # how far a plug's back stays above the piece until it is taken off (common practice)
BACK_MM = 3.0  # of stock behind a plug's letters


def inlay(job: Job, work: Work, how: Routing) -> Routed:
    """What lies in a pocket, cut out of a piece of stock of its own."""
    return _plug(job, work, how) if how.inlay_deg else _upright(job, work, how)


def inlay_name(work: Work) -> str:
    """What the piece that lies in a pocket is called."""
    return f"inlay {work.index + 1}{' ' + str(work.layer.number + 1) if work.layer.number else ''}"


def _upright(job: Job, work: Work, how: Routing) -> Routed:
    """Out of a sheet as thick as the pocket is deep."""
    craft = work.craft
    assert isinstance(craft, CutThrough)
    region, lost = within_gap(work, craft)
    finish = finish_worn(job, job.letterings[work.index].finish)
    made = cut_out(finish, work, region, craft.depth_mm, how, inlay_name(work))
    made.left.extend(lost)
    return made


def within_gap(work: Work, craft: CutThrough) -> tuple[shapely.MultiPolygon, list[str]]:
    """An upright inlay, smaller than its pocket all round by the gap, and in words what that leaves out."""
    region = as_region(polygons_in(shapely.buffer(work.region, -craft.gap_mm, quad_segs=16)))
    lost = len(polygons_in(work.region)) - len(polygons_in(region))
    told = f"{work.name}: {lost} of its parts are narrower than the gap of an inlay"
    return region, [told] if lost > 0 else []


def _plug(job: Job, work: Work, how: Routing) -> Routed:
    """Out of a piece of stock that it stays on until it is glued in, seen from behind."""
    craft = work.craft
    assert isinstance(craft, CutThrough)
    finish = finish_worn(job, job.letterings[work.index].finish)
    start = craft.depth_mm - min(GLUE_MM, GLUE_SHARE * craft.depth_mm)
    deep = start + SAW_MM
    tool = v_tool(how.inlay_deg, deep)
    region = shapely.transform(work.region, lambda points: points * (-1.0, 1.0))
    margin = 2 * max(how.flats_mm) + tool.radius_mm
    left, low, right, high = np.array(region.bounds) + (-margin, -margin, margin, margin)
    stock = shapely.box(left, low, right, high)
    # the cutter's middle goes to the edges of the stock; farther out nothing of it is left to cut
    wide = shapely.buffer(stock, max(how.flats_mm) / 2)
    rest = as_region(polygons_in(wide.difference(region)))
    made, missed = pockets(
        finish, f"round {work.name}", floor_of(rest, tool, SAW_MM), deep, how.flats_mm, 0.0
    )
    near = shapely.buffer(region, tool.reach(SAW_MM) * 1.5)
    ways = [way for way in v_ways(rest, tool, SAW_MM) if near.intersects(shapely.LineString(way[:, :2]))]
    ways = deeper(lowered(ways, -start), feeds_for(finish, tool).deep_mm)
    made.append(Operation(f"v {work.name}", tool, ways))
    return Routed(
        inlay_name(work),
        None,
        (right - left, high - low, deep + BACK_MM),
        (left, low),
        by_tool(moved_by(made, (-left, -low, 0.0))),
        missed,
        finish,
        notes=(f"{inlay_name(work)}: mirrored, glued in face down; its back is taken off flush",),
    )
