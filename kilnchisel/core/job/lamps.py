"""Lights that are set up in a job: one more, one less."""

from __future__ import annotations

from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import StudioLight

LAMPS = ("setting", "light", "lamps")


def with_lamp(job: Job) -> Job:
    """One more light, a soft box as large as suits the piece."""
    lamps = job.setting.light.lamps
    like = lamps[0] if lamps else StudioLight()
    new = like.model_copy(update={"kind": "soft box", "turn_deg": -60.0, "tilt_deg": 40.0, "on": True})
    return change(job, LAMPS, (*lamps, new))


def without_lamp(job: Job, number: int) -> Job:
    """The job with one of its lights taken away."""
    lamps = job.setting.light.lamps
    return change(job, LAMPS, (*lamps[:number], *lamps[number + 1 :]))
