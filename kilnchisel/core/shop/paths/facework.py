"""A flat side, or one that swells over a flat back: all that is cut into it, and the piece cut out of its
stock."""

from __future__ import annotations

from typing import Any

import shapely

from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.build import body_of_job, sides_of_job
from kilnchisel.core.crafts.through import across
from kilnchisel.core.job.blank import Medallion, Plaque
from kilnchisel.core.job.boards import Board, Plate
from kilnchisel.core.job.crafts import Carved, Engraved, Pressed, Raised, Relief
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.holes import drilled
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import TOUCHES_MM, Work
from kilnchisel.core.shop.paths.plainwork import moved_by, plain_work, pockets
from kilnchisel.core.shop.paths.pocket import profile_ways
from kilnchisel.core.shop.paths.reach import fitting, long_enough, unreached
from kilnchisel.core.shop.paths.routerwork import BELOW_MM, Operation, Routed, Routing, by_tool
from kilnchisel.core.shop.paths.setup import Setup
from kilnchisel.core.shop.paths.shaping import Wanted, cell_for, shaped_to
from kilnchisel.core.shop.paths.surface import Heights, cells_in, faced, is_faced, wanted_heights
from kilnchisel.core.shop.paths.tools import Tool
from kilnchisel.core.shop.silhouette import seen_at

SHAPED = (Raised, Carved, Relief, Pressed)
PANELS = (Plaque, Board, Plate, Medallion)
MARGIN = 2.0  # of the widest cutter: what stock has beyond a piece that is cut out of it


def panel_side(job: Job) -> str | None:
    """The side from which a piece that is a panel is cut out of a sheet, one that is lettered before
    others; None where it is no panel."""
    if not isinstance(job.blank, PANELS):
        return None
    names = [one.lay.side for one in job.letterings if not one.hidden and is_faced(job, one.lay.side)]
    return names[0] if names else "front"


def faced_side(
    job: Job, name: str, works: list[Work], missed: list[str], how: Routing, *, cut_out: bool
) -> Routed:
    """What is cut into a side of the works that are `on_side`, and what was told of them; ``cut_out``: and
    the piece out of stock that is larger all round."""
    side = faced(job, name)
    left, low, right, high = side.domain.bounds
    faces = across(body_of_job(job), name)
    through = side.wall_mm if faces is None else faces[2]
    missed = list(missed)
    sides = sides_of_job(job)
    swells = sides is None or not isinstance(sides.named(name), Plane)
    # over a side that swells all is cut in lines, as deep as it lies there
    shaped = [w for w in works if swells or isinstance(w.craft, SHAPED) or _is_round(w)]
    plain = [w for w in works if w not in shaped]
    operations: list[Operation] = []
    top = 0.0
    # what the blank has on this side of itself: a border line, a rim
    details = [] if swells else [one for one in body_of_job(job).sheet(name).insets if one.height_mm]
    proud = any(one.height_mm > 0 for one in details)
    if shaped or (cut_out and (swells or proud)):
        names = ", ".join(work.name for work in shaped) or name
        top = _to_cut(job, name, plain, max(right - left, high - low) / 400)[1]
        made = shaped_to(
            names, lambda cell: Wanted(_to_cut(job, name, plain, cell)[0]), how.balls_mm, job.finish, how
        )
        operations += made
    elif cut_out:
        for one in details:
            region = one.area.difference(shapely.union_all([work.region for work in works]))
            area = as_region(polygons_in(region))
            made, left_over = pockets(job.finish, one.name, area, -one.height_mm, how.flats_mm, top)
            operations += made
            missed += left_over
    elif details and isinstance(job.blank, PANELS):
        missed.append(f"{name}: its {details[0].name} is made with the blank itself")
    for work in plain:
        made, left_over = plain_work(job, work, through, top, how)
        operations += made
        missed += left_over
    margin = 0.0
    if cut_out:
        border = seen_at(job, side if not swells or sides is None else sides.named(name))
        out = border.bounds
        beyond = max(left - out[0], low - out[1], out[2] - right, out[3] - high, 0.0)
        margin = MARGIN * max(how.flats_mm) + beyond
        made, left_over = _out_of_stock(job, name, border, through + top, how)
        operations += made
        missed += left_over
        if beyond > TOUCHES_MM:
            missed.append(
                f"{name}: its edge is left square, it is rounded off by hand or a cutter of its shape"
            )
    corner = left - margin, low - margin
    return Routed(
        name,
        Setup(name, top, margin, how.inlay_deg),
        (right - left + 2 * margin, high - low + 2 * margin, through + top),
        corner,
        by_tool(moved_by(operations, (-corner[0], -corner[1], 0.0))),
        missed,
        job.finish,
    )


def _out_of_stock(
    job: Job, name: str, border: shapely.Polygon, thick: float, how: Routing
) -> tuple[list[Operation], list[str]]:
    """Its holes, then the piece itself, held by tabs."""
    holes: list[Any] = [shapely.Polygon(ring) for ring in border.interiors]
    for one in drilled(job):
        if one.side == name:
            holes += [hole.region for hole in one.holes]
    deep = thick + BELOW_MM
    made, missed = [], []
    for hole in holes:
        region = as_region([hole])
        tool = fitting(region, long_enough(how.flats_mm, deep))
        step = feeds_for(job.finish, tool).deep_mm
        made.append(
            Operation(
                "hole", tool, profile_ways(region, tool, deep, step, (0, 0, 0), inside=True), clear=True
            )
        )
        missed += unreached("a hole", region, tool, deep)
    tool = Tool("flat", max(how.flats_mm))
    step = feeds_for(job.finish, tool).deep_mm
    outline = as_region([shapely.Polygon(border.exterior)])
    ways = profile_ways(outline, tool, deep, step, (how.tabs, *how.tab_mm), inside=False)
    made.append(Operation("out of the stock", tool, ways, clear=True))
    return made, missed


def _is_round(work: Work) -> bool:
    return isinstance(work.craft, Engraved) and work.craft.floor == "round"


def _to_cut(job: Job, name: str, plain: list[Work], cell: float) -> tuple[Heights, float]:
    """The surface that is shaped, from the stock's top down, and how far that is above the side."""
    left, low, right, high = faced(job, name).domain.bounds
    heights = wanted_heights(job, name, cell_for(cell, right - left, high - low))
    values = heights.values
    values[values == -float("inf")] = 0.0
    for work in plain:  # cut by themselves
        values[cells_in(heights, work.region) & (values == values)] = 0.0
    top = max(float(values[values == values].max()), 0.0)
    return Heights(values - top, heights.corner, heights.cell_mm), top
