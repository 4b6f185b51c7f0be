"""What is drawn of the letters: outlines changed, pens, stencils, contours and backings."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kilnchisel.core.job.edits import change, wording_at
from kilnchisel.core.job.finish import AsBlank, Ink
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import (
    Backing,
    Contour,
    LineFace,
    Stencil,
    Wording,
)
from kilnchisel.core.units import format_length
from kilnchisel.ui.ticket.fields import Spec, at, ranged

Where = tuple[str | int, ...]


def outline_words(wording: Wording) -> str:
    parts = []
    if wording.by_lines:
        parts.append(f"centre lines, pen {format_length(wording.pen_mm)}")
    if wording.thicken_mm:
        verb = "thicker" if wording.thicken_mm > 0 else "thinner"
        parts.append(f"{format_length(abs(2 * wording.thicken_mm))} {verb}")
    if wording.round_mm:
        parts.append(f"corners {format_length(wording.round_mm)} round")
    if wording.stencil:
        parts.append(f"bridges {format_length(wording.stencil.bridge_mm)}")
    return ", ".join(parts) or "as the face draws it"


def outline_specs(job: Job, path: Where, wording: Wording) -> list[Spec]:
    index = int(path[1])
    fields = []
    if not isinstance(wording.face, LineFace):
        fields.append(
            Spec(
                f"{index}.drawn",
                "Drawn as",
                lambda job: wording_at(job, index).drawn,
                lambda job, value: _with_drawn(job, path, index, value),
                "choice",
                options=(("outlines", "Outlines"), ("centre lines", "Centre lines")),
                hint="Centre lines are for tubes, one-pass engraving and plotters.",
            )
        )
    if wording.by_lines:
        fields.append(
            ranged(
                job,
                (*path, "bend_mm"),
                "Bends at least",
                "length",
                step=0.5,
                hint="Corners are turned on this radius; the line is parted where there is no room.",
            )
        )
    else:
        fields.append(
            ranged(
                job,
                (*path, "thicken_mm"),
                "Thicken by",
                "length",
                step=0.05,
                hint="On each side of a stroke.",
            )
        )
        fields.append(ranged(job, (*path, "round_mm"), "Round corners", "length", step=0.1))
    fields.append(
        _part(
            path,
            "stencil",
            "Bridges",
            index,
            lambda job: _stencil_for(wording_at(job, index)),
            ("None", "Stencil"),
        )
    )
    if wording.stencil is not None:
        stencil = (*path, "stencil")
        fields.append(ranged(job, (*stencil, "bridge_mm"), "Bridge width", "length", step=0.1))
        fields.append(at((*stencil, "bridges"), "To a counter", "choice", options=((1, "One"), (2, "Two"))))
    return fields


def _with_drawn(job: Job, path: Where, index: int, value: str) -> Job:
    wording = wording_at(job, index)
    if value == "centre lines" and wording.drawn != value:
        job = change(job, (*path, "pen_mm"), pen_for(wording.cap_height_mm))
    return change(job, (*path, "drawn"), value)


def pen_for(cap_mm: float) -> float:
    """A pen that looks right for capitals of this height, mm."""
    return round(max(cap_mm * 0.09, 0.1), 2)


def _stencil_for(wording: Wording) -> Stencil:
    return Stencil(bridge_mm=round(max(wording.cap_height_mm * 0.08, 0.1), 2))


def _part(
    path: Where,
    name: str,
    label: str,
    index: int,
    make: Callable[[Job], Any],
    words: tuple[str, str],
) -> Spec:
    """A part of the wording that is there or not."""
    return Spec(
        f"{index}.{name}.there",
        label,
        lambda job: getattr(wording_at(job, index), name) is not None,
        lambda job, on: change(
            job, (*path, name), (getattr(wording_at(job, index), name) or make(job)) if on else None
        ),
        "switch",
        options=((False, words[0]), (True, words[1])),
    )


def around_words(wording: Wording) -> str:
    parts = []
    if wording.contour is not None:
        parts.append("double contour" if wording.contour.second_mm > 0 else "contour")
    if wording.backing is not None:
        parts.append("backing")
    return ", ".join(parts) or "nothing"


def around_specs(job: Job, path: Where, wording: Wording) -> list[Spec]:
    index = int(path[1])

    def contour(job: Job) -> Contour:
        cap = wording_at(job, index).cap_height_mm
        return Contour(
            distance_mm=round(max(cap * 0.14, 0.1), 2),
            line_mm=round(max(cap * 0.05, 0.05), 2),
            gap_mm=round(max(cap * 0.05, 0.05), 2),
        )

    def backing(job: Job) -> Backing:
        return Backing(
            distance_mm=round(max(wording_at(job, index).cap_height_mm * 0.3, 0.2), 2),
            finish=Ink(colour="#efe6d0"),
        )

    fields = [_part(path, "contour", "Contour line", index, contour, ("None", "Round them"))]
    if wording.contour is not None:
        here = (*path, "contour")
        fields += [
            ranged(job, (*here, "distance_mm"), "Distance", "length", step=0.1),
            ranged(job, (*here, "line_mm"), "Line", "length", step=0.1),
            ranged(job, (*here, "second_mm"), "Second line", "length", step=0.1, hint="0 is none."),
        ]
        if wording.contour.second_mm > 0:
            fields.append(ranged(job, (*here, "gap_mm"), "Between them", "length", step=0.1))
        fields += _own_finish(path, index, "contour", "Contour", own=wording.contour.finish is not None)
    fields.append(_part(path, "backing", "Backing", index, backing, ("None", "Behind them")))
    if wording.backing is not None:
        here = (*path, "backing")
        forms = (("follows them", "Follows them"), ("rectangle", "Rectangle"))
        fields.append(at((*here, "form"), "Shape", "choice", options=forms))
        fields.append(ranged(job, (*here, "distance_mm"), "Reaches out", "length", step=0.5))
        lie = (("on it", "On it"), ("weeded out", "Weeded out"))
        fields.append(at((*here, "letters"), "Letters", "choice", options=lie))
        if wording.backing.letters == "on it" and job.letterings[index].craft.kind != "printed":
            fields.append(
                ranged(
                    job,
                    (*here, "height"),
                    "Height",
                    "percent",
                    step=5,
                    hint="Of the letters' own height or depth.",
                )
            )
        fields += _own_finish(path, index, "backing", "Backing", own=wording.backing.finish is not None)
    return fields


def _own_finish(path: Where, index: int, name: str, label: str, *, own: bool) -> list[Spec]:
    """Whether a part has a colour of its own, and which."""

    def finish(job: Job) -> Any:
        return getattr(wording_at(job, index), name).finish

    fields = [
        Spec(
            f"{index}.{name}.own",
            f"{label} finish",
            lambda job: finish(job) is not None,
            lambda job, on: change(job, (*path, name, "finish"), _coloured(job, index) if on else None),
            "switch",
            options=((False, "As the letters"), (True, "Own colour")),
        )
    ]

    if own:
        fields.append(
            Spec(
                f"{index}.{name}.colour",
                f"{label} colour",
                lambda job: getattr(finish(job), "colour", "#808080"),
                lambda job, colour: change(job, (*path, name, "finish"), Ink(colour=colour)),
                "colour",
            )
        )
    return fields


def _coloured(job: Job, index: int) -> Any:
    """A colour of the letters' own kind to begin with."""
    finish = job.letterings[index].finish
    if isinstance(finish, AsBlank) or not hasattr(finish, "colour"):
        return Ink(colour="#b0512f")
    return finish.model_copy(update={"colour": "#b0512f"})
