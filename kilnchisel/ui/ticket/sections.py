"""Which fields each section shows for a job. A control without effect is not listed."""

from __future__ import annotations

from kilnchisel.core.job.crafts import Printed, shines
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import detail_word, rim_word, stances_of
from kilnchisel.ui.ticket.blank import blank_specs
from kilnchisel.ui.ticket.craft import craft_specs
from kilnchisel.ui.ticket.fields import Spec, at, ranged
from kilnchisel.ui.ticket.finishes import SURFACES, finish_specs, wear_specs
from kilnchisel.ui.ticket.lay import lay_specs
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


def specs(
    job: Job,
    section: str,
    index: int | None,
    opened: frozenset[str] = frozenset(),
    letter: int | None = None,
) -> list[Spec]:
    """The fields of a section. ``opened``: groups that are unfolded; ``letter``: the chosen one."""
    if section == "blank":
        return blank_specs(job)
    if section == "finish":
        return _finish(job, index)
    if section == "setting":
        return _setting(job)
    if index is None or section == "hand-over":
        return []
    if section == "wording":
        return wording_specs(job, index, opened, letter)
    here: tuple[str | int, ...] = ("letterings", index)
    return {"lay": lay_specs, "craft": craft_specs}[section](job, here)


def _finish(job: Job, index: int | None) -> list[Spec]:
    fields = []
    if index is not None:
        letters = ("letterings", index, "finish")
        extra = (
            (("ink", "Ink"),)
            if isinstance(job.letterings[index].craft, Printed)
            else (("as the blank", "As the blank"),)
        )
        fields += finish_specs(job, letters, "Letters", extra + SURFACES)
    fields += finish_specs(job, ("finish",), "Blank", SURFACES)
    for path, word in (("rim_finish", rim_word(job.blank)), ("detail_finish", detail_word(job.blank))):
        if word is not None:
            fields += finish_specs(job, (path,), word.capitalize(), SURFACES)
    return [*fields, *wear_specs(job)]


def _setting(job: Job) -> list[Spec]:
    light: tuple[str | int, ...] = ("setting", "light")
    fields = [
        at(
            (*light, "room"),
            "Light",
            "choice",
            options=(
                ("workshop", "Workshop"),
                ("studio", "Studio"),
                ("daylight", "Daylight"),
                ("dark", "Dark"),
            ),
            pictures="looks/lights",
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
    if any(shines(item.craft) for item in job.letterings):
        glow: tuple[str | int, ...] = ("setting", "glow")
        fields.append(ranged(job, (*glow, "strength"), "Glow", "percent", step=1))
        if job.setting.glow.strength > 0:
            fields += [
                ranged(
                    job, (*glow, "reach"), "Glow reaches", "percent", step=10, hint="100 %: as in the eye."
                ),
                ranged(
                    job,
                    (*glow, "threshold"),
                    "Glow from",
                    "times",
                    step=0.1,
                    hint="What is brighter than so many times white paper glows.",
                ),
            ]
    stances = stances_of(job.blank)
    if len(stances) > 1:
        fields.append(
            at(
                ("setting", "stance"),
                "Shown",
                "choice",
                options=tuple((stance, stance.capitalize()) for stance in stances),
            )
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
                ("brick", "Brick"),
                ("boards", "Boards"),
                ("concrete", "Concrete"),
                ("asphalt", "Asphalt"),
                ("grass", "Grass"),
            ),
            pictures="looks/grounds",
        )
    )
    if ground.kind in ("card", "plaster", "concrete"):
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
