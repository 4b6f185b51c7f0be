"""The glow round what shines, for the draft: seen small, spread out, laid over the picture as a texture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.detail import Detail
from kilnchisel.core.later import ndimage
from kilnchisel.core.picture.card import Card, let_go_of, set_values
from kilnchisel.core.picture.glow import veil
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

SHARE = 3  # the glow is computed at one of so many pixels each way
PLACE = 7  # of its texture
# while something moves: how much exposed light may be missing of a glow, as a mean over AROUND pixels of it
# each way, before what stays is drawn anew: in the darkest half a level of the picture's 255
UNSEEN, AROUND = 1.5e-4, 9


@dataclass(frozen=True, eq=False)
class Veil:
    """What a glow adds, (h, w, 3), row 0 below, and the same as a texture in its place."""

    added: Array
    texture: Any

    def like(self, other: Veil | None, gain: Array) -> bool:
        """Whether nobody would tell the one from the other, but where what shines has moved itself."""
        if other is None or other.added.shape != self.added.shape:
            return False
        missing = ndimage.uniform_filter((self.added - other.added) * gain, (AROUND, AROUND, 0))
        return bool(np.abs(missing).max() < UNSEEN)


class DraftGlow:
    """The glow on one card, remembered by what shines and from where it is seen."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._of: Any = None
        self._veil: Veil | None = None

    def over(self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail) -> Veil | None:
        """What it adds to a picture, its texture in its place; None where nothing shines."""
        if not scene.shines or scene.glow.strength <= 0 or view.parallel:
            return None
        shining = tuple((i.mesh, i.material.emission) for i in scene.items if i.material.shines)
        # what stands before the light counts only when nothing moves
        before = tuple(item.mesh for item in scene.items) if detail.fine else None
        seen_from = (*view.eye, *view.right, *view.up, view.tall)
        now = shining, seen_from, size, scene.glow, scene.stance.tobytes()
        if self._veil is not None and self._of[0] == now and before in (None, self._of[1]):
            self._veil.texture.use(PLACE)
            return self._veil
        high = float(2 * np.degrees(np.arctan(view.tall)))
        added = veil(self._seen(scene, view, size), scene.glow, high)
        if self._veil is not None:
            self._veil.texture.release()
        self._of, self._veil = (now, before), Veil(added, self._card.smooth_texture(added))
        self._veil.texture.use(PLACE)
        return self._veil

    def _seen(self, scene: Scene, view: View, size: tuple[int, int]) -> Array:
        """What shines, (h, w, 3), row 0 below."""
        gl = self._card.gl
        width, height = max(size[0] // SHARE, 2), max(size[1] // SHARE, 2)
        target = gl.texture((width, height), 4, dtype="f4")
        depth = gl.depth_renderbuffer((width, height))
        frame = gl.framebuffer(color_attachments=[target], depth_attachment=depth)
        frame.use()
        frame.clear()
        gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        set_values(self._card.shine, clip=view.clip_matrix(size[0] / size[1]), stance=scene.stance)
        for item in scene.items:
            set_values(self._card.shine, emission=np.array(item.material.emission))
            self._card.draw(self._card.mesh(item.mesh).shine)
        seen = np.frombuffer(self._card.read(target), dtype=np.float32).reshape(height, width, 4)[..., :3]
        let_go_of(frame)
        return seen
