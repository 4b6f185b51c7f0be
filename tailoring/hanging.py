"""A garment on a hanger before a wall: flat at first, the hanger within it swells, and the cloth falls."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.hanger import hanger_arms
from kilnchisel.core.easing import eased
from kilnchisel.core.job.garments import Measures
from tailoring import solver
from tailoring.settling import FRAME, Fabric, Freely

Array = NDArray[Any]

SWOLLEN, RISEN = 24, 30  # frames in which it swells, and comes up
SECONDS = 2.8
RISES_MM = 30.0
RUB = 0.3


class Hanging(Freely):
    """On a wooden hanger, its back against a wall."""

    frames = round(SECONDS / FRAME)

    def __init__(self, m: Measures, fabric: Fabric, wall_mm: float) -> None:
        """``wall_mm``: how far behind the hanger's middle the wall is."""
        self._fabric, self._wall = fabric, wall_mm
        arm = hanger_arms(m)
        self._limbs = np.stack([arm, arm * (-1, 1, 1, 1)])

    def around(self, frame: int) -> solver.Around:
        # it swells below the seams, comes up with its full thickness, and only then the cloth falls: a thin
        # one would cut through a shoulder
        swell, up = eased(frame / SWOLLEN), eased((frame - SWOLLEN) / RISEN)
        skin = min(self._fabric.skin, 0.5 + self._fabric.skin * swell)
        fall = np.array([0.0, 0.0, -solver.GRAVITY * eased((frame - SWOLLEN) / RISEN - 0.4)])
        limbs = self._limbs - np.array([0.0, 0.0, RISES_MM * (1 - up), 0.0])
        return solver.Around(solver.NO_BODY, limbs, 0.04 + 0.96 * swell, self._wall, skin, RUB, fall)
