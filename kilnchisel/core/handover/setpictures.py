"""Small pictures of a piece in each set, to choose by; kept, so that they are made once."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.handover.pictures import Easel
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import arrangements, fitted, sets_for
from kilnchisel.core.kept import kept_arrays, read_kept

Array = NDArray[Any]

SIZE = (264, 176)
SHELF, MOST, RECIPE = "sets", 400, 2  # RECIPE: to be raised when the same set looks different


def pictures_there(job: Job, *names: str) -> dict[str, Array | None]:
    """The picture (h, w, 3) uint8 of the piece in each set it can stand in, or in those named; None where
    none is kept."""
    found: dict[str, Array | None] = {}
    for name in names or [one.name for one in sets_for(job.blank)]:
        kept = read_kept(SHELF, _name(fitted(job, name)))
        found[name] = None if kept is None else kept["pixels"]
    return found


def make_pictures(job: Job) -> Iterator[tuple[str, Array]]:
    """Make the pictures that are not there yet; each set's name and picture when that is kept."""
    easel = Easel()
    for name, pixels in pictures_there(job).items():
        if pixels is None:
            shown = fitted(job, name)
            made = kept_arrays(SHELF, _name(shown), lambda: {"pixels": _drawn(easel, shown)}, most=MOST)  # noqa: B023
            pixels = made["pixels"]
        yield name, pixels


def alike(first: Job, second: Job) -> bool:
    """Whether two jobs have the same pictures: sets replace a setting, all but a few parts of it."""
    if first is second:
        return True
    if first.model_copy(update={"setting": second.setting}) != second:
        return False
    return arrangements(first) == arrangements(second)


def _drawn(easel: Easel, job: Job) -> Array:
    return np.asarray(easel.drawn(scene_of_job(job), view_of(job, SIZE[0] / SIZE[1]), SIZE))


def _name(job: Job) -> str:
    """A name for the picture of a job, the same for jobs that look the same."""
    said = job.model_copy(update={"name": "job"}).model_dump_json()
    return f"{hashlib.blake2b(said.encode(), digest_size=12).hexdigest()}-{RECIPE}"
