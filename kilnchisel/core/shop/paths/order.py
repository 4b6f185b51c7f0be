"""In which order ways are gone, and what of a way is gone at once."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import polygons_in

Array = NDArray[Any]


def rings_in_order(region: shapely.Geometry) -> list[Array]:
    """The closed lines of flat work, (n, 2) each with its start as its end: what is inside before what is
    round it, so that nothing is cut that has come loose, and what is near next."""
    parts = []
    for part in polygons_in(region):
        holes = [np.asarray(hole.coords) for hole in part.interiors]
        parts.append([*holes, np.asarray(part.exterior.coords)])
    # a part that lies in a counter of another one is cut before it
    shells = [shapely.Polygon(part[-1]) for part in parts]
    tree = shapely.STRtree(shells)
    deep = np.zeros(len(parts), int)
    if parts:
        inner, outer = tree.query(shells, predicate="within")
        for a, b in zip(inner, outer, strict=True):
            deep[a] += int(a != b)
    ordered: list[Array] = []
    here = np.zeros(2)
    for level in sorted(set(deep.tolist()), reverse=True):
        left = np.flatnonzero(deep == level).tolist()
        starts = np.array([parts[n][0][0] for n in left])
        while left:
            nearest = int(np.argmin(np.linalg.norm(starts - here, axis=1)))
            chosen = parts[left.pop(nearest)]
            starts = np.delete(starts, nearest, axis=0)
            ordered += chosen
            here = chosen[-1][0]
    return ordered


def in_short_order(ways: list[Array]) -> list[Array]:
    """Ways one after the other, each begun at its nearer end, the nearest next."""
    if not ways:
        return []
    ends = np.array([(way[0, :2], way[-1, :2]) for way in ways])  # (n, 2, 2)
    left = np.ones(len(ways), bool)
    here, ordered = np.zeros(2), []
    for _ in ways:
        away = np.linalg.norm(ends - here, axis=2)
        away[~left] = np.inf
        which, end = divmod(int(np.argmin(away)), 2)
        left[which] = False
        way = ways[which] if end == 0 else ways[which][::-1]
        ordered.append(way)
        here = way[-1, :2]
    return ordered


def spans(kept: Array) -> list[tuple[int, int]]:
    """Where runs of True in (n,) bool begin, and end before."""
    ends = np.flatnonzero(np.diff(np.concatenate([[0], kept.astype(int), [0]])))
    return list(zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True))
