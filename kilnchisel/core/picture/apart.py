"""A piece and what it does to its ground, sampled apart: two path-traced pictures, with and without it.

What the piece does to its ground is the quotient of the two (differential rendering: Debevec, Rendering
Synthetic Objects into Real Scenes, SIGGRAPH 1998).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.detail import Detail
from kilnchisel.core.picture.denoise import denoised
from kilnchisel.core.picture.tracing import Slice, TracedScene
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

Draw = Callable[[Slice], Array]
Sampled = Callable[[Draw, int, int], Array]  # what draws, how many samples, from which one on
WHOLE = 0.999  # of a pixel that is nothing but ground
THERE = 0.3  # of a pixel, below which too little of its ground is sampled to tell its light


@dataclass(frozen=True, eq=False)
class Parted:
    """Light of the piece (h, w, 3), premultiplied by how much of a pixel it covers (h, w); of a pixel's
    ground, how much there is (h, w) and its light with and without the piece (h, w, 3), as if it were all
    of the pixel. ``there``: where that is known. ``guides``: albedo and normal of what is seen."""

    light: Array
    cover: Array
    grounded: Array
    lit: Array
    open: Array
    there: Array
    guides: Array
    changed: Array | None = None  # by what the ground's light is multiplied (h, w, 3), where that is known


class Parting:
    """Sums of samples, with and without the piece, that can be looked at on the way."""

    def __init__(self, scene: Scene, traced: TracedScene) -> None:
        self._traced = traced
        alone = scene.base is not None or scene.bare
        self._bare = TracedScene(replace(scene, items=scene.bare), traced.textures) if alone else None
        self.done = self._guided = 0
        self._apart: Any = 0.0
        self._alone: Any = 0.0
        self._guides: Any = 0.0
        self._plain: Any = 0.0

    def add(self, sampled: Sampled, samples: int, guides: int) -> None:
        """More samples of both, and more of what the denoiser goes by."""
        self._apart = self._apart + sampled(self._traced.apart, samples, self.done)
        if guides:
            self._guides = self._guides + sampled(self._traced.guides, guides, self._guided)
        if self._bare is not None:
            self._alone = self._alone + sampled(self._bare.light, samples, self.done)
            if guides:
                self._plain = self._plain + sampled(self._bare.guides, guides, self._guided)
        self.done += samples
        self._guided += guides

    def let_go(self) -> None:
        """Give back what the tracer keeps for its next wave."""
        for one in (self._traced, self._bare):
            if one is not None:
                one.let_go()

    def found(self, *, detail: Detail) -> Parted:
        """What the samples so far say, without noise."""
        apart, guides = self._apart / self.done, self._guides / self._guided

        def clean(light: Array, by: Array) -> Array:
            return denoised(light, by, self.done, detail=detail)

        mine, ground, both = (
            clean(light, guides)
            for light in (apart[..., :3], apart[..., 4:7], apart[..., :3] + apart[..., 4:7])
        )
        cover, grounded = np.clip(apart[..., 3], 0, 1), np.clip(apart[..., 7], 0, 1)
        if self._bare is None:
            nothing = np.zeros_like(mine)
            return Parted(mine, cover, grounded, nothing, nothing, np.zeros(cover.shape, bool), guides)
        alone = self._alone / self.done
        empty = clean(alone[..., :3], self._plain / self._guided)
        # where there is nothing but ground it is as in the picture with all of it
        share = grounded[..., None]
        lit = np.where(share > WHOLE, both, ground / np.maximum(share, 1e-3))
        open_ = empty / np.maximum(alone[..., 3:4], 1e-3)
        there = (grounded > THERE) & (alone[..., 3] > THERE)
        return Parted(mine, cover, grounded, lit, open_, there, guides)
