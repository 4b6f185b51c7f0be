"""Triangles over a surface that bends, divided until they follow it: a letter's level middle is as round as
the cup that it is on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import edges_of
from kilnchisel.core.blanks.sides import Side

Array = NDArray[Any]

ROUNDS = 6  # each edge is halved so often at most


@dataclass(frozen=True, eq=False)
class Followed:
    """Sheet points (n, 2), their places and ways out (n, 3), and faces (m, 3) over them."""

    uv: Array
    base: Array
    out: Array
    faces: Array


def following(on: Followed, foot: Callable[[Array], Array], side: Side, most_mm: float) -> Followed:
    """The same with edges halved, but for those of the border, until none is farther than ``most_mm`` from
    the surface; the points there were come first. ``foot``: sheet points on the surface, (n, 3).

    The chord of an arc so long, whose ends look apart by so much, is an eighth of the product of both off
    it (elementary geometry).
    """
    for _ in range(ROUNDS):
        edges = edges_of(on.faces)
        ends, looks = on.base[edges], on.out[edges]
        off = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1) * np.linalg.norm(
            looks[:, 0] - looks[:, 1], axis=1
        )
        long = np.flatnonzero(off > 8 * most_mm)
        low, high = edges[long].min(axis=1), edges[long].max(axis=1)
        _, first, owner, count = np.unique(
            low * len(on.uv) + high, return_index=True, return_inverse=True, return_counts=True
        )
        inner = np.flatnonzero(count == 2)
        if not len(inner):
            break
        number = np.full(len(count), -1)
        number[inner] = len(on.uv) + np.arange(len(inner))
        middle = np.full(len(edges), -1)
        middle[long] = number[owner]
        fresh = on.uv[edges[long[first[inner]]]].mean(axis=1)
        on = Followed(
            np.concatenate([on.uv, fresh]),
            np.concatenate([on.base, foot(fresh)]),
            np.concatenate([on.out, side.frames(fresh)[:, 2]]),
            _halved(on.faces, middle.reshape(3, -1).T),
        )
    return on


def _halved(faces: Array, middle: Array) -> Array:
    """Triangles (m, 3) divided where their edges have a middle (m, 3), -1 where they have none: from the
    first corner to the second, from that to the third, and back."""
    split = (middle >= 0).sum(axis=1)
    made = [faces[split == 0]]
    # turned so that the one edge that is halved comes first, or the one that is not comes last
    for some, turn in (
        (split == 1, (middle >= 0).argmax(axis=1)),
        (split == 2, ((middle < 0).argmax(axis=1) + 1) % 3),
        (split == 3, np.zeros(len(faces), dtype=np.int64)),
    ):
        order = (turn[some, None] + np.arange(3)) % 3
        a, b, c = np.take_along_axis(faces[some], order, axis=1).T
        p, q, r = np.take_along_axis(middle[some], order, axis=1).T
        if len(a):
            made.append(_parts(int(split[some][0]), a, b, c, p, q, r))
    return np.concatenate(made)


def _parts(count: int, a: Array, b: Array, c: Array, p: Array, q: Array, r: Array) -> Array:
    """The triangles of those with ``count`` halved edges: ``p`` between a and b, ``q`` between b and c,
    ``r`` between c and a."""
    corners = {
        1: ((a, p, c), (p, b, c)),
        2: ((p, b, q), (a, p, q), (a, q, c)),
        3: ((a, p, r), (p, b, q), (r, q, c), (p, q, r)),
    }[count]
    return np.concatenate([np.stack(one, axis=1) for one in corners])
