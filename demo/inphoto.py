"""The observatory's letters put into a photograph of a lawn."""

from __future__ import annotations

from pathlib import Path

from demo.yard import bank_letters
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Horizon
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.scene.photojob import in_photo, taken_in

LAWN = Path(__file__).parent / "photos" / "lawn-and-hills.jpg"


def lawn_letters() -> Job:
    """Letters of 70 cm on the lawn below the hills, twelve metres away."""
    job = bank_letters()
    for path, value in (
        (("name",), "Letters on the lawn"),
        (("letterings", 0, "content", "cap_height_mm"), 700.0),
        (("letterings", 0, "craft", "thickness_mm"), 60.0),
        (("letterings", 0, "craft", "standoff_mm"), 0.0),
        (("letterings", 0, "craft", "posts"), False),
        (("blank", "rough_mm"), 0.0),
        (("blank", "rise_mm"), 500.0),
        (("blank", "width_mm"), 12_000.0),
        (("blank", "deep_mm"), 4000.0),
    ):
        job = change(job, path, value)
    told = Horizon(line=((0.0, 1180.0), (3088.0, 1180.0)), below=(1500.0, 1660.0), eye_mm=1650.0)
    more = {"lens_mm": 40.0, "shown": "lettering", "turn_deg": -4.0, "grown_mm": 80.0}
    return in_photo(job, taken_in(photo_taken(LAWN), told, **more))
