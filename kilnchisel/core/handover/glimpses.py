"""What of a job a kind of hand-over gives, as a small drawing: this lettering on this side, as a plotter, a
laser, a bender has it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.handover.paper.marks import (
    CLAY,
    GLAZE,
    INK,
    PALE,
    PENCIL,
    Area,
    Colour,
    Drawing,
    Line,
    Mark,
    Placing,
    box_of,
    circle,
    rectangle,
)
from kilnchisel.core.handover.sideviews import SideView

Array = NDArray[Any]

PAPER, GREY, STEEL, BOARD = "#fffdf8", "#b9b4aa", "#8f9aa3", "#c9a878"
NORMAL, DEEP = "#8080ff", "#101010"
NEAR, LARGE = 0.12, 0.8  # round the letters, of their extent; of a side, so that it is shown whole
ALL_ROUND = 0.14  # of a side's shorter extent: paper round it


def glimpse(kind: str, view: SideView) -> Drawing:
    """The small drawing of a kind, in the side's own mm; of one that is a picture the piece as it is."""
    return DRAWN.get(kind, _as_it_is)(_nearer(view))


def _nearer(view: SideView) -> SideView:
    """The side near its letters, where it is much larger than they are."""
    letters = [mark for mark in view.drawing.layers.get("letters", []) if isinstance(mark, Area)]
    if not letters:
        return view
    low_x, low_y, high_x, high_y = box_of(letters)
    left, low, right, high = view.box
    room = NEAR * max(high_x - low_x, high_y - low_y)
    near = (
        max(left, low_x - room),
        max(low, low_y - room),
        min(right, high_x + room),
        min(high, high_y + room),
    )
    if near[2] - near[0] > LARGE * (right - left) and near[3] - near[1] > LARGE * (high - low):
        return view
    ground = [
        Area((rectangle(*near),), mark.colour)
        for mark in view.drawing.layers["side"]
        if isinstance(mark, Area)
    ]
    drawing = Drawing({"side": list(ground), "letters": view.drawing.layers["letters"]})
    return replace(view, drawing=drawing)


def _box(view: SideView, more: float = ALL_ROUND) -> tuple[float, float, float, float]:
    left, low, right, high = view.box
    edge = more * min(right - left, high - low)
    return left - edge, low - edge, right + edge, high + edge


def _letters(view: SideView, colour: Colour | None) -> list[Mark]:
    """The letters' areas in one colour, or as they are."""
    areas = [mark for mark in view.drawing.layers.get("letters", []) if not isinstance(mark, Line)]
    if colour is None:
        return list(areas)
    return [Area(mark.rings, colour) for mark in areas if isinstance(mark, Area)]


def _outlines(view: SideView, colour: Colour, width: float = 0.0) -> list[Mark]:
    thin = width or 0.006 * max(view.box[2] - view.box[0], view.box[3] - view.box[1])
    areas = [mark for mark in view.drawing.layers.get("letters", []) if isinstance(mark, Area)]
    return [Line(ring, thin, colour, closed=True) for area in areas for ring in area.rings]


def _ground(view: SideView, colour: Colour) -> list[Mark]:
    return [Area(mark.rings, colour) for mark in view.drawing.layers["side"] if isinstance(mark, Area)]


def _as_it_is(view: SideView) -> Drawing:
    return Drawing({"all": [*view.drawing.layers["side"], *_letters(view, None)]})


def _sheet_of_paper(marks: list[Mark], view: SideView) -> Drawing:
    left, low, right, high = _box(view)
    return Drawing({"all": [Area((rectangle(left, low, right, high),), PAPER), *marks]})


def _maps(view: SideView) -> Drawing:
    """Left of the middle the colours, right of it the normals."""
    left, low, right, high = view.box
    drawing = _as_it_is(view)
    middle = (left + right) / 2
    drawing.add("all", Area((rectangle(middle, low, right, high),), NORMAL))
    drawing.add("all", *_outlines(view, "#b060d0"))
    return drawing


def _plotter(view: SideView) -> Drawing:
    return _sheet_of_paper(_outlines(view, CLAY), view)


def _printed(view: SideView) -> Drawing:
    left, low, right, high = _box(view, 0.05)
    reach = 0.05 * max(right - left, high - low)
    marks: list[Mark] = [*_letters(view, None)]
    for x in (left, right):
        for y in (low, high):
            marks.append(Line(np.array([[x - reach, y], [x + reach, y]]), 0.1 * reach, INK))
            marks.append(Line(np.array([[x, y - reach], [x, y + reach]]), 0.1 * reach, INK))
    return _sheet_of_paper(marks, view)


def _laser(view: SideView) -> Drawing:
    return _sheet_of_paper([*_letters(view, INK), *_outlines(view, CLAY)], view)


def _die(view: SideView) -> Drawing:
    plain = Drawing({"all": [*_ground(view, STEEL), *_letters(view, "#e6e9ec")]})
    left, _, right, _ = view.box
    return Drawing({"all": list(plain.marks(Placing(shift=(left + right, 0.0), mirrored=True)))})


def _bending(view: SideView) -> Drawing:
    left, _, right, _ = view.box
    marks = Drawing({"all": _outlines(view, INK)}).marks(Placing(shift=(left + right, 0.0), mirrored=True))
    return _sheet_of_paper(list(marks), view)


def _holes(view: SideView) -> Drawing:
    left, low, right, high = view.box
    size = 0.04 * max(right - left, high - low)
    marks = _outlines(view, PALE)
    for x in (left + (right - left) * k / 4 for k in (1, 2, 3)):
        at = np.array([x, (low + high) / 2])
        marks += [
            Line(circle(at, size), 0.2 * size, INK, closed=True),
            Line(at + np.array([[-2 * size, 0], [2 * size, 0]]), 0.1 * size, INK),
            Line(at + np.array([[0, -2 * size], [0, 2 * size]]), 0.1 * size, INK),
        ]
    return _sheet_of_paper(marks, view)


def _stitched(view: SideView) -> Drawing:
    """Letters in slanting rows of thread."""
    marks: list[Mark] = list(_ground(view, "#39434f"))
    left, low, right, high = view.box
    step = max(0.012 * (right - left), 1e-6)
    inked = _letters(view, "#efe6cf")
    marks += inked
    for k in range(int((right - left + high - low) / step)):
        x = left - (high - low) + k * step
        line = np.array([[x, low], [x + 0.3 * (high - low), high]])
        marks.append(Line(line, 0.1 * step, "#39434f"))
    return Drawing({"all": marks})


def _page(view: SideView, *, lines: int, signed: bool) -> Drawing:
    """A page with the piece at its head and lines of words below."""
    left, low, right, high = view.box
    wide, tall = right - left, high - low
    size = max(wide, tall * 0.7)
    step = 0.12 * size
    top = high + 0.12 * size
    foot = low - step * (lines + 1.5)
    middle = (left + right) / 2
    paper = rectangle(middle - 0.62 * size, foot, middle + 0.62 * size, top)
    marks: list[Mark] = [Area((paper,), PAPER), Line(paper, 0.01 * size, PALE, closed=True)]
    marks += [*view.drawing.layers["side"], *_letters(view, None)]
    for k in range(lines):
        y = low - step * (k + 1)
        end = 0.5 if k % 2 == 0 else 0.22
        line = np.array([[middle - 0.5 * size, y], [middle + end * size, y]])
        marks.append(Line(line, 0.03 * size, PALE))
    if signed:
        x = middle + 0.1 * size
        y = foot + 0.35 * step
        wave = np.linspace(0, 4 * np.pi, 40)
        name = np.stack([x + wave * 0.025 * size, y + 0.04 * size * (1 + np.sin(wave))], axis=1)
        marks.append(Line(name, 0.015 * size, GLAZE))
    return Drawing({"all": marks})


DRAWN: dict[str, Callable[[SideView], Drawing]] = {
    "proof": lambda view: _page(view, lines=3, signed=True),
    "solid": lambda view: Drawing({"all": [*_ground(view, GREY), *_letters(view, PENCIL)]}),
    "print": lambda view: Drawing({"all": [*_ground(view, "#d9d4c8"), *_letters(view, CLAY)]}),
    "maps": _maps,
    "outline": lambda view: _sheet_of_paper(_letters(view, INK), view),
    "plotter": _plotter,
    "sheet": _printed,
    "router": lambda view: Drawing({"all": [*_ground(view, BOARD), *_letters(view, "#7a5a34")]}),
    "laser": _laser,
    "die": _die,
    "work-sheet": lambda view: _page(view, lines=5, signed=False),
    "holes": _holes,
    "bending": _bending,
    "stitches": _stitched,
}
