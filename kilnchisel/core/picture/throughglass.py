"""What is seen through clear glass, for a draft at rest: each pixel's way through the piece, bent at every
wall, to what is behind. Mirror images inside the glass are followed where no light gets out; the faint
ones are not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import GLASS_IOR, GLASS_KEEPS, POLISHED
from kilnchisel.core.picture.gather import Gathered, keyed, tracer_of
from kilnchisel.core.picture.mirrors import Glossy, around_of, together
from kilnchisel.core.picture.rays import (
    NOWHERE,
    beyond,
    compiled,
    dot,
    normal_at,
    panel_share,
    way_to_ground,
)
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

WALLS = 8  # that a way meets at most
LIFT = 2e-5  # of the radius of the piece, off a wall


@dataclass(frozen=True, eq=False)
class Walls:
    """All triangles of a scene's items: normals (m, 3, 3) of their corners; glass (m,): whether they are
    of glass; tint (m, 3): what that keeps at a wall, or the reflectance of what is no glass."""

    normals: Array
    glass: Array
    tint: Array
    tracer: Any


def walls_of(scene: Scene) -> Walls:
    """The triangles of a scene, as its pictures show them."""
    turn, shift = scene.stance[:3, :3], scene.stance[:3, 3]
    parts, normals, glass, tint = [], [], [], []
    for item in scene.items:
        mesh, material = item.mesh, item.material
        parts.append((mesh.points @ turn.T + shift, mesh.faces))
        normals.append((mesh.normals @ turn.T)[mesh.faces].astype(np.float32))
        clear = material.kind == "glass"
        glass.append(np.full(len(mesh.faces), clear))
        own = np.asarray(material.base) ** GLASS_KEEPS if clear else material.albedo
        tint.append(np.broadcast_to(own, (len(mesh.faces), 3)))
    return Walls(np.concatenate(normals), np.concatenate(glass), np.concatenate(tint), tracer_of(parts))


def seen_through(scene: Scene, gathered: Gathered, walls: Walls, room: Array, panes: Glossy) -> Array:
    """What is seen through the glass at each pixel, without what its face mirrors, and 1: (n, 4).
    ``panes``: the pixels of glass; ``room`` as ``mirrors.mirrored`` takes it."""
    count = len(panes.points)
    lift = LIFT * scene.radius_mm
    at, way = panes.points.astype(np.float32), -panes.eyes.astype(np.float32)
    kept, seen = np.ones((count, 3)), np.zeros((count, 3))
    inside, alive = np.zeros(count, np.bool_), np.ones(count, np.bool_)
    at -= np.float32(4 * lift) * way  # so that the wall that is looked at is the first one met
    around = around_of(scene, gathered, room)
    ended = np.full(count, NOWHERE, np.int32)  # on which triangle that is no glass
    for _ in range(WALLS):
        rows = np.flatnonzero(alive)
        if not len(rows):
            break
        met = walls.tracer.run(at[rows], way[rows], output=True)
        _bend(
            rows,
            at,
            way,
            kept,
            seen,
            inside,
            alive,
            ended,
            met["tfar"],
            met["primID"],
            met["u"],
            met["v"],
            walls.normals,
            walls.glass,
            walls.tint,
            *around,
            lift,
        )
    if alive.any():  # caught within for long: as light as the room in the mean
        seen[alive] += kept[alive] * room[-1, ..., :3].mean(axis=(0, 1))
    solid = np.flatnonzero(ended >= 0)
    if len(solid):
        light = (gathered.light + gathered.key)[: gathered.hits.pieces]
        near = gathered.hits.tree.query(keyed(at[solid], -way[solid]), workers=-1)[1]
        seen[solid] += kept[solid] * walls.tint[ended[solid]] * light[near]
    # what bends strongly is one of few ways out of many
    return together(panes, np.column_stack([seen, np.ones(count)]), 1)


@compiled
def _bend(
    rows: Array,
    at: Array,
    way: Array,
    kept: Array,
    seen: Array,
    inside: Array,
    alive: Array,
    ended: Array,
    far: Array,
    face: Array,
    u: Array,
    v: Array,
    normals: Array,
    glass: Array,
    tint: Array,
    ground: Array,
    frame: Array,
    half: float,
    room: Array,
    panel: Array,
    lift: float,
) -> None:
    """One wall on the way of each ray in ``rows``: Snell's law, and Fresnel's for what gets through."""
    n, found = np.zeros(3), np.zeros(3)
    for j in range(len(rows)):
        i, one = rows[j], face[j]
        to_ground = way_to_ground(frame, at[i], way[i], 8 * lift)
        # from within glass its own walls come first, though its foot stands on the ground
        if one < 0 or (to_ground < far[j] and not inside[i]):
            alive[i] = False
            beyond(room, ground, frame, half, at[i], way[i], to_ground, POLISHED, found)
            lit = panel_share(panel, at[i], way[i], POLISHED)
            for k in range(3):
                seen[i, k] += kept[i, k] * (found[k] + lit * panel[5, k])
            continue
        normal_at(normals, one, u[j], v[j], n)
        c = dot(n, way[i])
        if not glass[one]:
            alive[i] = False
            ended[i] = one
            for k in range(3):
                at[i, k] += far[j] * way[i, k]
            continue
        side = 1.0 if c < 0 else -1.0  # towards where the ray comes from
        for k in range(3):
            n[k] *= side
        c = abs(c)
        ratio = GLASS_IOR if inside[i] else 1 / GLASS_IOR  # of the sines, out over in
        out2 = 1 - ratio * ratio * (1 - c * c)
        for k in range(3):
            at[i, k] += far[j] * way[i, k]
        if out2 <= 0:  # all of it is mirrored
            for k in range(3):
                way[i, k] += 2 * c * n[k]
                at[i, k] += lift * n[k]
            continue
        out = np.sqrt(out2)
        across, along = (ratio * c - out) / (ratio * c + out), (c - ratio * out) / (c + ratio * out)
        through = 1 - (across * across + along * along) / 2
        for k in range(3):
            way[i, k] = ratio * way[i, k] + (ratio * c - out) * n[k]
            at[i, k] -= lift * n[k]
            # the face that is looked at mirrors what who draws it adds
            kept[i, k] *= tint[one, k] * through
        inside[i] = not inside[i]
