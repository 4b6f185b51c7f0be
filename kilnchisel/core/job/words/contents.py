"""What is written, drawn or pictured, in words."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.artwork import Artwork, Badge, Picture, Shape
from kilnchisel.core.job.lettering import Content, Lettering
from kilnchisel.core.job.wording import (
    Arrangement,
    Circle,
    Column,
    Curve,
    Face,
    FileFace,
    LineFace,
    Rows,
    ShippedFace,
    Slope,
    Wording,
)
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.units import format_length


def one_line(lettering: Lettering) -> str:
    """The words of a lettering on one line, or what it is."""
    return content_name(lettering.content)


@by_kind(Content)
def content_name(content: Any) -> str:
    """What stands for a content on one line: its words, a file's name, a shape's."""
    raise NotImplementedError


@content_name.of(Wording)
def _words_name(wording: Wording) -> str:
    return _rows_of(wording) or "no words"


@content_name.of(Artwork)
def _artwork_name(artwork: Artwork) -> str:
    return artwork.name or "artwork"


@content_name.of(Picture)
def _picture_name(picture: Picture) -> str:
    return picture.name or "picture"


@content_name.of(Shape)
def _shape_name(shape: Shape) -> str:
    form = shape.form
    return f"{form.form} badge" if isinstance(form, Badge) else form.kind


def _rows_of(wording: Wording) -> str:
    return " / ".join(row for row in wording.text.split("\n") if row.strip())


@by_kind(Content)
def content_words(content: Any) -> str:
    """The Wording section in one sentence."""
    raise NotImplementedError


@content_words.of(Wording)
def _wording(wording: Wording) -> str:
    if wording.fit is not None:
        size = f"fitted to {format_length(wording.fit.width_mm)} by {wording.fit.by}"
    else:
        size = f"capitals {format_length(wording.cap_height_mm)}"
    parts = [_rows_of(wording) or "No words", face_words(wording.face), size]
    way = arrangement_words(wording.arrangement)
    if way:
        parts.append(way)
    if wording.stencil is not None:
        parts.append(f"stencil bridges {format_length(wording.stencil.bridge_mm)}")
    if wording.contour is not None:
        parts.append("double contour" if wording.contour.second_mm > 0 else "contour line")
    if wording.backing is not None:
        parts.append("backing")
    return ", ".join(parts)


@content_words.of(Artwork, Picture)
def _from_file(content: Artwork | Picture) -> str:
    wide = "true size" if content.width_mm is None else f"{format_length(content.width_mm)} wide"
    return f"{content.kind.capitalize()} {content_name(content)}, {wide}"


@content_words.of(Shape)
def _shape(shape: Shape) -> str:
    form = shape.form
    sizes = [
        f"{name.removesuffix('_mm').replace('_', ' ')} {format_length(getattr(form, name))}"
        for name in type(form).model_fields
        if name.endswith("_mm")
    ]
    return f"{content_name(shape).capitalize()}, {', '.join(sizes)}"


@by_kind(Arrangement)
def arrangement_words(way: Any) -> str:
    """How letters run; nothing for plain rows."""
    raise NotImplementedError


@arrangement_words.of(Rows)
def _in_rows(_: Rows) -> str:
    return ""


@arrangement_words.of(Circle)
def _round(way: Circle) -> str:
    return f"round a circle of {format_length(way.radius_mm)} radius"


@arrangement_words.of(Column)
def _down(_: Column) -> str:
    return "one letter to a row"


@arrangement_words.of(Curve)
def _along(_: Curve) -> str:
    return "along a curve"


@arrangement_words.of(Slope)
def _up(_: Slope) -> str:
    return "up a slope"


@by_kind(Face)
def face_words(face: Any) -> str:
    """The name of a face: "EB Garamond"."""
    raise NotImplementedError


@face_words.of(FileFace)
def _own_face(face: FileFace) -> str:
    return face.family or face.path


@face_words.of(ShippedFace, LineFace)
def _shipped_face(face: ShippedFace | LineFace) -> str:
    return " ".join(
        part.upper() if part in ("eb", "biz", "ems") else part.capitalize() for part in face.name.split("-")
    )
