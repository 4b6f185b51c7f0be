"""The light of tubes for the draft: baked over sheets and the ground, as textures."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.detail import Detail
from kilnchisel.core.picture.card import Card
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.scene import Lamps, Scene

Array = NDArray[Any]

QUICK, FINE = 64, 192  # texels along a map's longer side
GROUND_REACH = 3.0  # how far from the lamps the ground's map goes, in their own extent
Baked = tuple[Any, tuple[float, float, float, float]]  # texture, and its box on the sheet


class LampLight:
    """Maps of one OpenGL context, remembered by what they were baked from."""

    def __init__(self, card: Card) -> None:
        self._card = card
        self._kept: OrderedDict[tuple[Any, ...], tuple[Lamps, Baked]] = OrderedDict()

    def on_sheet(self, scene: Scene, side: str, *, detail: Detail) -> Baked | None:
        """The light over a side of the blank; None where no lamps shine or the side has no sheet."""
        lamps, body = scene.lamps, scene.proxy
        if lamps is None or body is None:
            return None
        sheet = next((s for s in body.sheets if s.side.name == side), None)
        if sheet is None:
            return None

        def place(uv: Array) -> tuple[Array, Array]:
            turn, shift = scene.stance[:3, :3], scene.stance[:3, 3]
            points = sheet.side.to_body(uv, np.zeros(len(uv))) @ turn.T + shift
            return points, sheet.side.frames(uv)[:, 2] @ turn.T

        low_u, low_v, high_u, high_v = sheet.side.domain.bounds
        box = (low_u, low_v, high_u - low_u, high_v - low_v)
        return self._baked(
            (side, id(lamps), id(body), scene.stance.tobytes()), lamps, box, place, detail=detail
        )

    def on_ground(self, scene: Scene, base: Base, *, detail: Detail) -> Baked | None:
        """The light over the ground near the lamps."""
        lamps = scene.lamps
        if lamps is None:
            return None
        across = np.cross(base.normal, base.along)
        ends = np.concatenate([lamps.start, lamps.end]) - base.point
        flat = np.stack([ends @ base.along, ends @ across], axis=1)
        low, high = flat.min(axis=0), flat.max(axis=0)
        reach = GROUND_REACH * float((high - low).max()) + 3 * float(np.abs(ends @ base.normal).max())
        corner, size = low - reach, high - low + 2 * reach

        def place(uv: Array) -> tuple[Array, Array]:
            points = base.point + uv[:, :1] * base.along + uv[:, 1:] * across
            return points, np.broadcast_to(base.normal, points.shape)

        key = ("", id(lamps), base.point.tobytes(), base.normal.tobytes())
        box = (float(corner[0]), float(corner[1]), float(size[0]), float(size[1]))
        return self._baked(key, lamps, box, place, detail=detail)

    def _baked(
        self,
        key: tuple[Any, ...],
        lamps: Lamps,
        box: tuple[float, float, float, float],
        place: Any,
        *,
        detail: Detail,
    ) -> Baked:
        most = FINE if detail.fine or (*key, FINE) in self._kept else QUICK
        if (*key, most) in self._kept:
            self._kept.move_to_end((*key, most))
            return self._kept[(*key, most)][1]
        longer = max(box[2], box[3])
        columns, rows = (max(round(most * extent / longer), 8) for extent in box[2:])
        u = box[0] + (np.arange(columns) + 0.5) / columns * box[2]
        v = box[1] + (np.arange(rows) + 0.5) / rows * box[3]
        uv = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
        points, normals = place(uv)
        from kilnchisel.core.picture.tubelight import tube_light  # compiled: only where tubes are lit

        light = tube_light(points, normals, lamps)
        texture = self._card.smooth_texture(light.reshape(rows, columns, 3))
        self._kept[(*key, most)] = (lamps, (texture, box))
        while len(self._kept) > 12:
            self._kept.popitem(last=False)[1][1][0].release()
        return texture, box
