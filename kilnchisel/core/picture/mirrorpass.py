"""A draft's pass that finds what its glossy pixels mirror, and keeps that on the card."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import POLISHED, Material, texture_matrix
from kilnchisel.core.picture.card import Card, let_go_of, set_values, weakly
from kilnchisel.core.picture.gather import Gathered, Hits
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

COARSER = 2  # pixels of the picture to one of the pass, each way
# what is rougher mirrors nothing that could be told from its soft light
DULLEST = {"metal": 0.7, "coated": 0.3}
GROUND = 0  # the number of the ground; items are counted from 1
NOTHING = -1.0


@dataclass(frozen=True, eq=False)
class Mirror:
    """Textures of what is mirrored, or seen through glass, and where."""

    light: Any
    place: Any

    def use(self, unit: int) -> None:
        self.light.use(unit)
        self.place.use(unit + 1)

    def release(self) -> None:
        self.light.release()
        self.place.release()


@dataclass(frozen=True, eq=False)
class Shown:
    """A picture that is drawn. ground: gives the ground's mesh on the card, to be drawn at once, as what is
    sent there later may take its place; room: the texture of the layers of the room, from polished to
    dull."""

    scene: Scene
    view: View
    size: tuple[int, int]
    gathered: Gathered
    ground: Callable[[], Any]
    room: Any

    def key(self, items: tuple[Item, ...]) -> tuple[Any, ...]:
        """Equal for two pictures in which these items mirror the same."""
        view, base = self.view, self.scene.base
        return (
            tuple((weakly(item.mesh), weakly(item.material)) for item in items),
            self.scene.stance.tobytes(),
            (*view.eye, *view.right, *view.up, view.tall, view.raised),
            (self.size, weakly(self.gathered), self.room),
            None if base is None else (weakly(base.material), *base.form),
        )


# what a mirror is for: ground and shells, which stay when lettering changes; lettering; clear glass
Part = Literal["still", "lettering", "glass"]


def is_glossy(material: Material) -> bool:
    """Whether a material shows what is about it."""
    return material.mean_alpha <= DULLEST.get(material.kind, -1.0)


def is_clear(material: Material) -> bool:
    """Whether what is behind a material is seen through it sharply."""
    return material.kind == "glass" and material.alpha <= POLISHED


def _alpha_of(material: Material) -> float:
    """The roughness of a material along its grain; the mean where it is not the same all over."""
    if material.dullest <= 0 or material.texture is None or material.texture.dull is None:
        return material.alpha
    share = float(material.texture.dull.mean(dtype=np.float64))
    return material.alpha + (material.dullest - material.alpha) * share


ALIKE = 0.95  # cosine between the normals of one face's pixels


def _slight(facing: Array, number: Array) -> Array:
    """Which pixels (h, w) are of a face too narrow to be met by each row of them, beside a wide one: seen
    here and there only, it would look like dashes. ``facing`` (h, w, 3), ``number`` (h, w)."""
    rows, columns = number.shape
    shifts = [(y, x) for y in (0, 1, 2) for x in (0, 1, 2) if (y, x) != (1, 1)]

    def beside(values: Array, fill: float) -> list[Array]:
        wide = np.pad(values, ((1, 1), (1, 1), (0, 0))[: values.ndim], constant_values=fill)
        return [wide[y : y + rows, x : x + columns] for y, x in shifts]

    alike = [
        (np.einsum("ijk,ijk->ij", facing, one) > ALIKE) & (number == other)
        for one, other in zip(beside(facing, 0.0), beside(number, NOTHING), strict=True)
    ]
    count = np.sum(alike, axis=0)
    wide = beside(count >= 4, fill=False)
    between = np.sum([whole & ~same for whole, same in zip(wide, alike, strict=True)], axis=0)
    return np.asarray((count < 3) & (between >= 3))


class MirrorPass:
    """Of one card. The last picture's mirrors are kept."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._facets: OrderedDict[int, tuple[Hits, Any]] = OrderedDict()
        self._walls: tuple[Any, Any] = (None, None)
        self._last: dict[Part, tuple[Any, Mirror | None]] = {}

    def of(self, shown: Shown, part: Part) -> Mirror | None:
        """What the pixels of a part of a picture mirror, or show behind them; None where there are none."""
        base = shown.scene.base
        assert base is not None
        items = tuple(item for item in shown.scene.items if item.still or part != "still")
        wanted = [part == "still" and is_glossy(base.material)]
        for item in items:
            glossy = is_glossy(item.material) and item.still == (part == "still")
            wanted.append(is_clear(item.material) if part == "glass" else glossy)
        if not any(wanted):
            return None
        key = shown.key(items)
        if part not in self._last or self._last[part][0] != key:
            if (old := self._last.pop(part, (None, None))[1]) is not None:
                old.release()
            self._last[part] = (key, self._made(shown, part, items, wanted))
        return self._last[part][1]

    def _made(self, shown: Shown, part: Part, items: tuple[Item, ...], wanted: list[bool]) -> Mirror | None:
        # compiled: only where it is glossy
        from kilnchisel.core.picture.mirrors import Glossy, facets_of, mirrored
        from kilnchisel.core.picture.throughglass import seen_through, walls_of

        scene, view = shown.scene, shown.view
        assert scene.base is not None and scene.proxy is not None
        drawn = tuple(
            (number, item)
            for number, item in enumerate(items, 1)
            if part == "glass" or item.material.kind != "glass"
        )
        place, facing, grain = self._places(shown, drawn)
        number = np.rint(place[..., 3]).astype(np.int16)
        told = np.abs(facing[..., :3]).sum(axis=-1) > 0.5  # a sliver may have no direction
        materials = [scene.base.material, *(item.material for item in items)]
        # a coat mirrors little: of it what is beside will do. A metal is nothing but its mirror image
        coats = np.array([*(material.kind == "coated" for material in materials), False])
        told &= ~(coats[number] & _slight(facing[..., :3], number))
        row, column = np.nonzero(np.append(wanted, False)[number] & told)  # nothing is the last
        if not len(row):
            return None
        item = number[row, column]
        points = place[row, column, :3]
        eyes = view.eye.astype(np.float32) - points
        away = np.linalg.norm(eyes, axis=1)
        alpha = np.array([_alpha_of(material) for material in materials])
        across = np.array([material.across or own for material, own in zip(materials, alpha, strict=True)])
        pixels = Glossy(
            points,
            facing[row, column, :3],
            grain[row, column, :3],
            eyes / away[:, None],
            alpha[item].astype(np.float32),
            across[item].astype(np.float32),
            np.stack([row, column], axis=1),
            item,
            away * np.float32(2 * view.tall / place.shape[0]),
        )
        layers = np.frombuffer(self._card.read(shown.room), np.float32)
        layers = layers.reshape(shown.room.layers, shown.room.height, -1, 4)
        if part == "glass":
            meshes = tuple((one.mesh, one.material) for one in scene.items), scene.stance.tobytes()
            if self._walls[0] != meshes:
                self._walls = meshes, walls_of(scene)
            found = seen_through(scene, shown.view, shown.gathered, self._walls[1], layers, pixels)
        else:
            hits = shown.gathered.hits
            if id(hits) not in self._facets:
                self._facets[id(hits)] = (hits, facets_of(scene.proxy, scene.stance, hits))
                while len(self._facets) > 2:
                    self._facets.popitem(last=False)
            found = mirrored(scene, shown.gathered, self._facets[id(hits)][1], layers, pixels)
        return self._uploaded(place.shape[:2], row, column, points, found)

    def _places(self, shown: Shown, items: tuple[tuple[int, Item], ...]) -> tuple[Array, ...]:
        """Where each pixel is with the number of its item, its normal, the way across its grain: (h, w, 4)
        each, row 0 below."""
        scene, size = shown.scene, shown.size
        gl, program = self._card.gl, self._card.places
        width, height = max(size[0] // COARSER, 2), max(size[1] // COARSER, 2)
        targets = [gl.texture((width, height), 4, dtype="f4") for _ in range(3)]
        depth = gl.depth_renderbuffer((width, height))
        frame = gl.framebuffer(color_attachments=targets, depth_attachment=depth)
        frame.use()
        frame.clear(0.0, 0.0, 0.0, NOTHING)
        gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        set_values(program, clip=shown.view.clip_matrix(size[0] / size[1]))
        assert scene.base is not None
        drawn = [(GROUND, shown.ground, scene.base.material, np.eye(4))]
        for number, item in items:
            drawn.append((number, partial(self._card.mesh, item.mesh), item.material, scene.stance))
        for number, mesh, material, stance in drawn:
            set_values(program, number=float(number), stance=stance, grain=texture_matrix(material).T)
            if number == GROUND:  # it may be seen from both sides
                gl.disable(moderngl.CULL_FACE)
            self._card.draw(self._card.told(mesh(), program))
            gl.enable(moderngl.CULL_FACE)
        read = [
            np.frombuffer(self._card.read(target), np.float32).reshape(height, width, 4)
            for target in targets
        ]
        let_go_of(frame)
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
