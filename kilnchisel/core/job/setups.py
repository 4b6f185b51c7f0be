"""The sets that are shipped: how lights, ground, what is behind and the camera are arranged in each.

Sizes and distances are in radii of the piece here, and in mm in the setting that a set makes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.setting import (
    COLOURED_GROUNDS,
    FRAME_MM,
    Camera,
    Ground,
    GroundName,
    KeyLight,
    Light,
    Setting,
    StudioLight,
    in_ground,
)
from kilnchisel.core.job.traits import size_of, stances_of
from kilnchisel.core.job.vehicles import BoxTruck, Coach, Hatchback, Van

Manner = Literal["table", "wall", "open", "road", "any", "night", "worn"]
WIDE_OVER_TALL = 1.5
TABLE_MM, OPEN_MM = 1500.0, 400.0  # what is larger stands on no table, what is smaller is lost out of doors
DRIVEN = (Van, Hatchback, BoxTruck, Coach)
SPREAD_MM = 1900.0  # what is larger is spread out on none
NO_KEY = KeyLight(strength=0)


@dataclass(frozen=True)
class Piece:
    """What a set is fitted to: how wide, deep and tall the piece is as it is shown, mm; whether it lies
    flat, stands on posts of its own, hangs beside a wall, or is a wall that lettering is on."""

    wide: float
    deep: float
    tall: float
    lies: bool = False
    posts: bool = False
    bracket: bool = False
    wall: bool = False
    front: bool = False  # of a house: it goes on to both sides, and stands on the pavement

    @property
    def radius(self) -> float:
        """Of the ball round it, mm."""
        return float(np.linalg.norm([self.wide, self.deep, self.tall])) / 2


@dataclass(frozen=True)
class PictureSet:
    """A set. ``words``: what is seen of it; ``manner``: on a table, on a wall, in the open, on a road
    (vehicles, and large meshes that may be one), worn, or as it was kept."""

    name: str
    words: str
    manner: Manner
    make: Callable[[Piece], Setting]

    def suits(self, blank: Blank) -> bool:
        """Whether a blank can stand in it."""
        large = max(size_of(blank))
        if self.manner in ("any", "night"):
            return True
        if self.manner == "road":
            return isinstance(blank, DRIVEN) or (isinstance(blank, Mesh3D) and large > TABLE_MM)
        stances = stances_of(blank)
        if (self.manner == "worn") != ("worn" in stances):
            return False
        if self.manner == "worn":
            return True
        if self.manner == "wall":
            return "hung" in stances or isinstance(blank, BoxSign)
        if stances == ("hung",):
            return False
        if isinstance(blank, BoxSign) and blank.bracket:
            return False  # it hangs from its arm
        if self.manner == "table":
            return large <= (SPREAD_MM if stances == ("lying",) else TABLE_MM)
        return large >= OPEN_MM


# cameras


FRONT_DEG, PAVEMENT = 9.0, 0.055  # of a house: seen nearly square on, and how far below its foot
LEVEL_DEG = 10.0  # a camera that looks this little up or down keeps upright lines upright
LYING_DEG, MOST_LYING_DEG = 26.0, 56.0
STOPS = (2.8, 4.0, 5.6, 8.0, 11.0, 16.0, 22.0, 32.0)
SHARP_SHARE, SHARP_DEPTH = 0.0014, 0.5  # of the picture's height, at so many radii from the lettering


def _camera(piece: Piece, turn: float, tilt: float, lens: float, fill: float) -> Camera:
    """A camera that the piece fills so much of, each way, as wide open as keeps the lettering sharp. It
    looks down on what lies flat."""
    if piece.front:
        turn = float(np.clip(turn, -FRONT_DEG, FRONT_DEG))
    if piece.lies:
        tilt = min(tilt + LYING_DEG, MOST_LYING_DEG)
    lean, round_ = np.radians(abs(tilt)), np.radians(turn)
    # what stands upright is taken as an elliptic cylinder
    across = np.hypot(piece.wide * np.cos(round_), piece.deep * np.sin(round_))
    along = np.hypot(piece.wide * np.sin(round_), piece.deep * np.cos(round_))
    high = piece.tall * np.cos(lean) + along * np.sin(lean)
    half = max(high, across / WIDE_OVER_TALL) / 2
    if piece.wall:  # it goes on beyond the picture
        half, fill = min(high, across / WIDE_OVER_TALL) / 2, 1.16
    if piece.front:
        half, fill = high / 2, 1.04
    away = half * 2 * lens / FRAME_MM / fill + (along * np.cos(lean) + piece.tall * np.sin(lean)) / 2
    away = float(np.clip(away, 30, 1_000_000))
    # thin lens: a point so much nearer or farther is spread over opening * depth / distance² radians
    opening = SHARP_SHARE * FRAME_MM / lens * away**2 / (SHARP_DEPTH * piece.radius)
    f_number = next((stop for stop in STOPS if lens / stop <= opening), STOPS[-1])
    return Camera(
        turn_deg=turn,
        tilt_deg=tilt,
        distance_mm=round(away, 1),
        lens_mm=lens,
        f_number=f_number,
        rise_mm=round(-PAVEMENT * piece.tall, 1) if piece.front else 0.0,
        upright=abs(tilt) < LEVEL_DEG,
    )


# lights: how wide and tall each is seen from the piece (tangents of half of it), and what it adds


def _lamp(
    piece: Piece,
    kind: Any,
    turn: float,
    tilt: float,
    half: tuple[float, float],
    strength: float,
    kelvin: float = 5500.0,
    away: float = 8.0,
) -> StudioLight:
    distance = away * piece.radius
    wide, tall = (float(np.clip(2 * one * distance, 1, 100_000)) for one in half)
    return StudioLight(
        kind=kind,
        turn_deg=turn,
        tilt_deg=tilt,
        distance_mm=round(float(np.clip(distance, 10, 1_000_000)), 1),
        width_mm=round(wide, 1),
        height_mm=round(tall, 1),
        strength=strength,
        kelvin=kelvin,
    )


def _studio(piece: Piece, surround: float = 9.0, key: float = 110.0) -> Light:
    """A large soft box from the front left, a strip from the right, a low broad one behind, a small one
    overhead."""
    share = key / 235
    return Light(
        room="even",
        strength=surround,
        key=NO_KEY,
        lamps=(
            _lamp(piece, "soft box", -62, 40, (0.55, 0.8), round(key, 1), 5200),
            _lamp(piece, "soft box", 75, 30, (0.28, 1.0), round(143 * share, 1), 6000),
            _lamp(piece, "soft box", 180, 50, (0.9, 0.3), round(89 * share, 1)),
            _lamp(piece, "soft box", 0, 88, (0.4, 0.4), round(24 * share, 1)),
        ),
    )


def _window(
    piece: Piece, kelvin: float = 6000.0, strength: float = 100.0, room: Any = "empty flat"
) -> Light:
    """A tall window to the left, and the room it lights."""
    return Light(
        room=room,
        strength=60,
        key=NO_KEY,
        lamps=(
            _lamp(piece, "window", -66, 24, (0.4, 0.66), strength, kelvin),
            _lamp(piece, "reflector", 80, 15, (0.5, 0.6), 60, away=5.0),
        ),
    )


def _seamless(colour: str) -> Ground:
    return Ground(kind="seamless", colour=colour, form="sweep", behind="plain", behind_colour=colour)


def _table(kind: GroundName) -> Ground:
    return in_ground(Ground(form="table"), kind)


def _land(piece: Piece, kind: GroundName, form: Literal["open", "bays"] = "open") -> Ground:
    """Open ground; what stands on posts of its own is seen without."""
    return Ground(kind="none") if piece.posts else Ground(kind=kind, form=form)


def _white_sweep(piece: Piece) -> Setting:
    return Setting(
        light=_studio(piece, 22, 95),
        ground=_seamless("#eeeeec"),
        camera=_camera(piece, 14, 20, 100, 0.66),
    )


def _grey_sweep(piece: Piece) -> Setting:
    return Setting(
        light=_studio(piece),
        ground=_seamless(COLOURED_GROUNDS["seamless"]),
        camera=_camera(piece, 14, 22, 100, 0.66),
    )


def _worn(piece: Piece, ground: Ground, surround: float, turn: float) -> Setting:
    """A garment by itself: one soft box from the side, so that folds show, a weak one from the other, and
    two from behind, which set its outline off and light its back when it is walked round."""
    return Setting(
        light=Light(
            room="even",
            strength=surround,
            key=NO_KEY,
            lamps=(
                _lamp(piece, "soft box", -66, 34, (0.34, 0.5), 128, 5300),
                _lamp(piece, "soft box", 62, 10, (0.5, 0.8), 22, 5800),
                _lamp(piece, "soft box", 132, 26, (0.22, 0.7), 90, 5600),
                _lamp(piece, "soft box", -142, 20, (0.16, 0.8), 50, 5800),
            ),
        ),
        ground=ground,
        camera=_camera(piece, turn, 3, 85, 0.8),
    )


def _before(colour: str) -> Ground:
    """Nothing to stand on, and one colour behind, from whichever side it is seen."""
    return Ground(kind="none", behind="plain", behind_colour=colour)


def _white_studio(piece: Piece) -> Setting:
    return _worn(piece, _before("#f1f1ef"), 26, 8)


def _grey_studio(piece: Piece) -> Setting:
    return _worn(piece, _before("#c9c6c0"), 13, 10)


def _paper_studio(piece: Piece) -> Setting:
    return _worn(piece, _seamless(COLOURED_GROUNDS["seamless"]), 11, -12)


def _black_acrylic(piece: Piece) -> Setting:
    return Setting(
        exposure_stops=0.4,
        light=_studio(piece, 6, 130),
        ground=_table("acrylic").model_copy(update={"behind": "plain", "behind_colour": "#0b0b0c"}),
        camera=_camera(piece, 14, 15, 100, 0.66),
    )


def _felt(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece, 5600),
        ground=_table("felt"),
        camera=_camera(piece, 18, 32, 100, 0.66),
    )


def _leather(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece, 5200, room="workshop"),
        ground=_table("leather"),
        camera=_camera(piece, -16, 30, 100, 0.66),
    )


def _linen(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece, 6200),
        ground=_table("linen"),
        camera=_camera(piece, 16, 26, 85, 0.66),
    )


def _paper(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece, 5800, 75),
        ground=_table("paper"),
        camera=_camera(piece, 10, 38, 85, 0.66),
    )


def _planed_table(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece),
        ground=_table("oak table"),
        camera=_camera(piece, 16, 16, 70, 0.66),
    )


def _planks(piece: Piece) -> Setting:
    return Setting(
        light=Light(room="pine wood", strength=110, key=NO_KEY),
        ground=_table("weathered planks"),
        camera=_camera(piece, 16, 20, 85, 0.64),
    )


def _bench(piece: Piece) -> Setting:
    lamp = _lamp(piece, "bare lamp", -48, 52, (0.11, 0.11), 75, 3400, 6.0)
    return Setting(
        white_kelvin=4500,
        light=Light(room="warehouse", strength=70, key=NO_KEY, lamps=(lamp,)),
        ground=_table("boards"),
        camera=_camera(piece, 20, 24, 60, 0.64),
    )


STREET = Light(room="park", key=NO_KEY)  # behind what hangs beside its wall something is seen
BESIDE_DEG = 24.0
SQUARE_ON_DEG = 11.0


def _wall(piece: Piece, ground: Ground, turn: float = 12.0) -> Setting:
    """By day: the sun from high on the left, the sky, and what is on the other side of the street."""
    sun = StudioLight(kind="sun", turn_deg=-48, tilt_deg=44, strength=95, kelvin=5200)
    return Setting(
        light=STREET
        if piece.bracket
        else Light(room="high sun sky", strength=90, key=NO_KEY, lamps=(sun,)),
        ground=ground,
        camera=_camera(piece, BESIDE_DEG if piece.bracket else turn, 1, 70, 0.6),
    )


def _brick_wall(piece: Piece) -> Setting:
    return _wall(piece, Ground(kind="brick"))


def _render_wall(piece: Piece) -> Setting:
    return _wall(piece, in_ground(Ground(), "roughcast"), -12.0)


def _board_wall(piece: Piece) -> Setting:
    return _wall(piece, Ground(kind="weathered planks"), 10.0)


def _street_at_dusk(piece: Piece) -> Setting:
    """When signs are switched on: the sky still lights the street, a lamp the wall."""
    lamp = _lamp(piece, "bare lamp", 34, 58, (0.08, 0.08), 16, 2900, 7.0)
    return Setting(
        exposure_stops=-0.9,
        white_kelvin=4700,
        light=Light(room="sunset quay", strength=42, turn_deg=150, key=NO_KEY, lamps=(lamp,)),
        ground=Ground(kind="brick"),
        camera=_camera(piece, SQUARE_ON_DEG if piece.bracket else 8, 0, 85, 0.6),
    )


def _wall_at_night(piece: Piece) -> Setting:
    lamp = _lamp(piece, "bare lamp", -24, 62, (0.09, 0.09), 14, 2900, 6.0)
    return Setting(
        exposure_stops=-1.5,
        light=Light(room="dark", strength=260, key=NO_KEY, lamps=(lamp,)),
        ground=Ground(kind="brick"),
        camera=_camera(piece, BESIDE_DEG if piece.bracket else 8, 0, 60, 0.56),
    )


def _in_the_dark(piece: Piece) -> Setting:
    """What shines itself is what is seen."""
    large = max(piece.wide, piece.tall) > TABLE_MM
    return Setting(
        exposure_stops=0.3,
        light=Light(room="dark", strength=120, key=NO_KEY),
        ground=Ground(kind="asphalt") if large else _table("oak table"),
        camera=_camera(piece, 10, 5, 60, 0.66),
    )


def _picture_light(piece: Piece) -> Setting:
    lamp = _lamp(piece, "soft box", 0, 66, (0.5, 0.07), 105, 2900, 2.2)
    return Setting(
        white_kelvin=3700,
        light=Light(room="empty flat", strength=30, key=NO_KEY, lamps=(lamp,)),
        ground=Ground(kind="card", colour="#b3ada0"),
        camera=_camera(piece, 10, 2, 70, 0.5),
    )


def _wall_by_a_window(piece: Piece) -> Setting:
    return Setting(
        light=_window(piece, 5600, 92),
        ground=Ground(kind="card", colour="#e6e2d8"),
        camera=_camera(piece, 9, 1, 70, 0.72),
    )


def _in_the_open(
    piece: Piece, room: Any, ground: GroundName, turn: float, strength: float = 100.0
) -> Setting:
    return Setting(
        light=Light(room=room, strength=strength, key=NO_KEY),
        ground=_land(piece, ground),
        camera=_camera(piece, turn, 2 if piece.posts else 6, 85, 0.72),
    )


def _meadow(piece: Piece) -> Setting:
    return _in_the_open(piece, "park", "grass", 14)


def _dusk(piece: Piece) -> Setting:
    return _in_the_open(piece, "sunset quay", "asphalt", 20)


def _square(piece: Piece) -> Setting:
    made = _in_the_open(piece, "city square", "asphalt", 24)
    return made.model_copy(update={"light": made.light.model_copy(update={"turn_deg": -75.0})})


# above the ground: below the top of a street's wall, so that nothing is seen beyond it; a person's
FROM_A_STEP_MM, EYE_MM = 2100.0, 1650.0
SKY_SHARE = 0.12  # of a picture's height


def _from_the_ground(
    piece: Piece, turn: float, lens: float, fill: float, eye_mm: float, sky: float = 0.0
) -> Camera:
    """As a photographer stands before a thing of any size; ``sky``: how much farther down it is in the
    picture than its middle, as a share of its height."""
    level = _camera(piece, turn, 0, lens, fill)
    rise = sky * level.distance_mm * FRAME_MM / WIDE_OVER_TALL / lens
    down = np.clip((eye_mm - piece.tall / 2 - rise) / level.distance_mm, -0.1, 0.1)
    camera = _camera(piece, turn, round(float(np.degrees(np.arcsin(down))), 1), lens, fill)
    return camera.model_copy(update={"rise_mm": round(rise, 1)})


def _eye_level(piece: Piece) -> Camera:
    """What stands on posts of its own is at the height of the eye already. Of what stands on the ground the
    sky is seen more than the grass before it."""
    if piece.posts:
        return _camera(piece, 18, 2, 85, 0.76)
    return _from_the_ground(piece, 18, 85, 0.76, EYE_MM, SKY_SHARE)


def _low_sun(piece: Piece) -> Setting:
    sun = StudioLight(kind="sun", turn_deg=-58, tilt_deg=14, strength=120, kelvin=3900)
    return Setting(
        white_kelvin=5000,
        light=Light(room="evening sky", strength=90, key=NO_KEY, lamps=(sun,)),
        ground=_land(piece, "gravel"),
        camera=_eye_level(piece),
    )


def _field(piece: Piece) -> Setting:
    sun = StudioLight(kind="sun", turn_deg=-46, tilt_deg=40, strength=115, kelvin=5400)
    return Setting(
        exposure_stops=0.3,
        light=Light(room="sky over fields", strength=45, key=NO_KEY, lamps=(sun,)),
        ground=_land(piece, "grass"),
        camera=_eye_level(piece),
    )


def _hard_standing(piece: Piece) -> Setting:
    sun = StudioLight(kind="sun", turn_deg=-46, tilt_deg=36, strength=115, kelvin=5400)
    return Setting(
        light=Light(room="clear sky", strength=45, key=NO_KEY, lamps=(sun,)),
        ground=_land(piece, "concrete", "bays"),
        camera=_camera(piece, 22, 2 if piece.posts else 4, 85, 0.82),
    )


STREET_ROAD = Ground(kind="asphalt", form="street")


def _kerbside(piece: Piece) -> Setting:
    sun = StudioLight(kind="sun", turn_deg=-46, tilt_deg=36, strength=115, kelvin=5400)
    return Setting(
        light=Light(room="clear sky", strength=90, key=NO_KEY, lamps=(sun,)),
        ground=STREET_ROAD,
        camera=_from_the_ground(piece, 20, 85, 0.72, FROM_A_STEP_MM),
    )


def _kerb_at_evening(piece: Piece) -> Setting:
    sun = StudioLight(kind="sun", turn_deg=-62, tilt_deg=9, strength=115, kelvin=3500)
    return Setting(
        white_kelvin=4800,
        light=Light(room="evening sky", strength=115, key=NO_KEY, lamps=(sun,)),
        ground=STREET_ROAD,
        camera=_from_the_ground(piece, 24, 85, 0.72, FROM_A_STEP_MM),
    )


SETS: dict[str, PictureSet] = {
    one.name: one
    for one in (
        PictureSet("white sweep", "white paper from the roll, soft boxes", "table", _white_sweep),
        PictureSet("warm grey sweep", "warm grey paper from the roll, soft boxes", "table", _grey_sweep),
        PictureSet("white studio", "a garment before white, a soft box aside", "worn", _white_studio),
        PictureSet("grey studio", "a garment before grey, seen from all sides", "worn", _grey_studio),
        PictureSet("paper studio", "a garment before paper from the roll", "worn", _paper_studio),
        PictureSet("black acrylic", "polished black, soft boxes", "table", _black_acrylic),
        PictureSet("felt bench top", "green felt, a window to the left", "table", _felt),
        PictureSet("leather bench top", "brown leather in a workshop", "table", _leather),
        PictureSet("linen cloth", "natural linen, a window to the left", "table", _linen),
        PictureSet("paper", "heavy paper, a window to the left", "table", _paper),
        PictureSet("table by a window", "planed oak, a window to the left", "table", _planed_table),
        PictureSet("weathered planks", "old boards out of doors, under trees", "table", _planks),
        PictureSet("workshop bench", "boards, a bare lamp, a hall behind", "table", _bench),
        PictureSet("brick wall by day", "red brick in the sun", "wall", _brick_wall),
        PictureSet("render wall by day", "rough render in the sun", "wall", _render_wall),
        PictureSet("board wall by day", "weathered boards in the sun", "wall", _board_wall),
        PictureSet("shop street at dusk", "brick, signs lit, a bright sky", "wall", _street_at_dusk),
        PictureSet("wall at night", "brick, a lamp in the street", "wall", _wall_at_night),
        PictureSet("wall by a window", "a painted wall, a window to the left", "wall", _wall_by_a_window),
        PictureSet("picture light", "a plastered wall indoors, a lamp above", "wall", _picture_light),
        PictureSet("in the dark", "only what shines itself is seen", "night", _in_the_dark),
        PictureSet("meadow", "a park in the morning, out of focus", "open", _meadow),
        PictureSet("quay at dusk", "the sun just down over water", "open", _dusk),
        PictureSet("city square", "an overcast day in a town", "open", _square),
        PictureSet("kerbside", "a road before a brick wall, a clear sky", "road", _kerbside),
        PictureSet("kerb at evening", "a road before a brick wall, a low sun", "road", _kerb_at_evening),
        PictureSet("open field", "grass to the horizon, a clear sky", "open", _field),
        PictureSet("hard standing", "concrete in the open, a clear sky", "open", _hard_standing),
        PictureSet("low sun", "a clear sky, the sun near the ground", "open", _low_sun),
    )
}
