"""One lettering: its wording, where it lies, how it is made, and what it is finished in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Degrees, Percent, Value
from kilnchisel.core.job.finish import Ink, LetterFinish


class ShippedFace(Value):
    """A face that comes with the application, by its catalogue name."""

    kind: Literal["shipped"] = "shipped"
    name: str = "cinzel-bold"


class FileFace(Value):
    """A font file opened from where it lies. The digest finds the packed copy on another machine."""

    kind: Literal["file"] = "file"
    path: str
    sha256: str = ""
    family: str = ""


Face = Annotated[ShippedFace | FileFace, Field(discriminator="kind")]


class Wording(Value):
    """Rows of text and how the letters stand."""

    text: Annotated[str, Field(max_length=20_000)] = "Lettering"
    face: Face = ShippedFace()
    cap_height_mm: Annotated[float, Field(ge=0.2, le=3000)] = 10.0
    letter_spacing_mm: Annotated[float, Field(ge=-50, le=500)] = 0.0
    row_spacing: Annotated[float, Field(ge=60, le=600)] = 170.0  # % of capital height
    align: Literal["left", "centre", "right"] = "centre"


class Lay(Value):
    """Where the middle of the lettering sits on its side's sheet."""

    side: str = "outside"
    along_mm: Annotated[float, Field(ge=-100_000, le=100_000)] = 0.0
    across_mm: Annotated[float, Field(ge=-100_000, le=100_000)] = 0.0
    turn_deg: Degrees = 0.0


class Printed(Value):
    """Ink or film lying on the surface."""

    kind: Literal["printed"] = "printed"
    film_mm: Annotated[float, Field(ge=0.005, le=1)] = 0.02


class Engraved(Value):
    """Cut in to a flat floor; the recess may be darkened."""

    kind: Literal["engraved"] = "engraved"
    depth_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.3
    darkened: Percent = 60.0


class Raised(Value):
    """Standing proud of the surface."""

    kind: Literal["raised"] = "raised"
    height_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.8


Craft = Annotated[Printed | Engraved | Raised, Field(discriminator="kind")]


class Lettering(Value):
    """Words on one side of the blank."""

    wording: Wording = Wording()
    lay: Lay = Lay()
    craft: Craft = Printed()
    finish: LetterFinish = Ink()
