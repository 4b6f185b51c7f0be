"""What is done to a row in whichever process or on whichever machine: all it needs comes with it."""

from __future__ import annotations

import functools
import tempfile
import threading
import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.file import job_sent
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.outcomes import Order, Outcome, listing_of, looked_at

PICTURE = "picture.png"
_one_at_a_time = threading.Lock()  # pictures are drawn and traced by one thread of a process
_opened: list[tuple[bytes, Job]] = []


@dataclass(frozen=True)
class Common:
    """What all rows have in common. ``job``: a job file's bytes; ``folder``: where a row's folder is made,
    None: its files are handed back; ``size``: of a quick picture that is handed back,
    ``square_on``: by which lettering it is looked at, else by the job's camera."""

    job: bytes
    does: Literal["check", "make", "picture"]
    folder: Path | None = None
    size: tuple[int, int] = (0, 0)
    square_on: int | None = None


@dataclass(frozen=True)
class Answer:
    """What came of an order, and files that are handed back, by their names."""

    outcome: Outcome
    files: dict[str, bytes] | None = None


def done(common: Common, orders: tuple[Order, ...]) -> list[Answer]:
    """Do what is to be done to some rows."""
    with _one_at_a_time:
        job = _job(common)
        return [_one(common, job, order) for order in orders]


def _job(common: Common) -> Job:
    """The job that the rows have in common, read once."""
    if not _opened or _opened[0][0] != common.job:
        _opened[:] = [(common.job, job_sent(common.job))]
    return _opened[0][1]


def _one(common: Common, job: Job, order: Order) -> Answer:
    began = time.perf_counter()
    outcome, row = looked_at(job, order)
    files = None
    if row is not None and common.does != "check":
        try:
            if common.does == "make":
                files = _handed_over(row, job, order, common.folder)
            else:
                files = {PICTURE: _drawn(row, common)}
        except KilnError as error:
            outcome = replace(outcome, refused=str(error))
    return Answer(replace(outcome, seconds=time.perf_counter() - began), files)


@functools.cache
def _easel() -> Any:
    """What this process draws all its rows on."""
    from kilnchisel.core.handover.pictures import Easel

    return Easel()


def _drawn(row: Job, common: Common) -> bytes:
    """A quick picture of a row, PNG. Raises KilnError."""
    from kilnchisel.core.handover.pictures import PictureOrder, made_picture, png_bytes

    made = made_picture(
        row, PictureOrder(common.size, draft=True, square_on=common.square_on), easel=_easel()
    )
    assert made is not None
    return png_bytes(made.pixels)


def _handed_over(row: Job, job: Job, order: Order, folder: Path | None) -> dict[str, bytes] | None:
    """A row's files into its folder, or handed back. Raises KilnError."""
    from kilnchisel.core.handover.presets import wanted_from
    from kilnchisel.core.handover.table import hand_over, kinds_named

    listing = listing_of(job)
    kinds, wanted = kinds_named(",".join(listing.kinds)), wanted_from(dict(listing.choices))
    if folder is not None:
        hand_over(row, folder / order.name, kinds, wanted, easel=_easel())
        return None
    with tempfile.TemporaryDirectory() as here:
        return {
            path.name: path.read_bytes()
            for path in hand_over(row, Path(here), kinds, wanted, easel=_easel())
        }
