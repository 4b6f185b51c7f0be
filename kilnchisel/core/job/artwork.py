"""Lettering that was not typed: drawings and pictures from files, and simple shapes made here."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Percent, Value, refuse_corners

Millimetres = Annotated[float, Field(ge=0.05, le=100_000)]


class Artwork(Value):
    """A drawing from a file, kept in the job by its content.

    ``width_mm``: None is the size that the file states. ``unit_mm``: mm of one unit of a file that
    names none. For pictures: ``ink`` is what becomes lettering, ``threshold`` where it begins.
    ``lines``: open lines of the file, drawn ``pen_mm`` wide.
    """

    kind: Literal["artwork"] = "artwork"
    sha256: str
    name: str = ""
    form: Literal["svg", "dxf", "pdf", "bitmap"] = "svg"
    page: Annotated[int, Field(ge=1, le=10_000)] = 1
    unit_mm: Annotated[float, Field(gt=0, le=100_000)] | None = None
    width_mm: Millimetres | None = None
    ink: Literal["dark", "light", "opaque"] = "dark"
    threshold: Percent = 50.0
    smooth: Percent = 50.0
    lines: Literal["drawn", "left out"] = "drawn"
    pen_mm: Annotated[float, Field(ge=0.02, le=300)] = 0.8


MOST_STROKES = 400
MOST_POINTS = 4000  # of a stroke
Share = Annotated[float, Field(ge=0, le=1)]


class Stroke(Value):
    """A stroke of a round brush over a picture that hides what is under it, or brings it back. Points are
    shares of the picture's width and height from its lower left; ``wide``: % of its width."""

    points: Annotated[tuple[tuple[Share, Share], ...], Field(min_length=1, max_length=MOST_POINTS)]
    wide: Annotated[float, Field(ge=0.1, le=100)] = 6.0
    hides: bool = True


class Picture(Value):
    """Colour artwork for printing or relief, kept as pixels with their alpha, at a true width.
    ``strokes``: what was painted away of it."""

    kind: Literal["picture"] = "picture"
    sha256: str
    name: str = ""
    width_mm: Millimetres = 60.0
    strokes: Annotated[tuple[Stroke, ...], Field(max_length=MOST_STROKES)] = ()


class Disc(Value):
    """A filled circle or oval."""

    kind: Literal["disc"] = "disc"
    width_mm: Millimetres = 40.0
    height_mm: Millimetres = 40.0


class Ring(Value):
    """A circle line."""

    kind: Literal["ring"] = "ring"
    diameter_mm: Millimetres = 60.0
    line_mm: Millimetres = 2.0

    @model_validator(mode="after")
    def _open(self) -> Ring:
        if 2 * self.line_mm >= self.diameter_mm:
            raise KilnError(
                f"A ring of {self.diameter_mm:g} mm has no room for a line of {self.line_mm:g} mm."
            )
        return self


class Star(Value):
    """A star; ``inner``: the radius between the points, % of the outer."""

    kind: Literal["star"] = "star"
    diameter_mm: Millimetres = 20.0
    points: Annotated[int, Field(ge=3, le=60)] = 5
    inner: Annotated[float, Field(ge=5, le=99)] = 38.2  # a pentagram's


class Rule(Value):
    """A straight strip."""

    kind: Literal["rule"] = "rule"
    length_mm: Millimetres = 100.0
    line_mm: Millimetres = 1.0
    ends: Literal["square", "round"] = "square"


class Border(Value):
    """A rectangular frame line."""

    kind: Literal["border"] = "border"
    width_mm: Millimetres = 180.0
    height_mm: Millimetres = 100.0
    line_mm: Millimetres = 1.2
    corner_mm: Annotated[float, Field(ge=0, le=10_000)] = 4.0
    corners: Literal["round", "hollow", "cut"] = "round"

    @model_validator(mode="after")
    def _open(self) -> Border:
        small = min(self.width_mm, self.height_mm)
        if 2 * self.line_mm >= small:
            raise KilnError(f"A frame of {small:g} mm has no room for a line of {self.line_mm:g} mm.")
        refuse_corners(self.corner_mm, small)
        return self


class Badge(Value):
    """A filled plate: an oval, a shield, a rectangle, or one with scooped corners."""

    kind: Literal["badge"] = "badge"
    form: Literal["oval", "shield", "scooped", "rectangle"] = "oval"
    width_mm: Millimetres = 80.0
    height_mm: Millimetres = 50.0
    corner_mm: Annotated[float, Field(ge=0, le=10_000)] = 4.0  # of a rectangle

    @model_validator(mode="after")
    def _cornered(self) -> Badge:
        small = min(self.width_mm, self.height_mm)
        if self.form == "rectangle":
            refuse_corners(self.corner_mm, small)
        return self


class Frame(Value):
    """A line that follows the outline of the side it lies on, at an inset."""

    kind: Literal["frame"] = "frame"
    inset_mm: Annotated[float, Field(ge=0, le=10_000)] = 8.0
    line_mm: Millimetres = 2.0
    filled: bool = False  # all that it goes round, too
    points: Annotated[tuple[tuple[float, float], ...], Field(max_length=4000)] = ()  # of that side

    @model_validator(mode="after")
    def _closes(self) -> Frame:
        if 0 < len(self.points) < 3:
            raise KilnError("A frame takes three points or more; without any it follows its side.")
        return self


class Holes(Value):
    """Holes or slots, symmetric about the middle: one, two side by side, four at the corners."""

    kind: Literal["holes"] = "holes"
    number: Literal["one", "two", "four", "six"] = "four"
    hole_mm: Millimetres = 6.0
    slot_mm: Annotated[float, Field(ge=0, le=1000)] = 0.0  # how much longer than wide; 0: round
    apart_mm: Millimetres = 120.0  # from middle to middle
    apart_up_mm: Millimetres = 60.0

    @model_validator(mode="after")
    def _separate(self) -> Holes:
        steps = {"one": 0, "two": 1, "four": 1, "six": 2}[self.number]
        along = self.hole_mm + self.slot_mm
        if steps and self.apart_mm / steps <= along:
            raise KilnError("The holes run into each other; set them farther apart.")
        if self.number in ("four", "six") and self.apart_up_mm <= self.hole_mm:
            raise KilnError("The rows of holes run into each other; set them farther apart.")
        return self


class Arrow(Value):
    """An arrow to the right; turn it by the lay."""

    kind: Literal["arrow"] = "arrow"
    length_mm: Millimetres = 60.0
    shaft_mm: Millimetres = 6.0
    head_mm: Millimetres = 20.0

    @model_validator(mode="after")
    def _shaped(self) -> Arrow:
        if self.head_mm <= self.shaft_mm:
            raise KilnError("An arrow's head must be wider than its shaft.")
        if self.head_mm / 2 >= self.length_mm:
            raise KilnError(
                f"A head {self.head_mm:g} mm wide leaves no shaft on an arrow of {self.length_mm:g} mm."
            )
        return self


Form = Annotated[
    Disc | Ring | Star | Rule | Border | Frame | Holes | Badge | Arrow, Field(discriminator="kind")
]


class Shape(Value):
    """A simple shape made here."""

    kind: Literal["shape"] = "shape"
    form: Form = Disc()
