"""The band round a lettering: where its handles are on the picture, and what a drag makes of the lay.

Plain geometry over a drawn draft, without widgets, so that it can be tested alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.job.bending import can_bend
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.arranging import is_straight
from kilnchisel.core.units import within_turn
from kilnchisel.core.workshop.orders import Drawn

Array = NDArray[Any]

MARGIN_PX = 9.0  # between the ink and the band, whatever the size of the lettering
STEPS = 24
STEM_PX = 34
HIT_PX = 11  # half of the 22 px a handle can be hit in


@dataclass(frozen=True, eq=False)
class Handle:
    """A grip on the picture. kind "size", "turn", "bend", "spread" or "point"; ``at`` in widget pixels."""

    kind: str
    at: tuple[float, float]
    sheet: tuple[float, float]  # the sheet point it stands on
    number: int = 0  # which point of the line
    turn_deg: float = 0.0  # how a long grip lies on the picture


@dataclass(frozen=True, eq=False)
class Band:
    """The visible parts of a lettering's frame and its handles, in widget pixels."""

    lines: tuple[Array, ...]
    handles: tuple[Handle, ...]
    stem: tuple[tuple[float, float], tuple[float, float]] | None
    guides: tuple[Array, ...] = ()  # the line that letters stand on
    marks: tuple[Array, ...] = ()  # the seam, and keep-clear zones


def margin_mm(drawn: Drawn, laid: Laid, size: tuple[int, int]) -> float:
    """How far the band stands off the ink: as many mm of the sheet as MARGIN_PX are where it lies."""
    middle = laid.frame.mean(axis=0)
    pixels, _ = on_picture(drawn, laid, middle + np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), size)
    # the way that is seen less foreshortened
    a_mm = float(np.linalg.norm(pixels[1:] - pixels[0], axis=1).max())
    return MARGIN_PX / max(a_mm, 1e-6)


def corners(laid: Laid, margin: float) -> Array:
    """The frame with a margin (mm) on the sheet, (4, 2), from lower left, counter-clockwise."""
    frame = laid.frame
    middle = frame.mean(axis=0)
    along, up = frame[1] - frame[0], frame[3] - frame[0]
    wide, tall = float(np.linalg.norm(along)), float(np.linalg.norm(up))
    grow = np.array([(wide + 2 * margin) / max(wide, 1e-9), (tall + 2 * margin) / max(tall, 1e-9)])
    return np.asarray(
        middle
        + np.array(
            [
                (sx * along * grow[0] + sy * up * grow[1]) / 2
                for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))
            ]
        )
    )


def on_picture(drawn: Drawn, laid: Laid, uv: Array, size: tuple[int, int]) -> tuple[Array, Array]:
    """Sheet points to widget pixels (n, 2), and whether they face the camera (n,)."""
    return _seen(drawn, _on_body(laid.side, uv), size)


OnBody = tuple[Array, Array]  # places and where the surface faces there, each (n, 3)


def _on_body(side: Side, uv: Array) -> OnBody:
    return side.to_body(uv, np.zeros(len(uv))), side.frames(uv)[:, 2]


def _seen(drawn: Drawn, on_body: OnBody, size: tuple[int, int]) -> tuple[Array, Array]:
    turn, shift = drawn.stance[:3, :3], drawn.stance[:3, 3]
    points, normals = on_body[0] @ turn.T + shift, on_body[1] @ turn.T
    view = drawn.view
    away = np.broadcast_to(view.ahead, points.shape) if view.parallel else points - view.eye
    facing = np.einsum("ij,ij->i", normals, away) < 0
    return view.project(points, size)[:, :2], facing


@lru_cache(maxsize=2)  # of one press several ask, and on natural ground it takes a while
def sheet_at(drawn: Drawn, laid: Laid, pixel: tuple[float, float], size: tuple[int, int]) -> Array | None:
    """The sheet point (u, v) under a widget pixel, to be read only; None beside the side."""
    origins, directions = drawn.view.rays(np.array([pixel]), size)
    turn, shift = drawn.stance[:3, :3], drawn.stance[:3, 3]
    uv = laid.side.meet((origins - shift) @ turn, directions @ turn)[0]
    uv.flags.writeable = False
    return None if np.isnan(uv).any() else uv


def band_of(drawn: Drawn, index: int, size: tuple[int, int]) -> Band | None:
    """The band of a lettering, None when nothing of it can be seen."""
    laid = drawn.laid[index]
    lettering = drawn.order.job.letterings[index]
    if laid.ink.is_empty or lettering.locked or lettering.hidden:
        return None
    frame = corners(laid, margin_mm(drawn, laid, size))
    edge = np.concatenate(
        [
            frame[i] + np.linspace(0, 1, STEPS + 1)[:, None] * (frame[(i + 1) % 4] - frame[i])
            for i in range(4)
        ]
    )
    pixels, facing = on_picture(drawn, laid, edge, size)
    lines = tuple(visible_runs(pixels, facing))
    if not lines:
        return None
    bottom, top = (frame[0] + frame[1]) / 2, (frame[2] + frame[3]) / 2
    right = (frame[1] + frame[2]) / 2
    spots = np.array([*frame, bottom, top, right])
    at, seen = on_picture(drawn, laid, spots, size)
    level = float(np.degrees(np.arctan2(*(at[1] - at[0])[::-1])))
    wording = lettering.content
    kinds = dict.fromkeys(range(4), ("size", 0.0))
    if can_bend(lettering):
        kinds[4] = ("bend", level)
    if isinstance(wording, Wording) and is_straight(wording) and len(wording.text.strip()) > 1:
        kinds[6] = ("spread", level + 90)
    handles = [
        Handle(kind, (float(at[i, 0]), float(at[i, 1])), (float(spots[i, 0]), float(spots[i, 1])), 0, turn)
        for i, (kind, turn) in kinds.items()
        if seen[i]
    ]
    stem = None
    if seen[5]:
        foot = at[5]
        way = at[5] - at[4] if seen[4] else np.array([0.0, -1.0])
        length = float(np.linalg.norm(way))
        way = way / length if length > 1e-6 else np.array([0.0, -1.0])
        head = foot + STEM_PX * way
        stem = ((float(foot[0]), float(foot[1])), (float(head[0]), float(head[1])))
        handles.append(Handle("turn", stem[1], (float(spots[5, 0]), float(spots[5, 1]))))
    return Band(lines, tuple(handles), stem, marks=_marks(drawn, laid, size))


def _marks(drawn: Drawn, laid: Laid, size: tuple[int, int]) -> tuple[Array, ...]:
    """The seam of a closed side and its keep-clear zones, where they are seen."""
    lines: list[OnBody] = []
    if laid.seam_mm is not None:
        _, low_v, _, high_v = laid.side.domain.bounds
        v = np.linspace(low_v, high_v, STEPS + 1)
        lines.append(_on_body(laid.side, np.stack([np.full(len(v), laid.seam_mm), v], axis=1)))
    lines += _clear_lines(laid.side)
    return tuple(run for line in lines for run in visible_runs(*_seen(drawn, line, size)))


_CLEAR: WeakKeyDictionary[Side, tuple[OnBody, ...]] = WeakKeyDictionary()


def _clear_lines(side: Side) -> tuple[OnBody, ...]:
    """Where the borders of a side's keep-clear zones are, worked out once: a vehicle has dozens."""
    if side not in _CLEAR:
        low_u, _, high_u, _ = side.domain.bounds
        step = (high_u - low_u) / 120
        rings = [shapely.get_coordinates(shapely.segmentize(z.area.exterior, step)) for z in side.clear]
        _CLEAR[side] = tuple(_on_body(side, ring) for ring in rings)
    return _CLEAR[side]


def visible_runs(pixels: Array, facing: Array) -> list[Array]:
    """The stretches of a polyline that face the camera."""
    runs = []
    start = None
    for number, seen in enumerate([*facing, False]):
        if seen and start is None:
            start = number
        if not seen and start is not None:
            if number - start > 1:
                runs.append(pixels[start:number])
            start = None
    return runs


def handle_at(band: Band | None, pixel: tuple[float, float]) -> Handle | None:
    """The handle under a pixel; the nearest where two overlap."""
    if band is None:
        return None
    near = [
        (abs(h.at[0] - pixel[0]) + abs(h.at[1] - pixel[1]), h)
        for h in band.handles
        if abs(h.at[0] - pixel[0]) <= HIT_PX and abs(h.at[1] - pixel[1]) <= HIT_PX
    ]
    return min(near, key=lambda pair: pair[0])[1] if near else None


def lettering_at(drawn: Drawn, pixel: tuple[float, float], size: tuple[int, int]) -> int | None:
    """The lettering whose frame lies under a pixel, the last one where several do."""
    met: dict[int, Array | None] = {}  # by side: most letterings share theirs
    for index in reversed(range(len(drawn.laid))):
        laid = drawn.laid[index]
        lettering = drawn.order.job.letterings[index]
        if laid.ink.is_empty or lettering.locked or lettering.hidden:
            continue
        if id(laid.side) not in met:
            met[id(laid.side)] = sheet_at(drawn, laid, pixel, size)
        uv = met[id(laid.side)]
        if uv is not None and _inside(laid, uv, margin_mm(drawn, laid, size)):
            return index
    return None


def _inside(laid: Laid, uv: Array, margin: float) -> bool:
    frame = corners(laid, margin)
    along, up = frame[1] - frame[0], frame[3] - frame[0]
    period = laid.side.period
    for shift in (0.0,) if period is None else (-period, 0.0, period):
        away = uv + (shift, 0.0) - frame[0]
        a, b = away @ along / (along @ along), away @ up / (up @ up)
        if 0 <= a <= 1 and 0 <= b <= 1:
            return True
    return False


def moved(
    laid: Laid,
    start: Array,
    now: Array,
    at_u: tuple[float, ...] = (),
    at_v: tuple[float, ...] = (),
    *,
    free: bool = True,
) -> tuple[float, float]:
    """Along and across, mm, after a drag from one sheet point to another, on whole tenths.

    Unless ``free`` it catches where the lettering's place or its ink lies in the middle of the side, and
    at the given places along and across.
    """
    step = now - start
    period = laid.side.period
    along = laid.lay.along_mm + _short_way(step[0], period)
    across = laid.lay.across_mm + step[1]
    if not free and not laid.ink.is_empty:
        low_u, low_v, high_u, high_v = laid.side.domain.bounds
        near = CATCH_SHARE * (high_v - low_v)
        ink_off = (laid.ink.bounds[1] + laid.ink.bounds[3]) / 2 - laid.lay.across_mm
        middle = (low_v + high_v) / 2
        across = _caught(across, (middle, middle - ink_off, *at_v), near)
        along = _caught(along, (0.0 if period is not None else (low_u + high_u) / 2, *at_u), near)
    if period is not None:
        along = (along + period / 2) % period - period / 2
    return round(float(along), 1), round(float(across), 1)


CATCH_SHARE = 0.012  # of the side's height


def _caught(value: float, places: tuple[float, ...], near: float) -> float:
    best = min(places, key=lambda place: abs(place - value))
    return best if abs(best - value) < near else value


def sized(laid: Laid, start: Array, now: Array) -> float:
    """How many times larger the lettering is after a size handle was dragged, from its way from the
    middle."""
    period = laid.side.period
    middle = laid.frame.mean(axis=0)
    first, last = start - middle, now - middle
    first[0], last[0] = _short_way(first[0], period), _short_way(last[0], period)
    return max(float(last @ first / max(first @ first, 1e-9)), 0.02)


def turned(laid: Laid, start: Array, now: Array, turn: float, *, free: bool) -> float:
    """Turn, degrees, after the stem was dragged; caught at every 15° unless ``free``."""
    period = laid.side.period
    middle = laid.middle
    first, last = start - middle, now - middle
    first[0], last[0] = _short_way(first[0], period), _short_way(last[0], period)
    swing = np.degrees(np.arctan2(last[1], last[0]) - np.arctan2(first[1], first[0]))
    value = within_turn(turn + float(swing))
    caught = round(value / 15) * 15
    if not free and abs(value - caught) < 4:
        value = caught
    return round(value, 1)


def _short_way(du: float, period: float | None) -> float:
    return float(du) if period is None else float((du + period / 2) % period - period / 2)
