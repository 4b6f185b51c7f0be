"""What is seen through clear glass, for a draft at rest: each pixel's way through the piece, bent at every
wall, to what is behind. Mirror images inside the glass are followed where no light gets out; the faint
ones are not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import GLASS_KEEPS, POLISHED, texture_uv
from kilnchisel.core.picture.gather import Gathered, tracer_of
from kilnchisel.core.picture.mirrors import Glossy, around_of, together
from kilnchisel.core.picture.rays import (
    FAR,
    NOWHERE,
    beyond,
    compiled,
    dot,
    normal_at,
    panel_share,
    way_to_ground,
)
from kilnchisel.core.scene.light import look_up
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

WALLS = 8  # that a way meets at most
CAUGHT = 0.25  # of the room's mean light, as the mockup has it: most such ways come to where it stands
NEAR = 4.0  # radii of the piece from its foot: so far the grain of the ground is seen
GROUND, OPEN = -2, -3  # where a way ends: on the ground, at what is behind all
LIFT = 2e-5  # of the radius of the piece, off a wall


@dataclass(frozen=True, eq=False)
class Walls:
    """All triangles of a scene's items: normals (m, 3, 3) of their corners; glass (m,): whether they are
    of glass; tint (m, 3): what that keeps at a wall, or the reflectance of what is no glass; bends (m,):
    how much slower light is behind it than before it, where the wall of a vessel is wet that is water."""

    normals: Array
    glass: Array
    tint: Array
    bends: Array
    tracer: Any


def walls_of(scene: Scene) -> Walls:
    """The triangles of a scene, as its pictures show them."""
    turn, shift = scene.stance[:3, :3], scene.stance[:3, 3]
    parts, normals, glass, tint, bends = [], [], [], [], []
    for item in scene.items:
        mesh, material = item.mesh, item.material
        parts.append((mesh.points @ turn.T + shift, mesh.faces))
        normals.append((mesh.normals @ turn.T)[mesh.faces].astype(np.float32))
        clear = material.kind == "glass"
        glass.append(np.full(len(mesh.faces), clear))
        own = np.asarray(material.base) ** GLASS_KEEPS if clear else material.albedo
        tint.append(np.broadcast_to(own, (len(mesh.faces), 3)))
        bends.append(np.full(len(mesh.faces), material.ior / material.before_ior))
    corners, clear_, kept, slower = map(np.concatenate, (normals, glass, tint, bends))
    return Walls(corners, clear_, kept, slower, tracer_of(parts))


def seen_through(
    scene: Scene, view: View, gathered: Gathered, walls: Walls, room: Array, panes: Glossy
) -> Array:
    """What is seen through the glass at each pixel, without what its face mirrors, and 1: (n, 4).
    ``panes``: the pixels of glass; ``room`` as ``mirrors.mirrored`` takes it."""
    count = len(panes.points)
    lift = LIFT * scene.radius_mm
    at, way = panes.points.astype(np.float32), -panes.eyes.astype(np.float32)
    kept, seen = np.ones((count, 3)), np.zeros((count, 3))
    inside, alive = np.zeros(count, np.bool_), np.ones(count, np.bool_)
    at -= np.float32(4 * lift) * way  # so that the wall that is looked at is the first one met
    around = around_of(scene, gathered, room)
    risen = scene.base is not None and scene.base.sweep is not None  # the room has it painted in
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
            walls.bends,
            *around,
            lift,
            int(risen),
        )
    if alive.any():  # caught within for long
        seen[alive] += CAUGHT * kept[alive] * room[-1, ..., :3].mean(axis=(0, 1))
    on_ground = np.flatnonzero(ended == GROUND)
    seen[on_ground] *= _texture(scene, at[on_ground])
    # beyond the edge of a table, and above the ground: what is behind the piece
    off = on_ground[_beside_table(scene, at[on_ground])]
    seen[off] = 0.0
    open_ = np.concatenate([off, np.flatnonzero(ended == OPEN)])
    behind = look_up(scene.backdrop.seen(view), way[open_], scene.backdrop.turn)
    seen[open_] += kept[open_] * behind
    solid = np.flatnonzero(ended >= 0)
    if len(solid):
        light = (gathered.light + gathered.key)[: gathered.hits.pieces]
        near = gathered.hits.seen.near(at[solid], -way[solid])[1]
        seen[solid] += kept[solid] * walls.tint[ended[solid]] * light[near]
    # what bends strongly is one of few ways out of many
    return together(panes, np.column_stack([seen, np.ones(count)]), 1)


def _beside_table(scene: Scene, points: Array) -> Array:
    """Which points of the ground's plane are none of a table's top, (n,)."""
    base = scene.base
    assert base is not None
    if base.table is None:
        return np.zeros(len(points), dtype=bool)
    half, front, back = base.table
    x, y = base.sheet_at(points).T
    return np.asarray((np.abs(x) > half) | (y < -front) | (y > back))


def _texture(scene: Scene, points: Array) -> Array:
    """How much more or less than in the mean the ground's texture sends back at points of it, (n, 3); far
    from the piece it is too small to be seen one by one."""
    base = scene.base
    assert base is not None
    texture = base.material.texture
    if texture is None or not len(points):
        return np.ones((len(points), 3))
    rows, columns = texture.tint.shape[:2]
    x, y = (texture_uv(base.sheet_at(points), base.material) * (columns, rows)).T
    column, row = (np.floor(one).astype(np.int64) for one in (x, y))
    tint = texture.tint[row % rows, column % columns].astype(float) / np.maximum(texture.mean_tint, 1e-6)
    near = np.clip(2 - np.linalg.norm(points - base.point, axis=1) / (NEAR * scene.radius_mm), 0, 1)
    return np.asarray(1 + near[:, None] * (tint - 1))


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
    bends: Array,
    ground: Array,
    frame: Array,
    half: float,
    room: Array,
    panel: Array,
    lift: float,
    risen: int,
) -> None:
    """One wall on the way of each ray in ``rows``: Snell's law, and Fresnel's for what gets through."""
    n, found = np.zeros(3), np.zeros(3)
    for j in range(len(rows)):
        i, one = rows[j], face[j]
        to_ground = way_to_ground(frame, at[i], way[i], 8 * lift)
        # from within glass its own walls come first, though its foot stands on the ground
        if one < 0 or (to_ground < far[j] and not inside[i]):
            alive[i] = False
            lit = panel_share(panel, at[i], way[i], POLISHED)
            ended[i] = NOWHERE if risen > 0 else OPEN
            found[:] = 0.0
            if risen > 0 or to_ground < FAR:
                beyond(room, ground, frame, half, at[i], way[i], to_ground, POLISHED, found)
            if to_ground < FAR:
                ended[i] = GROUND
                for k in range(3):
                    at[i, k] += to_ground * way[i, k]
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
        ratio = bends[one] if side < 0 else 1 / bends[one]  # of the sines, out over in
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
        inside[i] = side > 0
