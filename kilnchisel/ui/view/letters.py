"""Single letters and the points of a line on the picture: where they are, and what a drag makes of them.

Plain geometry over a drawn draft, without widgets, like ``band``.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.edits import letter_change
from kilnchisel.core.job.wording import Curve, LetterChange, Slope, Wording
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.arranging import Stand
from kilnchisel.core.lettering.paths import baseline_of
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.view.band import Handle, on_picture, visible_runs

Array = NDArray[Any]

NEAR_CAPS = 0.25  # a letter is meant by a pointer this share of the capital height beside it
TWENTIETH = 20


def own_place(laid: Laid, uv: Array) -> Array:
    """A sheet point in the outline's own coordinates, mm."""
    return np.asarray(laid.placing.back(uv[None])[0])


def letter_under(laid: Laid, uv: Array) -> int | None:
    """The place in the text of the letter under a sheet point, the nearest one within reach."""
    spot = own_place(laid, uv)
    reach = NEAR_CAPS * laid.outline.cap_height_mm
    best, nearest = None, np.inf
    for letter in laid.outline.letters:
        if letter.character.isspace() or letter.region.is_empty:
            continue
        left, low, right, high = letter.region.bounds
        beyond = np.maximum(np.maximum((left, low) - spot, spot - (right, high)), 0)
        away = float(np.linalg.norm(beyond))
        middle = float(np.linalg.norm(spot - ((left + right) / 2, (low + high) / 2)))
        if away <= reach and away * 1e3 + middle < nearest:
            best, nearest = letter.at, away * 1e3 + middle
    return best


def stand_of(laid: Laid, place: int) -> Stand | None:
    """Where a letter of the text stands."""
    return next((stand for stand in laid.outline.stands if stand.at == place), None)


def letter_box(drawn: Drawn, laid: Laid, place: int, size: tuple[int, int]) -> Array | None:
    """The box round a letter on the picture, (4, 2) widget pixels, None when it is turned away."""
    boxes = [
        letter.region.bounds
        for letter in laid.outline.letters
        if letter.at == place and not letter.region.is_empty
    ]
    if not boxes:
        return None
    array = np.array(boxes)
    left, low = array[:, :2].min(axis=0)
    right, high = array[:, 2:].max(axis=0)
    margin = 0.06 * laid.outline.cap_height_mm
    corners = np.array(
        [
            [left - margin, low - margin],
            [right + margin, low - margin],
            [right + margin, high + margin],
            [left - margin, high + margin],
        ]
    )
    pixels, seen = on_picture(drawn, laid, laid.placing.points(corners), size)
    return pixels if seen.any() else None


def letter_dragged(laid: Laid, wording: Wording, place: int, start: Array, now: Array) -> LetterChange:
    """A letter after a drag between two sheet points: along its baseline it is kerned, across raised."""
    change = letter_change(wording, place)
    stand = stand_of(laid, place)
    if stand is None:
        return change
    along, across = (own_place(laid, now) - own_place(laid, start)) @ stand.turn
    return change.model_copy(
        update={"kern_mm": _round(change.kern_mm + along), "raise_mm": _round(change.raise_mm + across)}
    )


def _round(value: float) -> float:
    return round(round(float(value) * TWENTIETH) / TWENTIETH, 2)


def point_handles(
    drawn: Drawn, laid: Laid, way: Curve | Slope, size: tuple[int, int]
) -> tuple[Handle, ...]:
    """A handle on each point of the line that letters stand on."""
    spots = laid.placing.points(np.array(way.points))
    pixels, seen = on_picture(drawn, laid, spots, size)
    return tuple(
        Handle("point", (float(at[0]), float(at[1])), (float(uv[0]), float(uv[1])), number)
        for number, (at, uv, there) in enumerate(zip(pixels, spots, seen, strict=True))
        if there
    )


def guide_lines(drawn: Drawn, laid: Laid, way: Curve | Slope, size: tuple[int, int]) -> tuple[Array, ...]:
    """The line that letters stand on, where it is seen, widget pixels."""
    line = laid.placing.points(baseline_of(way.points, smooth=way.smooth).points)
    return tuple(visible_runs(*on_picture(drawn, laid, line, size)))


def point_dragged(laid: Laid, way: Curve | Slope, number: int, now: Array) -> Curve | Slope:
    """The line with one point moved to a sheet point."""
    x, y = own_place(laid, now)
    points = list(way.points)
    points[number] = (round(float(x), 1), round(float(y), 1))
    return way.model_copy(update={"points": tuple(points)})
