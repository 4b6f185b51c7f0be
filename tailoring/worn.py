"""A garment put on: flat at first, the body within it swells and lowers its arms."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.easing import eased
from kilnchisel.core.job.garments import Measures, measures_of
from tailoring import solver
from tailoring.mannequin import arms_of, arms_within, body_of, head_of, posed
from tailoring.settling import FRAME, Fabric, Freely

Array = NDArray[Any]

# frames in which the body within swells, leans and raises its arms, and lowers them again
SWOLLEN, RAISED, LOWERED = 50, 30, 55
SECONDS = 3.2  # that it takes to come to rest
RUB = 0.65  # friction of cloth on the body and on itself
SPREAD_DEG = 45.0  # times how much wider than M a trunk is: so much farther off it the arms hang


@dataclass(frozen=True)
class Pose:
    """How the body within moves. ``arms_deg``: from upright at the end, left and right; ``raised_deg``
    before; ``lean_mm``: aside meanwhile, ``rest_mm`` at the end; ``twist_deg``: shoulders against hips at
    the end; ``tall_mm``: it stretches so much and sinks again."""

    arms_deg: tuple[float, float]
    raised_deg: float
    lean_mm: float
    rest_mm: float
    twist_deg: float
    tall_mm: float


EASY = Pose((21.0, 28.0), 74.0, 50.0, 8.0, 6.0, 56.0)
UPRIGHT = Pose((22.0, 25.0), 55.0, 22.0, 5.0, 3.0, 12.0)
POSES = {"t-shirt": EASY}


class Worn(Freely):
    """On a body that is not seen."""

    noise_mm = 0.15
    frames = round(SECONDS / FRAME)

    def __init__(self, garment: str, m: Measures, fabric: Fabric) -> None:
        self._m, self._fabric = m, fabric
        self._pose = POSES.get(garment, UPRIGHT)
        self._torso, self._start_deg = body_of(m), arms_within(m)
        self._spread = SPREAD_DEG * max(m.chest / measures_of("t-shirt", "M").chest - 1, 0.0)

    def around(self, frame: int) -> solver.Around:
        pose, m = self._pose, self._m
        swell = eased(frame / SWOLLEN)
        up, down = eased((frame - SWOLLEN) / RAISED), eased((frame - SWOLLEN - RAISED) / LOWERED)
        lift = self._start_deg + (pose.raised_deg - self._start_deg) * up
        lean = pose.lean_mm * (up - down) + pose.rest_mm * down
        twist = pose.twist_deg * (down - 0.8 * (up - down))
        tall = pose.tall_mm * (up - down)
        body = posed(self._torso, lean, twist, tall)
        left, right = (lift + (deg + self._spread - lift) * down for deg in pose.arms_deg)
        limbs = arms_of(m, left, right, lean, twist, tall)
        if m.hood:
            limbs = np.concatenate([limbs, head_of(m, lean, tall, 0.1 + 0.9 * swell)])
        skin = min(self._fabric.skin, 0.5 + self._fabric.skin * swell)
        fall = np.array([0.0, 0.0, -solver.GRAVITY * swell])
        return solver.Around(body, limbs, 0.04 + 0.96 * swell, solver.NO_TABLE, skin, RUB, fall)
