"""A drawing at 1:1 over as many pages as it takes: they overlap, marks on them meet, and a bar of 100 mm on
each says whether the printer kept to size."""

from __future__ import annotations

import math

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.paper.marks import (
    INK,
    PALE,
    PENCIL,
    Area,
    Block,
    Drawing,
    Line,
    Mark,
    Page,
    Placing,
    Shown,
    Words,
    circle,
    rectangle,
)
from kilnchisel.core.handover.paper.sheets import EDGE_MM, SMALL_MM, Paper

OVERLAP_MM = 15.0
STRIP_MM = 8.0  # at the foot of a page, for the bar and words
BAR_MM = 100.0
CROSS_MM = 4.0
ROUND_MM = 10.0  # paper round a drawing
MOST_PAGES = 400


def tiled(
    drawing: Drawing, paper: Paper, words: str, box: tuple[float, float, float, float] | None = None
) -> list[Page]:
    """The pages of a drawing, or of a box of it, row by row from the upper left; turned so that they are
    fewest. Raises KilnError where there would be too many."""
    left, low, right, high = box or drawing.box()
    wide, tall = right - left, high - low
    sizes = [(paper.wide_mm, paper.tall_mm), (paper.tall_mm, paper.wide_mm)]
    across, upright = min(sizes, key=lambda size: math.prod(_counts(size, wide, tall)))
    columns, rows = _counts((across, upright), wide, tall)
    if columns * rows > MOST_PAGES:
        raise KilnError(
            f"At 1:1 it takes {columns * rows} pages; choose a larger paper, or one whole page."
        )
    net_x, net_y = across - 2 * EDGE_MM, upright - 2 * EDGE_MM - STRIP_MM
    step_x, step_y = net_x - OVERLAP_MM, net_y - OVERLAP_MM
    # in the middle of all pages together
    start = left - (columns * step_x + OVERLAP_MM - wide) / 2
    top = high + (rows * step_y + OVERLAP_MM - tall) / 2
    marks, boxes = drawing.marks(), _boxes(drawing.marks())
    pages = []
    for row in range(rows):
        for column in range(columns):
            x, y = start + column * step_x, top - row * step_y - net_y
            shift = (EDGE_MM - x, EDGE_MM + STRIP_MM - y)
            shown = shapely.box(x, y, x + net_x, y + net_y)
            here = [
                cut.moved(Placing(shift=shift))
                for mark, box in zip(marks, boxes, strict=True)
                if shapely.intersects(box, shown)
                for cut in _cut(mark, shown)
            ]
            name = f"{_letter(row)}{column + 1}"
            said = f"{words}: part {name} of {rows} rows by {columns} columns, at 1:1."
            guides = _guides(across, upright, row, column, rows, columns)
            foot = _foot(across, f"{words} · {name} of {_letter(rows - 1)}{columns}")
            pages.append(
                Page(
                    across, upright, (Block("Figure", tuple(here), said=said), Block("", (*guides, *foot)))
                )
            )
    return pages


def whole(drawing: Drawing, words: str) -> Page:
    """A drawing at 1:1 on one page as large as it takes."""
    left, low, right, high = drawing.box()
    wide = max(right - left, BAR_MM + 60.0) + 2 * ROUND_MM
    tall = high - low + 2 * ROUND_MM + STRIP_MM
    to = Placing(shift=(ROUND_MM - left, ROUND_MM + STRIP_MM - low))
    return Page(
        wide,
        tall,
        (
            Block("Figure", drawing.marks(to), said=f"{words}, at 1:1."),
            Block("", tuple(_foot(wide, words, ROUND_MM / 2))),
        ),
    )


def _counts(size: tuple[float, float], wide: float, tall: float) -> tuple[int, int]:
    net_x, net_y = size[0] - 2 * EDGE_MM, size[1] - 2 * EDGE_MM - STRIP_MM
    return (
        max(1, math.ceil((wide - OVERLAP_MM) / (net_x - OVERLAP_MM))),
        max(1, math.ceil((tall - OVERLAP_MM) / (net_y - OVERLAP_MM))),
    )


def _letter(row: int) -> str:
    return chr(ord("A") + row) if row < 26 else f"A{chr(ord('A') + row - 26)}"


def _boxes(marks: tuple[Mark, ...]) -> list[shapely.Geometry]:
    found = []
    for mark in marks:
        if isinstance(mark, Words):
            found.append(shapely.Point(mark.at).buffer(mark.size_mm))
        elif isinstance(mark, Shown):
            found.append(shapely.box(*mark.box))
        else:
            points = np.concatenate(mark.rings) if isinstance(mark, Area) else mark.points
            (left, low), (right, high) = points.min(axis=0), points.max(axis=0)
            found.append(shapely.box(left - 0.5, low - 0.5, right + 0.5, high + 0.5))
    return found


def _cut(mark: Mark, shown: shapely.Polygon) -> list[Mark]:
    """What of a mark is on a page."""
    if isinstance(mark, Words):
        return [mark] if shapely.contains_xy(shown, *mark.at) else []
    if isinstance(mark, Shown):
        return [mark]
    if isinstance(mark, Area):
        return _cut_area(mark, shown)
    points = np.concatenate([mark.points, mark.points[:1]]) if mark.closed else np.asarray(mark.points)
    line = shapely.LineString(points)
    if shapely.contains_properly(shown, line):
        return [mark]
    parts = shapely.get_parts(shapely.line_merge(shapely.intersection(line, shown)))
    return [
        Line(np.asarray(part.coords), mark.width_mm, mark.colour, mark.dash)
        for part in parts
        if part.geom_type == "LineString"
    ]


def _cut_area(mark: Area, shown: shapely.Polygon) -> list[Mark]:
    from kilnchisel.core.lettering.polygons import fill_nonzero, rings_of

    kept = shapely.intersection(fill_nonzero(list(mark.rings)), shown)
    rings = tuple(rings_of(kept))
    return [Area(rings, mark.colour)] if rings else []


def _guides(across: float, upright: float, row: int, column: int, rows: int, columns: int) -> list[Mark]:
    """The edge up to which a page is cut where the next goes on it, and crosses that meet those of its
    neighbours."""
    left, low, right, high = EDGE_MM, EDGE_MM + STRIP_MM, across - EDGE_MM, upright - EDGE_MM
    marks: list[Mark] = [Line(rectangle(left, low, right, high), 0.15, PALE, closed=True)]
    half = OVERLAP_MM / 2
    for x, there in ((left + half, column > 0), (right - half, column < columns - 1)):
        for y in (low + (high - low) / 4, low + 3 * (high - low) / 4):
            marks += _cross(x, y) if there else []
    for y, there in ((low + half, row < rows - 1), (high - half, row > 0)):
        for x in (left + (right - left) / 4, left + 3 * (right - left) / 4):
            marks += _cross(x, y) if there else []
    return marks


def _cross(x: float, y: float) -> list[Mark]:
    reach = CROSS_MM
    return [
        Line(np.array([[x - reach, y], [x + reach, y]]), 0.15, INK),
        Line(np.array([[x, y - reach], [x, y + reach]]), 0.15, INK),
        Line(circle((x, y), reach / 2), 0.15, INK, closed=True),
    ]


def _foot(across: float, words: str, low: float = EDGE_MM) -> list[Mark]:
    """The bar of 100 mm, and which page it is."""
    y, left = low + 3.0, EDGE_MM
    end = left + BAR_MM
    bar: list[Mark] = [Line(np.array([[left, y], [end, y]]), 0.25, INK)]
    for step in range(11):
        tall = 2.0 if step % 5 == 0 else 1.2
        x = left + 10.0 * step
        bar.append(Line(np.array([[x, y], [x, y + tall]]), 0.2, INK))
    return [
        *bar,
        Words((left, low - 0.6), "100 mm", SMALL_MM, colour=PENCIL),
        Words((across - EDGE_MM, low - 0.6), words, SMALL_MM, colour=PENCIL, align="right"),
    ]
