"""A hood's flat pattern: two alike panels, joined from the neck over the back of the head to the forehead.

It stands up over the head within. Before the garment is worn it stands flat in the plane of (y, z), from a
neckline that is flat in that of (x, z); both are loops about the same middle, so that nothing crosses
between them.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.easing import smooth_step
from kilnchisel.core.job.garments import Measures
from tailoring.panel import Edge, NeckRun, Panel, bezier, evenly, run_of

Array = NDArray[Any]

RISE = 0.12  # of its opening: how much higher its neck edge is at the back
BULGE, CROWN = 26.0, 6.0  # how far the back and the top are rounded, mm
LENS_MM = 16.0  # from the middle, before it is worn
TURNING_MM = 140.0  # above the neckline: there it is flat the other way


def hood_of(m: Measures, necks: list[NeckRun], step: float) -> tuple[Panel, Panel]:
    """The left and the right panel. ``necks``: the neckline from the middle of the back over the right
    shoulder and the front to the left."""
    right, left = necks[:2], necks[2:]
    return _panel("left hood", m, left, 1.0, step), _panel("right hood", m, right, -1.0, step)


def _panel(name: str, m: Measures, necks: list[NeckRun], way: float, step: float) -> Panel:
    runs = [run_of(line) for line, *_ in necks]
    whole = float(sum(run[-1] for run in runs))
    edge = _neck_edge(m, whole)
    reach = run_of(edge)
    deep = float(edge[-1, 0])
    # from the front's middle round to the back's, as the neckline's own points are spaced
    starts = [0.0, float(runs[0][-1])] if way > 0 else [float(runs[1][-1]), 0.0]
    sides = []
    for (_, seam, turned, _), run, start in zip(necks, runs, starts, strict=True):
        along = start + run if way > 0 else start + run[-1] - run
        points = np.stack([np.interp(along, reach, edge[:, axis]) for axis in (0, 1)], axis=1)
        sides.append(Edge(points * (way, 1), seam, turned))
    back = np.concatenate([_back(m, edge[-1])[:-1], _top(m, deep)])
    middle = Edge(evenly(back, step) * (way, 1), "hood middle")
    opening = Edge(evenly(np.array([back[-1], edge[0]]), step) * (way, 1))
    if way > 0:
        edges = (*sides, middle, opening)
    else:
        edges = (
            *sides,
            Edge(opening.points[::-1]),
            Edge(middle.points[::-1], middle.seam, turned=True),
        )
    spots = np.concatenate([line * (sign, 1) for line, *_, sign in necks])
    behind = np.concatenate(
        [np.full(len(line), 1.0 if "back" in seam else -1.0) for line, seam, *_ in necks]
    )
    places = np.concatenate([side.points[:, 0] * way for side in sides])
    order = np.argsort(places, kind="stable")
    places, spots, behind = places[order], spots[order], behind[order]

    def lies(uv: Array) -> Array:
        p = uv[:, 0] * way
        above = uv[:, 1] - np.interp(p, edge[:, 0], edge[:, 1])
        x, z, layer = (np.interp(p, places, values) for values in (spots[:, 0], spots[:, 1], behind))
        at_neck = np.stack([x, layer * step / 2, z + above], axis=1)
        lens = way * LENS_MM * np.sin(np.pi * np.clip(p / deep, 0.02, 0.98))
        upright = np.stack([lens, p - deep / 2, m.length / 2 - m.drop_front + uv[:, 1]], axis=1)
        share = smooth_step(above, 0.0, TURNING_MM)[:, None]
        return np.asarray((1 - share) * at_neck + share * upright)

    return Panel(name, edges, lies, stiff=2.5)


def _neck_edge(m: Measures, whole: float) -> Array:
    """From the opening to the back, as long as the neckline, (65, 2)."""
    rise = RISE * m.hood
    wide = whole
    for _ in range(20):
        edge = bezier((0, 0), (0.4 * wide, 0.02 * rise), (0.7 * wide, rise), (wide, rise))
        wide *= whole / float(run_of(edge)[-1])
    return edge


def _back(m: Measures, start: Array) -> Array:
    """From the neck up to the back of the head."""
    deep, low = start
    return bezier(
        start,
        (deep + 0.1 * BULGE, low + 0.1 * m.hood),
        (deep + BULGE, 0.34 * m.hood),
        (deep + BULGE, 0.55 * m.hood),
    )


def _top(m: Measures, deep: float) -> Array:
    """From there over the crown to the forehead."""
    return bezier(
        (deep + BULGE, 0.55 * m.hood),
        (deep + BULGE, 0.95 * m.hood),
        (0.62 * deep, m.hood + 1.6 * CROWN),
        (0.0, m.hood),
    )
