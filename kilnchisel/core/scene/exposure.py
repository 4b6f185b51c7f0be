"""How long the picture is exposed and what it takes for white."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, white_gain
from kilnchisel.core.job.setting import Setting
from kilnchisel.core.scene.lamps import Panel
from kilnchisel.core.scene.light import Room, directions_of, solid_angles

Array = NDArray[Any]

# white sheets held before the piece as a light meter's dome takes them together: to the front, half up to
# the left and the right, and up
SHEETS = np.array([[0.0, -1.0, 0.0], [-0.5, -0.5, 0.7071], [0.5, -0.5, 0.7071], [0.0, 0.0, 1.0]])
SHEET_RETURNS = 1.25  # what the brightest of them is to return in the picture, of white
USUAL, SHARE, MOST_STOPS = 0.35, 0.2, 0.45  # a piece lighter or darker than usual, and how far it is met
ROWS = 32


def gain_of(setting: Setting, room: Room, panels: tuple[Panel, ...], middle: Array, albedo: Array) -> Array:
    """By what each channel (3,) of the scene's light is multiplied before the picture curve.

    albedo (3,): the mean reflectance of the piece.
    """
    stops = setting.exposure_stops
    if setting.exposure == "by itself":
        stops += _metered_stops(room, panels, middle, float(albedo @ LUMA))
    return np.asarray(2.0**stops * white_gain(setting.white_kelvin))


def _metered_stops(room: Room, panels: tuple[Panel, ...], middle: Array, albedo: float) -> float:
    """As an incident light meter at the piece says, and a little longer for a dark piece."""
    returned = (room_on(room, SHEETS) + panels_on(panels, middle, SHEETS)) @ LUMA
    bright = float((returned**4).mean() ** 0.25)  # the lit ones count most
    stops = np.log2(SHEET_RETURNS / max(bright, 1e-6))
    own = SHARE * np.log2(USUAL / max(albedo, 0.01))
    return float(np.clip(stops, -12, 12) + np.clip(own, -MOST_STOPS, MOST_STOPS))


def room_on(room: Room, normals: Array) -> Array:
    """Irradiance / pi of a room on open surfaces of unit normals (n, 3) -> (n, 3)."""
    directions = directions_of(ROWS, 2 * ROWS)
    seen = room.coarser(ROWS, 2 * ROWS).seen(directions)
    sent = seen * solid_angles(ROWS, 2 * ROWS)[:, None] / np.pi
    return np.asarray(np.clip(normals @ directions.T, 0, None) @ sent)


def panels_on(panels: tuple[Panel, ...], point: Array, normals: Array) -> Array:
    """Irradiance / pi of lights on unit normals (n, 3) at a point they all shine on, by their middles:
    (n, 3)."""
    total = np.zeros((len(normals), 3))
    for panel in panels:
        way = panel.middle - point
        way = way / np.linalg.norm(way)
        mean = float(panel.radiance.mean())
        if panel.throws is None and mean > 0:
            facing = np.clip(normals @ way, 0, None)
            total += facing[:, None] * panel.adds(point) * panel.radiance / mean
    return total
