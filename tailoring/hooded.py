"""The hood of a garment that is not worn: its body lies or hangs already, and the hood is put to it.

Two rods within it spread it on the table that the garment lies on; or a form swells within it and throws it
back, between the garment and the wall.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.easing import eased, smooth_step
from kilnchisel.core.job.garments import Measures, wall_behind
from tailoring import solver
from tailoring.settling import FRAME, LATE, TABLE_RUB, Fabric, Freely
from tailoring.sewn import Sewn

Array = NDArray[Any]

FADES_MM = 90.0  # above the neckline, what the body has moved fades to its mean


class OfAHood(Freely):
    """The hood alone moves; the rest of the garment is where ``bare`` came to rest."""

    noise_mm = 0.15

    def __init__(self, m: Measures, fabric: Fabric, bare: Sewn, places: Array) -> None:
        """``bare``: the garment without its hood; ``places``: its particles at rest, (n, 3) mm."""
        self._m, self._fabric, self._bare, self._places = m, fabric, bare, places
        self._moves: Array = np.zeros(0)
        self._behind = float(places[:, 1].max()) + fabric.thick

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        x = super().start(cloth, rng)
        still = np.zeros(len(x), dtype=bool)
        for name, (_, _, particle) in self._bare.own.items():
            own = cloth.own.get(name)
            if own is None:  # a collar that stood for the hood
                continue
            x[own[2]] = self._places[particle]
            still[own[2]] = True
        moved = x - cloth.points
        hoods = np.unique(np.concatenate([own[2] for name, own in cloth.own.items() if "hood" in name]))
        neck = hoods[still[hoods]]
        free = np.flatnonzero(~still)
        apart = np.linalg.norm(cloth.points[free][:, None] - cloth.points[neck][None], axis=2)
        weight = 1 / (apart**2 + 25.0)
        weight /= weight.sum(axis=1, keepdims=True)
        near = smooth_step(1 - apart.min(axis=1) / FADES_MM)[:, None]
        x[free] += near * (weight @ moved[neck]) + (1 - near) * moved[neck].mean(axis=0)
        self._moves = (~still).astype(float)
        self._middle = x[neck].mean(axis=0)
        return x

    def free(self) -> Array:
        return self._moves


def _limb(x: Any, y: Any, z: Any, radius: Any) -> Array:
    """Rows of x, y, z and thickness, (4, 4)."""
    return np.stack(np.broadcast_arrays(x, y, z, radius), axis=1)


def _both(aside: Any, y: Any, z: Any, radius: Any) -> Array:
    """A limb to the left and the same to the right, (2, 4, 4)."""
    limb = _limb(aside, y, z, radius)
    return np.stack([limb, limb * (-1, 1, 1, 1)])


# what spreads it on a table, left and right: of its height, how far above the neck's middle, aside and back
RODS = np.array([[0.05, 0.235, 0.0], [0.36, 0.30, 0.0], [0.64, 0.235, 0.10], [0.93, 0.05, 0.24]])
ROD_MM = 12.0
EASED = 0.03  # of how far aside they are, they come in again when it lies


class LaidUp(OfAHood):
    """On the table, above the neck, spread as hands leave it that smooth it out."""

    frames = round(3.2 / FRAME)
    SPREAD = 60  # frames in which rods within spread it
    LOWERED = 60  # in which the table comes up
    TURNED = 1.2  # of gravity
    FAR_MM = 190.0  # the table below it at first

    def around(self, frame: int) -> solver.Around:
        spread = eased(frame / self.SPREAD)
        down = eased((frame - 0.6 * self.SPREAD) / self.LOWERED)
        table = self._behind + 0.3 + self.FAR_MM * (1 - down)
        # its crown is turned down over its opening
        turned = self.TURNED * eased((frame - self.SPREAD) / self.LOWERED) * (frame < self.frames - LATE)
        fall = solver.GRAVITY * np.array([0.0, 0.05 + 0.95 * down, -turned])
        up, aside, back = RODS.T
        in_again = eased((frame - self.SPREAD - self.LOWERED) / 20)
        radius = 4.0 + (ROD_MM - 4.0) * spread * (1 - in_again)
        out = spread * (1 - EASED * in_again) * aside * self._m.hood
        behind = self._middle[1] + back * self._m.hood
        y = np.minimum(behind, table - radius - 2 * self._fabric.skin)
        rods = _both(6.0 + out, y, self._middle[2] + up * self._m.hood, radius)
        return solver.Around(solver.NO_BODY, rods, 1.0, table, self._fabric.skin, TABLE_RUB, fall)


# what keeps it round the neck, left and right, mm: above the neck's middle, aside, thick
POSTS = np.array([[-14.0, 62.0, 14.0], [24.0, 68.0, 26.0], [80.0, 74.0, 30.0], [150.0, 76.0, 30.0]])
# what throws it back: of its height, how far above the neck, and how thick
FORM = np.array([[0.24, 0.07], [0.38, 0.15], [0.50, 0.19], [0.58, 0.17]])


class ThrownBack(OfAHood):
    """Behind the neck, between the garment and the wall: a form within it opens it and takes it along."""

    frames = round(4.0 / FRAME)
    RUB = 0.3
    SWOLLEN = 30  # frames in which the form swells
    THROWN = 80  # in which it turns over
    AWAY = 30  # in which it goes, and the wall comes up
    OVER_DEG = 111.0
    FAR_MM = 400.0

    def __init__(self, m: Measures, fabric: Fabric, bare: Sewn, places: Array) -> None:
        super().__init__(m, fabric, bare, places)
        self._wall = wall_behind(m)

    def around(self, frame: int) -> solver.Around:
        swell = eased(frame / self.SWOLLEN)
        over = np.radians(self.OVER_DEG) * eased((frame - self.SWOLLEN) / self.THROWN)
        gone = eased((frame - self.SWOLLEN - self.THROWN) / self.AWAY)
        far, thick = FORM.T * self._m.hood
        x, y, z = self._middle
        radius = np.maximum((0.1 + 0.9 * swell) * thick * (1 - gone), 1.0)
        form = _limb(x, y + far * np.sin(over), z + far * np.cos(over), radius)
        fall = np.array([0.0, 0.0, -solver.GRAVITY * (0.1 + 0.9 * gone)])
        wall = self._wall + self.FAR_MM * (1 - gone)
        up, aside, thick = POSTS.T
        radius = np.maximum(swell * (1 - 0.7 * gone) * thick, 4.0)
        posts = _both(6.0 + swell * (aside - 6.0), y, z + up, radius) + (x, 0, 0, 0)
        limbs = np.concatenate([posts, form[None]])
        return solver.Around(solver.NO_BODY, limbs, 1.0, wall, self._fabric.skin, self.RUB, fall)
