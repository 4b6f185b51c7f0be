"""Triangles over a sheet of any shape, for sides that no straight strips fit."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import border_edges, doubled_areas, lattice_faces, shares_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import spatial

Array = NDArray[Any]

NET_CLEAR = 0.7  # how far the points of a net keep off its border, in steps
KEEP_OFF_MM = 0.02  # what is cut ends this far inside the border, so that the border keeps its points
GRID_MM = 1e-6  # the points of a net lie on this grid, as do those of the outlines that cut it


@dataclass(frozen=True, eq=False)
class Net:
    """points (n, 2) mm on the sheet; faces (m, 3) counter-clockwise, no point in the middle of an edge.

    ``exact``: where the points were before they were brought to the grid, for bodies whose other parts
    have them there.
    """

    points: Array
    faces: Array
    exact: Array | None = None

    @property
    def at(self) -> Array:
        """The points as the body has them, (n, 2)."""
        return self.points if self.exact is None else self.exact

    @cached_property
    def triangles(self) -> Array:
        """The faces as polygons, (m,)."""
        rings = self.points[np.concatenate([self.faces, self.faces[:, :1]], axis=1)]
        return np.asarray(shapely.polygons(rings))

    @cached_property
    def tree(self) -> shapely.STRtree:
        return shapely.STRtree(self.triangles)

    def spots(self, uv: Array, row: Array | None = None) -> tuple[Array, Array]:
        """For points of the sheet (n, 2): the face each lies in, (n,), and the shares of its corners,
        (n, 3). ``row``: the faces, where they are known."""
        if row is None:
            row = np.zeros(len(uv), dtype=np.int64)
            found, face = self.tree.query_nearest(shapely.points(uv), all_matches=False)
            row[found] = face
        share = np.clip(shares_of(uv, self.points[self.faces[row]]), 0, 1)
        return row, share / share.sum(axis=1, keepdims=True)


def gridded(points: Array) -> Array:
    """The points brought to the net's grid."""
    return np.asarray(np.round(points / GRID_MM) * GRID_MM)


def net_over(area: shapely.Polygon, step_mm: float, more: Array | None = None) -> Net:
    """Triangles over an area whose rings keep their own points; about ``step_mm`` apart inside. ``more``
    (n, 2): points besides those, where it bends more closely.

    The rings' points must be on the grid and not farther apart than ``step_mm`` (``closely`` sees to
    that). Raises KilnError where the area is too narrow for its own points.
    """
    rings = [shapely.get_coordinates(ring)[:-1] for ring in (area.exterior, *area.interiors)]
    inside = gridded(points_over(area.buffer(-NET_CLEAR * step_mm), step_mm))  # clear of its border
    points = np.concatenate([*rings, inside] if more is None else [*rings, inside, gridded(more)])
    faces = spatial.Delaunay(points).simplices
    middles = points[faces].mean(axis=1)
    faces = faces[shapely.contains_xy(area, middles[:, 0], middles[:, 1])]
    faces = _counter_clockwise(points, faces)
    wanted, start = [], 0
    for ring in rings:
        index = start + np.arange(len(ring))
        wanted.append(np.stack([index, np.roll(index, -1)], axis=1))
        start += len(ring)
    net = Net(points, faces.astype(np.int32))
    if not _same_border(net, np.concatenate(wanted)):
        raise KilnError(
            "The outline is too narrow somewhere for its edge; make it wider or its edge finer."
        )
    return net


def _counter_clockwise(points: Array, faces: Array) -> Array:
    left = doubled_areas(points, faces)
    proper = np.abs(left) > 1e-9
    return np.where((left > 0)[proper, None], faces[proper], faces[proper, ::-1])


def points_over(area: Any, step: float) -> Array:
    """Points in rows over an area (polygons of any kind), every second row shifted, (n, 2)."""
    if area.is_empty:
        return np.empty((0, 2))
    low_u, low_v, high_u, high_v = area.bounds
    rows = np.arange(low_v, high_v, step * np.sqrt(0.75))
    columns = np.arange(low_u, high_u + step, step)
    u, v = np.meshgrid(columns, rows)
    u = u + np.where(np.arange(len(rows)) % 2, step / 2, 0.0)[:, None]
    points = np.stack([u.ravel(), v.ravel()], axis=1)
    shapely.prepare(area)
    return np.asarray(points[shapely.contains_xy(area, points[:, 0], points[:, 1])])


def _same_border(net: Net, wanted: Array) -> bool:
    size = len(net.points)
    have = border_edges(net.faces)
    keys = [np.sort(np.sort(edges, axis=1) @ [size, 1]) for edges in (have, wanted)]
    return len(keys[0]) == len(keys[1]) and bool((keys[0] == keys[1]).all())


def grid_net(u: Array, v: Array) -> Net:
    """A net over a rectangle by the places of its lines."""
    exact = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
    return Net(gridded(exact), lattice_faces(len(v), len(u)).astype(np.int32), exact)


def lattice_net(uv: Array) -> tuple[Net, Array]:
    """A net of a lattice of places (rows, columns, 2), u to the right along its columns and v up its rows;
    and its outline (k, 2), counter-clockwise."""
    rows, columns = uv.shape[:2]
    exact = uv.reshape(-1, 2)
    net = Net(gridded(exact), lattice_faces(rows, columns).astype(np.int32), exact)
    number = np.arange(rows * columns).reshape(rows, columns)
    ring = np.concatenate([number[0, :-1], number[:-1, -1], number[-1, :0:-1], number[:0:-1, 0]])
    return net, net.points[ring]


def closely(ring: Array, step_mm: float) -> Array:
    """A closed ring (n, 2), not repeated, on the grid, with points at most ``step_mm`` apart."""
    line = shapely.segmentize(shapely.LinearRing(ring), step_mm)
    points = gridded(shapely.get_coordinates(line)[:-1])
    apart = (points != np.roll(points, 1, axis=0)).any(axis=1)
    return np.asarray(points[apart])
