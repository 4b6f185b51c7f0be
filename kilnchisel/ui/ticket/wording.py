"""The Wording section: which fields it shows for words, artwork, a picture or a shape.

Fields lie in groups that fold; a folded group says its values in a few words.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from kilnchisel.core.build import outline_of, side_about, width_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import (
    Artwork,
    Picture,
    Shape,
)
from kilnchisel.core.job.edits import change, retyped, wording_at
from kilnchisel.core.job.lettering import Repeat
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.turning import with_arrangement
from kilnchisel.core.job.wording import (
    Axis,
    Circle,
    Column,
    Curve,
    Features,
    FileFace,
    Fit,
    Rows,
    Slope,
    Wording,
)
from kilnchisel.core.job.words.contents import face_words
from kilnchisel.core.lettering.faces import LoadedFace, load_face
from kilnchisel.core.remembered import known
from kilnchisel.core.units import format_angle, format_length, format_number
from kilnchisel.ui.away import away
from kilnchisel.ui.ticket.artwork import artwork_specs, picture_specs, shape_specs
from kilnchisel.ui.ticket.drawnas import around_specs, around_words, outline_specs, outline_words
from kilnchisel.ui.ticket.fields import Spec, at, group, link, ranged
from kilnchisel.ui.ticket.singles import single_letters, single_words

Where = tuple[str | int, ...]

STANDARDS = (
    ("none", "None"),
    ("tactile sign", "Tactile sign (ADA 703.2)"),
    ("sign read by eye", "Sign read by eye (ADA 703.5)"),
    ("exit sign", "Exit sign (NFPA 101)"),
    ("ISO 3098 type A", "ISO 3098, type A"),
    ("ISO 3098 type B", "ISO 3098, type B"),
    ("UK number plate", "UK number plate"),
    ("boat number", "Boat number (33 CFR 173)"),
    ("aircraft mark", "Aircraft mark (14 CFR 45)"),
)
# features of a face that are offered as alternates, and what they are called
ALTERNATES = {"salt": "Alternates", "swsh": "Swashes", "cswh": "Swashes by place", "titl": "Titling"}
ALTERNATES.update({f"ss{n:02d}": f"Set {n}" for n in range(1, 21)})


def wording_specs(job: Job, index: int, opened: frozenset[str], letter: int | None) -> list[Spec]:
    """The fields of the section; ``opened``: groups that are unfolded; ``letter``: the chosen one."""
    content = job.letterings[index].content
    path: Where = ("letterings", index, "content")
    if isinstance(content, Shape):
        return shape_specs(job, path, content)
    if isinstance(content, Picture):
        return picture_specs(job, path, content)
    if isinstance(content, Artwork):
        return artwork_specs(job, path, content)
    return _words(job, path, content, opened, letter)


# words


def _words(
    job: Job, path: Where, wording: Wording, opened: frozenset[str], letter: int | None
) -> list[Spec]:
    index = int(path[1])

    fields = [
        Spec(
            f"{index}.text",
            "Words",
            lambda job: wording_at(job, index).text,
            lambda job, text: change(job, path, retyped(wording_at(job, index), text)),
            "words",
        ),
        link("face", "Typeface", face_words(wording.face), "Choose another typeface"),
    ]
    if wording.fit is None or wording.fit.by != "size":
        fields.append(ranged(job, (*path, "cap_height_mm"), "Capital height", "length", step=0.5))
    if wording.by_lines:
        fields.append(ranged(job, (*path, "pen_mm"), "Pen width", "length", step=0.1))
    if isinstance(wording.arrangement, Rows):
        fields += _row_fields(job, path, wording)
    face = _face(wording)
    groups: tuple[tuple[str, str, str, Callable[[], list[Spec]]], ...] = (
        ("letters", "Letters", _letters_words(wording), lambda: _letters(job, path, wording, face)),
        ("fit", "Fit to width", _fit_words(wording), lambda: _fit(job, path, wording)),
        (
            "arrangement",
            "Arrangement",
            _arrangement_words(wording),
            lambda: _arrangement(job, path, wording),
        ),
        ("outline", "Outline", outline_words(wording), lambda: outline_specs(job, path, wording)),
        ("around", "Round the letters", around_words(wording), lambda: around_specs(job, path, wording)),
        (
            "single",
            "Single letters",
            single_words(wording),
            lambda: single_letters(job, path, wording, opened, letter),
        ),
        (
            "rules",
            "Rules to keep",
            wording.standard,
            lambda: [at((*path, "standard"), "Standard", "menu", options=STANDARDS)],
        ),
    )
    for key, label, words, made in groups:
        fields += group(key, label, words, opened, made)
    return fields


def _face(wording: Wording) -> LoadedFace | None:
    try:
        return load_face(wording.face)
    except KilnError:
        return None  # the readings say what is wrong with it


def _letters_words(wording: Wording) -> str:
    parts = []
    if wording.letter_spacing_mm:
        parts.append(f"{format_length(wording.letter_spacing_mm)} apart")
    if wording.kerning != "face":
        parts.append({"optical": "kerned by eye", "none": "not kerned"}[wording.kerning])
    if wording.width != 100:
        parts.append(f"{format_number(wording.width)} % wide")
    if wording.slant_deg:
        parts.append(f"leaning {format_angle(wording.slant_deg)}")
    if wording.features != Features():
        parts.append("own features")
    return ", ".join(parts) or "as the face has them"


def _letters(job: Job, path: Where, wording: Wording, face: LoadedFace | None) -> list[Spec]:
    fields = []
    if wording.fit is None or wording.fit.by != "spacing":
        fields.append(
            ranged(
                job,
                (*path, "letter_spacing_mm"),
                "Spacing",
                "length",
                step=0.1,
                hint="Added between letters.",
            )
        )
    fields.append(
        at(
            (*path, "kerning"),
            "Kerning",
            "choice",
            options=(("face", "Face"), ("optical", "By eye"), ("none", "None")),
            hint="The face's own pairs, or gaps made alike to the eye.",
        )
    )
    if wording.fit is None or wording.fit.by != "width":
        fields.append(ranged(job, (*path, "width"), "Width", "percent", step=5))
    fields.append(ranged(job, (*path, "slant_deg"), "Slant", "angle", step=1))
    if face is not None:
        fields += _features(path, face)
        fields += _axes(job, path, wording, face)
    if any(ord(c) > 0x590 for c in wording.text):
        fields.append(
            at(
                (*path, "direction"),
                "Reads",
                "choice",
                options=(
                    ("by the words", "By the words"),
                    ("left to right", "Left to right"),
                    ("right to left", "Right to left"),
                ),
            )
        )
    return fields


def _features(path: Where, face: LoadedFace) -> list[Spec]:
    offered = (*path, "features")
    fields = []
    if face.features & {"liga", "clig"}:
        fields.append(
            at((*offered, "ligatures"), "Ligatures", "switch", options=((True, "Joined"), (False, "Apart")))
        )
    if "smcp" in face.features:
        fields.append(
            at(
                (*offered, "small_capitals"),
                "Small letters",
                "switch",
                options=((False, "As typed"), (True, "Small capitals")),
            )
        )
    if face.features & {"lnum", "onum"}:
        fields.append(
            at(
                (*offered, "figures"),
                "Figures",
                "choice",
                options=(("as drawn", "As drawn"), ("lining", "Lining"), ("old style", "Old style")),
            )
        )
    index = int(path[1])
    for tag, words in ALTERNATES.items():
        if tag in face.features:
            fields.append(
                Spec(
                    f"{index}.alternate.{tag}",
                    words,
                    partial(_has_alternate, index, tag),
                    partial(_with_alternate, offered, index, tag),
                    "switch",
                    options=((False, "Off"), (True, "On")),
                )
            )
    return fields


def _has_alternate(index: int, tag: str, job: Job) -> bool:
    return tag in wording_at(job, index).features.alternates


def _with_alternate(offered: Where, index: int, tag: str, job: Job, on: bool) -> Job:  # noqa: FBT001 - what a switch gives
    others = [t for t in wording_at(job, index).features.alternates if t != tag]
    return change(job, (*offered, "alternates"), tuple([*others, tag] if on else others))


def _axes(job: Job, path: Where, wording: Wording, face: LoadedFace) -> list[Spec]:
    if not isinstance(wording.face, FileFace):
        return []
    index = int(path[1])

    def value(job: Job, *, tag: str, default: float) -> float:
        own = wording_at(job, index).face
        assert isinstance(own, FileFace)
        return next((axis.value for axis in own.axes if axis.tag == tag), default)

    def put(tag: str, default: float, job: Job, new: float) -> Job:
        own = wording_at(job, index).face
        assert isinstance(own, FileFace)
        axes = [axis for axis in own.axes if axis.tag != tag]
        if new != default:
            axes.append(Axis(tag=tag, value=new))
        return change(job, (*path, "face", "axes"), tuple(sorted(axes, key=lambda axis: axis.tag)))

    return [
        Spec(
            f"{index}.axis.{axis.tag}",
            axis.name,
            partial(value, tag=axis.tag, default=axis.default),
            partial(put, axis.tag, axis.default),
            "plain",
            step=max((axis.most - axis.least) / 20, 0.01),
            least=axis.least,
            most=axis.most,
            hint="An axis of this variable font, in its own units.",
        )
        for axis in face.axes
    ]


def _fit_words(wording: Wording) -> str:
    if wording.fit is None:
        return "off"
    return f"{format_length(wording.fit.width_mm)} by {wording.fit.by}"


def _fit(job: Job, path: Where, wording: Wording) -> list[Spec]:
    index = int(path[1])

    def put(job: Job, by: Any) -> Job:
        if by is None:
            return change(job, (*path, "fit"), None)
        present = wording_at(job, index).fit
        width = present.width_mm if present else _width(job, index)
        return change(job, (*path, "fit"), Fit(by=by, width_mm=width))

    fields = [
        Spec(
            f"{index}.fit.by",
            "Fit by",
            lambda job: None if (fit := wording_at(job, index).fit) is None else fit.by,
            put,
            "choice",
            options=((None, "Off"), ("size", "Size"), ("spacing", "Spacing"), ("width", "Width")),
        )
    ]
    if wording.fit is not None:
        fields.append(ranged(job, (*path, "fit", "width_mm"), "Width of words", "length"))
    return fields


def _arrangement_words(wording: Wording) -> str:
    way = wording.arrangement
    if isinstance(way, Circle):
        return f"circle, {format_length(way.radius_mm)} radius"
    return {"rows": "rows", "column": "one letter to a row", "curve": "a curve", "slope": "a slope"}[
        way.kind
    ]


def _arrangement(job: Job, path: Where, wording: Wording) -> list[Spec]:
    index = int(path[1])
    way = wording.arrangement
    here = (*path, "arrangement")
    fields = [
        Spec(
            f"{index}.arrangement.kind",
            "Letters run",
            lambda job: wording_at(job, index).arrangement.kind,
            lambda job, kind: _put_arrangement(job, path, index, kind),
            "choice",
            options=(
                ("rows", "In rows"),
                ("column", "Downward"),
                ("circle", "Circle"),
                ("curve", "Curve"),
                ("slope", "Slope"),
            ),
        )
    ]
    if isinstance(way, Circle):
        fields += [
            ranged(job, (*here, "radius_mm"), "Radius", "length", hint="To the baseline."),
            ranged(
                job, (*here, "centre_deg"), "Middle at", "angle", step=5, hint="0° is the top, clockwise."
            ),
            at(
                (*here, "heads"),
                "Heads point",
                "choice",
                options=(("out", "Outward"), ("in", "Inward")),
            ),
        ]
        if "\n" in wording.text:
            fields.append(
                at(
                    (*here, "second_under"),
                    "Second row",
                    "switch",
                    options=((False, "Inside"), (True, "Under")),
                )
            )
    if isinstance(way, Curve | Slope):
        fields.append(
            at(
                (*here, "smooth"),
                "Between points",
                "switch",
                options=((True, "Smooth"), (False, "Straight")),
            )
        )
        fields.append(
            link("points.add", "Points", f"{len(way.points)}; add one", "Drag the points on the object.")
        )
        if len(way.points) > 2:
            fields.append(link("points.remove", "", "Remove the last point"))
        fields.append(link("points.import", "", "Take a curve from a file…"))
    if not isinstance(way, Rows):
        fields += _row_fields(job, path, wording)
    return fields + _repeat(job, index)


def _row_fields(job: Job, path: Where, wording: Wording) -> list[Spec]:
    """How rows stand to each other, where there are several or where they hang on something."""
    way = wording.arrangement
    fields = []
    rows = "\n" in wording.text
    if rows or isinstance(way, Column):
        label = "Step down" if isinstance(way, Column) else "Row spacing"
        fields.append(
            ranged(
                job,
                (*path, "row_spacing"),
                label,
                "percent",
                step=5,
                hint="Baseline to baseline, of the capital height.",
            )
        )
    if rows or not isinstance(way, Rows):
        fields.append(
            at(
                (*path, "align"),
                "Rows sit",
                "choice",
                options=(("left", "Left"), ("centre", "Centre"), ("right", "Right")),
            )
        )
    return fields


def _width(job: Job, index: int) -> float:
    measured = partial(width_of, job, index)
    known_ = known(outline_of, job.letterings[index].content)
    return measured() if known_ else away(measured, "Measuring the words")


def _put_arrangement(job: Job, path: Where, index: int, kind: str) -> Job:
    made = with_arrangement(wording_at(job, index), kind, _width(job, index))
    return change(job, (*path, "arrangement"), made.arrangement)


def _repeat(job: Job, index: int) -> list[Spec]:
    path: Where = ("letterings", index, "lay", "repeat")

    def kind(job: Job) -> str:
        repeat = job.letterings[index].lay.repeat
        return "once" if repeat is None else "fill" if repeat.fill else "times"

    def put(job: Job, wanted: str) -> Job:
        made = None if wanted == "once" else Repeat(fill=wanted == "fill")
        return change(job, path, made)

    fields = [
        Spec(
            f"{index}.repeat.kind",
            "Repeated",
            kind,
            put,
            "choice",
            options=(("once", "Once"), ("times", "Times"), ("fill", "To fill")),
        )
    ]
    repeat = job.letterings[index].lay.repeat
    if repeat is not None and not repeat.fill:
        fields.append(ranged(job, (*path, "times"), "Times", "count", step=1))
    if repeat is not None and (repeat.fill or not _comes_round(job, index)):
        fields.append(ranged(job, (*path, "gap_mm"), "Gap at least", "length"))
    return fields


def _comes_round(job: Job, index: int) -> bool:
    """Whether repetitions stand in equal steps round a circle or a closed side, whatever their gap."""
    lettering = job.letterings[index]
    content = lettering.content
    if isinstance(content, Wording) and isinstance(content.arrangement, Circle):
        return True
    side = side_about(job, index)
    return side is not None and side.period is not None
