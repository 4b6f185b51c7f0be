"""Camera places of a job: kept by name, gone back to, dropped."""

from __future__ import annotations

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import CameraPlace

PLACES = ("setting", "places")


def keep_place(job: Job, name: str, size: tuple[int, int]) -> Job:
    """The job with its camera kept under a name, in place of one that has it. Raises KilnError."""
    name = " ".join(name.split())
    if not name:
        raise KilnError("Give the camera place a name.")
    kept = [place for place in job.setting.places if place.name != name]
    made = CameraPlace(name=name, camera=job.setting.camera, width_px=size[0], height_px=size[1])
    return change(job, PLACES, (*kept, made))


def place_named(job: Job, name: str) -> CameraPlace:
    """A camera place by its name. Raises KilnError naming those there are."""
    wanted = name.strip().casefold()
    for place in job.setting.places:
        if place.name.casefold() == wanted:
            return place
    known = ", ".join(f"\u201c{place.name}\u201d" for place in job.setting.places) or "none yet"
    raise KilnError(f"There is no camera place \u201c{name}\u201d in this job; there are: {known}.")


def at_place(job: Job, name: str) -> Job:
    """The job seen from a camera place. Raises KilnError."""
    return change(job, ("setting", "camera"), place_named(job, name).camera)


def without_place(job: Job, name: str) -> Job:
    """The job with a camera place dropped. Raises KilnError where there is none."""
    gone = place_named(job, name)
    return change(job, PLACES, tuple(place for place in job.setting.places if place is not gone))


def place_of(job: Job) -> str | None:
    """The name of the camera place that the job is seen from; None where it was moved away."""
    seen = job.setting.camera
    return next((place.name for place in job.setting.places if place.camera == seen), None)
