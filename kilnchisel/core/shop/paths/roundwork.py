"""Sides that go round, turned under the cutter by a rotary axis: from outside by its length, from inside by
a tool that leans in at the open end."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Carved, Craft, Engraved, Pressed, Raised, Relief
from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, on_side, open_lines
from kilnchisel.core.shop.paths.plainwork import plain_work, written
from kilnchisel.core.shop.paths.routerwork import Operation, Routed, Routing, by_tool
from kilnchisel.core.shop.paths.setup import Setup, Turning
from kilnchisel.core.shop.paths.shaping import Wanted, cell_for, shaped_to
from kilnchisel.core.shop.paths.surface import Heights, Rolled, cells_in, rolled, rolled_heights
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

ROLLED = (Engraved, Raised, Carved, Relief, Pressed)
LEANS_DEG = 15.0  # farther than that a side is shaped
FACET_MM = 0.02  # what a surface of flat faces is off the round one
ROUND_MM = 0.5  # from point to point of a way round it
INSIDE_BALLS_MM = (0.6, 0.3)  # of an engraver, where no finer are named: letters inside rings are fine
LEAST_TILT, MOST_TILT, TILT_STEP = 20.0, 60.0, 5.0  # degrees from a radius: a ball on a thin neck cuts so
SHANK_MM, CLEAR_MM = 3.175, 1.0  # of a tool that leans in, common practice; how far it stays off the rim


def is_rolled(job: Job, craft: Craft, side: str) -> bool:
    """Whether a rotary axis brings what is worked so on a side under a cutter."""
    if not isinstance(craft, ROLLED):
        return False
    try:
        rolled(job, side)
    except KilnError:
        return False
    return True


def turned_side(job: Job, name: str, works: list[Work], how: Routing) -> Routed:
    """A side that a rotary axis turns. A is 0 half way round from the middle of what is on it; a way that
    begins beyond a whole turn begins within it. Raises KilnError where no tool leans in so far."""
    side = rolled(job, name).side
    works, missed = on_side(side, works)
    if not works:
        raise KilnError(f"All that is on the side “{name}” runs beyond its edge.")
    plain = [work for work in works if _is_plain(job, work, name)]
    shaped = [work for work in works if work not in plain]
    left, low, right, high = bounds_of(works)
    period = side.period
    assert period is not None
    one = rolled(job, name, (left + right - period) / 2)
    top = _top_of(job, one, shaped)
    operations: list[Operation] = []
    notes: tuple[str, ...] = ()
    tilt = 0.0
    if one.inside:
        tilt, notes = _leaning(one, low, high)
    for work in plain:
        flat = work.flattened()  # a cutter is as wide there as it is
        if one.inside:
            made = written(job, flat, open_lines(job, flat), 0.0)
        else:
            made, left_over = plain_work(job, flat, one.side.wall_mm, 0.0, how)
            missed += left_over
        for operation in made:
            turned = [one.machine(_laid(work, way)) - (0.0, 0.0, top) for way in operation.ways]
            operation.ways[:] = [_within_a_turn(way, period) for way in turned]
        operations += made
    if shaped:
        balls = how.balls_mm
        if one.inside:
            balls = tuple(d for d in balls if d < min(INSIDE_BALLS_MM)) + INSIDE_BALLS_MM
        names = ", ".join(work.name for work in shaped)
        made = shaped_to(
            names, lambda cell: _wanted(job, one, plain, top, cell, balls), balls, job.finish, how
        )
        operations += made
        missed += [] if made else [f"{names}: no ball end gets into it"]
    deep = -min((float(way[:, 2].min()) for o in operations for way in o.ways), default=0.0)
    return Routed(
        name,
        Setup(name, top, turning=Turning(one.radius_mm, one.left_mm, tilt, one.turned())),
        (one.long_mm, period, max(one.side.wall_mm + top, deep)),
        (one.low_mm, one.left_mm),
        by_tool(operations),
        missed,
        job.finish,
        notes=notes,
        rotary=one,
    )


def _is_plain(job: Job, work: Work, name: str) -> bool:
    """Whether it is cut along its outline or lines: from inside only by its lines, and where its side leans
    far from its axis, as a shoulder does, a flat end would cut too deep below its middle."""
    craft = work.craft
    if not isinstance(craft, Engraved) or craft.floor == "round":
        return False
    one = rolled(job, name)
    if not one.inside and not _leans(one, work):
        return True
    return bool(open_lines(job, work.flattened()))


def _leans(one: Rolled, work: Work) -> bool:
    """Whether a side leans far from its axis where a work, laid on its sheet, is."""
    _, low, _, high = work.region.bounds
    up = np.linspace(low, high, 9)
    out = one.side.frames(np.stack([np.zeros(len(up)), up], axis=1))[:, 2]
    return bool((np.hypot(out[:, 0], out[:, 1]) < np.cos(np.radians(LEANS_DEG))).any())


def _top_of(job: Job, one: Rolled, shaped: list[Work]) -> float:
    """How far the stock is above the side: as far as what is raised on it."""
    if not any(isinstance(work.craft, Raised | Carved | Relief | Pressed) for work in shaped):
        return 0.0
    heights = rolled_heights(job, one, max(one.long_mm, one.radius_mm) / 400)
    rise = heights.values - one.profile(_across(heights))
    return max(float(np.nanmax(rise)), 0.0)


def _across(heights: Heights) -> Array:
    """Where the columns of a grid are, mm from its corner."""
    return (np.arange(heights.values.shape[1]) + 0.5) * heights.cell_mm


def _wanted(
    job: Job, one: Rolled, plain: list[Work], top: float, cell: float, balls: tuple[float, ...]
) -> Wanted:
    """What is wanted round an axis, from the stock's top down, with as much of its beginning after its end
    and before it as a cutter reaches."""
    assert one.side.period is not None
    heights = rolled_heights(job, one, cell_for(cell, one.long_mm, one.side.period))
    cell, values = heights.cell_mm, heights.values - top
    stock = one.profile(_across(heights))
    for work in plain:  # cut by themselves: what they are on stays
        for turn in (-1, 0, 1):
            flat = shapely.transform(work.region, lambda uv, turn=turn: _on_machine(one, uv, turn))
            inside = cells_in(Heights(values, (0.0, 0.0), cell), flat)
            values[inside] = np.broadcast_to(stock, values.shape)[inside]
    pad = int(np.ceil(max(balls) / cell)) + 2
    around = np.pad(values, ((pad, pad), (0, 0)), mode="wrap")
    return Wanted(Heights(around, (0.0, -pad * cell), cell), stock, pad, FACET_MM)


def _on_machine(one: Rolled, uv: Array, turn: int) -> Array:
    """Sheet points (n, 2) along the axis and round it, some turns on."""
    assert one.side.period is not None
    flat = one.machine(np.column_stack([uv, np.zeros(len(uv))]))[:, :2]
    return np.asarray(flat + (0.0, turn * one.side.period))


def _leaning(one: Rolled, low: float, high: float) -> tuple[float, tuple[str, ...]]:
    """How far a tool leans to reach what is lettered, past the rim across from where it cuts, and in words
    to which end. Raises KilnError where none leans so far."""
    room = 2 * one.top_mm - CLEAR_MM
    _, first, _, last = one.side.domain.bounds
    far, end = min((high - first, 0.0), (last - low, one.long_mm))
    for tilt in np.arange(LEAST_TILT, MOST_TILT + 1e-9, TILT_STEP):
        lean = np.radians(tilt)
        # where it goes out at the open end, its upper edge stays under the rim
        if far / np.tan(lean) + SHANK_MM / 2 / np.sin(lean) <= room:
            where = f"X {format_number(end, 2)}"
            words = f"ball ends on a thin neck lean {tilt:g}° towards the end at {where}"
            return float(tilt), (f"{one.side.name}: {words}",)
    raise KilnError(
        f"The side “{one.side.name}” is lettered {format_length(far)} deep inside "
        f"{format_length(2 * one.top_mm)}: no tool leans in so far; nearer to the open end one does."
    )


def _within_a_turn(way: Array, period: float) -> Array:
    """A way (n, 3) that begins within the first turn."""
    return np.asarray(way - (0.0, period * np.floor(way[0, 1] / period), 0.0))


def _laid(work: Work, way: Array) -> Array:
    """A flat way (n, 3) on its side's sheet, with points close enough to follow one that is no cylinder."""
    line = shapely.segmentize(shapely.LineString(way), ROUND_MM)
    fine = np.asarray(shapely.get_coordinates(line, include_z=True))
    return np.column_stack([work.flat.back(fine[:, :2]), fine[:, 2]])
