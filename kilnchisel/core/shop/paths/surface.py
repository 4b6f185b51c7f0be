"""The surface that is wanted on a flat side, as heights on a grid: the piece's solid, seen from above."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Cylinder, Plane, Side
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.turnedside import Turned
from kilnchisel.core.build import piece_of, sides_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import stands_free
from kilnchisel.core.job.model import Job
from kilnchisel.core.later import compiled

Array = NDArray[Any]

MOST_CELLS = 60_000_000
PLAIN_MM = 0.005  # how far a profile told by few points may be off
LEAST_LEAN = 0.3  # the cosine of how steep a side is to its axis, at most
PROFILED = 400  # places along a side that is turned
SAME_MM = 0.01  # a sheet that is stretched over its plane by more is none of a router's


@dataclass(frozen=True, eq=False)
class Heights:
    """Heights (h, w) mm of the middles of square cells, row 0 the nearest; NaN beyond the side, -inf where
    it is open right through.
    ``corner``: the lower left corner of the first cell."""

    values: Array
    corner: tuple[float, float]
    cell_mm: float


def faced(job: Job, name: str) -> Plane:
    """A side as a router with three axes sees it: flat, or of one that swells over a flat back the plane
    parallel to that at its lowest place, with the same sheet. Raises KilnError where it is neither."""
    sides = sides_of_job(job)
    side = None if sides is None else sides.named(name)
    if isinstance(side, Plane):
        return side
    opposite = None if sides is None else sides.opposite(name)
    back = None if sides is None or opposite is None else sides.named(opposite)
    if isinstance(side, Surface) and isinstance(back, Plane) and side.period is None:
        normal, right = -back.normal, -back.right
        spots = np.concatenate([np.zeros((1, 2)), shapely.get_coordinates(side.domain)])
        points = side.to_body(spots, np.zeros(len(spots)))
        high = (points - back.origin) @ normal
        origin = points[0] + (high.min() - high[0]) * normal
        off = points - origin
        flat = np.stack([off @ right, off @ back.up], axis=1)
        if np.abs(flat - spots).max() < SAME_MM:
            return Plane(name, side.domain, origin, right, back.up, float(high.min()), side.clear)
    raise KilnError(f"The side “{name}” is not flat: a router with three axes does not get round it.")


def is_faced(job: Job, name: str) -> bool:
    """Whether a router with three axes gets over a side."""
    try:
        faced(job, name)
    except KilnError:
        return False
    return True


@dataclass(frozen=True, eq=False)
class Rolled:
    """A side that goes round the axis of a rotary table. ``radius_mm``: at which its sheet is true round;
    ``top_mm``: its greatest, of one that is read from inside its least; ``low_mm``: where along the axis it
    begins, ``long_mm``: how far it goes; ``left_mm``: the u at which A is 0."""

    side: Side
    radius_mm: float
    top_mm: float
    low_mm: float
    long_mm: float
    left_mm: float

    @property
    def inside(self) -> bool:
        """Whether it is read from inside: what is cut lies farther from the axis."""
        return bool(getattr(self.side, "inside", False))

    def above(self, points: Array) -> Array:
        """How far points (n, 3) of the body are above its top, (n,), that is from or to the axis."""
        high = np.hypot(points[:, 0], points[:, 1]) - self.top_mm
        return np.asarray(-high if self.inside else high)

    def profile(self, x: Array) -> Array:
        """How far its surface is from its top (n,), at most 0, so far along the axis (n,)."""
        return np.asarray(np.interp(x, *self._along().T))

    def turned(self) -> tuple[tuple[float, float], ...]:
        """Its profile by few points, (x, z); none of one that is as high all along."""
        line = self._along()
        if np.ptp(line[:, 1]) < PLAIN_MM:
            return ()
        return tuple(map(tuple, shapely.LineString(line).simplify(PLAIN_MM).coords))

    def _along(self) -> Array:
        """Places along the axis and how far its surface is from its top there, (n, 2)."""
        _, low, _, high = self.side.domain.bounds
        spots = np.stack([np.zeros(PROFILED), np.linspace(low, high, PROFILED)], axis=1)
        body = self.side.to_body(spots, np.zeros(PROFILED))
        return np.stack([body[:, 2] - self.low_mm, self.above(body)], axis=1)

    def machine(self, way: Array) -> Array:
        """Sheet points with a height (n, 3) as (x along the axis, y round from A = 0, z from the top). What
        is deep lies under its place as the cutter goes in, on a radius, and as far below the surface."""
        uv, body = way[:, :2], self.side.to_body(way[:, :2], np.zeros(len(way)))
        out = body[:, :2] / np.maximum(np.hypot(body[:, 0], body[:, 1]), 1e-9)[:, None]
        normals = self.side.frames(uv)[:, 2]
        lean = np.maximum(np.abs((normals[:, :2] * out).sum(axis=1)), LEAST_LEAN)
        y = way[:, 0] - self.left_mm
        z = self.above(body) + way[:, 2] / lean
        return np.stack([body[:, 2] - self.low_mm, -y if self.inside else y, z], axis=1)


def rolled(job: Job, name: str, left_mm: float | None = None) -> Rolled:
    """A side as a router with a rotary axis sees it. ``left_mm``: where A is 0, else at its seam.
    Raises KilnError where it does not go round."""
    sides = sides_of_job(job)
    side = None if sides is None else sides.named(name)
    if not isinstance(side, Cylinder | Turned) or side.period is None:
        raise KilnError(f"The side “{name}” does not go round an axis.")
    left, low, _, high = side.domain.bounds
    spots = np.stack([np.zeros(64), np.linspace(low, high, 64)], axis=1)
    body = side.to_body(spots, np.zeros(64))
    radius = np.hypot(body[:, 0], body[:, 1])
    along = body[:, 2]
    if (np.diff(along) <= 0).any():
        raise KilnError(f"The side “{name}” turns back along its axis: a rotary axis does not get there.")
    return Rolled(
        side,
        side.period / (2 * np.pi),
        float(radius.min() if getattr(side, "inside", False) else radius.max()),
        float(along[0]),
        float(along[-1] - along[0]),
        left if left_mm is None else left_mm,
    )


def rolled_heights(job: Job, one: Rolled, cell_mm: float) -> Heights:
    """The heights of a side that goes round, from its top, x along its axis and y round it. Raises
    KilnError where they would be too many."""
    period = one.side.period
    assert period is not None
    across, up = cells_of(one.long_mm, period, cell_mm)
    values = np.full((up, across), -np.inf)
    first = one.side.to_body(np.array([[one.left_mm, 0.0]]), np.zeros(1))[0]
    begin = np.arctan2(first[0], -first[1])
    for part in piece_of(job).parts:
        lettering = None if part.lettering is None else job.letterings[part.lettering]
        if part.side != one.side.name or (lettering is not None and stands_free(lettering.craft)):
            continue
        mesh = part.mesh
        x = (mesh.points[:, 2] - one.low_mm) / cell_mm - 0.5
        angle = np.arctan2(mesh.points[:, 0], -mesh.points[:, 1]) - begin
        corners = angle[mesh.faces] % (2 * np.pi)
        # a face that goes over A = 0 goes on beyond a whole turn
        corners += 2 * np.pi * np.round((corners[:, :1] - corners) / (2 * np.pi))
        flat = np.stack([x, np.zeros_like(x), one.above(mesh.points)], axis=1)[mesh.faces]
        every = np.arange(3 * len(mesh.faces), dtype=np.int64).reshape(-1, 3)
        for turn in (-1, 0, 1):
            y = (one.radius_mm * corners + turn * period) / cell_mm - 0.5
            flat[..., 1] = y
            if y.max() > -1 and y.min() < up:
                _fill(values, flat.reshape(-1, 3), every)
    values[np.isneginf(values)] = np.nan
    return Heights(values, (0.0, 0.0), cell_mm)


def cells_of(wide_mm: float, tall_mm: float, cell_mm: float) -> tuple[int, int]:
    """How many cells across and up. Raises KilnError where they would be too many."""
    across, up = max(round(wide_mm / cell_mm), 1), max(round(tall_mm / cell_mm), 1)
    if across * up > MOST_CELLS:
        least = (wide_mm * tall_mm / MOST_CELLS) ** 0.5
        raise KilnError(
            f"{across} by {up} cells are too many; with {least:.3f} mm a cell they are few enough."
        )
    return across, up


def wanted_heights(job: Job, name: str, cell_mm: float, margin_mm: float = 0.0) -> Heights:
    """The heights of a side of a job's piece over its own sheet and so far beyond it, 0 on it or at its
    lowest place, what stands free of it left out. Raises KilnError for a side that a router does not get
    over."""
    side = faced(job, name)
    left, low, right, high = np.array(side.domain.bounds) + np.array([-1, -1, 1, 1]) * margin_mm
    across, up = cells_of(right - left, high - low, cell_mm)
    values = np.full((up, across), -np.inf)
    for part in piece_of(job).parts:
        lettering = None if part.lettering is None else job.letterings[part.lettering]
        if part.side != name or (lettering is not None and stands_free(lettering.craft)):
            continue
        off = part.mesh.points - side.origin
        x = (off @ side.right - left) / cell_mm - 0.5
        y = (off @ side.up - low) / cell_mm - 0.5
        _fill(values, np.stack([x, y, off @ side.normal], axis=1), part.mesh.faces.astype(np.int64))
    found = Heights(values, (left, low), cell_mm)
    row, column = np.nonzero(~np.isfinite(values))
    middles = left + (column + 0.5) * cell_mm, low + (row + 0.5) * cell_mm
    shapely.prepare(side.domain)
    beyond = ~shapely.contains_xy(side.domain, *middles)
    values[row[beyond], column[beyond]] = np.nan
    return found


def cells_in(heights: Heights, region: Any) -> Array:
    """Which cells have their middles in a region, (h, w) bool."""
    rows, columns = heights.values.shape
    x = heights.corner[0] + (np.arange(columns) + 0.5) * heights.cell_mm
    y = heights.corner[1] + (np.arange(rows) + 0.5) * heights.cell_mm
    found = np.zeros((rows, columns), bool)
    if region.is_empty:
        return found
    shapely.prepare(region)
    left, low, right, high = region.bounds
    some, across = np.flatnonzero((y >= low) & (y <= high)), np.flatnonzero((x >= left) & (x <= right))
    if len(some) and len(across):
        xx, yy = np.meshgrid(x[across], y[some])
        found[np.ix_(some, across)] = shapely.contains_xy(region, xx, yy)
    return found


@compiled(nogil=True, cache=True)
def _fill(values: Array, points: Array, faces: Array) -> None:
    """Triangles (m, 3) over points (n, 3) in cells: each cell's middle gets the highest there is."""
    rows, columns = values.shape
    for k in range(len(faces)):
        ax, ay, az = points[faces[k, 0]]
        bx, by, bz = points[faces[k, 1]]
        cx, cy, cz = points[faces[k, 2]]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-12:
            continue
        first = max(int(np.ceil(min(ax, bx, cx) - 1e-9)), 0)
        last = min(int(np.floor(max(ax, bx, cx) + 1e-9)), columns - 1)
        top = max(int(np.ceil(min(ay, by, cy) - 1e-9)), 0)
        end = min(int(np.floor(max(ay, by, cy) + 1e-9)), rows - 1)
        for j in range(top, end + 1):
            for i in range(first, last + 1):
                u = ((bx - i) * (cy - j) - (cx - i) * (by - j)) / area
                v = ((cx - i) * (ay - j) - (ax - i) * (cy - j)) / area
                w = 1.0 - u - v
                if u >= -1e-9 and v >= -1e-9 and w >= -1e-9:
                    z = u * az + v * bz + w * cz
                    if z > values[j, i]:
                        values[j, i] = z
