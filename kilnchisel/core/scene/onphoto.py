"""A piece in a photograph: how its scene lies in the photo's place, what the camera sees, what is behind.

The scene keeps its own frame, in which the piece stands; the photo's camera is brought into it. So moving
the piece over its place moves the camera the other way, and nothing of the piece is made anew.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import srgb_decode
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.photo import Photo
from kilnchisel.core.job.setting import Light
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.cleared import shown_pixels
from kilnchisel.core.photo.masks import mask_pixels
from kilnchisel.core.photo.stood import Stood
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.view import View
from kilnchisel.core.units import within_turn

Array = NDArray[Any]

OUTSIDE = 0.01  # display-linear: what is beside the photo in a picture of another shape
UNCHANGED = 0.006  # of the light on the photo's ground: less is not shown by the draft
CATCHES = 14.0  # how far the ground or wall reaches that takes the piece's shadow, in radii of the piece
TONE_STEP = 0.15  # of its logarithm: what it shines back need not be made anew for every place
AROUND = 1.6  # radii of the piece within which the photo tells how light its ground is
DARKEST, LIGHTEST = 0.03, 0.8  # reflectances of what a piece stands on
LEVEL = 0.7  # of a normal's upright part, from which on its plane is ground and no wall
GRAIN = 24  # points each way at which the photo is looked up


@dataclass(frozen=True, eq=False)
class Photographed:
    """What is seen behind a piece: pixels (h, w, 3) uint8 sRGB of a photo whose true size is ``size``, and
    what of it stands before the piece, (h, w) uint8."""

    photo: Photo
    pixels: Array
    mask: Array | None = None

    @property
    def size(self) -> tuple[int, int]:
        return self.photo.width_px, self.photo.height_px

    def box(self, size: tuple[int, int]) -> tuple[float, float, float, float]:
        """Where the photo lies in a picture of this size: left, top, width and height in its pixels."""
        scale = min(size[0] / self.size[0], size[1] / self.size[1])
        wide, tall = self.size[0] * scale, self.size[1] * scale
        return (size[0] - wide) / 2, (size[1] - tall) / 2, wide, tall


@remembered
def photographed(photo: Photo) -> Photographed:
    """A job's photo, ready to be seen. Raises KilnError where it is lost."""
    mask = None if photo.before is None else mask_pixels(photo.before)
    return Photographed(photo, shown_pixels(photo), mask)


@dataclass(frozen=True, eq=False)
class Plane:
    """What meets the place in the scene: a point of the plane that stands on the ground or lies on the wall
    of the photo, its unit normal, and a unit vector along it."""

    point: Array
    normal: Array
    along: Array


def _turn(plane: Plane, photo: Photo) -> float:
    """How far the place is turned to the left to be brought into the scene, radians."""
    # what is fixed to a wall has it behind, or beside
    normal = plane.normal
    wall = 0.0 if abs(normal[2]) > LEVEL else float(np.arctan2(normal[1], normal[0]) + np.pi / 2)
    return wall - float(np.radians(photo.turn_deg))


def brought(plane: Plane, photo: Photo) -> tuple[Array, Array]:
    """The motion from the photo's place into the scene: a turn (3, 3) and a shift (3,), so that a point p
    of the place is at turn p + shift."""
    angle = _turn(plane, photo)
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    off = np.array([photo.beside_mm, photo.beyond_mm, photo.above_mm])
    return turn, plane.point - turn @ off


def light_brought(light: Light, plane: Plane, photo: Photo) -> Light:
    """A light that is told in the photo's place, as it is in the scene."""
    return light_turned(light, float(np.degrees(_turn(plane, photo))))


def between_places(told: Photo, other: Photo) -> float:
    """How far what is told in one place of a photo is turned to the left to be told in another, degrees:
    both have the same camera. Raises KilnError where either does not tell it."""
    ways = [np.degrees(np.arctan2(s.right[1], s.right[0])) for s in (stood_for(told), stood_for(other))]
    return float(ways[1] - ways[0])


def light_turned(light: Light, by: float) -> Light:
    """A light with all its directions turned to the left, degrees."""

    def on(degrees: float) -> float:
        return within_turn(degrees + by)

    lamps = tuple(lamp.model_copy(update={"turn_deg": on(lamp.turn_deg)}) for lamp in light.lamps)
    key = light.key.model_copy(update={"turn_deg": on(light.key.turn_deg)})
    return light.model_copy(update={"turn_deg": on(light.turn_deg), "lamps": lamps, "key": key})


def photo_view(plane: Plane, photo: Photo, aspect: float) -> View:
    """The photo's camera in the scene, for a picture of this width over height that holds all of it. Raises
    KilnError where it is not told where that stood."""
    stood: Stood = stood_for(photo)
    turn, shift = brought(plane, photo)
    own = photo.width_px / photo.height_px
    half = photo.height_px / 2 / stood.focal_px
    eye = turn @ stood.eye + shift
    return View(
        eye=eye,
        right=turn @ stood.right,
        up=turn @ stood.up,
        ahead=turn @ stood.ahead,
        parallel=False,
        tall=half * max(1.0, own / aspect),
        reach_mm=float(np.linalg.norm(eye)) * 4 + 8000.0,
    )


def photo_base(plane: Plane, photo: Photo, radius: float, lit: Array) -> Base:
    """What in the photo takes the piece's shadow, as light as it is seen there. ``lit`` (3,): irradiance /
    pi on its plane, exposed."""
    tone = np.clip(_seen_about(plane, photo, radius) / np.maximum(lit, 1e-4), DARKEST, LIGHTEST)
    tone = np.exp(np.round(np.log(tone) / TONE_STEP) * TONE_STEP)
    base = float(tone[0]), float(tone[1]), float(tone[2])
    return Base(plane.point, plane.normal, plane.along, CATCHES * radius, Material("matte", base, 0.7))


def _seen_about(plane: Plane, photo: Photo, radius: float) -> Array:
    """The mean of what the photo shows, display-linear (3,), about where the piece is put."""
    pixels = photographed(photo).pixels
    steps = np.linspace(-AROUND, AROUND, GRAIN) * radius
    u, v = np.meshgrid(steps, steps)
    across = np.cross(plane.normal, plane.along)
    spots = plane.point + u.reshape(-1, 1) * plane.along + v.reshape(-1, 1) * across
    height, width = pixels.shape[:2]
    found = photo_view(plane, photo, photo.width_px / photo.height_px).project(spots, (width, height))
    x, y, depth = found.T
    inside = (depth > 1) & (x >= 0) & (x < width) & (y >= 0) & (y < height)
    if not inside.any():
        return np.asarray(srgb_decode(pixels[::8, ::8] / 255).mean(axis=(0, 1)))
    about = pixels[y[inside].astype(int), x[inside].astype(int)]
    return np.asarray(srgb_decode(about / 255).mean(axis=0))
