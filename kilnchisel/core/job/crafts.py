"""Ways of making: what a lettering does to the surface it lies on. Lengths are mm, angles degrees."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Percent, Value

CutterAngle = Annotated[float, Field(ge=10, le=160)]


class Printed(Value):
    """Ink or film lying on the surface."""

    kind: Literal["printed"] = "printed"
    film_mm: Annotated[float, Field(ge=0.005, le=1)] = 0.02


class Pressed(Value):
    """Pressed in by a die: soft at the edge, the ground swelling a little round it. Blind, when finished
    as the blank; else coloured or with foil.

    ``soft_mm``: over which width the edge goes down. ``swell``: how far the rim rises, of the depth.
    """

    kind: Literal["pressed"] = "pressed"
    depth_mm: Annotated[float, Field(ge=0.02, le=10)] = 0.6
    soft_mm: Annotated[float, Field(ge=0.05, le=10)] = 0.5
    swell: Percent = 12.0


class Engraved(Value):
    """Cut in. A flat floor has upright walls; a V floor is as deep as the stroke's width lets the cutter
    go, at most ``depth_mm``; a round floor meets the walls in a fillet. The recess may be darkened."""

    kind: Literal["engraved"] = "engraved"
    floor: Literal["flat", "v", "round"] = "flat"
    depth_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.3
    angle_deg: CutterAngle = 60.0  # of the V cutter, from flank to flank
    fillet_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.3  # radius where a round floor meets the wall
    darkened: Percent = 60.0


class Raised(Value):
    """Standing proud of the surface.

    edge "square": upright walls. "sloped": drafted, ``slope_deg`` from upright. "bevelled": a chamfer of
    ``edge_mm`` at the top. "rounded": a quarter round of ``edge_mm`` there. "ridge": upright by
    ``height_mm``, then ``slope_deg`` from level up to the ridge. "cushion": rising all the way to its
    middle. "stepped": ``steps`` treads of ``edge_mm``. "drawn": sheet metal pressed from behind, its soft
    outer slope ``edge_mm`` wide.
    """

    kind: Literal["raised"] = "raised"
    height_mm: Annotated[float, Field(ge=0.01, le=100)] = 0.8
    edge: Literal["square", "sloped", "bevelled", "rounded", "ridge", "cushion", "stepped", "drawn"] = (
        "square"
    )
    slope_deg: Annotated[float, Field(ge=1, le=80)] = 12.0
    edge_mm: Annotated[float, Field(ge=0.02, le=50)] = 0.5
    steps: Annotated[int, Field(ge=2, le=6)] = 3


Craft = Annotated[Printed | Pressed | Engraved | Raised, Field(discriminator="kind")]
