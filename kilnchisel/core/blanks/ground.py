"""What is soft or grown: a shirt laid flat, a bank of grass."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import facing_out, filled, grid, join
from kilnchisel.core.blanks.net import grid_net
from kilnchisel.core.blanks.outlines import rounded, subdivided
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Bank, Garment
from kilnchisel.core.job.traits import FOLDED_MM
from kilnchisel.core.later import interpolate

Array = NDArray[Any]


def garment_body(shirt: Garment, *, detail: Detail) -> Body:
    """A shirt standing in the plane of (x, z) as a slab, front at about y = 0."""
    chest, length, sleeve = shirt.chest_mm / 2, shirt.length_mm, shirt.sleeve_mm
    step = max(chest, length) / 46
    right = [
        (0.97 * chest, -0.5 * length),
        (chest, 0.19 * length),
        (chest + 0.6 * sleeve, 0.115 * length),
        (chest + 0.82 * sleeve, 0.255 * length),
        (0.82 * chest, 0.462 * length),
        (0.36 * chest, 0.5 * length),
    ]
    turn = np.linspace(0, np.pi, 25)[1:-1]
    neck = [(0.36 * chest * np.cos(t), (0.5 - 0.075 * np.sin(t)) * length) for t in turn]
    left = [(-x, z) for x, z in reversed(right)]
    ring = rounded(np.array([*right, *neck, *left]), 7.0, detail=detail)
    collar = shapely.LineString([right[-1], *neck, left[0]]).buffer(16, quad_segs=4)
    area = shapely.Polygon(ring[0]).buffer(-4.5)
    rib = shapely.intersection(collar, area)
    points, normals = subdivided(ring, step if detail.fine else 2 * step)
    middle = length / 2
    insets = [Inset("collar", "rim", shapely.MultiPolygon([rib]), 0.8)] if not rib.is_empty else []
    seam = shapely.LineString([(-2 * chest, -0.5 * length + 24), (2 * chest, -0.5 * length + 24)])
    stitch = shapely.intersection(seam.buffer(0.9), area)
    if stitch.geom_type == "Polygon":
        insets.append(Inset("hem", "rim", shapely.MultiPolygon([stitch]), -0.3))
    front = partial(_folds, shirt.folds_mm, chest, length)
    what = Slab(
        (points + (0.0, middle), normals),
        Face("front", front, step_mm=step, insets=tuple(insets)),
        Face("back", FOLDED_MM),
        edge_of("round", 0.42 * FOLDED_MM, detail=detail),
        wall_mm=0.8,
        middle_z=middle,
        edge_slot="blank",
    )
    shells, sheets = slab(what, detail=detail)
    return Body(shells, sheets)


def _folds(fold: float, chest: float, length: float, x: Array, z: Array) -> Array:
    """Long, low folds from the shoulders down, and across at the waist: the front's y."""
    p, q = x / chest, (z - length / 2) / length
    wave = (
        0.5 * np.sin(3.1 * p + 2.4 * q + 0.4)
        + 0.3 * np.sin(6.4 * p - 5.2 * q + 1.0)
        + 0.2 * np.sin(1.7 * p + 11.0 * q)
    )
    return np.asarray(-fold * (0.5 + 0.5 * wave))


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
    side = Surface("slope", domain, partial(_slope, bank, slant, low), net, wall_mm=low)
    sheet = Sheet(side, "blank", net=net, rough=rough)
    return Body((_skirt(side, u, v),), (sheet,))


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
    """Places on the bank, (n, 2) sheet mm -> (n, 3)."""
    x, t = uv[:, 0], uv[:, 1] / slant + 0.5
    rise = 0.35 * t + 0.65 * (0.5 - 0.5 * np.cos(np.pi * np.clip(t, -0.2, 1.2)))
    p = x / bank.width_mm
    rough = 0.5 * np.sin(9 * p + 1.3 + 2 * t) + 0.3 * np.sin(23 * p - 5 * t) + 0.2 * np.sin(41 * p + 9 * t)
    crest = 1 - 0.16 * (2 * p) ** 2 * t
    # towards both ends it runs out into level ground
    out = np.clip((np.abs(2 * p) - 0.72) / 0.28, 0, 1)
    crest = crest * (1 - out * out * (3 - 2 * out))
    z = low + bank.rise_mm * rise * crest + bank.rough_mm * rough + _shaped(bank, x, t)
    return np.stack([x, bank.deep_mm * (t - 0.5), z], axis=1)


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
