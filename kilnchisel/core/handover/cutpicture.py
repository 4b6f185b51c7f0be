"""What a simulated router has left, in the picture of its job: the same light and camera, the side as it
was cut, in the stuff that its stock is of."""

from __future__ import annotations

from dataclasses import dataclass, replace
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
from kilnchisel.core.job.finish import PaintedWood, Stainless, Wood
from kilnchisel.core.job.model import Job
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.shop.paths.setup import Setup
from kilnchisel.core.shop.paths.surface import Heights, Rolled, faced, rolled
from kilnchisel.core.shop.paths.tools import Tool

Array = NDArray[Any]

MOST_ALONG = 1100  # points along the longer extent of the side
AROUND, LEAST_TALL_MM = 40, 12.0  # of a cutter that is shown


@dataclass(frozen=True, eq=False)
class Cutter:
    """A tool where it is just now: its tip (3,) in the machine's mm."""

    tool: Tool
    tip: Array


def scene_as_cut(
    job: Job, heights: Heights, thick_mm: float, setup: Setup, cutter: Cutter | None = None
) -> Scene:
    """The scene of a job with the side that its stock is for as a router has left it, so thick at first;
    what is put on later is left out; ``cutter``: what is at it. Raises KilnError for a side that a router
    does not get over."""
    job, side = plain_job(job), setup.side
    # what holds it stays: it stands where it stands by that
    kept = tuple(one for one in job.letterings if one.lay.side != side or isinstance(one.craft, Fitting))
    scene = scene_of_job(job.model_copy(update={"letterings": kept}))
    if setup.turning is not None:
        one = rolled(job, side, setup.turning.left_mm)
        mesh = _round(heights, one, setup.top_mm)
    else:
        mesh = _surface(heights, thick_mm, faced(job, side), setup)
    # all of it changes as a lettering does, and the cutter with it
    made = [Item(f"{side} as cut", side, mesh, fresh(job.finish), still=False, lettered=True)]
    if cutter is not None:
        tool = _tool_mesh(cutter.tool, *_stands(job, setup, cutter.tip))
        made.append(Item("cutter", None, tool, material_of(Stainless()), still=False, lettered=True))
    return replace(scene, items=(*(one for one in scene.items if one.side != side), *made))


def _stands(job: Job, setup: Setup, tip: Array) -> tuple[Array, Array]:
    """Where a tool's tip is (3,), and which way it stands (3,), in the piece's frame."""
    if setup.turning is None:
        plane = faced(job, setup.side)
        spot = np.array(plane.domain.bounds[:2]) - setup.margin_mm + tip[:2]
        return plane.to_body(spot[None], np.array([tip[2] + setup.top_mm]))[0], np.asarray(plane.normal)
    one, turn = rolled(job, setup.side, setup.turning.left_mm), setup.turning
    first = one.side.to_body(np.array([[one.left_mm, 0.0]]), np.zeros(1))[0]
    angle = np.arctan2(first[0], -first[1]) + tip[1] / one.radius_mm
    out, sign = np.array([np.sin(angle), -np.cos(angle), 0.0]), -1.0 if one.inside else 1.0
    at = (one.top_mm + sign * (tip[2] + setup.top_mm)) * out + [0.0, 0.0, one.low_mm + tip[0]]
    lean = np.radians(turn.tilt_deg)
    end = 1.0 if tip[0] > one.long_mm / 2 else -1.0
    return at, sign * np.cos(lean) * out + np.sin(lean) * np.array([0.0, 0.0, end])


def _tool_mesh(tool: Tool, tip: Array, axis: Array) -> Mesh:
    """A cutter as a turned body on its tip."""
    wide = np.linspace(0.0, tool.radius_mm, 9)
    edge = tool.edge(wide)
    tall = float(edge[-1]) + max(4 * tool.diameter_mm, LEAST_TALL_MM)
    radius = np.concatenate([wide, [tool.radius_mm, 0.0]])
    high = np.concatenate([edge, [tall, tall]])
    side = np.cross(axis, [1.0, 0.0, 0.0] if abs(axis[0]) < 0.9 else [0.0, 1.0, 0.0])
    side /= np.linalg.norm(side)
    other = np.cross(axis, side)
    turn = np.linspace(0, 2 * np.pi, AROUND, endpoint=False)
    ring = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other
    points = tip + radius[:, None, None] * ring + high[:, None, None] * axis  # (rows, around, 3)
    index = np.arange(len(radius) * AROUND).reshape(-1, AROUND)
    after = np.roll(index, -1, axis=1)
    a, b, c, d = (part.ravel() for part in (index[:-1], after[:-1], after[1:], index[1:]))
    faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    corners = points.reshape(-1, 3)[faces]
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(flat, axis=1, keepdims=True)
    there = size[:, 0] > 1e-12
    normal = np.repeat(flat[there] / size[there], 3, axis=0)
    every = corners[there].reshape(-1, 3)
    return Mesh(every, normal, every[:, :2] * 0, np.arange(len(every), dtype=np.int32).reshape(-1, 3))


def fresh(finish: Any) -> Material:
    """What comes out where stock of a finish is cut."""
    if isinstance(finish, PaintedWood):
        return material_of(Wood())
    return bare_of(material_of(finish))


def _surface(heights: Heights, thick_mm: float, plane: Plane, setup: Setup) -> Mesh:
    """The heights that are left as a mesh over a side, its rim on the side's own; open where it is cut
    through."""
    every = max(1, -(-max(heights.values.shape) // MOST_ALONG))
    values = heights.values[every // 2 :: every, every // 2 :: every]
    rows, columns = values.shape
    left, low = np.array(plane.domain.bounds[:2]) - setup.margin_mm
    step = heights.cell_mm * every
    start = heights.cell_mm * (every // 2 + 0.5)
    u, v = np.meshgrid(left + start + step * np.arange(columns), low + start + step * np.arange(rows))
    spots = np.stack([u, v], axis=2)
    inside = shapely.contains_xy(plane.domain, u, v)
    # what is beyond the rim comes on to it
    rim = plane.domain.boundary
    near = shapely.line_locate_point(rim, shapely.points(spots[~inside]))
    spots[~inside] = shapely.get_coordinates(shapely.line_interpolate_point(rim, near))
    up, across = np.gradient(values, step)
    normal = np.stack([-across, -up, np.ones_like(values)], axis=2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    # where nothing was cut all along, one long cell is as good as many
    whole = np.concatenate([spots, normal, values[..., None], inside[..., None]], axis=2)
    lines = np.ix_(_needed(whole), _needed(whole.swapaxes(0, 1)))
    spots, normal, values, inside = (one[lines] for one in (spots, normal, values, inside))
    index = np.arange(values.size).reshape(values.shape)
    a, b, c, d = (
        index[:-1, :-1].ravel(),
        index[:-1, 1:].ravel(),
        index[1:, 1:].ravel(),
        index[1:, :-1].ravel(),
    )
    high, within = values.ravel(), inside.ravel()
    there = (within[a] | within[b] | within[c] | within[d]) & (
        np.minimum.reduce([high[a], high[b], high[c], high[d]]) > -thick_mm + 1e-6
    )
    a, b, c, d = a[there], b[there], c[there], d[there]
    flat = spots.reshape(-1, 2)
    points = plane.to_body(flat, high + setup.top_mm)
    frame = np.stack([plane.right, plane.up, plane.normal])
    faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)]).astype(np.int32)
    return Mesh(points, normal.reshape(-1, 3) @ frame, flat, faces)


def _needed(rows: Array) -> Array:
    """Which of rows (n, m, k) are not just between their neighbours in all that they hold, (n,) bool."""
    off = np.abs(rows[1:-1] - (rows[:-2] + rows[2:]) / 2).max(axis=(1, 2), initial=0.0)
    return np.concatenate([[True], off > 1e-9, [True]])


def _round(heights: Heights, one: Rolled, top_mm: float) -> Mesh:
    """The heights that are left round an axis, from stock so far above the side, as a mesh that closes."""
    every = max(1, -(-max(heights.values.shape) // MOST_ALONG))
    values = heights.values[every // 2 :: every, every // 2 :: every]
    rows, columns = values.shape
    step = heights.cell_mm * every
    y, x = np.meshgrid(step * (np.arange(rows) + 0.5), step * (np.arange(columns) + 0.5), indexing="ij")
    x[:, 0], x[:, -1] = 0.0, one.long_mm
    values = np.asarray(np.minimum(values, one.profile(x[0])) + top_mm)  # it was turned before
    across, up = np.gradient(values, step)
    along = _needed(np.stack([x, values, across, up], axis=2).swapaxes(0, 1))
    x, y, values, across, up = (part[:, along] for part in (x, y, values, across, up))
    rows, columns = values.shape
    first = one.side.to_body(np.array([[one.left_mm, 0.0]]), np.zeros(1))[0]
    turn = (np.arctan2(first[0], -first[1]) + y / one.radius_mm).ravel()
    out = np.stack([np.sin(turn), -np.cos(turn), np.zeros(len(turn))], axis=1)
    right = np.stack([np.cos(turn), np.sin(turn), np.zeros(len(turn))], axis=1)
    sign = -1.0 if one.inside else 1.0
    points = (one.top_mm + sign * values.ravel())[:, None] * out + [[0.0, 0.0, one.low_mm]]
    points[:, 2] += x.ravel()
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
