"""Camera places of a job: kept by name, gone back to, dropped."""

from __future__ import annotations

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change, limits
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import FRAME_MM, Camera, CameraPlace
from kilnchisel.core.job.traits import stance_among, traits_of
from kilnchisel.core.units import within_turn

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


BEFORE_DEG = 86.0  # from straight before a wall, to either side


def walked_to(job: Job, turn_deg: float) -> float:
    """Where a camera that is to walk so far round the piece comes to, degrees from -180 to 180: it stays
    before the wall that the piece hangs on or is of."""
    turn = within_turn(turn_deg)
    hung = stance_among(job.blank, job.setting.stance) == "hung"
    return min(max(turn, -BEFORE_DEG), BEFORE_DEG) if hung or traits_of(job.blank).walled else turn


AFAR = "from afar"
# a picture of this height, looked at from this distance, shows the piece as large as it is from afar
AFAR_TALL_MM, AFAR_EYE_MM = 120.0, 600.0


def from_afar(job: Job, distance_mm: float, size: tuple[int, int] = (1600, 1000)) -> Job:
    """The job seen from so far away, at the size that it has for the eye: in a picture 120 mm tall that is
    looked at from 600 mm. The camera place “from afar” is kept with it. Raises KilnError."""
    least, most = limits(Camera, "distance_mm")
    if not (least or 0.0) <= distance_mm <= (most or distance_mm):
        raise KilnError(f"The eye can be from {least:g} mm to {(most or 0) / 1000:g} m away.")
    lens = FRAME_MM * AFAR_EYE_MM / AFAR_TALL_MM
    update = {"distance_mm": distance_mm, "lens_mm": lens, "shift_mm": 0.0, "rise_mm": 0.0, "f_number": 0.0}
    seen = job.setting.camera.model_copy(update=update)
    return keep_place(change(job, ("setting", "camera"), seen), AFAR, size)


def place_of(job: Job) -> str | None:
    """The name of the camera place that the job is seen from; None where it was moved away."""
    seen = job.setting.camera
    return next((place.name for place in job.setting.places if place.camera == seen), None)
