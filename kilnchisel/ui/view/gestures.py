"""What a drag of the lettering or one of its handles makes of the job. Plain values, no widgets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import row_length
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Shape
from kilnchisel.core.job.bending import bend_of, bent_round
from kilnchisel.core.job.edits import letter_change, scaled, with_letter
from kilnchisel.core.job.history import History
from kilnchisel.core.job.lettering import Content, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import WIDEST_MM, Curve, Fit, Slope, Wording
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.laying.patch import ANY_SPOT
from kilnchisel.core.laying.picking import spot_under
from kilnchisel.core.shop.placing import gap_round
from kilnchisel.core.units import format_angle, format_length
from kilnchisel.core.workshop.orders import Drawn, Look
from kilnchisel.ui.view.band import moved, on_picture, sheet_at, sized, turned, visible_runs
from kilnchisel.ui.view.letters import letter_dragged, point_dragged

Array = NDArray[Any]
Pixel = tuple[float, float]

SHOWN_AT_POINTER = ("move", "size", "turn", "bend", "spread", "letter", "point")


@dataclass
class Drag:
    """A gesture under way. ``start``: widget pixel; ``sheet``: the sheet point it began on."""

    # "move", "size", "turn", "bend", "spread", "letter", "point", "walk", "aim", "sheet", "pointing";
    # in a photo "mark", "place", "height", "line"
    kind: str
    start: Pixel
    before: History
    job: Job
    drawn: Drawn | None
    look: Look
    sheet: Any = None
    number: int = 0  # of the letter or point
    guides: tuple[Array, ...] = ()  # what it has caught on, widget pixels


@dataclass(frozen=True)
class Edit:
    """A value to put at a path below the lettering, and the words for the step."""

    path: tuple[str, ...]
    value: Any
    words: str


def edit_of(drag: Drag, index: int, pixel: Pixel, size: tuple[int, int], *, free: bool) -> Edit | None:
    """What a drag to a widget pixel makes of the lettering; None where the pointer is off its side."""
    if drag.drawn is None or drag.sheet is None:
        return None
    if index >= min(len(drag.drawn.laid), len(drag.job.letterings)):
        return None  # it was taken away meanwhile
    laid, lettering = drag.drawn.laid[index], drag.job.letterings[index]
    if drag.kind == "move" and lettering.lay.side == ANY_SPOT:
        return _on_mesh(drag, index, pixel, size)
    now = sheet_at(drag.drawn, laid, pixel, size)
    if now is None:
        return None
    if drag.kind == "move":
        return _moved(drag, index, laid, now, size, free=free)
    if drag.kind == "size":
        content = scaled(lettering.content, sized(laid, drag.sheet, now), laid.outline.width_mm)
        return Edit(("content",), content, size_words(content, "mm"))
    if drag.kind == "turn":
        turn = turned(laid, drag.sheet, now, lettering.lay.turn_deg, free=free)
        return Edit(("lay", "turn_deg"), turn, f"turn {turn:g}°")
    return _of_words(drag, lettering, laid, now)


def _of_words(drag: Drag, lettering: Lettering, laid: Laid, now: Array) -> Edit | None:
    wording = lettering.content
    if not isinstance(wording, Wording):
        return None
    if drag.kind == "letter" and drag.number < len(wording.text):
        changed = with_letter(wording, letter_dragged(laid, wording, drag.number, drag.sheet, now))
        return Edit(("content",), changed, f"letter {wording.text[drag.number]} moved")
    if drag.kind == "point" and isinstance(wording.arrangement, Curve | Slope):
        way = point_dragged(laid, wording.arrangement, drag.number, now)
        return Edit(("content", "arrangement"), way, "point moved")
    if drag.kind == "spread":
        width = laid.outline.width_mm * sized(laid, drag.sheet, now)
        width = min(max(width, 1.0), WIDEST_MM)
        fit = Fit(by="spacing", width_mm=round(width, 1))
        return Edit(("content", "fit"), fit, f"spread over {format_length(fit.width_mm)}")
    if drag.kind == "bend":
        length = row_length(wording)
        up = laid.placing.copies[0][0] @ np.array([0.0, 1.0])
        rise = float((now - drag.sheet) @ up / max(float(up @ up), 1e-9))
        changed_lettering = bent_round(lettering, length, bend_of(lettering, length) + rise)
        words = format_length(abs(bend_of(changed_lettering, length)))
        return Edit((), changed_lettering, f"bend {words}")
    return None


def _moved(drag: Drag, index: int, laid: Laid, now: Array, size: tuple[int, int], *, free: bool) -> Edit:
    lettering = drag.job.letterings[index]
    at_u, at_v = ((), ()) if free else catches(drag, index)
    along, across = moved(laid, drag.sheet, now, free=free, at_u=at_u, at_v=at_v)
    assert drag.drawn is not None
    drag.guides = () if free else _guides(drag.drawn, laid, along, across, at_u, at_v, size)
    lay = lettering.lay.model_copy(update={"along_mm": along, "across_mm": across})
    return Edit(("lay",), lay, "place")


def catches(drag: Drag, index: int) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Places along and across at which a dragged lettering catches besides its side's middle: where other
    letterings of the side have theirs, and half way between keep-clear zones."""
    assert drag.drawn is not None
    laid = drag.drawn.laid[index]
    at_u, at_v = [], []
    for number, other in enumerate(drag.job.letterings):
        if number == index or other.lay.side != laid.lay.side or other.hidden:
            continue
        at_u.append(other.lay.along_mm)
        at_v.append(other.lay.across_mm)
    if laid.side.clear and not laid.ink.is_empty:
        for way, found in (("along", at_u), ("up", at_v)):
            axis = 0 if way == "along" else 1
            own = laid.lay.along_mm if axis == 0 else laid.lay.across_mm
            middle = (laid.ink.bounds[axis] + laid.ink.bounds[axis + 2]) / 2
            try:
                low, high = gap_round(laid, way)  # type: ignore[arg-type]
            except KilnError:
                continue
            found.append((low + high) / 2 - middle + own)
    return tuple(at_u), tuple(at_v)


def _guides(
    drawn: Drawn,
    laid: Laid,
    along: float,
    across: float,
    at_u: tuple[float, ...],
    at_v: tuple[float, ...],
    size: tuple[int, int],
) -> tuple[Array, ...]:
    """The lines it has caught on, across the whole side."""
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    middle_u = 0.0 if laid.side.period is not None else (low_u + high_u) / 2
    lines = []
    if any(abs(along - place) < 0.06 for place in (*at_u, middle_u)):
        v = np.linspace(low_v, high_v, 25)
        lines.append(np.stack([np.full(25, along), v], axis=1))
    if any(abs(across - place) < 0.06 for place in (*at_v, (low_v + high_v) / 2)):
        u = np.linspace(low_u, high_u, 121)
        lines.append(np.stack([u, np.full(121, across)], axis=1))
    runs = []
    for line in lines:
        inside = shapely.intersects_xy(laid.side.domain, *line.T)
        pixels, seen = on_picture(drawn, laid, line, size)
        runs += visible_runs(pixels, seen & inside)
    return tuple(runs)


def _on_mesh(drag: Drag, index: int, pixel: Pixel, size: tuple[int, int]) -> Edit | None:
    """A lettering on a free mesh goes to whatever is under the pointer, less where it was taken."""
    drawn = drag.drawn
    assert drawn is not None
    laid = drawn.laid[index]
    middle, _ = on_picture(drawn, laid, laid.middle[None], size)
    x = float(middle[0, 0]) + pixel[0] - drag.start[0]
    y = float(middle[0, 1]) + pixel[1] - drag.start[1]
    return spot_edit(drawn, drag.job, index, (x, y), size)


def ray_of(drawn: Drawn, pixel: Pixel, size: tuple[int, int]) -> tuple[Array, Array]:
    """The ray of a widget pixel in the piece's own frame."""
    origins, ways = drawn.view.rays(np.array([pixel]), size)
    turn, shift = drawn.stance[:3, :3], drawn.stance[:3, 3]
    return (origins[0] - shift) @ turn, ways[0] @ turn


def spot_edit(drawn: Drawn, job: Job, index: int, pixel: Pixel, size: tuple[int, int]) -> Edit | None:
    """The lettering put where a widget pixel shows the blank; None where it shows none of it."""
    spot = spot_under(drawn.order.job.blank, *ray_of(drawn, pixel, size))
    if spot is None:
        return None
    lay = job.letterings[index].lay.model_copy(
        update={
            "side": spot.side,
            "along_mm": spot.along_mm,
            "across_mm": spot.across_mm,
            "spot": spot.spot,
        }
    )
    return Edit(("lay",), lay, "place")


def drag_words(kind: str, lettering: Lettering, number: int, unit: str) -> str:
    """The values shown at the pointer."""
    places = 3 if unit == "in" else 1
    lay = lettering.lay
    if kind == "move":
        if lay.spot is not None:
            return " · ".join(format_length(value, unit, places) for value in lay.spot)
        along = format_length(lay.along_mm, unit, places)
        return f"{along} along · {format_length(lay.across_mm, unit, places)} up"
    if kind == "turn":
        return f"turned {format_angle(lay.turn_deg)}"
    if kind == "size":
        return size_words(lettering.content, unit)
    if kind == "point":
        return "point of the line"
    wording = lettering.content
    if not isinstance(wording, Wording):
        return ""
    if kind == "letter":
        own = letter_change(wording, number)
        room = format_length(own.kern_mm, unit, places + 1)
        return f"room before it {room} · raised {format_length(own.raise_mm, unit, places + 1)}"
    if kind == "spread":
        return f"spread over {format_length(wording.fit.width_mm if wording.fit else 0.0, unit, places)}"
    rise = bend_of(lettering, row_length(wording))
    return f"bent {format_length(abs(rise), unit, places)} {'up' if rise >= 0 else 'down'}"


def size_words(content: Content, unit: str) -> str:
    """The size of a lettering in words."""
    places = 3 if unit == "in" else 1
    if isinstance(content, Wording):
        return f"capitals {format_length(content.cap_height_mm, unit, places)}"
    if isinstance(content, Shape):
        first = next(name for name in type(content.form).model_fields if name.endswith("_mm"))
        label = first.removesuffix("_mm").replace("_", " ")
        return f"{label} {format_length(getattr(content.form, first), unit, places)}"
    return f"width {format_length(content.width_mm or 0.0, unit, places)}"
