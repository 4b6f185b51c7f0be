"""The scene: everything a renderer needs, and nothing about how it draws.

Scene coordinates are mm, z up. The piece keeps its own frame and is brought into the scene by
``stance``, so that changing how it lies does not touch its meshes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.crafts.piece import Piece
from kilnchisel.core.crafts.through import PANEL_MM
from kilnchisel.core.finishes import textures, woods
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.gas import lamp_radiance
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.finishes.wear import Marked
from kilnchisel.core.job.crafts import CutThrough, Standing, Tube
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Glow, Ground
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.light import (
    DARK,
    DARK_SHARE,
    ROOM_WHITE,
    KeyPanel,
    Room,
    blurred_room,
    panel_of,
    room_of,
)
from kilnchisel.core.scene.materials import material_of_part
from kilnchisel.core.scene.stance import behind_mm, beside_mm, stance_of, stance_shown

Array = NDArray[Any]

# behind a parallel view: a sheet of grey, so that colours can be judged, darker towards its corners, so
# that it is seen to be one
SHEET, SHEET_FALLS = 0.34, 0.5
HANG_GAP_MM = 1.5  # a hung plaque stands this far off the wall


@dataclass(frozen=True, eq=False)
class Item:
    """A mesh in the piece's frame with its material. ``side``: whose sheet its uv are on, if any;
    ``still``: whether it stays when lettering changes."""

    name: str
    side: str | None
    mesh: Mesh
    material: Material
    still: bool = True


@dataclass(frozen=True, eq=False)
class Base:
    """The ground: a round flat surface through ``point`` with unit ``normal``."""

    point: Array
    normal: Array
    along: Array  # unit vector along the texture's u
    radius_mm: float
    material: Material


@dataclass(frozen=True, eq=False)
class Backdrop:
    """What is seen where nothing stands: the room out of focus, or one colour."""

    picture: Array  # (h, w, 3) all-round, linear
    turn: float


NO_GLOW = Glow(strength=0)


@dataclass(frozen=True, eq=False)
class Lamps:
    """Straight pieces of lit tubes: start, end (m, 3) in the scene, radius (m,), radiance (m, 3)."""

    start: Array
    end: Array
    radius: Array
    radiance: Array


@dataclass(frozen=True, eq=False)
class Scene:
    """Items, ground and light. ``middle`` and ``radius_mm``: the piece's ball, scene coordinates."""

    items: tuple[Item, ...]
    stance: Array  # (4, 4), piece to scene
    base: Base | None
    room: Room
    panel: KeyPanel | None
    backdrop: Backdrop
    exposure_stops: float
    middle: Array
    radius_mm: float
    albedos: dict[str, Array]  # mean reflectance of each finish slot, linear RGB
    proxy: Body | None  # the blank's coarse body, for gathering light; None for a bare mesh
    clear: bool = False  # light goes through the piece
    lamps: Lamps | None = None
    shines: bool = False  # whether any item does
    glow: Glow = NO_GLOW


def middle_of(body: Body, stance: Array) -> tuple[Array, float]:
    """Middle (scene coordinates) and radius of the ball round a body, mm."""
    boxes = [shell.mesh.bounds for shell in body.shells]
    for sheet in body.sheets:
        rim = np.asarray(sheet.border.exterior.coords)
        if sheet.net is not None:
            rim = sheet.net.points
        ends = sheet.side.to_body(rim, np.zeros(len(rim)))
        boxes.append(np.stack([ends.min(axis=0), ends.max(axis=0)]))
    low = np.min([box[0] for box in boxes], axis=0)
    high = np.max([box[1] for box in boxes], axis=0)
    return stance[:3, :3] @ ((low + high) / 2) + stance[:3, 3], float(np.linalg.norm(high - low) / 2)


def scene_of(job: Job, piece: Piece, proxy: Body, marks: dict[str, Marked] | None = None) -> Scene:
    """The scene of a crafted job. ``proxy``: the coarse body of its blank; ``marks``: the edges of its
    sides by name, where it is worn."""
    marks = marks or {}
    ground = material_of(job.finish)
    slots = {
        "blank": ground,
        "rim": material_of(job.rim_finish),
        "detail": material_of(job.detail_finish),
    }
    rounds = {sheet.side.name: sheet.side.period or 0.0 for sheet in proxy.sheets}
    items = tuple(
        Item(
            part.name,
            part.side,
            part.mesh,
            material_of_part(job, part, slots, marks, rounds),
            part.still,
        )
        for part in piece.parts
    )
    stance = stance_of(job)
    middle, radius = middle_of(proxy, stance)
    setting = job.setting
    room = room_of(setting.light)
    return Scene(
        items=items,
        stance=stance,
        base=_base(job, radius),
        room=room,
        panel=panel_of(setting.light.key, middle, radius),
        backdrop=_backdrop(setting.ground, setting.light.room, setting.light.strength, room.turn),
        exposure_stops=setting.exposure_stops,
        middle=middle,
        radius_mm=radius,
        albedos={slot: material.albedo for slot, material in slots.items()},
        proxy=proxy,
        clear=ground.kind == "glass",
        lamps=_lamps(job, piece, stance),
        shines=any(item.material.shines for item in items),
        glow=setting.glow,
    )


STRAIGHT_MM = 2.0  # a piece of a lamp may stray from its tube by so much


def _lamps(job: Job, piece: Piece, stance: Array) -> Lamps | None:
    """The lit tubes of a piece in straight pieces."""
    starts, ends, radii, sent = [], [], [], []
    for lamp in piece.lamps:
        craft = job.letterings[lamp.lettering].craft
        assert isinstance(craft, Tube | Standing)
        line = shapely.get_coordinates(
            shapely.simplify(shapely.LineString(lamp.line), STRAIGHT_MM), include_z=True
        )
        line = line @ stance[:3, :3].T + stance[:3, 3]
        starts.append(line[:-1])
        ends.append(line[1:])
        radii.append(np.full(len(line) - 1, lamp.radius_mm))
        sent.append(np.broadcast_to(lamp_radiance(craft), (len(line) - 1, 3)))
    if not starts:
        return None
    return Lamps(*(np.concatenate(x) for x in (starts, ends, radii, sent)))


def _base(job: Job, radius: float) -> Base:
    ground = job.setting.ground
    material = _GROUNDS[ground.kind](ground)
    if stance_shown(job) == "hung":
        back = HANG_GAP_MM + _behind_mm(job) + behind_mm(job.blank)
        return Base(
            np.array([0.0, back, 0.0]),
            np.array([0.0, -1.0, 0.0]),
            np.array([1.0, 0.0, 0.0]),
            max(3000.0, 12 * radius),
            material,
        )
    wall = beside_mm(job.blank)
    if wall is not None:
        return Base(
            np.array([-wall, 0.0, 0.0]),
            np.array([1.0, 0.0, 0.0]),
            np.array([0.0, 1.0, 0.0]),
            max(4000.0, 9 * radius),
            material,
        )
    # boards run a little askew, as a thing put down on a table does not line up with it
    turn = np.radians(9.0)
    return Base(
        np.zeros(3),
        np.array([0.0, 0.0, 1.0]),
        np.array([np.cos(turn), np.sin(turn), 0.0]),
        max(560.0, 4.5 * radius, _open_land_mm(ground, radius)),
        material,
    )


OPEN_LAND, OPEN_MM = 60.0, 60_000.0  # how far open ground goes, in the piece's own size, and at most


def _open_land_mm(ground: Ground, radius: float) -> float:
    """How far the ground goes for a level horizon: out of doors only, and not so far that its texture is
    seen to repeat."""
    return min(OPEN_LAND * radius, OPEN_MM) if ground.kind in ("grass", "asphalt") else 0.0


def _behind_mm(job: Job) -> float:
    """How much room a hung panel needs for what is behind its openings."""
    crafts = [item.craft for item in job.letterings]
    behind = [c.behind_mm for c in crafts if isinstance(c, CutThrough) and c.behind != "nothing"]
    return max(behind) + PANEL_MM if behind else 0.0


def _card(ground: Ground) -> Material:
    return Material("matte", hex_to_linear(ground.colour), 0.6, textures.fibre())


_GROUNDS: dict[str, Any] = {
    "oak table": lambda ground: Material("coated", (1.0, 1.0, 1.0), 0.34, woods.oak_boards()),
    "card": _card,
    "slate slab": lambda ground: Material("coated", hex_to_linear("#3d4145"), 0.42, textures.slate()),
    "plaster": lambda ground: Material("matte", hex_to_linear(ground.colour), 0.6, textures.plaster()),
    "brick": lambda ground: Material("matte", (1.0, 1.0, 1.0), 0.7, textures.bricks()),
    "boards": lambda ground: Material("coated", (0.62, 0.64, 0.66), 0.5, woods.oak_boards()),
    "concrete": lambda ground: Material("matte", hex_to_linear(ground.colour), 0.6, textures.concrete()),
    "asphalt": lambda ground: Material("coated", hex_to_linear("#4a4a48"), 0.5, textures.asphalt()),
    "grass": lambda ground: Material("matte", hex_to_linear("#5d7a3a"), 0.8, textures.turf()),
}


def _backdrop(ground: Ground, room: str, strength: float, turn: float) -> Backdrop:
    if ground.behind == "plain":
        colour = np.array(hex_to_linear(ground.behind_colour), dtype=np.float32)
        return Backdrop(np.broadcast_to(colour, (2, 4, 3)).copy(), 0.0)
    return Backdrop(_seen_room(room, strength), turn)


@remembered
def _seen_room(room: str, strength: float) -> Array:
    share = DARK_SHARE if room == DARK else 1.0
    return blurred_room(room) * np.float32(share * ROOM_WHITE * strength / 100)
