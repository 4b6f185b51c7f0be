"""Which fields each section shows for a job. A control without effect is not listed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from kilnchisel.core.job.crafts import Printed, shines
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import detail_word, rim_word, stances_of
from kilnchisel.ui.ticket.blank import blank_specs
from kilnchisel.ui.ticket.craft import craft_specs
from kilnchisel.ui.ticket.fields import Spec, at, ranged
from kilnchisel.ui.ticket.finishes import SURFACES, finish_specs, wear_specs
from kilnchisel.ui.ticket.lay import lay_specs
from kilnchisel.ui.ticket.wording import wording_specs


@dataclass(frozen=True)
class Asked:
    """What fields are asked for: of a job's chosen lettering, if there is one. ``opened``: the groups that
    are unfolded; ``letter``: the chosen one."""

    job: Job
    index: int | None
    opened: frozenset[str] = frozenset()
    letter: int | None = None


def _finish(asked: Asked) -> list[Spec]:
    job, index = asked.job, asked.index
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


def _setting(asked: Asked) -> list[Spec]:
    job = asked.job
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


def _wording(asked: Asked) -> list[Spec]:
    if asked.index is None:
        return []
    return wording_specs(asked.job, asked.index, asked.opened, asked.letter)


def _lay(asked: Asked) -> list[Spec]:
    return [] if asked.index is None else lay_specs(asked.job, ("letterings", asked.index))


def _craft(asked: Asked) -> list[Spec]:
    return [] if asked.index is None else craft_specs(asked.job, ("letterings", asked.index))


# the sections in their order: what each is called, and its fields; hand-over has a form of its own
TABLE: dict[str, tuple[str, Callable[[Asked], list[Spec]]]] = {
    "blank": ("Blank", lambda asked: blank_specs(asked.job)),
    "wording": ("Wording", _wording),
    "lay": ("Lay", _lay),
    "craft": ("Craft", _craft),
    "finish": ("Finish", _finish),
    "setting": ("Setting", _setting),
    "hand-over": ("Hand-over", lambda _: []),
}
SECTIONS = tuple(TABLE)
TITLES = {key: title for key, (title, _) in TABLE.items()}


def specs(
    job: Job,
    section: str,
    index: int | None,
    opened: frozenset[str] = frozenset(),
    letter: int | None = None,
) -> list[Spec]:
    """The fields of a section. ``opened``: groups that are unfolded; ``letter``: the chosen one."""
    return TABLE[section][1](Asked(job, index, opened, letter))
