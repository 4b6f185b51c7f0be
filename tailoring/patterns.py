"""Flat patterns: the panels that a garment is sewn from, and which of their edges are sewn together.

A garment lies flat in the plane of (x, z): the wearer's left is at x > 0 and the middle of its length at
z = 0. Every panel is drawn where it lies then, so that sewing takes no stretching: the front and the back
are one above the other, and a sleeve is folded along its top. A panel's own sheet (u, v) has v upward and u
to the right of whoever reads it from outside.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.garments import Measures
from tailoring.hood import hood_of
from tailoring.panel import Edge, NeckRun, Panel, bezier, evenly, run_of

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class _Lines:
    """The lines of the left half as it lies, (n, 2) of (x, z), each run as it is named."""

    hem: Array  # from the middle outward
    side: Array  # from the hem to the pit
    armhole: Array  # from the pit to the shoulder
    shoulder: Array  # from the shoulder to the neck
    front_neck: Array  # from there to the middle
    back_neck: Array
    fold: tuple[Array, Array]  # the top of the sleeve: a point and the way along it, outward and down
    under: Array  # from the pit along the sleeve's underside
    cuff: Array  # from there to its top


def _lines(m: Measures, step: float) -> _Lines:
    half, top, low = m.chest / 2, m.length / 2, -m.length / 2
    neck = np.array([m.neck / 2, top])
    tip = np.array([m.shoulders / 2, top - m.slope])
    pit = np.array([half, tip[1] - np.sqrt(m.armhole**2 - (half - m.shoulders / 2) ** 2)])
    turn = np.radians(m.sleeve_deg)
    out = np.array([np.cos(turn), -np.sin(turn)])
    across = np.array([-np.sin(turn), -np.cos(turn)])  # from the fold to the underside
    # the armhole leaves the fold at a right angle, so that the sleeve's cap has no corner
    arm = bezier(pit, pit + 0.42 * m.armhole * np.array([-0.62, 0.5]), tip + 0.45 * m.armhole * across, tip)
    end = tip + m.sleeve * out
    inner = end + m.cuff * across
    line = evenly
    return _Lines(
        hem=line(np.array([[0.0, low], [0.985 * half, low]]), step),
        side=line(bezier((0.985 * half, low), (0.97 * half, 0.6 * low), (half, pit[1] - 120), pit), step),
        armhole=line(arm, step),
        shoulder=line(np.array([tip, neck]), step),
        front_neck=line(
            bezier(
                neck,
                neck - (2, 0.72 * m.drop_front),
                (0.36 * m.neck, top - m.drop_front),
                (0, top - m.drop_front),
            ),
            step,
        ),
        back_neck=line(
            bezier(
                neck,
                neck - (4, 0.9 * m.drop_back),
                (0.3 * m.neck, top - m.drop_back),
                (0, top - m.drop_back),
            ),
            step,
        ),
        fold=(tip, out),
        under=line(np.stack([pit, inner]), step),
        cuff=line(np.stack([inner, end]), step),
    )


def _mirrored(line: Array) -> Array:
    return line * (-1, 1)


def panels_of(m: Measures, step: float) -> tuple[Panel, ...]:
    """The panels of a garment, points about ``step`` apart along their edges."""
    lines = _lines(m, step)
    apart = 0.5 * step
    hem = "hem" if m.rib_hem else ""
    front = _trunk("front", lines, lines.front_neck, 1.0, apart, hem)
    back = _trunk("back", lines, lines.back_neck, -1.0, apart, hem)
    sleeves = [_sleeve(lines, apart, left=left, cuffed=bool(m.rib_hem)) for left in (True, False)]
    panels = [front, back, *sleeves]
    if m.rib_hem:
        panels.append(_waistband(lines, front, back, m.rib_hem, step))
        panels += [_cuff(sleeve, m.rib_hem, step) for sleeve in sleeves]
    if m.hood:
        return (*panels, *hood_of(m, _neck_runs(lines), step))
    return (*panels, _collar(m, lines, step))


def _trunk(name: str, lines: _Lines, neck: Array, way: float, apart: float, hem: str) -> Panel:
    """The front (way 1) or the back (-1), whose sheet is seen from behind."""
    right = [  # of whoever reads it, upward; the wearer's left where it is the front
        (lines.hem, hem and f"{name} hem", False),
        (lines.side, "side", False),
        (lines.armhole, f"{name} armhole", False),
        (lines.shoulder, "shoulder", False),
        (neck, f"{name} neck", False),
    ]
    one, other = ("left", "right") if way > 0 else ("right", "left")
    edges = [Edge(line, seam and f"{one} {seam}", turned) for line, seam, turned in right]
    edges += [
        Edge(_mirrored(line)[::-1], seam and f"{other} {seam}", not turned)
        for line, seam, turned in reversed(right)
    ]

    def lies(uv: Array) -> Array:
        return np.stack([way * uv[:, 0], np.full(len(uv), -way * apart), uv[:, 1]], axis=1)

    return Panel(name, tuple(edges), lies)


def _sleeve(lines: _Lines, apart: float, *, left: bool, cuffed: bool) -> Panel:
    """A sleeve unfolded: v along its top towards the shoulder, u round the arm to the reader's right."""
    tip, out = lines.fold
    across = np.array([out[1], -out[0]])  # from the fold to the underside: to the right of outward, down
    middle = tip + 0.5 * np.linalg.norm(lines.cuff[-1] - tip) * out

    def sheet(line: Array, half: float) -> Array:
        """(x, z) of the left sleeve on its sheet; half -1 is at u < 0."""
        away = line - middle
        return np.stack([half * (away @ across), -(away @ out)], axis=1)

    # of the left sleeve the front is on the reader's left
    near, far = ("front", "back") if left else ("back", "front")
    name = "left" if left else "right"
    edges = (
        # from the underside at u < 0 to the top
        Edge(sheet(lines.cuff, -1), f"{name} {near} cuff" if cuffed else ""),
        Edge(sheet(lines.cuff, 1)[::-1], f"{name} {far} cuff" if cuffed else "", turned=True),
        Edge(sheet(lines.under, 1)[::-1], f"{name} under", turned=True),
        Edge(sheet(lines.armhole, 1), f"{name} {far} armhole"),
        Edge(sheet(lines.armhole, -1)[::-1], f"{name} {near} armhole", turned=True),
        Edge(sheet(lines.under, -1), f"{name} under"),
    )
    x_way = 1.0 if left else -1.0

    def lies(uv: Array) -> Array:
        flat = middle + np.abs(uv[:, :1]) * across - uv[:, 1:] * out
        layer = np.clip(uv[:, 0] / apart, -1, 1) * (1.0 if left else -1.0)
        return np.stack([x_way * flat[:, 0], layer * apart, flat[:, 1]], axis=1)

    return Panel(f"{name} sleeve", edges, lies)


def _strip(
    name: str, runs: list[tuple[Array, str, bool]], high: float, short: float, step: float, sewn_at: str
) -> tuple[tuple[Edge, ...], Array]:
    """A strip sewn along runs (n,) of lengths that follow on each other, itself ``short`` of them: its
    edges, and where along the runs its own u is, (2, k). ``sewn_at``: "low" or "high"; both its ends are
    sewn together."""
    whole = sum(float(run[-1]) for run, _, _ in runs)
    start, sides, own, along = -whole / 2, [], [], []
    for run, seam, turned in runs:
        sides.append((short * (start + run), seam, turned))
        own.append(short * (start + run))
        along.append(start + run)
        start += float(run[-1])
    ends = short * whole / 2
    free = high if sewn_at == "low" else 0.0
    fixed = high - free
    upright = evenly(np.array([[ends, 0.0], [ends, high]]), step)
    other = evenly(np.array([[-ends, free], [ends, free]]), step)
    seamed = [
        Edge(np.stack([u, np.full(len(u), fixed)], axis=1), seam, turned) for u, seam, turned in sides
    ]
    right, left = Edge(upright, name), Edge((upright * (-1, 1))[::-1], name, turned=True)
    if sewn_at == "low":
        return (*seamed, right, Edge(other[::-1]), left), np.stack(
            [np.concatenate(own), np.concatenate(along)]
        )
    back = [Edge(edge.points[::-1], edge.seam, not edge.turned) for edge in reversed(seamed)]
    return (Edge(other), right, *back, left), np.stack([np.concatenate(own), np.concatenate(along)])


RIB_SHORT = 0.9  # of the neckline: a collar is sewn in stretched, and lies against the neck by it
BAND_SHORT = 0.84  # of a hem or a cuff


def _waistband(lines: _Lines, front: Panel, back: Panel, high: float, step: float) -> Panel:
    """Rib round the hem, open at the wearer's left side: over the back, then over the front."""
    run = run_of(lines.hem)
    runs = [  # u to the right of whoever reads it: from the left side over the back to the right side
        (run[-1] - run[::-1], "left back hem", True),
        (run, "right back hem", False),
        (run[-1] - run[::-1], "right front hem", True),
        (run, "left front hem", False),
    ]
    edges, (own, along) = _strip("waistband", runs, high, BAND_SHORT, step, "high")
    half = float(run[-1])
    low = float(lines.hem[0, 1])

    def lies(uv: Array) -> Array:
        at = np.interp(uv[:, 0], own, along)
        behind = at < 0
        # the back's sheet runs from the wearer's left, at its -half, to the right
        flat = np.stack([np.where(behind, at + half, at - half), low - (high - uv[:, 1])], axis=1)
        return np.where(behind[:, None], back.lies(flat), front.lies(flat))

    return Panel("waistband", edges, lies, rib=True, stiff=3.0)


def _cuff(sleeve: Panel, high: float, step: float) -> Panel:
    """Rib round the end of a sleeve, open at its underside."""
    near, far = sleeve.edges[:2]
    runs = [(run_of(near.points), near.seam, near.turned), (run_of(far.points), far.seam, far.turned)]
    name = sleeve.name.replace("sleeve", "cuff")
    edges, (own, along) = _strip(name, runs, high, BAND_SHORT - 0.08, step, "high")
    low = float(near.points[0, 1])

    def lies(uv: Array) -> Array:
        return sleeve.lies(np.stack([np.interp(uv[:, 0], own, along), low - (high - uv[:, 1])], axis=1))

    return Panel(name, edges, lies, rib=True, stiff=3.0)


def _neck_runs(lines: _Lines) -> list[NeckRun]:
    """The neckline as it is seen from outside, from the middle of the back over the wearer's right
    shoulder and the front to the left: lines, what they are sewn to, whether against its way, the side's
    sign."""
    front, back = lines.front_neck, lines.back_neck
    return [
        (back[::-1], "right back neck", True, -1.0),
        (front, "right front neck", False, -1.0),
        (front[::-1], "left front neck", True, 1.0),
        (back, "left back neck", False, 1.0),
    ]


def _collar(m: Measures, lines: _Lines, step: float) -> Panel:
    """The collar as a strip cut open in the middle of the back: u round the neck, v up."""
    rounds = _neck_runs(lines)
    runs = [(run_of(line), seam, turned) for line, seam, turned, _ in rounds]
    edges, (places, _) = _strip("collar", runs, m.rib, RIB_SHORT, step, "low")
    spots = np.concatenate([line * (way, 1) for line, _, _, way in rounds])
    behind = np.concatenate(
        [np.full(len(line), 1.0 if "back" in seam else -1.0) for line, seam, *_ in rounds]
    )

    def lies(uv: Array) -> Array:
        x, z = (np.interp(uv[:, 0], places, spots[:, axis]) for axis in (0, 1))
        layer = np.interp(uv[:, 0], places, behind)
        inward = 1 - 0.75 * uv[:, 1] / (m.neck / 2)
        lift = 0.75 * uv[:, 1] * np.where(layer < 0, 1.0, 0.6)
        return np.stack([x * inward, layer * step / 2, z + lift], axis=1)

    return Panel("collar", edges, lies, rib=True, stiff=4.0)
