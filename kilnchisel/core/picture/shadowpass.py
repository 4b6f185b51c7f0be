"""A draft's pass for the shadow of the strongest light: how far each ray from it comes."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from kilnchisel.core.detail import Detail
from kilnchisel.core.picture.card import Card, set_values
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

SIZE = 1024
PLACE = 3  # of its texture
TAPS = {Detail.FINE: 16, Detail.ROUGH: 8}  # places looked at for one soft shadow


class ShadowPass:
    """Of one card."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._map = card.gl.depth_texture((SIZE, SIZE))
        self._map.compare_func = ""
        self._map.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._map.repeat_x = self._map.repeat_y = False
        self._frame = card.gl.framebuffer(depth_attachment=self._map)
        self._drawn: tuple[Any, Any] = (
            None,
            None,
        )  # the meshes that stay with their place, and lettered ones

    def draw(self, scene: Scene, *, detail: Detail) -> None:
        """Fill the map. While something moves, the relief of letters may lag behind in it."""
        panel = scene.panel
        if panel is None:
            return
        solid = [item for item in scene.items if item.material.kind != "glass"]
        still = tuple(item.mesh for item in solid if item.still)
        lettered = tuple(item.mesh for item in solid if not item.still)
        place = (panel.middle.tobytes(), panel.half.tobytes(), scene.stance.tobytes(), scene.radius_mm)
        drawn, relief = self._drawn
        if drawn == (still, place) and (relief == lettered or not detail.fine):
            return
        self._drawn = ((still, place), lettered)
        gl, depth = self._card.gl, self._card.depth
        self._frame.use()
        self._frame.clear(depth=1.0)
        gl.enable(moderngl.DEPTH_TEST)
        gl.disable(moderngl.CULL_FACE)
        set_values(depth, clip=_from_the_light(scene).clip_matrix(1.0), stance=scene.stance)
        for item in solid:
            self._card.draw(self._card.mesh(item.mesh).depth)

    def use(self, scene: Scene, *, detail: Detail) -> dict[str, Any]:
        """Put the map in its place. What shaders are told of it and of the light."""
        self._map.use(PLACE)
        told: dict[str, Any] = {
            "shadow_map": PLACE,
            "shadow_taps": TAPS[detail],
            "has_panel": scene.panel is not None,
        }
        if scene.panel is None:
            return told
        side, up = scene.panel.edges
        lamp = _from_the_light(scene)
        return told | {
            "panel_middle": scene.panel.middle,
            "panel_facing": scene.panel.facing,
            "panel_side": side,
            "panel_up": up,
            "panel_half": scene.panel.half,
            "panel_radiance": scene.panel.radiance,
            "shadow_clip": lamp.clip_matrix(1.0),
            "shadow_texel": 2 * lamp.tall / SIZE,
            "shadow_depth": lamp.reach_mm - lamp.near_mm,
        }


def _from_the_light(scene: Scene) -> View:
    """A parallel view from the panel that holds the piece and the shadow next to it."""
    assert scene.panel is not None
    _, up = scene.panel.edges
    ahead = scene.panel.facing
    back = 3 * scene.radius_mm
    return View(
        eye=scene.middle - back * ahead,
        right=np.cross(ahead, up),
        up=up,
        ahead=ahead,
        parallel=True,
        tall=1.04 * scene.radius_mm,
        reach_mm=back + 9 * scene.radius_mm,
    )
