"""The flat lettering as vectors, true to size as it is cut: SVG and DXF in mm, welded or letter by letter.

On a side that unrolls without stretch (flat, cylinder, cone) everything lies on its flat pattern, so that
letterings keep their places to each other; elsewhere each lettering is true at its own height. Curves are
straight pieces within the lettering's own tolerance.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.crafts.inked import patch_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.formats import format_of
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.crafts import WovenPatch
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.laying.flat import Flat, flats_of
from kilnchisel.core.lettering.outline import reshaped
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]


@dataclass(frozen=True)
class OutlineOrder:
    """What is wanted. ``index``: one lettering, None is all of the first one's side; ``letters``: each
    letter by itself instead of the weld; ``lines``: centre lines instead of outlines, where there are
    any."""

    index: int | None = None
    letters: bool = False
    lines: bool = False


def write_outline(job: Job, path: Path, order: OutlineOrder | None = None) -> str:
    """Write the flat lettering; the ending decides the format. Returns which pattern it is, in words.
    Raises KilnError."""
    data, words = outline_bytes(job, path, order)
    write_whole(path, data)
    return words


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
    side = job.letterings[order.index or 0].lay.side
    chosen = (
        [order.index]
        if order.index is not None
        else [i for i, item in enumerate(job.letterings) if item.lay.side == side]
    )
    groups = []
    laid_ones = [lettering_laid(job, index) for index in chosen]
    flats = flats_of(laid_ones)
    for index, laid, flat in zip(chosen, laid_ones, flats, strict=True):

        def rings_on(region: Any, flat: Flat = flat) -> list[Array]:
            return rings_of(shapely.transform(flat.closely(region), flat.points))

        name = f"{index + 1} {one_line(job.letterings[index])}"
        craft = job.letterings[index].craft
        if isinstance(craft, WovenPatch):
            edges = {"patch": 0.0} | ({"within its sewn edge": craft.sewn_mm} if craft.sewn_mm else {})
            for what, inset in edges.items():
                region = laid.placing.region(patch_of(laid, craft, inset))
                groups.append(Group(f"{name}: {what}", rings_on(region), []))
        if order.lines and laid.outline.lines:
            lines = [flat.points(copy) for line in laid.outline.lines for copy in laid.placing.lines(line)]
            groups.append(Group(name, [], lines))
        elif order.letters and laid.outline.letters:
            wording = job.letterings[index].content
            assert isinstance(wording, Wording)
            for number, letter in enumerate(laid.outline.letters, start=1):
                region, _ = reshaped(letter.region, wording)
                rings = rings_on(laid.placing.region(region))
                groups.append(Group(f"{name}: {number} {letter.character}", rings, []))
        else:
            for layer in laid.layers:
                kind = "" if len(laid.layers) == 1 else f" {layer.layer.kind}"
                groups.append(Group(name + kind, rings_on(layer.region), []))
    return groups, flats[0].words


FORMATS: dict[str, Callable[[str, list[Group], str], bytes]] = {".svg": svg_of, ".dxf": dxf_of}
OUTLINE_ENDINGS = tuple(FORMATS)
