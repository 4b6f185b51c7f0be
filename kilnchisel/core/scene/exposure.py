"""How long the picture is exposed and what it takes for white."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, white_gain
from kilnchisel.core.job.setting import Light, Setting
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.lamps import panels_of
from kilnchisel.core.scene.light import cosine_sum, directions_of, room_of

Array = NDArray[Any]

# white sheets held before the piece as a light meter's dome takes them together: to the front, half up to
# the left and the right, and up
SHEETS = np.array([[0.0, -1.0, 0.0], [-0.5, -0.5, 0.7071], [0.5, -0.5, 0.7071], [0.0, 0.0, 1.0]])
SHEET_RETURNS = 1.25  # what the brightest of them is to return in the picture, of white
USUAL, SHARE, MOST_STOPS = 0.35, 0.2, 0.45  # a piece lighter or darker than usual, and how far it is met
ROWS = 32


def gain_of(setting: Setting, middle: Array, radius_mm: float, albedo: Array) -> Array:
    """By what each channel (3,) of the scene's light is multiplied before the picture curve.

    albedo (3,): the mean reflectance of the piece, whose ball has this middle and radius.
    """
    stops = setting.exposure_stops
    if setting.exposure == "by itself":
        own = SHARE * np.log2(USUAL / max(float(albedo @ LUMA), 0.01))
        stops += _metered_stops(setting.light, spot_of(middle), radius_mm)
        stops += float(np.clip(own, -MOST_STOPS, MOST_STOPS))
    return np.asarray(2.0**stops * white_gain(setting.white_kelvin))


def spot_of(middle: Array) -> tuple[float, float, float]:
    """A point as what results are remembered by."""
    x, y, z = (float(value) for value in middle)
    return x, y, z


@remembered
def _metered_stops(light: Light, middle: tuple[float, float, float], radius_mm: float) -> float:
    """As an incident light meter at the piece says."""
    returned = lit_by(light, middle, radius_mm, np.array(middle), SHEETS) @ LUMA
    bright = float((returned**4).mean() ** 0.25)  # the lit ones count most
    return float(np.clip(np.log2(SHEET_RETURNS / max(bright, 1e-6)), -12, 12))


def lit_by(
    light: Light, middle: tuple[float, float, float], radius_mm: float, point: Array, normals: Array
) -> Array:
    """Irradiance / pi of all the light round a piece on unit normals (n, 3) at an open point: (n, 3)."""
    room = room_of(light).coarser(ROWS, 2 * ROWS)
    found = cosine_sum(room.seen(directions_of(ROWS, 2 * ROWS)), normals)
    for panel in panels_of(light, np.array(middle), radius_mm):
        if panel.throws is None:
            found = found + panel.on(point, normals)
    return found
