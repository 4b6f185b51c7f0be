"""Banks and hillsides: ground that rises from level land and falls back to it, with stones and bushes."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, facing_out, filled, grid, join, without_slivers
from kilnchisel.core.blanks.net import grid_net
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.detail import Detail
from kilnchisel.core.easing import smooth_step
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.trims import Trim
from kilnchisel.core.later import interpolate

Array = NDArray[Any]

WAVES = 26  # of which its unevenness is made, ever shorter ones
BESIDE, BEFORE, BEHIND = 0.16, 0.3, 1.5  # how far its land goes on, of its width and its depth
LEAST_MM = 4.0  # of land at its outer border over what it stands on
CREST = (1.3, 2.35)  # where it stays level behind and where it is down again, from front (0) to back (1)
STONES, BUSHES = 110, 64  # at 100 %
LEAVES = 420  # of a bush


def bank_body(bank: Bank, *, detail: Detail) -> Body:
    """A bank rising away from the front, standing on z = 0."""
    slant = float(np.hypot(bank.deep_mm, bank.rise_mm))
    low = level_of_bank(bank)
    columns, rows = (97, 41) if detail.fine else (33, 15)
    u = np.linspace(-bank.width_mm / 2, bank.width_mm / 2, columns)
    v = np.linspace(-slant / 2, slant / 2, rows)
    net = grid_net(u, v)
    rough = grid_net(u[::3], v[::4]) if detail.fine else net
    domain = shapely.box(u[0], v[0], u[-1], v[-1])
    place = partial(_slope, bank, slant, low)
    side = Surface("slope", domain, place, net, wall_mm=low)
    sheet = Sheet(side, "blank", net=net, rough=rough)
    if bank.seed == 0:
        return Body((_skirt(side, u, v),), (sheet,))
    wide = _eased(BESIDE * bank.width_mm, 17 if detail.fine else 6)
    near = _eased(BEFORE * slant, 13 if detail.fine else 5)
    far = _eased(BEHIND * slant, 29 if detail.fine else 9)
    all_u = np.concatenate([u[0] - wide[::-1], u, u[-1] + wide])
    all_v = np.concatenate([v[0] - near[::-1], v, v[-1] + far])
    shells = [
        _land(side, all_u, all_v, (len(wide), len(near)), (columns, rows)),
        _skirt(side, all_u, all_v),
    ]
    rng = np.random.default_rng(bank.seed)
    stones = _stones(bank, side, (all_u, all_v), rng, detail=detail)
    bushes = _bushes(bank, side, (all_u, all_v), rng, detail=detail)
    shells += [Shell(name, slot, mesh, name) for name, slot, mesh in (*stones, *bushes)]
    return Body(tuple(shells), (sheet,))


def _eased(reach: float, count: int) -> Array:
    """Places from a border outward, closer at first, without the border itself."""
    return np.asarray(reach * np.linspace(0, 1, count + 1)[1:] ** 1.4)


def level_of_bank(bank: Bank) -> float:
    """How high above its underside the ground is at its foot, mm."""
    lowest = min((min(row) for row in bank.heights), default=0.0)
    # a spline goes a little below its lowest place
    return 0.01 * bank.rise_mm + 1.02 * bank.rough_mm + max(-1.3 * lowest, 0.0)


def _shaped(bank: Bank, x: Array, t: Array) -> Array | float:
    """How far its ground is above the bank itself at places across, mm, and from front to back, 0..1."""
    if not bank.heights:
        return 0.0
    values = np.array(bank.heights)
    rows, columns = values.shape
    across = np.linspace(-bank.width_mm / 2, bank.width_mm / 2, columns)
    spline = interpolate.RectBivariateSpline(
        np.linspace(0, 1, rows), across, values, kx=min(rows - 1, 3), ky=min(columns - 1, 3)
    )
    return np.asarray(spline.ev(np.clip(t, 0, 1), np.clip(x, across[0], across[-1])))


def _slope(bank: Bank, slant: float, low: float, uv: Array) -> Array:
    """Places on the bank and on the land round it, (n, 2) sheet mm -> (n, 3)."""
    x, t = uv[:, 0], uv[:, 1] / slant + 0.5
    p = x / bank.width_mm
    if bank.seed == 0:
        rise = 0.35 * t + 0.65 * (0.5 - 0.5 * np.cos(np.pi * np.clip(t, -0.2, 1.2)))
        rough = (
            0.5 * np.sin(9 * p + 1.3 + 2 * t) + 0.3 * np.sin(23 * p - 5 * t) + 0.2 * np.sin(41 * p + 9 * t)
        )
        edge: Array | float = 1.0
        start, span = 0.72, 0.28
    else:
        rise, rough, edge = _natural(bank, slant, p, t)
        start, span = 0.5, 0.75
    crest = 1 - 0.16 * (2 * p) ** 2 * np.clip(t, 0, 1)
    # towards both ends it runs out into level ground
    crest = np.maximum(crest, 0) * (1 - smooth_step(np.abs(2 * p), start, start + span))
    z = low + bank.rise_mm * rise * crest + bank.rough_mm * rough + _shaped(bank, x, t)
    z = LEAST_MM + (z - LEAST_MM) * edge
    return np.stack([x, bank.deep_mm * (t - 0.5), z], axis=1)


def _natural(bank: Bank, slant: float, p: Array, t: Array) -> tuple[Array, Array, Array]:
    """Of places across and from front to back: how much of its rise there is, how uneven the ground is, -1
    to 1, and 1 on it falling to 0 at the land's outer border."""
    # a foot that is hollow, a brow that is round, and behind it down again
    up = np.clip(t, 0, 1)
    climb = 0.25 * up + 0.75 * smooth_step(up)
    rise = climb * (1 - smooth_step(t, *CREST))
    rng = np.random.default_rng(1000 + bank.seed)
    longest = max(0.55 * bank.width_mm, slant)
    length = longest * np.geomspace(1, 0.03, WAVES)
    turn, phase = rng.uniform(0, np.pi, WAVES), rng.uniform(0, 2 * np.pi, WAVES)
    size = (length / longest) ** 0.9
    x, y = p * bank.width_mm, t * slant
    rough = np.zeros(len(x))
    for k in range(WAVES):
        way = np.cos(turn[k]) * x + np.sin(turn[k]) * y
        rough += size[k] * np.sin(2 * np.pi * way / length[k] + phase[k])
    rough = np.tanh(rough / np.sqrt((size**2).sum()))
    away = np.maximum.reduce(
        [
            (np.abs(p) - 0.5) / BESIDE,
            -t / BEFORE,
            (t - 1) / BEHIND,
            np.zeros(len(p)),
        ]
    )
    return rise, rough, smooth_step(1 - away)


def _land(side: Surface, u: Array, v: Array, first: tuple[int, int], count: tuple[int, int]) -> Shell:
    """The land round the sheet, on one lattice with it; ``first``, ``count``: the sheet's own lines."""
    flat = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
    points, normals = side.place(flat), side.frames(flat)[:, 2]
    number = np.arange(len(flat)).reshape(len(v), len(u))
    mine = np.ones((len(v) - 1, len(u) - 1), dtype=bool)
    mine[first[1] : first[1] + count[1] - 1, first[0] : first[0] + count[0] - 1] = False
    corner = np.stack(
        [number[:-1, :-1][mine], number[:-1, 1:][mine], number[1:, 1:][mine], number[1:, :-1][mine]], axis=1
    )
    faces = np.concatenate([corner[:, [0, 1, 2]], corner[:, [0, 2, 3]]])
    used, inverse = np.unique(faces, return_inverse=True)
    mesh = facing_out(
        points[used], normals[used], flat[used], inverse.reshape(faces.shape).astype(np.int32)
    )
    return Shell("land", "blank", mesh)


def _skirt(side: Surface, u: Array, v: Array) -> Shell:
    """The cut sides of the ground and its underside."""
    corner = [
        np.column_stack([u, np.full(len(u), v[0])])[:-1],
        np.column_stack([np.full(len(v), u[-1]), v])[:-1],
        np.column_stack([u, np.full(len(u), v[-1])])[::-1][:-1],
        np.column_stack([np.full(len(v), u[0]), v])[::-1],
    ]
    ring = np.concatenate(corner)
    top = side.place(ring)
    foot = top * (1.0, 1.0, 0.0)
    way = np.gradient(foot, axis=0)
    out = np.stack([way[:, 1], -way[:, 0], np.zeros(len(way))], axis=1)
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-9)
    uv = np.zeros((2, len(ring), 2))
    uv[:, :, 0] = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(foot, axis=0), axis=1))])
    uv[1, :, 1] = top[:, 2]
    walls = grid(np.stack([foot, top]), np.stack([out, out]), uv)
    flat, faces = filled(shapely.Polygon(foot[:, :2]))
    under = np.column_stack([flat, np.zeros(len(flat))])
    bottom = facing_out(under, np.broadcast_to([0.0, 0.0, -1.0], under.shape).copy(), flat, faces)
    return Shell("cut ground", "rim", join([walls, bottom]))


Made = list[tuple[str, Trim, Mesh]]


def _spots(side: Surface, over: tuple[Array, Array], count: int, rng: np.random.Generator) -> Array:
    """Places scattered in little groups over the land, off the middle where letters stand, (k, 2)."""
    u, v = over
    low_u, low_v, high_u, high_v = side.domain.bounds
    group = rng.uniform((u[0], v[0]), (u[-1], v[-1]), (max(count // 3, 1), 2))
    spots = group[rng.integers(0, len(group), count)]
    spots = spots + rng.normal(0, 0.035 * (u[-1] - u[0]), (count, 2)) * (1.0, 0.5)
    x, y = spots.T
    within = (x > u[0]) & (x < u[-1]) & (y > v[0]) & (y < v[-1])
    lettered = (np.abs(x) < 0.42 * (high_u - low_u)) & (y > low_v) & (y < high_v)
    return np.asarray(spots[within & ~lettered])


def _stones(
    bank: Bank, side: Surface, over: tuple[Array, Array], rng: np.random.Generator, *, detail: Detail
) -> Made:
    """Boulders half in the ground."""
    spots = _spots(side, over, round(STONES * bank.stones / 100), rng)
    if not len(spots):
        return []
    size = 0.011 * bank.width_mm * rng.lognormal(0, 0.55, len(spots))
    meshes = []
    for place, radius in zip(side.place(spots), size.tolist(), strict=True):
        half = radius * rng.uniform((0.8, 0.7, 0.5), (1.3, 1.1, 0.8))
        meshes.append(_lump(place + (0, 0, 0.16 * half[2]), half, rng, 0.16, 14 if detail.fine else 6))
    return [("stones", "boulder", join(meshes))]


def _lump(middle: Array, half: Array, rng: np.random.Generator, uneven: float, rows: int) -> Mesh:
    """A closed lump: an ellipsoid whose radius wanders, faceted a little like broken stone."""
    up = np.linspace(-np.pi / 2, np.pi / 2, rows)[:, None]
    turn = np.linspace(0, 2 * np.pi, 2 * rows + 1)
    turn[-1] = 0.0
    way = np.stack(
        [np.cos(up) * np.cos(turn), np.cos(up) * np.sin(turn), np.sin(up) * np.ones_like(turn)], axis=-1
    )
    way[0], way[-1] = (0, 0, -1), (0, 0, 1)
    radius = np.ones(way.shape[:2])
    for scale, share in ((1.3, 1.0), (2.9, 0.6), (6.0, 0.3)):
        towards = rng.normal(0, scale, (4, 3))
        radius += 0.5 * uneven * share * np.sin(way @ towards.T + rng.uniform(0, 6.3, 4)).sum(axis=-1) / 2
    for _ in range(5):  # planes that it broke along
        cut = rng.normal(0, 1, 3)
        cut /= np.linalg.norm(cut)
        reach = np.maximum(way @ cut, 1e-6)
        radius = np.minimum(radius, rng.uniform(0.82, 1.0) / reach)
    points = middle + radius[..., None] * way * half
    along, rise = np.gradient(points, axis=1), np.gradient(points, axis=0)
    along[:, [0, -1]] = ((points[:, 1] - points[:, -2]) / 2)[:, None]
    normals = np.cross(along, rise)
    normals[0], normals[-1] = (0, 0, -1), (0, 0, 1)
    normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-9)
    uv = points[..., [0, 2]] + points[..., [1, 1]] * 0.5
    return without_slivers(grid(points, normals, uv))


def _bushes(
    bank: Bank, side: Surface, over: tuple[Array, Array], rng: np.random.Generator, *, detail: Detail
) -> Made:
    """Low bushes: a dark core and leaves all round it."""
    spots = _spots(side, over, round(BUSHES * bank.bushes / 100), rng)
    if not len(spots):
        return []
    size = 0.017 * bank.width_mm * rng.lognormal(0, 0.4, len(spots))
    cores, leaves = [], []
    for place, radius in zip(side.place(spots), size.tolist(), strict=True):
        half = radius * rng.uniform((0.9, 0.8, 0.6), (1.3, 1.1, 0.95))
        middle = place + (0, 0, 0.5 * half[2])
        cores.append(_lump(middle, 0.82 * half, rng, 0.25, 10 if detail.fine else 6))
        if detail.fine:
            leaves.append(_leaves(middle, half, rng, 0.105 * radius))
    found: Made = [("bush cores", "bush", join(cores))]
    if leaves:
        found.append(("bush leaves", "leaf", join(leaves)))
    return found


def _leaves(middle: Array, half: Array, rng: np.random.Generator, size: float) -> Mesh:
    """Leaves over an ellipsoid: LEAVES thin lozenges, each a flattened closed body of four faces."""
    way = rng.normal(0, 1, (LEAVES, 3))
    way[:, 2] = np.abs(way[:, 2]) - 0.25
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    at = middle + way * half * rng.uniform(0.78, 1.08, (LEAVES, 1))
    out = way + rng.normal(0, 0.5, (LEAVES, 3))
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    along = np.cross(out, rng.normal(0, 1, (LEAVES, 3)))
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    across = np.cross(out, along)
    long, wide = size * rng.uniform(0.8, 1.4, (LEAVES, 1)), size * rng.uniform(0.4, 0.75, (LEAVES, 1))
    thick = 0.03 * size * out
    tips = [at + long * along + thick, at - long * along + thick]
    corners = np.stack([*tips, at + wide * across - thick, at - wide * across - thick], axis=1)
    one = np.array([[0, 1, 3], [1, 0, 2], [2, 0, 3], [3, 1, 2]])
    faces = (np.arange(LEAVES)[:, None, None] * 4 + one).reshape(-1, 3)
    points = corners.reshape(-1, 3)
    # lit as the bush is round, not each as its own small plane
    normals = np.repeat(0.75 * way + 0.4 * out, 4, axis=0)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    return Mesh(points, normals, np.zeros((len(points), 2)), faces.astype(np.int32))
