"""Blades of grass: about a small piece, over the land before a camera, over a bank. They are there for
pictures alone.

Land is seen from little above it: its blades stand before each other, which no flat picture of grass does.
How wide a blade is, and how many there are, goes with how far it is from the camera, so that none is finer
than a picture shows; where each stands is the land's own, wherever the camera goes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.mesh import Mesh, join, unit
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.view import View
from kilnchisel.core.units import within_turn

Array = NDArray[Any]

MOST_BLADES = 60_000
BLADE_MM, BLADE_WIDE_MM = 34.0, 2.4
BLADE_SHARE = 0.3  # of the piece's radius: they are no taller than that
TURF_REACH = 3.2  # in radii of the piece
UP = np.array([0.0, 0.0, 1.0])
TO_THE_FRONT, ASIDE = np.array([0.0, -0.4, 0.0]), np.array([1.7, 0.0, 0.0])
FACES_UP = 0.8  # how far blades are lit as the turf they are part of
# a blade from foot to tip: share of its height, half of its width there; one that is far off is a triangle
NEAR_BLADE = ((0.0, 0.5), (0.0, -0.5), (0.55, 0.38), (0.55, -0.38), (1.0, 0.0))
NEAR_FACES = ((0, 1, 3), (0, 3, 2), (2, 3, 4))
FAR_BLADE, FAR_FACES = ((0.0, 0.5), (0.0, -0.5), (1.0, 0.0)), ((0, 1, 2),)

LAND_MM, LEAST_WIDE_MM = 75.0, 3.5  # of blades over land
PIXEL = 1 / 900  # of how high a picture is: as wide as a blade is at least
COVER = 0.8  # of what is seen of the ground is behind blades
LIT = 0.25, 0.8, 0.5  # how far blades over land are lit as facing the eye, to either side at most, and up
STRAY, STRAYS_MM = 0.3, 5000.0  # how many have the shade of turf so far away
FARTHER, FARTHEST = 1.3, 40.0  # one distance to the next, and the last to the first at most
FINE_PX, LEAST_PX = 14.0, 2.0  # how high a blade is in such pixels that is bent, and that is seen at all
STEPS_DEG = 5.0  # of where the camera looks: views alike share their blades
LADDER_MM = 8.0  # cells go up from there by the root of 2
SLOPE_MM, SLOPE_WIDE_MM, A_SQUARE_M = 85.0, 14.0, 110.0  # on a bank: how high, how wide, how many
BESIDE_BANK = 0.12, 0.25  # how far beyond a slope's sheet, of its width and its depth


def _blades(
    foot: Array,
    high: Array,
    wide: Array,
    facing: Array,
    lean: Array,
    shade: Array,
    lit: Array | None = None,
    *,
    near: bool,
) -> Mesh:
    """Blades that stand at places (n, 3), mm, each of its own height and width, bowed over by ``lean``
    across the way it faces. ``shade``: where the turf has the shade of each, (n, 2), which is its uv;
    ``lit``: the way each is lit as if it faced, (n, 3); its own and up where it is not said."""
    side = np.stack([np.cos(facing), np.sin(facing)], axis=1)
    bow = np.stack([-side[:, 1], side[:, 0]], axis=1)
    form, triangles = (NEAR_BLADE, NEAR_FACES) if near else (FAR_BLADE, FAR_FACES)
    count, corners = len(foot), len(form)
    points = np.zeros((count, corners, 3))
    for n, (share, half) in enumerate(form):
        points[:, n, :2] = foot[:, :2] + (half * wide)[:, None] * side + (lean * share**1.8)[:, None] * bow
        points[:, n, 2] = foot[:, 2] + high * share * (1 - 0.25 * (lean / high) * share)
    points[:, :2, 2] -= 1.0  # rooted
    if lit is None:
        lit = FACES_UP * UP + (1 - FACES_UP) * np.concatenate([bow, np.zeros((count, 1))], axis=1)
    faces = np.array(triangles)[None] + corners * np.arange(count)[:, None, None]
    return Mesh(
        points.reshape(-1, 3),
        np.repeat(unit(lit), corners, axis=0),
        np.repeat(shade, corners, axis=0),
        faces.reshape(-1, 3).astype(np.int32),
    )


def _heights(tall: float, first: Array, second: Array, most: float = 2.0) -> tuple[Array, Array]:
    """How high blades are and how far they bow over, of two normal numbers each; ``most``: of ``tall``."""
    high = tall * np.clip(1.0 + 0.3 * first, 0.35, most)
    return high, high * np.clip(0.35 + 0.25 * second, 0.0, 1.2)


@remembered
def grown(radius_mm: float, clear_mm: tuple[float, float]) -> Mesh:
    """Blades of grass about the origin of a sheet (u, v, up), for a piece of this radius; none within
    ``clear_mm`` = (half wide, half deep), where it stands. Thinner towards where they end."""
    rng = np.random.default_rng(421)
    reach = TURF_REACH * radius_mm
    count = int(min(MOST_BLADES, 2.2e-2 * np.pi * reach**2))  # some two to a square cm at most
    far = reach * rng.random(count) ** 0.62
    turn = rng.uniform(0, 2 * np.pi, count)
    foot = far[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    foot = foot[(np.abs(foot) > clear_mm).any(axis=1)]
    count = len(foot)
    tall = min(BLADE_MM, BLADE_SHARE * radius_mm)
    first = rng.normal(size=count)
    wide = BLADE_WIDE_MM * np.sqrt(tall / BLADE_MM) * rng.uniform(0.7, 1.3, count)
    wide *= max(1.0, (2.0e-2 * np.pi * reach**2 / MOST_BLADES) ** 0.25)  # where they are few
    facing = rng.uniform(0, 2 * np.pi, count)
    high, lean = _heights(tall, first, rng.normal(size=count), 1.9)
    level = np.concatenate([foot, np.zeros((count, 1))], axis=1)
    # each of another shade of the turf
    shade = foot + rng.normal(0, 3 * tall, (count, 2))
    return _blades(level, high, wide, facing, lean, shade, near=True)


@dataclass(frozen=True)
class Before:
    """Land as a camera sees it, in the land's own sheet: where the eye is and how high, mm; which way it
    looks and how far to both sides, degrees; how far off land comes into the picture, mm; ``pixel``: as
    wide as a blade is at least, of how far it is. All in steps, so that views alike have the same."""

    eye: tuple[float, float]
    high_mm: float
    turn_deg: float
    half_deg: float
    near_mm: float
    pixel: float


def before(view: View, frame: Array) -> Before | None:
    """How a view sees the land whose sheet has this frame (4, 4) in the scene; None where it does not."""
    into, at = frame[:3, :3], frame[:3, 3]
    u, v, high = (view.eye - at) @ into
    steep = view.tall - view.raised  # the tangent of the lowest ray below the way ahead
    ahead = view.ahead @ into
    lowest = ahead - steep * (view.up @ into)
    flat = float(np.hypot(lowest[0], lowest[1]))
    if view.parallel or high <= 0 or lowest[2] >= 0 or flat <= 0:
        return None
    near = _stepped(max(float(high) * flat / -float(lowest[2]), 0.3 * float(high)), 1.1)
    step = near / 8
    # a picture is at most twice as wide as it is high
    half = np.degrees(np.arctan(2 * view.tall)) + STEPS_DEG
    turn = np.degrees(np.arctan2(ahead[1], ahead[0]))
    return Before(
        (float(np.round(u / step) * step), float(np.round(v / step) * step)),
        _stepped(float(high), 1.1),
        float(np.round(turn / STEPS_DEG) * STEPS_DEG),
        float(min(np.ceil(half / STEPS_DEG) * STEPS_DEG, 90.0)),
        near,
        _stepped(2 * view.tall * PIXEL, 1.1),
    )


def _stepped(value: float, by: float) -> float:
    return float(by ** np.round(np.log(value) / np.log(by)))


NOTHING = Mesh(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 2)), np.zeros((0, 3), np.int32))


def meadow(seen: Before, clear_mm: tuple[float, float]) -> Mesh:
    """Blades over land as it is seen, in its own sheet (u, v, up); none within ``clear_mm`` = (half wide,
    half deep) of its origin."""
    reach = LAND_MM / (LEAST_PX * seen.pixel) / seen.near_mm
    if reach <= 1:
        return NOTHING
    count = int(np.ceil(np.log(min(reach, FARTHEST)) / np.log(FARTHER)))
    ends = seen.near_mm * 0.9 * FARTHER ** np.arange(count + 1)
    middle = np.sqrt(ends[1:] * ends[:-1])
    wide = np.maximum(LEAST_WIDE_MM, seen.pixel * middle)
    # a blade hides the ground behind it for as far as the eye is low
    hidden = LAND_MM * np.maximum(middle / seen.high_mm, 1.0)
    cell = np.sqrt(wide * hidden / COVER)
    area = np.radians(seen.half_deg) * (ends[1:] ** 2 - ends[:-1] ** 2)
    cell *= np.sqrt(max(float((area / cell**2).sum()) / MOST_BLADES, 1.0))
    made = []
    for k in range(count):
        step = LADDER_MM * 2 ** (round(2 * float(np.log2(cell[k] / LADDER_MM))) / 2)
        near = FINE_PX * seen.pixel * middle[k] < LAND_MM
        # they get lower to where they end, so that no line is seen there
        last = np.clip((k + 1) / count, 0.7, 1.0)
        made.append(
            _ring(seen, clear_mm, (ends[k], ends[k + 1]), step, wide[k], 1.9 - 1.3 * last, near=near)
        )
    return join(made)


def _ring(
    seen: Before,
    clear_mm: tuple[float, float],
    ends: tuple[float, float],
    step: float,
    wide: float,
    tall: float,
    *,
    near: bool,
) -> Mesh:
    """Blades between two distances, one to a cell of the land."""
    cells = _cells(seen, ends[1], step)
    foot = step * (cells + np.stack([_chance(cells, 1), _chance(cells, 2)], axis=1))
    away = foot - seen.eye
    far = np.hypot(*away.T)
    aside = np.abs(within_turn(np.degrees(np.arctan2(away[:, 1], away[:, 0])) - seen.turn_deg))
    kept = (far >= ends[0]) & (far < ends[1]) & (aside < seen.half_deg)
    kept &= (np.abs(foot) > clear_mm).any(axis=1)
    foot, cells = foot[kept], cells[kept]
    chance = [_chance(cells, salt) for salt in range(3, 10)]
    high, lean = _heights(LAND_MM * min(tall, 1.0), *_spread(chance[0], chance[1]))
    facing = 2 * np.pi * chance[2]
    level = np.concatenate([foot, np.zeros((len(foot), 1))], axis=1)
    # towards the eye, or aside: none is looked at from where it would be dark
    there = unit(seen.eye - foot)
    aside = (2 * chance[6] - 1)[:, None] * np.stack([-there[:, 1], there[:, 0]], axis=1)
    lit = np.concatenate([LIT[0] * there + LIT[1] * aside, np.full((len(foot), 1), LIT[2])], axis=1)
    strays = np.where(chance[3] < STRAY, STRAYS_MM, 6 * LAND_MM)
    shade = foot + strays[:, None] * np.stack(_spread(chance[4], chance[5]), axis=1)
    return _blades(level, high, wide * (0.7 + 0.6 * chance[3]), facing, lean, shade, lit, near=near)


def _cells(seen: Before, reach: float, step: float) -> Array:
    """The cells of a lattice within a box round what is seen, (n, 2) whole numbers."""
    turn = np.radians(seen.turn_deg + np.linspace(-seen.half_deg, seen.half_deg, 9))
    rim = reach * np.stack([np.cos(turn), np.sin(turn)], axis=1) * 1.02 + seen.eye
    corners = np.concatenate([rim, [seen.eye]])
    low, high = np.floor(corners.min(axis=0) / step), np.ceil(corners.max(axis=0) / step)
    across, up = (np.arange(a, b) for a, b in zip(low, high, strict=True))
    return np.stack(np.meshgrid(across, up), axis=-1).reshape(-1, 2).astype(np.int64)


def _chance(cells: Array, salt: int) -> Array:
    """A number from 0 to 1 for each cell (n, 2), by chance and always the same (the finaliser of
    SplitMix64: Steele, Lea and Flood, OOPSLA 2014)."""
    u, v = cells.astype(np.uint64).T
    with np.errstate(over="ignore"):
        z = u * np.uint64(0x9E3779B97F4A7C15) ^ v * np.uint64(0xC2B2AE3D27D4EB4F)
        z = z + np.uint64(salt) * np.uint64(0xD1B54A32D192ED03)
    return np.asarray((mixed(z) >> np.uint64(11)) * 2.0**-53)


def mixed(z: Array) -> Array:
    """Whole numbers of 64 bits, each into one that looks like chance."""
    with np.errstate(over="ignore"):
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(z ^ (z >> np.uint64(31)))


def _spread(first: Array, second: Array) -> tuple[Array, Array]:
    """Two normal numbers of two even ones (Box and Muller 1958)."""
    far = np.sqrt(-2 * np.log1p(-first))
    return far * np.cos(2 * np.pi * second), far * np.sin(2 * np.pi * second)


@remembered
def on_bank(bank: Bank) -> tuple[Mesh, Mesh]:
    """Blades on a bank's slope, and on the land beside it, before it and on its crest, in its own frame; uv
    is on the slope's sheet."""
    side = body_of(bank, detail=Detail.ROUGH).sheets[0].side
    rng = np.random.default_rng(500 + bank.seed)
    low, high = np.reshape(side.domain.bounds, (2, 2))
    size = high - low
    edge = size * BESIDE_BANK
    whole = size + 2 * edge
    uv = rng.uniform(low - edge, high + edge, (int(A_SQUARE_M * whole.prod() / 1e6), 2))
    on_slope = ((uv >= low) & (uv <= high)).all(axis=1)
    return _tufted(side, uv[on_slope], rng), _tufted(side, uv[~on_slope], rng)


def _tufted(side: Side, uv: Array, rng: np.random.Generator) -> Mesh:
    """Blades on sloping ground at places of its sheet, (n, 2)."""
    foot = side.to_body(uv, np.zeros(len(uv)))
    lit = side.frames(uv)[:, 2] + TO_THE_FRONT + rng.uniform(-1, 1, (len(uv), 1)) * ASIDE
    count = len(foot)
    first = rng.normal(size=count)
    wide = SLOPE_WIDE_MM * rng.uniform(0.6, 1.4, count)
    high, lean = _heights(SLOPE_MM, first, rng.normal(size=count))
    facing = rng.uniform(0, 2 * np.pi, count)
    # on the sheet uv tell where it is lit, too: its shade is that of its foot
    return _blades(foot, high, wide, facing, lean, uv, lit, near=False)
