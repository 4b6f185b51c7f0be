"""The parts of a draft: items, what is about them, grounds and glass, each with the light on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.picture.card import Card, Frames, look_of, set_values, weakly
from kilnchisel.core.picture.draftlight import DraftLight, in_the_open
from kilnchisel.core.picture.drawnmaterials import use_material
from kilnchisel.core.picture.lamplight import Baked, LampLight
from kilnchisel.core.picture.shot import Shot
from kilnchisel.core.picture.smoothedges import Drawn
from kilnchisel.core.scene.grounds import RIM, Base
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.street import WALL

Array = NDArray[Any]

OPEN = ("open",)  # what lights a mesh of which each corner tells nothing of its light
LIGHT_MAP = 4  # the place of gathered light, over the ground or a sheet
LAMP_MAP = 6  # and of the light of tubes
SEEN = LAMP_MAP  # what is behind panes: of the light of tubes, glass knows nothing


class DrawnParts:
    """Of one card. ``begin`` a shot, then draw what is in it."""

    def __init__(self, card: Card, light: DraftLight) -> None:
        self._card, self._light = card, light
        self._lamps = LampLight(card)
        self._shot: Shot | None = None

    def begin(self, shot: Shot) -> None:
        """What is drawn from now on is of this one, and takes what hangs on it."""
        self._shot = shot

    @property
    def shot(self) -> Shot:
        """The one that is drawn."""
        assert self._shot is not None
        return self._shot

    def surfaces(self) -> tuple[list[Drawn], list[Drawn]]:
        """All that is drawn, and what is seen through."""
        scene = self.shot.scene

        def drawn(item: Item, stance: Array, **how: Any) -> Drawn:
            return Drawn(item, len(item.mesh.faces), partial(self._card.mesh, item.mesh), stance, **how)

        solid: list[Drawn] = []
        seen_through: list[Drawn] = []
        for item in scene.items:
            through = item.material.kind == "glass"
            (seen_through if through else solid).append(drawn(item, scene.stance))
        flat = np.eye(4)
        solid += [drawn(item, flat) for item in (() if scene.street is None else scene.street.items)]
        solid += [drawn(item, flat, far=True) for item in scene.about]
        if scene.base is not None:
            for number, item in enumerate(scene.laid, 1):
                mesh = partial(self._laid, item.mesh)
                solid.append(replace(drawn(item, flat, lies=number), mesh=mesh))
            ground, size = partial(self.ground_of, scene.base), len(scene.base.mesh.faces)
            solid.append(Drawn(scene.base, size, ground, flat, two_sided=True))
        return solid, seen_through

    # what stands there

    def item(self, item: Item) -> None:
        """One item of the piece."""
        shot, drawn = self.shot, self._card.mesh(item.mesh)
        caught = item.catches and shot.photo is not None
        over = None if shot.maps is None or item.side is None else shot.maps.sheets[item.side]
        if over is None:
            # light looked up in a hurry is good enough until the picture rests
            soft = weakly(shot.gathered) or open_room(shot.scene)
            light = soft, weakly(shot.scene.lamps)
            lit_by = (*light, shot.detail.fine or item.side is not None)
            if drawn.lit_by not in (lit_by, (*light, True)):
                drawn.light.write(self._light_of(item).astype("f4").tobytes())
                drawn.lit_by = lit_by
        program = self._material(item.material, caught=caught)
        set_values(program, has_sheet_light=over is not None)
        if over is not None:
            over[0].use(LIGHT_MAP)
            set_values(program, sheet_box=over[1])
        set_values(program, caught_by=2 if shot.scene.base is None else 3)
        side = item.side
        tubes = None if side is None else self._lamps.on_sheet(shot.scene, side, detail=shot.detail)
        self._use_tubes(program, tubes)
        self._card.draw(self._card.array(drawn, look_of(item.material, caught=caught)))

    def about(self, items: Sequence[Item]) -> None:
        """What stands on the ground behind the piece, in open light: the piece does not darken it."""
        scene = self.shot.scene
        lit_by = open_room(scene)
        for item in items:
            drawn = self._card.mesh(item.mesh)
            if drawn.lit_by != lit_by:
                light = in_the_open(scene, item.mesh.normals)
                drawn.light.write(light.astype("f4").tobytes())
                drawn.lit_by = lit_by
            material = item.material
            if (
                self.shot.detail.rough and item.name != WALL
            ):  # of stones, hardly any grain is seen from afar
                material = replace(material, texture=None)
            program = self._material(material, caught=False)
            set_values(program, has_sheet_light=False, stance=np.eye(4), caught_by=3)
            self._use_tubes(program, None)
            self._card.draw(self._card.array(drawn, look_of(material, caught=False)))
            set_values(program, stance=scene.stance)

    def _material(self, material: Material, *, caught: bool) -> Any:
        shot = self.shot
        return use_material(self._card, shot.scene, material, caught=caught, detail=shot.detail)

    def _use_tubes(self, program: Any, baked: Baked | None) -> None:
        """The light of tubes over a sheet or the ground (None: there is no map for it)."""
        told: dict[str, Any] = {"has_tube_map": baked is not None, "tube_map": LAMP_MAP}
        if baked is not None:
            baked[0].use(LAMP_MAP)
            told["tube_box"] = np.array(baked[1])
        set_values(program, **told)

    def _light_of(self, item: Item) -> Array:
        # sheets have a map of what tubes send; what shines itself needs none
        tubes = item.side is None and not item.material.shines
        shot = self.shot
        return self._light.at_corners(shot.scene, item.mesh, shot.gathered, detail=shot.detail, tubes=tubes)

    # what it stands on

    def grounds(self) -> None:
        """The ground, and what is flat on it, in the same light."""
        gl, scene, base = self._card.gl, self.shot.scene, self.shot.scene.base
        if base is None:
            return
        if base.fades is not None:
            gl.enable(moderngl.BLEND)
            gl.blend_func = (
                moderngl.SRC_ALPHA,
                moderngl.ONE_MINUS_SRC_ALPHA,
                moderngl.ZERO,
                moderngl.ONE,
            )
        # what lies on top first: of what is under it nothing is drawn
        for number in range(len(scene.laid), 0, -1):
            laid = scene.laid[number - 1]
            gl.polygon_offset = -number, -number  # so flat that its depth is the ground's
            self._ground(laid.material, self._laid(laid.mesh), None)
        gl.polygon_offset = 0.0, 0.0
        lamps = self._lamps.on_ground(scene, base, detail=self.shot.detail)
        gl.disable(moderngl.CULL_FACE)  # a blade of grass is seen from both sides
        self._ground(base.material, self.ground_of(base), lamps)
        gl.enable(moderngl.CULL_FACE)
        gl.disable(moderngl.BLEND)

    def _ground(self, material: Material, drawn: Any, lamps: Baked | None) -> None:
        shot = self.shot
        caught = shot.photo is not None
        program = self._material(material, caught=caught)
        # where only lettering is shown, the body's own shadow on its ground is the photo's already
        by = 3 if shot.scene.bare else 1
        set_values(program, is_ground=True, has_sheet_light=False, stance=np.eye(4), caught_by=by)
        if shot.maps is not None:
            shot.maps.ground.use(LIGHT_MAP)
        self._use_tubes(program, lamps)
        self._card.draw(self._card.array(drawn, look_of(material, caught=caught)))
        set_values(program, is_ground=False, stance=shot.scene.stance)

    def _laid(self, mesh: Mesh) -> Any:
        """A mesh of the ground as it is drawn: its light comes from a map."""
        drawn = self._card.mesh(mesh)
        if drawn.lit_by != OPEN:
            drawn.light.write(np.ones((len(mesh.points), 4), "f4").tobytes())
            drawn.lit_by = OPEN
        return drawn

    def ground_of(self, base: Base) -> Any:
        """The ground's mesh as it is drawn: while something moves, its plane."""
        if base.relief is not None and self.shot.detail.fine:
            return self._laid(base.close_mesh)
        mesh, flat_ = base.mesh, self._card.flat
        flat_.points.write(mesh.points.astype("f4").tobytes())
        flat_.rest.write(np.concatenate([mesh.normals, mesh.uv], axis=1).astype("f4").tobytes())
        flat_.light.write(np.ones((len(mesh.points), 4), "f4").tobytes())
        # the buffers are as large as the largest ground: what is left over of them is no triangle
        index = np.zeros((RIM, 3), "i4")
        index[: len(mesh.faces)] = mesh.faces
        flat_.index.write(index.tobytes())
        return flat_

    # what is seen through

    def glass(self, frames: Frames) -> None:
        """Glass over what is behind it, its far walls first."""
        glass = [item for item in self.shot.scene.items if item.material.kind == "glass"]
        if not glass:
            return
        if self.shot.scene.clear:
            self._walls(glass)
        else:
            self._panes(glass, frames)

    def _panes(self, panes: list[Item], frames: Frames) -> None:
        """Panes, which seldom lie before each other: each is drawn once, with the light it lets through."""
        seen = frames.behind.color_attachments[0]
        blurs = any(item.material.film > 0 for item in panes)
        seen.filter = (moderngl.LINEAR_MIPMAP_LINEAR if blurs else moderngl.LINEAR, moderngl.LINEAR)
        self._card.share(glass_pass=2, seen_map=SEEN)
        for facing in ("front", "back"):  # which faces are left out
            self._card.copy(frames.behind, frames.frame)
            if blurs:
                seen.build_mipmaps()
            frames.frame.use()
            self._card.gl.cull_face = facing
            seen.use(SEEN)
            for item in panes:
                self.item(item)

    def _walls(self, glass: list[Item]) -> None:
        """The walls of a vessel, one behind the other: each darkens by what it keeps, then adds what it
        mirrors."""
        gl = self._card.gl
        gl.enable(moderngl.BLEND)
        gl.depth_func = "<="  # a wall is drawn twice
        for facing in ("front", "back"):  # which faces are left out
            gl.cull_face = facing
            for number, blend in enumerate(
                ((moderngl.DST_COLOR, moderngl.ZERO), (moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA))
            ):
                # how far what is behind is out of focus, the alpha, stays
                gl.blend_func = (*blend, moderngl.ZERO, moderngl.ONE)
                self._card.share(glass_pass=number)
                for item in glass:
                    self.item(item)
        gl.disable(moderngl.BLEND)
        gl.depth_func = "<"


def open_room(scene: Scene) -> tuple[Any, ...]:
    """Equal for scenes in which open light is the same."""
    return (OPEN, weakly(scene.draft_room))
