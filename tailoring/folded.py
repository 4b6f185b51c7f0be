"""A garment folded as it lies in a shop: its sides and sleeves behind it, its lower part up behind in two
turns, on a table with the front up."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import interpolate

from kilnchisel.core.job.garments import Measures, folded_size
from tailoring.flat import closed
from tailoring.settling import FRAME, Fabric, OnATable
from tailoring.sewn import Sewn

Array = NDArray[Any]

SECONDS = 0.5
PRESSED_MM = 1.0  # what cloth is pressed to at most, by a hand that smooths it down; fleece is thicker
NOISE_MM = 0.05
LAYER = 1.25  # thicknesses: how far apart layers are pressed
AT_FOLD_MM = 16.0  # beside a fold, where cloth turns away
CLEAR = 2.0  # of that, what is under the front keeps off it
IN_MM = 16.0  # from the far edge a sleeve is folded down


def pressed(fabric: Fabric) -> Fabric:
    """A fabric as it is within a pile."""
    return replace(fabric, thick=min(fabric.thick, PRESSED_MM))


class Folded(OnATable):
    """Folded over as if by hand, each layer bent round those within, and left to settle."""

    frames = round(SECONDS / FRAME)

    def __init__(self, m: Measures, fabric: Fabric) -> None:
        fabric = pressed(fabric)
        super().__init__(fabric, LAYER * fabric.thick)
        self._m = m

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        m = self._m
        x = closed(cloth.points, self.gap)
        everything = np.ones(len(x), dtype=bool)
        wide, high = folded_size(m)
        turn = np.radians(m.sleeve_deg)
        for way in (1.0, -1.0):
            flap = self._fold(x, everything, np.array([way, 0.0]), wide / 2)
            # the sleeve points down and to the other side now: over a line between its way and downward
            sleeve = np.array([-way * np.cos(turn), -np.sin(turn)])
            line = sleeve + (0.0, -1.0)
            line /= np.linalg.norm(line)
            out = np.array([-line[1], line[0]]) * way
            out *= np.sign(out @ (-way, 0.0))
            # turned down, its underside looks outward: that is to come to the far edge
            tip = np.array([way * (wide - m.shoulders / 2), m.length / 2 - m.slope])
            at = tip
            for _ in range(4):
                run = min(float(np.linalg.norm(at - tip)) / m.sleeve, 1.0)
                deep = m.armhole + run * (m.cuff - m.armhole)
                x_at = -way * (wide / 2 - IN_MM - deep)
                at = np.array([x_at, tip[1] + (x_at - tip[0]) / sleeve[0] * sleeve[1]])
            self._fold(x, flap, out, float(out @ at))
        down = np.array([0.0, -1.0])
        top, low = m.length / 2, -m.length / 2 - m.rib_hem
        part = (top - low - high) / 2
        self._fold(x, everything, down, -(low + part))
        self._fold(x, everything, down, -(top - high))
        self._table = float(x[:, 1].max()) + self._fabric.thick
        return x + rng.normal(0, NOISE_MM, x.shape)

    def finished(self, cloth: Sewn, x: Array) -> Array:
        """What lies under the front kept clear of it: a fold of a sleeve may have been pressed through."""
        wide, high = folded_size(self._m)
        sheet, _, own = cloth.own["front"]
        low = self._m.length / 2 - high
        seen = own[(np.abs(sheet[:, 0]) < wide / 2 - AT_FOLD_MM) & (sheet[:, 1] > low + AT_FOLD_MM)]
        front = interpolate.LinearNDInterpolator(x[seen][:, [0, 2]], x[seen, 1])
        over_it = np.concatenate([seen, cloth.own["collar"][2]])
        under = np.setdiff1d(np.arange(len(x)), over_it)
        over = front(x[under][:, [0, 2]]) + CLEAR * self.gap
        close = x[under, 1] < over  # nowhere, beside it
        x[under[close], 1] = over[close]
        return x

    def _fold(self, x: Array, who: Array, out: Array, at: float) -> Array:
        """Fold what of ``who`` lies beyond a line behind the rest, x in place; which went over, (n,)."""
        far = x[:, [0, 2]] @ out - at
        over = who & (far > 0)
        if not over.any():
            return over
        behind = float(x[who & (far > -float(far[who].max())), 1].max())
        axis = behind + 0.5 * self.gap
        radius = axis - x[over, 1]
        angle = np.minimum(far[over] / radius, np.pi)
        moved = radius * np.sin(angle) - np.maximum(far[over] - np.pi * radius, 0) - far[over]
        x[over, 0] += moved * out[0]
        x[over, 2] += moved * out[1]
        x[over, 1] = axis - radius * np.cos(angle)
        return over
