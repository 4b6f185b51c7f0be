"""The camera from the horizon alone: how it was held, with the lens of the photo's record."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Horizon
from kilnchisel.core.photo.stood import MARKED_PX, Fit, Stood, focal_of_record, stood_of

Array = NDArray[Any]

SHORT_PX = 8.0
LEAST_BELOW = 2e-3  # radians that the origin must be below the horizon


def from_horizon(told: Horizon, lens_mm: float | None, size: tuple[int, int]) -> Stood:
    """Where the camera stood above level ground. Raises KilnError where the horizon does not tell it."""
    focal, lens_from = focal_of_record(lens_mm, size)
    middle = np.array(size) / 2
    first, last, below = (
        np.append((np.array(spot) - middle) / focal, 1.0) for spot in (*told.line, told.below)
    )
    long_px = float(np.linalg.norm(np.subtract(*told.line)))
    if long_px < SHORT_PX:
        raise KilnError("The two points of the horizon are too close together.")
    up = np.cross(first, last)  # what is level with the eye is seen on the horizon
    up = up / np.linalg.norm(up)
    up = up if up[1] < 0 else -up
    ahead = np.array([0.0, 0.0, 1.0]) - up[2] * up
    ahead = ahead / np.linalg.norm(ahead)
    look = np.stack([np.cross(ahead, up), ahead, up], axis=1)
    way = below / np.linalg.norm(below)
    if -way @ up < LEAST_BELOW:
        raise KilnError("The point on the ground must lie below the horizon.")
    shift = way * told.eye_mm / (-way @ up)
    stood = stood_of(Fit(look, shift, focal), np.zeros((8, 8)), 0.0, size, free=False)
    tilted = MARKED_PX * np.sqrt(2) / focal  # of half a pixel at either end, radians
    share = tilted * float(np.linalg.norm(shift)) / told.eye_mm
    return replace(stood, lens_from=lens_from, place_share=share)
