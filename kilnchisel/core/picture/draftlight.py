"""The light that a draft is drawn by: what arrives at the piece and its ground from all around, and what
surrounds them, remembered by what it depends on."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, distinct
from kilnchisel.core.detail import Detail
from kilnchisel.core.kept import digest_of, kept_arrays
from kilnchisel.core.picture.card import Card, let_go_of, set_values, weakly
from kilnchisel.core.picture.gather import (
    QUICK_RAYS,
    RAYS,
    Gathered,
    Hits,
    gather,
    kept_of_late,
    lets_through,
    materials_of,
    panes_of,
    through_panes,
    trace,
)
from kilnchisel.core.picture.lamplight import Baked
from kilnchisel.core.picture.surround import HEIGHT, TOLD_BY, WIDTH, open_light, surround
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.light import cosine_sum, directions_of
from kilnchisel.core.scene.scene import Lamps, Scene

Array = NDArray[Any]

LAYERS = 8  # of what surrounds the piece, from polished to dull
SHARP_LAYERS = 3  # from there on a layer of the mirrored room has half the pixels each way
KEPT_ROOMS = 3  # with what is seen of them; another one is there in 10 ms
KEPT_HITS = 4  # of two bodies, with few rays and with all


@dataclass(frozen=True, eq=False)
class LightMaps:
    """Gathered light and openness over the ground's grid, how much of the strongest light is seen from
    there, and the same as the first over each side's sheet, by its name, with where it is: textures."""

    ground: Any
    lit: Any
    sheets: dict[str, Baked]

    def release(self) -> None:
        """Give back their memory."""
        for one in (self.ground, self.lit, *(texture for texture, _ in self.sheets.values())):
            one.release()


class DraftLight:
    """Light for drafts that one card draws; what it remembers is on that card."""

    def __init__(self, card: Card) -> None:
        self._card, self.gl = card, card.gl
        self._screen = self.gl.vertex_array(card.gloss, [])
        self._open: tuple[Any, Any, tuple[float, ...]] = (None, None, ())
        self._rooms: OrderedDict[tuple[Any, ...], Any] = OrderedDict()
        self._hits: OrderedDict[tuple[Any, ...], tuple[object, Hits]] = OrderedDict()
        self._gathered: OrderedDict[tuple[Any, ...], tuple[object, Gathered, LightMaps]] = OrderedDict()

    def of(self, scene: Scene, *, detail: Detail) -> tuple[Gathered | None, LightMaps | None]:
        """What arrives at the piece and its ground, and the same as textures; None where there is no body
        to gather for."""
        if scene.base is None or scene.proxy is None:
            return None, None
        base = scene.base
        panes = panes_of(scene)
        place: tuple[Any, ...] = (
            id(scene.proxy),
            panes,
            scene.stance.tobytes(),
            base.point.tobytes(),
            base.normal.tobytes(),
        )
        # few rays will do while something moves, unless all of them have been cast before
        rays = RAYS if detail.fine or (*place, RAYS) in self._hits else QUICK_RAYS
        hits = kept_of_late(
            self._hits,
            (*place, rays),
            KEPT_HITS,
            scene.proxy,
            lambda: trace(scene.proxy, scene.stance, base, scene.middle, scene.radius_mm, rays, panes),
        )
        albedos = np.stack([one.albedo for one in (*materials_of(scene), base.material)])
        panel = scene.panel
        lamp = np.array(scene.slots["lamp"].emission if "lamp" in scene.slots else np.zeros(3))
        through, glazed = lets_through(scene), through_panes(scene)
        lit = (
            id(hits),
            id(scene.draft_room.radiance),
            scene.draft_room.turn,
            albedos.tobytes(),
            lamp.tobytes(),
            None
            if panel is None
            else (panel.middle.tobytes(), panel.half.tobytes(), panel.radiance.tobytes()),
            through.tobytes(),
            glazed,
        )
        if lit not in self._gathered:
            result = gather(hits, scene.draft_room, panel, albedos, lamp, glazed)
            ground, open_to = result.ground()
            if through.any():
                open_ground = np.array([*self.over_open_ground(scene, base), 1.0])
                ground = ground + np.append(through, through.mean()) * (open_ground - ground)
            maps = LightMaps(
                self._light_map(ground),
                self._light_map(np.repeat(open_to[..., None], 4, axis=2)),
                {side: (self._light_map(result.over(side)), at.box) for side, at in hits.lattices.items()},
            )
            self._gathered[lit] = ((hits, scene.draft_room), result, maps)
            while len(self._gathered) > KEPT_HITS:
                self._gathered.popitem(last=False)[1][2].release()
        self._gathered.move_to_end(lit)
        _, result, maps = self._gathered[lit]
        return result, maps

    def _light_map(self, cells: Array) -> Any:
        """Values over a grid (rows, columns, 4) as a texture."""
        picture = self.gl.texture(cells.shape[1::-1], 4, cells.astype("f4").tobytes(), dtype="f4")
        picture.repeat_x = picture.repeat_y = False
        return picture

    def room(self, scene: Scene) -> Any:
        """What surrounds the piece, as a texture of LAYERS from polished to dull."""
        panel = scene.panel
        ground = scene.base
        risen = None if ground is None or ground.sweep is None else (ground.sweep, ground.turned)
        key = (
            id(scene.draft_room.radiance),
            scene.draft_room.turn,
            None if panel is None else (panel.middle.tobytes(), panel.radiance.tobytes()),
            None if ground is None else (ground.normal.tobytes(), ground.material, risen),
            weakly(scene.street),
        )
        if key in self._rooms:
            self._rooms.move_to_end(key)
            return self._rooms[key][1]
        seen = surround(scene)
        named = f"shine2-{digest_of(seen)}"
        kept = kept_arrays("rooms", named, lambda: {"layers": self._shine_of(seen)}, most=24)["layers"]
        layers = self.gl.texture_array((WIDTH, HEIGHT, LAYERS), 4, kept.tobytes(), dtype="f4")
        layers.filter = (moderngl.LINEAR, moderngl.LINEAR)
        layers.repeat_y = False
        self._rooms[key] = (scene.draft_room, layers)
        while len(self._rooms) > KEPT_ROOMS:
            self._rooms.popitem(last=False)[1][1].release()
        return layers

    def _shine_of(self, seen: Array) -> Array:
        """All that surrounds a piece as surfaces from polished to dull show it, (layers, h, w, 4)."""
        averages = _averaged(seen)
        count = len(averages)
        source = self.gl.texture_array((WIDTH, HEIGHT, count), 4, averages.tobytes(), dtype="f4")
        source.filter = (moderngl.LINEAR, moderngl.LINEAR)
        source.repeat_y = False
        self.gl.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        layers = []
        for layer in range(LAYERS):
            share = 1 if layer < SHARP_LAYERS else 2  # what is blurred needs fewer pixels
            size = (WIDTH // share, HEIGHT // share)
            target = self.gl.texture(size, 4, dtype="f4")
            frame = self.gl.framebuffer(color_attachments=[target])
            frame.use()
            source.use(0)
            # the shader looks up layer (LAYERS - 1) * sqrt(alpha)
            rough = (layer / (LAYERS - 1)) ** 2
            set_values(self._card.gloss, room=0, rough=rough, last_level=float(count - 1))
            self._card.draw(self._screen, 3)
            seen = np.frombuffer(self._card.read(target), dtype=np.float32).reshape(size[1], size[0], 4)
            layers.append(seen if share == 1 else _doubled(seen))
            let_go_of(frame)
        source.release()
        return np.stack(layers)

    def over_open_ground(self, scene: Scene, base: Base) -> tuple[float, ...]:
        """Irradiance / pi at a ground that nothing stands on, (3,)."""
        key = (scene.draft_room.turn, base.normal.tobytes())
        room, kept_key, light = self._open
        if room is not scene.draft_room or kept_key != key:
            light = tuple(float(v) for v in open_light(scene, base.normal))
            self._open = (scene.draft_room, key, light)
        return light

    def at_corners(
        self, scene: Scene, mesh: Mesh, gathered: Gathered | None, *, detail: Detail, tubes: bool
    ) -> Array:
        """Irradiance / pi and openness at the corners of a mesh of the piece, (n, 4). ``tubes``: with the
        light of its tubes."""
        light = self._soft(scene, mesh, gathered, detail=detail)
        if tubes and scene.lamps is not None:
            turn = scene.stance[:3, :3]
            points = mesh.points @ turn.T + scene.stance[:3, 3]
            light = light.copy()
            light[:, :3] += _lamps_on(points, mesh.normals @ turn.T, scene.lamps, detail=detail)
        return light

    def _soft(self, scene: Scene, mesh: Mesh, gathered: Gathered | None, *, detail: Detail) -> Array:
        turn = scene.stance[:3, :3]
        if gathered is not None and not detail.fine:
            return gathered.about(mesh.points, mesh.normals)
        normals = mesh.normals @ turn.T
        if gathered is not None:
            return gathered.at(mesh.points @ turn.T + scene.stance[:3, 3], normals)
        return in_the_open(scene, normals)


POLAR, ROUND = 24, 48  # steps from pole to pole, and round, of which light in the open is told
_told: OrderedDict[Any, Any] = OrderedDict()
KEPT_TOLD = 2  # each holds a room


def _told_by_direction(scene: Scene) -> Array:
    """Irradiance / pi in the open by the direction that a surface looks, (POLAR + 1, ROUND, 3)."""

    def made() -> Array:
        turn = np.arange(ROUND) * 2 * np.pi / ROUND
        level = np.stack([np.cos(turn), np.sin(turn), np.zeros(ROUND)], axis=1)
        polar = np.arange(POLAR + 1) * np.pi / POLAR
        rows = np.sin(polar)[:, None, None] * level + np.cos(polar)[:, None, None] * (0.0, 0.0, 1.0)
        seen = scene.draft_room.seen(directions_of(*TOLD_BY))
        up = None if scene.base is None else scene.base.normal
        return np.stack([cosine_sum(seen, row, up) for row in rows])

    room = scene.draft_room
    above = None if scene.base is None else scene.base.normal.tobytes()
    found = kept_of_late(_told, (id(room.radiance), room.turn, above), KEPT_TOLD, room, made)
    return np.asarray(found)


def in_the_open(scene: Scene, normals: Array) -> Array:
    """Irradiance / pi and openness where there is no body to gather for, (n, 4), by unit normals (n, 3) of
    the scene: between those of a grid of directions, so that it is smooth over whatever is smooth, and
    within 1 % where it is not dark."""
    light = _told_by_direction(scene)
    down = np.arccos(np.clip(normals[:, 2], -1, 1)) * (POLAR / np.pi)
    about = np.arctan2(normals[:, 1], normals[:, 0]) * (ROUND / (2 * np.pi)) % ROUND
    row, column = np.minimum(down.astype(int), POLAR - 1), about.astype(int) % ROUND
    y, x = (down - row)[:, None], (about - about.astype(int))[:, None]
    following = (column + 1) % ROUND
    above = light[row, column] * (1 - x) + light[row, following] * x
    below = light[row + 1, column] * (1 - x) + light[row + 1, following] * x
    return np.column_stack([above * (1 - y) + below * y, np.ones(len(normals))])


def _doubled(picture: Array) -> Array:
    """An all-round picture (h, w, 4) with twice as many pixels each way, bilinear; it meets itself."""
    left, right = np.roll(picture, 1, axis=1), np.roll(picture, -1, axis=1)
    wide = np.stack([0.75 * picture + 0.25 * left, 0.75 * picture + 0.25 * right], axis=2)
    wide = wide.reshape(len(picture), -1, 4)
    above = np.concatenate([wide[:1], wide[:-1]])
    below = np.concatenate([wide[1:], wide[-1:]])
    tall = np.stack([0.75 * wide + 0.25 * above, 0.75 * wide + 0.25 * below], axis=1)
    return np.asarray(tall.reshape(-1, wide.shape[1], 4).astype(np.float32))


LAMP_CELL_MM = {Detail.FINE: 6.0, Detail.ROUGH: 16.0}


def _lamps_on(points: Array, normals: Array, lamps: Lamps, *, detail: Detail) -> Array:
    """The light of tubes on a mesh, computed once for what is near and looks the same way."""
    cell = np.rint(points / LAMP_CELL_MM[detail])
    key = np.column_stack([cell, np.rint(normals * (3 if detail.fine else 1))]).astype(np.int64)
    first, which = distinct(key)
    from kilnchisel.core.picture.tubelight import tube_light  # compiled: only where tubes are lit

    return tube_light(points[first], normals[first], lamps)[which]


def _averaged(picture: Array) -> Array:
    """An all-round picture (h, w, 3) and its averages over 2, 4, 8... pixels, at full size each:
    (levels, h, w, 4) float32."""
    height, width = picture.shape[:2]
    levels = []
    for step in (1, 2, 4, 8, 16):
        small = picture.reshape(height // step, step, width // step, step, 3).mean(axis=(1, 3))
        levels.append(small.repeat(step, axis=0).repeat(step, axis=1))
    four = np.ones((len(levels), height, width, 4), dtype=np.float32)
    four[..., :3] = np.stack(levels)
    return four
