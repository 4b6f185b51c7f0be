"""What a piece mirrors: the room above the ground, and the ground's own light below it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import COAT_SHINE
from kilnchisel.core.scene.light import directions_of, solid_angles
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

HEIGHT, WIDTH = 128, 256


def surround(scene: Scene) -> Array:
    """Radiance from all round as seen near the piece, (HEIGHT, WIDTH, 3), unturned.

    Directions below the ground carry what the open ground sends back.
    """
    directions = directions_of(HEIGHT, WIDTH)
    seen = scene.draft_room.seen(directions)
    if scene.base is not None:
        below = np.clip(-(directions @ scene.base.normal) * 12, 0, 1)[:, None]
        seen = seen * (1 - below) + (ground_radiance(scene) + _ground_mirror(scene, directions)) * below
    return seen.reshape(HEIGHT, WIDTH, 3).astype(np.float32)


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
        under = scene.middle - 2 * ((scene.middle - base.point) @ base.normal) * base.normal
        sent, cover = scene.panel.seen(under, mirrored)
        seen = seen * (1 - cover[:, None]) + sent
    # Schlick's approximation; what is dull mirrors less at a glance than a polished face
    share = COAT_SHINE + (1 - COAT_SHINE) * (1 - down) ** 5 * (1 - base.material.alpha) ** 2
    return np.asarray(share[:, None] * seen)


def open_light(scene: Scene, normals: Array) -> Array:
    """Irradiance / pi of the room on open surfaces: unit normals (..., 3) -> (..., 3)."""
    directions = directions_of(64, 128)
    weight = solid_angles(64, 128)
    if scene.base is not None:
        weight = weight * (directions @ scene.base.normal > 0)
    sent = scene.draft_room.seen(directions) * weight[:, None] / np.pi
    return np.asarray(np.clip(normals @ directions.T, 0, None) @ sent)


def panel_on(scene: Scene, point: Array, normal: Array) -> Array:
    """Irradiance / pi of the panel at an open point, (3,)."""
    panel = scene.panel
    if panel is None:
        return np.zeros(3)
    way = panel.middle - point
    far = float(np.linalg.norm(way))
    facing = max(float(way @ normal) / far, 0) * max(-float(way @ panel.facing) / far, 0)
    return panel.radiance * (facing * panel.area / far**2 / np.pi)


def ground_radiance(scene: Scene) -> Array:
    """What the open ground near the piece sends back, (3,)."""
    assert scene.base is not None
    normal = scene.base.normal
    arriving = open_light(scene, normal) + panel_on(scene, scene.base.point, normal)
    return arriving * scene.base.material.albedo
