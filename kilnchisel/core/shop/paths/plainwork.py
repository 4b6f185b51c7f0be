"""What cuts one lettering that has one depth, or is as deep as a V gets: pockets, V floors, lines, openings
and their countersinks."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.crafts import CutThrough, Engraved
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work, open_lines
from kilnchisel.core.shop.paths.order import in_short_order
from kilnchisel.core.shop.paths.pocket import (
    in_levels,
    levels_to,
    profile_ways,
    rest_of,
    rest_rings,
    rings_over,
)
from kilnchisel.core.shop.paths.reach import fitting, long_enough, unreached
from kilnchisel.core.shop.paths.routerwork import BELOW_MM, Operation, Routing
from kilnchisel.core.shop.paths.tools import Tool, v_tool
from kilnchisel.core.shop.paths.vcut import floor_of, v_ways

Array = NDArray[Any]
Made = tuple[list[Operation], list[str]]

DRAWN_MM = 1.0  # lines as fine are drawn with a diamond, wider ones milled: common practice


def plain_work(job: Job, work: Work, through: float, top: float, how: Routing) -> Made:
    """The operations of one lettering on stock whose top is ``top`` mm above the side, and what they leave
    of it, in words; ``through``: how thick the piece is there."""
    craft = work.craft
    if isinstance(craft, Engraved):
        deep = craft.depth_mm * work.layer.layer.height
        if craft.floor == "v":
            return v_carved(
                job.finish, work.name, work.region, v_tool(craft.angle_deg, deep), deep, how, top
            )
        if lines := open_lines(job, work):
            return written(job, work, lines, top), []
        flats = (craft.cutter_mm,) if craft.cutter_mm > 0 else how.flats_mm
        return pockets(job.finish, work.name, work.region, deep, flats, top)
    assert isinstance(craft, CutThrough)
    if craft.fill == "inlay" and how.inlay_deg:
        tool, deep = v_tool(how.inlay_deg, craft.depth_mm), craft.depth_mm
        return v_carved(job.finish, work.name, work.region, tool, deep, how, top)
    if craft.fill == "inlay":
        return pockets(job.finish, work.name, work.region, craft.depth_mm, how.flats_mm, top)
    made, missed = _opened(job, work, through + top + BELOW_MM, how)
    if craft.sink_mm > 0:
        made.insert(0, _countersink(job, craft, work, top))
    return made, missed


def _opened(job: Job, work: Work, deep: float, how: Routing) -> Made:
    """An opening cut out along its edge, tabs holding what falls out, then what that leaves in corners."""
    flats = long_enough(how.flats_mm, deep)
    tool = fitting(work.region, flats)
    step = feeds_for(job.finish, tool).deep_mm
    ways = profile_ways(work.region, tool, deep, step, (how.tabs, *how.tab_mm), inside=True)
    corners, missed = in_corners(job.finish, work.name, work.region, tool, deep, how)
    return [Operation(f"through {work.name}", tool, ways, clear=True), *corners], missed


def in_corners(finish: Any, name: str, region: Any, tool: Tool, deep: float, how: Routing) -> Made:
    """What a cutter that went along the edge of a region leaves in its corners, cut by finer ones."""
    made: list[Operation] = []
    finer = sorted((d for d in long_enough(how.flats_mm, deep) if d < tool.diameter_mm), reverse=True)
    for one in (Tool("flat", wide) for wide in finer):
        rest = rest_of(region, tool)
        if rest.is_empty:
            break
        if rings := rest_rings(region, rest, one):
            ways = in_levels(rings, deep, feeds_for(finish, one).deep_mm)
            made.append(Operation(f"through rest {name}", one, ways, clear=True))
            tool = one
    return made, unreached(name, region, tool, deep)


def v_carved(
    finish: Any, name: str, region: Any, tool: Tool, deep: float, how: Routing, top: float
) -> Made:
    """Carving a region with a V, what is wider than that gets being cleared flat before."""
    made: list[Operation] = []
    missed: list[str] = []
    floor = floor_of(region, tool, deep)
    if not floor.is_empty:
        made, missed = pockets(finish, name, floor, deep, how.flats_mm, top)
        if not made:
            missed = [f"{name}: {floor.area:.2f} mm² of its floor are too narrow for a flat cutter"]
    ways = deeper(v_ways(region, tool, deep), feeds_for(finish, tool).deep_mm)
    return [*made, Operation(f"v {name}", tool, lowered(ways, -top))], missed


def _countersink(job: Job, craft: CutThrough, work: Work, top: float) -> Operation:
    """The slope down to an opening: the tip of a V along its edge, so deep that the flank comes out as far
    beside it as it is sunk."""
    deep = craft.sink_mm / float(np.tan(np.radians(craft.sink_deg / 2)))
    tool = v_tool(craft.sink_deg, deep)
    levels = levels_to(deep, feeds_for(job.finish, tool).deep_mm)[1:]
    ways = []
    for ring in rings_of(work.region):
        line = np.vstack([ring, ring[:1]])
        ways += [np.column_stack([line, np.full(len(line), z - top)]) for z in levels]
    return Operation(f"v countersink {work.name}", tool, ways)


def written(job: Job, work: Work, lines: list[Array], top: float) -> list[Operation]:
    """Lettering that a pen draws, along its lines: by a diamond's point where they are fine, else by a
    round cutter as wide as they are."""
    craft, content = work.craft, job.letterings[work.index].content
    assert isinstance(craft, Engraved) and isinstance(content, Wording)
    deep, pen = craft.depth_mm * work.layer.layer.height, content.pen_mm
    tool = Tool("drag" if pen <= DRAWN_MM else "ball", pen)
    ways = [np.column_stack([line, np.full(len(line), -deep)]) for line in lines]
    ways = in_short_order(deeper(ways, feeds_for(job.finish, tool).deep_mm))
    return [Operation(f"line {work.name}", tool, lowered(ways, -top))]


def pockets(finish: Any, name: str, region: Any, deep: float, flats: tuple[float, ...], top: float) -> Made:
    """Clearing a region with the widest cutter that gets in, and what that leaves with the narrower."""
    made: list[Operation] = []
    rest: Any = region
    flats = long_enough(flats, deep)
    last = Tool("flat", min(flats))
    for wide in sorted(flats, reverse=True):
        tool = Tool("flat", wide)
        step = feeds_for(finish, tool).deep_mm
        rings = rings_over(region, tool) if not made else rest_rings(region, rest, tool)
        if rings:
            ways = lowered(in_levels(rings, deep, step), -top)
            made.append(Operation(f"{'rest' if made else 'pocket'} {name}", tool, ways, clear=True))
            last = tool
        rest = rest_of(region, tool) if rings or made else region
        if rest.is_empty:
            break
    return made, unreached(name, region, last, deep) if made else [f"{name}: no cutter gets into it"]


def lowered(ways: list[Array], by: float) -> list[Array]:
    """Ways (n, 3) moved up by so much."""
    return [way + (0.0, 0.0, by) for way in ways] if by else ways


def deeper(ways: list[Array], step: float) -> list[Array]:
    """Ways (n, 3) in passes no deeper than a step, what is shallower only once."""
    deepest = -min((float(way[:, 2].min()) for way in ways), default=0.0)
    count = max(int(np.ceil(deepest / step - 1e-9)), 1)
    made = []
    for k in range(1, count + 1):
        level = -deepest * k / count
        for way in ways:
            if k > 1 and way[:, 2].min() >= -deepest * (k - 1) / count:
                continue
            made.append(np.column_stack([way[:, :2], np.maximum(way[:, 2], level)]))
    return made


def moved_by(operations: list[Operation], by: tuple[float, float, float]) -> list[Operation]:
    """Operations elsewhere on the stock."""
    return [replace(one, ways=[way + by for way in one.ways]) for one in operations]
