"""Two to six states of a job as they are to be compared: at one scale, by one camera, in one light."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import lettering_laid, scene_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import Easel, PictureOrder, made_picture
from kilnchisel.core.job.model import Job
from kilnchisel.core.picture.refined import Refined
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

MOST = 6


class Alike:
    """Makes pictures of jobs, all exposed as the first one is; the quick ones on one card."""

    def __init__(self) -> None:
        self._easel = Easel()
        self._gain: Array | None = None
        self._framed_by: Job | None = None

    def anew(self, framed_by: Job | None = None) -> None:
        """Other jobs follow: the first of them says again how all are exposed. ``framed_by``: one whose
        camera all are seen by."""
        self._gain, self._framed_by = None, framed_by

    def picture(
        self,
        job: Job,
        order: PictureOrder,
        stop: Callable[[], bool] = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
        posed: Callable[[Scene], Scene] = lambda scene: scene,
    ) -> Array | None:
        """A picture (h, w, 3) uint8; None when stopped. ``posed``: puts the scene as it is to be seen.
        Raises KilnError."""
        made = self.refined(job, order, stop, progress, posed)
        return None if made is None else np.ascontiguousarray(np.asarray(made.pixels)[..., :3])

    def refined(
        self,
        job: Job,
        order: PictureOrder,
        stop: Callable[[], bool] = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
        posed: Callable[[Scene], Scene] = lambda scene: scene,
    ) -> Refined | None:
        """The same with what the order wishes for."""
        scene = scene_of_job(job)
        if self._gain is None:
            self._gain = scene.gain
        scene = posed(replace(scene, gain=self._gain))
        made = made_picture(job, order, stop, progress, scene, self._easel, self._framed_by)
        return None if stop() else made


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
    made, alike = [], Alike()
    if order.close and order.square_on is not None:
        alike.anew(largest_lettered(jobs, order.square_on))
    for number, job in enumerate(jobs):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(jobs))

        pixels = alike.picture(job, order, stop, share)
        if pixels is None or stop():
            return []
        made.append(pixels)
        share(1.0)
    return made


def largest_lettered(jobs: Sequence[Job], index: int) -> Job:
    """Of states of a job the one whose lettering is the largest: the camera that has it in has all."""

    def extent(job: Job) -> float:
        left, low, right, high = lettering_laid(job, index).ink.bounds
        return float(max(right - left, high - low))

    there = [job for job in jobs if not lettering_laid(job, index).ink.is_empty]
    return max(there, key=extent) if there else jobs[0]
