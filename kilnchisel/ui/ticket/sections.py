"""Which fields each section shows for a job. A control without effect is not listed."""

from __future__ import annotations

import math
from typing import Any

from kilnchisel.core.build import body_of_job
from kilnchisel.core.job.blank import Mug, Plaque
from kilnchisel.core.job.edits import change, first_lettering
from kilnchisel.core.job.finish import (
    AsBlank,
    Ink,
    PaintedWood,
    Slate,
)
from kilnchisel.core.job.lettering import Engraved, Printed, Raised
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.ui.ticket.fields import Spec, at, ranged
from kilnchisel.ui.ticket.finishes import SURFACES, in_finish
from kilnchisel.ui.ticket.wording import wording_specs

SECTIONS = ("blank", "wording", "lay", "craft", "finish", "setting", "hand-over")
TITLES = {
    "blank": "Blank",
    "wording": "Wording",
    "lay": "Lay",
    "craft": "Craft",
    "finish": "Finish",
    "setting": "Setting",
    "hand-over": "Hand-over",
}

POLISH = (("polished", "Polished"), ("satin", "Satin"), ("brushed", "Brushed"))
CRAFTS: dict[str, Any] = {"printed": Printed, "engraved": Engraved, "raised": Raised}


def specs(
    job: Job,
    section: str,
    index: int | None,
    opened: frozenset[str] = frozenset(),
    letter: int | None = None,
) -> list[Spec]:
    """The fields of a section. ``opened``: groups that are unfolded; ``letter``: the chosen one."""
    if section == "blank":
        return _blank(job)
    if section == "finish":
        return _finish(job, index)
    if section == "setting":
        return _setting(job)
    if index is None or section == "hand-over":
        return []
    if section == "wording":
        return wording_specs(job, index, opened, letter)
    here: tuple[str | int, ...] = ("letterings", index)
    return {"lay": _lay, "craft": _craft}[section](job, here)


def _blank(job: Job) -> list[Spec]:
    kind = Spec(
        "blank.kind",
        "Object",
        lambda job: job.blank.kind,
        _with_blank,
        "choice",
        options=(("mug", "Mug"), ("plaque", "Plaque")),
    )

    def length(name: str, label: str, step: float = 1.0) -> Spec:
        return ranged(job, ("blank", name), label, "length", step=step)

    if isinstance(job.blank, Mug):
        fields = [
            kind,
            length("diameter_mm", "Diameter"),
            length("height_mm", "Height"),
            length("wall_mm", "Wall", 0.1),
            length("rim_mm", "Rim", 0.1),
            at(("blank", "handle"), "Handle", "switch", options=((True, "With"), (False, "Without"))),
        ]
        if job.blank.handle:
            fields.append(
                ranged(
                    job,
                    ("blank", "handle_deg"),
                    "Handle at",
                    "angle",
                    step=5,
                    hint="0° is the front, 90° to the right.",
                )
            )
        return fields
    fields = [
        kind,
        at(("blank", "shape"), "Shape", "choice", options=(("rectangle", "Rectangle"), ("oval", "Oval"))),
        length("width_mm", "Width"),
        length("height_mm", "Height"),
        length("thickness_mm", "Thickness", 0.5),
        length("edge_round_mm", "Edge round", 0.1),
    ]
    if job.blank.shape == "rectangle":
        fields.append(length("corner_mm", "Corners"))
    return fields


def _with_blank(job: Job, kind: str) -> Job:
    """Another object: the words go along, laid where they look right on it."""
    if kind == job.blank.kind:
        return job
    blank: Any = Mug() if kind == "mug" else Plaque()
    fresh = first_lettering(blank, "")
    letterings = []
    assert isinstance(fresh.wording, Wording)
    for number, lettering in enumerate(job.letterings):
        wording = lettering.wording
        cap = fresh.wording.cap_height_mm
        if isinstance(wording, Wording):
            cap = min(wording.cap_height_mm, cap)
            wording = wording.model_copy(update={"cap_height_mm": cap})
        lay = fresh.lay.model_copy(update={"across_mm": fresh.lay.across_mm - number * cap * 1.9})
        letterings.append(lettering.model_copy(update={"lay": lay, "wording": wording}))
    camera = job.setting.camera.model_copy(
        update={"tilt_deg": 20.0 if kind == "mug" else 52.0, "distance_mm": 480.0}
    )
    setting = job.setting.model_copy(update={"camera": camera})
    return change(
        job.model_copy(update={"blank": blank, "setting": setting}), ("letterings",), tuple(letterings)
    )


def _lay(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    path = (*here, "lay")
    fields = []
    sides = [sheet.side for sheet in body_of_job(job).sheets]
    if len(sides) > 1:
        options = tuple((side.name, side.name.capitalize()) for side in sides)
        fields.append(at((*path, "side"), "Side", "choice", options=options))
    fields.append(
        ranged(
            job, (*path, "along_mm"), "Along", "length", hint="From the middle of the front, to the right."
        )
    )
    if isinstance(job.blank, Mug):
        radius = job.blank.diameter_mm / 2
        index = int(here[1])
        fields.append(
            Spec(
                "along_deg",
                "Round",
                lambda job: math.degrees(job.letterings[index].lay.along_mm / radius),
                lambda job, value: change(job, (*path, "along_mm"), math.radians(value) * radius),
                "angle",
                step=5,
                hint="The same place as degrees round.",
            )
        )
    across = "Up" if isinstance(job.blank, Mug) else "Above middle"
    fields.append(ranged(job, (*path, "across_mm"), across, "length"))
    fields.append(ranged(job, (*path, "turn_deg"), "Turn", "angle", step=1))
    return fields


def _craft(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    path = (*here, "craft")
    index = int(here[1])
    kind = Spec(
        "craft.kind",
        "Made by",
        lambda job: job.letterings[index].craft.kind,
        lambda job, value: _with_craft(job, index, value),
        "choice",
        options=(("printed", "Printed"), ("engraved", "Engraved"), ("raised", "Raised")),
    )
    craft = job.letterings[index].craft
    if isinstance(craft, Printed):
        fields = [kind, ranged(job, (*path, "film_mm"), "Film", "length", step=0.01, decimals=3)]
        if hasattr(job.letterings[index].finish, "colour"):
            fields.append(at((*here, "finish", "colour"), "Colour", "colour"))
        return fields
    if isinstance(craft, Engraved):
        return [
            kind,
            ranged(job, (*path, "depth_mm"), "Depth", "length", step=0.05),
            ranged(
                job,
                (*path, "darkened"),
                "Darkened",
                "percent",
                step=5,
                hint="Patina or paint left in the recess.",
            ),
        ]
    return [kind, ranged(job, (*path, "height_mm"), "Height", "length", step=0.1)]


def _with_craft(job: Job, index: int, kind: str) -> Job:
    """Another way of making. Ink lies on the surface only; cut or raised letters take the blank's."""
    lettering = job.letterings[index]
    if lettering.craft.kind == kind:
        return job
    finish: Any = lettering.finish
    if kind == "printed" and isinstance(finish, AsBlank):
        finish = Ink()
    elif kind != "printed" and isinstance(finish, Ink):
        finish = AsBlank()
    return change(
        job,
        ("letterings", index),
        lettering.model_copy(update={"craft": CRAFTS[kind](), "finish": finish}),
    )


def _finish(job: Job, index: int | None) -> list[Spec]:
    fields = []
    if index is not None:
        letters = ("letterings", index, "finish")
        extra = (
            (("ink", "Ink"),)
            if isinstance(job.letterings[index].craft, Printed)
            else (("as the blank", "As the blank"),)
        )
        fields += _one_finish(job, letters, "Letters", extra + SURFACES)
    fields += _one_finish(job, ("finish",), "Blank", SURFACES)
    edge = "Rim" if isinstance(job.blank, Mug) else "Edge"
    fields += _one_finish(job, ("rim_finish",), edge, SURFACES)
    return fields


def _one_finish(
    job: Job, path: tuple[str | int, ...], label: str, options: tuple[tuple[Any, str], ...]
) -> list[Spec]:
    from kilnchisel.core.job.edits import read

    key = ".".join(str(step) for step in path)
    fields = [
        Spec(
            f"{key}.kind",
            label,
            lambda job: read(job, path).kind,
            lambda job, value: change(job, path, in_finish(read(job, path), value)),
            "choice",
            options=options,
        )
    ]
    finish = read(job, path)
    if hasattr(finish, "colour"):
        fields.append(at((*path, "colour"), f"{label} colour", "colour"))
    if hasattr(finish, "gloss"):
        fields.append(ranged(job, (*path, "gloss"), "Gloss", "percent", step=5))
    if isinstance(finish, PaintedWood):
        fields.append(ranged(job, (*path, "grain"), "Grain shows", "percent", step=5))
    if isinstance(finish, Slate):
        fields.append(ranged(job, (*path, "oiled"), "Oiled", "percent", step=5))
    if hasattr(finish, "polish"):
        fields.append(at((*path, "polish"), "Polish", "choice", options=POLISH))
    if isinstance(finish, PaintedWood) or getattr(finish, "polish", "") == "brushed":
        fields.append(ranged(job, (*path, "grain_deg"), "Grain turned", "angle", step=15))
    return fields


def _setting(job: Job) -> list[Spec]:
    light: tuple[str | int, ...] = ("setting", "light")
    fields = [
        at(
            (*light, "room"),
            "Light",
            "choice",
            options=(("workshop", "Workshop"), ("studio", "Studio"), ("daylight", "Daylight")),
        ),
        ranged(job, (*light, "strength"), "Strength", "percent", step=5),
        ranged(job, (*light, "turn_deg"), "Light turned", "angle", step=15),
        ranged(job, (*light, "key", "strength"), "Key light", "percent", step=5),
    ]
    if job.setting.light.key.strength > 0:
        fields += [
            ranged(
                job,
                (*light, "key", "turn_deg"),
                "Key from",
                "angle",
                step=5,
                hint="0° is the front, 90° the right.",
            ),
            ranged(job, (*light, "key", "tilt_deg"), "Key height", "angle", step=5),
            ranged(job, (*light, "key", "size_mm"), "Key size", "length", step=20, hint="Large is soft."),
        ]
    if isinstance(job.blank, Plaque):
        fields.append(
            at(("setting", "stance"), "Shown", "choice", options=(("lying", "Lying"), ("hung", "Hung")))
        )
    ground = job.setting.ground
    fields.append(
        at(
            ("setting", "ground", "kind"),
            "Ground",
            "choice",
            options=(
                ("oak table", "Oak table"),
                ("card", "Card"),
                ("slate slab", "Slate slab"),
                ("plaster", "Plaster"),
            ),
        )
    )
    if ground.kind in ("card", "plaster"):
        fields.append(at(("setting", "ground", "colour"), "Ground colour", "colour"))
    fields.append(
        at(
            ("setting", "ground", "behind"),
            "Behind",
            "choice",
            options=(("room", "The room"), ("plain", "Plain")),
        )
    )
    if ground.behind == "plain":
        fields.append(at(("setting", "ground", "behind_colour"), "Colour behind", "colour"))
    camera: tuple[str | int, ...] = ("setting", "camera")
    fields += [
        ranged(job, ("setting", "exposure_stops"), "Exposure", "stops", step=0.1),
        ranged(job, (*camera, "turn_deg"), "Camera round", "angle", step=5),
        ranged(job, (*camera, "tilt_deg"), "Camera height", "angle", step=5),
        ranged(job, (*camera, "distance_mm"), "Distance", "length", step=20),
        ranged(job, (*camera, "lens_mm"), "Lens", "length", step=5, hint="On a 36 mm wide frame."),
    ]
    return fields
