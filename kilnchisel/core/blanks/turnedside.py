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

from kilnchisel.core.blanks.meeting import Triangles, lattice_of, meet_surface
from kilnchisel.core.blanks.sides import ClearZone

Array = NDArray[Any]

GRID = (96, 33)  # points round and along at which a ray is first looked for


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

    ``inside``: it is read from inside, so u runs the other way round. ``turn``: radians from the front
    to where u = 0 is, for bodies whose front is taken up.
    """

    name: str
    domain: shapely.Polygon
    profile: Profile
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    inside: bool = False
    turn: float = 0.0

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
        return np.asarray((-u if self.inside else u) / self.reference_mm + self.turn)

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

    def jacobian(self, uv: Array) -> Array:
        steps = np.tile(np.eye(2), (len(uv), 1, 1))
        steps[:, 0, 0] = self.profile.at(uv[:, 1])[0] / self.reference_mm
        return steps

    def degrees(self, length_mm: float) -> float | None:
        return float(np.degrees(length_mm / self.reference_mm))

    def true_at(self, spot: Array) -> Array:
        return np.asarray(self.jacobian(spot[None])[0])

    @cached_property
    def _lattice(self) -> Triangles:
        low_u, low_v, high_u, high_v = self.domain.bounds
        u, v = np.linspace(low_u, high_u, GRID[0] + 1), np.linspace(low_v, high_v, GRID[1])
        return lattice_of(self, u, v)

    def meet(self, origins: Array, directions: Array) -> Array:
        return meet_surface(self, self._lattice, origins, directions)
