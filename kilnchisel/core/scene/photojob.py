"""A job put into a photograph: the photo, where on it, and the light that it was taken in."""

from __future__ import annotations

from typing import Any

import numpy as np

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.company import alone, laid_aside, swapped, with_another
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Photo, Rims, Stands
from kilnchisel.core.job.setting import KeyLight
from kilnchisel.core.job.traits import size_of
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.cleared import shown_pixels
from kilnchisel.core.photo.reading import Taken
from kilnchisel.core.scene.onphoto import between_places, light_turned
from kilnchisel.core.scene.photolight import (
    WHITE_THING,
    brightest,
    light_levels,
    place_of_photo,
    sun_by_shadow,
    surroundings,
    touched,
)

APART = 1.15  # widths of a piece: so far beside it the same again is put


def taken_in(taken: Taken, told: Any, **more: Any) -> Photo:
    """The value of a photo that was taken in. Raises KilnError where it is not told where it was taken."""
    width, height = taken.size
    made = {"sha256": taken.sha256, "name": taken.name, "width_px": width, "height_px": height}
    photo = Photo(**made, **({"lens_mm": taken.lens_mm} | more), told=told)
    stood_for(photo)
    return photo


def in_photo(job: Job, photo: Photo) -> Job:
    """The job in a photo, lit as that was. Raises KilnError where the photo does not tell it."""
    stood_for(photo)
    before = job.setting.photo
    if before is None or before.sha256 != photo.sha256:  # no other photo tells of this one
        told = tuple(o.model_copy(update={"stands": retold(o.stands, photo)}) for o in job.others)
        job = job.model_copy(update={"others": told})
    job = change(job, ("setting", "photo"), photo)
    for field, value in (("exposure", "by hand"), ("exposure_stops", 0.0), ("white_kelvin", 5500.0)):
        job = change(job, ("setting", field), value)
    return lit_by_photo(job)


def retold(stands: Stands, photo: Photo) -> Stands:
    """Where a piece is in another photo, told by that."""
    return stands.model_copy(update={"told": photo.told, "folds": None})


def another_piece(job: Job, of: Job | None = None) -> Job:
    """The job with one more piece in its photo, which is in hand: that of another job, told as it is there
    if the photo is the same, or the same again, beside the other. Raises KilnError."""
    aside, photo = laid_aside(job), job.setting.photo
    assert photo is not None
    made = with_another(job, aside)
    if of is None:
        off = photo.beside_mm + APART * size_of(job.blank)[0]
        return change(made, ("setting", "photo", "beside_mm"), round(off, 1))
    same = of.setting.photo is not None and of.setting.photo.sha256 == photo.sha256
    stands = laid_aside(of).stands if same else Stands(told=photo.told)
    of = of.model_copy(update={"setting": of.setting.model_copy(update={"photo": photo})})
    taken = laid_aside(of).model_copy(update={"stands": stands})
    others = made.others
    mine = alone(job, taken).model_copy(update={"others": others})
    return _turned_with(job, mine)


def piece_in_hand(job: Job, number: int) -> Job:
    """The job with one of its other pieces in hand, the first being 1; its light told in the place of that.
    Raises KilnError where there is none."""
    return _turned_with(job, swapped(job, number))


def _turned_with(before: Job, job: Job) -> Job:
    """A job in the light of another one of the same photo, told in its own place."""
    told, tells = before.setting.photo, job.setting.photo
    assert told is not None and tells is not None
    light = light_turned(before.setting.light, between_places(told, tells))
    return change(job, ("setting", "light"), light)


def lit_by_photo(job: Job) -> Job:
    """The job in the light of its photo: what is seen in it, its sun by the marked shadow, both as strong
    as something white is in them. Raises KilnError where it has none or that tells nothing."""
    photo = job.setting.photo
    if photo is None:
        raise KilnError("This job stands in no photo.")
    pixels, stood = shown_pixels(photo), stood_for(photo)
    sun = sun_by_shadow(photo, *photo.shadow) if len(photo.shadow) > 1 else None
    near = isinstance(photo.told, Rims) or getattr(photo.told, "on", "ground") == "wall"
    normal = np.array([0.0, -1.0, 0.0] if near else [0.0, 0.0, 1.0])
    seen = None if photo.white is None else touched(pixels, stood.size, *photo.white, normal)
    around = surroundings(pixels, stood)
    # what is near hides what lights it, its lightest thing is about white; over open ground there is sky
    least = (brightest(pixels) / WHITE_THING, normal) if near else None
    light = light_levels(around, sun, seen, least)
    update = {"room": place_of_photo(around, photo.name or "the photo"), "key": KeyLight(strength=0)}
    return change(job, ("setting", "light"), light.model_copy(update=update))


def out_of_photo(job: Job) -> Job:
    """The job without its photo, in a room again."""
    plain = type(job.setting)()
    job = change(job, ("setting", "photo"), None)
    job = change(job, ("setting", "exposure"), "by itself")
    return change(job, ("setting", "light"), plain.light)
