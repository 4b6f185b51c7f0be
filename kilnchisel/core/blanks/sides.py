"""Sides: surfaces that can be lettered, each unrolled to a flat sheet.

Sheet coordinates (u, v) are mm; u runs to the right of someone reading the side from outside, v up,
so lettering is never mirrored. Bodies use a right-handed frame: x to the right of someone in front,
y away from them, z up. The front of a body faces -y.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
import shapely
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class ClearZone:
    """A part of the sheet to keep clear, with its name ("handle"). ``covered``: another part of the body
    lies on it, and hides what is made there."""

    name: str
    area: shapely.Polygon
    covered: bool = False


def flipped(area: Any) -> Any:
    """A region as it lies on the sheet of the opposite face, which is read from the other side."""
    return shapely.transform(area, lambda p: p * (-1.0, 1.0))


def true_size(count: int) -> Array:
    """The Jacobians of a sheet that is unrolled without stretch, (count, 2, 2)."""
    return np.broadcast_to(np.eye(2), (count, 2, 2))


def principal_stretches(jacobian: Array) -> Array:
    """The least and the greatest stretch of each map, (n, 2, 2) -> (n, 2): its singular values.

    By the closed form for 2 x 2: (sqrt((a+d)² + (c-b)²) -+ sqrt((a-d)² + (b+c)²)) / 2.
    """
    (a, b), (c, d) = np.moveaxis(jacobian, 0, -1)
    mean, off = np.hypot(a + d, c - b), np.hypot(a - d, b + c)
    return np.stack([np.abs(mean - off), mean + off], axis=-1) / 2


class Side(Protocol):
    """One surface and its sheet."""

    @property
    def name(self) -> str: ...

    @property
    def domain(self) -> shapely.Polygon:
        """Usable area, mm."""
        ...

    @property
    def period(self) -> float | None:
        """u comes round again after this many mm; None on an open side."""
        ...

    @property
    def clear(self) -> tuple[ClearZone, ...]: ...

    @property
    def wall_mm(self) -> float:
        """Material behind the surface: no engraving goes deeper."""
        ...

    @property
    def taper(self) -> float | None:
        """The sine of a cone's half angle, below zero where it narrows upward; None for no cone."""
        ...

    def to_body(self, uv: Array, height: Array) -> Array:
        """(n, 2) mm and (n,) mm outward -> points (n, 3) mm."""
        ...

    def frames(self, uv: Array) -> Array:
        """(n, 2) -> (n, 3, 3): unit tangent along u, along v, outward normal, as rows."""
        ...

    def jacobian(self, uv: Array) -> Array:
        """(n, 2) -> (n, 2, 2): what a step on the sheet becomes on the surface, in the frame's tangents.

        Columns are the steps along u and v; the identity where the sheet is true to size.
        """
        ...

    def true_at(self, spot: Array) -> Array:
        """The Jacobian that lettering in one place is made true to, (2,) -> (2, 2)."""
        ...

    def meet(self, origins: Array, directions: Array) -> Array:
        """Where rays first meet the side from outside: (n, 3), (n, 3) -> (n, 2), NaN for a miss."""
        ...

    def degrees(self, length_mm: float) -> float | None:
        """How far round a length along u goes, None on a flat side."""
        ...


@dataclass(frozen=True, eq=False)
class Plane:
    """A flat side. ``origin`` is the sheet's (0, 0); ``right`` and ``up`` are unit vectors."""

    name: str
    domain: shapely.Polygon
    origin: Array
    right: Array
    up: Array
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    period: float | None = None
    taper: float | None = None

    @property
    def normal(self) -> Array:
        return np.cross(self.right, self.up)

    def to_body(self, uv: Array, height: Array) -> Array:
        return np.asarray(
            self.origin
            + uv[:, :1] * self.right
            + uv[:, 1:] * self.up
            + np.asarray(height)[:, None] * self.normal
        )

    def frames(self, uv: Array) -> Array:
        return np.broadcast_to(np.stack([self.right, self.up, self.normal]), (len(uv), 3, 3))

    def jacobian(self, uv: Array) -> Array:
        return true_size(len(uv))

    def true_at(self, spot: Array) -> Array:
        return np.eye(2)

    def meet(self, origins: Array, directions: Array) -> Array:
        facing = directions @ self.normal
        with np.errstate(divide="ignore", invalid="ignore"):
            t = ((self.origin - origins) @ self.normal) / facing
            hits = origins + t[:, None] * directions - self.origin
            uv = np.stack([hits @ self.right, hits @ self.up], axis=1)
        uv[~((facing < 0) & (t > 0))] = np.nan
        return uv

    def degrees(self, length_mm: float) -> float | None:
        return None


@dataclass(frozen=True, eq=False)
class Cylinder:
    """The outside of an upright cylinder about the z axis; u = 0 faces the front, v is z."""

    name: str
    domain: shapely.Polygon
    radius_mm: float
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    taper: float | None = None

    @property
    def period(self) -> float | None:
        return 2 * np.pi * self.radius_mm

    def to_body(self, uv: Array, height: Array) -> Array:
        angle = uv[:, 0] / self.radius_mm
        r = self.radius_mm + np.asarray(height)
        return np.stack([r * np.sin(angle), -r * np.cos(angle), uv[:, 1]], axis=1)

    def frames(self, uv: Array) -> Array:
        angle = uv[:, 0] / self.radius_mm
        s, c, o = np.sin(angle), np.cos(angle), np.zeros(len(uv))
        return np.stack(
            [
                np.stack([c, s, o], axis=1),
                np.broadcast_to([0.0, 0.0, 1.0], (len(uv), 3)),
                np.stack([s, -c, o], axis=1),
            ],
            axis=1,
        )

    def jacobian(self, uv: Array) -> Array:
        return true_size(len(uv))  # a cylinder unrolls without stretch

    def true_at(self, spot: Array) -> Array:
        return np.eye(2)

    def meet(self, origins: Array, directions: Array) -> Array:
        a = (directions[:, :2] ** 2).sum(axis=1)
        b = (origins[:, :2] * directions[:, :2]).sum(axis=1)
        c = (origins[:, :2] ** 2).sum(axis=1) - self.radius_mm**2
        root = b * b - a * c
        with np.errstate(divide="ignore", invalid="ignore"):
            t = (-b - np.sqrt(root)) / a
        hits = origins + t[:, None] * directions
        uv = np.stack([np.arctan2(hits[:, 0], -hits[:, 1]) * self.radius_mm, hits[:, 2]], axis=1)
        uv[~((root > 0) & (t > 0))] = np.nan
        return uv

    def degrees(self, length_mm: float) -> float | None:
        return float(np.degrees(length_mm / self.radius_mm))


INWARDS = 0.01  # of the way to the middle: a border may come to a point


def on_side(side: Side, spot: Array) -> Array:
    """A sheet point (2,), or the nearest that is well inside the side: beside its border a side that does
    not come round may not be defined."""
    if side.period is not None or shapely.intersects_xy(side.domain, *spot):
        return spot
    border = shapely.shortest_line(side.domain, shapely.Point(spot))
    near = shapely.get_coordinates(border)[0]
    middle = shapely.get_coordinates(side.domain.centroid)[0]
    return np.asarray(near + INWARDS * (middle - near))
