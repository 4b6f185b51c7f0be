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

from kilnchisel.core.blanks.mesh import border_edges, lattice_faces, shares_of
from kilnchisel.core.blanks.sides import Side, on_side
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import ndimage, spatial
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]

FACING = 0.17  # cosine: beyond 80 degrees a projection smears
CELLS = (240, 60)  # of the sheet, by which it is known what the beam reaches
ROUNDS = 12
CLOSE_MM, EDGE_ON = 1e-7, 1e-9
STRIDE = 3.0  # cells that a step goes at most: on folds one that is longer leads anywhere
SAME_AREA, FOLDED = 1e-6, 1e-4  # of an area: what is rounding, and what must lie over itself to matter
OVER_MM = 0.5  # so much nearer the lamp hides what is behind; less is the roughness of cells
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

    def facing(self, uv: Array) -> Array:
        """How straight the beam falls on sheet points (n, 2), cosines (n,); below zero where the side turns
        away."""
        return np.asarray(self.side.frames(uv)[:, 2] @ self._at[1][2])

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
        going, best, nearest = np.arange(len(found)), found.copy(), np.full(len(found), np.inf)
        longest = STRIDE * self._cell
        for _ in range(ROUNDS):
            off = wanted[going] - self.plane(found[going])
            away = np.abs(off).max(axis=1)
            nearer = away < nearest[going]
            best[going[nearer]], nearest[going[nearer]] = found[going[nearer]], away[nearer]
            far = away >= CLOSE_MM
            going, off = going[far], off[far]
            if len(going) == 0:
                break
            slopes = self._seen_frames(found[going]) @ self.side.jacobian(found[going])
            step = _solved(slopes, off)
            found[going] += step / np.maximum(np.abs(step / longest).max(axis=1, keepdims=True), 1.0)
        return np.asarray(best)

    def region(self, region: shapely.MultiPolygon) -> shapely.MultiPolygon:
        """A region of the plane on the sheet, trimmed to what the beam reaches."""
        inside = as_region([shapely.intersection(region, self.seen)])
        if inside.is_empty:
            return inside
        cast = shapely.transform(self.closely(inside), self.sheet)
        # where the side turns away two points may come to one place, and an outline touch itself
        cast = cast if shapely.is_valid(cast) else shapely.make_valid(cast)
        # behind a fold it is dark
        return as_region([shapely.intersection(cast, self._lit_sheet) if self.folded else cast])

    def reached(self, region: shapely.MultiPolygon) -> float:
        """How much of a region of the plane it reaches, mm² as it is drawn there."""
        if not self.folded:
            return float(shapely.intersection(region, self.seen).area)
        return float(shapely.transform(self.region(region), self.plane).area)

    def closely(self, geometry: Any) -> Any:
        """With points close enough that straight pieces may be bent round the side."""
        low_u, low_v, high_u, high_v = self.seen.bounds
        radius = max(high_u - low_u, high_v - low_v) / 2
        return shapely.segmentize(geometry, float(np.sqrt(8 * radius * FINE_MM)))

    @property
    def _cell(self) -> Array:
        """Size of a cell of the sheet, (2,) mm."""
        corners = self._grid[0]
        return np.asarray(corners[1, 1] - corners[0, 0])

    @cached_property
    def _cells(self) -> tuple[Array, Array, Any]:
        """Middles of the cells the beam reaches: in the plane and on the sheet, (k, 2) each."""
        _, middles, _ = self._grid
        lit = middles[self._lit]
        flat = self.plane(lit)
        return flat, lit, spatial.cKDTree(flat)

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
        facing = self.facing(middles) > FACING
        if self.side.period is None:
            facing &= shapely.intersects_xy(self.side.domain, *middles.T)
        if not facing.any():
            raise self._unseen()
        groups, _ = ndimage.label(facing.reshape(rows, columns))
        away = np.where(facing, ((middles - self.spot) ** 2).sum(axis=1), np.inf)
        reached = groups.ravel() == groups.ravel()[int(np.argmin(away))]
        return corners, middles, reached

    @cached_property
    def _lit(self) -> Array:
        """Which cells (n,) the beam reaches first: where a fold hides others, those are left out."""
        corners, middles, reached = self._grid
        if not self.folded:
            return reached
        faces, points = self._faces_of(reached), corners.reshape(-1, 2)
        flat, height = self.plane(points), self._height(points)
        spots = self.plane(middles[reached])
        # only where they lie over one another: there the faces about each spot
        shapely.prepare(self._seen[1])
        over = np.flatnonzero(shapely.intersects_xy(self._seen[1], *spots.T))
        middle, far = flat[faces].mean(axis=1), np.linalg.norm(np.ptp(flat[faces], axis=1), axis=1).max()
        pairs = spatial.cKDTree(spots[over]).sparse_distance_matrix(
            spatial.cKDTree(middle), far, output_type="ndarray"
        )
        cell, face = over[pairs["i"]], pairs["j"]
        shares = shares_of(spots[cell], flat[faces[face]])
        within = (shares.min(axis=1) >= 0) & (face % len(spots) != cell)  # not by its own two
        above = np.einsum("ni,ni->n", shares, height[faces[face]])
        own = self._height(middles[reached])
        lit = reached.copy()
        lit[np.flatnonzero(reached)[cell[within & (above > own[cell] + OVER_MM)]]] = False
        return np.asarray(lit)

    def _faces_of(self, cells: Array) -> Array:
        """Some of the cells (n,) as triangles (k, 3) between the grid's corners: of each the first, then of
        each the second."""
        return np.asarray(lattice_faces(*self._grid[0].shape[:2])[np.tile(cells, 2)])

    def _height(self, uv: Array) -> Array:
        """How far sheet points (n, 2) are out of the plane of the outline, towards the lamp, (n,) mm."""
        origin, axes = self._at
        return np.asarray((self.side.to_body(uv, np.zeros(len(uv))) - origin) @ axes[2])

    @cached_property
    def _seen(self) -> tuple[shapely.Polygon, shapely.MultiPolygon]:
        """What the beam reaches, in the plane, and where folds of it lie over one another there."""
        corners, _, reached = self._grid
        parts, over = _outlined(self.plane(corners.reshape(-1, 2)), self._faces_of(reached))
        if len(parts) == 0:  # a strip that is seen edge on
            raise self._unseen()
        return max(as_region(parts).geoms, key=lambda part: float(part.area)), as_region(over)

    @property
    def folded(self) -> bool:
        """Whether folds of what it reaches lie over one another, as the lamp sees them."""
        seen, over = self._seen
        return bool(over.area > FOLDED * seen.area)

    @cached_property
    def _lit_sheet(self) -> Any:
        """What of the sheet the beam reaches first."""
        return as_region(_outlined(self._grid[0].reshape(-1, 2), self._faces_of(self._lit))[0])

    @property
    def seen(self) -> shapely.Polygon:
        """What the beam reaches, in the plane. Raises KilnError where it reaches nothing."""
        return self._seen[0]


def _solved(slopes: Array, off: Array) -> Array:
    """Steps (n, 2) by slopes (n, 2, 2) to what is so far off (n, 2); where they are seen edge on, none."""
    (a, b), (c, d) = slopes[:, 0].T, slopes[:, 1].T
    det = a * d - b * c
    there = np.abs(det) > EDGE_ON * np.abs(slopes).max(axis=(1, 2)) ** 2
    step = np.stack([d * off[:, 0] - b * off[:, 1], a * off[:, 1] - c * off[:, 0]], axis=1)
    return np.asarray(np.where(there[:, None], step / np.where(there, det, 1.0)[:, None], 0.0))


def _outlined(points: Array, faces: Array) -> tuple[list[Any], list[Any]]:
    """What faces (k, 3) between points (n, 2) cover, in pieces without overlap, and those of them that more
    than one layer of faces lies over."""
    edges = points[border_edges(faces)]  # (k, 2, 2), with the faces to their left
    start, end = edges[:, 0], edges[:, 1]
    area = float((start[:, 0] * end[:, 1] - end[:, 0] * start[:, 1]).sum() / 2)
    lines = shapely.linestrings(edges)
    parts = shapely.get_parts(shapely.polygonize(list(lines)))
    if len(parts):
        widest = max(parts, key=lambda part: float(part.area))
        if abs(widest.area - area) <= SAME_AREA * area:
            return [widest], []
    # their border crosses itself, or they do not hang together: what it goes round, by how often
    parts = shapely.get_parts(shapely.polygonize([shapely.unary_union(lines)]))
    if len(parts) == 0:
        return [], []
    x, y = shapely.get_coordinates(shapely.point_on_surface(parts)).T[:, :, None]
    up = (start[:, 1] <= y) & (end[:, 1] > y)
    down = (start[:, 1] > y) & (end[:, 1] <= y)
    run = np.where(start[:, 1] == end[:, 1], 1.0, end[:, 1] - start[:, 1])
    right = start[:, 0] + (end[:, 0] - start[:, 0]) * (y - start[:, 1]) / run > x
    turns = (up & right).sum(axis=1) - (down & right).sum(axis=1)
    return list(parts[turns > 0]), list(parts[turns > 1])
