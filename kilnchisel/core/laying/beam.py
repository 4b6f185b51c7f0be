"""Straight projection: a flat outline cast on to a curved side along one direction, as a lamp would.

The plane of the outline touches the side at the lettering's spot. What turns away from the beam is trimmed.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import border_edges, lattice_faces
from kilnchisel.core.blanks.sides import Side, on_side
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import ndimage, spatial
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]

FACING = 0.17  # cosine: beyond 80 degrees a projection smears
CELLS = (240, 60)  # of the sheet, by which it is known what the beam reaches
ROUNDS = 12
CLOSE_MM = 1e-7
FINE_MM = 0.002  # how far a straight piece of an outline may depart from its place on the side


@dataclass(frozen=True, eq=False)
class Beam:
    """The beam that falls straight on a spot (2,) of a side's sheet."""

    side: Side
    spot: Array

    @cached_property
    def _at(self) -> tuple[Array, Array]:
        """The spot on the body, (3,), and the axes right, up, out there, (3, 3); beside the side, where it
        may not be defined, as if it went on flat."""
        spot = on_side(self.side, self.spot)[None]
        axes = self.side.frames(spot)[0]
        beside = self.side.jacobian(spot)[0] @ (self.spot - spot[0])
        return self.side.to_body(spot, np.zeros(1))[0] + beside @ axes[:2], axes

    def plane(self, uv: Array) -> Array:
        """Where sheet points (n, 2) are seen in the plane of the outline, (n, 2) mm from the spot."""
        origin, axes = self._at
        away = self.side.to_body(uv, np.zeros(len(uv))) - origin
        return np.asarray(away @ axes[:2].T)

    def growth(self, uv: Array) -> Array:
        """Steps along the side's own frames for steps in the plane, (n, 2, 2): its singular values are
        the stretches, 1 and 1 / cosine of the slant."""
        return np.asarray(np.linalg.inv(self._seen_frames(uv)))

    def _seen_frames(self, uv: Array) -> Array:
        return np.asarray(np.einsum("aj,nij->nai", self._at[1][:2], self.side.frames(uv)[:, :2]))

    def sheet(self, points: Array) -> Array:
        """Sheet points of points in the plane (n, 2), those that the beam does not reach at its border.

        By Newton steps from the nearest cell that is seen.
        """
        flat, uv, tree = self._cells
        near = tree.query(points)[1]
        found = uv[near].copy()
        outside = ~shapely.intersects_xy(self.seen, *points.T)
        wanted = np.where(outside[:, None], flat[near], points)
        # each point by itself: it comes to the same place to the bit, whatever else is asked with it
        going = np.arange(len(found))
        for _ in range(ROUNDS):
            off = wanted[going] - self.plane(found[going])
            far = np.abs(off).max(axis=1) >= CLOSE_MM
            going, off = going[far], off[far]
            if len(going) == 0:
                break
            steps = self._seen_frames(found[going]) @ self.side.jacobian(found[going])
            found[going] += np.linalg.solve(steps, off[:, :, None])[:, :, 0]
        return np.asarray(found)

    def region(self, region: shapely.MultiPolygon) -> shapely.MultiPolygon:
        """A region of the plane on the sheet, trimmed to what the beam reaches."""
        inside = as_region([shapely.intersection(region, self.seen)])
        if inside.is_empty:
            return inside
        cast = shapely.transform(self.closely(inside), self.sheet)
        # where the side turns away two points may come to one place, and an outline touch itself
        return as_region([cast if shapely.is_valid(cast) else shapely.make_valid(cast)])

    def closely(self, geometry: Any) -> Any:
        """With points close enough that straight pieces may be bent round the side."""
        low_u, low_v, high_u, high_v = self.seen.bounds
        radius = max(high_u - low_u, high_v - low_v) / 2
        return shapely.segmentize(geometry, float(np.sqrt(8 * radius * FINE_MM)))

    @cached_property
    def _cells(self) -> tuple[Array, Array, Any]:
        """Middles of the cells the beam reaches: in the plane and on the sheet, (k, 2) each."""
        _, middles, reached = self._grid
        flat = self.plane(middles[reached])
        return flat, middles[reached], spatial.cKDTree(flat)

    def _unseen(self) -> KilnError:
        return KilnError(
            f"Straight on from here, nothing of the {self.side.name} is seen: move the lettering on to it, "
            "or let it follow the surface."
        )

    @cached_property
    def _grid(self) -> tuple[Array, Array, Array]:
        """Corners (rows + 1, columns + 1, 2) and middles (n, 2) of the sheet's cells, and which of these
        the beam reaches and hang together with the spot, or what it reaches nearest to that where the spot
        is beside the side. Raises KilnError where it reaches nothing."""
        low_u, low_v, high_u, high_v = self.side.domain.bounds
        if self.side.period is not None:
            low_u, high_u = self.spot[0] - self.side.period / 2, self.spot[0] + self.side.period / 2
        columns, rows = CELLS
        u, v = np.linspace(low_u, high_u, columns + 1), np.linspace(low_v, high_v, rows + 1)
        corners = np.stack(np.meshgrid(u, v), axis=-1)
        middles = ((corners[:-1, :-1] + corners[1:, 1:]) / 2).reshape(-1, 2)
        out = self._at[1][2]
        facing = self.side.frames(middles)[:, 2] @ out > FACING
        if self.side.period is None:
            facing &= shapely.intersects_xy(self.side.domain, *middles.T)
        if not facing.any():
            raise self._unseen()
        groups, _ = ndimage.label(facing.reshape(rows, columns))
        away = np.where(facing, ((middles - self.spot) ** 2).sum(axis=1), np.inf)
        reached = groups.ravel() == groups.ravel()[int(np.argmin(away))]
        return corners, middles, reached

    @cached_property
    def seen(self) -> shapely.Polygon:
        """What the beam reaches, in the plane. Raises KilnError where it reaches nothing."""
        corners, _, reached = self._grid
        rows, columns = corners.shape[:2]
        faces = lattice_faces(rows, columns)[np.tile(reached, 2)]  # two triangles a cell
        edges = self.plane(corners.reshape(-1, 2))[border_edges(faces)]
        parts = shapely.get_parts(shapely.polygonize(list(shapely.linestrings(edges))))
        if len(parts) == 0:  # a strip that is seen edge on
            raise self._unseen()
        return max(parts, key=lambda part: float(part.area))
