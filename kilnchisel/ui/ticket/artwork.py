"""Artwork, pictures and shapes in the Wording section."""

from __future__ import annotations

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import (
    Artwork,
    Badge,
    Border,
    Form,
    Picture,
    Rule,
    Shape,
    Star,
)
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.kinds import named
from kilnchisel.core.lettering.content import artwork_size, artwork_width
from kilnchisel.core.units import format_length
from kilnchisel.ui.ticket.fields import Spec, at, link, ranged

Where = tuple[str | int, ...]

FORMS = named(Form)


def picture_specs(job: Job, path: Where, picture: Picture) -> list[Spec]:
    """The fields of a colour picture."""
    return [
        link("artwork.file", "Picture", picture.name),
        ranged(job, (*path, "width_mm"), "Width", "length"),
        link("artwork.mask", "Background", "Paint it away…" if not picture.strokes else "Painted away…"),
    ]


def artwork_specs(job: Job, path: Where, content: Artwork) -> list[Spec]:
    index = int(path[1])
    fields = [link("artwork.file", "Artwork", content.name or "a file", "Take another file")]
    try:
        size = artwork_size(content)
    except KilnError:
        return fields  # the readings say what is wrong with it

    def width(job: Job) -> float:
        own = job.letterings[index].content
        assert isinstance(own, Artwork)
        return artwork_width(own)

    least, most = 0.05, 100_000.0
    fields.append(
        Spec(
            f"{index}.artwork.width",
            "Width",
            width,
            lambda job, value: change(job, (*path, "width_mm"), value),
            "length",
            least=least,
            most=most,
        )
    )
    if content.width_mm is not None and size.stated:
        fields.append(link("artwork.true", "", f"True size, {format_length(size.width_mm)} wide"))
    if not size.stated and content.form != "bitmap":
        fields.append(
            Spec(
                f"{index}.artwork.unit",
                "One unit is",
                lambda job: job.letterings[index].content.unit_mm or 1.0,  # type: ignore[union-attr]
                lambda job, value: change(
                    change(job, (*path, "width_mm"), None), (*path, "unit_mm"), value
                ),
                "length",
                step=0.1,
                least=1e-4,
                most=1e5,
                decimals=4,
                hint="The file states no unit.",
            )
        )
    if content.form == "pdf":
        fields.append(ranged(job, (*path, "page"), "Page", "count"))
    if content.form == "bitmap":
        fields += [
            at(
                (*path, "ink"),
                "Letters are",
                "choice",
                options=(("dark", "Dark"), ("light", "Light"), ("opaque", "Opaque")),
            ),
            ranged(job, (*path, "threshold"), "From", "percent", step=2, hint="What counts as ink."),
            ranged(job, (*path, "smooth"), "Smoothed", "percent", step=10),
            link("artwork.colour", "", "Print it in its colours"),
        ]
    else:
        fields.append(
            at(
                (*path, "lines"),
                "Open lines",
                "choice",
                options=(("drawn", "Drawn"), ("left out", "Left out")),
            )
        )
        if content.lines == "drawn":
            fields.append(ranged(job, (*path, "pen_mm"), "Pen at least", "length", step=0.1))
    return fields


def shape_specs(job: Job, path: Where, shape: Shape) -> list[Spec]:
    index = int(path[1])
    here = (*path, "form")
    fields = [
        Spec(
            f"{index}.shape.kind",
            "Shape",
            lambda job: job.letterings[index].content.form.kind,  # type: ignore[union-attr]
            lambda job, kind: change(job, here, FORMS[kind]()),
            "choice",
            options=tuple((kind, kind.capitalize()) for kind in FORMS),
        )
    ]
    form = shape.form
    if isinstance(form, Badge):
        fields.append(
            at(
                (*here, "form"),
                "Outline",
                "choice",
                options=(
                    ("oval", "Oval"),
                    ("shield", "Shield"),
                    ("scooped", "Scooped"),
                    ("rectangle", "Rectangle"),
                ),
            )
        )
    for name in type(form).model_fields:
        if name.endswith("_mm"):
            label = name.removesuffix("_mm").replace("_", " ").capitalize()
            fields.append(ranged(job, (*here, name), label, "length"))
    if isinstance(form, Star):
        fields.append(ranged(job, (*here, "points"), "Points", "count"))
        fields.append(ranged(job, (*here, "inner"), "Inner radius", "percent", step=2))
    if isinstance(form, Rule):
        fields.append(
            at((*here, "ends"), "Ends", "choice", options=(("square", "Square"), ("round", "Round")))
        )
    if isinstance(form, Border) and form.corner_mm > 0:
        fields.append(
            at(
                (*here, "corners"),
                "Corners are",
                "choice",
                options=(("round", "Round"), ("hollow", "Hollow"), ("cut", "Cut")),
            )
        )
    return fields
