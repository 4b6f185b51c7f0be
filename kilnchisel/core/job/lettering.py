"""One lettering: its wording or artwork, where it lies, how it is made, and what it is finished in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.base import Degrees, Percent, Value
from kilnchisel.core.job.crafts import Craft, Printed
from kilnchisel.core.job.finish import Ink, LetterFinish
from kilnchisel.core.job.wording import Wording

Content = Annotated[Wording | Artwork | Picture | Shape, Field(discriminator="kind")]


class Repeat(Value):
    """The same lettering again: round a circle or a closed side in equal steps, along a flat side with
    a gap. ``fill``: as many as there is room for."""

    times: Annotated[int, Field(ge=2, le=500)] = 2
    fill: bool = False
    gap_mm: Annotated[float, Field(ge=0, le=10_000)] = 6.0


# the middle of a row on the flattest of arcs is its centre, and the place it had may be 100 m off
OFF_MM = 1_100_000.0


class Lay(Value):
    """Where the middle of the lettering sits on its side's sheet.

    ``wrap``: letters follow the surface, or are seen straight on from where they are, trimmed where the
    body turns away, or on a mesh lie on the surface map that the file brought.

    ``cone``: on a tapered side rows run level and letters away from the middle are stretched, or the
    lettering lies as a flat sheet wrapped round would, true everywhere, its rows bending.
    """

    side: str = "outside"
    along_mm: Annotated[float, Field(ge=-OFF_MM, le=OFF_MM)] = 0.0
    across_mm: Annotated[float, Field(ge=-OFF_MM, le=OFF_MM)] = 0.0
    turn_deg: Degrees = 0.0
    repeat: Repeat | None = None
    cone: Literal["straight rows", "unrolled"] = "straight rows"
    mirrored: bool = False  # to be read from behind, through what it is on
    both: bool = False  # the opposite side too, reading right on both
    seam_deg: Degrees = 180.0  # on a closed side: how far round from the lettering's middle the seam is
    stretch_limit: Percent = 6.0  # more stretch than this is warned of
    spot: tuple[float, float, float] | None = None  # on a mesh: the place on its surface, mm as it stands
    wrap: Literal["follow", "project", "own map"] = "follow"


class Lettering(Value):
    """Words or artwork on one side of the blank."""

    content: Content = Wording()
    lay: Lay = Lay()
    craft: Craft = Printed()
    finish: LetterFinish = Ink()
    hidden: bool = False  # kept in the job, not made
    locked: bool = False  # its handles are left alone
    before: bool = False  # in a photo: it stands before what the others are hidden behind
    way: Annotated[str, Field(max_length=80)] = (
        ""  # letterings of one name here are made and finished alike
    )
