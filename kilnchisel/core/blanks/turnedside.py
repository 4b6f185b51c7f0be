"""A side of any turned body: its sheet runs round by arc length and along the profile by arc length.

Round, u is true at the profile's reference radius; elsewhere letters are stretched by radius over
reference, which is what ``stretch`` tells. Along the profile v is true everywhere.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import ClearZone

Array = NDArray[Any]

GRID = (96, 33)  # points round and along at which a ray is first looked for
NEWTON = 6


@dataclass(frozen=True, eq=False)
class Profile:
    """A smooth run of a section, from low v to high v.

    along (n,) ascending mm, reference v; radius, height (n,) mm; normal (n, 2) as (r, z), unit, away
    from the material.
    """

    along: Array
    radius: Array
    height: Array
    normal: Array

    @cached_property
    def reference_mm(self) -> float:
        """The radius at v = 0."""
        return float(self.at(np.zeros(1))[0][0])

    def at(self, v: Array) -> tuple[Array, Array, Array, Array]:
        """Radius, height and both parts of the normal at each v."""
        normal = np.stack([np.interp(v, self.along, self.normal[:, i]) for i in range(2)], axis=-1)
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        return (
            np.interp(v, self.along, self.radius),
            np.interp(v, self.along, self.height),
            normal[..., 0],
            normal[..., 1],
        )


def profile_of(points: Array, normals: Array) -> Profile:
    """The profile through points (n, 2) as (r, z); v = 0 is half way along."""
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    return Profile(run - run[-1] / 2, points[:, 0], points[:, 1], normals)


@dataclass(frozen=True, eq=False)
class Turned:
    """A side turned about the z axis; u = 0 faces the front, v = 0 is the profile's reference.

    ``inside``: it is read from inside, so u runs the other way round.
    """

    name: str
    domain: shapely.Polygon
    profile: Profile
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    inside: bool = False

    @property
    def reference_mm(self) -> float:
        """The radius at which u is true."""
        return self.profile.reference_mm

    @property
    def period(self) -> float | None:
        return 2 * np.pi * self.reference_mm

    @cached_property
    def taper(self) -> float | None:
        """The sine of a cone's half angle, below zero where it narrows upward; None for no cone."""
        p = self.profile
        if len(p.along) != 2 or self.inside:
            return None
        sine = float((p.radius[-1] - p.radius[0]) / (p.along[-1] - p.along[0]))
        return sine if abs(sine) > 1e-6 else None

    def _angle(self, u: Array) -> Array:
        return np.asarray(-u / self.reference_mm if self.inside else u / self.reference_mm)

    def to_body(self, uv: Array, height: Array) -> Array:
        angle = self._angle(uv[:, 0])
        r, z, nr, nz = self.profile.at(uv[:, 1])
        h = np.asarray(height)
        out = r + h * nr
        return np.stack([out * np.sin(angle), -out * np.cos(angle), z + h * nz], axis=1)

    def frames(self, uv: Array) -> Array:
        angle = self._angle(uv[:, 0])
        s, c, o = np.sin(angle), np.cos(angle), np.zeros(len(uv))
        _, _, nr, nz = self.profile.at(uv[:, 1])
        sign = -1.0 if self.inside else 1.0
        # outside, the profile's direction is the normal turned left: (dr, dz) = (-nz, nr)
        dr, dz = -sign * nz, sign * nr
        return np.stack(
            [
                np.stack([sign * c, sign * s, o], axis=1),
                np.stack([dr * s, -dr * c, dz], axis=1),
                np.stack([nr * s, -nr * c, nz], axis=1),
            ],
            axis=1,
        )

    def stretch(self, uv: Array) -> Array:
        r = self.profile.at(uv[:, 1])[0]
        return np.stack([r / self.reference_mm, np.ones(len(uv))], axis=1)

    def degrees(self, length_mm: float) -> float | None:
        return float(np.degrees(length_mm / self.reference_mm))

    @cached_property
    def _lattice(self) -> tuple[Array, Array]:
        """Corners of a coarse mesh of the side: sheet (k, 3, 2) and body (k, 3, 3)."""
        low_u, low_v, high_u, high_v = self.domain.bounds
        u = np.linspace(low_u, high_u, GRID[0] + 1)
        v = np.linspace(low_v, high_v, GRID[1])
        uv = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
        index = np.arange(len(uv)).reshape(len(v), len(u))
        a, b = index[:-1, :-1].ravel(), index[:-1, 1:].ravel()
        c, d = index[1:, 1:].ravel(), index[1:, :-1].ravel()
        faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
        return uv[faces], self.to_body(uv, np.zeros(len(uv)))[faces]

    def meet(self, origins: Array, directions: Array) -> Array:
        found = np.full((len(origins), 2), np.nan)
        for number, (origin, way) in enumerate(zip(origins, directions, strict=True)):
            start = self._first_hit(origin, way)
            if start is not None:
                found[number] = self._refined(start, origin, way)
        return found

    def _first_hit(self, origin: Array, way: Array) -> Array | None:
        """Where a ray meets the coarse mesh from outside (Möller and Trumbore's test)."""
        sheet, body = self._lattice
        a, b, c = body[:, 0], body[:, 1], body[:, 2]
        e1, e2 = b - a, c - a
        p = np.cross(way, e2)
        det = np.einsum("ij,ij->i", e1, p)
        with np.errstate(divide="ignore", invalid="ignore"):
            s = origin - a
            x = np.einsum("ij,ij->i", s, p) / det
            q = np.cross(s, e1)
            y = (q @ way) / det
            t = np.einsum("ij,ij->i", e2, q) / det
        seen = (det > 1e-12) & (x >= -1e-6) & (y >= -1e-6) & (x + y <= 1 + 1e-6) & (t > 0)
        if not seen.any():
            return None
        k = np.flatnonzero(seen)[np.argmin(t[seen])]
        w = np.array([1 - x[k] - y[k], x[k], y[k]])
        return np.asarray(w @ sheet[k])

    def _refined(self, uv: Array, origin: Array, way: Array) -> Array:
        """The exact place by Newton steps in the tangent plane."""
        low, high = self.domain.bounds[1], self.domain.bounds[3]
        for _ in range(NEWTON):
            at = uv[None]
            point, frame = self.to_body(at, np.zeros(1))[0], self.frames(at)[0]
            facing = float(frame[2] @ way)
            if abs(facing) < 1e-9:
                return uv
            t = float((point - origin) @ frame[2]) / facing
            off = origin + t * way - point
            scale = float(self.stretch(at)[0, 0])
            uv = uv + np.array([off @ frame[0] / scale, off @ frame[1]])
            uv[1] = np.clip(uv[1], low, high)
        return uv
