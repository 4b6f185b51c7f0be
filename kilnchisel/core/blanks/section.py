"""Bodies turned about the z axis, drawn as a section: runs from the foot's middle to the top's middle.

A run may carry lettering: then it becomes a sheet, else a shell. All share their corners round the axis,
so the body closes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import COARSER, Body, FinishSlot, Sheet, Shell, arc_angles, every
from kilnchisel.core.blanks.mesh import Mesh, grid, without_slivers
from kilnchisel.core.blanks.net import grid_net
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.blanks.turnedside import Turned, profile_of
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

MANY_ROWS = 40
CHORD_MM = 0.005  # how far a strip may depart from the round
ROW_MM = {Detail.FINE: 0.01, Detail.ROUGH: 0.4}  # how far a row may depart from the profile
X, Y, _ = np.eye(3)


@dataclass(frozen=True, eq=False)
class Run:
    """A smooth piece of a section: points (n, 2) as (r, z) and normals away from the material.

    ``side``: the name of the side it is, None for one without lettering; ``wall_mm``: material behind
    it; ``inside``: read from inside.
    """

    name: str
    slot: FinishSlot
    points: Array
    normals: Array
    side: str | None = None
    wall_mm: float = 0.0
    inside: bool = False


class Section:
    """Collects runs one after the other, each starting where the last one ended."""

    def __init__(self, r: float, z: float, *, detail: Detail) -> None:
        self.detail = detail
        self.at = (r, z)
        self.runs: list[Run] = []

    def line(self, name: str, slot: FinishSlot, r: float, z: float, **more: Any) -> Section:
        """Straight to (r, z)."""
        start, end = np.array(self.at), np.array([r, z])
        step = end - start
        normal = np.array([step[1], -step[0]]) / np.linalg.norm(step)
        points = np.array([start, end])
        return self._add(name, slot, points, np.tile(normal, (2, 1)), more)

    def arc(
        self,
        name: str,
        slot: FinishSlot,
        centre: tuple[float, float],
        first: float,
        last: float,
        **more: Any,
    ) -> Section:
        """Round a centre from one angle to another, degrees from +r towards +z.

        The normal points from the centre where the angle grows (convex) and to it where it falls.
        """
        radius = float(np.hypot(self.at[0] - centre[0], self.at[1] - centre[1]))
        angles = arc_angles(first, last, radius, detail=self.detail)
        if more.get("side") and self.detail.fine:  # a lettered run is laid by interpolation: closely set
            angles = np.radians(np.linspace(first, last, 401))
        out = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        points = np.array(centre) + radius * out
        points[0] = self.at
        return self._add(name, slot, points, out if last > first else -out, more)

    def curve(self, name: str, slot: FinishSlot, points: Array, **more: Any) -> Section:
        """Along smooth points (n, 2) from the present one; normals by differences."""
        step = np.gradient(points, axis=0)
        normal = np.stack([step[:, 1], -step[:, 0]], axis=1)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        return self._add(name, slot, points, normal, more)

    def _add(
        self, name: str, slot: FinishSlot, points: Array, normals: Array, more: dict[str, Any]
    ) -> Section:
        self.runs.append(Run(name, slot, points, normals, **more))
        self.at = (float(points[-1, 0]), float(points[-1, 1]))
        return self


def columns_for(radius: float, *, detail: Detail) -> int:
    """Steps round a body so that no chord strays CHORD_MM from its circle (du² / 8R)."""
    count = (
        max(int(np.ceil(2 * np.pi * radius / np.sqrt(8 * radius * CHORD_MM))), 180) if detail.fine else 48
    )
    # even, so that a sheet may begin half way round
    return count + -count % (2 * COARSER)


def turned_body(runs: list[Run], more: tuple[Shell, ...] = (), *, detail: Detail) -> Body:
    """The body of a section, with ``more`` shells. Level runs that reach the axis may be flat sides."""
    radius = max(float(run.points[:, 0].max()) for run in runs)
    columns = columns_for(radius, detail=detail)
    shells, sheets = [], []
    for run in runs:
        if run.side is None:
            shells.append(Shell(run.name, run.slot, turned(run.points, run.normals, columns)))
        elif abs(run.normals[0, 1]) > 1 - 1e-9 and run.points[:, 0].min() < 1e-9:
            sheets.append(_disc(run, columns))
        else:
            sheets.append(_round_sheet(run, columns, detail=detail))
    return Body((*shells, *more), tuple(sheets))


def _disc(run: Run, columns: int) -> Sheet:
    """A flat round side about the axis, seen from above or from below."""
    angle = np.linspace(-np.pi, np.pi, columns + 1)[:-1]
    radius = float(run.points[:, 0].max())
    flat = np.stack([radius * np.sin(angle), -radius * np.cos(angle)], axis=1)
    up = run.normals[0, 1] > 0
    ring = flat if up else (flat * (1.0, -1.0))[::-1]
    origin = np.array([0.0, 0.0, float(run.points[0, 1])])
    assert run.side is not None
    side = Plane(run.side, shapely.Polygon(ring), origin, X, Y if up else -Y, run.wall_mm)
    return Sheet(side, run.slot)


def _round_sheet(run: Run, columns: int, *, detail: Detail) -> Sheet:
    points, normals = run.points, run.normals
    if run.inside:  # v runs up for whoever reads it
        points, normals = points[::-1], normals[::-1]
    profile = profile_of(points, normals)
    half = np.pi * profile.reference_mm
    domain = shapely.box(-half, profile.along[0], half, profile.along[-1])
    assert run.side is not None
    side = Turned(run.side, domain, profile, run.wall_mm, inside=run.inside)
    cuts = np.linspace(-half, half, columns + 1)
    rows = _rows(points, profile.along, detail=detail)
    if len(rows) == 0:
        return Sheet(side, run.slot, cuts)
    # where there are many rows there are many triangles: wider ones still while something moves
    step = COARSER if len(rows) < MANY_ROWS else 2 * COARSER
    return Sheet(
        side, run.slot, net=grid_net(cuts, rows), rough=grid_net(every(cuts, step), every(rows, step))
    )


def _rows(points: Array, along: Array, *, detail: Detail) -> Array:
    """Where the profile must be cut along v; none where it is straight."""
    kept = shapely.get_coordinates(shapely.simplify(shapely.LineString(points), ROW_MM[detail]))
    if len(kept) == 2:
        return np.empty(0)
    index = [int(np.argmin(np.abs(points - corner).sum(axis=1))) for corner in kept]
    return np.asarray(along[index])


def turned(points: Array, normals: Array, columns: int) -> Mesh:
    """A profile (n, 2) as (r, z) turned about the z axis into ``columns`` steps.

    The corners lie where a sheet round the axis has its strip edges, from the back round to the back.
    """
    angle = np.linspace(-np.pi, np.pi, columns + 1)
    s, c = np.sin(angle), -np.cos(angle)
    s[-1], c[-1] = s[0], c[0]
    r, z = points[:, :1], points[:, 1:]
    lattice = np.stack([r * s, r * c, np.broadcast_to(z, (len(points), columns + 1))], axis=-1)
    nr, nz = normals[:, :1], normals[:, 1:]
    normal = np.stack([nr * s, nr * c, np.broadcast_to(nz, (len(points), columns + 1))], axis=-1)
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    around = angle * max(float(points[:, 0].max()), 1e-6)
    uv = np.stack(np.broadcast_arrays(around[None, :], along[:, None]), axis=-1)
    return without_slivers(grid(lattice, normal, uv))
