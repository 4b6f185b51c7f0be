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
from tailoring.settling import FRAME, Fabric
from tailoring.sewn import Sewn

Array = NDArray[Any]

SECONDS = 2.2
RUB = 0.5
NOISE_MM = 0.8
PEG_MM = 8.0
APART_MM = 5.0  # half as far are the layers, before it is shown


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

    u = m.tape / 2
    strip = (
        Edge(evenly(np.array([[-u, 0.0], [u, 0.0]]), step), f"{name} handle start", turned=True),
        Edge(evenly(np.array([[u, 0.0], [u, m.handle]]), step)),
        Edge(evenly(np.array([[u, m.handle], [-u, m.handle]]), step), f"{name} handle end", turned=True),
        Edge(evenly(np.array([[-u, m.handle], [-u, 0.0]]), step)),
    )

    def arched(uv: Array) -> Array:
        at = _folded_over(m, uv) if flat else _over_a_peg(m, uv)
        return at * (way, -way, 1.0) + (0.0, 0.0, top)

    return Panel(name, edges, lies), Panel(f"{name} handle", strip, arched, stiff=6.0)


def _over_a_peg(m: ToteMeasures, uv: Array) -> Array:
    """The handle of the front as an arch, level across at its top: x, forward, above the edge."""
    radius = m.apart / 2
    straight = (m.handle - np.pi * radius) / 2
    s = uv[:, 1]
    turn = np.clip((s - straight) / radius, 0, np.pi)
    over = np.maximum(s - straight - np.pi * radius, 0)
    x = -radius * np.cos(turn)
    z = np.minimum(s, straight) + radius * np.sin(turn) - over
    level = 0.5 * np.pi * np.sin(np.pi * np.clip(s / m.handle, 0, 1)) ** 2
    # across the tape: level to the front at the top, in the plane of the bag at both ends
    across = uv[:, 0] * np.cos(level)
    forward = APART_MM + (4.0 + m.tape / 2) * np.sin(level) - uv[:, 0] * np.sin(level)
    return np.stack([x + across * np.cos(turn), forward, z - across * np.sin(turn)], axis=1)


def _folded_over(m: ToteMeasures, uv: Array) -> Array:
    """The handle laid flat, as tape lies: folded over twice on the slant."""
    u, v = uv[:, 0], uv[:, 1] - m.turn
    x, z, layer = u - m.apart / 2, v.copy(), np.ones(len(uv))
    across = v > u  # beyond the first fold: mirrored over it
    x = np.where(across, v - m.apart / 2, x)
    z = np.where(across, u, z)
    layer = np.where(across, 2.0, layer)
    down = across & (x - m.apart / 2 > -z)  # beyond the second
    far, up = x - m.apart / 2, z
    x, z = np.where(down, m.apart / 2 - up, x), np.where(down, -far, z)
    layer = np.where(down, 3.0, layer)
    # towards the end the top layer comes down to the edge that it is sewn to
    layer = np.where(down, 1 + 2 * np.clip((z + m.turn) / m.turn, 0, 1), layer)
    return np.stack([x, APART_MM * (0.4 + 0.6 * layer), z + m.turn], axis=1)


class OnAPeg:
    """It hangs from a round peg by both handles, its back against a wall."""

    gap = 0.0
    frames = round(SECONDS / FRAME)

    def __init__(self, m: ToteMeasures, fabric: Fabric) -> None:
        self._fabric = fabric
        z = m.high / 2 + m.peg
        peg = np.array([[0.0, -90.0, z, PEG_MM], [0.0, 90.0, z, PEG_MM]])
        self._limbs = np.stack([peg, peg])

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        return cloth.points + rng.normal(0, NOISE_MM, cloth.points.shape)

    def free(self) -> float:
        return 1.0

    def around(self, frame: int) -> solver.Around:
        fall = np.array([0.0, 0.0, -solver.GRAVITY])
        skin = self._fabric.skin
        return solver.Around(solver.NO_BODY, self._limbs, 1.0, HANGER_WALL_MM, skin, RUB, fall)
