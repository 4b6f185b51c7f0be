"""A job's lettering as flat work: what of each is cut, true to size, side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.build import laids_of
from kilnchisel.core.crafts.sheet import layered
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Craft, Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.laying.flat import Flat, flats_of
from kilnchisel.core.laying.laid import LaidLayer
from kilnchisel.core.lettering.polygons import as_region, polygons_in

TOUCHES_MM = 1e-3  # what is so little beyond an edge is not beyond it


@dataclass(frozen=True, eq=False)
class Work:
    """A layer of a lettering, flat: its ``region`` in mm, y up, and which pattern that is, ``flat``."""

    index: int
    name: str
    side: str
    craft: Craft
    layer: LaidLayer
    region: shapely.MultiPolygon
    flat: Flat

    def laid(self) -> Work:
        """The same with its region on its side's own sheet."""
        return self._at(self.flat.back)

    def flattened(self) -> Work:
        """What was ``laid``, flat again."""
        return self._at(self.flat.points)

    def _at(self, places: Callable[[NDArray[Any]], NDArray[Any]]) -> Work:
        return replace(self, region=as_region(polygons_in(shapely.transform(self.region, places))))


def flat_work(job: Job, *crafts: type) -> list[Work]:
    """What of a job is made by some crafts, hidden letterings left out. Those of one side keep their places
    to each other where it unrolls without stretch. Raises KilnError where a lettering cannot be drawn."""
    chosen = [
        (i, laid)
        for i, item in enumerate(job.letterings)
        if not item.hidden and isinstance(item.craft, crafts)
        for laid in laids_of(job, i)
    ]
    found = []
    for side in dict.fromkeys(one.lay.side for _, one in chosen):
        mine = [(i, one) for i, one in chosen if one.lay.side == side]
        laid = [one for _, one in mine]
        for (index, _), one, flat in zip(mine, laid, flats_of(laid), strict=True):
            lettering = job.letterings[index]
            for layer in one.layers:
                if layer.region.is_empty:
                    continue
                region = as_region(polygons_in(shapely.transform(flat.closely(layer.region), flat.points)))
                name = f"{index + 1} {one_line(lettering)}{one.layer_words(layer)}"
                found.append(Work(index, name, side, lettering.craft, layer, region, flat))
    return found


def as_layered(works: list[Work]) -> list[Work]:
    """Works of one side as they are on the piece: where they meet the later one is what is made."""
    regions = layered([work.region for work in works])
    return [replace(w, region=r) for w, r in zip(works, regions, strict=True) if not r.is_empty]


def on_side(side: Side, works: list[Work]) -> tuple[list[Work], list[str]]:
    """Works of a side as they are on the piece, on its own sheet: what runs beyond the side's edge is cut
    off there, and where two meet the later one is made; and what is told of that."""
    room: Any = side.domain
    if side.period is not None:
        left, low, right, high = room.bounds
        room = shapely.box(left - side.period, low, right + side.period, high)
    works = [work.laid() for work in works]
    edge = shapely.buffer(room, TOUCHES_MM)
    over = (work.name for work in works if not edge.contains(work.region))
    told = [f"{name}: it is cut off at the edge of the side, beyond which it runs" for name in over]
    within = (shapely.make_valid(work.region).intersection(room) for work in works)
    cut = (as_region(polygons_in(region)) for region in within)
    return as_layered([replace(w, region=r) for w, r in zip(works, cut, strict=True)]), told


def open_lines(job: Job, work: Work) -> list[NDArray[Any]]:
    """The flat lines (n, 2) that a pen draws a lettering by, as far as they are in a work's region; none of
    one that is drawn by its outline."""
    content = job.letterings[work.index].content
    if not isinstance(content, Wording) or not content.by_lines or work.layer.layer.kind != "letters":
        return []
    lines = [
        shapely.LineString(points)
        for laid in laids_of(job, work.index)
        if laid.lay.side == work.side
        for line in laid.outline.lines
        for points in laid.placing.lines(line)
    ]
    shapely.prepare(work.region)
    found: list[NDArray[Any]] = []
    for line in lines:
        flat = shapely.transform(work.flat.closely(line), work.flat.points)
        inside = flat if work.region.covers(flat) else flat.intersection(work.region)
        found += [p.coords for p in shapely.get_parts(inside) if p.geom_type == "LineString"]
    return [np.asarray(one) for one in found]


def die_cut(work: Work) -> shapely.MultiPolygon:
    """Where printed film is cut: along its outline, or as far beyond it as its carrier reaches, counters
    closed then."""
    assert isinstance(work.craft, Printed)
    if work.craft.carrier_mm <= 0:
        return work.region
    grown = shapely.buffer(work.region, work.craft.carrier_mm, quad_segs=16)
    filled = [shapely.Polygon(part.exterior) for part in polygons_in(grown)]
    return as_region(polygons_in(shapely.union_all(filled)))


def without_work(job: Job, what: str, *crafts: type) -> str:
    """Why a job has nothing for a machine; empty where it has. ``what``: by which craft that would be."""
    if any(isinstance(item.craft, crafts) and not item.hidden for item in job.letterings):
        return ""
    return f"nothing on it is {what}"


def bounds_of(works: list[Work]) -> tuple[float, float, float, float]:
    """The box of flat work: left, low, right, high, mm. Raises KilnError where there is none."""
    if not works:
        raise KilnError("There is nothing to cut: the lettering draws nothing.")
    boxes = [work.region.bounds for work in works]
    left, low, right, high = zip(*boxes, strict=True)
    return min(left), min(low), max(right), max(high)
