"""What a router does to a job's flat sides: which cutters go which ways over each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
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
from kilnchisel.core.job.finish import AsBlank
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.later import ndimage
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.densities import density_of
from kilnchisel.core.shop.making import CUTTERS_MM
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, flat_work, open_lines, without_work
from kilnchisel.core.shop.paths.nesting import Stock, nested, yield_of
from kilnchisel.core.shop.paths.order import in_short_order
from kilnchisel.core.shop.paths.pocket import in_levels, profile_ways, rest_of, rest_rings, rings_over
from kilnchisel.core.shop.paths.raster import left_by, level_ways, raster_ways, stepover_of
from kilnchisel.core.shop.paths.roughing import rough_ways
from kilnchisel.core.shop.paths.surface import (
    Heights,
    Rolled,
    cells_in,
    faced,
    is_faced,
    rolled,
    wanted_heights,
)
from kilnchisel.core.shop.paths.tools import Tool
from kilnchisel.core.shop.paths.vcut import floor_of, v_ways
from kilnchisel.core.units import format_length

Array = NDArray[Any]

ROUTED = (Engraved, CutThrough, Raised, Carved, Relief, Pressed, Standing)
SHAPED = (Raised, Carved, Relief, Pressed)
V_MM = 12.7  # of a V cutter, across
BELOW_MM = 0.2  # so far a cut goes through what is under the stock
NARROWEST = 0.98  # of a cutter's width: a stroke so narrow still takes it
TOUCHES_MM = 1e-3
LEFT_MM = 0.3  # what the wide pass leaves for the fine one
CELLS_A_BALL = 12.0  # of the grid that a relief is cut from, to the ball's radius
MOST_CELLS = 12_000_000
LEFT_BY_BALL_MM = 0.03  # what is not worth a finer one


ROUND_MM = 0.5
TOLD_MM2 = 0.01
MOSTLY = 0.25  # of what one cutter leaves, another leaves no more
CHANGES = ("m6", "stop")
DRAWN_MM = 1.0  # lines as fine are drawn with a diamond, wider ones milled: common practice


@dataclass(frozen=True)
class Routing:
    """How a job is routed. ``flats_mm``: the flat cutters there are, their diameters; ``balls_mm``: the
    ball ends for reliefs; ``scallop_mm``: what one may leave between its lines; ``safe_mm``: how high above
    the stock a cutter is moved; ``tabs``: to each outline, with ``tab_mm`` wide and high."""

    flats_mm: tuple[float, ...] = (6.0, 3.0, 1.0, 0.5)
    balls_mm: tuple[float, ...] = (3.0, 1.0)
    scallop_mm: float = 0.02
    safe_mm: float = 5.0
    tabs: int = 4
    tab_mm: tuple[float, float] = (6.0, 2.0)
    inch: bool = False
    numbered: bool = False
    arcs: bool = False  # G2 and G3 where a way goes round
    coolant: bool = False  # M8 while it cuts
    change: str = "m6"  # or "stop" (M0)
    sheet: Stock | None = (
        None  # what letters are laid on; without it each row is cut from stock of its size
    )

    def checked(self) -> Routing:
        """The same, if it can be done. Raises KilnError."""
        if (
            not self.flats_mm
            or not self.balls_mm
            or not all(0.05 <= d <= 100 for d in (*self.flats_mm, *self.balls_mm))
        ):
            raise KilnError(
                "A cutter's diameter goes from 0.05 to 100 mm; one flat and one ball end are needed."
            )
        if not 0.001 <= self.scallop_mm <= min(self.balls_mm) / 2:
            raise KilnError("Scallops are 0.001 mm high at least, and at most half the ball end.")
        if self.change not in CHANGES:
            raise KilnError(f"“{self.change}” is no way to change a cutter; there is {', '.join(CHANGES)}.")
        if not 0.5 <= self.safe_mm <= 200:
            raise KilnError("The safe height goes from 0.5 to 200 mm above the stock.")
        return self


@dataclass(frozen=True, eq=False)
class Operation:
    """A cutter's ways (n, 3), mm: x and y from the lower left corner of the stock, z from its top."""

    name: str
    tool: Tool
    ways: list[Array]


@dataclass(frozen=True, eq=False)
class Routed:
    """What is done to one piece of stock of ``stock`` (wide, tall, thick) mm; ``top_mm``: how far its top
    is above the side that is lettered; ``corner``: the sheet place of its lower left corner."""

    name: str
    side: str
    stock: tuple[float, float, float]
    corner: tuple[float, float]
    top_mm: float
    operations: list[Operation]
    left: list[str]  # what could not be cut, and why
    finish: Any  # of what the stock is
    letters: bool = False  # they are cut out of a sheet of their own
    notes: tuple[str, ...] = ()
    rotary: Rolled | None = None  # ways are x along the axis, y round it


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
            found.append(_inlay(job, work, how))
    standing = [w for w in works if isinstance(w.craft, Standing)]
    if how.sheet is not None and standing:
        return [*found, *_on_sheets(job, standing, how)]
    for index, side in dict.fromkeys((w.index, w.side) for w in standing):
        mine = [w for w in standing if (w.index, w.side) == (index, side)]
        found.append(_letters(job, mine, how, again=job.letterings[index].lay.side != side))
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
    tool = _fitting(work.region, how.flats_mm)
    feeds = feeds_for(job.finish, tool)
    tabs = how.tabs, *how.tab_mm
    ways = profile_ways(work.region, tool, through + top + BELOW_MM, feeds.deep_mm, tabs, inside=True)
    missed = _unreached(work.name, work.region, tool)
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


def _fitting(region: Any, flats: tuple[float, ...]) -> Tool:
    """The widest flat cutter that gets into all of a region's parts, or the narrowest there is."""
    for wide in sorted(flats, reverse=True):
        inner = polygons_in(shapely.buffer(region, -NARROWEST * wide / 2))
        if all(any(i.intersects(part) for i in inner) for part in polygons_in(region)):
            return Tool("flat", wide)
    return Tool("flat", min(flats))


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
    return made, _unreached(name, region, last) if made else [f"{name}: no cutter gets into it"]


def _unreached(name: str, region: Any, tool: Tool) -> list[str]:
    """What a flat cutter leaves of a region, in words."""
    rest = rest_of(region, tool)
    if rest.is_empty:
        return []
    left = f"{name}: {rest.area:.2f} mm² in corners and narrow strokes is left"
    for wide in CUTTERS_MM:
        if wide < tool.diameter_mm and rest_of(region, Tool("flat", wide)).area < MOSTLY * rest.area:
            return [f"{left}; a cutter of {format_length(wide)} would reach most of it"]
    return [f"{left}, for a finer cutter than any"]


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


def _letters(job: Job, works: list[Work], how: Routing, *, again: bool) -> Routed:
    """Letters cut out of a sheet of their own; ``again``: those of the side opposite."""
    craft = works[0].craft
    assert isinstance(craft, Standing)
    region = as_region(part for work in works for part in polygons_in(work.region))
    name = f"letters {works[0].index + 1}{' again' if again else ''}"
    return _cut_out(_stuff(job, works[0]), works[0], region, craft.thickness_mm, how, name)


def _inlay(job: Job, work: Work, how: Routing) -> Routed:
    """What lies in a pocket, cut out of a sheet as thick as that is deep, smaller all round by the gap."""
    craft, own = work.craft, job.letterings[work.index].finish
    assert isinstance(craft, CutThrough)
    region = shapely.buffer(work.region, -craft.gap_mm, quad_segs=16)
    name = f"inlay {work.index + 1}{' ' + str(work.layer.number + 1) if work.layer.number else ''}"
    finish = job.finish if isinstance(own, AsBlank) else own
    made = _cut_out(finish, work, as_region(polygons_in(region)), craft.depth_mm, how, name)
    lost = len(polygons_in(work.region)) - len(polygons_in(region))
    if lost > 0:
        made.left.append(f"{work.name}: {lost} of its parts are narrower than the gap of an inlay")
    return made


def _on_sheets(job: Job, works: list[Work], how: Routing) -> list[Routed]:
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
            one = _cut_out(_stuff(job, mine[0]), mine[0], region, thick, how, name, how.sheet)
            found.append(replace(one, notes=(note,) if sheet == 0 else ()))
    return found


def _stuff(job: Job, work: Work) -> Any:
    """What the sheet is of that letters are cut from."""
    craft, own = work.craft, job.letterings[work.index].finish
    assert isinstance(craft, Standing)
    finish = job.finish if isinstance(own, AsBlank) else own
    if density_of(finish) is None:  # paint says nothing of what is under it
        finish = craft.return_finish or finish
    return finish


def _cut_out(
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
    # counters are as narrow as letters
    holes = [shapely.Polygon(ring) for part in polygons_in(region) for ring in part.interiors]
    tool = _fitting(as_region(holes), how.flats_mm) if holes else Tool("flat", max(how.flats_mm))
    tabs = how.tabs, *how.tab_mm
    deep = feeds_for(finish, tool).deep_mm
    ways = profile_ways(region, tool, thick_mm + BELOW_MM, deep, tabs, inside=False)
    ways = [way - (left, low, 0.0) for way in ways]
    missed = _unreached(work.name, as_region(holes), tool) if holes else []
    return Routed(
        name,
        work.side,
        (right - left, high - low, thick_mm),
        (left, low),
        0.0,
        [Operation(f"through {work.name}", tool, ways)],
        missed,
        finish,
        letters=True,
    )


def tools_of(pieces: Iterable[Routed]) -> list[Tool]:
    """The cutters that are used, each once, in the order of their first use."""
    return list(dict.fromkeys(o.tool for piece in pieces for o in piece.operations))
