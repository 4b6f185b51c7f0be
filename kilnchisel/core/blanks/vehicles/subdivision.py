"""Subdivision surfaces: a cage of four-sided faces, refined by the rule of Catmull and Clark (1978) with
creases after DeRose, Kass and Truong (1998), and brought to its limit."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

WELD_MM = 1e-3  # corners of a cage closer than this are one


@dataclass(frozen=True, eq=False)
class Cage:
    """points (n, 3); faces (m, 4) counter-clockwise from outside; ``tags`` (m,): whole numbers that the
    faces hand on to what they are divided into; ``sharp`` (k,): of each of its edges how many times it is
    refined as a crease, infinite along borders."""

    points: Array
    faces: Array
    tags: Array
    sharp: Array

    @cached_property
    def _edges(self) -> tuple[Array, Array, Array]:
        return edges_of(self.faces, len(self.points))

    @property
    def edges(self) -> Array:
        """Its edges (k, 2), each once, the lesser number first, in ascending order."""
        return self._edges[0]

    @property
    def of_face(self) -> Array:
        """The edges that follow on each corner of a face, (m, 4)."""
        return self._edges[1]

    @property
    def open(self) -> Array:
        """Whether an edge has a face on one side only, (k,)."""
        return np.asarray(self._edges[2] == 1)


def edges_of(faces: Array, size: int) -> tuple[Array, Array, Array]:
    """The edges (k, 2) of faces (m, 4) over ``size`` points, as a cage has them; those that follow on each
    corner of a face, (m, 4); how many faces each has, (k,)."""
    start, end = faces, np.roll(faces, -1, axis=1)
    key = np.minimum(start, end) * size + np.maximum(start, end)
    keys, index, times = np.unique(key.ravel(), return_inverse=True, return_counts=True)
    return np.stack([keys // size, keys % size], axis=1), index.reshape(faces.shape), times


def cage_of(patches: list[tuple[Array, int]], creases: dict[tuple[int, int], float] | None = None) -> Cage:
    """A cage from patches: lattices (rows, columns, 3) of corners, whose columns run to the right and rows
    upward seen from outside, each with its tag; corners in one place are one. ``creases``: how sharp the
    edges between faces of two tags are, the lesser tag first. Raises ValueError where more than two faces
    share an edge."""
    corners, faces, tags, start = [], [], [], 0
    for lattice, tag in patches:
        rows, columns = lattice.shape[:2]
        number = start + np.arange(rows * columns).reshape(rows, columns)
        quads = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]], axis=-1)
        faces.append(quads.reshape(-1, 4))
        tags.append(np.full(len(faces[-1]), tag))
        corners.append(lattice.reshape(-1, 3))
        start += rows * columns
    points = np.concatenate(corners)
    _, first, kind = np.unique(
        np.rint(points / WELD_MM).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    quads = kind.ravel()[np.concatenate(faces)]
    edges, of_face, times = edges_of(quads, len(first))
    if times.max() > 2:
        raise ValueError("more than two faces of the cage share an edge")
    sharp = np.where(times == 1, np.inf, 0.0)
    all_tags = np.concatenate(tags)
    if creases:
        low, high = np.full(len(edges), 10**6), np.full(len(edges), -1)
        np.minimum.at(low, of_face, all_tags[:, None])
        np.maximum.at(high, of_face, all_tags[:, None])
        for (one, other), how in creases.items():
            sharp[(low == one) & (high == other) & (times == 2)] = how
    return Cage(points[first], quads, all_tags, sharp)


def refined(cage: Cage) -> Cage:
    """The cage with each face divided into four."""
    points, faces, edges, of_face = cage.points, cage.faces, cage.edges, cage.of_face
    count, middle = len(points), points[faces].mean(axis=1)
    ends = points[edges].sum(axis=1)
    beside = np.zeros((len(edges), 3))
    np.add.at(beside, of_face, middle[:, None])
    hard = np.minimum(cage.sharp, 1.0)[:, None]
    smooth = np.where(cage.open[:, None], ends / 2, (ends + beside) / 4)
    on_edge = (1 - hard) * smooth + hard * ends / 2
    moved = _corners_moved(cage, middle, ends)
    base_f, base_e = count, count + len(faces)
    number = base_f + np.arange(len(faces))
    after = base_e + of_face
    quads = np.stack([faces, after, np.repeat(number[:, None], 4, 1), np.roll(after, 1, axis=1)], axis=-1)
    made = Cage(
        np.concatenate([moved, middle, on_edge]), quads.reshape(-1, 4), np.repeat(cage.tags, 4), np.empty(0)
    )
    # halves of an edge are a step less sharp than it was
    low, high = made.edges.T
    half = np.where(high >= base_e, high - base_e, -1)
    old = (low < count) & (half >= 0)
    sharp = np.zeros(len(made.edges))
    sharp[old] = np.maximum(cage.sharp[half[old]] - 1, 0)
    return Cage(made.points, made.faces, made.tags, sharp)


def _around(cage: Cage) -> tuple[Array, Array, Array, Array]:
    """Of each point how many edges and how many faces it has; how many of its edges are sharp; and the sum
    of the points at the other ends of those."""
    size = len(cage.points)
    a, b = cage.edges.T
    valence = np.bincount(a, minlength=size) + np.bincount(b, minlength=size)
    faces = np.bincount(cage.faces.ravel(), minlength=size)
    sharp = cage.sharp > 0
    many = np.bincount(a[sharp], minlength=size) + np.bincount(b[sharp], minlength=size)
    along = np.zeros((size, 3))
    np.add.at(along, a[sharp], cage.points[b[sharp]])
    np.add.at(along, b[sharp], cage.points[a[sharp]])
    return valence, faces, many, along


def _corners_moved(cage: Cage, middle: Array, ends: Array) -> Array:
    points = cage.points
    valence, faces, many, along = _around(cage)
    total_f, total_e = np.zeros_like(points), np.zeros_like(points)
    np.add.at(total_f, cage.faces, middle[:, None])
    np.add.at(total_e, cage.edges, (ends / 2)[:, None])
    n = valence[:, None].astype(float)
    inside = total_f / np.maximum(faces, 1)[:, None]
    smooth = (inside + 2 * total_e / n + (n - 3) * points) / n
    crease = (6 * points + along) / 8
    # a point is as much of a crease as its sharp edges are on average
    how = np.zeros(len(points))
    np.add.at(how, cage.edges, np.minimum(np.where(np.isinf(cage.sharp), 1e3, cage.sharp), 1e3)[:, None])
    share = np.clip(how / np.maximum(many, 1), 0, 1)[:, None]
    moved = np.where((many >= 2)[:, None], (1 - share) * smooth + share * crease, smooth)
    corner = (many > 2)[:, None]
    return np.asarray(np.where(corner, (1 - share) * smooth + share * points, moved))


def limit(cage: Cage) -> Array:
    """Where the points of a cage come to lie when it is refined for ever, (n, 3); what is still sharp is
    taken for a crease for good. The masks are those of Halstead, Kass and DeRose (1993)."""
    points = cage.points
    valence, _, many, along = _around(cage)
    a, b = cage.edges.T
    by_edge, across = np.zeros_like(points), np.zeros_like(points)
    np.add.at(by_edge, a, points[b])
    np.add.at(by_edge, b, points[a])
    np.add.at(across, cage.faces, points[np.roll(cage.faces, 2, axis=1)])
    n = valence[:, None].astype(float)
    smooth = (n * n * points + 4 * by_edge + across) / (n * (n + 5))
    crease = (4 * points + along) / 6
    found = np.where((many == 2)[:, None], crease, smooth)
    return np.asarray(np.where((many > 2)[:, None], points, found))


def normals_at(points: Array, faces: Array) -> Array:
    """Unit normals at the corners of four-sided faces, by the areas round each, (n, 3)."""
    corner = points[faces]
    area = np.cross(corner[:, 2] - corner[:, 0], corner[:, 3] - corner[:, 1])
    total = np.zeros_like(points)
    np.add.at(total, faces, area[:, None])
    return np.asarray(total / np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-12))
