"""What lies within a pile, kept under what is seen of its front: between particles a surface through a
sharp fold goes farther than the cloth does, and would come through."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import spatial

from kilnchisel.core.blanks.mesh import distinct, unit
from kilnchisel.core.easing import smooth_step
from kilnchisel.core.job.garments import Measures, folded_size
from tailoring.fitted import Fitted
from tailoring.panel import Panel

Array = NDArray[Any]

STEP_MM = 2.5  # between the places that are looked at
SLACK_MM = 0.3  # between two linings; what is hidden is rounded by less
NEAR_MM = 5.0  # from the front, along its normal, what may have come through or is too close
ASIDE_MM = 3.0  # of a place of the front's
SEWN = (4.0, 10.0)  # steps of coefficients from a panel's border, which stays where it is sewn
ROUND_MM = 25.0  # beyond a fold, still the front
MOST_MM = 4.0  # that a place is moved: between two folds there may be no room
STEEP = 0.3  # how much of the way that the front looks is up, at least, where it is seen
COVERED_MM = (4.0, 3.0)  # cells as wide, of which what lies deeper than that is covered
ROUNDS = 8


@dataclass(frozen=True, eq=False)
class Front:
    """What is seen of a front, round its folds too: places (n, 3), and the ways it looks, (n, 3)."""

    places: Array
    looks: Array
    tree: spatial.cKDTree

    def over(self, places: Array) -> tuple[Array, Array]:
        """How far under it places (n, 3) lie, mm, infinite where it is not over them; the ways in, unit."""
        far, index = self.tree.query(places, distance_upper_bound=NEAR_MM + ASIDE_MM)
        met = np.isfinite(far)
        index = np.where(met, index, 0)
        way = -self.looks[index]
        apart = places - self.places[index]
        under = np.einsum("ij,ij->i", apart, way)
        aside = np.linalg.norm(apart - under[:, None] * way, axis=1)
        met &= (aside < ASIDE_MM) & (np.abs(under) < NEAR_MM)
        return np.where(met, under, np.inf), way


def cleared(
    panels: tuple[Panel, ...], surfaces: Mapping[str, Fitted], thick_mm: Mapping[str, float], m: Measures
) -> dict[str, Fitted]:
    """The surfaces of a folded garment that looks to -y, with all but rib and hood under its front.
    ``thick_mm``: of each panel, inwards."""
    sheets = {panel.name: _spread(panel) for panel in panels}
    front = _front(surfaces["front"], sheets["front"], m)
    done = dict(surfaces)
    for panel in panels:
        if panel.rib or panel.name == "front" or "hood" in panel.name:
            continue
        uv = sheets[panel.name]
        border = shapely.distance(shapely.LinearRing(panel.ring), shapely.points(uv))
        share = smooth_step(border / done[panel.name].step, *SEWN)
        wanted = thick_mm["front"] + thick_mm[panel.name] + SLACK_MM
        done[panel.name] = _under(done[panel.name], uv, front, wanted * share)
    return done


def _spread(panel: Panel) -> Array:
    """Places all over a panel's pattern, (n, 2)."""
    low, high = panel.ring.min(axis=0), panel.ring.max(axis=0)
    across, up = (np.arange(low[k], high[k], STEP_MM) for k in (0, 1))
    uv = np.stack([one.ravel() for one in np.meshgrid(across, up)], axis=1)
    return np.asarray(uv[shapely.contains_xy(shapely.Polygon(panel.ring), *uv.T)])


def _front(surface: Fitted, uv: Array, m: Measures) -> Front:
    wide, high = folded_size(m)
    low = m.length / 2 - high
    uv = uv[(np.abs(uv[:, 0]) < wide / 2 + ROUND_MM) & (uv[:, 1] > low - ROUND_MM)]
    along, up = (surface.place(uv + step) - surface.place(uv - step) for step in 0.02 * np.eye(2))
    places, looks = surface.place(uv), unit(np.cross(along, up))
    # crumpled at the corners of a fold, a front lies within the pile itself
    cell, deep = COVERED_MM
    _, which = distinct(np.floor(places[:, [0, 2]] / cell))
    top = np.full(which.max() + 1, np.inf)
    np.minimum.at(top, which, places[:, 1])
    seen = (looks[:, 1] < -STEEP) & (places[:, 1] < top[which] + deep)
    return Front(places[seen], looks[seen], spatial.cKDTree(places[seen]))


def _under(surface: Fitted, uv: Array, front: Front, wanted: Array) -> Fitted:
    """A surface whose places at ``uv`` (n, 2) lie so far under the front, (n,) mm. A place is a mean of its
    coefficients: it goes at least as far as the least of them."""
    by = surface.by_coefficients(uv)
    values = surface.values.reshape(-1, 3).copy()
    first = by @ values
    for _ in range(ROUNDS):
        now = by @ values
        under, way = front.over(now)
        short = np.where(np.linalg.norm(now - first, axis=1) < MOST_MM, wanted - under, 0.0)
        close = np.flatnonzero(short > 0)
        if not len(close):
            break
        close = close[np.argsort(short[close])]
        rows = by[close]
        moves = np.zeros_like(values)
        # of those that ask one coefficient to move the last one is heard: it is the farthest under
        moves[rows.indices] = np.repeat(short[close, None] * way[close], np.diff(rows.indptr), axis=0)
        values += moves
    return replace(surface, values=values.reshape(surface.values.shape))
