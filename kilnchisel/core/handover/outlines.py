"""The flat lettering as vectors: SVG and DXF in mm, welded or letter by letter.

Everything lies where it lies on the side's sheet, so that letterings of one side keep their places to
each other. Curves are straight pieces within the lettering's own tolerance.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.file import write_whole
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words import one_line
from kilnchisel.core.lettering.outline import reshaped
from kilnchisel.core.lettering.polygons import rings_of

Array = NDArray[Any]

OUTLINE_ENDINGS = (".svg", ".dxf")
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
    """A named set of closed rings and open lines on the sheet, mm."""

    name: str
    rings: list[Array]
    lines: list[Array]


def write_outline(job: Job, path: Path, order: OutlineOrder | None = None) -> None:
    """Write the flat lettering; the ending decides the format. Raises KilnError."""
    ending = path.suffix.lower()
    if ending not in OUTLINE_ENDINGS:
        raise KilnError(f"“{path.name}” should end in .svg or .dxf to say which format is wanted.")
    groups = _groups(job, order or OutlineOrder())
    if not any(group.rings or group.lines for group in groups):
        raise KilnError("There is nothing to write: the lettering draws nothing.")
    write_whole(path, _svg(job.name, groups) if ending == ".svg" else _dxf(groups))


def _groups(job: Job, order: OutlineOrder) -> list[_Group]:
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
    for index in chosen:
        laid = lettering_laid(job, index)
        name = f"{index + 1} {one_line(job.letterings[index])}"
        if order.lines and laid.outline.lines:
            lines = [copy for line in laid.outline.lines for copy in laid.placing.lines(line)]
            groups.append(_Group(name, [], lines))
        elif order.letters and laid.outline.letters:
            wording = job.letterings[index].wording
            assert isinstance(wording, Wording)
            for number, letter in enumerate(laid.outline.letters, start=1):
                region, _ = reshaped(letter.region, wording)
                rings = rings_of(laid.placing.region(region))
                groups.append(_Group(f"{name}: {number} {letter.character}", rings, []))
        else:
            for layer in laid.layers:
                kind = "" if len(laid.layers) == 1 else f" {layer.layer.kind}"
                groups.append(_Group(name + kind, rings_of(layer.region), []))
    return groups


def _svg(title: str, groups: list[_Group]) -> bytes:
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


def _dxf(groups: list[_Group]) -> bytes:
    from ezdxf import units
    from ezdxf.document import Drawing

    document = Drawing.new("R2010")
    document.units = units.MM
    space = document.modelspace()
    for number, group in enumerate(groups, start=1):
        layer = f"PART{number}"
        document.layers.add(layer).description = group.name[:250]
        for ring in group.rings:
            space.add_lwpolyline(ring.tolist(), close=True, dxfattribs={"layer": layer})
        for line in group.lines:
            space.add_lwpolyline(line.tolist(), close=False, dxfattribs={"layer": layer})
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode(document.output_encoding, errors="dxfreplace")
