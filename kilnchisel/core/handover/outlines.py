"""The flat lettering as vectors, true to size as it is cut: SVG and DXF in mm, welded or letter by letter.

On a side that unrolls without stretch (flat, cylinder, cone) everything lies on its flat pattern, so that
letterings keep their places to each other; elsewhere each lettering is true at its own height. Curves are
straight pieces within the lettering's own tolerance.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.formats import format_of
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.laying.flat import Flat, flats_of
from kilnchisel.core.lettering.outline import reshaped
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]

DIGITS = 5  # of a mm: a hundredth of a micron


@dataclass(frozen=True)
class OutlineOrder:
    """What is wanted. ``index``: one lettering, None is all of the first one's side; ``letters``: each
    letter by itself instead of the weld; ``lines``: centre lines instead of outlines, where there are
    any."""

    index: int | None = None
    letters: bool = False
    lines: bool = False


@dataclass(frozen=True, eq=False)
class _Group:
    """A named set of closed rings and open lines, flat mm."""

    name: str
    rings: list[Array]
    lines: list[Array]


def write_outline(job: Job, path: Path, order: OutlineOrder | None = None) -> str:
    """Write the flat lettering; the ending decides the format. Returns which pattern it is, in words.
    Raises KilnError."""
    write = format_of(path, FORMATS)
    groups, words = _groups(job, order or OutlineOrder())
    if not any(group.rings or group.lines for group in groups):
        raise KilnError("There is nothing to write: the lettering draws nothing.")
    write_whole(path, write(job.name, groups, words))
    return words


def _groups(job: Job, order: OutlineOrder) -> tuple[list[_Group], str]:
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
        if order.lines and laid.outline.lines:
            lines = [flat.points(copy) for line in laid.outline.lines for copy in laid.placing.lines(line)]
            groups.append(_Group(name, [], lines))
        elif order.letters and laid.outline.letters:
            wording = job.letterings[index].content
            assert isinstance(wording, Wording)
            for number, letter in enumerate(laid.outline.letters, start=1):
                region, _ = reshaped(letter.region, wording)
                rings = rings_on(laid.placing.region(region))
                groups.append(_Group(f"{name}: {number} {letter.character}", rings, []))
        else:
            for layer in laid.layers:
                kind = "" if len(laid.layers) == 1 else f" {layer.layer.kind}"
                groups.append(_Group(name + kind, rings_on(layer.region), []))
    return groups, flats[0].words


def _svg(title: str, groups: list[_Group], words: str) -> bytes:
    """SVG 1.1 whose user unit is a mm; y runs down."""
    points = np.concatenate([p for group in groups for p in (*group.rings, *group.lines)])
    left, low = points.min(axis=0)
    right, high = points.max(axis=0)
    width, height = right - left, high - low
    parts = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{width:.{DIGITS}f}mm" height="{height:.{DIGITS}f}mm" '
        f'viewBox="{left:.{DIGITS}f} {-high:.{DIGITS}f} {width:.{DIGITS}f} {height:.{DIGITS}f}">',
        f"<title>{escape(title)}</title>",
        f"<desc>{escape(words)}</desc>",
    ]
    for number, group in enumerate(groups, start=1):
        parts.append(f'<g id="part{number}" aria-label={quoteattr(group.name)}>')
        if group.rings:
            d = "".join(_path(ring) + "Z" for ring in group.rings)
            parts.append(f'<path fill="#000000" fill-rule="nonzero" stroke="none" d="{d}"/>')
        for line in group.lines:
            parts.append(f'<path fill="none" stroke="#000000" stroke-width="0.1" d="{_path(line)}"/>')
        parts.append("</g>")
    parts.append("</svg>")
    return "\n".join(parts).encode()


def _path(points: Array) -> str:
    return "M" + "L".join(f"{x:.{DIGITS}f} {-y:.{DIGITS}f}" for x, y in points)


def _dxf(title: str, groups: list[_Group], words: str) -> bytes:
    """DXF R2010 in mm, a layer for each group."""
    from ezdxf import units
    from ezdxf._options import options
    from ezdxf.document import Drawing

    options.write_fixed_meta_data_for_testing = True  # no date, no random number: the same bytes
    document = Drawing.new("R2010")
    document.header.custom_vars.append("Pattern", words)
    document.units = units.MM
    space = document.modelspace()
    for number, group in enumerate(groups, start=1):
        layer = f"PART{number}"
        document.layers.add(layer).description = group.name[:250]
        for ring in group.rings:
            space.add_lwpolyline(ring.tolist(), close=True, dxfattribs={"layer": layer})
        for line in group.lines:
            space.add_lwpolyline(line.tolist(), close=False, dxfattribs={"layer": layer})
    for name in sorted(document.entitydb.dxf_types_in_use()):
        document.classes.add_class(name)  # by name: otherwise in an order that differs from run to run
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode(document.output_encoding, errors="dxfreplace")


FORMATS: dict[str, Callable[[str, list[_Group], str], bytes]] = {".svg": _svg, ".dxf": _dxf}
OUTLINE_ENDINGS = tuple(FORMATS)
