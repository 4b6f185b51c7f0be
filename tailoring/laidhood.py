"""A hooded garment laid on a table: its hood spread above the neck by two paddles within, as hands do it,
and the table brought up under it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.garments import Measures
from tailoring import solver
from tailoring.flat import Flat, closed
from tailoring.hood import TURNING_MM
from tailoring.settling import FRAME, TABLE_RUB, Fabric, smooth
from tailoring.sewn import Sewn, springs

Array = NDArray[Any]

HOOD = ("left hood", "right hood")
SPREAD, COME = 50, 50  # frames in which the hood is spread, and in which the table comes
SECONDS = 1.2  # that it lies then
FAR_MM = 190.0  # the table before
ASIDE, WIDE = 0.16, 0.21  # of the hood's height: the paddles' middles, and half their width
THIN = 0.05  # how deep they are, of their width
UP = 0.35  # of gravity: what holds the hood up while it is spread


class FlatHooded(Flat):
    """As any that lies, and its hood above it."""

    frames = SPREAD + COME + round(SECONDS / FRAME)

    def __init__(self, m: Measures, fabric: Fabric) -> None:
        super().__init__(fabric, HOOD)
        self._m = m

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        x = closed(cloth.points, self.gap)
        hood = np.unique(np.concatenate([cloth.own[name][2] for name in HOOD]))
        necks = np.concatenate([cloth.own[name][2] for name in ("front", "back")])
        own = np.setdiff1d(hood, necks)
        # above the neck it stands as it was drawn
        above = cloth.points[own, 2] - (self._m.length / 2 - self._m.drop_front)
        share = np.clip(above / TURNING_MM, 0, 1)
        x[own, 1] += share * (cloth.points[own, 1] - x[own, 1])
        edges, length, *rest = springs(cloth)
        beside = ~np.isin(edges, own).any(axis=1)
        table = float(np.delete(x, own, axis=0)[:, 1].max())
        x = self._rucked(cloth, x, (edges[beside], length[beside], *rest), rng)
        self._table = table + self._fabric.thick + 0.3
        self._lies[own] = False
        return x

    def around(self, frame: int) -> solver.Around:
        m = self._m
        spread, come = smooth(frame / SPREAD), smooth((frame - SPREAD) / COME)
        low, top = m.length / 2 + 0.12 * m.hood, m.length / 2 + 0.82 * m.hood
        wide = (0.05 + 0.95 * spread) * WIDE * m.hood
        z = np.linspace(low, top, 4)
        paddle = np.column_stack([np.full(4, ASIDE * spread * m.hood), np.zeros(4), z, np.full(4, wide)])
        limbs = np.stack([paddle, paddle * (-1, 1, 1, 1)])
        fall = solver.GRAVITY * np.array([0.0, come, UP * (1 - come)])
        table = self._table + (1 - come) * FAR_MM
        return solver.Around(solver.NO_BODY, limbs, THIN, table, self._fabric.thick, TABLE_RUB, fall)
