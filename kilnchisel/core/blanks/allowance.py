"""Seam allowance: a strip of rib goes on behind what it is sewn to, so that nothing is seen through between
them where that is gathered."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.cloth import Panel
from kilnchisel.core.blanks.mesh import Mesh, creased, lattice_faces, unit

Array = NDArray[Any]

# the section of what is sewn in: beyond the seam, and how deep below the outside, in mm and in thicknesses
# of the cloth that is sewn to it
SECTION = (
    (-2.0, 0.2, 0.0),
    (0.2, 0.2, 0.0),
    (3.5, 0.2, 1.2),
    (3.5, 0.7, 1.2),
    (0.2, 0.9, 0.0),
    (-2.0, 0.9, 0.0),
)
IN_MM = 0.2  # from the ends of the strip
CREASE = np.cos(np.radians(50))


def sewn_edge(panel: Panel) -> tuple[float, float] | None:
    """Where along v a strip is sewn on all along, and which way is beyond it, 1 or -1; None where it is
    not."""
    _, low, _, high = panel.outline.bounds
    for at, beyond in ((low, -1.0), (high, 1.0)):
        along = [run for run in panel.runs if np.ptp(run.points[:, 1]) == 0 and run.points[0, 1] == at]
        if along and all(run.seam for run in along):
            return at, beyond
    return None


def allowance(panel: Panel, step_mm: float) -> Mesh | None:
    """What of a strip is sewn in, a closed body of its own; None for one that is sewn to nothing."""
    edge = sewn_edge(panel)
    if edge is None:
        return None
    at, beyond = edge
    left, _, right, _ = panel.outline.bounds
    count = max(round((right - left) / step_mm), 2)
    u = np.linspace(left + IN_MM, right - IN_MM, count + 1)
    away, deep, layers = np.array(SECTION).T
    spots = np.stack(np.meshgrid(u, at + beyond * away), axis=-1)  # (6, columns, 2)
    flat = spots.reshape(-1, 2)
    below = np.repeat(deep + layers * panel.thick_mm, len(u))
    points = panel.place(flat) - below[:, None] * unit(np.cross(*panel.slopes(flat)))
    rows, columns = len(SECTION), len(u)
    number = np.arange(rows * columns).reshape(rows, columns)
    # round the section, the first row again after the last
    round_ = np.concatenate([number, number[:1]]).ravel()
    faces = round_[lattice_faces(rows + 1, columns)]
    first, last = number[:, 0], number[:, -1]
    caps = [np.stack([np.full(rows - 2, end[0]), end[1:-1], end[2:]], axis=1) for end in (first, last)]
    faces = np.concatenate([faces, caps[0], caps[1][:, ::-1]])
    if beyond < 0:
        faces = faces[:, ::-1]
    return creased(points, flat, faces, CREASE)
