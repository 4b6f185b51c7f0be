"""The mug: a turned profile with a rolled rim, and a swept handle that runs into the wall."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Sheet, Shell, arc_angles
from kilnchisel.core.blanks.mesh import Mesh, facing_out, grid, join
from kilnchisel.core.blanks.section import columns_for, turned
from kilnchisel.core.blanks.sides import ClearZone, Cylinder
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.units import within_turn

Array = NDArray[Any]

CLEAR_BESIDE_HANDLE_MM = 4.0
FOOT_RISE_MM = 0.8


def mug_body(mug: Mug, *, detail: Detail) -> Body:
    """The body of a mug, standing on z = 0 about the z axis."""
    radius = mug.diameter_mm / 2
    columns = columns_for(radius, detail=detail)
    foot, top = foot_round(mug), wall_top(mug)
    half = np.pi * radius
    cuts = np.linspace(-half, half, columns + 1)
    side = Cylinder(
        name="outside",
        domain=shapely.box(-half, foot, half, top),
        radius_mm=radius,
        wall_mm=mug.wall_mm,
        clear=(_handle_zone(mug),) if mug.handle else (),
    )
    shells = tuple(
        Shell(name, slot, turned(points, normals, columns))
        for name, slot, points, normals in _profile(mug, detail=detail)
    )
    if mug.handle:
        shells += (Shell("handle", "rim", _handle(mug, detail=detail), "handle"),)
    return Body(shells, (Sheet(side, "blank", cuts),))


def foot_round(mug: Mug) -> float:
    """Radius of the rounding between wall and foot, mm; the lettered wall starts above it."""
    return min(5.0, mug.diameter_mm / 8, mug.height_mm / 8)


def wall_top(mug: Mug) -> float:
    """Height at which the straight wall meets the rim, mm."""
    bead = mug.rim_mm / 2
    return mug.height_mm - bead - bead * float(np.sin(_bead_start(mug)))


def _bead_start(mug: Mug) -> float:
    """Angle below the horizontal at which the rolled rim leaves the wall, radians."""
    return float(np.arccos(mug.wall_mm / mug.rim_mm))


def _profile(mug: Mug, *, detail: Detail) -> list[tuple[str, FinishSlot, Array, Array]]:
    """The smooth runs of the section from the foot's middle over the rim to the inner floor.

    Each: name, finish, points (n, 2) as (r, z), normals (n, 2).
    """
    radius, wall = mug.diameter_mm / 2, mug.wall_mm
    foot = foot_round(mug)
    inner_round = max(foot - wall, 1.0)
    inner = radius - wall
    bead = mug.rim_mm / 2
    bead_centre = (radius - wall / 2, mug.height_mm - bead)
    start = np.degrees(_bead_start(mug))
    floor = FOOT_RISE_MM + wall
    flat = radius - foot
    ring = flat - 2.0  # the foot stands on a ring; inside it the underside is lifted

    def line(*ends: tuple[float, float]) -> tuple[Array, Array]:
        points = np.array(ends)
        step = points[-1] - points[0]
        normal = np.array([step[1], -step[0]]) / np.linalg.norm(step)
        return points, np.broadcast_to(normal, points.shape).copy()

    def arc(
        centre: tuple[float, float], r: float, first: float, last: float, *, inward: bool = False
    ) -> tuple[Array, Array]:
        angles = arc_angles(first, last, r, detail=detail)
        out = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        return centre + r * out, -out if inward else out

    under = line((0.0, FOOT_RISE_MM), (ring - FOOT_RISE_MM, FOOT_RISE_MM))
    step = line((ring - FOOT_RISE_MM, FOOT_RISE_MM), (ring, 0.0))
    stand = line((ring, 0.0), (flat, 0.0))
    corner = arc((flat, foot), foot, -90, 0)
    rim = arc(bead_centre, bead, -start, 180 + start)
    heights = np.linspace(wall_top(mug), floor + inner_round, 9 if detail.fine else 6)
    inside = line(*[(inner, float(z)) for z in heights])
    inner_corner = arc((inner - inner_round, floor + inner_round), inner_round, 0, -90, inward=True)
    radii = np.linspace(inner - inner_round, 0.0, 7 if detail.fine else 4)
    inner_floor = line(*[(float(r), floor) for r in radii])
    runs: list[tuple[str, FinishSlot, tuple[Array, Array]]] = [
        ("underside", "blank", under),
        ("foot step", "blank", step),
        ("foot", "bisque", stand),
        ("foot round", "blank", corner),
        ("rim", "rim", rim),
        ("inside", "blank", inside),
        ("inner round", "pooled", inner_corner),
        ("floor", "blank", inner_floor),
    ]
    return [(name, slot, points, normals) for name, slot, (points, normals) in runs]


def _handle_reach(mug: Mug) -> tuple[float, float, float]:
    """Middle height, half height and outward reach of the handle's centre line, mm."""
    low, high = foot_round(mug), wall_top(mug)
    half = 0.36 * (high - low)
    return 0.5 * (low + high) + 0.02 * mug.height_mm, half, max(0.3 * mug.diameter_mm, 22.0)


def _handle_section(mug: Mug) -> tuple[float, float]:
    """Half width (round the mug) and half thickness of the handle's section, mm."""
    width = float(np.clip(0.075 * mug.diameter_mm, 4.0, 8.0))
    return width, 0.56 * width


def _handle_zone(mug: Mug) -> ClearZone:
    middle, half, _ = _handle_reach(mug)
    width, thick = _handle_section(mug)
    radius = mug.diameter_mm / 2
    u = np.radians(within_turn(mug.handle_deg)) * radius
    across = 1.35 * width + CLEAR_BESIDE_HANDLE_MM
    up = half + 1.35 * thick + CLEAR_BESIDE_HANDLE_MM
    low, high = foot_round(mug), wall_top(mug)
    return ClearZone(
        "handle",
        shapely.box(u - across, max(middle - up, low), u + across, min(middle + up, high)),
    )


def _handle(mug: Mug, *, detail: Detail) -> Mesh:
    """A closed tube of elliptic section along a half loop, its ends inside the wall."""
    middle, half, reach = _handle_reach(mug)
    width, thick = _handle_section(mug)
    radius = mug.diameter_mm / 2
    root = radius - 0.8 * mug.wall_mm
    along = np.linspace(0, np.pi, 81 if detail.fine else 15)
    # a loop a little squarer than an ellipse: |x|^p + |z|^p with p = 2.4
    p = 2 / 2.4
    x = root + reach * np.sin(along) ** p
    z = middle + half * np.sign(np.cos(along)) * np.abs(np.cos(along)) ** p
    centre = np.stack([x, z], axis=1)
    centre = _evenly(centre, len(along))
    tangent = np.gradient(centre, axis=0)
    tangent[0] = centre[1] - centre[0]
    tangent[-1] = centre[-1] - centre[-2]
    tangent[0, 1] = tangent[-1, 1] = 0.0  # the ends run straight into the wall
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    side = np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)
    way = np.linspace(0, 1, len(centre))
    flare = 1 + 0.3 * np.exp(-((np.minimum(way, 1 - way) / 0.06) ** 2))
    turn = np.linspace(0, 2 * np.pi, (37 if detail.fine else 13))
    cos, sin = np.cos(turn), np.sin(turn)
    cos[-1], sin[-1] = cos[0], sin[0]
    in_plane = centre[:, None, :] + (thick * flare)[:, None, None] * cos[None, :, None] * side[:, None]
    across = (width * flare)[:, None] * sin[None, :]
    n_plane = (cos / thick)[None, :, None] * side[:, None]
    n_across = np.broadcast_to((sin / width)[None, :], across.shape)
    points = np.stack([in_plane[..., 0], across, in_plane[..., 1]], axis=-1)
    normals = np.stack([n_plane[..., 0], n_across, n_plane[..., 1]], axis=-1)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(centre, axis=0), axis=1))])
    uv = np.stack(np.broadcast_arrays(turn[None, :] * width, run[:, None]), axis=-1)
    tube = grid(points, normals, uv)
    mesh = join([tube, _cap(points[0], tangent[0], -1), _cap(points[-1], tangent[-1], 1)])
    return mesh.moved(_turn_about_z(mug.handle_deg - 90))


def _evenly(points: Array, count: int) -> Array:
    """The same polyline with ``count`` points at equal distances."""
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    run = np.concatenate([[0.0], np.cumsum(steps)])
    wanted = np.linspace(0, run[-1], count)
    return np.stack([np.interp(wanted, run, points[:, i]) for i in range(2)], axis=1)


def _cap(ring: Array, tangent: Array, sign: float) -> Mesh:
    """The flat end of a tube; ``sign`` is -1 where the tube begins, 1 where it ends."""
    corners = np.concatenate([ring[:-1], ring[:-1].mean(axis=0, keepdims=True)])
    count = len(ring) - 1
    index = np.arange(count)
    faces = np.stack([index, (index + 1) % count, np.full(count, count)], axis=1)
    outward = np.broadcast_to(np.array([tangent[0], 0.0, tangent[1]]) * sign, corners.shape)
    return facing_out(corners, outward.copy(), np.zeros((count + 1, 2)), faces)


def _turn_about_z(degrees: float) -> Array:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[c, -s, 0, 0], [s, c, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]])
