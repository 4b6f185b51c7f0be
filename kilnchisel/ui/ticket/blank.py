"""The Blank section: which object, and its sizes, from the blank's own model."""

from __future__ import annotations

from typing import Any, get_args

from kilnchisel.core.job.blank import TITLES as TITLES_OF
from kilnchisel.core.job.blank import Band, Vessel
from kilnchisel.core.job.boards import Board
from kilnchisel.core.job.bodies import Signet
from kilnchisel.core.job.edits import change, field_label, read
from kilnchisel.core.job.effect import has_effect
from kilnchisel.core.job.formats import FORMATS, format_of, in_format
from kilnchisel.core.job.fresh import SHOWS_OTHERWISE, with_blank, with_shown
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.ringsizes import (
    inner_of_iso,
    inner_of_us,
    iso_size,
    us_size,
)
from kilnchisel.core.job.vehicles import WITH_PLATES
from kilnchisel.ui.ticket.fields import Spec, at, link, ranged


def blank_specs(job: Job) -> list[Spec]:
    """The fields of a blank, from its model: lengths, choices, switches."""
    objects = tuple(TITLES_OF.items())
    if job.blank.kind not in TITLES_OF:
        objects += ((job.blank.kind, "Mesh from a file"),)
    kind = Spec(
        "blank.kind",
        "Object",
        lambda job: job.blank.kind,
        with_blank,
        "menu",
        options=objects,
        pictures="objects",
    )
    fields = [kind]
    blank = job.blank
    # what is in a vessel comes after the vessel itself
    own = sorted(type(blank).model_fields.items(), key=lambda one: one[0] in Vessel.model_fields)
    for name, info in own:
        if name in ("kind", DRAGGED) or not has_effect(blank, name, job.finish):
            continue
        label, unit = field_label(name)
        label = BLANK_LABELS.get((blank.kind, name), label)
        path = ("blank", name)
        if unit == " mm":
            step = 0.1 if float(getattr(blank, name)) < 12 else 1.0
            fields.append(ranged(job, path, label, "length", step=step))
        elif unit == "°":
            hint = "0° is the front, 90° to the right."
            fields.append(ranged(job, path, label, "angle", step=5, hint=hint))
        elif info.annotation is bool:
            fields.append(at(path, label, "switch", options=((True, "With"), (False, "Without"))))
        elif info.annotation is int:
            fields.append(ranged(job, path, label, "count"))
        elif info.annotation is float:
            fields.append(ranged(job, path, label, "percent", step=5))
        elif info.annotation is str:
            fields.append(at(path, label, "colour"))
        else:
            options = tuple((value, value[0].upper() + value[1:]) for value in get_args(info.annotation))
            if path in SHOWS_OTHERWISE:
                fields.append(_shown(path, label, options))
            else:
                fields.append(at(path, label, "choice", options=options))
    if isinstance(blank, Band | Signet):
        fields += ring_sizes(job)
    if type(blank) in FORMATS:
        fields.insert(1, _format(blank))
    if isinstance(blank, WITH_PLATES):
        fields += _plates()
    if isinstance(blank, Board):
        fields.append(link("blank.outline", "Outline", "From a drawing…"))
    return fields


def _plates() -> list[Spec]:
    """What is written on number plates, and on what."""
    hint = "Letters, figures, spaces; empty for plates that nothing is written on."
    return [
        at(("plates", "registration"), "Registration", "line", hint=hint),
        at(("plates", "colour"), "Front plate", "colour"),
        at(("plates", "rear_colour"), "Rear plate", "colour"),
    ]


def _shown(path: tuple[str, str], label: str, options: tuple[tuple[str, str], ...]) -> Spec:
    """What changes the setting too."""
    return Spec(
        ".".join(path),
        label,
        lambda job: read(job, path),
        lambda job, value: with_shown(job, **{path[-1]: value}),
        "menu",
        options=options,
    )


def _format(blank: Any) -> Spec:
    """The usual sizes of plates and vans, by one choice."""

    def which(job: Job) -> str:
        return format_of(job.blank) or "own"

    def put(job: Job, name: str) -> Job:
        return job if name == "own" else change(job, ("blank",), in_format(job.blank, name))

    names = (*FORMATS[type(blank)][1], "own")
    options = tuple((name, name[0].upper() + name[1:]) for name in names)
    return Spec("blank.format", "Format", which, put, "menu", options=options)


DRAGGED = "heights"  # of ground: by its marks in a photo
BLANK_LABELS = {
    ("mug", "handle_deg"): "Handle at",
    ("tumbler", "top_mm"): "Across the top",
    ("tumbler", "foot_mm"): "Across the foot",
    ("jar", "lid_mm"): "Lid across",
    **{
        (kind, name): label
        for kind in ("jar", "bottle", "tumbler")
        for name, label in (
            ("filled", "Filled"),
            ("contents_colour", "Of this colour"),
            ("contents_clear", "How clear"),
        )
    },
    ("bottle", "neck_mm"): "Neck across",
    ("band", "inner_mm"): "Inside across",
    ("medallion", "sunk_mm"): "Field sunk",
    ("signet", "inner_mm"): "Inside across",
    ("signet", "head_mm"): "Head across",
    ("signet", "head_high_mm"): "Head high",
    ("bracelet", "inner_mm"): "Inside across",
    ("bracelet", "inner_deep_mm"): "Inside deep",
    ("band", "inlay_mm"): "Inlay wide",
    ("board", "frame_mm"): "Frame wide",
    ("board", "line_mm"): "Border line",
    ("board", "line_in_mm"): "Line set in",
    ("board", "line_rise_mm"): "Line raised",
    ("board", "dome_mm"): "Dome or dish",
    ("plate", "slot_mm"): "Slot longer by",
    ("plate", "apart_mm"): "Holes apart",
    ("plate", "apart_up_mm"): "Holes apart, up",
    ("plate", "rim_mm"): "Rim wide",
    ("plate", "rim_in_mm"): "Rim set in",
    ("plate", "rim_rise_mm"): "Rim raised",
    ("box sign", "reach_mm"): "From the wall",
    ("wall", "joint_deep_mm"): "Joints deep",
    ("shop front", "joint_deep_mm"): "Joints deep",
    ("shop front", "fascia_mm"): "Fascia high",
    ("shop front", "window_mm"): "Window wide",
    ("shop front", "door_mm"): "Door wide",
    ("window", "frame_mm"): "Frame wide",
    ("window", "bars"): "Bars across",
    ("window", "bars_up"): "Bars up",
    ("window", "lit"): "Light in the room",
    ("wall", "board_mm"): "Board wide",
    ("book", "square_mm"): "Boards over pages",
    ("handle", "widest_mm"): "Widest",
    ("handle", "end_mm"): "End across",
    ("handle", "neck_mm"): "Neck across",
    ("hull", "window_mm"): "Window wide",
    ("hull", "window_high_mm"): "Window high",
    ("hull", "window_every_mm"): "One every",
    ("garment", "folds_mm"): "Folds",
    ("garment", "chest_mm"): "Chest, flat",
    ("bank", "deep_mm"): "Deep",
    ("bank", "rough_mm"): "Roughness",
    ("van", "wheel_mm"): "Wheels across",
    ("hatchback", "wheel_mm"): "Wheels across",
    ("box truck", "wheel_mm"): "Wheels across",
    ("coach", "wheel_mm"): "Wheels across",
    ("aeroplane", "width_mm"): "Body across",
    ("aeroplane", "fin_mm"): "Fin over the body",
    ("aeroplane", "window_every_mm"): "A window every",
    ("sailing hull", "width_mm"): "Beam",
    ("mesh", "unit_mm"): "One unit is",
}


def ring_sizes(job: Job) -> list[Spec]:
    """The inner diameter as ring sizes."""

    def spec(key: str, label: str, size: Any, inner: Any, step: float, hint: str) -> Spec:
        return Spec(
            f"blank.{key}",
            label,
            lambda job: round(size(read(job, ("blank", "inner_mm"))), 3),
            lambda job, value: change(job, ("blank", "inner_mm"), round(inner(value), 3)),
            "plain",
            step=step,
            hint=hint,
        )

    return [
        spec("iso", "ISO size", iso_size, inner_of_iso, 1, "ISO 8653: the inner circumference in mm."),
        spec("us", "US size", us_size, inner_of_us, 0.5, "Quarter and half sizes too."),
    ]
