"""A street's edge behind what stands on its road: a kerb, a pavement of flags, and a brick wall with piers
and a coping. The wall gives way to a light that comes from behind it.

Sizes of kerb, flags and bricks are those that are sold (common practice). It is there for pictures alone,
and no part of the piece.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.finishes import textures
from kilnchisel.core.finishes.material import Material, Texture
from kilnchisel.core.finishes.textures import BRICK_MM, COURSE_MM
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import deep_of
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.boxes import boxes
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import Panel
from kilnchisel.core.scene.stance import stance_shown

Array = NDArray[Any]

PARKED_MM = 500.0  # from the piece to the kerb
KERB_MM, KERB_LONG_MM, KERB_HIGH_MM = 125.0, 915.0, 120.0
FLAG_MM = 600.0, 900.0  # across the pavement and along it
FLAGS = 4  # across
JOINT_MM = 6.0
COURSES = 36  # of the wall: higher than the eye of whoever looks
PIER_MM, PIER_OUT_MM, PIERS_APART_MM = 450.0, 112.5, 16 * BRICK_MM
THICK_MM = 215.0
COPING_MM, OVER_MM, COPING_LONG_MM = 70.0, 40.0, 600.0
CHANNEL_MM, SETT_MM = 200.0, 300.0  # stones along the kerb, in the road: how wide and how long each is
LANE_MM = 3650.0  # from the kerb to the line in the middle
LINE_MM, DASH_MM, DASHES_APART_MM = 100.0, 2000.0, 6000.0
GULLY_MM, GULLIES_APART_MM, BAR_MM = 430.0, 23_000.0, 28.0
UNEVEN_MM = 1.5  # how far laid stones are off their line
LEAST_HALF_MM, HALF, STEP_MM = 14_000.0, 6.0, 500.0  # half its length, in radii of the piece, and in steps
TILE_BRICKS, TILE_COURSES = 4, 12  # of the bricks' photograph
RUN = 3, 7  # bricks that are taken together
SEED = 47
WALL = "wall"


@dataclass(frozen=True, eq=False)
class Street:
    """What stands behind the piece, its meshes in the scene's coordinates. ``wall``: a point of its foot
    beside the scene's origin, where there is one or might be; ``facing`` (3,), unit; ``high_mm``: its
    height; ``half_mm``: half its length; ``kerb_mm``: how far the kerb is from the origin."""

    items: tuple[Item, ...]
    wall: Array
    facing: Array
    half_mm: float
    kerb_mm: float
    high_mm: float = KERB_HIGH_MM + COURSES * COURSE_MM

    @property
    def tone(self) -> Array | None:
        """The mean reflectance of the wall, (3,); None where there is none."""
        return next((item.material.albedo for item in self.items if item.name == WALL), None)

    def across(self) -> Street:
        """The same along the other side of the road."""
        return _street(self.kerb_mm, self.half_mm, bool(self.facing[1] < 0), True)  # noqa: FBT003

    def lit_by(self, panels: tuple[Panel, ...]) -> Street:
        """The same without its wall where one of the lights comes from behind that."""
        shining = (one.middle for one in panels if one.throws is None)
        if all((middle - self.wall) @ self.facing > 0 for middle in shining):
            return self
        return _street(self.kerb_mm, self.half_mm, bool(self.facing[1] > 0), False)  # noqa: FBT003


def street_of(job: Job, radius: float) -> Street | None:
    """The street behind a job's piece of this radius, mm, away from the viewer, +y; None where its ground
    has none."""
    ground = job.setting.ground
    if ground.form != "street" or ground.kind == "none" or stance_shown(job) == "hung":
        return None
    # in steps: so that pieces of like size share one
    kerb = STEP_MM * np.ceil(deep_of(job.blank) / STEP_MM) / 2 + PARKED_MM
    return _street(float(kerb), reach_of(radius), False, True)  # noqa: FBT003


def reach_of(radius: float) -> float:
    """How far a street goes to either side of a piece of this radius, mm."""
    return float(max(LEAST_HALF_MM, STEP_MM * np.ceil(HALF * radius / STEP_MM)))


@remembered
def _street(kerb: float, half: float, across: bool, walled: bool) -> Street:  # noqa: FBT001 - by value
    """``kerb``: how far from the scene's origin it is; ``half`` its length; ``across``: it is along the
    side of the road that is nearer to the viewer; ``walled``: there is a wall."""
    rng = np.random.default_rng(SEED)
    flags = kerb + KERB_MM
    wall = flags + FLAGS * FLAG_MM[0]
    top = KERB_HIGH_MM + COURSES * COURSE_MM
    grey = textures.concrete()
    bricks = Material("matte", (1.0, 1.0, 1.0), 0.7, textures.bricks())
    piers = np.arange(-half + PIER_MM, half, PIERS_APART_MM)
    items = [
        ("kerb", _stone("#96948c", grey), _kerb(rng, kerb, half)),
        ("channel", _stone("#77756f", grey), _channel(rng, kerb, half)),
        ("line", _stone("#cfccc2", grey), _line(kerb - LANE_MM, half)),
        ("gullies", Material("coated", hex_to_linear("#3a3836"), 0.45), _gullies(kerb, half)),
        ("flags", _stone("#a09b92", grey), _flags(rng, flags, half)),
        ("bed", _stone("#55524c", grey), boxes((-half, flags, 0.0), (half, wall, 100.0), "top")),
    ]
    if walled:
        items += [
            (WALL, bricks, _wall(rng, wall, half, piers)),
            ("coping", _stone("#aaa59a", grey), _coping(rng, wall, top, half, piers)),
        ]
    about = np.diag([-1.0, -1.0, 1.0, 1.0]) if across else np.eye(4)
    made = tuple(
        Item(name, None, mesh.moved(about), material, mask="ground") for name, material, mesh in items
    )
    return Street(made, about[:3, 1] * wall, -about[:3, 1], half, kerb)


def _stone(colour: str, texture: Texture) -> Material:
    return Material("matte", hex_to_linear(colour), 0.7, texture)


def _kerb(rng: Any, near: float, half: float) -> Mesh:
    x = np.arange(-half, half, KERB_LONG_MM)
    off, up = rng.uniform(-UNEVEN_MM, UNEVEN_MM, (2, len(x)))
    low = np.stack([x, near + off, np.full(len(x), -30.0)], axis=1)
    high = np.stack([x + KERB_LONG_MM - JOINT_MM, near + off + KERB_MM, KERB_HIGH_MM + up], axis=1)
    return boxes(low, high, "front", "top", "left", "right", shifts=_anywhere(rng, len(x)))


def _channel(rng: Any, kerb: float, half: float) -> Mesh:
    """A row of stones that water runs along."""
    x = np.arange(-half, half, SETT_MM)
    near = kerb - CHANNEL_MM
    low = np.stack([x, np.full(len(x), near), np.full(len(x), -5.0)], axis=1)
    high = np.stack(
        [x + SETT_MM - JOINT_MM, np.full(len(x), kerb), rng.uniform(1.0, 1.0 + UNEVEN_MM, len(x))], axis=1
    )
    return boxes(low, high, "front", "top", "left", "right", shifts=_anywhere(rng, len(x)))


def _line(middle: float, half: float) -> Mesh:
    """The broken line in the middle of the road."""
    x = np.arange(-half, half - DASH_MM, DASHES_APART_MM)
    low = np.stack([x, np.full(len(x), middle - LINE_MM / 2), np.full(len(x), 0.0)], axis=1)
    return boxes(low, low + (DASH_MM, LINE_MM, 1.0), "top")


def _gullies(kerb: float, half: float) -> Mesh:
    """Iron grates in the channel: a frame and bars across it, seen as far as their tops."""
    x = np.arange(-half + 0.4 * GULLIES_APART_MM, half, GULLIES_APART_MM)[:, None]
    bars = np.arange(0.0, GULLY_MM, 2 * BAR_MM)
    starts = (x + bars).ravel()
    low = np.stack([starts, np.full(len(starts), kerb - GULLY_MM), np.full(len(starts), 0.0)], axis=1)
    high = low + (BAR_MM, GULLY_MM - 8.0, 5.0)
    under = np.column_stack([x, np.full(len(x), kerb - GULLY_MM), np.full(len(x), 0.0)])
    rims = under, under + (GULLY_MM, 22.0, 5.5)
    return join([boxes(low, high, "front", "top", "left", "right"), boxes(*rims, "front", "top")])


def _flags(rng: Any, near: float, half: float) -> Mesh:
    """In courses along the kerb, each half a flag on."""
    across, along = FLAG_MM
    row, column = np.mgrid[0:FLAGS, 0 : int(np.ceil(2 * half / along)) + 1].reshape(2, -1)
    x = -half + along * (column - row % 2 / 2)
    y = near + across * row
    up = KERB_HIGH_MM + rng.uniform(-UNEVEN_MM, UNEVEN_MM, len(x))
    low = np.stack([x, y, np.full(len(x), 90.0)], axis=1) + (JOINT_MM / 2, JOINT_MM / 2, 0.0)
    high = np.stack([x + along, y + across, up], axis=1) - (JOINT_MM / 2, JOINT_MM / 2, 0.0)
    return boxes(low, high, "front", "top", "left", "right", shifts=_anywhere(rng, len(x)))


def _wall(rng: Any, near: float, half: float, piers: Array) -> Mesh:
    foot, top = KERB_HIGH_MM, KERB_HIGH_MM + COURSES * COURSE_MM
    parts = [_bricks(rng, -half, half, near)]
    out = near - PIER_OUT_MM
    for x in piers:
        parts.append(_bricks(rng, x - PIER_MM / 2, x + PIER_MM / 2, out))
    low = np.stack([piers - PIER_MM / 2, np.full(len(piers), out), np.full(len(piers), foot)], axis=1)
    parts.append(boxes(low, low + (PIER_MM, PIER_OUT_MM, top - foot), "left", "right"))
    behind = boxes((-half, near, foot), (half, near + THICK_MM, top), "back", "left", "right")
    return join([*parts, behind])


def _bricks(rng: Any, low_x: float, high_x: float, y: float) -> Mesh:
    """The face of a wall in stretcher bond: runs of bricks, each from anywhere in the photograph, which
    meet in the middle of a joint, so that nothing repeats."""
    first, last, rows = [], [], []
    for number in range(COURSES):
        start = low_x - number % 2 * BRICK_MM / 2
        steps = rng.integers(*RUN, size=int((high_x - start) / BRICK_MM / RUN[0]) + 2).cumsum()
        ends = np.minimum(start + BRICK_MM * np.concatenate([[0], steps]), high_x)
        kept = int(np.argmax(ends >= high_x))
        first.append(np.maximum(ends[:kept], low_x))
        last.append(ends[1 : kept + 1])
        rows.append(np.full(kept, number))
    x0, x1, course = np.concatenate(first), np.concatenate(last), np.concatenate(rows)
    shifted = course % 2 * BRICK_MM / 2
    # where in the photograph: a brick's joint to each joint, a course of the same kind to each course
    into = (x0 - low_x + shifted) % BRICK_MM
    u = rng.integers(0, TILE_BRICKS, len(x0)) * BRICK_MM - shifted + into
    v = (2 * rng.integers(0, TILE_COURSES // 2, len(x0)) + course % 2) * COURSE_MM
    low = np.stack([x0, np.full(len(x0), y), KERB_HIGH_MM + COURSE_MM * course], axis=1)
    high = np.stack([x1, low[:, 1], low[:, 2] + COURSE_MM], axis=1)
    return boxes(low, high, "front", shifts=np.stack([u - x0, v - low[:, 2]], axis=1))


def _coping(rng: Any, near: float, top: float, half: float, piers: Array) -> Mesh:
    x = np.arange(-half, half, COPING_LONG_MM)
    off = rng.uniform(-UNEVEN_MM, UNEVEN_MM, len(x))
    low = np.stack([x, near - OVER_MM + off, np.full(len(x), top)], axis=1)
    high = low + (COPING_LONG_MM - JOINT_MM, THICK_MM + 2 * OVER_MM, COPING_MM)
    caps = np.stack(
        [piers - PIER_MM / 2 - OVER_MM, np.full(len(piers), near - PIER_OUT_MM - OVER_MM)], axis=1
    )
    caps = np.column_stack([caps, np.full(len(piers), top)])
    over = (PIER_MM + 2 * OVER_MM, THICK_MM + PIER_OUT_MM + 2 * OVER_MM, COPING_MM + 20.0)
    low, high = np.concatenate([low, caps]), np.concatenate([high, caps + over])
    return boxes(low, high, "front", "back", "top", "left", "right", shifts=_anywhere(rng, len(low)))


def _anywhere(rng: Any, count: int) -> Array:
    """Where in its texture each stone is taken from, (count, 2) mm."""
    return np.asarray(rng.uniform(0, 700.0, (count, 2)))
