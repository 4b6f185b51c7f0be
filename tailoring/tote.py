"""A tote bag: two panels, sewn at three sides, and two handles; it hangs from a peg or lies flat."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.garments import HANGER_WALL_MM
from kilnchisel.core.job.totes import ToteMeasures
from tailoring import solver
from tailoring.panel import Edge, Panel, evenly
from tailoring.settling import FRAME, Fabric, Freely
from tailoring.strap import APART_MM, strap

Array = NDArray[Any]

SECONDS = 2.2
RUB = 0.5
PEG_MM = 8.0


def tote_panels(m: ToteMeasures, step: float, shown: str) -> tuple[Panel, ...]:
    """Front, back, and their handles."""
    return tuple(panel for way in (1.0, -1.0) for panel in _half(m, step, way, flat=shown == "laid flat"))


def _half(m: ToteMeasures, step: float, way: float, *, flat: bool) -> tuple[Panel, Panel]:
    name = "front" if way > 0 else "back"
    half, top, low = m.wide / 2, m.high / 2, -m.high / 2
    ends = [half, m.apart / 2 + m.tape / 2, m.apart / 2 - m.tape / 2]
    stops = [*ends, *(-x for x in reversed(ends))]
    upper = [evenly(np.array([[a, top], [b, top]]), step) for a, b in pairwise(stops)]
    seams = ["", f"{name} handle end", "", f"{name} handle start", ""]
    edges = (
        Edge(evenly(np.array([[-half, low], [half, low]]), step), "bottom", way < 0),
        Edge(
            evenly(np.array([[half, low], [half, top]]), step), "left" if way > 0 else "right", turned=False
        ),
        *(Edge(line, seam) for line, seam in zip(upper, seams, strict=True)),
        Edge(
            evenly(np.array([[-half, top], [-half, low]]), step),
            "right" if way > 0 else "left",
            turned=True,
        ),
    )

    def lies(uv: Array) -> Array:
        return np.stack([way * uv[:, 0], np.full(len(uv), -way * APART_MM), uv[:, 1]], axis=1)

    handle = strap(f"{name} handle", m, step, way, top, flat=flat)
    return Panel(name, edges, lies), handle


class OnAPeg(Freely):
    """It hangs from a round peg by its handles, its back against a wall."""

    noise_mm = 0.8
    frames = round(SECONDS / FRAME)

    def __init__(self, m: ToteMeasures, fabric: Fabric) -> None:
        self._fabric = fabric
        z = m.high / 2 + m.peg
        peg = np.array([[0.0, -90.0, z, PEG_MM], [0.0, 90.0, z, PEG_MM]])
        self._limbs = np.stack([peg, peg])

    def around(self, frame: int) -> solver.Around:
        fall = np.array([0.0, 0.0, -solver.GRAVITY])
        skin = self._fabric.skin
        return solver.Around(solver.NO_BODY, self._limbs, 1.0, HANGER_WALL_MM, skin, RUB, fall)
