"""The setting of the picture: light, ground, camera, exposure."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Colour, Degrees, Percent, Value
from kilnchisel.core.job.finish import SurfaceFinish
from kilnchisel.core.job.photo import Photo

Elevation = Annotated[float, Field(ge=-90, le=90)]
LampSize = Annotated[float, Field(ge=1, le=100_000)]
Kelvin = Annotated[float, Field(ge=1500, le=15_000)]


class KeyLight(Value):
    """A soft light panel at arm's length."""

    strength: Percent = 50.0
    turn_deg: Degrees = -66.0
    tilt_deg: Annotated[float, Field(ge=5, le=89)] = 40.0
    size_mm: Annotated[float, Field(ge=20, le=2000)] = 420.0


class StudioLight(Value):
    """A light that is set up, aimed at the middle of the piece. turn_deg: 0 is in front, below zero to the
    left. strength: 100 % is what lights a white sheet that faces it as white as the picture can show."""

    kind: Literal["soft box", "octagon", "ring", "bare lamp", "window", "sun", "reflector", "flag"] = (
        "soft box"
    )
    on: bool = True
    turn_deg: Degrees = -60.0
    tilt_deg: Elevation = 40.0
    distance_mm: Annotated[float, Field(ge=10, le=1_000_000)] = 900.0
    width_mm: LampSize = 600.0
    height_mm: LampSize = 800.0
    strength: Annotated[float, Field(ge=0, le=1000)] = 60.0
    kelvin: Kelvin = 5500.0


MOST_LAMPS = 8
# seen all round from one spot out of doors or in, in their full range
PlaceName = Literal[
    "park",
    "pine wood",
    "dawn hills",
    "sunset quay",
    "city square",
    "night field",
    "warehouse",
    "empty flat",
    "gallery hall",
    "photo studio",
]
RoomName = Literal[
    "studio",
    "daylight",
    "workshop",
    "dark",
    "even",
    "low sun sky",
    "high sun sky",
    "clear sky",
    "evening sky",
    "sky over fields",
    PlaceName,
]


PLACE_ENDINGS = (".exr", ".hdr")


class OwnPlace(Value):
    """An all-round picture of one's own, held by the job under its SHA-256 digest."""

    kind: Literal["own place"] = "own place"
    name: Annotated[str, Field(max_length=120)] = ""
    sha256: Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
    exposed: bool = False  # its light is that of a photo as it is exposed: neither scaled nor balanced


class Light(Value):
    """The room's light, the key light, and lights that are set up."""

    room: RoomName | OwnPlace = "daylight"
    turn_deg: Degrees = 0.0
    strength: Annotated[float, Field(ge=0, le=400)] = 100.0
    key: KeyLight = KeyLight()
    lamps: Annotated[tuple[StudioLight, ...], Field(max_length=MOST_LAMPS)] = ()


GroundName = Literal[
    "oak table",
    "card",
    "slate slab",
    "plaster",
    "brick",
    "boards",
    "concrete",
    "asphalt",
    "grass",
    "seamless",
    "acrylic",
    "felt",
    "leather",
    "linen",
    "paper",
    "weathered planks",
    "roughcast",
    "gravel",
    "moss",
    "none",
]


# grounds that come in any colour, and the one that each has at first
COLOURED_GROUNDS = {
    "card": "#d9d2c4",
    "plaster": "#d9d2c4",
    "concrete": "#d9d2c4",
    "seamless": "#c6c1b9",
    "acrylic": "#1b1c1e",
    "felt": "#5f6b5a",
    "leather": "#5a3a28",
    "linen": "#cfc5b2",
    "paper": "#e6e1d6",
    "roughcast": "#d8cfbe",
}


class Ground(Value):
    """What the piece stands on or hangs from, and what is seen behind it. form: a round of it, rising
    behind the piece in one sweep, a table with an edge, going over into the ground of the place, the same
    laid in bays, or a road before a pavement and a wall."""

    kind: GroundName = "oak table"
    colour: Colour = "#d9d2c4"  # of those that come in any
    form: Literal["flat", "sweep", "table", "open", "bays", "street"] = "flat"
    behind: Literal["room", "plain"] = "room"
    behind_colour: Colour = "#8d8a84"


def in_ground(ground: Ground, kind: GroundName) -> Ground:
    """The ground in another kind; a colour that was not chosen gives way to that of the new one."""
    update: dict[str, str] = {"kind": kind}
    if ground.colour == COLOURED_GROUNDS.get(ground.kind, ground.colour) and kind in COLOURED_GROUNDS:
        update["colour"] = COLOURED_GROUNDS[kind]
    return ground.model_copy(update=update)


FRAME_MM = 24.0  # the height of the frame that a lens's mm are for; it is half as wide again


class Camera(Value):
    """The perspective camera walking round the piece, aimed at its middle."""

    turn_deg: Degrees = 16.0
    tilt_deg: Annotated[float, Field(ge=-30, le=89)] = 20.0
    distance_mm: Annotated[float, Field(ge=30, le=1_000_000)] = 520.0
    lens_mm: Annotated[float, Field(ge=18, le=300)] = 70.0  # on a 36 mm wide frame
    shift_mm: Annotated[float, Field(ge=-200_000, le=200_000)] = 0.0  # aim, to the right of the middle
    rise_mm: Annotated[float, Field(ge=-200_000, le=200_000)] = 0.0  # aim, above the middle
    upright: bool = False  # upright lines stay so: the lens is shifted, not tilted
    f_number: Annotated[float, Field(ge=0, le=90)] = 0.0  # 0: sharp from near to far
    focus_mm: Annotated[float, Field(ge=-200_000, le=200_000)] = 0.0  # beyond the lettering


class CameraPlace(Value):
    """A camera kept by name, and the size of its pictures in pixels."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    camera: Camera = Camera()
    width_px: Annotated[int, Field(ge=16, le=16_384)] = 1600
    height_px: Annotated[int, Field(ge=16, le=16_384)] = 1000


MOST_PLACES = 12


Off = Annotated[float, Field(ge=-100_000, le=100_000)]


class Copy(Value):
    """The same piece once more in the picture, letters and all, on whatever the piece is on. beside_mm: to
    the right of the piece; beyond_mm: farther away, on a wall above it. turn_deg: about the upright line
    through its middle, to the left. lean_deg: it leans back, its lowest point on the ground. finish: of
    the blank, where it is another."""

    beside_mm: Off = 0.0
    beyond_mm: Off = 0.0
    turn_deg: Degrees = 0.0
    lean_deg: Annotated[float, Field(ge=-90, le=90)] = 0.0
    finish: SurfaceFinish | None = None


MOST_COPIES = 8


class Glow(Value):
    """The veil round what shines, as it forms in the eye and the lens. ``strength``: how much of the light
    above the threshold goes into it. ``reach``: 100 % is that of the eye. ``threshold``: in exposures of
    white paper."""

    strength: Percent = 14.0
    reach: Annotated[float, Field(ge=10, le=1000)] = 100.0
    threshold: Annotated[float, Field(ge=0, le=50)] = 1.0


Stance = Literal["lying", "hung", "standing"]
Copies = Annotated[tuple[Copy, ...], Field(max_length=MOST_COPIES)]


class Setting(Value):
    """Everything about the picture that is not the piece."""

    light: Light = Light()
    glow: Glow = Glow()
    ground: Ground = Ground()
    stance: Stance = "lying"  # of a blank that lies flat
    camera: Camera = Camera()
    places: Annotated[tuple[CameraPlace, ...], Field(max_length=MOST_PLACES)] = ()  # kept by name
    copies: Copies = ()
    exposure: Literal["by hand", "by itself"] = "by hand"  # by itself: from the light on the piece
    exposure_stops: Annotated[float, Field(ge=-6, le=6)] = 0.0  # by hand, or on top of that
    white_kelvin: Kelvin = 5500.0  # light of this colour temperature is shown as white
    photo: Photo | None = None  # a photograph that the piece stands in; its camera is the picture's

    @property
    def spread(self) -> tuple[float, float]:
        """How far from one another the middles of the piece and its copies are, beside and beyond, mm."""
        beside, beyond = (
            [0.0, *places]
            for places in ([one.beside_mm for one in self.copies], [one.beyond_mm for one in self.copies])
        )
        return max(beside) - min(beside), max(beyond) - min(beyond)
