"""Smooth edges for a draft at rest: where one surface ends and another begins, and only there, the picture
is drawn again, finer, and averaged.

A card in software takes ten times as long for a small triangle when it takes several samples of each pixel.
This way what ends within a pixel is as smooth, and what sparkles there is too.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.picture.card import DEPTH_CLAMP, Card, Frames, let_go_of, set_values
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

# From a picture's pixels to what is drawn again: five times as many on a grid that is turned, so that the
# five of a pixel differ in how far right and how far up they are: an edge that is almost upright or level
# has all five steps ("rotated grid", common practice)
TURN = np.array([[2.0, -1.0], [1.0, 2.0]])
# of a picture that is drawn as it is
AS_IT_IS: dict[str, Any] = {"pixel_turn": np.eye(2), "pixel_from": np.zeros(2)}
LOOKED = 3  # times as fine edges are looked for, each way: a thin gap is between the middles of pixels
NUMBERS = 251  # how many surfaces are told apart
TURNED = 42  # of 255 from -1 to 1, by which a part of a normal is another: 20 degrees
PIXELS = 1.5  # of a step nearer or farther, at least
# levels of 255 by which a dot differs from what is on both sides of it; more such dots are a texture
STRAY, FEW = 24, 0.03
MANY = 0.12  # of a picture
LEAST_TRIANGLES = 60_000  # of fewer, several samples are there sooner
MOST_PIXELS = 800_000  # it takes some 200 bytes for each


@dataclass(frozen=True, eq=False)
class Drawn:
    """A surface to be drawn: what it is ``of``, how many triangles it has, and they on the card, where it
    stands (4, 4), and what is to be set for it: whether it is seen from both sides, whether it may be
    farther than all depth."""

    of: Any
    triangles: int
    mesh: Callable[[], Any]
    stance: Array
    two_sided: bool = False
    far: bool = False
    lies: int = 0  # so many layers on what is under it


@dataclass(frozen=True, eq=False)
class Again:
    """What is drawn to once more, on the turned grid: ``frames`` hold a picture of ``size``; ``seen``: by
    their ids, what is seen at its edges."""

    frames: Frames
    size: tuple[int, int]
    seen: frozenset[int]

    def shows(self, what: Any) -> bool:
        """Whether it is seen at an edge."""
        return id(what) in self.seen

    @property
    def uniforms(self) -> dict[str, Any]:
        """What shaders are told of it."""
        return {
            "picture_size": np.array(self.size, float),
            "pixel_turn": np.linalg.inv(TURN),
            "pixel_from": np.array([self.size[1], 0.0]),
        }

    def clip(self, matrix: Array) -> Array:
        """A view's matrix (4, 4) for what is drawn here."""
        size, whole = np.array(self.size, float), np.array(self.frames.frame.size, float)
        turned = np.eye(4)
        turned[:2, :2] = TURN * size / whole[:, None]
        turned[:2, 3] = (TURN @ size + (2 * size[1], 0.0)) / whole - 1
        return np.asarray(turned @ matrix)


@dataclass(frozen=True, eq=False)
class Edges:
    """Where a picture has edges: ``mask`` (h, w), row 0 below. ``layers``: of each of its pixels, LOOKED
    times as fine, the number of what is there, (LOOKED h, LOOKED w) of bytes, before panes and with them;
    ``of``: whose the numbers are, by ids."""

    mask: Array
    layers: tuple[Array, ...]
    of: tuple[int, ...]

    def seen(self, mask: Array) -> frozenset[int]:
        """What is seen in some pixels, in front of a pane and behind it: of a pixel all is drawn again."""
        wide = mask.repeat(LOOKED, axis=0).repeat(LOOKED, axis=1)
        seen = np.zeros(256, dtype=bool)
        for layer in self.layers:
            seen[layer[wide]] = True
        return frozenset(what for number, what in enumerate(self.of) if seen[number % NUMBERS])


class SmoothEdges:
    """Of one card."""

    def __init__(self, card: Card) -> None:
        self._card = card

    def over(self, data: bytes, edges: Edges, draw: Callable[[Again], None]) -> bytes:
        """A picture (4 bytes a pixel, row 0 below) with its edges drawn again. ``draw``: draws all of it
        once more, keeping to the depth that is there."""
        height, width = edges.mask.shape
        pixels = np.frombuffer(data, np.uint8).reshape(height, width, 4).copy()
        mask, strays = edges.mask, strays_in(pixels[..., 1])
        if strays.mean() < FEW:
            mask = mask | strays
        if not mask.any():
            return data
        seen = self._drawn(mask, edges.seen(mask), draw)
        row, column = np.nonzero(mask)
        across, up = (np.stack([column, row], axis=1) @ TURN.T.astype(int)).T
        sums = np.zeros((len(row), 4), np.float32)
        for right, above in WITHIN:
            sums += seen[up + above, across + right + height]
        pixels[row, column] = np.rint(sums / len(WITHIN))
        return pixels.tobytes()

    @cached_property
    def _program(self) -> Any:
        return self._card.program("screen.vert.glsl", "masked.frag.glsl")

    @cached_property
    def _screen(self) -> Any:
        return self._card.gl.vertex_array(self._program, [])

    def _drawn(self, mask: Array, shown: frozenset[int], draw: Callable[[Again], None]) -> Array:
        """What is drawn where the mask (h, w) lets it, on the turned grid, (.., .., 4), row 0 below;
        nothing elsewhere."""
        gl = self._card.gl
        height, width = mask.shape
        size = 2 * width + height, width + 2 * height
        frame = gl.simple_framebuffer(size, components=4)
        seen = gl.texture(size, 4)
        seen.repeat_x = seen.repeat_y = False
        behind = gl.framebuffer(color_attachments=[seen])
        lets = gl.texture((width, height), 1, (mask * np.uint8(255)).tobytes(), alignment=1)
        again = Again(Frames(frame, frame, frame, behind), (width, height), shown)
        try:
            frame.use()
            gl.enable(moderngl.DEPTH_TEST)
            gl.disable(moderngl.CULL_FACE)
            gl.depth_func = "1"
            lets.use(0)
            set_values(self._program, mask=0, **again.uniforms)
            self._card.draw(self._screen, 3)
            gl.depth_func = "<"
            draw(again)
            data = self._card.read(frame, components=4)
            return np.frombuffer(data, np.uint8).reshape(size[1], size[0], 4)
        finally:
            lets.release()
            for one in (frame, behind):
                let_go_of(one)

    def found(
        self, view: View, size: tuple[int, int], surfaces: tuple[Sequence[Drawn], ...]
    ) -> Edges | None:
        """The edges of a picture; None where it is better to take several samples of each pixel, as much of
        it is edges, like a wall of bricks, or there are few triangles, or it would take much room.
        ``surfaces``: what may have edges, then what is seen through."""
        triangles = sum(one.triangles for some in surfaces for one in some)
        if triangles < LEAST_TRIANGLES or size[0] * size[1] > MOST_PIXELS:
            return None
        gl, program = self._card.gl, self._card.parts
        width, height = (LOOKED * n for n in size)
        target, depth = gl.texture((width, height), 4), gl.depth_texture((width, height))
        frame = gl.framebuffer(color_attachments=[target], depth_attachment=depth)
        frame.use()
        frame.clear(0.5, 0.5, 0.5, 1.0)  # no surface has the last number
        set_values(program, clip=view.clip_matrix(width / height))
        mask, number = np.zeros((height, width), dtype=bool), 0
        of: list[int] = []
        layers: list[Array] = []
        gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        for some in surfaces:
            before = number
            for one in some:
                set_values(program, number=float(number % NUMBERS), stance=one.stance)
                if one.two_sided:
                    gl.disable(moderngl.CULL_FACE)
                if one.far:
                    gl.enable_direct(DEPTH_CLAMP)
                gl.polygon_offset = -one.lies, -one.lies
                self._card.draw(self._card.told(one.mesh(), program))
                gl.enable(moderngl.CULL_FACE)
                gl.disable_direct(DEPTH_CLAMP)
                of.append(id(one.of))
                number += 1
            gl.polygon_offset = 0.0, 0.0
            if number > before:
                part = np.frombuffer(self._card.read(target), np.uint8).reshape(height, width, 4)
                deep = np.frombuffer(self._card.read(depth), np.float32).reshape(height, width)
                away = _away(view, deep)
                mask |= edges_in(part, away, PIXELS * 2 * view.tall / height * away)
                layers.append(part[..., 3])
        let_go_of(frame)
        rows = mask.reshape(size[1], LOOKED, width).any(axis=1)
        found = np.asarray(rows.reshape(size[1], size[0], LOOKED).any(axis=2))
        return Edges(found, tuple(layers), tuple(of)) if found.mean() <= MANY else None


def _away(view: View, depth: Array) -> Array:
    """How far ahead each pixel is, mm, by its depth (0..1)."""
    near, far = view.near_mm, view.reach_mm
    if view.parallel:
        return near + depth * (far - near)
    return near * far / (far - depth * (far - near))


def edges_in(part: Array, away: Array, step: Array) -> Array:
    """Which pixels (h, w) lie at an edge: what is beside one is of another surface, faces another way, or
    is nearer or farther by a ``step`` (h, w) than a plane or a round would be. ``part`` (h, w, 4) of bytes:
    the normal, and the number of the surface; ``away`` (h, w)."""
    mask = np.zeros(away.shape, dtype=bool)
    for axis in (0, 1):
        one, other = (
            tuple(ends if k == axis else slice(None) for k in (0, 1))
            for ends in (slice(None, -1), slice(1, None))
        )
        # bytes, channel by channel: in numbers with a point it takes ten times as long
        apart = np.maximum(part[one], part[other]) - np.minimum(part[one], part[other])
        edge = apart[..., 3] > 0
        for channel in range(3):
            edge |= apart[..., channel] > TURNED
        grows = np.abs(np.diff(away, axis=axis))
        bends = np.abs(np.diff(away, 2, axis=axis))
        before, after = grows[one], grows[other]
        jump = bends > np.maximum(0.5 * np.maximum(before, after), step[one][other])
        edge[one] |= jump & (before > after)
        edge[other] |= jump & (before <= after)
        mask[one] |= edge
        mask[other] |= edge
    return mask


def strays_in(levels: Array) -> Array:
    """Which pixels (h, w) are darker or lighter than those on both sides, as in a gap so thin that only the
    middles of some pixels fall into it. ``levels`` (h, w) of bytes."""
    wide = np.pad(levels.astype(np.int16), 1, mode="edge")
    here = wide[1:-1, 1:-1]
    found = np.zeros(levels.shape, dtype=bool)
    for one, other in ((wide[:-2, 1:-1], wide[2:, 1:-1]), (wide[1:-1, :-2], wide[1:-1, 2:])):
        found |= here < np.minimum(one, other) - STRAY
        found |= here > np.maximum(one, other) + STRAY
    return found


def _within() -> list[tuple[int, int]]:
    """Which of the turned grid's points lie in the picture's first pixel: how far right and up."""
    found = []
    for right in range(-1, 2):
        for above in range(4):
            x, y = np.linalg.solve(TURN, (right + 0.5, above + 0.5))
            if 0 < x < 1 and 0 < y < 1:
                found.append((right, above))
    return found


WITHIN = _within()
