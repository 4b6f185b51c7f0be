"""The light of a setting's room, all round."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, get_args

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.job.setting import Light, PlaceName
from kilnchisel.core.kept import Arrays, digest_of, kept_arrays
from kilnchisel.core.later import ndimage
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.openland import OPEN_SKIES, lay_land, over_land
from kilnchisel.core.scene.ownplace import EXPOSED, NAMED
from kilnchisel.core.scene.places import Place, Sun, place, place_taken_in

Array = NDArray[Any]

ROOM_FILES = {
    "studio": "studio",
    "daylight": "apartment",
    "workshop": "workshop",
    "low sun sky": "low-sun-sky",
    "high sun sky": "high-sun-sky",
    "clear sky": "high-sun-sky",
    "evening sky": "low-sun-sky",
    "sky over fields": "high-sun-sky",
}
PLACES: tuple[str, ...] = get_args(PlaceName)
# Where the room's brightest window is brought to, so that light comes from the front left, degrees
ROOM_TURN = {
    "studio": 22.0,
    "daylight": 10.0,
    "workshop": 16.0,
    "low sun sky": -140.0,
    "high sun sky": -140.0,
    "clear sky": -140.0,
    "evening sky": -140.0,
    "sky over fields": -140.0,
    "park": -18.0,
    "pine wood": -8.0,
    "dawn hills": -6.0,
    "sunset quay": -12.0,
    "city square": 140.0,
    "warehouse": 50.0,
    "empty flat": -28.0,
    "gallery hall": -160.0,
    "photo studio": -160.0,
}
DARK = "dark"  # a room at night: the piece's own light is what there is
EVEN = "even"  # the same from everywhere: what lights that are set up stand in
NIGHT = (0.8, 0.98, 1.35)
DARK_SHARE = 0.03
PEAK = 60.0  # lamps are held to this many times the mean: brighter ones only make noise
BALANCE = 0.8
METERED = 128  # rows of a picture that a sheet's light is taken from: less than 0.01 % off
ROOM_WHITE = 0.5  # what a white sheet lying in the open room returns at 100 %
SKIES = ("low sun sky", "high sun sky")
UP = np.array([0.0, 0.0, 1.0])
FACING = (-0.5, -0.5, 0.7071)  # the sheet that a place is measured by: to the front left, half up


@dataclass(frozen=True, eq=False)
class Room:
    """Light from all round. radiance (h, w, 3): row 0 up (+z), column by ``direction_to_uv``."""

    radiance: Array
    turn: float  # radians about z

    def seen(self, directions: Array) -> Array:
        """Radiance from unit directions (n, 3) -> (n, 3), bilinear."""
        return look_up(self.radiance, directions, self.turn)

    def coarser(self, rows: int, columns: int) -> Room:
        """The room averaged to so many pixels, which divide its own; one that has no more stays."""
        if len(self.radiance) <= rows:
            return self
        return Room(averaged(self.radiance, rows, columns), self.turn)


def averaged(picture: Array, rows: int, columns: int) -> Array:
    """A picture (h, w, 3) averaged to so many pixels, which divide its own."""
    height, width = picture.shape[:2]
    # by rows, then by columns: both at once takes ten times as long
    lower = picture.reshape(rows, height // rows, width * 3).mean(axis=1)
    return np.asarray(lower.reshape(rows, columns, width // columns, 3).mean(axis=2))


def direction_to_uv(directions: Array, turn: float = 0.0) -> Array:
    """Unit directions (n, 3) to picture coordinates (n, 2) in 0..1, the picture turned about z."""
    u = (np.arctan2(directions[:, 0], directions[:, 1]) + turn) / (2 * np.pi) % 1.0
    v = np.arccos(np.clip(directions[:, 2], -1, 1)) / np.pi
    return np.stack([u, v], axis=1)


def look_up(picture: Array, directions: Array, turn: float = 0.0) -> Array:
    """Bilinear value of an all-round picture (h, w, c) in unit directions (n, 3) -> (n, c)."""
    height, width = picture.shape[:2]
    uv = direction_to_uv(directions, turn)
    x, y = uv[:, 0] * width - 0.5, np.clip(uv[:, 1] * height - 0.5, 0, height - 1)
    x0, y0 = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - x0)[:, None], (y - y0)[:, None]
    y1 = np.minimum(y0 + 1, height - 1)
    left, right = x0 % width, (x0 + 1) % width
    top = picture[y0, left] * (1 - fx) + picture[y0, right] * fx
    bottom = picture[y1, left] * (1 - fx) + picture[y1, right] * fx
    return np.asarray(top * (1 - fy) + bottom * fy)


@lru_cache(maxsize=8)
def directions_of(height: int, width: int) -> Array:
    """Unit directions of the pixels of an all-round picture, (height * width, 3), to be read only."""
    azimuth = (np.arange(width) + 0.5) / width * 2 * np.pi
    polar = (np.arange(height) + 0.5) / height * np.pi
    a, p = np.meshgrid(azimuth, polar)
    found = np.stack([np.sin(p) * np.sin(a), np.sin(p) * np.cos(a), np.cos(p)], axis=-1).reshape(-1, 3)
    found.flags.writeable = False
    return found


def solid_angles(height: int, width: int) -> Array:
    """Solid angle of each pixel of an all-round picture, sr, (height * width,)."""
    edges = np.cos(np.arange(height + 1) / height * np.pi)
    rows = (edges[:-1] - edges[1:]) * 2 * np.pi / width
    return np.repeat(rows, width)


def cosine_sum(seen: Array, normals: Array, above: Array | None = None) -> Array:
    """Irradiance / pi on unit normals (..., 3) of radiance (n, 3) from the n = 2 h² directions of an
    all-round picture of h rows -> (..., 3). ``above``: only of directions on this normal's side.

    For more than MANY_NORMALS blocks of the picture stand for their pixels, each with all its light from
    its mean direction: the sum is the same but for blocks that a normal's horizon runs through (within
    1 % of the brightest normal's)."""
    rows = round(np.sqrt(len(seen) / 2))
    directions, weight = directions_of(rows, 2 * rows), solid_angles(rows, 2 * rows)
    if above is not None:
        weight = weight * (directions @ above > 0)
    light = seen * (weight / np.pi)[:, None]
    if normals.size > 3 * MANY_NORMALS and rows % BLOCK == 0:
        directions, light = _in_blocks(directions, light, rows)
    flat = normals.reshape(-1, 3)
    parts = np.array_split(flat, len(flat) // NORMALS_AT_ONCE + 1)
    found = [np.clip(part @ directions.T, 0, None) @ light for part in parts]
    return np.concatenate(found).reshape(normals.shape)


MANY_NORMALS, NORMALS_AT_ONCE, BLOCK = 256, 2048, 4


def _in_blocks(directions: Array, light: Array, rows: int) -> tuple[Array, Array]:
    """Blocks of BLOCK x BLOCK pixels: the mean of their directions by their light, (n, 3), no unit vectors;
    and all their light (n, 3)."""

    def of_blocks(values: Array) -> Array:
        shape = (rows // BLOCK, BLOCK, 2 * rows // BLOCK, BLOCK, values.shape[1])
        return np.asarray(values.reshape(shape).sum(axis=(1, 3)).reshape(-1, values.shape[1]))

    strength = np.maximum(light @ LUMA, 1e-30)[:, None]
    return of_blocks(directions * strength) / of_blocks(strength), of_blocks(light)


def turned(directions: Array, by: float) -> Array:
    """Directions (..., 3) with their azimuth, from +y towards +x, more by so much, radians."""
    c, s = np.cos(by), np.sin(by)
    x, y = directions[..., 0], directions[..., 1]
    return np.stack([x * c + y * s, y * c - x * s, directions[..., 2]], axis=-1)


@remembered
def _room_picture(name: str) -> Array:
    """The room's radiance, scaled so that a white sheet lying in it returns 1; a place's so that one does
    that leans to the light. Lamps of rooms are held to PEAK."""
    if name in (DARK, EVEN):
        return np.broadcast_to(
            np.array(NIGHT if name == DARK else (1, 1, 1), np.float32), (128, 256, 3)
        ).copy()
    if is_place(name):
        return np.asarray((_place_of(name).picture * _scale_of_place(name)).astype(np.float32))
    picture = np.load(RESOURCES / "lights" / f"{ROOM_FILES[name]}.npy").astype(np.float64)
    if name in OPEN_SKIES:
        return over_land(picture, _returned(picture, UP), *OPEN_SKIES[name]).astype(np.float32)
    if name in SKIES:
        lay_land(picture, _returned(picture, UP))
    bright = picture @ LUMA
    weight = solid_angles(*bright.shape).reshape(bright.shape)
    mean = (bright * weight).sum() / weight.sum()
    picture *= np.minimum(1.0, PEAK * mean / np.maximum(bright, 1e-9))[..., None]
    return np.asarray((picture * _balanced(_returned(picture, UP))).astype(np.float32))


def _returned(picture: Array, normal: Array) -> Array:
    """What a white sheet of this normal returns of an all-round picture, (3,)."""
    height, width = picture.shape[:2]
    small = picture if height <= METERED else averaged(picture, METERED, METERED * width // height)
    return cosine_sum(small.reshape(-1, 3), normal)


def _balanced(returned: Array) -> Array:
    """The factor (3,) for a room of which a white sheet returns this much: the camera is balanced for it;
    most of its tint goes, a breath of it stays."""
    balance = (returned / (returned @ LUMA)) ** -BALANCE
    return np.asarray(balance / float(returned * balance @ LUMA))


def name_of(light: Light) -> str:
    """The name of a light's room or place; of one's own the digest is part of it."""
    if isinstance(light.room, str):
        return light.room
    return f"{EXPOSED if light.room.exposed else NAMED}{light.room.sha256}"


def is_place(name: str) -> bool:
    """Whether it is somewhere real, and no room that was made up."""
    return name in PLACES or name.startswith(NAMED)


def _place_of(name: str) -> Place:
    if name.startswith(NAMED):
        return place_taken_in(name.rpartition(" ")[2])
    return place(name.replace(" ", "-"))


@remembered
def _scale_of_place(name: str) -> Array:
    if name.startswith(EXPOSED):
        return np.full(3, 1 / ROOM_WHITE)
    found = _place_of(name)
    at = turned(np.array(FACING), np.radians(ROOM_TURN.get(name, 0.0)))
    returned = _returned(found.picture, at)
    if found.sun is not None:
        returned = returned + found.sun.light * max(float(found.sun.toward @ at), 0.0) / np.pi
    return _balanced(returned)


def sun_of(light: Light) -> tuple[Sun, float] | None:
    """The sun of a setting's place as bright as its room is, and how far that is turned, radians; None
    where the place has none."""
    name = name_of(light)
    if not is_place(name) or (sun := _place_of(name).sun) is None or light.strength <= 0:
        return None
    scale = _scale_of_place(name) * ROOM_WHITE * light.strength / 100
    return replace(sun, light=sun.light * scale), _turn_of(light)


def _turn_of(light: Light) -> float:
    return float(np.radians(light.turn_deg + ROOM_TURN.get(name_of(light), 0.0)))


@remembered
def room_of(light: Light) -> Room:
    """The room's light at the setting's strength."""
    scale = ROOM_WHITE * light.strength / 100
    if light.room == DARK:
        scale *= DARK_SHARE
    return Room(_room_picture(name_of(light)) * np.float32(scale), _turn_of(light))


def held(picture: Array, most: float) -> Array:
    """A picture (h, w, 3) in which nothing is brighter than this in any channel, each colour the same: a
    channel held alone would turn a low sun green."""
    # channel by channel: the library's own maximum over three values takes five times as long
    brightest = np.maximum(np.maximum(picture[..., 0], picture[..., 1]), picture[..., 2])
    return np.asarray(picture * (most / np.maximum(brightest, most))[..., None])


@remembered
def seen_room(name: str, degrees: float) -> Array:
    """The room as it is seen behind the piece, (h, w, 3), at unit strength. ``degrees``: over how many a
    lens spreads each point of it, 0 where it is sharp from near to far. A sky and land that are drawn need
    not be blurred to hide how few pixels they have."""
    if name in OPEN_SKIES and degrees <= LEAST_BLUR_DEG:
        return held(_room_picture(name), BRIGHTEST)
    return blurred_room(name) if degrees <= 0 else unfocused_room(name, degrees)


@remembered
def blurred_room(name: str, degrees: float = 2.6) -> Array:
    """The room out of focus, as it is seen behind the piece, (h, w, 3), at unit strength."""
    picture = held(_room_picture(name), 6.0)

    def made() -> Arrays:
        sigma = degrees / 360 * picture.shape[1]
        soft = ndimage.gaussian_filter1d(picture, sigma, axis=1, mode="wrap")
        return {"seen": ndimage.gaussian_filter1d(soft, sigma, axis=0, mode="nearest").astype(np.float32)}

    named = f"{name}-{degrees:g}-{digest_of(picture)}"
    return np.asarray(kept_arrays("behind", named, made, most=48)["seen"])


LEAST_BLUR_DEG = 1.05  # three pixels of a place's picture: sharper, it would show them
BLUR_STEP = 1.2


def degrees_apart(degrees: float) -> float:
    """One of the steps in which rooms are put out of focus, for so many degrees; 0 for none."""
    if degrees <= 0:
        return 0.0
    steps = round(np.log(max(degrees / LEAST_BLUR_DEG, 1.0)) / np.log(BLUR_STEP))
    return round(float(LEAST_BLUR_DEG * BLUR_STEP**steps), 3)


@remembered
def unfocused_room(name: str, degrees: float) -> Array:
    """The room as an open lens shows it, every point of it spread over a disc so many degrees across,
    (h, w, 3), at unit strength."""
    picture = held(_room_picture(name), BRIGHTEST)

    def made() -> Arrays:
        height, width = picture.shape[:2]
        radius = degrees / 360 * width / 2
        down, across = np.meshgrid(np.arange(height), np.arange(width), indexing="ij")
        far = np.hypot(np.minimum(down, height - down), np.minimum(across, width - across))
        disc = np.clip(radius + 0.5 - far, 0, 1)
        spread = np.fft.rfft2(disc / disc.sum())[..., None] * np.fft.rfft2(picture, axes=(0, 1))
        seen = np.fft.irfft2(spread, s=(height, width), axes=(0, 1))
        return {"seen": np.maximum(seen, 0).astype(np.float32)}

    named = f"{name}-lens-{degrees:g}-{digest_of(picture)}"
    return np.asarray(kept_arrays("behind", named, made, most=48)["seen"])


BRIGHTEST = 12.0  # of what is seen behind: brighter lamps would flood the picture
