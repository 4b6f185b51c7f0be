"""A garment as one mesh of particles: its panels filled with triangles and sewn along their seams."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.net import Net, net_over
from tailoring.panel import Panel

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Sewn:
    """``points`` (n, 3): where each particle lies, mm. ``faces`` (m, 3) counter-clockwise from outside;
    ``rest`` (m, 3): the lengths of their edges on the pattern, opposite to each corner; ``stiff`` (m,);
    ``own``: of each panel its sheet (k, 2), its faces, and the particle (k,) that each point became."""

    points: Array
    faces: Array
    rest: Array
    stiff: Array
    own: dict[str, tuple[Array, Array, Array]]


def sewn(panels: tuple[Panel, ...], step: float, *, upright: bool = False) -> Sewn:
    """Panels filled with triangles about ``step`` mm wide, their rows level or ``upright`` on the patterns,
    and sewn."""
    nets, first, start = [], {}, 0
    seams: dict[str, list[Array]] = {}
    for panel in panels:
        net = (_upright if upright else _level)(panel.ring, step)
        first[panel.name] = start
        at = 0
        count = len(panel.ring)
        for edge in panel.edges:
            index = start + (at + np.arange(len(edge.points))) % count
            if edge.seam:
                seams.setdefault(edge.seam, []).append(index[::-1] if edge.turned else index)
            at += len(edge.points) - 1
        nets.append(net)
        start += len(net.points)
    joined = np.arange(start)

    def root(number: int) -> int:
        while joined[number] != number:
            number = int(joined[number])
        return number

    for name, sides in seams.items():
        if len(sides) != 2 or len(sides[0]) != len(sides[1]):
            raise ValueError(f"the seam {name} does not join two edges of as many points")
        for a, b in zip(*sides, strict=True):
            joined[root(int(a))] = root(int(b))
    roots = np.array([root(number) for number in range(start)])
    _, particle = np.unique(roots, return_inverse=True)
    lies = np.concatenate([panel.lies(net.points) for panel, net in zip(panels, nets, strict=True)])
    count = int(particle.max()) + 1
    weight = np.bincount(particle, minlength=count)
    points = np.stack([np.bincount(particle, lies[:, axis], count) / weight for axis in range(3)], axis=1)
    faces, rest, stiff, own = [], [], [], {}
    for panel, net in zip(panels, nets, strict=True):
        index = particle[first[panel.name] + np.arange(len(net.points))]
        corner = net.points[net.faces]
        faces.append(index[net.faces])
        rest.append(np.linalg.norm(np.roll(corner, -1, axis=1) - np.roll(corner, -2, axis=1), axis=2))
        stiff.append(np.full(len(net.faces), panel.stiff))
        own[panel.name] = (net.points, net.faces, index)
    return Sewn(points, np.concatenate(faces), np.concatenate(rest), np.concatenate(stiff), own)


def _level(ring: Array, step: float) -> Net:
    """Triangles over a panel in level rows."""
    return net_over(shapely.Polygon(np.round(ring, 6)), step)


def _upright(ring: Array, step: float) -> Net:
    """Triangles over a panel in upright rows."""
    net = _level(ring[:, ::-1], step)
    return Net(np.ascontiguousarray(net.points[:, ::-1]), np.ascontiguousarray(net.faces[:, ::-1]))


def springs(cloth: Sewn) -> tuple[Array, Array, Array, Array]:
    """Edges (e, 2) with their lengths at rest (e,), and hinges (h, 4): the edge's two particles and those
    across it on both sides; how much stiffer than plain cloth each bends (h,)."""
    faces = cloth.faces
    start = faces[:, [1, 2, 0]].ravel()
    end = faces[:, [2, 0, 1]].ravel()
    across = faces.ravel()
    size = len(cloth.points)
    key = np.minimum(start, end) * size + np.maximum(start, end)
    order = np.argsort(key, kind="stable")
    keys, first, times = np.unique(key[order], return_index=True, return_counts=True)
    length = np.add.reduceat(cloth.rest.ravel()[order], first) / times
    edges = np.stack([keys // size, keys % size], axis=1)
    two = first[times == 2]
    stiff = np.repeat(cloth.stiff, 3)[order]
    hinges = np.stack([*(edges[times == 2].T), across[order[two]], across[order[two + 1]]], axis=1)
    return edges, length, hinges, (stiff[two] + stiff[two + 1]) / 2
