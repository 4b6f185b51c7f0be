"""A side of any smooth shape, given by a function from the sheet to the body."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.meeting import Triangles, meet_surface, triangles_of
from kilnchisel.core.blanks.mesh import unit
from kilnchisel.core.blanks.net import Net
from kilnchisel.core.blanks.sides import ClearZone

Array = NDArray[Any]

STEP = 1e-4  # of the side's size, for slopes by central differences


@dataclass(frozen=True, eq=False)
class Surface:
    """A curved side. ``place``: (n, 2) sheet mm -> (n, 3) body mm, smooth, u to the reader's right.

    ``net``: triangles over the sheet that follow the shape closely enough. ``round_mm``: the radius
    that a length along u goes round, on a side that closes or bends evenly; None elsewhere.
    """

    name: str
    domain: shapely.Polygon
    place: Callable[[Array], Array]
    net: Net
    wall_mm: float
    clear: tuple[ClearZone, ...] = ()
    period: float | None = None
    round_mm: float | None = None
    taper: float | None = None

    @cached_property
    def _step(self) -> float:
        low_u, low_v, high_u, high_v = self.domain.bounds
        return float(STEP * min(high_u - low_u, high_v - low_v))

    def _slopes(self, uv: Array) -> tuple[Array, Array]:
        """The steps on the body for a step along u and along v, (n, 3) each."""
        return self._by_steps(self.place(self._about(uv)))

    def _about(self, uv: Array) -> Array:
        """A step to the right, left, above and below of places on the sheet, (n, 2) -> (4 n, 2)."""
        du, dv = np.array([self._step, 0.0]), np.array([0.0, self._step])
        return np.concatenate([uv + du, uv - du, uv + dv, uv - dv])

    def _by_steps(self, points: Array) -> tuple[Array, Array]:
        """The slopes by the points that those become, (4 n, 3)."""
        right, left, above, below = np.split(points, 4)
        return (right - left) / (2 * self._step), (above - below) / (2 * self._step)

    def _normal(self, uv: Array) -> Array:
        along, up = self._slopes(uv)
        return unit(np.cross(along, up))

    def to_body(self, uv: Array, height: Array) -> Array:
        points = self.place(uv)
        height = np.asarray(height)
        if not height.any():
            return np.asarray(points)
        return np.asarray(points + height[:, None] * self._normal(uv))

    def frames(self, uv: Array) -> Array:
        return _frames(*self._slopes(uv))

    def jacobian(self, uv: Array) -> Array:
        along, up = self._slopes(uv)
        frame = _frames(along, up)[:, :2]
        return np.asarray(np.einsum("nij,njk->nik", frame, np.stack([along, up], axis=2)))

    def true_at(self, spot: Array) -> Array:
        return np.asarray(self.jacobian(spot[None])[0])

    @cached_property
    def _triangles(self) -> Triangles:
        return triangles_of(self, self.net.points, self.net.faces)

    def meet(self, origins: Array, directions: Array) -> Array:
        return meet_surface(self, self._triangles, origins, directions, self._tangents)

    def _tangents(self, uv: Array) -> tuple[Array, Array]:
        at = uv[None]
        points = self.place(np.concatenate([at, self._about(at)]))
        return points[0], np.concatenate(self._by_steps(points[1:])).T

    def degrees(self, length_mm: float) -> float | None:
        return None if self.round_mm is None else float(np.degrees(length_mm / self.round_mm))


def _frames(along: Array, up: Array) -> Array:
    """Unit vectors along, up and out, (n, 3, 3), from the slopes."""
    out, along = unit(np.cross(along, up)), unit(along)
    return np.stack([along, np.cross(out, along), out], axis=1)
