"""The shapes of an SVG as outlines of straight pieces and cubics."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.drawings.sheet import Run, same
from kilnchisel.core.lettering.drawings.svgstyle import numbers

Array = NDArray[Any]
Length = Callable[..., float]  # what is said, along which way ("x", "y", "r"), what it is without


def is_shape(tag: str) -> bool:
    """Whether an element of this name is an outline."""
    return tag in WRITTEN


def runs_of(element: Any, tag: str, measured: Length) -> list[Run]:
    """The outlines of a shape in its own units. A path goes as far as it can be read (SVG 2, 9.5.4)."""
    from svgelements import Path

    path = Path()
    with contextlib.suppress(ValueError, IndexError):
        path.parse(WRITTEN[tag](element, measured))
    return _parted(path)


def box_of(runs: list[Run]) -> tuple[float, ...] | None:
    """Left, low, right, high of outlines."""
    points = [run.points(None, 1e-3 * max(_reach(run), 1e-9)) for run in runs]
    if not points:
        return None
    both = np.vstack(points)
    return (*both.min(axis=0), *both.max(axis=0))


def _reach(run: Run) -> float:
    return float(max(np.ptp(piece) for piece in run.pieces))


def _parted(path: Any) -> list[Run]:
    """A path of the library as runs; what follows a close begins where that run began."""
    from svgelements import Arc, Close, Move

    runs: list[Run] = []
    pieces: list[Array] = []
    begin = at = np.zeros(2)

    def end(*, closed: bool) -> None:
        if pieces:
            runs.append(Run(tuple(pieces), closed))
        elif closed:  # a dot
            runs.append(Run((np.array([begin, begin]),), closed))
        pieces.clear()

    for segment in path:
        if isinstance(segment, Move):
            end(closed=False)
            begin = at = _xy(segment.end)
        elif isinstance(segment, Close):
            if not same(at, begin):
                pieces.append(np.array([at, begin]))
            end(closed=True)
            at = begin
        else:
            for curve in segment.as_cubic_curves() if isinstance(segment, Arc) else (segment,):
                made = _piece(curve, at)
                if made is not None:
                    pieces.append(made)
                    at = made[-1]
    end(closed=False)
    return runs


def _piece(curve: Any, at: Array) -> Array | None:
    from svgelements import CubicBezier, QuadraticBezier

    if curve.end is None:
        return None
    to = _xy(curve.end)
    if isinstance(curve, QuadraticBezier):
        control = _xy(curve.control)
        return np.array([at, at + (control - at) * 2 / 3, to + (control - to) * 2 / 3, to])
    if isinstance(curve, CubicBezier):
        return np.array([at, _xy(curve.control1), _xy(curve.control2), to])
    return np.array([at, to])


def _xy(point: Any) -> Array:
    return np.array([float(point.x), float(point.y)])


def spots_of(runs: list[Run]) -> Iterator[tuple[Array, float]]:
    """The corners of a path with the way it goes there, degrees."""
    for run in runs:
        ways = [(_way(piece), _way(piece[::-1]) + 180.0) for piece in run.pieces]
        corners = [run.pieces[0][0], *(piece[-1] for piece in run.pieces)]
        for number, corner in enumerate(corners):
            before = ways[number - 1][1] if number > 0 else ways[-1][1] if run.closed else None
            after = ways[number][0] if number < len(ways) else ways[0][0] if run.closed else None
            if before is None or after is None:
                yield corner, float(before if after is None else after)  # type: ignore[arg-type]
            else:
                both = np.exp(1j * np.radians([before, after])).sum()
                yield corner, float(np.degrees(np.angle(both))) if abs(both) > 1e-9 else after


def _way(piece: Array) -> float:
    for other in piece[1:]:
        if not same(other, piece[0]):
            return float(np.degrees(np.arctan2(*(other - piece[0])[::-1])))
    return 0.0


# each as a path is written (SVG 2, chapter 10)


def _path(element: Any, _measured: Length) -> str:
    return str(element.get("d") or "")


def _rect(element: Any, measured: Length) -> str:
    x, y = measured(element.get("x"), "x"), measured(element.get("y"), "y")
    wide, high = measured(element.get("width"), "x"), measured(element.get("height"), "y")
    if wide <= 0 or high <= 0:
        return ""
    rx, ry = (measured(element.get(name), name[1], -1.0) for name in ("rx", "ry"))
    rx, ry = (max(ry, 0.0) if rx < 0 else rx), (max(rx, 0.0) if ry < 0 else ry)
    rx, ry = min(rx, wide / 2), min(ry, high / 2)
    if rx <= 0 or ry <= 0:
        return f"M{x!r} {y!r}h{wide!r}v{high!r}h{-wide!r}Z"
    arc, a, b = f"a{rx!r} {ry!r} 0 0 1 ", wide - 2 * rx, high - 2 * ry
    return (
        f"M{x + rx!r} {y!r}h{a!r}{arc}{rx!r} {ry!r}v{b!r}{arc}{-rx!r} {ry!r}"
        f"h{-a!r}{arc}{-rx!r} {-ry!r}v{-b!r}{arc}{rx!r} {-ry!r}Z"
    )


def _oval(x: float, y: float, rx: float, ry: float) -> str:
    if rx <= 0 or ry <= 0:
        return ""
    arc = f"a{rx!r} {ry!r} 0 0 1 "
    return f"M{x + rx!r} {y!r}{arc}{-2 * rx!r} 0{arc}{2 * rx!r} 0Z"


def _circle(element: Any, measured: Length) -> str:
    radius = measured(element.get("r"), "r")
    return _oval(measured(element.get("cx"), "x"), measured(element.get("cy"), "y"), radius, radius)


def _ellipse(element: Any, measured: Length) -> str:
    rx, ry = (measured(element.get(name), name[1], -1.0) for name in ("rx", "ry"))
    rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
    return _oval(measured(element.get("cx"), "x"), measured(element.get("cy"), "y"), rx, ry)


def _line(element: Any, measured: Length) -> str:
    x1, y1, x2, y2 = (measured(element.get(name), name[0]) for name in ("x1", "y1", "x2", "y2"))
    return f"M{x1!r} {y1!r}L{x2!r} {y2!r}"


def _polyline(element: Any, _measured: Length) -> str:
    found = numbers(element.get("points"))
    pairs = [f"{x!r} {y!r}" for x, y in zip(found[::2], found[1::2], strict=False)]
    return "M" + "L".join(pairs) if pairs else ""


def _polygon(element: Any, measured: Length) -> str:
    made = _polyline(element, measured)
    return made and made + "Z"


WRITTEN: dict[str, Callable[[Any, Length], str]] = {
    "path": _path,
    "rect": _rect,
    "circle": _circle,
    "ellipse": _ellipse,
    "line": _line,
    "polyline": _polyline,
    "polygon": _polygon,
}
