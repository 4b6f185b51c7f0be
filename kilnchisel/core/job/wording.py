"""Wording: the words, their face, and everything about how the letters stand."""

from __future__ import annotations

import unicodedata
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Degrees, Value
from kilnchisel.core.job.finish import LetterFinish

Signed = Annotated[float, Field(ge=-500, le=500)]
Place = tuple[float, float]


class Axis(Value):
    """A setting of a variable font: the axis' four-letter tag and its value in the font's units."""

    tag: Annotated[str, Field(min_length=4, max_length=4)]
    value: float


class ShippedFace(Value):
    """A face that comes with the application, by its catalogue name."""

    kind: Literal["shipped"] = "shipped"
    name: str = "cinzel-bold"


class FileFace(Value):
    """A font file opened from where it lies. The digest finds the packed copy on another machine.

    ``number``: which face of a collection; ``axes``: of a variable font, those off their default.
    """

    kind: Literal["file"] = "file"
    path: str
    sha256: str = ""
    family: str = ""
    number: Annotated[int, Field(ge=0, le=1000)] = 0
    axes: tuple[Axis, ...] = ()


class LineFace(Value):
    """A shipped face made of open strokes, for tubes, one-pass engraving and plotters."""

    kind: Literal["lines"] = "lines"
    name: str = "hershey-sans"


Face = Annotated[ShippedFace | FileFace | LineFace, Field(discriminator="kind")]


class Features(Value):
    """What the face offers beyond one letter for each character (OpenType features)."""

    ligatures: bool = True
    small_capitals: bool = False
    figures: Literal["as drawn", "lining", "old style"] = "as drawn"
    alternates: tuple[Annotated[str, Field(min_length=4, max_length=4)], ...] = ()


WIDEST_MM = 100_000.0  # that rows are brought to


class Fit(Value):
    """The widest row brought to an exact width, by one of three means."""

    by: Literal["size", "spacing", "width"] = "size"
    width_mm: Annotated[float, Field(ge=0.5, le=WIDEST_MM)] = 100.0


class Rows(Value):
    """Rows below each other."""

    kind: Literal["rows"] = "rows"


class Column(Value):
    """One letter to a row, each centred on its own width."""

    kind: Literal["column"] = "column"


FLATTEST_MM = 1_000_000.0  # an arc of a larger radius is straight, whatever the row
TIGHTEST_MM = 0.5  # the least radius of one


class Circle(Value):
    """Round a circle about the lettering's place; the radius is that of the first row's baseline.

    ``centre_deg``: where the middle of the words is, 0 the top, clockwise. ``heads``: which way the
    tops of the letters point. ``second_under``: the second row reads under the bottom.
    """

    kind: Literal["circle"] = "circle"
    radius_mm: Annotated[float, Field(ge=TIGHTEST_MM, le=FLATTEST_MM)] = 60.0
    centre_deg: Degrees = 0.0
    heads: Literal["out", "in"] = "out"
    second_under: bool = False


class Curve(Value):
    """Along a curve through points, mm from the lettering's place."""

    kind: Literal["curve"] = "curve"
    points: Annotated[tuple[Place, ...], Field(min_length=2, max_length=2000)] = (
        (-60.0, 0.0),
        (-20.0, 14.0),
        (20.0, 14.0),
        (60.0, 0.0),
    )
    smooth: bool = True


class Slope(Value):
    """Letters upright with their feet on a line through points, mm from the lettering's place."""

    kind: Literal["slope"] = "slope"
    points: Annotated[tuple[Place, ...], Field(min_length=2, max_length=2000)] = (
        (-60.0, -12.0),
        (60.0, 12.0),
    )
    smooth: bool = False


Arrangement = Annotated[Rows | Column | Circle | Curve | Slope, Field(discriminator="kind")]


class LetterChange(Value):
    """One letter treated by itself. ``at``: its index in the text.

    ``kern_mm``: more room before it; ``raise_mm``: up; ``turn_deg``: counter-clockwise; ``size``: % of
    the others; ``finish``: its own. ``hidden``: it is left out, its room stays.
    """

    at: Annotated[int, Field(ge=0)]
    kern_mm: Signed = 0.0
    raise_mm: Signed = 0.0
    turn_deg: Degrees = 0.0
    size: Annotated[float, Field(ge=5, le=1000)] = 100.0
    finish: LetterFinish | None = None
    hidden: bool = False

    @property
    def plain(self) -> bool:
        """Whether it changes nothing."""
        return self == LetterChange(at=self.at)


class Contour(Value):
    """A line round the letters at a distance; ``second_mm`` > 0 adds another outside it."""

    distance_mm: Annotated[float, Field(ge=0.02, le=500)] = 1.5
    line_mm: Annotated[float, Field(ge=0.02, le=200)] = 0.6
    second_mm: Annotated[float, Field(ge=0, le=200)] = 0.0
    gap_mm: Annotated[float, Field(ge=0.02, le=200)] = 0.6
    finish: LetterFinish | None = None


class Backing(Value):
    """A shape behind the letters, that follows them or is a rectangle; ``height``: % of the craft's height
    or depth. ``letters``: they lie on it, or are weeded out of it: then it is all there is."""

    distance_mm: Annotated[float, Field(ge=0.05, le=500)] = 3.0
    form: Literal["follows them", "rectangle"] = "follows them"
    letters: Literal["on it", "weeded out"] = "on it"
    height: Annotated[float, Field(ge=1, le=100)] = 50.0
    finish: LetterFinish | None = None


class Stencil(Value):
    """Bridges that hold the islands of letters that are cut through."""

    bridge_mm: Annotated[float, Field(ge=0.05, le=200)] = 1.2
    bridges: Literal[1, 2] = 2


Standard = Literal[
    "none",
    "tactile sign",
    "sign read by eye",
    "exit sign",
    "ISO 3098 type A",
    "ISO 3098 type B",
    "UK number plate",
    "boat number",
    "aircraft mark",
]


MOST_LETTERS, MOST_ROWS, MOST_MARKS = 4_000, 300, 12


def _settable(text: str) -> str:
    """Words that can be set. Raises KilnError for more rows, or marks on a letter, than make sense."""
    rows = text.count("\n") + 1
    if rows > MOST_ROWS:
        raise KilnError(f"The words have {rows:,} rows; the most is {MOST_ROWS}.")
    marks = 0
    for character in text:
        marks = marks + 1 if unicodedata.combining(character) else 0
        if marks > MOST_MARKS:
            raise KilnError(f"A letter carries more than {MOST_MARKS} marks; that cannot be set.")
    return text


class Wording(Value):
    """Rows of text and how the letters stand."""

    kind: Literal["words"] = "words"
    text: Annotated[str, Field(max_length=MOST_LETTERS), AfterValidator(_settable)] = "Lettering"
    face: Face = ShippedFace()
    cap_height_mm: Annotated[float, Field(ge=0.2, le=3000)] = 10.0
    direction: Literal["by the words", "left to right", "right to left"] = "by the words"
    features: Features = Features()
    kerning: Literal["face", "optical", "none"] = "face"
    letter_spacing_mm: Annotated[float, Field(ge=-50, le=500)] = 0.0
    row_spacing: Annotated[float, Field(ge=60, le=600)] = 170.0  # % of capital height
    align: Literal["left", "centre", "right"] = "centre"
    width: Annotated[float, Field(ge=20, le=500)] = 100.0  # %
    slant_deg: Annotated[float, Field(ge=-60, le=60)] = 0.0
    fit: Fit | None = None
    arrangement: Arrangement = Rows()
    letters: Annotated[tuple[LetterChange, ...], Field(max_length=20_000)] = ()
    drawn: Literal["outlines", "centre lines"] = "outlines"
    pen_mm: Annotated[float, Field(ge=0.02, le=300)] = 1.0
    bend_mm: Annotated[float, Field(ge=0, le=500)] = 0.0
    thicken_mm: Annotated[float, Field(ge=-50, le=50)] = 0.0
    round_mm: Annotated[float, Field(ge=0, le=200)] = 0.0
    contour: Contour | None = None
    backing: Backing | None = None
    stencil: Stencil | None = None
    standard: Standard = "none"

    @model_validator(mode="after")
    def _one_change_a_letter(self) -> Wording:
        places = [change.at for change in self.letters]
        if len(set(places)) != len(places):
            raise KilnError("A letter is changed twice in the same wording.")
        return self

    @property
    def by_lines(self) -> bool:
        """Whether the letters are lines drawn with a pen."""
        return self.drawn == "centre lines" or isinstance(self.face, LineFace)
