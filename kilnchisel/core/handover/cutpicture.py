"""What a simulated router has left, in the picture of its job: the same light and camera, the side as it
was cut, in the stuff that its stock is of."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.build import scene_of_job
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.finishes.wear import bare_of
from kilnchisel.core.handover.sidemaps import plain_job
from kilnchisel.core.job.crafts import Fitting
from kilnchisel.core.job.finish import PaintedWood, Wood
from kilnchisel.core.job.model import Job
from kilnchisel.core.scene.scene import Item, Scene
from kilnchisel.core.shop.machines.router import Routed
from kilnchisel.core.shop.paths.setup import Setup
from kilnchisel.core.shop.paths.surface import Rolled, faced, rolled

Array = NDArray[Any]

MOST_ALONG = 1100  # points along the longer extent of the side


def scene_as_cut(job: Job, done: Routed, setup: Setup) -> Scene:
    """The scene of a job with the side that its stock is for as a router has left it; what is put on later
    is left out. Raises KilnError for a side that a router does not get over."""
    job, side = plain_job(job), setup.side
    # what holds it stays: it stands where it stands by that
    kept = tuple(one for one in job.letterings if one.lay.side != side or isinstance(one.craft, Fitting))
    scene = scene_of_job(job.model_copy(update={"letterings": kept}))
    if setup.turning is not None:
        mesh = _round(done, rolled(job, side, setup.turning.left_mm), setup.top_mm)
    else:
        mesh = _surface(done, faced(job, side), setup)
    item = Item(f"{side} as cut", side, mesh, fresh(job.finish), still=False)
    return replace(scene, items=(*(one for one in scene.items if one.side != side), item))


def fresh(finish: Any) -> Material:
    """What comes out where stock of a finish is cut."""
    if isinstance(finish, PaintedWood):
        return material_of(Wood())
    return bare_of(material_of(finish))


def _surface(done: Routed, plane: Plane, setup: Setup) -> Mesh:
    """The heights that are left as a mesh over a side, its rim on the side's own; open where it is cut
    through."""
    heights = done.heights
    every = max(1, -(-max(heights.values.shape) // MOST_ALONG))
    values = heights.values[every // 2 :: every, every // 2 :: every]
    rows, columns = values.shape
    left, low = np.array(plane.domain.bounds[:2]) - setup.margin_mm
    step = heights.cell_mm * every
    start = heights.cell_mm * (every // 2 + 0.5)
    u, v = np.meshgrid(left + start + step * np.arange(columns), low + start + step * np.arange(rows))
    spots = np.stack([u.ravel(), v.ravel()], axis=1)
    inside = shapely.contains_xy(plane.domain, spots[:, 0], spots[:, 1])
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = (
        index[:-1, :-1].ravel(),
        index[:-1, 1:].ravel(),
        index[1:, 1:].ravel(),
        index[1:, :-1].ravel(),
    )
    high = values.ravel()
    there = (inside[a] | inside[b] | inside[c] | inside[d]) & (
        np.minimum.reduce([high[a], high[b], high[c], high[d]]) > -done.stock[2] + 1e-6
    )
    a, b, c, d = a[there], b[there], c[there], d[there]
    # what is beyond the rim comes on to it
    out = np.flatnonzero(~inside)
    rim = plane.domain.boundary
    near = shapely.line_interpolate_point(rim, shapely.line_locate_point(rim, shapely.points(spots[out])))
    spots[out] = shapely.get_coordinates(near)
    up, across = np.gradient(values, step)
    normal = np.stack([-across.ravel(), -up.ravel(), np.ones(rows * columns)], axis=1)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    points = plane.to_body(spots, high + setup.top_mm)
    frame = np.stack([plane.right, plane.up, plane.normal])
    faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)]).astype(np.int32)
    return Mesh(points, normal @ frame, spots, faces)


def _round(done: Routed, one: Rolled, top_mm: float) -> Mesh:
    """The heights that are left round an axis, from stock so far above the side, as a mesh that closes."""
    heights = done.heights
    every = max(1, -(-max(heights.values.shape) // MOST_ALONG))
    values = heights.values[every // 2 :: every, every // 2 :: every]
    rows, columns = values.shape
    step = heights.cell_mm * every
    y, x = np.meshgrid(step * (np.arange(rows) + 0.5), step * (np.arange(columns) + 0.5), indexing="ij")
    x[:, 0], x[:, -1] = 0.0, one.long_mm
    first = one.side.to_body(np.array([[one.left_mm, 0.0]]), np.zeros(1))[0]
    turn = (np.arctan2(first[0], -first[1]) + y / one.radius_mm).ravel()
    out = np.stack([np.sin(turn), -np.cos(turn), np.zeros(len(turn))], axis=1)
    right = np.stack([np.cos(turn), np.sin(turn), np.zeros(len(turn))], axis=1)
    values = np.minimum(values, one.profile(x[0])) + top_mm  # it was turned before
    sign = -1.0 if one.inside else 1.0
    points = (one.top_mm + sign * values.ravel())[:, None] * out + [[0.0, 0.0, one.low_mm]]
    points[:, 2] += x.ravel()
    across, up = np.gradient(values, step)
    normal = sign * out - across.ravel()[:, None] * right - up.ravel()[:, None] * [[0.0, 0.0, 1.0]]
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    index = np.arange(rows * columns).reshape(rows, columns)
    after = np.roll(index, -1, axis=0)  # the last row meets the first
    a, b, c, d = index[:, :-1].ravel(), index[:, 1:].ravel(), after[:, 1:].ravel(), after[:, :-1].ravel()
    faces = np.concatenate([np.stack([a, d, c], axis=1), np.stack([a, c, b], axis=1)]).astype(np.int32)
    if one.inside:
        faces = faces[:, ::-1]
    spots = np.stack([one.left_mm + sign * y.ravel(), x.ravel() - one.long_mm / 2], axis=1)
    return Mesh(points, normal, spots, faces)
