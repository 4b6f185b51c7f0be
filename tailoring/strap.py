"""Tape sewn to an edge with both ends: over a peg, or laid flat."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.tape import Taped
from tailoring.panel import Edge, Panel, evenly

Array = NDArray[Any]

APART_MM = 5.0  # half as far are the layers, before what is sewn is shown
STIFF = 6.0  # it is doubled


def tape_edges(name: str, wide: float, long: float, step: float) -> tuple[Edge, ...]:
    """Round a tape: its start is at v = 0, its end at v = ``long``."""
    u = wide / 2
    corners = np.array([[-u, 0.0], [u, 0.0], [u, long], [-u, long], [-u, 0.0]])
    lines = [evenly(corners[k : k + 2], step) for k in range(4)]
    seams = (f"{name} start", "", f"{name} end", "")
    return tuple(Edge(line, seam, bool(seam)) for line, seam in zip(lines, seams, strict=True))


def strap(name: str, m: Taped, step: float, way: float, top: float, *, flat: bool) -> Panel:
    """The strap of a front (way 1) or a back (-1) whose upper edge is at ``top``."""

    def lies(uv: Array) -> Array:
        at = folded_over(m, uv) if flat else over_a_peg(m, uv)
        return np.asarray(at * (way, -way, 1.0) + (0.0, 0.0, top))

    return Panel(name, tape_edges(name, m.tape, m.handle, step), lies, stiff=STIFF)


def over_a_peg(m: Taped, uv: Array) -> Array:
    """The strap of a front as an arch, level across at its top: x, forward, above the edge."""
    radius = m.apart / 2
    straight = (m.handle - np.pi * radius) / 2
    s = uv[:, 1]
    turn = np.clip((s - straight) / radius, 0, np.pi)
    over = np.maximum(s - straight - np.pi * radius, 0)
    x = -radius * np.cos(turn)
    z = np.minimum(s, straight) + radius * np.sin(turn) - over
    level = 0.5 * np.pi * np.sin(np.pi * np.clip(s / m.handle, 0, 1)) ** 2
    # across the tape: level to the front at the top, in the plane of the edge at both ends
    across = uv[:, 0] * np.cos(level)
    forward = APART_MM + (4.0 + m.tape / 2) * np.sin(level) - uv[:, 0] * np.sin(level)
    return np.stack([x + across * np.cos(turn), forward, z - across * np.sin(turn)], axis=1)


def folded_over(m: Taped, uv: Array) -> Array:
    """The strap laid flat, as tape lies: folded over twice on the slant."""
    u, v = uv[:, 0], uv[:, 1] - m.turn
    x, z, layer = u - m.apart / 2, v.copy(), np.ones(len(uv))
    across = v > u  # beyond the first fold: mirrored over it
    x = np.where(across, v - m.apart / 2, x)
    z = np.where(across, u, z)
    layer = np.where(across, 2.0, layer)
    down = across & (x - m.apart / 2 > -z)  # beyond the second
    far, up = x - m.apart / 2, z
    x, z = np.where(down, m.apart / 2 - up, x), np.where(down, -far, z)
    # towards the end the top layer comes down to the edge that it is sewn to
    layer = np.where(down, 1 + 2 * np.clip((z + m.turn) / m.turn, 0, 1), layer)
    return np.stack([x, APART_MM * (0.4 + 0.6 * layer), z + m.turn], axis=1)
