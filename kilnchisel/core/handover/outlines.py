"""The flat lettering as vectors, true to size as it is cut: SVG and DXF in mm, welded or letter by letter.

On a side that unrolls without stretch (flat, cylinder, cone) everything lies on its flat pattern, so that
letterings keep their places to each other; elsewhere each lettering is true at its own height. Curves are
straight pieces within the lettering's own tolerance.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import laids_of, lettering_laid
from kilnchisel.core.crafts.inked import patch_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.formats import format_of
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.crafts import WovenPatch
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.laying.flat import Flat, flats_of
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import reshaped
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]


@dataclass(frozen=True)
class OutlineOrder:
    """What is wanted. ``index``: one lettering, None is all of a ``side`` that are made; that is the first
    one's where none is named. ``letters``: each letter by itself instead of the weld; ``lines``: centre
    lines instead of outlines, where there are any."""

    index: int | None = None
    side: str | None = None
    letters: bool = False
    lines: bool = False


def write_outline(job: Job, path: Path, order: OutlineOrder | None = None) -> str:
    """Write the flat lettering; the ending decides the format. Returns which pattern it is, in words, and
    what of the job is not in it. Raises KilnError."""
    data, words = outline_bytes(job, path, order)
    write_whole(path, data)
    return words


def outlined_sides(job: Job) -> list[str]:
    """The sides that carry lettering that is made, the first lettering's first."""
    return list(dict.fromkeys(laid.lay.side for _, laid in _made(job)))


def _made(job: Job) -> list[tuple[int, Laid]]:
    """Letterings that are not hidden, by their number, wherever each lies."""
    numbers = [index for index, item in enumerate(job.letterings) if not item.hidden]
    return [(index, laid) for index in numbers for laid in laids_of(job, index)]


def outline_bytes(job: Job, path: Path, order: OutlineOrder | None = None) -> tuple[bytes, str]:
    """The same as bytes, with the words. Raises KilnError."""
    write = format_of(path, FORMATS)
    groups, words = _groups(job, order or OutlineOrder())
    if not any(group.rings or group.lines for group in groups):
        raise KilnError("There is nothing to write: the lettering draws nothing.")
    return write(job.name, groups, words), words


def _groups(job: Job, order: OutlineOrder) -> tuple[list[Group], str]:
    if not job.letterings:
        raise KilnError("There is no lettering to write.")
    if order.index is not None and not 0 <= order.index < len(job.letterings):
        raise KilnError(f"There is no lettering {order.index + 1}; the job has {len(job.letterings)}.")
    if order.index is not None:
        chosen, missing = [(order.index, lettering_laid(job, order.index))], ""
    else:
        chosen, missing = _on_a_side(job, order.side)
    groups: list[Group] = []
    areas: list[Any] = []
    flats = flats_of([laid for _, laid in chosen])
    for (index, laid), flat in zip(chosen, flats, strict=True):

        def rings_on(region: Any, flat: Flat = flat) -> list[Array]:
            return rings_of(shapely.transform(flat.closely(region), flat.points))

        name = f"{index + 1} {one_line(job.letterings[index])}"
        craft = job.letterings[index].craft
        if isinstance(craft, WovenPatch):
            edges = {"patch": 0.0} | ({"within its sewn edge": craft.sewn_mm} if craft.sewn_mm else {})
            for what, inset in edges.items():
                region = laid.placing.region(patch_of(laid, craft, inset))
                groups.append(Group(f"{name}: {what}", rings_on(region), []))
                areas.append(region)
        if order.lines and laid.outline.lines:
            lines = [flat.points(copy) for line in laid.outline.lines for copy in laid.placing.lines(line)]
            groups.append(Group(name, [], lines))
            areas.append(shapely.MultiPolygon())
        elif order.letters and laid.outline.letters:
            wording = job.letterings[index].content
            assert isinstance(wording, Wording)
            for number, letter in enumerate(laid.outline.letters, start=1):
                region, _ = reshaped(letter.region, wording)
                areas.append(laid.placing.region(region))
                groups.append(Group(f"{name}: {number} {letter.character}", rings_on(areas[-1]), []))
        else:
            first = next((n for n, x in enumerate(laid.layers) if x.layer.kind == "letters"), 0)
            for number, layer in enumerate(laid.layers):
                kind = "" if len(laid.layers) == 1 else f" {layer.layer.kind}"
                tone = "#000000" if number == first else TONES[number % len(TONES)]
                groups.append(Group(name + kind, rings_on(layer.region), [], tone=tone))
                areas.append(layer.region)
    return _marked(groups, areas), flats[0].words + missing


TONES = ("#d0d0d0", "#a8a8a8", "#888888", "#c0c0c0", "#989898")  # of what lies beside letters
LIES_ON_MM2 = 1e-3  # less is a border in common


def _marked(groups: list[Group], areas: list[Any]) -> list[Group]:
    """The same, marked where a later one lies on one; ``areas``: what each covers of the sheet."""
    on, under = shapely.STRtree(areas).query(areas, predicate="intersects")
    above = on > under
    shared = shapely.area(shapely.intersection(*np.array(areas, dtype=object)[[on[above], under[above]]]))
    covered = set(under[above][shared > LIES_ON_MM2].tolist())
    return [replace(group, under=number in covered) for number, group in enumerate(groups)]


def _on_a_side(job: Job, wanted: str | None) -> tuple[list[tuple[int, Laid]], str]:
    """The letterings of a side that are made, and in words those on others. Raises KilnError."""
    sides = outlined_sides(job)
    if not sides:
        raise KilnError("There is nothing to write: every lettering is hidden.")
    side = wanted or sides[0]
    if side not in sides:
        raise KilnError(f"There is no lettering on the side “{side}”; there is on {', '.join(sides)}.")
    there = _made(job)
    chosen = [(index, laid) for index, laid in there if laid.lay.side == side]
    others = [
        f"“{one_line(job.letterings[index])}” ({laid.lay.side})"
        for index, laid in there
        if laid.lay.side != side
    ]
    told = f"; {side} only, without {', '.join(others)}" if others and wanted is None else ""
    return chosen, told


FORMATS: dict[str, Callable[[str, list[Group], str], bytes]] = {".svg": svg_of, ".dxf": dxf_of}
OUTLINE_ENDINGS = tuple(FORMATS)
