"""The setting of the picture: light, ground, camera, exposure."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Colour, Degrees, Percent, Value


class KeyLight(Value):
    """A soft light panel at arm's length."""

    strength: Percent = 50.0
    turn_deg: Degrees = -66.0
    tilt_deg: Annotated[float, Field(ge=5, le=89)] = 40.0
    size_mm: Annotated[float, Field(ge=20, le=2000)] = 420.0


class Light(Value):
    """The room's light and the key light."""

    room: Literal["studio", "daylight", "workshop", "dark"] = "daylight"
    turn_deg: Degrees = 0.0
    strength: Annotated[float, Field(ge=0, le=400)] = 100.0
    key: KeyLight = KeyLight()


class Ground(Value):
    """What the piece stands on or hangs from, and what is seen behind it."""

    kind: Literal[
        "oak table", "card", "slate slab", "plaster", "brick", "boards", "concrete", "asphalt", "grass"
    ] = "oak table"
    colour: Colour = "#d9d2c4"  # of card, plaster and concrete
    behind: Literal["room", "plain"] = "room"
    behind_colour: Colour = "#8d8a84"


class Camera(Value):
    """The perspective camera walking round the piece, aimed at its middle."""

    turn_deg: Degrees = 16.0
    tilt_deg: Annotated[float, Field(ge=-30, le=89)] = 20.0
    distance_mm: Annotated[float, Field(ge=30, le=1_000_000)] = 520.0
    lens_mm: Annotated[float, Field(ge=18, le=300)] = 70.0  # on a 36 mm wide frame
    shift_mm: Annotated[float, Field(ge=-200_000, le=200_000)] = 0.0  # aim, to the right of the middle
    rise_mm: Annotated[float, Field(ge=-200_000, le=200_000)] = 0.0  # aim, above the middle


class Glow(Value):
    """The veil round what shines, as it forms in the eye and the lens. ``strength``: how much of the light
    above the threshold goes into it. ``reach``: 100 % is that of the eye. ``threshold``: in exposures of
    white paper."""

    strength: Percent = 14.0
    reach: Annotated[float, Field(ge=10, le=1000)] = 100.0
    threshold: Annotated[float, Field(ge=0, le=50)] = 1.0


class Setting(Value):
    """Everything about the picture that is not the piece."""

    light: Light = Light()
    glow: Glow = Glow()
    ground: Ground = Ground()
    stance: Literal["lying", "hung", "standing"] = "lying"  # of a blank that lies flat
    camera: Camera = Camera()
    exposure_stops: Annotated[float, Field(ge=-6, le=6)] = 0.0
