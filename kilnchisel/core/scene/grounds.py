"""What a piece stands on or hangs from: its material at the piece's own scale, and its form."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.coarse import matrix_in
from kilnchisel.core.blanks.mesh import Mesh, lattice_faces
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.crafts.through import PANEL_MM
from kilnchisel.core.finishes import photographs, textures, woods
from kilnchisel.core.finishes.material import Material, Texture
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import CutThrough
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Ground, Light
from kilnchisel.core.job.traits import deep_of, size_of
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.exposure import lit_by, spot_of
from kilnchisel.core.scene.grass import before
from kilnchisel.core.scene.light import room_of
from kilnchisel.core.scene.relief import laid
from kilnchisel.core.scene.stance import behind_mm, beside_mm, posts_of, stance_shown
from kilnchisel.core.scene.street import reach_of
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

HANG_GAP_MM = 1.5  # a hung plaque stands this far off the wall
OPEN_LAND, OPEN_MM = 60.0, 60_000.0  # how far open ground goes, in the piece's own size, and at most
# a sweep, in radii of the piece: where it begins to rise, its round, how high and how wide it is
SWEEP_FROM, SWEEP_ROUND, SWEEP_HIGH, SWEEP_WIDE = 3.0, 2.2, 5.0, 18.0
ROUND_STEPS = 48
# a table: half its width, how far it comes forward and goes back, at least mm and in radii of the piece
TABLE = ((700.0, 6.0), (420.0, 5.0), (330.0, 3.4))
TABLE_TURN_DEG = 4.0
FADES = (4.0, 15.0)  # where open ground goes over into what is seen there, in radii of the piece
RIM = 180  # points round a flat ground


@dataclass(frozen=True, eq=False)
class Base:
    """The ground: flat and round through ``point`` with unit ``normal``; or rising behind the piece in a
    sweep that begins ``sweep`` = (how far behind, its round, how high), mm, or ``turned`` half round,
    towards the viewer, and ``stays`` so while one walks past it; or a ``table`` = (half its width, how far
    to the front, how far back), mm. ``fades``: between which distances it is lost, mm. ``relief``: what
    stands out of the plane, and its sizes as ``relief.laid`` takes them. ``grassed``: where blades stand
    out of it as a camera sees it, but for the box (half wide, half deep) where the piece stands."""

    point: Array
    normal: Array
    along: Array  # unit vector along the texture's u
    radius_mm: float
    material: Material
    sweep: tuple[float, float, float] | None = None
    turned: bool = False
    stays: bool = False
    table: tuple[float, float, float] | None = None
    fades: tuple[float, float] | None = None
    relief: tuple[str, tuple[Any, ...]] | None = None
    grassed: tuple[float, float] | None = None

    def under(self, point: Array) -> Array:
        """The point of its plane below a point of the scene."""
        return np.asarray(point - ((point - self.point) @ self.normal) * self.normal)

    def sheet_at(self, points: Array) -> Array:
        """Points of its plane (n, 3) on its sheet, (n, 2) mm."""
        away = points - self.point
        return np.stack([away @ self.along, away @ np.cross(self.normal, self.along)], axis=1)

    @property
    def form(self) -> tuple[Any, ...]:
        """What its surface depends on besides its frame and, where it is grassed, the camera, to be
        compared."""
        relief = self.relief if self.grassed is None else None
        return self.radius_mm, self.sweep, self.turned, self.table, relief

    @property
    def rises(self) -> Array:
        """The way to where a sweep rises, (3,)."""
        return np.array([0.0, -1.0 if self.turned else 1.0, 0.0])

    def seen_in(self, view: View) -> Base:
        """With the blades of grass that a view shows, where there are any."""
        if self.grassed is None:
            return self
        seen = before(view, self.frame)
        relief = None if seen is None else ("meadow", (seen, self.grassed))
        return self if relief == self.relief else replace(self, relief=relief)

    @property
    def mesh(self) -> Mesh:
        """Its surface in the scene, uv in mm of its own sheet."""
        if self.sweep is not None:
            return _swept(self)
        return _flat(self.frame.tobytes(), self.radius_mm) if self.table is None else _topped(self)

    @cached_property
    def close_mesh(self) -> Mesh:
        """The same with what stands out of it, where anything does."""
        if self.relief is None:
            return self.mesh
        frame = self.frame.tobytes()
        return laid(self.relief[0], frame, _flat(frame, self.radius_mm), self.relief[1])

    @property
    def frame(self) -> Array:
        """The motion (4, 4) that brings its sheet's u, v and outward into the scene."""
        into = np.eye(4)
        across = np.cross(self.normal, self.along)
        into[:3] = np.stack([self.along, across, self.normal, self.point], axis=1)
        return into


def _topped(base: Base) -> Mesh:
    assert base.table is not None
    half, front, back = base.table
    across = np.cross(base.normal, base.along)
    flat = np.array([[-half, -front], [half, -front], [half, back], [-half, back]])
    points = base.point + flat[:, :1] * base.along + flat[:, 1:] * across
    normals = np.broadcast_to(base.normal, points.shape).copy()
    return Mesh(points, normals, flat, np.array([[0, 1, 2], [0, 2, 3]], np.int32))


@remembered
def _flat(frame: bytes, radius_mm: float) -> Mesh:
    """A disc; ``frame``: of its base, as bytes."""
    along, across, normal, point = matrix_in(frame)[:3].T
    turn = np.linspace(0, 2 * np.pi, RIM + 1)[:-1]
    flat = radius_mm * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    flat = np.concatenate([flat, np.zeros((1, 2))])
    points = point + flat[:, :1] * along + flat[:, 1:] * across
    ring = np.arange(RIM)
    faces = np.stack([np.full(RIM, RIM), ring, (ring + 1) % RIM], axis=1)
    normals = np.broadcast_to(normal, points.shape).copy()
    return Mesh(points, normals, flat, faces.astype(np.int32))


def _swept(base: Base) -> Mesh:
    """Flat in front, a quarter of a circle behind, and a wall above that. It rises away from the viewer,
    +y, or is turned half round."""
    assert base.sweep is not None
    behind, round_, high = base.sweep
    wide = base.radius_mm
    turn = np.linspace(0, np.pi / 2, ROUND_STEPS + 1)
    back = np.concatenate([[-wide], behind + round_ * np.sin(turn), [behind + round_]])
    up = np.concatenate([[0.0], round_ * (1 - np.cos(turn)), [max(high, round_)]])
    lean = np.concatenate([[0.0], turn, [np.pi / 2]])
    way = np.concatenate([[-wide], behind + round_ * turn, [behind + round_ * np.pi / 2 + up[-1] - round_]])
    half = np.array([-1.0, -1.0, 1.0]) if base.turned else np.ones(3)
    rows = [base.point + half * np.stack([np.full(len(back), x), back, up], axis=1) for x in (-wide, wide)]
    normal = half * np.stack([np.zeros(len(lean)), -np.sin(lean), np.cos(lean)], axis=1)
    turned = np.arctan2(base.along[1], base.along[0])  # the sheet lies as the flat ground's does
    c, s = np.cos(turned), np.sin(turned)
    uv = [np.stack([x * c + way * s, -x * s + way * c], axis=1) for x in (-wide, wide)]
    return Mesh(
        np.concatenate(rows),
        np.concatenate([normal, normal]),
        half[:2] * np.concatenate(uv),
        lattice_faces(2, len(back))[:, ::-1].astype(np.int32),
    )


def ground_of(job: Job, middle: Array, radius: float) -> Base | None:
    """The ground of a job whose piece has this middle and radius, mm. Ground that goes over into that of
    the place is as bright and of the colour that is seen there."""
    base = base_of(job, radius)
    if base is None or base.fades is None:
        return base
    material = base.material
    wanted = _land_tones(job.setting.light, spot_of(middle), radius)
    share = wanted / np.maximum(material.albedo / np.asarray(material.base), 1e-6)
    tone = (float(share[0]), float(share[1]), float(share[2]))
    return replace(base, material=replace(material, base=tone))


GROUND_TONES = 0.02, 0.85  # the darkest and the lightest open ground
# directions a little below the horizon, all behind the piece
FAR_GROUND = np.array(
    [
        [np.sin(azimuth) * np.cos(down), np.cos(azimuth) * np.cos(down), -np.sin(down)]
        for azimuth in np.radians(np.linspace(-40, 40, 9))
        for down in np.radians([6.0, 10.0, 16.0, 24.0])
    ]
)


@remembered
def _land_tones(light: Light, middle: tuple[float, float, float], radius: float) -> Array:
    """The reflectance (3,) that level ground needs to look as the place's own does."""
    lit = lit_by(light, middle, radius, np.zeros(3), np.array([[0.0, 0.0, 1.0]]))[0]
    seen = room_of(light).seen(FAR_GROUND).mean(axis=0)
    return np.asarray(np.clip(seen / np.maximum(lit, 1e-6), *GROUND_TONES))


def plane_of(job: Job) -> tuple[Array, Array, Array]:
    """What a job's piece stands on or is fixed to: a point of it, its normal, and the way along it."""
    if stance_shown(job) == "hung":
        back = HANG_GAP_MM + _behind_mm(job) + behind_mm(job.blank)
        return np.array([0.0, back, 0.0]), np.array([0.0, -1.0, 0.0]), np.array([1.0, 0.0, 0.0])
    wall = beside_mm(job.blank)
    if wall is not None:
        return np.array([-wall, 0.0, 0.0]), np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])
    # boards run a little askew, as a thing put down on a table does not line up with it
    return np.zeros(3), np.array([0.0, 0.0, 1.0]), _along(9.0)


def base_of(job: Job, radius: float) -> Base | None:
    """The ground of a job whose piece has this radius, mm; None where it stands on nothing."""
    ground = job.setting.ground
    if ground.kind == "none":
        return None
    material = MATERIALS[ground.kind](ground, radius)
    point, normal, along = plane_of(job)
    if normal[2] == 0:
        half = max(4000.0, 9 * radius) if normal[0] else max(3000.0, 12 * radius)
        return Base(point, normal, along, half, material, relief=_bricks(ground, half))
    base = Base(point, normal, along, max(560.0, 4.5 * radius, _open_land_mm(ground, radius)), material)
    if ground.form == "sweep":
        sweep = (SWEEP_FROM * radius, SWEEP_ROUND * radius, SWEEP_HIGH * radius)
        return replace(base, radius_mm=SWEEP_WIDE * radius, sweep=sweep)
    if ground.form == "table":
        half, front, back = (max(least, share * radius) for least, share in TABLE)
        return replace(base, along=_along(TABLE_TURN_DEG), radius_mm=half, table=(half, front, back))
    if ground.form == "street":
        return replace(base, radius_mm=reach_of(radius))
    if ground.form in ("open", "bays"):
        fades = (FADES[0] * radius, FADES[1] * radius)
        grassed = _grassed(job) if ground.kind == "grass" and radius > LARGEST_IN_GRASS_MM else None
        reach, relief = FADES[1] * radius, _blades(job, radius)
        return replace(base, radius_mm=reach, fades=fades, relief=relief, grassed=grassed)
    return base


def _bricks(ground: Ground, half_mm: float) -> tuple[str, tuple[Any, ...]] | None:
    # in steps, so that pieces of like size share one wall
    return ("bricks", (float(np.ceil(half_mm / 1000) * 1000),)) if ground.kind == "brick" else None


LARGEST_IN_GRASS_MM = 1500.0  # round a larger piece blades are those that a camera sees


def _blades(job: Job, radius: float) -> tuple[str, tuple[Any, ...]] | None:
    if job.setting.ground.kind != "grass" or radius > LARGEST_IN_GRASS_MM:
        return None
    return "blades", (radius, _clear_of(job))


def _clear_of(job: Job) -> tuple[float, float]:
    """Where no blade grows, half wide and half deep: below what stands there."""
    return (0.0, 0.0) if posts_of(job) else (0.5 * size_of(job.blank)[0], 0.5 * deep_of(job.blank))


def _grassed(job: Job) -> tuple[float, float]:
    """The same of what is large: a bank has its own, under wheels and stands and along walls it grows."""
    return _clear_of(job) if isinstance(job.blank, Bank) else (0.0, 0.0)


def _along(turn_deg: float) -> Array:
    turn = np.radians(turn_deg)
    return np.array([np.cos(turn), np.sin(turn), 0.0])


def _open_land_mm(ground: Ground, radius: float) -> float:
    """How far the ground goes for a level horizon: out of doors only, and not so far that its texture is
    seen to repeat."""
    return min(OPEN_LAND * radius, OPEN_MM) if ground.kind in ("grass", "asphalt") else 0.0


def _behind_mm(job: Job) -> float:
    """How much room a hung panel needs for what is behind its openings."""
    crafts = [item.craft for item in job.letterings]
    behind = [c.behind_mm for c in crafts if isinstance(c, CutThrough) and c.behind != "nothing"]
    return max(behind) + PANEL_MM if behind else 0.0


Made = Callable[[Ground, float], Material]
LEAST_TILES, MOST_TILES = 1.0, 5.0  # of the photograph in what is spread out
WIDE_ROAD = 1.2  # radii of what stands on a road that it does not repeat in, though its grain is lost


def _span(
    radius: float, photograph_mm: float, least: float = LEAST_TILES, most: float = MOST_TILES
) -> float:
    """How wide a tile is made for a piece of this radius: a few photographs, in steps, so that pieces of
    like size share one."""
    wanted = np.clip(9 * radius, least * photograph_mm, most * photograph_mm)
    return float(photograph_mm * 2 ** np.round(np.log2(wanted / photograph_mm)))


def _plain(ground: Ground, radius: float) -> Material:
    return Material("matte", hex_to_linear(ground.colour), 0.6, textures.fibre())


def _seamless(ground: Ground, radius: float) -> Material:
    """Smooth coated paper or vinyl from the roll."""
    return Material("coated", hex_to_linear(ground.colour), 0.32)


def _acrylic(ground: Ground, radius: float) -> Material:
    return Material("coated", hex_to_linear(ground.colour), 0.05)


def _photographed(make: Any, mm: float, kind: Any = "matte", alpha: float = 0.7) -> Made:
    def made(ground: Ground, radius: float) -> Material:
        return Material(kind, hex_to_linear(ground.colour), alpha, make(_span(radius, mm)))

    return made


def _oak(ground: Ground, radius: float) -> Texture:
    """Under a small piece on a table it is made finer."""
    fine = next((made for below, *made in FINE_OAK if radius < below), None)
    return woods.oak_boards() if fine is None or ground.form != "table" else woods.oak_boards(*fine)


WIDE_MM = 1500.0
FAR = ("open", "bays", "street")  # forms that are seen as far as the horizon


def _wide(ground: Ground, radius: float, near: Any, wide: Any, most: float = MOST_TILES) -> Texture:
    """What is seen as far as the horizon has a tile as wide as what lies about the piece."""
    made = wide(_span(radius, WIDE_MM, most=most)) if ground.form in FAR else near()
    assert isinstance(made, Texture)
    return made


def _asphalt(ground: Ground, radius: float) -> Material:
    if ground.form == "street":
        return Material(
            "coated", hex_to_linear(WORN_ROAD), 0.55, textures.driven_road(_span(radius, WIDE_MM))
        )
    most = max(MOST_TILES, WIDE_ROAD * radius / WIDE_MM)
    texture = _wide(ground, radius, textures.asphalt, textures.road, most)
    return Material("coated", hex_to_linear("#4a4a48"), 0.5, texture)


def _concrete(ground: Ground, radius: float) -> Material:
    # no more than a bay is seen in one piece
    made = textures.road(_span(radius, WIDE_MM)) if ground.form == "bays" else textures.concrete()
    return Material("matte", hex_to_linear(ground.colour), 0.6, made)


FINE_OAK = ((40.0, 200.0, 1280), (150.0, 300.0, 1536))  # below which radius, tile in mm and in pixels
WHITE = (1.0, 1.0, 1.0)
WORN_ROAD = "#7b7a77"  # asphalt that has been driven on for years has lost its black
MATERIALS: dict[str, Made] = {
    "oak table": lambda ground, radius: Material("coated", WHITE, 0.34, _oak(ground, radius)),
    "card": _plain,
    "slate slab": lambda ground, radius: Material(
        "coated", hex_to_linear("#3d4145"), 0.42, textures.slate()
    ),
    "plaster": lambda ground, radius: Material(
        "matte", hex_to_linear(ground.colour), 0.6, textures.plaster()
    ),
    "brick": lambda ground, radius: Material("matte", WHITE, 0.7, textures.bricks()),
    "boards": lambda ground, radius: Material("coated", (0.62, 0.64, 0.66), 0.5, _oak(ground, radius)),
    "concrete": _concrete,
    "asphalt": _asphalt,
    "grass": lambda ground, radius: Material(
        "matte", hex_to_linear("#5d7a3a"), 0.8, _wide(ground, radius, textures.turf, textures.lawn)
    ),
    "seamless": _seamless,
    "acrylic": _acrylic,
    "felt": _photographed(photographs.felt, 150.0),
    "leather": _photographed(photographs.hide, 150.0, "coated", 0.38),
    "linen": _photographed(photographs.linen, 60.0),
    "paper": _photographed(photographs.paper, 200.0),
    "weathered planks": lambda ground, radius: Material(
        "coated", WHITE, 0.62, photographs.planks(_span(radius, 900.0, 0.25))
    ),
    "roughcast": _photographed(photographs.roughcast, 600.0),
    "gravel": lambda ground, radius: Material(
        "matte", hex_to_linear("#8a8378"), 0.8, photographs.gravel(_span(radius, 500.0))
    ),
    "moss": lambda ground, radius: Material(
        "matte", hex_to_linear("#5b5a36"), 0.8, photographs.moss(_span(radius, 1500.0))
    ),
}
