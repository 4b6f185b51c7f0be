"""The light of a setting: the room all round, and a soft panel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.job.setting import KeyLight, Light
from kilnchisel.core.kept import Arrays, digest_of, kept_arrays
from kilnchisel.core.later import ndimage
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

ROOM_FILES = {"studio": "studio", "daylight": "apartment", "workshop": "workshop"}
# Where the room's brightest window is brought to, so that light comes from the front left, degrees
ROOM_TURN = {"studio": 22.0, "daylight": 10.0, "workshop": 16.0}
DARK = "dark"  # a room at night: the piece's own light is what there is
NIGHT = (0.8, 0.98, 1.35)
DARK_SHARE = 0.03
PEAK = 60.0  # lamps are held to this many times the mean: brighter ones only make noise
BALANCE = 0.8
ROOM_WHITE = 0.5  # what a white sheet lying in the open room returns at 100 %
KEY_WHITE = 0.95  # what the panel adds to a white sheet facing it at 50 %


@dataclass(frozen=True, eq=False)
class Room:
    """Light from all round. radiance (h, w, 3): row 0 up (+z), column by ``direction_to_uv``."""

    radiance: Array
    turn: float  # radians about z

    def seen(self, directions: Array) -> Array:
        """Radiance from unit directions (n, 3) -> (n, 3), bilinear."""
        return look_up(self.radiance, directions, self.turn)


@dataclass(frozen=True, eq=False)
class KeyPanel:
    """A square light. ``facing`` is the unit normal of its bright side."""

    middle: Array
    facing: Array
    size_mm: float
    radiance: Array

    @property
    def edges(self) -> tuple[Array, Array]:
        """Two unit vectors along its sides."""
        side = np.cross([0.0, 0.0, 1.0], self.facing)
        side = side / max(float(np.linalg.norm(side)), 1e-9)
        return side, np.cross(self.facing, side)


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


def directions_of(height: int, width: int) -> Array:
    """Unit directions of the pixels of an all-round picture, (height * width, 3)."""
    azimuth = (np.arange(width) + 0.5) / width * 2 * np.pi
    polar = (np.arange(height) + 0.5) / height * np.pi
    a, p = np.meshgrid(azimuth, polar)
    return np.stack([np.sin(p) * np.sin(a), np.sin(p) * np.cos(a), np.cos(p)], axis=-1).reshape(-1, 3)


def solid_angles(height: int, width: int) -> Array:
    """Solid angle of each pixel of an all-round picture, sr, (height * width,)."""
    edges = np.cos(np.arange(height + 1) / height * np.pi)
    rows = (edges[:-1] - edges[1:]) * 2 * np.pi / width
    return np.repeat(rows, width)


@remembered
def _room_picture(name: str) -> Array:
    """The room's radiance, lamps held to PEAK, scaled so that a white sheet lying in it returns 1."""
    if name == DARK:
        return np.broadcast_to(np.array(NIGHT, dtype=np.float32), (128, 256, 3)).copy()
    picture = np.load(RESOURCES / "lights" / f"{ROOM_FILES[name]}.npy").astype(np.float64)
    bright = picture @ LUMA
    weight = solid_angles(*bright.shape).reshape(bright.shape)
    mean = (bright * weight).sum() / weight.sum()
    picture *= np.minimum(1.0, PEAK * mean / np.maximum(bright, 1e-9))[..., None]
    up = np.maximum(directions_of(*bright.shape)[:, 2], 0).reshape(bright.shape)
    returned = (picture * (weight * up)[..., None]).sum(axis=(0, 1)) / np.pi
    # the camera is balanced for the room: most of its tint goes, a breath of it stays
    balance = (returned / (returned @ LUMA)) ** -BALANCE
    picture *= balance / float(returned * balance @ LUMA)
    return np.asarray(picture.astype(np.float32))


@remembered
def room_of(light: Light) -> Room:
    """The room's light at the setting's strength."""
    scale = ROOM_WHITE * light.strength / 100
    if light.room == DARK:
        scale *= DARK_SHARE
    turn = np.radians(light.turn_deg + ROOM_TURN.get(light.room, 0.0))
    return Room(_room_picture(light.room) * np.float32(scale), float(turn))


@remembered
def blurred_room(name: str, degrees: float = 2.6) -> Array:
    """The room out of focus, as it is seen behind the piece, (h, w, 3), at unit strength."""
    picture = np.minimum(_room_picture(name), 6.0)

    def made() -> Arrays:
        sigma = degrees / 360 * picture.shape[1]
        soft = ndimage.gaussian_filter1d(picture, sigma, axis=1, mode="wrap")
        return {"seen": ndimage.gaussian_filter1d(soft, sigma, axis=0, mode="nearest").astype(np.float32)}

    named = f"{name}-{degrees:g}-{digest_of(picture)}"
    return np.asarray(kept_arrays("rooms", named, made, most=24)["seen"])


def panel_of(key: KeyLight, middle: Array, radius_mm: float) -> KeyPanel | None:
    """The key light aimed at ``middle`` from outside the piece; None when it is off.

    Its radiance is set so that what it adds does not depend on its size or distance.
    """
    if key.strength <= 0:
        return None
    turn, tilt = np.radians(key.turn_deg), np.radians(key.tilt_deg)
    toward = np.array([np.sin(turn) * np.cos(tilt), -np.cos(turn) * np.cos(tilt), np.sin(tilt)])
    distance = max(900.0, 5 * radius_mm)
    size = key.size_mm * distance / 900.0
    radiance = KEY_WHITE * key.strength / 50 * np.pi * distance**2 / size**2
    warm = np.array([1.0, 0.965, 0.92])
    return KeyPanel(middle + distance * toward, -toward, size, radiance * warm)
