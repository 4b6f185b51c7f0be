"""What a router does to a job's flat sides: which cutters go which ways over each."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.build import body_of_job, sides_of_job
from kilnchisel.core.crafts.sheet import layered
from kilnchisel.core.crafts.through import across
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Pressed, Raised, Relief, Standing
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.later import ndimage
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.paths.cutout import BELOW_MM, inlay, on_sheets, row_of_letters
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, flat_work, open_lines, without_work
from kilnchisel.core.shop.paths.order import in_short_order
from kilnchisel.core.shop.paths.pocket import in_levels, profile_ways, rest_of, rest_rings, rings_over
from kilnchisel.core.shop.paths.raster import left_by, level_ways, raster_ways, stepover_of
from kilnchisel.core.shop.paths.reach import fitting, unreached
from kilnchisel.core.shop.paths.roughing import rough_ways
from kilnchisel.core.shop.paths.routerwork import Operation, Routed, Routing
from kilnchisel.core.shop.paths.surface import (
    Heights,
    cells_in,
    faced,
    is_faced,
    rolled,
    wanted_heights,
)
from kilnchisel.core.shop.paths.tools import Tool
from kilnchisel.core.shop.paths.vcut import floor_of, v_ways

Array = NDArray[Any]

ROUTED = (Engraved, CutThrough, Raised, Carved, Relief, Pressed, Standing)
SHAPED = (Raised, Carved, Relief, Pressed)
V_MM = 12.7  # of a V cutter, across
TOUCHES_MM = 1e-3
LEFT_MM = 0.3  # what the wide pass leaves for the fine one
CELLS_A_BALL = 12.0  # of the grid that a relief is cut from, to the ball's radius
MOST_CELLS = 12_000_000
LEFT_BY_BALL_MM = 0.03  # what is not worth a finer one
ROUND_MM = 0.5
TOLD_MM2 = 0.01
DRAWN_MM = 1.0  # lines as fine are drawn with a diamond, wider ones milled: common practice


def not_routed(job: Job) -> str:
    """Why a job has nothing for a router; empty where it has."""
    if why := without_work(job, "cut, carved or of letters that stand", *ROUTED):
        return why
    sides = sides_of_job(job)
    if sides is None:
        return "a mesh has no flat side"
    crafts = [i for i in job.letterings if not i.hidden and isinstance(i.craft, ROUTED)]
    for item in crafts:
        if isinstance(item.craft, Standing) or is_faced(job, item.lay.side) or _is_rolled(job, item):
            return ""
    return "it is lettered on no flat side, nor round an axis"


def not_flat(job: Job) -> list[str]:
    """What of a job a router would cut, but for that its side is not flat, in words."""
    works = (w for w in flat_work(job, *ROUTED) if not isinstance(w.craft, Standing))
    return [
        f"{work.name}: left out, the {work.side} is not flat"
        for work in works
        if not is_faced(job, work.side) and not _is_rolled(job, job.letterings[work.index], work.side)
    ]


def _is_rolled(job: Job, item: Lettering, side: str | None = None) -> bool:
    """Whether a rotary axis brings a lettering under the cutter: engraved, on a side that goes round."""
    if not isinstance(item.craft, Engraved) or item.craft.floor == "round":
        return False
    try:
        rolled(job, side or item.lay.side)
    except KilnError:
        return False
    return True


def routed(job: Job, how: Routing) -> list[Routed]:
    """What a router does for a job: each flat side that is worked, and the letters that are cut out of
    sheet. Raises KilnError."""
    how.checked()
    if why := not_routed(job):
        raise KilnError(f"There is nothing for a router: {why}.")
    works = flat_work(job, *ROUTED)
    found = []
    for name in dict.fromkeys(w.side for w in works if not isinstance(w.craft, Standing)):
        if is_faced(job, name):
            mine = [w for w in works if w.side == name and not isinstance(w.craft, Standing)]
            found.append(_side(job, name, mine, how))
        else:
            mine = [w for w in works if w.side == name and _is_rolled(job, job.letterings[w.index], name)]
            if mine:
                found.append(_round(job, name, mine, how))
    for work in works:
        if isinstance(work.craft, CutThrough) and work.craft.fill == "inlay" and is_faced(job, work.side):
            found.append(inlay(job, work, how))
    standing = [w for w in works if isinstance(w.craft, Standing)]
    if how.sheet is not None and standing:
        return [*found, *on_sheets(job, standing, how)]
    for index, side in dict.fromkeys((w.index, w.side) for w in standing):
        mine = [w for w in standing if (w.index, w.side) == (index, side)]
        found.append(row_of_letters(job, mine, how, again=job.letterings[index].lay.side != side))
    return found


def _side(job: Job, name: str, works: list[Work], how: Routing) -> Routed:
    side = faced(job, name)
    left, low, right, high = side.domain.bounds
    faces = across(body_of_job(job), name)
    through = side.wall_mm if faces is None else faces[2]
    operations: list[Operation] = []
    over = (work.name for work in works if _is_over(work, side))
    missed = [f"{name}: it is cut off at the edge of the side, beyond which it runs" for name in over]
    # as on the piece: where letterings meet the later one is what is made
    regions = layered([_within(work.region, side) for work in works])
    works = [replace(w, region=r) for w, r in zip(works, regions, strict=True) if not r.is_empty]
    sides = sides_of_job(job)
    swells = sides is None or not isinstance(sides.named(name), Plane)
    # over a side that swells all is cut in lines, as deep as it lies there
    shaped = [w for w in works if swells or isinstance(w.craft, SHAPED) or _is_round(w)]
    plain = [w for w in works if w not in shaped]
    top = 0.0
    if shaped:
        top, made = _relief(job, name, shaped, plain, how)
        operations += made
    for work in plain:
        made, left_over = _plain(job, work, through, top, how)
        operations += made
        missed += left_over
    corner = np.array([left, low, 0.0])
    for operation in operations:
        operation.ways[:] = [way - corner for way in operation.ways]
    return Routed(
        name,
        name,
        (right - left, high - low, through + top),
        (left, low),
        top,
        _by_tool(operations),
        missed,
        job.finish,
    )


def _round(job: Job, name: str, works: list[Work], how: Routing) -> Routed:
    """A side that a rotary axis turns: what is cut flat on its sheet, brought round. A is 0 half way round
    from the middle of what is on it; a way that begins beyond a whole turn begins within it."""
    period = rolled(job, name).side.period
    assert period is not None
    regions = layered([work.region for work in works])
    works = [replace(w, region=r) for w, r in zip(works, regions, strict=True) if not r.is_empty]
    left, _, right, _ = bounds_of(works)
    one = rolled(job, name, (left + right - period) / 2)
    operations: list[Operation] = []
    missed: list[str] = []
    for work in works:
        made, left_over = _plain(job, work, one.side.wall_mm, 0.0, how)
        operations += made
        missed += left_over
    for operation in operations:
        turned = [one.machine(_closely(way)) for way in operation.ways]
        operation.ways[:] = [way - (0.0, period * np.floor(way[0, 1] / period), 0.0) for way in turned]
    deep = -min((float(way[:, 2].min()) for o in operations for way in o.ways), default=0.0)
    return Routed(
        name,
        name,
        (one.long_mm, period, max(one.side.wall_mm, deep)),
        (one.low_mm, one.left_mm),
        0.0,
        _by_tool(operations),
        missed,
        job.finish,
        rotary=one,
    )


def _closely(way: Array) -> Array:
    """A way with points close enough to follow a side that is no cylinder."""
    return np.asarray(
        shapely.get_coordinates(shapely.segmentize(shapely.LineString(way), ROUND_MM), include_z=True)
    )


def _is_over(work: Work, side: Plane) -> bool:
    """Whether it runs beyond its side."""
    return not shapely.buffer(side.domain, TOUCHES_MM).contains(work.region)


def _within(region: Any, side: Plane) -> shapely.MultiPolygon:
    """What of a region is on a side."""
    return as_region(polygons_in(shapely.make_valid(region).intersection(side.domain)))


def _is_round(work: Work) -> bool:
    return isinstance(work.craft, Engraved) and work.craft.floor == "round"


def _by_tool(operations: list[Operation]) -> list[Operation]:
    """Operations with as few changes of the cutter as their order allows: wide before fine, what goes right
    through last."""
    order = {
        "rough": 0,
        "relief": 1,
        "detail": 1,
        "steep": 1,
        "pocket": 2,
        "rest": 3,
        "v": 4,
        "line": 4,
        "through": 5,
    }
    return sorted(operations, key=lambda o: (order[o.name.split()[0]], o.tool.form, -o.tool.diameter_mm))


def _plain(
    job: Job, work: Work, through: float, top: float, how: Routing
) -> tuple[list[Operation], list[str]]:
    """What cuts one lettering that has one depth, or is as deep as a V gets; and what of it is left."""
    craft = work.craft
    if isinstance(craft, Engraved) and craft.floor == "v":
        tool = Tool("v", V_MM, craft.angle_deg)
        tool = replace(tool, diameter_mm=max(V_MM, 2 * craft.depth_mm / tool.slope))
        deep = craft.depth_mm * work.layer.layer.height
        feeds = feeds_for(job.finish, tool)
        made: list[Operation] = []
        missed: list[str] = []
        floor = floor_of(work.region, tool, deep)
        if not floor.is_empty:  # a wide flat cutter before the V
            made, missed = _pockets(job, work.name, floor, deep, how.flats_mm, top)
            if not made:
                missed = [
                    f"{work.name}: {floor.area:.2f} mm² of its floor are too narrow for a flat cutter"
                ]
        ways = _deeper(v_ways(work.region, tool, deep), feeds.deep_mm)
        return [*made, Operation(f"v {work.name}", tool, _lowered(ways, -top))], missed
    if isinstance(craft, Engraved) and (lines := open_lines(job, work)):
        return _written(job, work, lines, top), []
    if isinstance(craft, Engraved):
        deep = craft.depth_mm * work.layer.layer.height
        flats = (craft.cutter_mm,) if craft.cutter_mm > 0 else how.flats_mm
        return _pockets(job, work.name, work.region, deep, flats, top)
    assert isinstance(craft, CutThrough)
    if craft.fill == "inlay":
        return _pockets(job, work.name, work.region, craft.depth_mm, how.flats_mm, top)
    tool = fitting(work.region, how.flats_mm)
    feeds = feeds_for(job.finish, tool)
    tabs = how.tabs, *how.tab_mm
    ways = profile_ways(work.region, tool, through + top + BELOW_MM, feeds.deep_mm, tabs, inside=True)
    missed = unreached(work.name, work.region, tool)
    return [Operation(f"through {work.name}", tool, ways)], missed


def _written(job: Job, work: Work, lines: list[Array], top: float) -> list[Operation]:
    """Lettering that a pen draws, along its lines: by a diamond's point where they are fine, else by a
    round cutter as wide as they are."""
    craft, content = work.craft, job.letterings[work.index].content
    assert isinstance(craft, Engraved) and isinstance(content, Wording)
    deep, pen = craft.depth_mm * work.layer.layer.height, content.pen_mm
    tool = Tool("drag" if pen <= DRAWN_MM else "ball", pen)
    ways = [np.column_stack([line, np.full(len(line), -deep)]) for line in lines]
    ways = in_short_order(_deeper(ways, feeds_for(job.finish, tool).deep_mm))
    return [Operation(f"line {work.name}", tool, _lowered(ways, -top))]


def _pockets(
    job: Job, name: str, region: Any, deep: float, flats: tuple[float, ...], top: float
) -> tuple[list[Operation], list[str]]:
    """Clearing a region with the widest cutter that gets in, and what that leaves with the narrower."""
    made: list[Operation] = []
    rest: Any = region
    last = Tool("flat", min(flats))
    for wide in sorted(flats, reverse=True):
        tool = Tool("flat", wide)
        step = feeds_for(job.finish, tool).deep_mm
        rings = rings_over(region, tool) if not made else rest_rings(region, rest, tool)
        if rings:
            ways = _lowered(in_levels(rings, deep, step), -top)
            made.append(Operation(f"{'rest' if made else 'pocket'} {name}", tool, ways))
            last = tool
        rest = rest_of(region, tool) if rings or made else region
        if rest.is_empty:
            break
    return made, unreached(name, region, last) if made else [f"{name}: no cutter gets into it"]


def _lowered(ways: list[Array], by: float) -> list[Array]:
    return [way + (0.0, 0.0, by) for way in ways] if by else ways


def _deeper(ways: list[Array], step: float) -> list[Array]:
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


def _relief(
    job: Job, name: str, shaped: list[Work], plain: list[Work], how: Routing
) -> tuple[float, list[Operation]]:
    """What shapes a side: a wide pass in levels, then lines of a ball; the stock's top above the side."""
    names = ", ".join(work.name for work in shaped)
    made: list[Operation] = []
    top = 0.0
    left: tuple[Heights, Array] | None = None
    for number, wide in enumerate(sorted(how.balls_mm, reverse=True)):
        ball = Tool("ball", wide)
        heights, top = _to_cut(job, name, plain, wide / 2 / CELLS_A_BALL)
        where = np.nan_to_num(heights.values, nan=0.0) < -1e-4
        if number == 0:
            tool = Tool("flat", max(how.flats_mm))
            rough = rough_ways(heights, tool, feeds_for(job.finish, tool).deep_mm, LEFT_MM)
            if rough and -float(np.nanmin(heights.values)) > 2 * LEFT_MM:
                made.append(Operation(f"rough {names}", tool, rough))
        if left is not None:
            where &= _looked_up(*left, heights)
        wider, step = ndimage.binary_dilation(where), stepover_of(ball, how.scallop_mm)
        if ways := raster_ways(heights, wider, ball, step):
            made.append(Operation(f"{'detail' if number else 'relief'} {names}", ball, ways))
        if wide == min(how.balls_mm):
            if steep := level_ways(heights, wider, ball, step):
                made.append(Operation(f"steep {names}", ball, in_short_order(steep)))
        else:  # where it leaves something for a finer one
            standing = left_by(heights, ball) - np.nan_to_num(heights.values, nan=0.0)
            left = heights, where & (standing > how.scallop_mm + LEFT_BY_BALL_MM)
    return top, made


def _to_cut(job: Job, name: str, plain: list[Work], cell: float) -> tuple[Heights, float]:
    """The surface that is shaped, from the stock's top down, and how far that is above the side."""
    left, low, right, high = faced(job, name).domain.bounds
    cell = max(cell, float(np.sqrt((right - left) * (high - low) / MOST_CELLS)))
    heights = wanted_heights(job, name, cell)
    values = heights.values
    values[np.isneginf(values)] = 0.0
    for work in plain:  # cut by themselves
        values[cells_in(heights, work.region) & ~np.isnan(values)] = 0.0
    top = max(float(np.nanmax(values)), 0.0)
    return Heights(values - top, heights.corner, heights.cell_mm), top


def _looked_up(of: Heights, values: Array, into: Heights) -> Array:
    """Values of one grid's cells (h, w) bool in the cells of another, a cell more each way."""
    wider = ndimage.binary_dilation(values)
    rows, columns = (
        np.minimum(((np.arange(n) + 0.5) * into.cell_mm / of.cell_mm).astype(int), m - 1)
        for n, m in zip(into.values.shape, wider.shape, strict=True)
    )
    return np.asarray(wider[np.ix_(rows, columns)])
