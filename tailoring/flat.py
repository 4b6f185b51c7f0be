"""A garment laid on a table, front up, as hands leave it: not ironed, with rucks that run in from its
edges."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from tailoring import solver
from tailoring.settling import FRAME, Fabric, OnATable, layer_gap
from tailoring.sewn import Sewn, springs

Array = NDArray[Any]

SECONDS = 0.5
LIES_MM = 0.5  # where it is lifted less than this it lies, and friction holds it
NOISE_MM = 0.05
EVERY_MM = 80.0  # along the outline, a ruck
LONG_MM = (70.0, 260.0)
WIDE_MM = (26.0, 64.0)  # from side to side, at the outline; at its end FAN times that
FAN = 1.5
HIGH = (0.15, 0.30)  # of its width
INWARD_DEG = 48.0  # about: how far aside of straight inward a ruck runs
BENT = 0.35
BELOW = 0.35  # of a ruck, so much the layer below has
PASSES = 400  # of drawing in what rucks take


class Flat(OnATable):
    """Rucks are drawn on it, what they take of its length is drawn in, and they settle between the places
    where it lies."""

    frames = round(SECONDS / FRAME)

    def __init__(self, fabric: Fabric, still: tuple[str, ...] = ()) -> None:
        """``still``: panels that lie as they are, without rucks."""
        super().__init__(fabric, layer_gap(fabric))
        self._still = still
        self._lies: Array = np.zeros(0, dtype=bool)

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        x = closed(cloth.points, self.gap)
        self._table = float(x[:, 1].max()) + self._fabric.thick + 0.3
        share = np.clip(0.5 - x[:, 1] / self.gap, 0, 1)  # from the back to the front
        lift = (BELOW + (1 - BELOW) * share) * heights(x, cloth.faces, rng)
        for name in self._still:
            lift[cloth.own[name][2]] = 0.0
        x[:, 1] -= lift
        self._lies = lift < LIES_MM
        edges, length, *_ = springs(cloth)
        solver.draw_in(x, edges, length, PASSES)
        return x + rng.normal(0, NOISE_MM, x.shape) * (0.2, 1.0, 0.2)

    def free(self) -> Array:
        return ~self._lies


def closed(points: Array, gap: float) -> Array:
    """A garment as it was drawn, its layers brought as near as ``gap``."""
    deep = 2 * float(np.median(np.abs(points[:, 1])))  # between the front and the back
    return points * (1.0, 1.2 * gap / deep, 1.0)


def heights(x: Array, faces: Array, rng: np.random.Generator) -> Array:
    """How high rucks stand at places (n, 3), (n,) mm: they begin at the outline and fan out inward."""
    whole = shapely.union_all(shapely.polygons(x[faces][:, :, [0, 2]]).tolist()).buffer(0.5)
    line = max(shapely.get_parts(whole), key=lambda part: part.area).exterior
    found = np.zeros(len(x))
    for number in range(int(line.length / EVERY_MM)):
        at = (number + rng.uniform(0, 1)) * EVERY_MM
        here, ahead = (np.array(line.interpolate(one % line.length).coords[0]) for one in (at, at + 2))
        along = (ahead - here) / np.linalg.norm(ahead - here)
        inward = np.array([-along[1], along[0]]) * (1.0 if line.is_ccw else -1.0)
        turn = np.radians(rng.normal(0, INWARD_DEG))
        way = np.cos(turn) * inward + np.sin(turn) * along
        far, wide, high = rng.uniform(*LONG_MM), rng.uniform(*WIDE_MM), rng.uniform(*HIGH)
        flat = x[:, [0, 2]] - here
        ahead_of, beside = flat @ way, flat @ np.array([-way[1], way[0]])
        beside = beside - rng.normal(0, BENT) * ahead_of**2 / far
        t = ahead_of / far
        width = wide * (1 + (FAN - 1) * np.clip(t, 0, 1))
        fades = np.where((t > -0.1) & (t < 1), np.cos(0.5 * np.pi * np.clip(t, 0, 1)) ** 1.5, 0.0)
        lift = high * wide * fades * np.exp(-((2.2 * beside / width) ** 2))
        found = np.maximum(found, lift) + 0.3 * np.minimum(found, lift)
    return np.asarray(found)
