"""Rays of glossy surfaces and through glass, step by step: the compiled part of a draft at rest.

Loaded only where something is glossy: compiled code takes a while to come.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

Array = NDArray[Any]
F = TypeVar("F")

RAYS = 6  # from each pixel; its neighbours' are taken together with them
BOUNCES = 3
FAR = 1e6
NOWHERE = -1

# a division by nothing gives infinity, not an error
compiled: Callable[[F], F] = njit(cache=True, fastmath=True, nogil=True, error_model="numpy")


@compiled
def smoothed(
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
def lobes(
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
def normal_at(normals: Array, one: int, u: float, v: float, found: Array) -> None:
    """The unit normal of triangle ``one`` between its corners' (m, 3, 3), into ``found`` (3,)."""
    for k in range(3):
        found[k] = (1 - u - v) * normals[one, 0, k] + u * normals[one, 1, k] + v * normals[one, 2, k]
    size = max(np.sqrt(dot(found, found)), 1e-9)
    for k in range(3):
        found[k] /= size


@compiled
def near_ball(start: Array, ways: Array, alive: Array, middle: Array, radius: float) -> Array:
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
def alone(normals: Array, eyes: Array, rough: Array, room: Array) -> Array:
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
def follow(
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
            normal_at(normals, one, u[i], v[i], n)
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
