"""Which fields each section shows for a job. A control without effect is not listed."""

from __future__ import annotations

import math
from typing import Any, get_args

from kilnchisel.core.blanks.ringsizes import inner_of_iso, inner_of_us, iso_size, us_size
from kilnchisel.core.build import body_of_job, can_be_on_both, lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import TITLES as TITLES_OF
from kilnchisel.core.job.blank import Band, Mug, stances_of
from kilnchisel.core.job.boards import Board, Plate
from kilnchisel.core.job.bodies import Signet
from kilnchisel.core.job.edits import change, field_label, read
from kilnchisel.core.job.finish import (
    AsBlank,
    Cloth,
    Ink,
    PaintedWood,
    Slate,
    Wood,
)
from kilnchisel.core.job.fresh import with_blank
from kilnchisel.core.job.lettering import Engraved, Printed, Raised
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Fit, Wording
from kilnchisel.core.job.words import detail_word, edge_word, has_rim
from kilnchisel.core.lettering.arranging import is_straight
from kilnchisel.ui.ticket.fields import Spec, at, link, ranged
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
    """The fields of a blank, from its model: lengths, choices, switches."""
    objects = tuple(TITLES_OF.items())
    if job.blank.kind not in TITLES_OF:
        objects += ((job.blank.kind, "Mesh from a file"),)
    kind = Spec("blank.kind", "Object", lambda job: job.blank.kind, with_blank, "menu", options=objects)
    fields = [kind]
    blank = job.blank
    for name, info in type(blank).model_fields.items():
        if name == "kind" or not has_effect(blank, name):
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
        else:
            options = tuple((value, value[0].upper() + value[1:]) for value in get_args(info.annotation))
            fields.append(at(path, label, "choice", options=options))
    if isinstance(blank, Band | Signet):
        fields += ring_sizes(job)
    if isinstance(blank, Plate):
        fields.insert(1, _plate_format())
    if isinstance(blank, Board):
        fields.append(link("blank.outline", "", "Take the outline from a drawing…"))
    return fields


PLATE_FORMATS: dict[str, tuple[float, float, float, float, float]] = {
    # width, height, hole centres along and up, corner. SAE J686 (12 x 6 in, holes 7 x 4.75 in), from
    # memory; the long and square European formats by common practice
    "2 to 1": (304.8, 152.4, 177.8, 120.7, 12.0),
    "long": (520.0, 110.0, 400.0, 60.0, 10.0),
    "square": (340.0, 220.0, 240.0, 160.0, 10.0),
    "two wheels": (180.0, 200.0, 120.0, 140.0, 10.0),
}


def _plate_format() -> Spec:
    """The usual sizes of vehicle plates, by one choice."""
    sizes = ("width_mm", "height_mm", "apart_mm", "apart_up_mm", "corner_mm")

    def which(job: Job) -> str:
        have = tuple(getattr(job.blank, name) for name in sizes)
        return next((name for name, known in PLATE_FORMATS.items() if known == have), "own")

    def put(job: Job, name: str) -> Job:
        if name == "own":
            return job
        known = dict(zip(sizes, PLATE_FORMATS[name], strict=True))
        return change(job, ("blank",), job.blank.model_copy(update=known))

    options = tuple((name, name.capitalize()) for name in (*PLATE_FORMATS, "own"))
    return Spec("blank.format", "Format", which, put, "menu", options=options)


def has_effect(blank: Any, name: str) -> bool:
    """Whether a field of a blank changes anything as the others are."""
    needs: dict[str, Any] = {
        "handle_deg": lambda b: b.handle,
        "corner_mm": lambda b: getattr(b, "shape", "") != "oval",
        "frame_rise_mm": lambda b: b.frame_mm > 0,
        "line_in_mm": lambda b: b.line_mm > 0,
        "line_rise_mm": lambda b: b.line_mm > 0,
        "points": lambda b: False,
        "hole_mm": lambda b: b.holes != "none",
        "slot_mm": lambda b: b.holes != "none",
        "apart_mm": lambda b: b.holes != "none",
        "apart_up_mm": lambda b: b.holes == "four",
        "rim_in_mm": lambda b: b.rim_mm > 0,
        "rim_rise_mm": lambda b: b.rim_mm > 0,
        "reach_mm": lambda b: b.bracket,
        "brick_mm": lambda b: b.surface == "brick",
        "course_mm": lambda b: b.surface == "brick",
        "board_mm": lambda b: getattr(b, "surface", "boards") == "boards",
        "joint_mm": lambda b: b.surface != "plaster",
        "joint_deep_mm": lambda b: b.surface != "plaster",
        "window_mm": lambda b: b.window_rows > 0,
        "window_high_mm": lambda b: b.window_rows > 0,
        "window_every_mm": lambda b: b.window_rows > 0,
    }
    if blank.kind == "mesh":
        return name in ("unit_mm", "up", "turn_deg")
    return name not in needs or bool(needs[name](blank))


BLANK_LABELS = {
    ("mug", "handle_deg"): "Handle at",
    ("tumbler", "top_mm"): "Across the top",
    ("tumbler", "foot_mm"): "Across the foot",
    ("jar", "lid_mm"): "Lid across",
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
    index = int(here[1])
    side = _side_of(job, index)
    if side is not None and side.period is not None:
        fields += _round(job, path, index, side.period / (2 * math.pi))
    across = "Up" if isinstance(job.blank, Mug) else "Above middle"
    fields.append(ranged(job, (*path, "across_mm"), across, "length"))
    fields.append(ranged(job, (*path, "turn_deg"), "Turn", "angle", step=1))
    if can_be_on_both(job, index):
        fields.append(
            at(
                (*path, "both"),
                "Opposite side",
                "switch",
                options=((False, "No"), (True, "The same")),
                hint="One lettering on both sides, reading right on each.",
            )
        )
    if job.letterings[index].lay.both:
        fields.append(link("lay.unlink", "", "Unlink the opposite side"))
    if side is not None and side.taper is not None:
        fields.append(
            at(
                (*path, "cone"),
                "On the taper",
                "choice",
                options=(("straight rows", "Rows level"), ("unrolled", "Unrolled")),
                hint="Level rows stretch away from their middle; unrolled ones bend and stay true.",
            )
        )
    return fields


def _round(job: Job, path: tuple[str | int, ...], index: int, radius: float) -> list[Spec]:
    """The place as degrees round, and how far round the words go, on a closed side."""
    fields = [
        Spec(
            "along_deg",
            "Round",
            lambda job: math.degrees(job.letterings[index].lay.along_mm / radius),
            lambda job, value: change(job, (*path, "along_mm"), math.radians(value) * radius),
            "angle",
            step=5,
            hint="The same place as degrees round.",
        )
    ]
    wording = job.letterings[index].wording
    if not isinstance(wording, Wording) or not is_straight(wording):
        return fields

    def degrees(job: Job) -> float:
        try:
            return math.degrees(lettering_laid(job, index).outline.width_mm / radius)
        except KilnError:
            return 0.0

    def spread(job: Job, value: float) -> Job:
        by = Fit(by="spacing", width_mm=max(math.radians(value) * radius, 0.5))
        return change(job, ("letterings", index, "wording", "fit"), by)

    return [
        *fields,
        Spec(
            "spread_deg",
            "Spread over",
            degrees,
            spread,
            "angle",
            step=5,
            least=1.0,
            most=360.0,
            hint="The letters are set apart until the words go so far round.",
        ),
    ]


def _side_of(job: Job, index: int) -> Any:
    try:
        return body_of_job(job).sheet(job.letterings[index].lay.side).side
    except KilnError:
        return None  # the picture says what is wrong


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
    if has_rim(job.blank):
        fields += _one_finish(job, ("rim_finish",), edge_word(job.blank).capitalize(), SURFACES)
    detail = detail_word(job.blank)
    if detail is not None:
        fields += _one_finish(job, ("detail_finish",), detail.capitalize(), SURFACES)
    return fields


def _one_finish(
    job: Job, path: tuple[str | int, ...], label: str, options: tuple[tuple[Any, str], ...]
) -> list[Spec]:
    key = ".".join(str(step) for step in path)
    fields = [
        Spec(
            f"{key}.kind",
            label,
            lambda job: read(job, path).kind,
            lambda job, value: change(job, path, in_finish(read(job, path), value)),
            "menu",
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
    if isinstance(finish, PaintedWood | Wood | Cloth) or getattr(finish, "polish", "") == "brushed":
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
                ("asphalt", "Asphalt"),
                ("grass", "Grass"),
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
