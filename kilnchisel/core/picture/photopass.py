"""A draft's pass for a photo behind the piece: it is put in its place, and what stands before the piece in
it covers the picture."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.picture.card import Card
from kilnchisel.core.picture.onphoto import before, behind
from kilnchisel.core.picture.shot import Shot
from kilnchisel.core.picture.surround import open_light
from kilnchisel.core.scene.onphoto import Photographed

Array = NDArray[Any]

NO_MASK = (None, None, None, None)


class PhotoPass:
    """Of one card, its texture in the ``place`` given."""

    def __init__(self, card: Card, place: int) -> None:
        self._card, self._place = card, place
        self._sent: tuple[Any, Any] = (None, None)  # pixels and their texture
        self._before: tuple[Any, Any, Any, Any] = NO_MASK  # what stands before the piece, at a size

    def use(self, shot: Shot) -> dict[str, Any]:
        """Put the photo in its place. What shaders are told of it."""
        photo = shot.photo
        if photo is None:
            return {"has_photo": False, "photo": self._place}
        self._texture(photo.pixels).use(self._place)
        (left, top, wide, tall), size = photo.box(shot.size), shot.size
        low = size[1] - top - tall
        told: dict[str, Any] = {
            "has_photo": True,
            "photo": self._place,
            "photo_box": (left / size[0], low / size[1], wide / size[0], tall / size[1]),
        }
        if (caught := shot.scene.caught) is not None:
            open_ = tuple(float(v) for v in open_light(shot.scene, caught.normal))
            told |= {"photo_tone": caught.material.base, "photo_normal": caught.normal, "photo_open": open_}
        return told

    def _texture(self, pixels: Array) -> Any:
        if self._sent[0] is not pixels:
            if self._sent[1] is not None:
                self._sent[1].release()
            texture = self._card.gl.texture(pixels.shape[1::-1], 3, pixels.tobytes(), alignment=1)
            texture.build_mipmaps()
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False
            self._sent = pixels, texture
        return self._sent[1]

    def under_what_is_before(self, photo: Photographed, pixels: Array, size: tuple[int, int]) -> Array:
        """A picture (h, w, 4) with what of the photo stands before the piece."""
        if photo.mask is None:
            return pixels
        of, at, seen, hidden = self._before
        if of is not photo or at != size:
            hidden = before(photo, size)
            assert hidden is not None
            hidden, seen = hidden[..., None].astype(np.float32), behind(photo, size).astype(np.float32)
            self._before = photo, size, seen, hidden
        over = pixels.copy()
        over[..., :3] = np.rint(pixels[..., :3] * (1 - hidden) + seen * hidden)
        return over
