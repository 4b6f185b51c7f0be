"""Lines in mm as vector files: SVG, and DXF. Curves are straight pieces."""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass, field
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.handover.paper.marks import Area, Colour, Drawing, Line, Mark, Shown, Spot, Words

Array = NDArray[Any]

DIGITS = 5  # of a mm: a hundredth of a micron
DXF_DIGITS = 8  # what is read back is what was written
CAPITALS = 0.7  # of the size of words


@dataclass(frozen=True)
class Label:
    """A line of words, flat mm: where its baseline begins, ends or has its middle."""

    at: tuple[float, float]
    text: str
    size_mm: float
    align: str = "left"


@dataclass(frozen=True, eq=False)
class Group:
    """A named set of closed rings, open lines and words, flat mm. ``under``: others lie on its area, so
    that it is drawn by its edge: filled, it would hide them from who looks at the file. ``tone``: of its
    areas, so that those which lie side by side are told apart."""

    name: str
    rings: list[Array]
    lines: list[Array]
    labels: list[Label] = field(default_factory=list)
    under: bool = False
    tone: str = "#000000"


def groups_of(drawing: Drawing) -> list[Group]:
    """A drawing on paper as vectors, a group for each of its layers; areas by their rims."""
    found = []
    for name, marks in drawing.layers.items():
        lines = [mark for mark in marks if isinstance(mark, Line) and len(mark.points) > 1]
        rings = [mark.points for mark in lines if mark.closed]
        rings += [ring for mark in marks if isinstance(mark, Area) for ring in mark.rings]
        words = [mark for mark in marks if isinstance(mark, Words)]
        labels = [Label(mark.at, mark.text, mark.size_mm, mark.align) for mark in words]
        found.append(Group(name, rings, [mark.points for mark in lines if not mark.closed], labels))
    return found


HAIRLINE = 'fill="none" stroke="#000000" stroke-width="0.1"'


def svg_of(title: str, groups: list[Group], words: str) -> bytes:
    """SVG 1.1 whose user unit is a mm; y runs down."""
    points = np.concatenate([p for group in groups for p in (*group.rings, *group.lines)])
    left, low = points.min(axis=0)
    right, high = points.max(axis=0)
    parts = _svg_head(title, words, (left, low, right, high))
    for number, group in enumerate(groups, start=1):
        parts.append(f'<g id="part{number}" aria-label={quoteattr(group.name)}>')
        if group.rings:
            d = "".join(_path(ring) + "Z" for ring in group.rings)
            ink = HAIRLINE if group.under else f'fill="{group.tone}" fill-rule="nonzero" stroke="none"'
            parts.append(f'<path {ink} d="{d}"/>')
        for line in group.lines:
            parts.append(f'<path {HAIRLINE} d="{_path(line)}"/>')
        parts.append("</g>")
    parts.append("</svg>")
    return "\n".join(parts).encode()


def coloured_svg(title: str, drawing: Drawing, words: str) -> bytes:
    """A drawing on paper as SVG 1.1 in its colours, a group for each layer; a user unit is a mm, y runs
    down."""
    left, low, right, high = drawing.box()
    parts = _svg_head(title, words, (left, low, right, high))
    for name, marks in drawing.layers.items():
        parts.append(f"<g id={quoteattr(name.replace(' ', '-'))} aria-label={quoteattr(name)}>")
        parts += [_svg_mark(mark) for mark in marks]
        parts.append("</g>")
    return "\n".join([*parts, "</svg>"]).encode()


def _svg_mark(mark: Mark) -> str:
    if isinstance(mark, Words):
        anchor = {"left": "start", "middle": "middle", "right": "end"}[mark.align]
        return (
            f'<text x="{mark.at[0]:.{DIGITS}f}" y="{-mark.at[1]:.{DIGITS}f}" font-size="{mark.size_mm}" '
            f'text-anchor="{anchor}" fill="{_shown(mark.colour)}">{escape(mark.text)}</text>'
        )
    if isinstance(mark, Shown):
        left, low, right, high = mark.box
        file = io.BytesIO()
        Image.fromarray(mark.pixels).save(file, "PNG")
        data = base64.b64encode(file.getvalue()).decode()
        place = f'x="{left:.{DIGITS}f}" y="{-high:.{DIGITS}f}"'
        size = f'width="{right - left:.{DIGITS}f}" height="{high - low:.{DIGITS}f}"'
        return f'<image {place} {size} preserveAspectRatio="none" href="data:image/png;base64,{data}"/>'
    if isinstance(mark, Area):
        d = "".join(_path(ring) + "Z" for ring in mark.rings)
        return f'<path fill="{_shown(mark.colour)}" fill-rule="nonzero" stroke="none" d="{d}"/>'
    dash = f' stroke-dasharray="{" ".join(f"{v:g}" for v in mark.dash)}"' if mark.dash else ""
    return (
        f'<path fill="none" stroke="{_shown(mark.colour)}" stroke-width="{mark.width_mm:g}"{dash} '
        f'd="{_path(mark.points)}{"Z" if mark.closed else ""}"/>'
    )


def _shown(colour: Colour) -> str:
    return colour.colour if isinstance(colour, Spot) else colour


def _svg_head(title: str, words: str, box: tuple[float, float, float, float]) -> list[str]:
    left, low, right, high = box
    width, height = right - left, high - low
    return [
        '<?xml version="1.0" encoding="UTF-8"?>',
        '<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{width:.{DIGITS}f}mm" height="{height:.{DIGITS}f}mm" '
        f'viewBox="{left:.{DIGITS}f} {-high:.{DIGITS}f} {width:.{DIGITS}f} {height:.{DIGITS}f}">',
        f"<title>{escape(title)}</title>",
        f"<desc>{escape(words)}</desc>",
    ]


def _path(points: Array) -> str:
    flat = (points * (1.0, -1.0)).ravel().tolist()
    one = f"%.{DIGITS}f %.{DIGITS}f"
    return "M" + "L".join([one] * len(points)) % tuple(flat)


class _Vertices:
    """The points of a polyline as the DXF library asks for them, written at once: tag by tag it takes two
    thirds of all the time."""

    def __init__(self, points: Array) -> None:
        self._points = np.round(points, DXF_DIGITS)

    def __len__(self) -> int:
        return len(self._points)

    def dxftags(self) -> list[_Vertices]:
        """All of them as one tag."""
        return [self]

    def dxfstr(self) -> str:
        """Group codes 10 and 20, x and y, of every point."""
        return " 10\n%s\n 20\n%s\n" * len(self) % tuple(self._points.ravel().tolist())


def dxf_of(title: str, groups: list[Group], words: str) -> bytes:
    """DXF R2010 in mm, a layer for each group."""
    from ezdxf import units
    from ezdxf._options import options
    from ezdxf.document import Drawing as Document
    from ezdxf.enums import TextEntityAlignment as Aligned

    options.write_fixed_meta_data_for_testing = True  # no date, no random number: the same bytes
    aligned = {"left": Aligned.LEFT, "middle": Aligned.CENTER, "right": Aligned.RIGHT}
    document = Document.new("R2010")
    document.header.custom_vars.append("Pattern", words)
    document.units = units.MM
    space = document.modelspace()
    for number, group in enumerate(groups, start=1):
        layer = f"PART{number}"
        document.layers.add(layer).description = group.name[:250]
        closed = (*((ring, True) for ring in group.rings), *((line, False) for line in group.lines))
        for points, close in closed:
            line = space.add_lwpolyline([], close=close, dxfattribs={"layer": layer})
            line.lwpoints = _Vertices(points)
        for label in group.labels:
            put = space.add_text(label.text, height=CAPITALS * label.size_mm, dxfattribs={"layer": layer})
            put.set_placement(label.at, align=aligned[label.align])
    for name in sorted(document.entitydb.dxf_types_in_use()):
        document.classes.add_class(name)  # by name: otherwise in an order that differs from run to run
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode(document.output_encoding, errors="dxfreplace")
