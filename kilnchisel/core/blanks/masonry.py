"""Walls: bricks laid in a bond, boards, plaster."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset
from kilnchisel.core.blanks.outlines import rectangle
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, standing_slab
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import ShopFront, Wall

Array = NDArray[Any]

THICK_MM = 120.0
UNEVEN_MM = 1.1  # how far the corners of bricks are off their places: common practice
SEED = 5


def wall_body(wall: Wall, *, detail: Detail) -> Body:
    """A piece of wall standing on z = 0, its face at y = 0, joints sunk."""
    ring = rectangle(wall.width_mm, wall.height_mm, 0.5, detail=detail)
    insets: tuple[Inset, ...] = ()
    if wall.surface != "plaster":
        half_w, half_h = wall.width_mm / 2 - 1.0, wall.height_mm / 2 - 1.0
        whole = shapely.box(-half_w, -half_h, half_w, half_h)
        laid = brick_shapes(wall) if wall.surface == "brick" else _boards(wall)
        insets = (Inset("joints", "rim", joints_of(whole, laid), -wall.joint_deep_mm),)
    what = Slab(
        ring,
        Face("front", 0.0, insets=insets),
        Face("back", THICK_MM, lettered=False),
        edge_of("bevel", 0.4, detail=detail),
        wall_mm=THICK_MM,
        middle_z=wall.height_mm / 2,
        edge_slot="blank",
    )
    return standing_slab(what, detail=detail)


def joints_of(whole: Any, laid: Any) -> shapely.MultiPolygon:
    """What is left of an area between what is laid on it, apart from each other."""
    within = shapely.get_parts(shapely.intersection(laid, whole))
    shapes = [one for one in within if one.geom_type == "Polygon" and not one.is_empty]
    joints = shapely.difference(whole, shapely.MultiPolygon(shapes))
    parts = [part for part in shapely.get_parts(joints) if part.geom_type == "Polygon"]
    return shapely.MultiPolygon(parts)


def _boards(wall: Wall) -> Array:
    joint = min(wall.joint_mm, 0.06 * wall.board_mm)
    half_w, half_h = wall.width_mm / 2, wall.height_mm / 2 - 1.0
    low = np.arange(-half_h, half_h, wall.board_mm + joint)
    return np.array(shapely.box(-half_w, low, half_w, low + wall.board_mm), dtype=object)


def bricks_of(wall: Wall | ShopFront) -> Array:
    """Where bricks lie in their bond, (n, 4): left, low, right, high on the front's sheet, the wall's lower
    edge being their first bed. Modules by common practice: a header is half a stretcher less half a joint.
    """
    joint, stretcher = wall.joint_mm, wall.brick_mm
    header = (stretcher - joint) / 2
    half_w, half_h = wall.width_mm / 2, wall.height_mm / 2
    found = []
    lengths: tuple[float, ...]
    for course, low in enumerate(np.arange(-half_h + 1.0, half_h, wall.course_mm + joint)):
        odd = course % 2 == 1
        if wall.bond == "stretcher":
            lengths, shift = (stretcher,), (stretcher + joint) / 2 if odd else 0.0
        elif wall.bond == "English":
            lengths = (header,) if odd else (stretcher,)
            # a header stands over the middle of a stretcher, and over each of their joints
            shift = (header + joint) / 2 if odd else 0.0
        else:
            lengths = (stretcher, header)
            # a header stands over the middle of a stretcher
            shift = (stretcher - header) / 2 + header + joint if odd else 0.0
        period = sum(lengths) + joint * len(lengths)
        starts = np.arange(-half_w + 1.0 - shift, half_w, period)
        at = starts
        for length in lengths:
            found.append(
                np.column_stack(
                    [at, np.full(len(at), low), at + length, np.full(len(at), low + wall.course_mm)]
                )
            )
            at = at + length + joint
    return np.concatenate(found)


def brick_shapes(wall: Wall | ShopFront) -> Array:
    """Bricks as they lie, their corners a little off, (n,) of polygons."""
    left, low, right, high = bricks_of(wall).T
    corners = np.stack([left, low, right, low, right, high, left, high], axis=1).reshape(-1, 4, 2)
    off = min(UNEVEN_MM, 0.16 * wall.joint_mm)
    corners = corners + np.random.default_rng(SEED).uniform(-off, off, corners.shape)
    return np.asarray(shapely.polygons(corners))
