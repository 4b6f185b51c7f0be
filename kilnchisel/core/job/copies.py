"""Copies of the piece in its picture: arrangements by name, one more, one less."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from kilnchisel.core.colour import LARGE_ENOUGH, contrast_ratio, delta_e, hex_to_linear
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Band, Blank, Medallion
from kilnchisel.core.job.bodies import Bracelet
from kilnchisel.core.job.edits import change, limits
from kilnchisel.core.job.finish import Brass, Chrome, Copper, Gold, Metal
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import fitted, plain_name, set_of
from kilnchisel.core.job.setting import MOST_COPIES, Camera, Copy
from kilnchisel.core.job.traits import deep_of, size_of, stance_among

COPIES = ("setting", "copies")
AIR = 1.5  # from middle to middle, in widths of the piece
LEANS_DEG = 38.0
# colours that go with one another; the first that differ enough from the piece's own are taken
ROW = ("#26314f", "#8c3b2e", "#e9dfc8", "#2f4a46", "#c79a3a", "#a9bcc2", "#d8a48f")
UNLIKE = 22.0  # ΔE*76


def with_copies(job: Job, copies: tuple[Copy, ...]) -> Job:
    """The job with these copies: in its set, where it is in one as that is made, else with the camera as
    far away as they need. Raises KilnError."""
    if len(copies) > MOST_COPIES:
        raise KilnError(f"There can be {MOST_COPIES} copies at most.")
    stood = set_of(job)
    made = change(job, COPIES, copies)
    if stood is not None:
        return fitted(made, stood)
    share = _extent(made) / _extent(job)
    return change(made, ("setting", "camera"), _stepped_back(job.setting.camera, share))


def _extent(job: Job) -> float:
    """The diagonal of what the piece and its copies stand on, mm."""
    beside, beyond = job.setting.spread
    return math.hypot(size_of(job.blank)[0] + beside, deep_of(job.blank) + beyond)


def _stepped_back(camera: Camera, share: float) -> Camera:
    """A camera that sees so many times as much."""
    least, most = limits(Camera, "distance_mm")
    far = min(max(camera.distance_mm * share, least or 0.0), most or math.inf)
    return camera.model_copy(update={"distance_mm": round(far, 2)})


def with_copy(job: Job) -> Job:
    """One more copy, to the right of the last one."""
    step = _step(job.blank)
    right = max([0.0, *(one.beside_mm for one in job.setting.copies)])
    return with_copies(job, (*job.setting.copies, Copy(beside_mm=round(right + step, 1))))


def without_copy(job: Job, number: int) -> Job:
    """The job with one of its copies taken away. Raises KilnError where there is no such copy."""
    copies = job.setting.copies
    if not 0 <= number < len(copies):
        raise KilnError(f"There is no copy {number + 1}; there are {len(copies)}.")
    return with_copies(job, (*copies[:number], *copies[number + 1 :]))


def _step(blank: Blank) -> float:
    return AIR * max(size_of(blank)[0], deep_of(blank))


def _alone(job: Job) -> tuple[Copy, ...]:
    return ()


def _front_and_back(job: Job) -> tuple[Copy, ...]:
    return (Copy(beside_mm=round(_step(job.blank), 1), turn_deg=180.0),)


def _three_colours(job: Job) -> tuple[Copy, ...] | None:
    inks = [getattr(item.finish, "colour", None) for item in job.letterings if not item.hidden]
    others = other_finishes(job.finish, tuple(ink for ink in inks if ink is not None))
    if others is None:
        return None
    step = round(_step(job.blank), 1)
    places = (-step, step)
    return tuple(Copy(beside_mm=x, finish=one) for x, one in zip(places, others, strict=True))


def _leaning(job: Job) -> tuple[Copy, ...] | None:
    blank, shown = job.blank, stance_among(job.blank, job.setting.stance)
    if not isinstance(blank, Band | Bracelet | Medallion) or shown == "hung":
        return None
    outer, high = size_of(blank)
    if isinstance(blank, Medallion):
        high = blank.thickness_mm
    # its under side goes from the ground over the near upper edge of the piece
    lean, radius = math.radians(LEANS_DEG), outer / 2
    under = -radius - high / math.tan(lean)
    middle = under + radius * math.cos(lean) - high / 2 * math.sin(lean)
    return (Copy(beyond_mm=round(middle, 2), lean_deg=-LEANS_DEG),)


ARRANGEMENTS: dict[str, Callable[[Job], tuple[Copy, ...] | None]] = {
    "alone": _alone,
    "front and back": _front_and_back,
    "three colours": _three_colours,
    "one leaning on the other": _leaning,
}


def arrangements_for(job: Job) -> dict[str, tuple[Copy, ...]]:
    """The copies of each arrangement that the piece can be shown in, by name."""
    made = {name: make(job) for name, make in ARRANGEMENTS.items()}
    return {name: copies for name, copies in made.items() if copies is not None}


def arranged(job: Job, name: str) -> Job:
    """The job in an arrangement of copies. Raises KilnError naming those there are for it."""
    known = arrangements_for(job)
    wanted = plain_name(name)
    if wanted not in known:
        raise KilnError(f"There is no arrangement “{name}” of this piece. There are: {', '.join(known)}.")
    return with_copies(job, known[wanted])


def arrangement_of(job: Job) -> str | None:
    """The name of the arrangement that the job's copies are in; None where they were placed otherwise."""
    if not job.setting.copies:
        return "alone"
    known = arrangements_for(job)
    return next((name for name, copies in known.items() if copies == job.setting.copies), None)


def other_finishes(finish: Any, on_it: tuple[str, ...] = ()) -> tuple[Any, Any] | None:
    """Two finishes that go with this one in a row of three, on which letters of these colours can be
    read; None where there are none."""
    if isinstance(finish, Gold):
        first, second = (alloy for alloy in ("yellow", "white", "red") if alloy != finish.alloy)
        return finish.model_copy(update={"alloy": first}), finish.model_copy(update={"alloy": second})
    if isinstance(finish, Metal):
        one, two = [kind for kind in (Brass, Chrome, Copper) if not isinstance(finish, kind)][:2]
        return one(polish=finish.polish), two(polish=finish.polish)
    if "colour" not in type(finish).model_fields:
        return None

    row, inks, own = (
        np.array([hex_to_linear(colour) for colour in colours]).reshape(-1, 3)
        for colours in (ROW, on_it, (finish.colour,))
    )
    apart = delta_e(row, own)
    unlike = [
        colour
        for colour, linear, far in zip(ROW, row, apart, strict=True)
        if far > UNLIKE and all(contrast_ratio(linear, ink) >= LARGE_ENOUGH for ink in inks)
    ]
    if len(unlike) < 2:
        return None
    first, second = (finish.model_copy(update={"colour": colour}) for colour in unlike[:2])
    return first, second
