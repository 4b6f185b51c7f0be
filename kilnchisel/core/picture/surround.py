"""What a piece mirrors: the room above the ground, and the ground's own light below it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import COAT_SHINE
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.light import cosine_sum, directions_of
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.street import Street

Array = NDArray[Any]

HEIGHT, WIDTH = 128, 256
TOLD_BY = 64, 128  # rows and columns of a room by which light in the open is told


def surround(scene: Scene) -> Array:
    """Radiance from all round as seen near the piece, (HEIGHT, WIDTH, 3), unturned.

    Directions below the ground carry what the open ground sends back, those behind the piece what a sweep
    does.
    """
    directions = directions_of(HEIGHT, WIDTH)
    seen = scene.draft_room.seen(directions)
    if scene.base is not None:
        if scene.base.sweep is not None:
            behind, sent = _swept(scene, scene.base, directions)
            seen = seen * (1 - behind[:, None]) + sent * behind[:, None]
        if scene.street is not None and scene.street.tone is not None:
            behind, sent = _walled(scene, scene.street, scene.street.tone, directions)
            seen = seen * (1 - behind[:, None]) + sent * behind[:, None]
        below = np.clip(-(directions @ scene.base.normal) * 12, 0, 1)
        down = np.flatnonzero(below)  # of what is above, no ground is looked up
        sent = ground_radiance(scene) + _ground_mirror(scene, directions[down])
        share, seen = below[down, None], seen.copy()
        seen[down] = seen[down] * (1 - share) + sent * share
    return seen.reshape(HEIGHT, WIDTH, 3).astype(np.float32)


def _swept(scene: Scene, base: Base, directions: Array) -> tuple[Array, Array]:
    """How much of each direction (n, 3) the wall of a sweep covers, (n,), and what it sends back, (3,)."""
    assert base.sweep is not None
    behind, round_, high = base.sweep
    wall = Upright(base.point + (behind + round_) * base.rises, -base.rises, high, base.radius_mm)
    return wall.seen(scene, directions, base.material.albedo)


def _walled(scene: Scene, street: Street, tone: Array, directions: Array) -> tuple[Array, Array]:
    """The same of the wall along a street."""
    wall = Upright(street.wall, street.facing, street.high_mm, street.half_mm)
    return wall.seen(scene, directions, tone)


@dataclass(frozen=True, eq=False)
class Upright:
    """A wall: the middle of its foot and the way it faces, (3,); its height and half its width, mm."""

    foot: Array
    facing: Array
    high: float
    half: float

    def seen(self, scene: Scene, directions: Array, albedo: Array) -> tuple[Array, Array]:
        """How much of each direction (n, 3) from the piece it covers, (n,), and what it returns, (3,)."""
        toward = -(directions @ self.facing)
        with np.errstate(divide="ignore", invalid="ignore"):
            far = ((scene.middle - self.foot) @ self.facing / toward)[:, None]
            off = scene.middle - self.foot + far * directions
        aside = np.abs(off @ np.cross(self.facing, [0.0, 0.0, 1.0]))
        soft = 0.05 * self.high  # the edge of a wall is not told from its room in so small a picture
        cover = np.clip((self.high - off[:, 2]) / soft, 0, 1) * np.clip((self.half - aside) / soft, 0, 1)
        arriving = open_light(scene, self.facing)
        if scene.panel is not None:
            arriving = arriving + scene.panel.on(
                self.foot + np.array([0.0, 0.0, self.high / 2]), self.facing
            )
        return np.where(toward > 1e-6, cover, 0.0), arriving * albedo


def _ground_mirror(scene: Scene, directions: Array) -> Array:
    """What a glossy ground mirrors of the room and the lights towards the piece, (n, 3)."""
    base = scene.base
    assert base is not None
    if base.material.kind != "coated":
        return np.zeros((len(directions), 3))
    down = np.clip(-(directions @ base.normal), 0, 1)
    mirrored = directions + 2 * down[:, None] * base.normal
    seen = scene.draft_room.seen(mirrored)
    if scene.panel is not None:
        below = 2 * base.under(scene.middle) - scene.middle
        sent, cover = scene.panel.seen(below, mirrored)
        seen = seen * (1 - cover[:, None]) + sent
    # Schlick's approximation; what is dull mirrors less at a glance than a polished face
    share = COAT_SHINE + (1 - COAT_SHINE) * (1 - down) ** 5 * (1 - base.material.alpha) ** 2
    return np.asarray(share[:, None] * seen)


def open_light(scene: Scene, normals: Array) -> Array:
    """Irradiance / pi of the room on open surfaces: unit normals (..., 3) -> (..., 3)."""
    seen = scene.draft_room.seen(directions_of(*TOLD_BY))
    return cosine_sum(seen, normals, None if scene.base is None else scene.base.normal)


def ground_radiance(scene: Scene) -> Array:
    """What the open ground near the piece sends back, (3,)."""
    assert scene.base is not None
    base = scene.base
    arriving = open_light(scene, base.normal)
    if scene.panel is not None:
        arriving = arriving + scene.panel.on(base.point, base.normal)
    return arriving * base.material.albedo
