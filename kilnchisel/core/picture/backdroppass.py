"""A draft's pass for what is behind all: the room's picture, or the photo where there is one."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.picture.card import Card, set_values
from kilnchisel.core.picture.shot import Shot

Array = NDArray[Any]

KEPT = 3  # pictures of rooms on the card


class BackdropPass:
    """Of one card."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._screen = card.gl.vertex_array(card.backdrop, [])
        self._kept: OrderedDict[int, tuple[Array, Any]] = OrderedDict()

    def draw(self, shot: Shot) -> None:
        """Fill the frame."""
        scene, view = shot.scene, shot.view
        picture = scene.backdrop.seen(view)
        if id(picture) not in self._kept:
            height, width = picture.shape[:2]
            texture = self._card.gl.texture((width, height), 3, _half(picture), dtype="f2", alignment=2)
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_y = False
            self._kept[id(picture)] = (picture, texture)
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)[1][1].release()
        self._kept[id(picture)][1].use(0)
        set_values(
            self._card.backdrop,
            backdrop=0,
            turn=scene.backdrop.turn,
            ahead=view.ahead,
            right=view.right,
            up=view.up,
            tall=(0.0, 0.0) if view.parallel else (view.tall * shot.aspect, view.tall),
            raised=view.raised,
            gain=scene.gain,
        )
        self._card.draw(self._screen, 3)


def _half(light: Array) -> bytes:
    """Light as the card keeps it: of half precision, which has three digits and goes up to 65504."""
    return np.minimum(light, 65504).astype("f2").tobytes()
