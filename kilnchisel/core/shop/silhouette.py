"""A piece as it is seen looking straight at one of its sides."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from kilnchisel.core.blanks.sides import Plane, Side
from kilnchisel.core.build import body_of_job
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import fill_nonzero, polygons_in, rings_of

MOST_FACES = 60_000
LEAST_FACE_MM2, LEAST_HOLE_MM2, SEEN_MM = 1e-6, 0.01, 0.001


def seen_at(job: Job, side: Side) -> shapely.Polygon:
    """The piece as it is seen looking straight at a flat side or at one that swells over a flat one, its
    rounded edge with it; elsewhere what can be lettered."""
    if isinstance(job.blank, Mesh3D):
        return side.domain
    body = body_of_job(job)
    shells, opposite = body.shells, body.opposite(side.name)
    back = None if opposite is None else body.sheet(opposite).side
    straight = side if isinstance(side, Plane) else back
    if not isinstance(straight, Plane) or sum(len(shell.mesh.faces) for shell in shells) > MOST_FACES:
        return side.domain
    spot = np.array(side.domain.centroid.coords)
    origin = side.to_body(spot, np.zeros(1))[0]
    frame = straight.frames(spot)[0]
    if straight is back:  # seen from behind, right is left
        frame = frame * ((-1.0,), (1.0,), (-1.0,))
    found = []
    for shell in shells:
        laid = (shell.mesh.points - origin) @ frame[:2].T + spot[0]
        faces = laid[shell.mesh.faces]
        first, second = (faces[:, k] - faces[:, 0] for k in (1, 2))
        doubled = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
        faces = np.where(doubled[:, None, None] < 0, faces[:, ::-1], faces)
        found.append((float(np.abs(doubled).sum()), faces[np.abs(doubled) > LEAST_FACE_MM2]))
    # the largest first: most of the others lie within, and what is welded keeps everything else waiting
    seen: Any = shapely.orient_polygons(side.domain)
    for _, faces in sorted(found, key=lambda one: -one[0]):
        shapely.prepare(seen)
        beside = faces[~shapely.covers(seen, shapely.polygons(faces))]
        if len(beside):
            seen = fill_nonzero([*rings_of(seen), *beside])
    whole = max(polygons_in(seen), key=lambda part: part.area)
    holes = [hole for hole in whole.interiors if shapely.Polygon(hole).area > LEAST_HOLE_MM2]
    return shapely.Polygon(whole.exterior, holes).simplify(SEEN_MM)
