"""Bodies pushed straight up from a section: book spines, cuffs. Runs of the section may be sides."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Sheet, Shell, arc_angles
from kilnchisel.core.blanks.meeting import Triangles, lattice_of, meet_surface
from kilnchisel.core.blanks.mesh import facing_out, grid, join
from kilnchisel.core.blanks.section import CHORD_MM
from kilnchisel.core.blanks.sides import ClearZone, true_size
from kilnchisel.core.detail import Detail

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Extruded:
    """A side whose sheet bends along u only: true to size everywhere.

    along (n,) ascending mm, 0 half way; path (n, 2) as (x, y); normal (n, 2) outward, unit. v = 0 lies
    at z = ``middle_z``.
    """

    name: str
    domain: shapely.Polygon
    along: Array
    path: Array
    normal: Array
    middle_z: float
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    period: float | None = None
    taper: float | None = None

    def _at(self, u: Array) -> tuple[Array, Array]:
        spot = np.stack([np.interp(u, self.along, self.path[:, i]) for i in range(2)], axis=1)
        out = np.stack([np.interp(u, self.along, self.normal[:, i]) for i in range(2)], axis=1)
        return spot, out / np.linalg.norm(out, axis=1, keepdims=True)

    def to_body(self, uv: Array, height: Array) -> Array:
        spot, out = self._at(uv[:, 0])
        flat = spot + np.asarray(height)[:, None] * out
        return np.column_stack([flat, uv[:, 1] + self.middle_z])

    def frames(self, uv: Array) -> Array:
        _, out = self._at(uv[:, 0])
        zero = np.zeros(len(uv))
        along = np.stack([-out[:, 1], out[:, 0], zero], axis=1)
        up = np.broadcast_to([0.0, 0.0, 1.0], (len(uv), 3))
        return np.stack([along, up, np.column_stack([out, zero])], axis=1)

    def jacobian(self, uv: Array) -> Array:
        return true_size(len(uv))

    def true_at(self, spot: Array) -> Array:
        return np.eye(2)

    @cached_property
    def _triangles(self) -> Triangles:
        low, below, high, above = self.domain.bounds
        return lattice_of(self, np.linspace(low, high, 129), np.array([below, above]))

    def meet(self, origins: Array, directions: Array) -> Array:
        return meet_surface(self, self._triangles, origins, directions)

    def degrees(self, length_mm: float) -> float | None:
        return None


@dataclass(frozen=True, eq=False)
class _Run:
    points: Array
    normals: Array
    side: str | None
    wall_mm: float
    slot: FinishSlot


class Trace:
    """A section in (x, y), counter-clockwise seen from above, run by run."""

    def __init__(self, x: float, y: float, *, detail: Detail) -> None:
        self.detail = detail
        self.start = self.at = (x, y)
        self.runs: list[_Run] = []

    def line(self, x: float, y: float, slot: FinishSlot = "blank") -> Trace:
        """Straight to (x, y)."""
        points = np.array([self.at, (x, y)])
        step = points[1] - points[0]
        length = float(np.linalg.norm(step))
        if length > 1e-9:
            normal = np.array([step[1], -step[0]]) / length
            self.runs.append(_Run(points, np.tile(normal, (2, 1)), None, 0.0, slot))
            self.at = (x, y)
        return self

    def arc(self, centre: tuple[float, float], radius: float, first: float, last: float) -> Trace:
        """Round a centre, degrees from +x to +y; straight to its start if that is elsewhere."""
        angle = arc_angles(first, last, radius, detail=self.detail)
        out = np.stack([np.cos(angle), np.sin(angle)], axis=1)
        points = np.array(centre) + radius * out
        return self.curve(points, out if last > first else -out)

    def curve(
        self,
        points: Array,
        normals: Array,
        side: str | None = None,
        wall_mm: float = 0.0,
        slot: FinishSlot = "blank",
    ) -> Trace:
        """Along smooth points (n, 2); straight to the first if that is elsewhere."""
        self.line(float(points[0, 0]), float(points[0, 1]))
        points = points.copy()
        points[0] = self.at
        self.runs.append(_Run(points, normals, side, wall_mm, slot))
        self.at = (float(points[-1, 0]), float(points[-1, 1]))
        return self

    def end(self) -> Trace:
        """The last run has come back to the start: its last point is the first."""
        self.runs[-1].points[-1] = self.start
        return self

    def close(self) -> Trace:
        """Straight back to where it began."""
        return self.line(*self.start)


def extruded(
    path: Trace, low: float, high: float, solid: str, slot: FinishSlot, clear: tuple[ClearZone, ...] = ()
) -> tuple[tuple[Shell, ...], tuple[Sheet, ...]]:
    """The shells and sheets of a section pushed from z = low to z = high."""
    ring: list[Array] = []
    walls, sheets = [], []
    for run in path.runs:
        if run.side is None:
            walls.append(_wall(run, low, high))
            ring.append(run.points[:-1])
            continue
        sheet = _sheet(run, low, high, solid, clear, detail=path.detail)
        sheets.append(sheet)
        ends = np.column_stack([sheet.cuts, np.zeros(len(sheet.cuts))])
        ring.append(sheet.side.to_body(ends, np.zeros(len(ends)))[:-1, :2])
    outline = np.concatenate(ring)
    count = np.array([len(outline)], dtype=np.uint32)
    faces = np.asarray(mapbox_earcut.triangulate_float64(outline, count)).reshape(-1, 3)
    for z, way in ((low, -1.0), (high, 1.0)):
        points = np.column_stack([outline, np.full(len(outline), z)])
        normals = np.broadcast_to([0.0, 0.0, way], points.shape).copy()
        walls.append(facing_out(points, normals, outline, faces))
    return (Shell(f"{solid} rest", slot, join(walls), solid),), tuple(sheets)


def _wall(run: _Run, low: float, high: float) -> Any:
    points = np.stack([np.column_stack([run.points, np.full(len(run.points), z)]) for z in (low, high)])
    normals = np.column_stack([run.normals, np.zeros(len(run.points))])
    steps = np.linalg.norm(np.diff(run.points, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    uv = np.stack(np.broadcast_arrays(along[None, :], np.array([[low], [high]])), axis=-1)
    return grid(points, np.stack([normals, normals]), uv)


def _sheet(
    run: _Run, low: float, high: float, solid: str, clear: tuple[ClearZone, ...], *, detail: Detail
) -> Sheet:
    assert run.side is not None
    steps = np.linalg.norm(np.diff(run.points, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    along -= along[-1] / 2
    half = (high - low) / 2
    domain = shapely.box(along[0], -half, along[-1], half)
    side = Extruded(run.side, domain, along, run.points, run.normals, (low + high) / 2, run.wall_mm, clear)
    line = shapely.simplify(shapely.LineString(run.points), CHORD_MM if detail.fine else 0.3)
    kept = shapely.get_coordinates(line)
    index = [int(np.argmin(np.abs(run.points - corner).sum(axis=1))) for corner in kept]
    return Sheet(side, run.slot, np.asarray(along[index]), solid=solid)
