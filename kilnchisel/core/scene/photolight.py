"""The light of a photograph: what surrounds its place, from the photo itself; its sun, from a shadow in it;
how strong both are, from something light that is seen in the sun and in the shade.

All of it is told in the photo's place: turned from the front (-y), below zero to the left.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, curve_undone, light_of_kelvin, srgb_decode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.edits import limits
from kilnchisel.core.job.photo import Photo, Spot
from kilnchisel.core.job.setting import Light, OwnPlace, StudioLight
from kilnchisel.core.later import ndimage
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.lens import straight
from kilnchisel.core.photo.stood import Stood
from kilnchisel.core.scene.lamps import toward_of
from kilnchisel.core.scene.light import cosine_sum, directions_of
from kilnchisel.core.scene.ownplace import HIGH, WIDE, exr_of

Array = NDArray[Any]

SEEN_AT = 320  # pixels of the photo's longer side, for that
ROWS = 128  # of the surroundings as they are worked out
SOFTER = (0.0, 0.02, 0.05, 0.12)  # of the photo's width: how blurred it is farther and farther outside
FAR = (0.0, 0.15, 0.45, 1.2)  # and how far outside that is, in widths
LIGHTEST_PERCENT = 95.0
WHITE_THING = 0.8  # reflectance of paint or paper that one calls white
LEAST_SHADOW_MM, LEAST_TALL_MM = 1.0, 1.0
USUAL_TILT_DEG = 35.0  # of a sun of which only the direction is known
KELVINS = np.arange(2000.0, 12_001.0, 100.0)


def surroundings(pixels: Array, stood: Stood) -> Array:
    """What is all round the place, (h, w, 3) linear light as the photo is exposed. ``pixels`` (h, w, 3)
    uint8 sRGB. Where the photo does not reach, its borders go on, softer and softer, and what is behind
    the camera mirrors what is before it."""
    import cv2

    whole = curve_undone(srgb_decode(pixels / 255)).astype(np.float32)
    scale = min(1.0, SEEN_AT / max(pixels.shape[:2]))
    light = cv2.resize(whole, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    tall, wide = light.shape[:2]
    softer = (ndimage.gaussian_filter(light, (s * wide, s * wide, 0), mode="nearest") for s in SOFTER[1:])
    soft = np.stack([light, *softer])
    ways = directions_of(ROWS, 2 * ROWS)
    heading = np.arctan2(stood.ahead[0], stood.ahead[1])
    azimuth = np.arctan2(ways[:, 0], ways[:, 1]) - heading
    azimuth = (azimuth + np.pi) % (2 * np.pi) - np.pi
    front = np.where(np.abs(azimuth) <= np.pi / 2, azimuth, np.sign(azimuth) * np.pi - azimuth)
    level = np.hypot(ways[:, 0], ways[:, 1])
    front = heading + np.clip(front, -1.45, 1.45)
    before = np.stack([np.sin(front) * level, np.cos(front) * level, ways[:, 2]], axis=1)
    # straight up and down are looked up where they are still ahead
    lowest = 0.12
    ahead = before @ stood.ahead
    before = before + np.maximum(lowest - ahead, 0)[:, None] * stood.ahead
    x = stood.focal_px * (before @ stood.right) / (before @ stood.ahead) / stood.size[0] + 0.5
    y = -stood.focal_px * (before @ stood.up) / (before @ stood.ahead) / stood.size[1] + 0.5
    outside = np.hypot(np.maximum(np.abs(x - 0.5) - 0.5, 0), np.maximum(np.abs(y - 0.5) - 0.5, 0))
    layer = np.interp(outside, FAR, np.arange(len(FAR), dtype=float))
    at = np.stack([layer, np.clip(y, 0, 1) * (tall - 1), np.clip(x, 0, 1) * (wide - 1)])
    seen = [ndimage.map_coordinates(soft[..., k], at, order=1, mode="nearest") for k in range(3)]
    return np.stack(seen, axis=1).reshape(ROWS, 2 * ROWS, 3)


def place_of_photo(around: Array, name: str) -> OwnPlace:
    """The surroundings of a photo as a place that the job holds."""
    import cv2

    large = cv2.resize(around, (WIDE, HIGH), interpolation=cv2.INTER_LINEAR)
    digest = keep_asset(exr_of(np.clip(large, 0, 65_000).astype(np.float16)), name)
    return OwnPlace(name=f"around {name}"[:120], sha256=digest, exposed=True)


def sun_by_shadow(photo: Photo, foot: Spot, tip: Spot, top: Spot | None = None) -> tuple[float, float]:
    """Where the sun is (turn and tilt, degrees), by a shadow on level ground in the photo: from the foot of
    something upright to the shadow's tip; with the upright thing's top also how high it is, else a usual
    height. Raises KilnError where the points do not lie so."""
    stood, up, size = stood_for(photo), np.array([0.0, 0.0, 1.0]), (photo.width_px, photo.height_px)
    ends = straight(np.array([foot, tip]), photo.bent, size)
    spots = stood.on_plane(ends, up, np.array([0.0, 0.0, _ground_mm(photo)]))
    if not np.isfinite(spots).all():
        raise KilnError("The shadow must lie on the ground in the photo, below the horizon.")
    way = spots[0] - spots[1]  # from the tip back to the foot is towards the sun
    long_mm = float(np.linalg.norm(way))
    if long_mm < LEAST_SHADOW_MM:
        raise KilnError("The shadow is too short to tell where the sun is; take a longer one.")
    turn = float(np.degrees(np.arctan2(way[0], -way[1])))
    if top is None:
        return turn, USUAL_TILT_DEG
    # the point above the foot that comes nearest to the line of sight through the top
    ray = stood.rays(straight(np.array([top]), photo.bent, size))[0]
    across = np.cross(ray, np.cross(up, ray))
    tall_mm = float((stood.eye - spots[0]) @ across / (up @ across))
    if not tall_mm > LEAST_TALL_MM:
        raise KilnError("The top must lie above the foot of what casts the shadow.")
    return turn, float(np.degrees(np.arctan2(tall_mm, long_mm)))


def _ground_mm(photo: Photo) -> float:
    """The ground's height in the place: where the piece stands, if it stands."""
    return photo.above_mm if getattr(photo.told, "on", "ground") == "wall" else 0.0


@dataclass(frozen=True)
class Touched:
    """What the photo shows of something white in the sun and in the shade, display-linear (3,) each, and
    which way that faces."""

    sunny: Array
    shady: Array
    normal: Array


def touched(pixels: Array, size: tuple[int, int], sunny: Spot, shady: Spot, normal: Array) -> Touched:
    """The photo's light about two of its points. Raises KilnError for points outside it."""
    found = []
    for x, y in (sunny, shady):
        across, down = int(x / size[0] * pixels.shape[1]), int(y / size[1] * pixels.shape[0])
        if not (0 <= across < pixels.shape[1] and 0 <= down < pixels.shape[0]):
            raise KilnError("A point that was touched lies outside the photo.")
        about = pixels[max(down - 2, 0) : down + 3, max(across - 2, 0) : across + 3]
        found.append(curve_undone(srgb_decode(about / 255)).mean(axis=(0, 1)))
    return Touched(found[0], found[1], normal)


def brightest(pixels: Array) -> float:
    """How light the lightest of a photo is, but for glints: (h, w, 3) uint8 sRGB to scene light."""
    light = curve_undone(srgb_decode(pixels[::4, ::4] / 255)) @ LUMA
    return float(np.percentile(light, LIGHTEST_PERCENT))


def light_levels(
    room: Array,
    sun: tuple[float, float] | None,
    seen: Touched | None,
    least: tuple[float, Array] | None = None,
) -> Light:
    """The strengths of surroundings (h, w, 3) and of a sun (turn and tilt) as they were measured; without
    a measurement the surroundings are as the photo shows them, and the sun makes a sheet that lies in it as
    white as paper. ``least``: without either, so much light falls on what faces this way at least: a photo
    of one dark wall shows nothing of what lights it."""
    lies = np.array([0.0, 0.0, 1.0])
    normal = lies if seen is None else seen.normal
    returned = cosine_sum(room.reshape(-1, 3).astype(float), np.stack([normal, lies]))
    strength, most = 100.0, limits(Light, "strength")[1] or 400.0
    lamps: tuple[StudioLight, ...] = ()
    if seen is not None:
        shade = float(seen.shady @ LUMA) / WHITE_THING
        strength = float(np.clip(100 * shade / max(float(returned[0] @ LUMA), 1e-4), 1, most))
    elif sun is None and least is not None:
        falls = cosine_sum(room.reshape(-1, 3).astype(float), least[1][None])[0] @ LUMA
        strength = float(np.clip(100 * max(1.0, least[0] / max(float(falls), 1e-4)), 1, most))
    if sun is not None:
        toward = toward_of(*sun)
        if seen is None:
            missing = np.full(3, max(0.3, 1 / WHITE_THING - float(returned[1] @ LUMA)))
            facing, kelvin = max(float(toward[2]), 0.15), 5200.0
        else:
            missing = np.maximum(seen.sunny - seen.shady, 0) / WHITE_THING
            facing, kelvin = max(float(toward @ normal), 0.1), _kelvin_of(missing)
        amount = float(np.clip(100 * float(missing @ LUMA) / facing, 1, 1000))
        turn, tilt = (round(degrees, 2) for degrees in sun)
        lamps = (
            StudioLight(kind="sun", turn_deg=turn, tilt_deg=tilt, strength=round(amount, 1), kelvin=kelvin),
        )
    return Light(strength=round(strength, 1), lamps=lamps)


def _kelvin_of(light: Array) -> float:
    """The colour temperature whose light is most like this (3,)."""
    if float(light @ LUMA) <= 1e-4:
        return 5500.0
    own = light / float(light @ LUMA)
    others = np.array([light_of_kelvin(float(kelvin)) for kelvin in KELVINS])
    others = others / (others @ LUMA)[:, None]
    return float(KELVINS[np.argmin(np.linalg.norm(others - own, axis=1))])
