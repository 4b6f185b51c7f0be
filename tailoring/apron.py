"""An apron with a bib: one panel, a strap round the neck, ties at the waist; worn over a body that is
not seen, or laid flat with its ties under it."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.easing import eased
from kilnchisel.core.job.aprons import ApronMeasures
from kilnchisel.core.job.garments import Measures, measures_of
from tailoring import solver
from tailoring.mannequin import arms_of, body_of, posed
from tailoring.panel import Edge, Panel, bezier, evenly
from tailoring.settling import FRAME, Fabric, Freely
from tailoring.strap import APART_MM, STIFF, strap, tape_edges

Array = NDArray[Any]

BELOW_MM = 150.0  # the high point of the shoulder, the bib's upper edge
ROUND_MM = 205.0  # half as wide as the body that a worn apron is folded round, before that swells
SWOLLEN = 60  # frames
SECONDS = 3.0
RUB = 0.5
ARMS_DEG = (24.0, 27.0)


def apron_panels(m: ApronMeasures, step: float, shown: str) -> tuple[Panel, ...]:
    """The panel, its strap, and its ties as they are shown."""
    half, top, low = m.wide / 2, m.high / 2, -m.high / 2
    bib, waist = m.bib / 2, m.high / 2 - m.bib_high
    side = evenly(np.array([[half, low], [half, waist - m.tape]]), step)
    tied = evenly(np.array([[half, waist - m.tape], [half, waist]]), step)
    curve = evenly(
        bezier((half, waist), (half - 0.35 * half, waist), (bib, waist + 0.2 * m.bib_high), (bib, top)),
        step,
    )
    inner = m.apart / 2 - m.tape / 2
    ends = [bib, inner + m.tape, inner, -inner, -inner - m.tape, -bib]
    upper = [evenly(np.array([[a, top], [b, top]]), step) for a, b in pairwise(ends)]
    left, right = ("tie start", "tie end") if shown == "worn" else ("", "")
    back = np.array([-1.0, 1.0])
    edges = (
        Edge(evenly(np.array([[-half, low], [half, low]]), step)),
        Edge(side),
        Edge(tied, left),
        Edge(curve),
        *(
            Edge(line, seam)
            for line, seam in zip(upper, ("", "strap end", "", "strap start", ""), strict=True)
        ),
        Edge((curve * back)[::-1]),
        Edge((tied * back)[::-1], right),
        Edge((side * back)[::-1]),
    )
    lies = _round_a_body if shown == "worn" else _flat
    lift = _lift(m) if shown == "worn" else 0.0

    def placed(uv: Array) -> Array:
        return lies(uv) + (0.0, 0.0, lift)

    neck = strap("strap", m, step, 1.0, top, flat=shown == "laid flat")
    if shown == "worn":
        over = neck.lies
        neck = Panel(
            "strap", neck.edges, lambda uv: _behind_the_neck(m, over(uv)) + (0.0, 0.0, lift), stiff=STIFF
        )
    panels = [Panel("front", edges, placed), neck]
    if shown == "worn":
        panels.append(
            Panel(
                "tie",
                tape_edges("tie", m.tape, m.tie, step),
                lambda uv: _tie(m, waist + lift, uv),
                stiff=STIFF,
            )
        )
    return tuple(panels)


def _flat(uv: Array) -> Array:
    return np.stack([uv[:, 0], np.full(len(uv), -APART_MM), uv[:, 1]], axis=1)


def _round_a_body(uv: Array) -> Array:
    """Folded round a flat body: what is beyond its sides is behind it."""
    over = np.maximum(np.abs(uv[:, 0]) - ROUND_MM, 0)
    x = np.sign(uv[:, 0]) * (np.abs(uv[:, 0]) - 2 * over)
    y = np.clip(over / APART_MM - 1, -1, 1) * APART_MM
    return np.stack([x, y, uv[:, 1]], axis=1)


def _lift(m: ApronMeasures) -> float:
    """How much higher the apron is on the body that wears it than its pattern."""
    return measures_of("t-shirt", m.worn).length / 2 - BELOW_MM - m.high / 2


def _behind_the_neck(m: ApronMeasures, at: Array) -> Array:
    """An arch over the edge, its upper part moved behind the neck."""
    high = np.clip((at[:, 2] - m.high / 2 - 60) / 90, 0, 1)
    at = at.copy()
    # the arch of a strap goes forward: mirrored, it goes back
    at[:, 1] = np.where(high > 0, at[:, 1] * (1 - high) - high * (at[:, 1] + APART_MM) + 6 * high, at[:, 1])
    return at


def _tie(m: ApronMeasures, waist: float, uv: Array) -> Array:
    """What goes round the back, from the wearer's left to the right, slack in a bow."""
    s = uv[:, 1] / m.tie
    half = 2 * ROUND_MM - m.wide / 2
    x = half * (1 - 2 * s)
    # on the left edge of the panel its start lies upright, u downward
    z = waist - m.tape / 2 - uv[:, 0] - 24.0 * np.sin(np.pi * s) ** 2
    return np.stack([x, np.full(len(uv), APART_MM + 1.0 * np.sin(np.pi * s)), z], axis=1)


class OverABody(Freely):
    """It is worn over a body that is not seen, which swells within it."""

    frames = round(SECONDS / FRAME)

    def __init__(self, m: ApronMeasures, fabric: Fabric) -> None:
        self._m: Measures = measures_of("t-shirt", m.worn)
        self._torso, self._fabric = posed(body_of(self._m), 0.0, 0.0, 0.0), fabric

    def around(self, frame: int) -> solver.Around:
        swell = eased(frame / SWOLLEN)
        limbs = arms_of(self._m, *ARMS_DEG, 0.0, 0.0, 0.0)
        fall = np.array([0.0, 0.0, -solver.GRAVITY * swell])
        skin = min(self._fabric.skin, 0.5 + self._fabric.skin * swell)
        return solver.Around(self._torso, limbs, 0.04 + 0.96 * swell, solver.NO_TABLE, skin, RUB, fall)
