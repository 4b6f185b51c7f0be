"""A draft's pass for the lens: what is out of focus is spread over its disc."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import moderngl

from kilnchisel.core.picture.card import Card, let_go_of, set_values
from kilnchisel.core.scene.view import View


class LensPass:
    """Of one card."""

    def __init__(self, card: Card) -> None:
        self._card = card

    @cached_property
    def _screen(self) -> Any:
        return self._card.gl.vertex_array(self._card.lens, [])

    def over(self, data: bytes, size: tuple[int, int]) -> bytes:
        """A picture of ``size`` (4 bytes a pixel, how far it is out of focus last) as the lens shows it."""
        gl = self._card.gl
        picture = gl.texture(size, 4, data)
        picture.repeat_x = picture.repeat_y = False
        frame, before = gl.simple_framebuffer(size, components=4), gl.fbo
        frame.use()
        gl.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        picture.use(0)
        set_values(self._card.lens, picture=0, most=_largest_disc(size))
        self._card.draw(self._screen, 3)
        made = self._card.read(frame, components=4)
        before.use()
        picture.release()
        let_go_of(frame)
        return made


def lens_of(view: View, size: tuple[int, int]) -> tuple[float, float]:
    """The lens for shaders: its opening by the largest disc, and the depth in focus, mm; without an
    opening all is in focus."""
    if view.opening_mm <= 0:
        return 0.0, 1.0
    radius_px = view.opening_mm / 2 / (2 * view.tall) * size[1]
    return radius_px / _largest_disc(size), view.focus_mm


def _largest_disc(size: tuple[int, int]) -> float:
    """Radius of the largest disc that a point out of focus is spread over, pixels."""
    return max(size[1] / 36, 2.0)
