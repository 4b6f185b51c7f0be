"""A draft's pass that finds what its glossy pixels mirror, and keeps that on the card."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import Material, texture_matrix
from kilnchisel.core.picture.card import Card, set_values
from kilnchisel.core.picture.gather import Gathered
from kilnchisel.core.scene.scene import Item, Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

COARSER = 2  # pixels of the picture to one of the pass, each way
# what is rougher mirrors nothing that could be told from its soft light
DULLEST = {"metal": 0.7, "coated": 0.3}
GROUND = 0  # the number of the ground; items are counted from 1
NOTHING = -1.0


@dataclass(frozen=True, eq=False)
class Mirror:
    """Textures of what is mirrored and where, and what they were made of."""

    light: Any
    place: Any

    def use(self, unit: int) -> None:
        self.light.use(unit)
        self.place.use(unit + 1)

    def release(self) -> None:
        self.light.release()
        self.place.release()


def is_glossy(material: Material) -> bool:
    """Whether a material shows what is about it."""
    return material.mean_alpha <= DULLEST.get(material.kind, -1.0)


def _alpha_of(material: Material) -> float:
    """The roughness of a material along its grain; the mean where it is not the same all over."""
    if material.dullest <= 0 or material.texture is None or material.texture.dull is None:
        return material.alpha
    share = float(material.texture.dull.mean(dtype=np.float64))
    return material.alpha + (material.dullest - material.alpha) * share


class MirrorPass:
    """Of one card. The last picture's mirrors are kept: that of what stays when lettering changes, and
    that of what does not."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._facets: OrderedDict[int, tuple[Gathered, Any]] = OrderedDict()
        self._last: dict[bool, tuple[Any, Mirror | None]] = {}

    def of(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        gathered: Gathered,
        ground: Any,
        room: Any,
        *,
        still: bool,
    ) -> Mirror | None:
        """What the glossy pixels of ground and shells (``still``), or else of lettering, mirror in a
        picture; None where there are none. ``ground``: the ground as it is drawn; ``room``: the texture of
        the room's layers."""
        base = scene.base
        assert base is not None
        items = tuple(item for item in scene.items if item.still or not still)
        materials = [base.material, *(item.material for item in items)]
        wanted = [is_glossy(material) for material in materials]
        if not still:
            wanted = [
                one and not other
                for one, other in zip(wanted, [True, *(i.still for i in items)], strict=True)
            ]
        if not any(wanted):
            return None
        key = (
            tuple((item.mesh, item.material) for item in items),
            scene.stance.tobytes(),
            (*view.eye, *view.right, *view.up, view.tall, view.raised),
            (size, gathered, room, base.material, ground),
        )
        if still not in self._last or self._last[still][0] != key:
            if (old := self._last.pop(still, (None, None))[1]) is not None:
                old.release()
            made = self._made(scene, view, size, gathered, ground, room, items, materials, wanted)
            self._last[still] = (key, made)
        return self._last[still][1]

    def _made(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        gathered: Gathered,
        ground: Any,
        room: Any,
        items: tuple[Item, ...],
        materials: list[Material],
        wanted: list[bool],
    ) -> Mirror | None:
        from kilnchisel.core.picture.mirrors import Glossy, mirrored  # compiled: only where it is glossy

        place, facing, grain = self._places(scene, items, view, size, ground)
        number = np.rint(place[..., 3]).astype(int)
        row, column = np.nonzero(np.append(wanted, False)[number])  # nothing is the last
        if not len(row):
            return None
        item = number[row, column]
        points = place[row, column, :3].astype(float)
        eyes = view.eye - points
        away = np.linalg.norm(eyes, axis=1)
        alpha = np.array([_alpha_of(material) for material in materials])
        across = np.array([material.across or own for material, own in zip(materials, alpha, strict=True)])
        pixels = Glossy(
            points,
            facing[row, column, :3].astype(float),
            grain[row, column, :3].astype(float),
            eyes / away[:, None],
            alpha[item],
            across[item],
            np.stack([row, column], axis=1),
            item,
            away * 2 * view.tall / place.shape[0],
        )
        layers = np.frombuffer(self._card.read(room), np.float32).reshape(room.layers, room.height, -1, 4)
        found = mirrored(scene, gathered, self._facets_of(scene, gathered), layers, pixels)
        return self._uploaded(place.shape[:2], row, column, points, found)

    def _facets_of(self, scene: Scene, gathered: Gathered) -> Any:
        from kilnchisel.core.picture.mirrors import facets_of

        hits = gathered.hits
        if id(hits) not in self._facets:
            assert scene.proxy is not None
            self._facets[id(hits)] = (gathered, facets_of(scene.proxy, scene.stance, gathered))
            while len(self._facets) > 3:
                self._facets.popitem(last=False)
        return self._facets[id(hits)][1]

    def _places(
        self, scene: Scene, items: tuple[Item, ...], view: View, size: tuple[int, int], ground: Any
    ) -> tuple[Array, ...]:
        """Where each pixel is with its item's number, its normal, the way across its grain: (h, w, 4) each,
        row 0 below."""
        gl, program = self._card.gl, self._card.places
        width, height = max(size[0] // COARSER, 2), max(size[1] // COARSER, 2)
        targets = [gl.texture((width, height), 4, dtype="f4") for _ in range(3)]
        depth = gl.depth_renderbuffer((width, height))
        frame = gl.framebuffer(color_attachments=targets, depth_attachment=depth)
        frame.use()
        frame.clear(0.0, 0.0, 0.0, NOTHING)
        gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        set_values(program, clip=view.clip_matrix(size[0] / size[1]))
        assert scene.base is not None
        drawn = [(GROUND, ground, scene.base.material, np.eye(4))]
        for number, item in enumerate(items):
            if item.material.kind != "glass":
                drawn.append((number + 1, self._card.mesh(item.mesh), item.material, scene.stance))
        for number, mesh, material, stance in drawn:
            set_values(program, number=float(number), stance=stance, grain=texture_matrix(material).T)
            if number == GROUND:  # it may be seen from both sides
                gl.disable(moderngl.CULL_FACE)
            self._card.draw(self._card.placed(mesh))
            gl.enable(moderngl.CULL_FACE)
        read = [
            np.frombuffer(self._card.read(target), np.float32).reshape(height, width, 4)
            for target in targets
        ]
        for thing in (frame, depth, *targets):
            thing.release()
        return tuple(read)

    def _uploaded(
        self, size: tuple[int, int], row: Array, column: Array, points: Array, found: Array
    ) -> Mirror:
        light, place = (np.zeros((*size, 4), np.float32) for _ in range(2))
        light[row, column] = found
        place[row, column, :3] = points
        place[row, column, 3] = 1.0
        textures = []
        for values in (light, place):
            texture = self._card.gl.texture((size[1], size[0]), 4, values.tobytes(), dtype="f4")
            texture.repeat_x = texture.repeat_y = False
            textures.append(texture)
        return Mirror(*textures)
