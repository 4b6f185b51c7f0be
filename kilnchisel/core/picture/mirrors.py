"""What glossy surfaces mirror of the piece itself and of the ground about it, for a draft at rest.

A picture taken all round the piece cannot know them. From each glossy pixel some rays go out as its
roughness throws them; where they meet the piece or the ground they bring back the light that was gathered
there, from metal what that metal mirrors in turn.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numba import njit
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.coarse import sampled
from kilnchisel.core.later import spatial
from kilnchisel.core.picture.gather import CLEAR_SHARE, GROUND_CELLS, SLOTS, Gathered, Hits, keyed
from kilnchisel.core.picture.surround import open_light
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

RAYS = 6  # from each pixel; its neighbours' are taken together with them
BOUNCES = 3
SPREAD = 4  # pixels each way that are taken together
FAR = 1e6
NOWHERE = -1
THROWN_WIDE = 1.5  # slopes, in the roughness, beyond which next to no rays are thrown
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

    corners: Array
    normals: Array
    index: Array
    slot: Array

    @cached_property
    def tracer(self) -> Any:
        scene = EmbreeScene()
        TriangleMesh(scene, self.corners.astype(np.float32))
        return scene


def facets_of(body: Body, stance: Array, hits: Hits) -> Facets:
    """The triangles of a body that light was gathered for."""
    corners, normals, slots = [], [], []
    for shell in body.shells:
        mesh = shell.mesh
        corners.append(mesh.points[mesh.faces])
        normals.append(mesh.normals[mesh.faces])
        slots.append(np.full(len(mesh.faces), SLOTS[shell.slot]))
    for sheet in body.sheets:
        points, out, triangles, _ = sampled(sheet)
        nearest = spatial.cKDTree(points).query(triangles.reshape(-1, 3))[1]
        corners.append(triangles)
        normals.append(out[nearest].reshape(-1, 3, 3))
        slots.append(np.full(len(triangles), SLOTS[sheet.slot]))
    turn, shift = stance[:3, :3], stance[:3, 3]
    at, out = np.concatenate(corners) @ turn.T + shift, np.concatenate(normals) @ turn.T
    index = hits.tree.query(keyed(at.reshape(-1, 3), out.reshape(-1, 3)), workers=-1)[1]
    return Facets(at, out, index.reshape(-1, 3), np.concatenate(slots))


def mirrored(scene: Scene, gathered: Gathered, facets: Facets, room: Array, glossy: Glossy) -> Array:
    """What each pixel mirrors besides the room, and the share of its rays that do not meet the piece:
    (n, 4). What is mirrored in all is that share of the room as a round lobe shows it (``_alone``), and
    this, which may be below zero; but for the strongest light, which is left to who draws the pixel.
    ``room``: layers from polished to dull, (layers, h, w, 3 or more)."""
    found = np.tile(np.array([0.0, 0.0, 0.0, 1.0]), (len(glossy.points), 1))
    near = np.flatnonzero(_may_meet(glossy, scene.middle, scene.radius_mm))
    if len(near):
        some = _some(glossy, near)
        _ = facets.tracer  # made once, before both want it
        parts = [_some(some, part) for part in np.array_split(np.arange(len(near)), 2)]
        with ThreadPoolExecutor(2) as pool:  # what is compiled lets others run beside it
            back = list(pool.map(lambda part: _brought_back(scene, gathered, facets, room, part), parts))
        found[near] = together(some, np.concatenate(back), SPREAD // 2)
    return found


def _some(glossy: Glossy, which: Array) -> Glossy:
    return Glossy(*(getattr(glossy, one.name)[which] for one in fields(Glossy)))


def _may_meet(glossy: Glossy, middle: Array, radius_mm: float) -> Array:
    """Whether any of a pixel's rays may come near the piece, (n,)."""
    slant = np.einsum("ij,ij->i", glossy.normals, glossy.eyes)[:, None]
    away = 2 * slant * glossy.normals - glossy.eyes
    way = middle - glossy.points
    far = np.linalg.norm(way, axis=1)
    angle = np.arccos(np.clip(np.einsum("ij,ij->i", away, way) / np.maximum(far, 1e-9), -1, 1))
    widest = np.arcsin(np.clip(radius_mm / np.maximum(far, 1e-9), 0, 1))
    spread = 2 * np.arctan(THROWN_WIDE * np.maximum(glossy.alpha, glossy.across))
    return np.asarray((far < radius_mm) | (angle < widest + spread))


def _brought_back(scene: Scene, gathered: Gathered, facets: Facets, room: Array, glossy: Glossy) -> Array:
    """What the rays of each pixel bring back, less their share of the room, and that share: (n, 4)."""
    ways, weights = _lobes(
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
    ground = ground_differs(scene, gathered)
    frame = ground_frame(gathered)
    slots = [scene.slots[slot] for slot in SLOTS]
    metal = np.array([material.kind == "metal" for material in slots])
    dull = np.array([material.mean_alpha for material in slots])
    tone = np.stack([material.albedo for material in slots])
    light = (gathered.light + gathered.key)[: gathered.hits.pieces]
    panel = panel_rows(scene)
    for bounce in range(BOUNCES):
        cast = np.flatnonzero(_near_ball(start, ways, alive, scene.middle, scene.radius_mm * 1.02))
        far, face = np.zeros(rays, np.float32), np.full(rays, NOWHERE, np.int32)
        u, v = np.zeros(rays, np.float32), np.zeros(rays, np.float32)
        if len(cast):
            met = facets.tracer.run(start[cast], ways[cast], output=True)
            far[cast], face[cast], u[cast], v[cast] = (met[key] for key in ("tfar", "primID", "u", "v"))
        _follow(
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
            ground,
            frame,
            gathered.hits.ground_half_mm,
            room,
            panel,
            lift,
        )
        if not alive.any():
            break
    share = weights / np.maximum(weights.sum(axis=1, keepdims=True), 1e-9)
    own = np.empty((len(share), 4))
    own[:, 3] = np.einsum("nk,nk->n", share, open_.reshape(-1, RAYS))
    alone = _alone(glossy.normals, glossy.eyes, np.sqrt(glossy.alpha * glossy.across), room)
    own[:, :3] = np.einsum("nk,nkc->nc", share, back.reshape(-1, RAYS, 3)) - own[:, 3:] * alone
    return own


def _turns(pixel: Array) -> Array:
    """By how much the rays of a pixel are turned against those of its neighbours, (n, 2): all of a square
    of SPREAD x SPREAD pixels differ."""
    place = (pixel[:, 0] % SPREAD) * SPREAD + pixel[:, 1] % SPREAD
    return np.stack([place / SPREAD**2, (place * 0.7548776662466927) % 1.0], axis=1)


def ground_differs(scene: Scene, gathered: Gathered) -> Array:
    """How much more or less than open ground each cell of the ground sends back, (cells, cells, 3)."""
    base = scene.base
    assert base is not None
    here = (gathered.light + gathered.key)[gathered.hits.pieces :]
    open_ = open_light(scene, base.normal)
    if scene.panel is not None:
        open_ = open_ + scene.panel.on(base.point, base.normal)
    less = 1 - CLEAR_SHARE if scene.clear else 1.0
    differs = less * (here - open_) * base.material.albedo
    return np.ascontiguousarray(differs.reshape(GROUND_CELLS, GROUND_CELLS, 3))


def ground_frame(gathered: Gathered) -> Array:
    """The ground for the compiled part: along, across, normal, the middle of its grid: (4, 3)."""
    return np.stack([*gathered.hits.ground_axes, gathered.hits.ground_middle])


def panel_rows(scene: Scene) -> Array:
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
    return np.asarray(_smoothed(own, number, *like, reach))


# a division by nothing gives infinity, not an error
compiled = njit(cache=True, fastmath=True, nogil=True, error_model="numpy")


@compiled
def _smoothed(
    own: Array,
    number: Array,
    pixel: Array,
    item: Array,
    normals: Array,
    points: Array,
    wide: Array,
    reach: int,
) -> Array:
    found = np.zeros_like(own)
    rows, columns = number.shape
    for i in range(len(own)):
        weight = 0.0
        for dy in range(-reach, reach + 1):
            y = pixel[i, 0] + dy
            if y < 0 or y >= rows:
                continue
            for dx in range(-reach, reach + 1):
                x = pixel[i, 1] + dx
                if x < 0 or x >= columns:
                    continue
                j = number[y, x]
                if j < 0 or item[j] != item[i]:
                    continue
                same, off = 0.0, 0.0
                for k in range(3):
                    same += normals[i, k] * normals[j, k]
                    off += (points[j, k] - points[i, k]) * normals[i, k]
                if same < 0.9 or abs(off) > 2 * wide[i]:
                    continue
                # the outermost count half on each side: 2 * reach pixels each way in all
                w = (0.5 if abs(dy) == reach else 1.0) * (0.5 if abs(dx) == reach else 1.0)
                for k in range(4):
                    found[i, k] += w * own[j, k]
                weight += w
        for k in range(4):
            found[i, k] /= weight
    return found


@compiled
def _lobes(
    points: Array, normals: Array, grains: Array, eyes: Array, alpha: Array, across: Array, turn: Array
) -> tuple[Array, Array]:
    """Directions (n * RAYS, 3) in which rough surfaces throw a view, and how much each counts (n, RAYS):
    GGX normals that are seen (Heitz, "Sampling the GGX Distribution of Visible Normals", JCGT 2018)."""
    count = len(points)
    ways, weights = np.empty((count * RAYS, 3), np.float32), np.zeros((count, RAYS), np.float32)
    t, b = np.zeros(3), np.zeros(3)
    for i in range(count):
        n, e = normals[i], eyes[i]
        _cross(grains[i], n, t)
        if dot(t, t) < 1e-6:
            b[:] = 0.0
            b[2 if abs(n[2]) < 0.9 else 0] = 1.0
            _cross(b, n, t)
        size = np.sqrt(dot(t, t))
        for k in range(3):
            t[k] /= size
        _cross(n, t, b)
        vx, vy, vz = dot(e, t), dot(e, b), max(dot(e, n), 0.02)
        a, c = max(alpha[i], 1e-4), max(across[i], 1e-4)
        hx, hy, hz = a * vx, c * vy, vz
        size = np.sqrt(hx * hx + hy * hy + hz * hz)
        hx, hy, hz = hx / size, hy / size, hz / size
        flat = hx * hx + hy * hy
        t1x, t1y = (-hy / np.sqrt(flat), hx / np.sqrt(flat)) if flat > 1e-12 else (1.0, 0.0)
        t2x, t2y, t2z = -hz * t1y, hz * t1x, hx * t1y - hy * t1x
        for k in range(RAYS):
            u1 = ((k + turn[i, 0]) / RAYS) % 1.0
            u2 = (k * 0.6180339887498949 + turn[i, 1]) % 1.0
            r, angle = np.sqrt(u1), 2 * np.pi * u2
            p1, p2 = r * np.cos(angle), r * np.sin(angle)
            s = 0.5 * (1 + hz)
            p2 = (1 - s) * np.sqrt(max(1 - p1 * p1, 0.0)) + s * p2
            p3 = np.sqrt(max(1 - p1 * p1 - p2 * p2, 0.0))
            mx = a * (p1 * t1x + p2 * t2x + p3 * hx)
            my = c * (p1 * t1y + p2 * t2y + p3 * hy)
            mz = max(p2 * t2z + p3 * hz, 1e-9)
            size = np.sqrt(mx * mx + my * my + mz * mz)
            mx, my, mz = mx / size, my / size, mz / size
            d = 2 * (vx * mx + vy * my + vz * mz)
            lx, ly, lz = d * mx - vx, d * my - vy, d * mz - vz
            at = i * RAYS + k
            for j in range(3):
                ways[at, j] = lx * t[j] + ly * b[j] + lz * n[j]
            if lz > 0:
                slope = (a * a * lx * lx + c * c * ly * ly) / (lz * lz)
                weights[i, k] = 2 / (1 + np.sqrt(1 + slope))
    return ways, weights


@compiled
def dot(a: Array, b: Array) -> float:
    return float(a[0] * b[0] + a[1] * b[1] + a[2] * b[2])


@compiled
def _cross(a: Array, b: Array, found: Array) -> None:
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        found[k] = a[i] * b[j] - a[j] * b[i]


@compiled
def _near_ball(start: Array, ways: Array, alive: Array, middle: Array, radius: float) -> Array:
    """Which rays come near the piece."""
    near = np.zeros(len(start), dtype=np.bool_)
    for i in range(len(start)):
        if not alive[i]:
            continue
        x, y, z = middle[0] - start[i, 0], middle[1] - start[i, 1], middle[2] - start[i, 2]
        along = x * ways[i, 0] + y * ways[i, 1] + z * ways[i, 2]
        far2 = x * x + y * y + z * z
        near[i] = far2 < radius * radius or (along > 0 and far2 - along * along < radius * radius)
    return near


@compiled
def _room_at(room: Array, way: Array, rough: float, found: Array) -> None:
    """What of the room is mirrored in a direction, into ``found`` (3,)."""
    layers, height, width = room.shape[0], room.shape[1], room.shape[2]
    layer = min(max((layers - 1.0) * np.sqrt(rough), 0.0), layers - 1.0)
    x = (np.arctan2(way[0], way[1]) / (2 * np.pi)) % 1.0 * width - 0.5
    y = np.arccos(min(max(way[2], -1.0), 1.0)) / np.pi * height - 0.5
    y = min(max(y, 0.0), height - 1.0)
    x0, y0, low = int(np.floor(x)), int(y), int(layer)
    fx, fy, fl = x - x0, y - y0, layer - low
    y1, high = min(y0 + 1, height - 1), min(low + 1, layers - 1)
    left, right = x0 % width, (x0 + 1) % width
    a, b = (1 - fx) * (1 - fy), fx * (1 - fy)
    c, d = (1 - fx) * fy, fx * fy
    for k in range(3):
        sharp = room[low, y0, left, k] * a + room[low, y0, right, k] * b
        sharp += room[low, y1, left, k] * c + room[low, y1, right, k] * d
        dull = room[high, y0, left, k] * a + room[high, y0, right, k] * b
        dull += room[high, y1, left, k] * c + room[high, y1, right, k] * d
        found[k] = sharp * (1 - fl) + dull * fl


@compiled
def _alone(normals: Array, eyes: Array, rough: Array, room: Array) -> Array:
    """What the shader mirrors of the room where nothing hides it: a round lobe, narrower at a slant."""
    found, way = np.zeros((len(normals), 3)), np.zeros(3)
    for i in range(len(normals)):
        slant = dot(normals[i], eyes[i])
        for k in range(3):
            way[k] = 2 * slant * normals[i, k] - eyes[i, k]
        _room_at(room, way, rough[i] * np.sqrt(max(slant, 0.02)), found[i])
    return found


@compiled
def _edge(x: float, wide: float) -> float:
    return float(0.5 * (1 + x / np.sqrt(x * x + wide * wide)))


@compiled
def panel_share(panel: Array, at: Array, way: Array, rough: float) -> float:
    """How much of the strongest light a surface at a point mirrors in a direction, as the shader has it."""
    toward = -dot(way, panel[1])
    if toward < 0.02:
        return 0.0
    t = (dot(at, panel[1]) - dot(panel[0], panel[1])) / toward
    if t < 0:
        return 0.0
    wide = max(2 * rough * t, 0.5)
    u = dot(at, panel[2]) + t * dot(way, panel[2]) - dot(panel[0], panel[2])
    v = dot(at, panel[3]) + t * dot(way, panel[3]) - dot(panel[0], panel[3])
    across = _edge(u + panel[4, 0], wide) - _edge(u - panel[4, 0], wide)
    return float(across * (_edge(v + panel[4, 1], wide) - _edge(v - panel[4, 1], wide)))


@compiled
def _ground_at(ground: Array, x: float, y: float, seen: Array) -> None:
    """Add how the ground at (x, y), -1..1 over its grid, differs from open ground."""
    cells = len(ground)
    gx = min(max((x + 1) / 2 * cells - 0.5, 0.0), cells - 1.0)
    gy = min(max((y + 1) / 2 * cells - 0.5, 0.0), cells - 1.0)
    x0, y0 = int(gx), int(gy)
    x1, y1 = min(x0 + 1, cells - 1), min(y0 + 1, cells - 1)
    fx, fy = gx - x0, gy - y0
    rim = min(max((1 - max(abs(x), abs(y))) / 0.2, 0.0), 1.0)
    for k in range(3):
        more = (ground[y0, x0, k] * (1 - fx) + ground[y0, x1, k] * fx) * (1 - fy)
        more += (ground[y1, x0, k] * (1 - fx) + ground[y1, x1, k] * fx) * fy
        seen[k] = max(seen[k] + more * rim, 0.0)


@compiled
def way_to_ground(frame: Array, at: Array, way: Array, slack: float) -> float:
    """How far a ray goes until it meets the ground's plane; beyond FAR where it does not. A ray may start
    below it by ``slack``: what stands on the ground touches it."""
    down = dot(way, frame[2])
    if down > -1e-6:
        return 2 * FAR
    height = dot(at, frame[2]) - dot(frame[3], frame[2])
    return float(max(-height / down, 0.0)) if height > -slack else 2 * FAR


@compiled
def beyond(
    room: Array,
    ground: Array,
    frame: Array,
    half: float,
    at: Array,
    way: Array,
    to_ground: float,
    rough: float,
    seen: Array,
) -> None:
    """What a ray sees that does not meet the piece, into ``seen`` (3,): the room, and the ground as it is
    there."""
    _room_at(room, way, rough, seen)
    if to_ground < FAR:
        x = (dot(at, frame[0]) + to_ground * dot(way, frame[0]) - dot(frame[3], frame[0])) / half
        y = (dot(at, frame[1]) + to_ground * dot(way, frame[1]) - dot(frame[3], frame[1])) / half
        if abs(x) < 1 and abs(y) < 1:
            _ground_at(ground, x, y, seen)


@compiled
def _follow(
    bounce: int,
    start: Array,
    ways: Array,
    rough: Array,
    thrown: Array,
    back: Array,
    open_: Array,
    alive: Array,
    far: Array,
    face: Array,
    u: Array,
    v: Array,
    normals: Array,
    index: Array,
    slot: Array,
    metal: Array,
    dull: Array,
    tone: Array,
    light: Array,
    soft: Array,
    ground: Array,
    frame: Array,
    half: float,
    room: Array,
    panel: Array,
    lift: float,
) -> None:
    """One step of all rays: what ends is brought back, what meets metal goes on."""
    seen, n = np.zeros(3), np.zeros(3)
    for i in range(len(start)):
        if not alive[i]:
            continue
        way, at, one = ways[i], start[i], face[i]
        to_ground = way_to_ground(frame, at, way, lift)
        w = 1 - u[i] - v[i]
        if one >= 0 and far[i] < to_ground:
            for k in range(3):
                n[k] = w * normals[one, 0, k] + u[i] * normals[one, 1, k] + v[i] * normals[one, 2, k]
            size = max(np.sqrt(dot(n, n)), 1e-9)
            for k in range(3):
                n[k] /= size
            if dot(n, way) >= 0:  # a wall met from within: the coarse body stands out a little here
                one = NOWHERE
        else:
            one = NOWHERE
        if one < 0:
            beyond(room, ground, frame, half, at, way, to_ground, rough[i], seen)
            if bounce == 0:
                open_[i] = 1.0
            else:
                lit = panel_share(panel, at, way, rough[i])
                for k in range(3):
                    seen[k] += lit * panel[5, k]
            for k in range(3):
                back[i, k] += thrown[i, k] * seen[k]
            alive[i] = False
            continue
        s = slot[one]
        if metal[s] and bounce < BOUNCES - 1:
            c = -dot(n, way)
            grazing = (1 - c) ** 5
            for k in range(3):
                thrown[i, k] *= tone[s, k] + (1 - tone[s, k]) * grazing
                at[k] += far[i] * way[k] + lift * n[k]
            for k in range(3):
                way[k] += 2 * c * n[k]
            rough[i] = max(dull[s], rough[i])
            continue
        for k in range(3):
            arrives = soft if metal[s] else light
            sum_ = w * arrives[index[one, 0], k] + u[i] * arrives[index[one, 1], k]
            sum_ += v[i] * arrives[index[one, 2], k]
            back[i, k] += thrown[i, k] * tone[s, k] * sum_
        alive[i] = False
