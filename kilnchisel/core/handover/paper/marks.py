"""What is drawn on paper, in mm, y up: lines, areas, words and pictures, in the order they lie.

A mark says where it is and how it looks; nothing of how it is written. ``moved`` brings a mark elsewhere.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

INK, PENCIL, PALE, CLAY, GLAZE, BRICK = "#26221d", "#6b6257", "#d9d0c1", "#b5502b", "#1f7a74", "#a3282b"


@dataclass(frozen=True)
class Spot:
    """A named colour of its own plate, shown as ``colour``."""

    name: str
    colour: str


Colour = str | Spot


@dataclass(frozen=True)
class Placing:
    """Where marks go: mirrored left to right, scaled, then shifted, mm."""

    scale: float = 1.0
    shift: tuple[float, float] = (0.0, 0.0)
    mirrored: bool = False

    def points(self, points: Array) -> Array:
        """Points (n, 2) there."""
        return np.asarray(points) * (-self.scale if self.mirrored else self.scale, self.scale) + self.shift


@dataclass(frozen=True, eq=False)
class Line:
    """A line through points (n, 2)."""

    points: Array
    width_mm: float = 0.25
    colour: Colour = INK
    dash: tuple[float, ...] = ()
    closed: bool = False

    def moved(self, to: Placing) -> Line:
        return replace(self, points=to.points(self.points))


@dataclass(frozen=True, eq=False)
class Area:
    """What rings (n, 2) enclose, by the non-zero rule."""

    rings: tuple[Array, ...]
    colour: Colour

    def moved(self, to: Placing) -> Area:
        return replace(self, rings=tuple(to.points(ring) for ring in self.rings))


@dataclass(frozen=True)
class Words:
    """One line of words; ``at``: the start, middle or end of its baseline. Their size is that of the page
    they are on: it is not scaled."""

    at: tuple[float, float]
    text: str
    size_mm: float = 3.2
    bold: bool = False
    colour: Colour = INK
    align: Literal["left", "middle", "right"] = "left"
    turn_deg: float = 0.0

    def moved(self, to: Placing) -> Words:
        x, y = to.points(np.array([self.at]))[0]
        return replace(self, at=(float(x), float(y)))


@dataclass(frozen=True, eq=False)
class Shown:
    """A picture in a box: pixels (h, w, 3 or 4) uint8; left, low, right, high."""

    pixels: Array
    box: tuple[float, float, float, float]

    def moved(self, to: Placing) -> Shown:
        (left, low), (right, high) = to.points(np.array(self.box).reshape(2, 2))
        return replace(self, box=(min(left, right), low, max(left, right), high))


Mark = Line | Area | Words | Shown


@dataclass(frozen=True)
class Block:
    """A part of a page for whoever has it read aloud: ``tag`` is a standard structure type of PDF (ISO
    32000-1, 14.8.4: H1, H2, P, Figure, Table, TR, TH, TD), ``said`` what stands for a figure. Empty: marks
    that say nothing (rules, borders)."""

    tag: str
    marks: tuple[Mark, ...] = ()
    parts: tuple[Block, ...] = ()
    said: str = ""


@dataclass(frozen=True)
class Page:
    """A page of a size in mm, its trimmed box and how far ink bleeds beyond that."""

    wide_mm: float
    tall_mm: float
    blocks: tuple[Block, ...]
    trim: tuple[float, float, float, float] | None = None
    bleed_mm: float = 0.0


@dataclass
class Drawing:
    """Marks in named layers, in its own mm."""

    layers: dict[str, list[Mark]] = field(default_factory=dict)

    def add(self, layer: str, *marks: Mark) -> None:
        """More marks on a layer, on top of what is there."""
        self.layers.setdefault(layer, []).extend(marks)

    def marks(self, to: Placing | None = None) -> tuple[Mark, ...]:
        """All its marks, the first layer lowest, where they are brought to."""
        to = to or Placing()
        return tuple(mark.moved(to) for marks in self.layers.values() for mark in marks)

    def box(self) -> tuple[float, float, float, float]:
        """What it takes: left, low, right, high, mm; words count with where they begin."""
        return box_of(mark for marks in self.layers.values() for mark in marks)


def box_of(marks: Iterable[Mark]) -> tuple[float, float, float, float]:
    """Left, low, right, high of marks."""
    points = np.concatenate([_corners(mark) for mark in marks] or [np.zeros((1, 2))])
    (left, low), (right, high) = points.min(axis=0), points.max(axis=0)
    return float(left), float(low), float(right), float(high)


def _corners(mark: Mark) -> Array:
    if isinstance(mark, Line):
        return np.asarray(mark.points)
    if isinstance(mark, Area):
        return np.concatenate(mark.rings)
    if isinstance(mark, Words):
        return np.array([mark.at])
    return np.array(mark.box).reshape(2, 2)


def circle(at: Any, radius: float, sides: int = 32) -> Array:
    """A ring round a point."""
    turn = np.linspace(0, 2 * math.pi, sides, endpoint=False)
    return np.asarray(at) + radius * np.stack([np.cos(turn), np.sin(turn)], axis=1)


def rectangle(left: float, low: float, right: float, high: float) -> Array:
    """A ring of four corners."""
    return np.array([[left, low], [right, low], [right, high], [left, high]])
