"""One picture that a draft is drawing: what all of its passes take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kilnchisel.core.detail import Detail
from kilnchisel.core.picture.draftlight import LightMaps
from kilnchisel.core.picture.gather import Gathered
from kilnchisel.core.scene.onphoto import Photographed
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View


@dataclass(frozen=True, eq=False)
class Shot:
    """``size`` in pixels, across and down. ``gathered``: the soft light that the piece and its ground send
    one another, ``maps`` of it over sheets and ground, None where that is looked up at corners; ``room``:
    the texture of the layers of the room, from polished to dull."""

    scene: Scene
    view: View
    size: tuple[int, int]
    detail: Detail
    gathered: Gathered | None
    maps: LightMaps | None
    room: Any

    @property
    def aspect(self) -> float:
        """Width by height."""
        return self.size[0] / self.size[1]

    @property
    def photo(self) -> Photographed | None:
        """The photo behind; straight on there is none."""
        return None if self.view.parallel else self.scene.photo
