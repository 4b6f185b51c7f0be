"""A photograph as the place of a job: the picture, what in it tells where the camera stood, and where on
that the piece is put.

Points of the photo are pixels (x to the right, y down), from the upper left corner of its upper left pixel.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.artwork import MOST_POINTS, MOST_STROKES
from kilnchisel.core.job.base import Degrees, Value

Pixel = Annotated[float, Field(ge=-100_000, le=200_000)]
Spot = tuple[Pixel, Pixel]
Line = tuple[Spot, Spot]
Length = Annotated[float, Field(ge=1, le=10_000_000)]
LensMm = Annotated[float, Field(ge=4, le=2000)]  # on a frame 36 mm wide
Lines = Annotated[tuple[Line, ...], Field(max_length=40)]


class Rectangle(Value):
    """A rectangle of known size that is seen in the photo: a door, a window, a sheet, the board itself.
    ``corners``: lower left, lower right, upper right, upper left, as someone in front of it sees it;
    on the ground the lower ones are the nearer."""

    kind: Literal["rectangle"] = "rectangle"
    corners: tuple[Spot, Spot, Spot, Spot]
    width_mm: Length
    height_mm: Length
    on: Literal["wall", "ground"] = "wall"


class Parallels(Value):
    """Lines that are parallel in life: some along the wall, some upright, some going away from its face;
    two of these at least. ``measured``: from one point to another along ``way``, ``length_mm`` in life; its
    first point is where the place has its origin."""

    kind: Literal["lines"] = "lines"
    along: Lines = ()
    upright: Lines = ()
    away: Lines = ()
    measured: Line
    way: Literal["along", "upright", "away"] = "along"
    length_mm: Length
    on: Literal["wall", "ground"] = "wall"


class Oval(Value):
    """An ellipse in the photo: its middle, half its longer and its shorter axis in pixels, and how far the
    longer one is turned from the picture's right, clockwise as one sees it."""

    middle: Spot
    long_px: Annotated[float, Field(gt=0, le=100_000)]
    short_px: Annotated[float, Field(gt=0, le=100_000)]
    turn_deg: Degrees = 0.0


class Rims(Value):
    """The rim and the foot of something round that stands: two circles, one above the other.
    ``diameter_mm``: of the rim; ``foot_mm``: of the foot, 0 where it is as wide; ``height_mm``: between
    them, 0 where it is not known."""

    kind: Literal["rims"] = "rims"
    rim: Oval
    foot: Oval
    diameter_mm: Length
    height_mm: Annotated[float, Field(ge=0, le=10_000_000)] = 0.0
    foot_mm: Annotated[float, Field(ge=0, le=10_000_000)] = 0.0


class Horizon(Value):
    """Only the horizon, by two of its points, and how high above the ground the camera was. ``below``: the
    point of the ground where the place has its origin."""

    kind: Literal["horizon"] = "horizon"
    line: Line
    below: Spot
    eye_mm: Length = 1600.0


Told = Annotated[Rectangle | Parallels | Rims | Horizon, Field(discriminator="kind")]
Off = Annotated[float, Field(ge=-10_000_000, le=10_000_000)]


class Brush(Value):
    """A stroke over a photo: over something that stands before the piece, or over what does not."""

    points: Annotated[tuple[Spot, ...], Field(min_length=1, max_length=MOST_POINTS)]
    wide_px: Annotated[float, Field(ge=1, le=10_000)] = 20.0
    before: bool = True


class Mask(Value):
    """A grey picture of the photo's shape: how much of each pixel stands before the piece. ``strokes``:
    what it was grown from, where it was."""

    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    name: Annotated[str, Field(max_length=200)] = ""
    strokes: Annotated[tuple[Brush, ...], Field(max_length=MOST_STROKES)] = ()


class Cleared(Value):
    """What is taken away of a photo, and by what it is filled: a picture of which pixel each one there is
    copied from. ``strokes``: by which it was marked, where it was."""

    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    name: Annotated[str, Field(max_length=200)] = ""
    strokes: Annotated[tuple[Brush, ...], Field(max_length=MOST_STROKES)] = ()


class Pull(Value):
    """What of a lettering on folds is seen at ``at`` goes to ``to``, and what is near it with it."""

    at: Spot
    to: Spot


class Folds(Value):
    """Cloth whose folds the lettering follows and whose light and dark it takes.

    ``wide_mm``: a fold, from valley to valley. ``light_deg``: from where the light comes over the cloth (0
    from the right, 90 from above). ``deep``: of what the cloth's light says of its heights, %; ``shade``:
    of its light and dark, %. ``pulls``: by hand, where the picture misleads.
    """

    wide_mm: Annotated[float, Field(ge=1, le=5000)] = 60.0
    light_deg: Degrees = 90.0
    deep: Annotated[float, Field(ge=0, le=400)] = 100.0
    shade: Annotated[float, Field(ge=0, le=200)] = 100.0
    pulls: Annotated[tuple[Pull, ...], Field(max_length=60)] = ()


class Stands(Value):
    """Where in a photo a piece is.

    ``told``: what tells where the camera stood. ``shown``: the whole piece, or only its lettering: the
    blank is something that is in the photo. ``beside_mm``, ``beyond_mm``, ``above_mm``: where the piece
    is, from the origin of the place; ``turn_deg``: about the upright line. ``grown_mm``: how high what
    grows there hides the feet of what stands on it. Of the piece, % of what the photo has: ``soft`` and
    ``grain``; ``halo``, of sharpening along edges; ``packed``, of JPEG; ``blacks`` and ``whites``, how far
    its tones keep from black and white.
    """

    told: Told
    shown: Literal["whole", "lettering"] = "whole"
    beside_mm: Off = 0.0
    beyond_mm: Off = 0.0
    above_mm: Off = 0.0
    turn_deg: Degrees = 0.0
    soft: Annotated[float, Field(ge=0, le=400)] = 100.0
    grain: Annotated[float, Field(ge=0, le=400)] = 100.0
    halo: Annotated[float, Field(ge=0, le=400)] = 100.0
    packed: Annotated[float, Field(ge=0, le=400)] = 100.0
    blacks: Annotated[float, Field(ge=0, le=200)] = 100.0
    whites: Annotated[float, Field(ge=0, le=200)] = 100.0
    grown_mm: Annotated[float, Field(ge=0, le=5000)] = 0.0
    folds: Folds | None = None  # what it lies on is cloth


class Photo(Stands):
    """A photograph that the piece stands in.

    ``path``: where its file lies, where the job refers to that and does not hold it itself.
    ``lens_mm``: as its record says, on a frame 36 mm wide; None where it says nothing. ``bent``: how far
    the lens bends lines.
    ``shadow``: of something upright on the ground, its foot and its shadow's tip, perhaps its top;
    ``white``: something white in the sun, and the same in the shade: what tells the light there was.
    """

    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    name: Annotated[str, Field(max_length=200)] = ""
    path: Annotated[str, Field(max_length=4000)] = ""
    width_px: Annotated[int, Field(ge=16, le=65_535)]
    height_px: Annotated[int, Field(ge=16, le=65_535)]
    lens_mm: LensMm | None = None
    bent: Annotated[float, Field(ge=-1, le=1)] = 0.0
    before: Mask | None = None  # what of the photo stands before the piece
    shadow: Annotated[tuple[Spot, ...], Field(max_length=3)] = ()
    white: tuple[Spot, Spot] | None = None
    cleared: Cleared | None = None  # what of it is taken away: an old print, a sign, screws

    @property
    def is_its_wall(self) -> bool:
        """Whether a wall in the photo is what only the lettering of the piece is seen on."""
        return self.shown == "lettering" and getattr(self.told, "on", "") == "wall"
