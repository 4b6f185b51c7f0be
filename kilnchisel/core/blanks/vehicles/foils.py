"""Wings and fins: a section that is thickest at three tenths of its chord, drawn out along a swept edge."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, grid, join, smooth_grid, without_slivers
from kilnchisel.core.blanks.net import lattice_net
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

X, Y, Z = np.eye(3)
BLUNT = 0.02  # of the thickness: half of what is left of it at the trailing edge
EDGE = 0.03  # of the chord: there a side that takes lettering begins


def half_thickness(share: Array) -> Array:
    """Half the thickness of a symmetric section over its greatest thickness, at shares of the chord from
    its leading edge: the four-digit sections of Jacobs, Ward and Pinkerton (NACA report 460, 1933), with
    the last figure by which they close at their trailing edge."""
    c = np.asarray(share, dtype=float)
    return np.asarray(5 * (0.2969 * np.sqrt(c) - 0.126 * c - 0.3516 * c**2 + 0.2843 * c**3 - 0.1036 * c**4))


@dataclass(frozen=True, eq=False)
class Foil:
    """``root``: its leading edge at the root, (3,); ``reach``: from there to that of its tip, (3,);
    ``chords``: of root and tip, along x; ``thick``: its thickness by share of the chord; ``out``: the way
    in which it is thick, (3,), unit."""

    root: Array
    reach: Array
    chords: tuple[float, float]
    thick: float
    out: Array

    def chord(self, t: Array) -> Array:
        """At shares of its reach."""
        return np.asarray(self.chords[0] + t * (self.chords[1] - self.chords[0]))

    @staticmethod
    def half(c: Array) -> Array:
        """Half its thickness over the greatest, its trailing edge blunt."""
        return half_thickness(c) + BLUNT * c

    def at(self, t: Array, c: Array, way: Array | float) -> Array:
        """Places at shares of reach and chord on the side of ``out`` (way 1) or the other (-1), (…, 3)."""
        t, c = np.broadcast_arrays(t, c)
        long = self.chord(t)
        deep = way * self.thick * long * self.half(c)
        return np.asarray(
            self.root + t[..., None] * self.reach + (c * long)[..., None] * X + deep[..., None] * self.out
        )

    def solid(self, *, detail: Detail, end: float = 1.0) -> Mesh:
        """It from its root to a share of its reach, closed."""
        c, way = _round(detail=detail)
        t = np.linspace(0, end, 9 if detail.fine else 3)
        points = self.at(t[:, None], c[None], way[None])
        skin = smooth_grid(points, points - points.mean(axis=1, keepdims=True))
        return join([skin, self._cap(0, 0.0, detail=detail), self._cap(-1, end, detail=detail)])

    def _cap(self, end: int, t: float, *, detail: Detail) -> Mesh:
        """The flat face at an end."""
        c, way = _round(detail=detail)
        half = len(c) // 2  # up to the leading edge
        points = np.stack([self.at(np.array(t), c[:half], sign * way[:half]) for sign in (1.0, -1.0)])
        normal = np.cross(X, self.out)
        normal = normal if (normal @ self.reach > 0) == (end == -1) else -normal
        return without_slivers(
            grid(points, np.broadcast_to(normal, points.shape).copy(), points[..., :2].copy())
        )


def _round(*, detail: Detail) -> tuple[Array, Array]:
    """Shares of the chord once round, from the trailing edge over the leading one, and the sides."""
    half = 20 if detail.fine else 6
    c = 1 - np.sin(np.linspace(0, np.pi / 2, half + 1))  # close together at the leading edge
    c[-1] = 0.0
    way = np.concatenate([np.ones(half + 1), -np.ones(half), [1.0]])
    return np.concatenate([c, c[-2::-1], [1.0]]), way


def finned(
    foil: Foil, names: tuple[str, str], start: float, wall_mm: float, solid: str, *, detail: Detail
) -> tuple[list[Shell], list[Sheet]]:
    """A fin that stands up with thickness along y: its two sides take lettering from ``start`` of its reach
    on and behind its leading edge; the first of ``names`` is that seen from -y."""
    stations = np.linspace(start, 1.0, 25 if detail.fine else 5)
    shares = np.concatenate([[EDGE], np.linspace(EDGE, 1.0, 25 if detail.fine else 7)[1:]])
    low = foil.root + start * foil.reach
    middle = np.array([float(low[0]) + foil.chord(np.array(start)) / 2, 0.0, float(low[2])])
    middle[2] += (1 - start) * foil.reach[2] / 2
    sheets, edges = [], []
    for name, way in zip(names, (-1.0, 1.0), strict=True):
        place = partial(_placed, foil, middle, way)
        x = (foil.root + stations[:, None] * foil.reach)[:, :1] + shares[None] * foil.chord(stations)[
            :, None
        ]
        z = np.broadcast_to((foil.root[2] + stations * foil.reach[2])[:, None], x.shape)
        uv = np.stack([-way * (x - middle[0]), z - middle[2]], axis=-1)
        if way > 0:
            uv = uv[:, ::-1]
        net, ring = lattice_net(uv)
        every = np.arange(0, len(stations), 4), np.arange(0, len(shares), 4)
        rough = lattice_net(uv[np.ix_(*every)])[0] if detail.fine else net
        side = Surface(name, shapely.Polygon(ring), place, net, wall_mm)
        sheets.append(Sheet(side, "blank", solid=solid, net=net, rough=rough))
        edges.append(place(uv.reshape(-1, 2)).reshape(*uv.shape[:2], 3))
    left, right = edges[0], edges[1][:, ::-1]
    shells = _closing(foil, start, left, right, detail=detail)
    return [Shell(name, "blank", mesh, solid) for name, mesh in shells], sheets


def _placed(foil: Foil, middle: Array, way: float, uv: Array) -> Array:
    """Places on a side of a fin, (n, 2) sheet mm -> (n, 3)."""
    x, z = middle[0] - way * uv[:, 0], middle[2] + uv[:, 1]
    t = (z - foil.root[2]) / foil.reach[2]
    ahead = foil.root[0] + t * foil.reach[0]
    c = np.clip((x - ahead) / foil.chord(t), 0.0, 1.0)
    y = way * foil.thick * foil.chord(t) * foil.half(c)
    return np.stack([x, y, z], axis=1)


def _closing(
    foil: Foil, start: float, left: Array, right: Array, *, detail: Detail
) -> list[tuple[str, Mesh]]:
    """What closes a fin whose sides have these lattices of points: its edges, its tip, and its foot."""
    turn = np.linspace(0, np.pi / 2, 9 if detail.fine else 3)[1:]
    shares = EDGE * (1 - np.sin(turn))
    shares[-1] = 0.0
    t = np.linspace(start, 1.0, len(left))[:, None]
    one, other = (foil.at(t, shares[None], way) for way in (-1.0, 1.0))
    nose = np.concatenate([left[:, :1], one, other[:, -2::-1], right[:, :1]], axis=1)
    tail = np.stack([left[:, -1], right[:, -1]], axis=1)
    parts = [("fin edge", smooth_grid(nose, -X)), ("fin tail", smooth_grid(tail, X))]
    for name, row, way in (("fin tip", -1, 1.0), ("fin foot", 0, -1.0)):
        front, half = nose[row], nose.shape[1] // 2
        points = np.stack(
            [
                np.concatenate([front[half::-1], left[row, 1:]]),
                np.concatenate([front[half:], right[row, 1:]]),
            ]
        )
        out = np.broadcast_to(way * Z, points.shape).copy()
        parts.append((name, without_slivers(grid(points, out, points[..., :2].copy()))))
    return parts
