"""The points by which a photo tells where its camera stood: where they are, one of them moved, what to
begin with, and a grid that shows what was found."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.photo import Horizon, Oval, Parallels, Rectangle, Rims, Spot, Told
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.photo.stood import Stood

Array = NDArray[Any]

WAYS = ("along", "upright", "away")


@by_kind(Told)
def marks_of(told: Any) -> tuple[Spot, ...]:
    """The points that can be moved, pixels of the photo."""
    raise NotImplementedError


@by_kind(Told)
def with_mark(told: Any, number: int, spot: Spot) -> Any:
    """What is told with one of these points moved."""
    raise NotImplementedError


@by_kind(Told)
def lines_of(told: Any) -> tuple[tuple[int, int], ...]:
    """Which of these points a line joins, to be seen."""
    raise NotImplementedError


@marks_of.of(Rectangle)
def _corners(told: Rectangle) -> tuple[Spot, ...]:
    return told.corners


@with_mark.of(Rectangle)
def _with_corner(told: Rectangle, number: int, spot: Spot) -> Rectangle:
    corners = (*told.corners[:number], spot, *told.corners[number + 1 :])
    return told.model_copy(update={"corners": corners})


@lines_of.of(Rectangle)
def _sides(_: Rectangle) -> tuple[tuple[int, int], ...]:
    return (0, 1), (1, 2), (2, 3), (3, 0)


@marks_of.of(Horizon)
def _horizon(told: Horizon) -> tuple[Spot, ...]:
    return (*told.line, told.below)


@with_mark.of(Horizon)
def _with_horizon(told: Horizon, number: int, spot: Spot) -> Horizon:
    if number == 2:
        return told.model_copy(update={"below": spot})
    line = (spot, told.line[1]) if number == 0 else (told.line[0], spot)
    return told.model_copy(update={"line": line})


@lines_of.of(Horizon)
def _level(_: Horizon) -> tuple[tuple[int, int], ...]:
    return ((0, 1),)


@marks_of.of(Parallels)
def _ends(told: Parallels) -> tuple[Spot, ...]:
    lines = [line for way in WAYS for line in getattr(told, way)]
    return tuple(spot for line in (*lines, told.measured) for spot in line)


@with_mark.of(Parallels)
def _with_end(told: Parallels, number: int, spot: Spot) -> Parallels:
    at, end = divmod(number, 2)
    for way in WAYS:
        lines = getattr(told, way)
        if at < len(lines):
            line = (spot, lines[at][1]) if end == 0 else (lines[at][0], spot)
            return told.model_copy(update={way: (*lines[:at], line, *lines[at + 1 :])})
        at -= len(lines)
    measured = (spot, told.measured[1]) if end == 0 else (told.measured[0], spot)
    return told.model_copy(update={"measured": measured})


@lines_of.of(Parallels)
def _drawn(told: Parallels) -> tuple[tuple[int, int], ...]:
    return tuple((2 * n, 2 * n + 1) for n in range(len(_ends(told)) // 2))


@marks_of.of(Rims)
def _ovals(told: Rims) -> tuple[Spot, ...]:
    found: list[Spot] = []
    for oval in (told.rim, told.foot):
        along, across = _axes(oval)
        middle = np.array(oval.middle)
        ends = middle, middle + oval.long_px * along, middle + oval.short_px * across
        found += [(float(x), float(y)) for x, y in ends]
    return tuple(found)


@with_mark.of(Rims)
def _with_oval(told: Rims, number: int, spot: Spot) -> Rims:
    name, part = ("rim", number) if number < 3 else ("foot", number - 3)
    oval: Oval = getattr(told, name)
    if part == 0:
        return told.model_copy(update={name: oval.model_copy(update={"middle": spot})})
    away = np.array(spot) - oval.middle
    long_px = max(float(np.linalg.norm(away)), 1.0)
    if part == 1:
        turn = float(np.degrees(np.arctan2(away[1], away[0])))
        made = {"long_px": long_px, "turn_deg": round(turn, 3)}
    else:
        made = {"short_px": max(abs(float(away @ _axes(oval)[1])), 1.0)}
    return told.model_copy(update={name: oval.model_copy(update=made)})


@lines_of.of(Rims)
def _no_lines(_: Rims) -> tuple[tuple[int, int], ...]:
    return ((0, 1), (0, 2), (3, 4), (3, 5))


def _axes(oval: Oval) -> tuple[Array, Array]:
    turn = np.radians(oval.turn_deg)
    return np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])


def beginning(kind: str, size: tuple[int, int]) -> Any:
    """What a photo of this size tells before anybody has marked anything in it."""
    wide, tall = size

    def at(x: float, y: float) -> Spot:
        return x * wide, y * tall

    if kind == "horizon":
        return Horizon(line=(at(0.05, 0.45), at(0.95, 0.45)), below=at(0.5, 0.75))
    if kind == "lines":
        return Parallels(
            along=((at(0.2, 0.3), at(0.8, 0.33)), (at(0.2, 0.75), at(0.8, 0.7))),
            upright=((at(0.25, 0.8), at(0.25, 0.2)), (at(0.75, 0.75), at(0.75, 0.25))),
            measured=(at(0.35, 0.5), at(0.65, 0.5)),
            length_mm=1000.0,
        )
    if kind == "rims":
        half = 0.2 * min(size)
        rim = Oval(middle=at(0.5, 0.35), long_px=half, short_px=0.35 * half)
        foot = Oval(middle=at(0.5, 0.7), long_px=0.9 * half, short_px=0.35 * half)
        return Rims(rim=rim, foot=foot, diameter_mm=82.0)
    corners = at(0.32, 0.68), at(0.68, 0.66), at(0.68, 0.34), at(0.32, 0.32)
    return Rectangle(
        corners=corners, width_mm=1000.0, height_mm=min(max(round(1020.0 * tall / wide), 1.0), 1e6)
    )


GRID_LINES = 7  # each way from the middle
NICE = np.array([1.0, 2.0, 5.0])


def grid_of(stood: Stood, told: Any) -> tuple[tuple[Array, ...], float]:
    """A grid on the place's wall or ground, as lines (n, 2) in pixels of the photo, and its step, mm."""
    ground = getattr(told, "on", "ground") == "ground"
    wanted = stood.distance_mm / 8
    ten = 10 ** np.floor(np.log10(wanted))
    step = float(ten * NICE[wanted / ten >= NICE][-1])
    reach = GRID_LINES * step
    along = np.linspace(-reach, reach, 2 * GRID_LINES * 4 + 1)
    lines = []
    for place in np.arange(-GRID_LINES, GRID_LINES + 1) * step:
        for first in (0, 1):
            flat = np.stack([along, np.full_like(along, place)][:: 1 if first == 0 else -1], axis=1)
            points = np.zeros((len(flat), 3))
            points[:, 0], points[:, 1 if ground else 2] = flat.T
            lines += _seen_runs(stood.project(points))
    return tuple(lines), step


def _seen_runs(pixels: Array) -> list[Array]:
    """The stretches of a line that are before the camera."""
    seen = np.asarray(np.isfinite(pixels).all(axis=1))
    breaks = np.flatnonzero(np.diff(seen.astype(int)))
    ends = [0, *(breaks + 1), len(pixels)]
    return [pixels[a:b] for a, b in pairwise(ends) if b - a > 1 and seen[a]]
