"""Two to six states of a job as they are to be compared: at one scale, by one camera, in one light."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import scene_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, made_picture
from kilnchisel.core.job.model import Job

Array = NDArray[Any]

MOST = 6


def in_one_light(jobs: Sequence[Job]) -> list[Job]:
    """The jobs with the setting of the first: camera, light and ground. Raises KilnError where they are
    too few or too many, or stand in another photo."""
    if not 2 <= len(jobs) <= MOST:
        raise KilnError(f"Two to {MOST} are compared; these are {len(jobs)}.")
    return one_light(jobs)


def one_light(jobs: Sequence[Job]) -> list[Job]:
    """The same of any number of jobs."""
    setting = jobs[0].setting
    return [
        job.model_copy(update={"setting": setting.model_copy(update={"copies": job.setting.copies})})
        for job in jobs
    ]


def pictures_of(
    jobs: Sequence[Job],
    order: PictureOrder,
    stop: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> list[Array]:
    """A picture (h, w, 3) uint8 of each, exposed as the first is; none when stopped. Raises KilnError."""
    made = []
    gain = scene_of_job(jobs[0]).gain
    for number, job in enumerate(jobs):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(jobs))

        scene = replace(scene_of_job(job), gain=gain)
        refined = made_picture(job, order, stop, share, scene)
        if refined is None or stop():
            return []
        made.append(np.asarray(refined.pixels)[..., :3])
        progress((number + 1) / len(jobs))
    return made
