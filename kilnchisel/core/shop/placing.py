"""Where letterings go by measure: centred, lined up, evenly spread, between or clear of zones.

Everything here takes a job and returns the next one.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Apparel, Mesh3D
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.garments import collar_of, measures_of
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.tradeplaces import IN_RINGS, PLACES, places_of
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.laying.patch import ANY_SPOT
from kilnchisel.core.laying.picking import walked
from kilnchisel.core.laying.zones import zones_of

Edge = Literal["left", "middle", "right", "top", "level", "bottom"]
Box = tuple[float, float, float, float]

AGAIN = 5
AT_ONCE = 2048  # places that are tried, the nearest first
AIR_MM = 0.05  # kept beside what is avoided, so that it is clear whatever the rounding


def moved(job: Job, index: int, du: float, dv: float) -> Job:
    """The job with a lettering moved on its sheet, mm, the short way round a closed side."""
    lay = job.letterings[index].lay
    side = lettering_laid(job, index).side
    along = lay.along_mm + du
    if side.period is not None:
        along = (along + side.period / 2) % side.period - side.period / 2
    update = {"along_mm": round(along, 3), "across_mm": round(lay.across_mm + dv, 3)}
    return change(job, ("letterings", index, "lay"), lay.model_copy(update=update))


def nudged(job: Job, index: int, du: float, dv: float) -> Job:
    """The job with a lettering moved by a small step on its sheet, or over the surface of a mesh."""
    lay = job.letterings[index].lay
    if lay.side != ANY_SPOT:
        update: dict[str, object] = {
            "along_mm": round(lay.along_mm + du, 3),
            "across_mm": round(lay.across_mm + dv, 3),
        }
    else:
        along, across = lay.along_mm + du, lay.across_mm + dv
        if lay.wrap == "follow" and isinstance(job.blank, Mesh3D) and lay.spot is not None:
            place = walked(free_mesh(job.blank), lay.spot, along, across)
        else:
            side = lettering_laid(job, index).side
            place = side.to_body(np.array([[along, across]]), np.zeros(1))[0]
        x, y, z = (round(float(value), 4) for value in place)
        update = {"spot": (x, y, z), "along_mm": 0.0, "across_mm": 0.0}
    return change(job, ("letterings", index, "lay"), lay.model_copy(update=update))


def centred(job: Job, index: int) -> Job:
    """The job with a lettering in the middle of its side: up and down, and from side to side.

    On a closed side it faces the front.
    """
    laid = lettering_laid(job, index)
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    if laid.ink.is_empty:
        return job
    _left, low, _right, high = laid.ink.bounds
    across = (low_v + high_v) / 2 - (low + high) / 2
    if laid.side.period is not None:
        return moved(job, index, -laid.lay.along_mm, across)
    return moved(job, index, (low_u + high_u) / 2 - laid.lay.along_mm, across)


def at_place(job: Job, index: int, name: str) -> Job:
    """The job with a lettering where the trade puts it ("left chest", "hallmark"). Raises KilnError."""
    blank, lay = job.blank, job.letterings[index].lay
    if name not in places_of(blank):
        where = "in a ring" if name in IN_RINGS else "on a garment"
        raise KilnError(f"“{name}” is a place {where}; the blank is none.")
    if name in IN_RINGS:
        round_mm = sides_at(blank).named("inside").period or 0.0
        along = round(IN_RINGS[name] * round_mm, 3)
        inside = lay.model_copy(update={"side": "inside", "along_mm": along, "across_mm": 0.0})
        return change(job, ("letterings", index, "lay"), inside)
    assert isinstance(blank, Apparel)
    place = PLACES[name]
    update = {"side": place.side, "along_mm": 0.0, "across_mm": 0.0}
    job = change(job, ("letterings", index, "lay"), lay.model_copy(update=update))
    laid = lettering_laid(job, index)
    if laid.ink.is_empty:
        return job
    left, low, right, high = laid.ink.bounds
    if place.below is None:
        up = laid.side.domain.bounds[1] + place.above - low
    else:
        collar = collar_of(measures_of(blank.garment, blank.size), place.side)
        up = collar - place.below - high
    return moved(job, index, place.along - (left + right) / 2, up)


def companions(job: Job, index: int) -> tuple[int, ...]:
    """The visible, unlocked letterings on the same side as this one, itself included."""
    lay = job.letterings[index].lay
    return tuple(
        number
        for number, other in enumerate(job.letterings)
        if other.lay.side == lay.side
        and other.lay.spot == lay.spot
        and not other.hidden
        and (number == index or not other.locked)
    )


def lined_up(job: Job, index: int, edge: Edge) -> Job:
    """The other letterings of the side brought into line with this one: an edge, or their middles."""
    target = _place(_box(job, index), edge)
    for number in companions(job, index):
        if number == index:
            continue
        off = target - _place(_box(job, number), edge)
        job = (
            moved(job, number, off, 0.0)
            if edge in ("left", "middle", "right")
            else moved(job, number, 0.0, off)
        )
    return job


def _place(box: Box, edge: Edge) -> float:
    left, low, right, high = box
    return {
        "left": left,
        "middle": (left + right) / 2,
        "right": right,
        "top": high,
        "level": (low + high) / 2,
        "bottom": low,
    }[edge]


def spread_out(job: Job, index: int, way: Literal["along", "up"]) -> Job:
    """The letterings of the side with equal gaps between them, the outermost two staying where they are."""
    axis = 0 if way == "along" else 1
    boxes = {number: _box(job, number) for number in companions(job, index)}
    if len(boxes) < 3:
        raise KilnError("Equal gaps take three letterings or more on this side.")
    order = sorted(boxes, key=lambda number: boxes[number][axis] + boxes[number][axis + 2])
    first, last = boxes[order[0]], boxes[order[-1]]
    inside = [boxes[number] for number in order[1:-1]]
    room = last[axis] - first[axis + 2] - sum(box[axis + 2] - box[axis] for box in inside)
    gap = room / (len(order) - 1)
    at = first[axis + 2]
    for number in order[1:-1]:
        box = boxes[number]
        step = at + gap - box[axis]
        job = moved(job, number, step, 0.0) if axis == 0 else moved(job, number, 0.0, step)
        at += gap + box[axis + 2] - box[axis]
    return job


def between(job: Job, index: int, way: Literal["along", "up"]) -> Job:
    """The lettering in the middle between its neighbours that way: keep-clear zones, or the side's edges.

    Raises KilnError when nothing bounds it that way.
    """
    laid = lettering_laid(job, index)
    low, high = gap_round(laid, way)
    left, bottom, right, top = laid.ink.bounds
    if way == "along":
        return moved(job, index, (low + high) / 2 - (left + right) / 2, 0.0)
    return moved(job, index, 0.0, (low + high) / 2 - (bottom + top) / 2)


def gap_round(laid: Laid, way: Literal["along", "up"]) -> tuple[float, float]:
    """Where the free room round a lettering's middle begins and ends, that way, sheet mm."""
    axis = 0 if way == "along" else 1
    box = laid.ink.bounds
    middle = (box[axis] + box[axis + 2]) / 2
    low, high = laid.side.domain.bounds[axis], laid.side.domain.bounds[axis + 2]
    if axis == 0 and laid.side.period is not None:
        low, high = middle - laid.side.period / 2, middle + laid.side.period / 2
    for zone in _obstacles(laid):
        beside = zone[1 - axis] < box[3 - axis] and zone[3 - axis] > box[1 - axis]
        if not beside:
            continue
        if (zone[axis] + zone[axis + 2]) / 2 < middle:
            low = max(low, zone[axis + 2])
        else:
            high = min(high, zone[axis])
    if high <= low:
        raise KilnError("There is no room between the zones here.")
    return low, high


def clear_of_zones(job: Job, index: int) -> Job:
    """The lettering moved as little as will do, off every keep-clear zone and into its side.

    Raises KilnError when there is no such place.
    """
    for _ in range(AGAIN):  # on a curved side it comes out a little larger or smaller elsewhere
        laid = lettering_laid(job, index)
        if laid.ink.is_empty:
            return job
        step = least_step(laid.ink.bounds, _obstacles(laid), _limits(laid))
        if step is None:
            raise KilnError("There is no place on this side that is clear; make the lettering smaller.")
        if max(abs(way) for way in step) < AIR_MM / 2:
            break
        job = moved(job, index, *step)
    return job


def least_step(box: Box, zones: Sequence[Box], limits: Box) -> tuple[float, float] | None:
    """The shortest move (du, dv) that takes a box off all zones and keeps it within limits.

    The best place touches limits or zones, or keeps a coordinate: all such places are tried.
    """
    left, low, right, high = box
    wide, tall = right - left, high - low
    us = {left, limits[0], limits[2] - wide}
    vs = {low, limits[1], limits[3] - tall}
    for zone in zones:
        us |= {zone[0] - wide - AIR_MM, zone[2] + AIR_MM}
        vs |= {zone[1] - tall - AIR_MM, zone[3] + AIR_MM}
    us = {u for u in us if limits[0] - 1e-9 <= u <= limits[2] - wide + 1e-9}
    vs = {v for v in vs if limits[1] - 1e-9 <= v <= limits[3] - tall + 1e-9}
    steps = np.stack(np.meshgrid(sorted(us), sorted(vs)), axis=-1).reshape(-1, 2) - (left, low)
    steps = steps[np.argsort(np.hypot(steps[:, 0], steps[:, 1]), kind="stable")]
    z_left, z_low, z_right, z_high = np.array(zones, dtype=float).reshape(-1, 4).T
    for at in range(0, len(steps), AT_ONCE):
        u, v = (steps[at : at + AT_ONCE] + (left, low)).T[:, :, None]
        apart = (u >= z_right) | (u + wide <= z_left) | (v >= z_high) | (v + tall <= z_low)
        clear = np.flatnonzero(apart.all(axis=1))
        if len(clear):
            best = steps[at + clear[0]]
            return float(best[0]), float(best[1])
    return None


def _box(job: Job, index: int) -> Box:
    laid = lettering_laid(job, index)
    if laid.ink.is_empty:
        raise KilnError("A lettering without words has no place to line up.")
    left, low, right, high = laid.ink.bounds
    return left, low, right, high


def _obstacles(laid: Laid) -> list[Box]:
    """The boxes of the zones, each also one round before and after on a closed side."""
    return [box for zone in zones_of(laid.side) for box in map(tuple, zone.boxes.tolist())]


def _limits(laid: Laid) -> Box:
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    if laid.side.period is not None:
        middle = (laid.ink.bounds[0] + laid.ink.bounds[2]) / 2
        low_u, high_u = middle - laid.side.period, middle + laid.side.period
    return low_u, low_v, high_u, high_v
