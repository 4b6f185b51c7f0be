"""Bricks of one wall differ: some came darker, some paler from the kiln."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import Amount, Cover, Material

Array = NDArray[Any]

CELL_MM = 6.0  # of the map of their tones
MOST_CELLS = 4_000_000
DARK, PALE = (0.52, 0.46, 0.44), (1.28, 1.2, 1.1)  # of the brick's own colour
SPREAD = (0.42, 0.3)  # how much of those a brick gets that is one deviation off
SEED = 8


def toned(material: Material, bricks: Array, size: tuple[float, float]) -> Material:
    """A brick's material with tones brick by brick: ``bricks`` (n, 4) left, low, right, high on a sheet of
    ``size`` about its middle, mm."""
    cell = max(CELL_MM, float(np.sqrt(size[0] * size[1] / MOST_CELLS)))
    columns, rows = (max(int(np.ceil(one / cell)), 1) for one in size)
    corner = (-size[0] / 2, -size[1] / 2)
    tone = np.random.default_rng(SEED).normal(0, 1, len(bricks))
    # their joints' halves go with them, so that no cell between is left out
    at = np.rint((bricks - np.tile(corner, 2) + (-5, -5, 5, 5)) / cell).astype(int)
    values = np.zeros((rows, columns), dtype=np.float32)
    for (left, low, right, high), own in zip(np.maximum(at, 0).tolist(), tone.tolist(), strict=True):
        values[low:high, left:right] = own
    base = np.asarray(material.base)
    covers = []
    for share, way, factor in ((SPREAD[0], -1.0, DARK), (SPREAD[1], 1.0, PALE)):
        red, green, blue = (float(x) for x in np.minimum(base * factor, 0.95))
        tones = np.clip(way * values * share, 0, 0.85)
        amount = Amount(tones, (columns * cell, rows * cell), corner, repeats=False)
        covers.append(Cover(Material("matte", (red, green, blue), material.alpha), amount))
    return replace(material, covers=tuple(covers))
