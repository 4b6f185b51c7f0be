"""What glossy surfaces mirror of the piece itself and of the ground about it, for a draft at rest.

A picture taken all round the piece cannot know them. From each glossy pixel some rays go out as its
roughness throws them; where they meet the piece or the ground they bring back the light that was gathered
there, from metal what that metal mirrors in turn.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.coarse import sampled
from kilnchisel.core.later import spatial
from kilnchisel.core.picture.gather import (
    GROUND_CELLS,
    SLOTS,
    Gathered,
    Hits,
    Part,
    lets_through,
    materials_of,
    row_of,
    tracer_of,
)
from kilnchisel.core.picture.rays import BOUNCES, NOWHERE, RAYS, alone, follow, lobes, near_ball, smoothed
from kilnchisel.core.picture.surround import open_light
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

SPREAD = 4  # pixels each way that are taken together
AT_ONCE = 12_000  # pixels: more would want much memory
SHARPER = 0.2  # a ray of many stands for so much of the roughness that throws them


@dataclass(frozen=True, eq=False)
class Glossy:
    """The pixels that mirror. points, normals, grains (across the grain), eyes (towards the eye): (n, 3)
    in the scene; alpha, across (n,): roughness along and across the grain; pixel (n, 2): row, column;
    item (n,): what they belong to; footprint_mm (n,): how large the pixel is there."""

    points: Array
    normals: Array
    grains: Array
    eyes: Array
    alpha: Array
    across: Array
    pixel: Array
    item: Array
    footprint_mm: Array


@dataclass(frozen=True, eq=False)
class Facets:
    """A coarse body's triangles in the scene: normals (m, 3, 3) of their corners, the gathering points
    next to those (m, 3), and the slot of each (m,)."""

    tracer: Any
    normals: Array
    index: Array
    slot: Array


def facets_of(body: Body, stance: Array, hits: Hits) -> Facets:
    """The triangles of a body that light was gathered for."""
    turn, shift = stance[:3, :3], stance[:3, 3]
    parts: list[Part] = []
    corners, normals, slots = [], [], []
    for shell in body.shells:
        mesh = shell.mesh
        points = mesh.points @ turn.T + shift
        parts.append((points, mesh.faces))
        corners.append(points[mesh.faces])
        normals.append(mesh.normals[mesh.faces])
        slots.append(np.full(len(mesh.faces), row_of(shell)))
    for sheet in body.sheets:
        points, out, triangles, _ = sampled(sheet)
        nearest = spatial.cKDTree(points).query(triangles.reshape(-1, 3))[1]
        corners.append(triangles @ turn.T + shift)
        parts.append((corners[-1].reshape(-1, 3), None))
        normals.append(out[nearest].reshape(-1, 3, 3))
        slots.append(np.full(len(triangles), SLOTS[sheet.slot]))
    at, out = np.concatenate(corners), np.concatenate(normals) @ turn.T
    index = hits.seen.near(at.reshape(-1, 3), out.reshape(-1, 3))[1]
    return Facets(tracer_of(parts), out, index.reshape(-1, 3), np.concatenate(slots))


def mirrored(scene: Scene, gathered: Gathered, facets: Facets, room: Array, glossy: Glossy) -> Array:
    """What each pixel mirrors besides the room, and the share of its rays that do not meet the piece:
    (n, 4). What is mirrored in all is that share of the room as a round lobe shows it (``rays.alone``), and
    this, which may be below zero; but for the strongest light, which is left to who draws the pixel.
    ``room``: layers from polished to dull, (layers, h, w, 3 or more)."""
    around = around_of(scene, gathered, room)
    count = -(-len(glossy.points) // AT_ONCE)
    parts = [_some(glossy, part) for part in np.array_split(np.arange(len(glossy.points)), count)]
    with ThreadPoolExecutor(2) as pool:  # what is compiled lets others run beside it
        back = list(pool.map(lambda part: _brought_back(scene, gathered, facets, around, part), parts))
    return together(glossy, np.concatenate(back), SPREAD // 2)


def _some(glossy: Glossy, which: Array) -> Glossy:
    return Glossy(*(getattr(glossy, one.name)[which] for one in fields(Glossy)))


def _brought_back(
    scene: Scene, gathered: Gathered, facets: Facets, around: Around, glossy: Glossy
) -> Array:
    """What the rays of each pixel bring back, less their share of the room, and that share: (n, 4)."""
    ways, weights = lobes(
        glossy.points,
        glossy.normals,
        glossy.grains,
        glossy.eyes,
        glossy.alpha,
        glossy.across,
        _turns(glossy.pixel),
    )
    lift = 1.5 * gathered.hits.lift_mm
    start = np.repeat((glossy.points + lift * glossy.normals).astype(np.float32), RAYS, axis=0)
    rough = np.repeat((np.sqrt(glossy.alpha * glossy.across) * SHARPER).astype(np.float32), RAYS)
    rays = len(start)
    thrown, back = np.ones((rays, 3), np.float32), np.zeros((rays, 3), np.float32)
    open_ = np.zeros(rays, np.float32)
    alive = np.ones(rays, dtype=np.bool_)
    slots = materials_of(scene)
    metal = np.array([material.kind == "metal" for material in slots])
    dull = np.array([material.mean_alpha for material in slots])
    tone = np.stack([material.albedo for material in slots])
    light = (gathered.light + gathered.key)[: gathered.hits.pieces]
    for bounce in range(BOUNCES):
        cast = np.flatnonzero(near_ball(start, ways, alive, scene.middle, scene.radius_mm * 1.02))
        far, face = np.zeros(rays, np.float32), np.full(rays, NOWHERE, np.int32)
        u, v = np.zeros(rays, np.float32), np.zeros(rays, np.float32)
        if len(cast):
            met = facets.tracer.run(start[cast], ways[cast], output=True)
            far[cast], face[cast], u[cast], v[cast] = (met[key] for key in ("tfar", "primID", "u", "v"))
        follow(
            bounce,
            start,
            ways,
            rough,
            thrown,
            back,
            open_,
            alive,
            far,
            face,
            u,
            v,
            facets.normals,
            facets.index,
            facets.slot,
            metal,
            dull,
            tone,
            light,
            gathered.light,
            *around,
            lift,
        )
        if not alive.any():
            break
    share = weights / np.maximum(weights.sum(axis=1, keepdims=True), 1e-9)
    own = np.empty((len(share), 4))
    own[:, 3] = np.einsum("nk,nk->n", share, open_.reshape(-1, RAYS))
    bare = alone(glossy.normals, glossy.eyes, np.sqrt(glossy.alpha * glossy.across), around.room)
    own[:, :3] = np.einsum("nk,nkc->nc", share, back.reshape(-1, RAYS, 3)) - own[:, 3:] * bare
    return own


def _turns(pixel: Array) -> Array:
    """By how much the rays of a pixel are turned against those of its neighbours, (n, 2): all of a square
    of SPREAD x SPREAD pixels differ."""
    place = (pixel[:, 0] % SPREAD) * SPREAD + pixel[:, 1] % SPREAD
    return np.stack([place / SPREAD**2, (place * 0.7548776662466927) % 1.0], axis=1)


class Around(NamedTuple):
    """What is about a piece, in the order in which the compiled part takes it. ground (cells, cells, 3):
    how the ground differs from open ground; frame (4, 3): along, across, normal and middle of its grid;
    half_mm: half its width; room: layers from polished to dull; panel (6, 3): the strongest light."""

    ground: Array
    frame: Array
    half_mm: float
    room: Array
    panel: Array


def around_of(scene: Scene, gathered: Gathered, room: Array) -> Around:
    """What is about a scene's piece, once for all rays of a picture."""
    hits = gathered.hits
    frame = np.stack([*hits.ground_axes, hits.ground_middle])
    return Around(_ground_differs(scene, gathered), frame, hits.ground_half_mm, room, _panel_rows(scene))


def _ground_differs(scene: Scene, gathered: Gathered) -> Array:
    """How much more or less than open ground each cell of the ground sends back, (cells, cells, 3)."""
    base = scene.base
    assert base is not None
    here = (gathered.light + gathered.key)[gathered.hits.pieces :]
    open_ = open_light(scene, base.normal)
    if scene.panel is not None:
        open_ = open_ + scene.panel.on(base.point, base.normal)
    differs = (1 - lets_through(scene)) * (here - open_) * base.material.albedo
    return np.ascontiguousarray(differs.reshape(GROUND_CELLS, GROUND_CELLS, 3))


def _panel_rows(scene: Scene) -> Array:
    """The strongest light for the compiled part: middle, facing, side, up, half, radiance: (6, 3); its
    radiance is nothing where there is none."""
    rows = np.zeros((6, 3))
    if (panel := scene.panel) is not None:
        rows[:4] = panel.middle, panel.facing, *panel.edges
        rows[4, :2], rows[5] = panel.half, panel.radiance
    return rows


def together(glossy: Glossy, own: Array, reach: int) -> Array:
    """The values (n, 4) of pixels and of their neighbours on the same surface as one; ``reach``: so many
    each way."""
    rows, columns = glossy.pixel.max(axis=0) + 1
    number = np.full((rows, columns), NOWHERE, dtype=np.int32)
    number[glossy.pixel[:, 0], glossy.pixel[:, 1]] = np.arange(len(own))
    like = glossy.pixel, glossy.item, glossy.normals, glossy.points, glossy.footprint_mm
    return np.asarray(smoothed(own, number, *like, reach))
