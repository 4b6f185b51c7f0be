"""Tubes that do not shine alike all along: a scene with their glass in stretches, each as bright as that
is."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import spatial
from kilnchisel.core.motion.tracks import Along
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.scene import Lamps, Scene

Array = NDArray[Any]

PIECES = 48  # of a tube, each as bright as its middle
LEVELS = 32  # of brightness that glass is parted into
LEAST = 0.004  # of its brightness: glass that is off is grey


def graded(scene: Scene, along: Along) -> Scene:
    """The scene with its lit tubes at shares of their brightness."""
    if scene.lamps is None:
        return scene
    lamps = _finely(scene.lamps)
    middles = lamps.along.mean(axis=1)
    share = np.ones(len(middles))
    for number in np.unique(lamps.lettering):
        mine = lamps.lettering == number
        share[mine] = along(int(number), middles[mine])
    if (share == 1).all():
        return scene
    shown = replace(lamps, radiance=lamps.radiance * share[:, None])
    tree = spatial.cKDTree((lamps.start + lamps.end) / 2)
    items = [part for item in scene.items for part in _parts(item, scene.stance, lamps, share, tree)]
    return replace(scene, items=tuple(items), lamps=shown)


def _finely(lamps: Lamps) -> Lamps:
    """The same in pieces of which none is a large part of its tube."""
    parts = np.maximum(np.ceil(np.abs(np.diff(lamps.along, axis=1)[:, 0]) * PIECES), 1).astype(int)
    whose = np.repeat(np.arange(len(parts)), parts)
    # from which share to which of its own straight piece
    first = (np.arange(len(whose)) - np.repeat(np.cumsum(parts) - parts, parts)) / parts[whose]
    last = first + 1 / parts[whose]

    def at(start: Array, end: Array, share: Array) -> Array:
        found: Array = start[whose] + (end - start)[whose] * share.reshape(-1, *[1] * (start.ndim - 1))
        return found

    low, high = lamps.along.T
    return Lamps(
        at(lamps.start, lamps.end, first),
        at(lamps.start, lamps.end, last),
        lamps.radius[whose],
        lamps.radiance[whose],
        lamps.lettering[whose],
        np.stack([at(low, high, first), at(low, high, last)], axis=1),
    )


def _parts(item: Item, stance: Array, lamps: Lamps, share: Array, tree: Any) -> list[Item]:
    """An item, or the stretches that a shining one is parted into."""
    if not item.material.shines:
        return [item]
    mesh = item.mesh
    middles = mesh.points[mesh.faces].mean(axis=1) @ stance[:3, :3].T + stance[:3, 3]
    _, nearest = tree.query(middles)
    level = np.rint(share[nearest] * LEVELS).astype(int)
    if (level == LEVELS).all():
        return [item]
    emission = np.asarray(item.material.emission)
    found = []
    for step in np.unique(level):
        red, green, blue = (float(x) for x in emission * max(step / LEVELS, LEAST))
        material = replace(item.material, emission=(red, green, blue))
        part = mesh.of_faces(level == step)
        found.append(replace(item, name=f"{item.name} {step}", mesh=part, material=material, still=False))
    return found
