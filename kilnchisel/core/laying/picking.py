"""Which side of a blank a ray meets first, and where: a place for a lettering."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.blanks.imported import FreeMesh, free_mesh
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.laying.patch import ANY_SPOT, on_plane, right_and_up

Array = NDArray[Any]


@dataclass(frozen=True)
class Spot:
    """A place on a blank: the side and its sheet's point, or on a mesh the place itself, mm."""

    side: str
    along_mm: float = 0.0
    across_mm: float = 0.0
    spot: tuple[float, float, float] | None = None


def spot_under(blank: Blank, origin: Array, way: Array) -> Spot | None:
    """The place that a ray (3,), (3,) in the piece's frame meets first; None where no side is."""
    if isinstance(blank, Mesh3D):
        found = free_mesh(blank).hit(origin, way)
        if found is None:
            return None
        x, y, z = (round(float(value), 3) for value in found[0])
        return Spot(ANY_SPOT, spot=(x, y, z))
    met = side_under(blank, origin, way)
    if met is None:
        return None
    side, uv = met
    return Spot(side.name, round(float(uv[0]), 2), round(float(uv[1]), 2))


def side_under(blank: Blank, origin: Array, way: Array) -> tuple[Side, Array] | None:
    """The side that a ray (3,), (3,) in the piece's frame meets first from outside, and where on its
    sheet (2,); None where no side is."""
    best: tuple[float, Side, Array] | None = None
    for side in sides_at(blank).all:
        uv = side.meet(origin[None], way[None])
        if np.isnan(uv).any() or not shapely.intersects_xy(side.domain, *uv[0]):
            continue
        if float(side.frames(uv)[0, 2] @ way) >= 0:
            continue
        far = float((side.to_body(uv, np.zeros(1))[0] - origin) @ way)
        if best is None or far < best[0]:
            best = far, side, uv[0]
    return None if best is None else best[1:]


WALK_STEPS = 8


def walked(mesh: FreeMesh, spot: tuple[float, float, float], along: float, across: float) -> Array:
    """The place (3,) so many mm to the right and up of a spot, straight over the surface.

    In short steps in the plane of the triangle that is under each, on which no map is made: the way of a
    polyhedral geodesic (Polthier and Schmies, "Straightest geodesics", 1998), without its unfolding.
    """
    at = np.array(spot)
    face = mesh.nearest(at)
    right, up = right_and_up(mesh.face_normals[face])
    way = along * right + across * up
    far = float(np.linalg.norm(way))
    if far == 0:
        return at
    way /= far
    for _ in range(WALK_STEPS):
        at = at + far / WALK_STEPS * way
        face = mesh.nearest(at)
        normal = mesh.face_normals[face]
        at = on_plane(at, mesh.points[mesh.faces[face]])
        way = way - float(way @ normal) * normal
        way /= max(float(np.linalg.norm(way)), 1e-9)
    return at
