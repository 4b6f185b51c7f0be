"""Rows bent into an arc and back, keeping the middle of the row where it is."""

from __future__ import annotations

import math

from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.wording import FLATTEST_MM, TIGHTEST_MM, Circle, Rows, Wording

MOST = 0.36  # of the row's length: a sagitta beyond which no arc of that length goes
LEAST = 0.004  # less bend than this is none


def can_bend(lettering: Lettering) -> bool:
    """Whether the words are in level rows or already on an arc above or below."""
    wording = lettering.content
    if not isinstance(wording, Wording) or lettering.lay.repeat is not None:
        return False
    way = wording.arrangement
    if isinstance(way, Rows):
        return True
    return isinstance(way, Circle) and (way.centre_deg, way.heads) in ((0.0, "out"), (180.0, "in"))


def bend_of(lettering: Lettering, width_mm: float) -> float:
    """How much higher the middle of the row is than its ends, mm; below zero when it hangs.

    ``width_mm``: the row's length. The arc's sagitta, R (1 - cos(w / 2R)).
    """
    wording = lettering.content
    if not isinstance(wording, Wording) or not isinstance(wording.arrangement, Circle):
        return 0.0
    radius = wording.arrangement.radius_mm
    rise = radius * (1 - math.cos(min(width_mm / 2 / radius, math.pi)))
    return rise if wording.arrangement.heads == "out" else -rise


def bent_round(lettering: Lettering, width_mm: float, sagitta_mm: float) -> Lettering:
    """The words on the arc whose middle is ``sagitta_mm`` above its ends; straight again near zero."""
    wording = lettering.content
    assert isinstance(wording, Wording)
    middle = _middle(lettering)
    share = min(abs(sagitta_mm) / width_mm, MOST)
    # (1 - cos x) / x = 2 s / w, x being half the angle that the row takes
    radius = round(width_mm / 2 / _half_angle(2 * share), 1)
    if share < LEAST or radius > FLATTEST_MM:
        return _with(lettering, wording.model_copy(update={"arrangement": Rows()}), middle, 0.0)
    up = sagitta_mm > 0
    radius = max(radius, TIGHTEST_MM)
    circle = Circle(radius_mm=radius, centre_deg=0.0 if up else 180.0, heads="out" if up else "in")
    return _with(
        lettering, wording.model_copy(update={"arrangement": circle}), middle, -radius if up else radius
    )


def _half_angle(share: float) -> float:
    """The x up to 2.3311, where it is greatest, with (1 - cos x) / x = ``share``, by halving: what a
    library does it with takes longer to load than a step of a drag may."""
    low, high = 0.0, 2.3311
    for _ in range(50):
        middle = (low + high) / 2
        if (1 - math.cos(middle)) / middle < share:
            low = middle
        else:
            high = middle
    return high


def _middle(lettering: Lettering) -> tuple[float, float]:
    """Where the middle of the baseline is, on the sheet."""
    wording, lay = lettering.content, lettering.lay
    assert isinstance(wording, Wording)
    way = wording.arrangement
    off = 0.0
    if isinstance(way, Circle):
        off = way.radius_mm if way.heads == "out" else -way.radius_mm
    turn = math.radians(lay.turn_deg)
    return lay.along_mm - off * math.sin(turn), lay.across_mm + off * math.cos(turn)


def _with(lettering: Lettering, wording: Wording, middle: tuple[float, float], off: float) -> Lettering:
    turn = math.radians(lettering.lay.turn_deg)
    update = {
        "along_mm": round(middle[0] - off * math.sin(turn), 2),
        "across_mm": round(middle[1] + off * math.cos(turn), 2),
    }
    return lettering.model_copy(update={"content": wording, "lay": lettering.lay.model_copy(update=update)})
