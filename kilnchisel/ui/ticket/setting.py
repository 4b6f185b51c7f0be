"""The Setting section: the set, its lights, what the piece stands on, camera and exposure."""

from __future__ import annotations

from typing import Any, get_args

from kilnchisel.core.job.cameras import at_place, place_of
from kilnchisel.core.job.copies import arranged, arrangement_of, arrangements_for
from kilnchisel.core.job.crafts import shines
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import fitted, kept_sets, set_of, sets_for
from kilnchisel.core.job.setting import (
    COLOURED_GROUNDS,
    MOST_COPIES,
    MOST_LAMPS,
    MOST_PLACES,
    Copy,
    GroundName,
    Light,
    RoomName,
    StudioLight,
    in_ground,
)
from kilnchisel.core.job.traits import stance_among, stances_of
from kilnchisel.core.job.words.finishes import finish_words
from kilnchisel.core.job.words.sections import lamp_words, light_words
from kilnchisel.ui.ticket.fields import Spec, at, group, link, ranged
from kilnchisel.ui.ticket.finishes import SURFACES, finish_specs
from kilnchisel.ui.ticket.photo import photo_specs, photo_words

Path = tuple[str | int, ...]
SETTING: Path = ("setting",)
LIGHT: Path = ("setting", "light")
GROUND: Path = ("setting", "ground")
CAMERA: Path = ("setting", "camera")
LAMP_KINDS = get_args(StudioLight.model_fields["kind"].annotation)
FORMS = (
    ("flat", "Round"),
    ("table", "Table"),
    ("sweep", "Sweep"),
    ("open", "Open"),
    ("bays", "Bays"),
    ("street", "Street"),
)


def setting_specs(job: Job, opened: frozenset[str]) -> list[Spec]:
    """The fields of the section; ``opened``: the groups that are unfolded."""
    return [
        *_set(job),
        *_stance(job),
        *group("photo", "Photo", photo_words(job), opened, lambda: photo_specs(job, opened)),
        *group("copies", "Copies", _copies_words(job), opened, lambda: _copies(job, opened)),
        *group("lights", "Lights", light_words(job), opened, lambda: _lights(job, opened)),
        *_about_it(job, opened),
        *group("exposure", "Exposure", _exposure_words(job), opened, lambda: _exposure(job)),
    ]


def _about_it(job: Job, opened: frozenset[str]) -> list[Spec]:
    """Ground and camera, where they are not the photo's."""
    if job.setting.photo is not None:
        return []
    return [
        *group("ground", "Ground", _ground_words(job), opened, lambda: _ground(job)),
        *group("camera", "Camera", _camera_words(job), opened, lambda: _camera(job)),
    ]


def _named(values: tuple[str, ...]) -> tuple[tuple[Any, str], ...]:
    return tuple((value, value.capitalize()) for value in values)


def _set(job: Job) -> list[Spec]:
    fields = [
        Spec(
            "setting.set",
            "Set",
            set_of,
            fitted,
            "set",
            options=tuple((one.name, one.name.capitalize()) for one in sets_for(job.blank)),
        ),
        link("set.keep", "", "Keep this setting…", "Keep it as a set of your own"),
    ]
    if set_of(job) in {one.name for one in kept_sets()}:
        fields.append(link("set.forget", "", "Forget this set", "Drop it from the sets of your own"))
    return fields


def _stance(job: Job) -> list[Spec]:
    stances = stances_of(job.blank)
    if len(stances) < 2:
        return []
    return [at((*SETTING, "stance"), "Shown", "choice", options=_named(tuple(stances)))]


def _copies(job: Job, opened: frozenset[str]) -> list[Spec]:
    """The same piece again in the picture."""
    names = tuple((name, name.capitalize()) for name in arrangements_for(job))
    options = names if arrangement_of(job) is not None else ((None, "As placed"), *names)
    fields = [Spec("setting.copies", "Arranged", arrangement_of, _in_arrangement, "menu", options=options)]
    for number, copy in enumerate(job.setting.copies):
        fields += group(
            f"copy{number}",
            f"Copy {number + 1}",
            _copy_words(copy),
            opened,
            lambda n=number: _copy(job, n),  # type: ignore[misc]
        )
    if len(job.setting.copies) < MOST_COPIES:
        fields.append(link("copy.add", "", "Add a copy", "To the right of the last one"))
    return fields


def _copy(job: Job, number: int) -> list[Spec]:
    path: Path = ("setting", "copies", number)
    hung = stance_among(job.blank, job.setting.stance) == "hung"
    fields = [
        ranged(job, (*path, "beside_mm"), "Beside", "length", step=5, hint="To the right of the piece."),
        ranged(job, (*path, "beyond_mm"), "Above" if hung else "Beyond", "length", step=5),
        ranged(job, (*path, "turn_deg"), "Turned", "angle", step=5),
        ranged(job, (*path, "lean_deg"), "Leans back", "angle", step=5),
    ]
    finish = (*path, "finish")
    if job.setting.copies[number].finish is None:
        fields.append(link(f"copy.finish.{number}", "", "Another finish", "Of this copy alone"))
    else:
        fields += finish_specs(job, finish, "Finish", SURFACES)
        fields.append(link(f"copy.alike.{number}", "", "The piece's own finish"))
    return [*fields, link(f"copy.remove.{number}", "", "Remove this copy")]


def _in_arrangement(job: Job, name: str | None) -> Job:
    return job if name is None else arranged(job, name)


def _copies_words(job: Job) -> str:
    return arrangement_of(job) or f"{len(job.setting.copies)}, as placed"


def _copy_words(copy: Copy) -> str:
    turned = f", turned {copy.turn_deg:g}°".replace("-", "−") if copy.turn_deg else ""
    leaning = ", leaning" if copy.lean_deg else ""
    own = "" if copy.finish is None else f"{finish_words(copy.finish)}"
    return (own + turned + leaning).removeprefix(", ") or "as the piece"


def _lights(job: Job, opened: frozenset[str]) -> list[Spec]:
    light = job.setting.light
    fields = [
        at((*LIGHT, "room"), "Place", "menu", options=_rooms(light), pictures="looks/lights"),
        link("light.own", "", "A place of your own…", "An all-round picture, EXR or HDR"),
        ranged(job, (*LIGHT, "strength"), "Strength", "percent", step=5),
        ranged(job, (*LIGHT, "turn_deg"), "Place turned", "angle", step=15),
    ]
    if light.key.strength > 0 or not light.lamps:
        fields.append(ranged(job, (*LIGHT, "key", "strength"), "Key light", "percent", step=5))
    if light.key.strength > 0:
        round_ = "0° is the front, 90° the right."
        fields += [
            ranged(job, (*LIGHT, "key", "turn_deg"), "Key from", "angle", step=5, hint=round_),
            ranged(job, (*LIGHT, "key", "tilt_deg"), "Key height", "angle", step=5),
            ranged(job, (*LIGHT, "key", "size_mm"), "Key size", "length", step=20, hint="Large is soft."),
        ]
    for number, lamp in enumerate(light.lamps):
        name = f"Light {number + 1}"
        fields += group(
            f"lamp{number}",
            name,
            lamp_words(lamp),
            opened,
            lambda n=number: _lamp(job, n),  # type: ignore[misc]
        )
    if len(light.lamps) < MOST_LAMPS:
        fields.append(link("lamp.add", "", "Add a light", "A soft box from the front left"))
    return [*fields, *_glow(job)]


def _rooms(light: Light) -> tuple[tuple[Any, str], ...]:
    rooms = _named(get_args(RoomName))
    return rooms if isinstance(light.room, str) else (*rooms, (light.room, light.room.name))


def _lamp(job: Job, number: int) -> list[Spec]:
    """The fields of a light that is set up."""
    path: Path = (*LIGHT, "lamps", number)
    lamp = job.setting.light.lamps[number]
    fields = [at((*path, "on"), "Switched", "switch", options=((True, "On"), (False, "Off")))]
    if not lamp.on:
        return [*fields, link(f"lamp.remove.{number}", "", "Remove this light")]
    fields += [
        at((*path, "kind"), "Kind", "menu", options=_named(LAMP_KINDS)),
        ranged(job, (*path, "turn_deg"), "From", "angle", step=5, hint="0° is the front, 90° the right."),
        ranged(job, (*path, "tilt_deg"), "Height", "angle", step=5),
    ]
    if lamp.kind != "sun":
        fields += [
            ranged(job, (*path, "distance_mm"), "Distance", "length", step=20),
            ranged(job, (*path, "width_mm"), "Width", "length", step=20),
            ranged(job, (*path, "height_mm"), "Tall", "length", step=20),
        ]
    if lamp.kind not in ("reflector", "flag"):
        fields += [
            ranged(job, (*path, "strength"), "Strength", "percent", step=5),
            ranged(job, (*path, "kelvin"), "Colour", "kelvin", step=100, hint="Low is warm, high is cool."),
            link(f"lamp.place.{number}", "", "Place by its highlight…", "Click where it is to shine"),
        ]
    return [*fields, link(f"lamp.remove.{number}", "", "Remove this light")]


def _glow(job: Job) -> list[Spec]:
    if not any(shines(item.craft) for item in job.letterings):
        return []
    glow: Path = (*SETTING, "glow")
    fields = [ranged(job, (*glow, "strength"), "Glow", "percent", step=1)]
    if job.setting.glow.strength > 0:
        far, from_ = "100 %: as in the eye.", "What is brighter than so many times white paper glows."
        fields += [
            ranged(job, (*glow, "reach"), "Glow reaches", "percent", step=10, hint=far),
            ranged(job, (*glow, "threshold"), "Glow from", "times", step=0.1, hint=from_),
        ]
    return fields


def _ground(job: Job) -> list[Spec]:
    ground = job.setting.ground
    kinds = _named(get_args(GroundName))
    fields = [
        Spec(
            "setting.ground.kind",
            "Ground",
            lambda job: job.setting.ground.kind,
            lambda job, kind: change(job, GROUND, in_ground(job.setting.ground, kind)),
            "menu",
            options=kinds,
            pictures="looks/grounds",
        )
    ]
    if ground.kind in COLOURED_GROUNDS:
        fields.append(at((*GROUND, "colour"), "Ground colour", "colour"))
    if ground.kind != "none" and stance_among(job.blank, job.setting.stance) != "hung":
        fields.append(at((*GROUND, "form"), "Form", "choice", options=FORMS))
    behind = (("room", "The place"), ("plain", "Plain"))
    fields.append(at((*GROUND, "behind"), "Behind", "choice", options=behind))
    if ground.behind == "plain":
        fields.append(at((*GROUND, "behind_colour"), "Colour behind", "colour"))
    return fields


def _camera(job: Job) -> list[Spec]:
    opening = "What is out of focus; 0: all is sharp."
    fields = _places(job)
    fields += [
        ranged(job, (*CAMERA, "turn_deg"), "Camera round", "angle", step=5),
        ranged(job, (*CAMERA, "tilt_deg"), "Camera height", "angle", step=5),
        ranged(job, (*CAMERA, "distance_mm"), "Distance", "length", step=20),
        ranged(job, (*CAMERA, "lens_mm"), "Lens", "length", step=5, hint="On a 36 mm wide frame."),
        at((*CAMERA, "upright"), "Upright lines", "switch", options=((True, "Kept"), (False, "As seen"))),
        ranged(job, (*CAMERA, "f_number"), "Opening", "f-number", step=1, hint=opening),
    ]
    if job.setting.camera.f_number > 0:
        beyond = "How far beyond the lettering; below zero, before it."
        fields += [
            ranged(job, (*CAMERA, "focus_mm"), "Focus", "length", step=1, hint=beyond),
            link("camera.focus", "", "Focus where I click…", "Click what is to be sharp"),
        ]
    return fields


def _places(job: Job) -> list[Spec]:
    """The camera places of the job."""
    fields: list[Spec] = []
    if job.setting.places:
        names = tuple((place.name, place.name) for place in job.setting.places)
        options = names if place_of(job) is not None else ((None, "Moved away"), *names)
        fields.append(Spec("camera.place", "Seen from", place_of, _from, "menu", options=options))
    if len(job.setting.places) < MOST_PLACES:
        fields.append(link("camera.keep", "", "Keep this view…", "Keep the camera by name"))
    if place_of(job) is not None:
        fields.append(link("camera.forget", "", "Forget this view"))
    fields.append(link("camera.afar", "", "From afar…", "As large as it is for the eye from a distance"))
    return fields


def _from(job: Job, name: str | None) -> Job:
    return job if name is None else at_place(job, name)


def _exposure(job: Job) -> list[Spec]:
    modes = (("by itself", "By itself"), ("by hand", "By hand"))
    words = "On top" if job.setting.exposure == "by itself" else "Exposure"
    white = "Light of this colour is shown as white."
    return [
        at((*SETTING, "exposure"), "Set", "choice", options=modes),
        ranged(job, (*SETTING, "exposure_stops"), words, "stops", step=0.1),
        ranged(job, (*SETTING, "white_kelvin"), "White", "kelvin", step=100, hint=white),
    ]


def _ground_words(job: Job) -> str:
    return job.setting.ground.kind


def _camera_words(job: Job) -> str:
    camera = job.setting.camera
    opening = f", f/{camera.f_number:g}" if camera.f_number > 0 else ""
    return f"{camera.lens_mm:g} mm{opening}"


def _exposure_words(job: Job) -> str:
    stops = job.setting.exposure_stops
    added = f"{stops:+g} stops".replace("-", "−") if stops else ""
    if job.setting.exposure == "by hand":
        return added or "by hand"
    return f"by itself, {added}" if added else "by itself"
