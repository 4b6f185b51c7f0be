"""The mockup: the scene path traced, denoised with guides, and finished like the draft.

A picture is refined in short slices of samples; between slices it can be shown and cancelled.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, picture_curve, srgb_encode
from kilnchisel.core.detail import Detail
from kilnchisel.core.picture.apart import Parting
from kilnchisel.core.picture.denoise import denoised
from kilnchisel.core.picture.frame import FIRST_GUIDES, GUIDE_SAMPLES, Asked, Cancelled, Frame, Stop
from kilnchisel.core.picture.glow import veil
from kilnchisel.core.picture.inphoto import InPhoto
from kilnchisel.core.picture.onphoto import on_cloth
from kilnchisel.core.picture.refined import Light, Refined, Wish
from kilnchisel.core.picture.tracing import Textures, TracedScene
from kilnchisel.core.scene.light import look_up
from kilnchisel.core.scene.onfolds import Warp, warp_of
from kilnchisel.core.scene.scene import SHEET, SHEET_FALLS, Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

FINE_GUIDES = 48  # for the layers of a picture: edges as smooth as the light
FEW_SAMPLES = 16  # a pixel, below which the coverage is a coarse mask
LOOKS = (1, 4, 16, 64, 256)  # sample counts after which a picture is shown
SHADE_FROM = 0.015  # of the light that is lost, from where on it is a shadow


class Mockup:
    """A scene ready to be looked at from any view."""

    def __init__(self, scene: Scene, had: Textures | None = None) -> None:
        """``had``: the textures of a mockup that is let go of, used again where they are the same."""
        self.scene = scene
        self.traced = TracedScene(scene, had)

    def refine(
        self,
        view: View,
        size: tuple[int, int],
        samples: int,
        stop: Stop = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
        looks: tuple[int, ...] = LOOKS,
        wish: Wish | None = None,
    ) -> Iterator[Refined]:
        """Pictures of growing quality, the last one with all samples and with what is wished for.

        ``looks``: sample counts at which a picture is wanted on the way (none: only the last).
        ``progress`` hears the share done, 0..1. Ends early, without the last picture, when ``stop``
        answers True. Raises KilnError when the tracer gives up.
        """
        asked = Asked(view, size, samples, stop, progress, looks, wish)
        try:
            if wish is not None and wish.transparent:
                yield self._cut_out(asked)
            elif self.scene.photo is not None and not view.parallel:
                layers = partial(self._layers, stop)
                yield from InPhoto(self.scene, self.traced, layers).pictures(asked)
            else:
                yield from self._refined(asked)
        except Cancelled:
            return
        finally:
            self.traced.let_go()

    def _refined(self, asked: Asked) -> Iterator[Refined]:
        frame, view, samples = asked.frame, asked.view, asked.samples
        backdrop, (width, height) = backdrop_of(self.scene, view, asked.size), asked.size
        total = np.zeros((height, width, 4), dtype=np.float32)
        guides = np.zeros((height, width, 6), dtype=np.float32)
        done = guided = 0
        more = max(FIRST_GUIDES, GUIDE_SAMPLES - samples)
        for look in asked.steps:
            while done < look:
                step = frame.step(look - done)
                seen = frame.sampled(self.traced.seen, step, 2 * done, asked.stop, done)
                total += seen[..., :4]
                guides += seen[..., 4:]
                done += step
                guided += step
                if more:
                    guides += frame.sampled(self.traced.guides, more, 1, asked.stop, samples)
                    guided, more = guided + more, 0
                asked.progress(done / samples)
            self.traced.let_go()  # the denoiser wants room of its own
            colour = self._clean(
                view,
                total / done,
                guides / guided,
                backdrop,
                done,
                detail=Detail.ROUGH if done < samples else Detail.FINE,
            )
            light = None
            if asked.wish is not None and done == samples:
                light = self._as_light(colour, asked, guides / guided)
            if asked.stop():
                raise Cancelled
            shown = srgb_encode(picture_curve(colour, self.scene.gain))
            yield Refined(np.rint(shown * 255).astype(np.uint8), done, samples, light)

    def _clean(
        self, view: View, light: Array, guides: Array, backdrop: Array, samples: int, *, detail: Detail
    ) -> Array:
        """Scene light (h, w, 3) without noise, with what is behind and the glow."""
        behind = (1.0 - np.clip(light[..., 3:4], 0, 1)) * backdrop
        if samples < FEW_SAMPLES or view.opening_mm > 0:
            # the backdrop is put in first: between a clean picture and a coverage of few samples, or
            # of edges out of focus, there would be specks along every silhouette
            colour = denoised(light[..., :3] + behind, guides, samples, detail=detail)
        else:
            colour = denoised(light[..., :3], guides, samples, detail=detail) + behind
        return self._glowing(colour, view)

    def _glowing(self, colour: Array, view: View) -> Array:
        """Light with the veil round what shines."""
        if not self.scene.shines or view.parallel:
            return colour
        return colour + veil(colour, self.scene.glow, float(2 * np.degrees(np.arctan(view.tall))))

    def _as_light(self, colour: Array, asked: Asked, guides: Array) -> Light:
        """A finished picture as light, and what is known of its pixels."""
        none = np.zeros(colour.shape[:2], np.float32)
        wanted = asked.wish is not None and asked.wish.layers
        layers = self._layers(asked.stop, asked.frame, guides) if wanted else {}
        return Light((colour * self.scene.gain).astype(np.float32), 1 - none, none, layers)

    def _cut_out(self, asked: Asked) -> Refined:
        """The piece without what is behind it; of its ground only the shadow on it."""
        frame, view, samples = asked.frame, asked.view, asked.samples
        parting, warp = Parting(self.scene, self.traced), warp_of(self.scene, view, asked.size)

        step = frame.step(samples)
        for done in range(0, samples, step):
            count = min(step, samples - done)
            parting.add(frame.parting(asked.stop), count, FINE_GUIDES if done == 0 else 0)
            asked.progress((done + count) / samples)
        parted = on_cloth(parting.found(detail=Detail.FINE), warp)
        mine, cover, grounded, guides = parted.light, parted.cover, parted.grounded, parted.guides
        if parted.changed is None:
            lost = 1 - (parted.lit @ LUMA) / np.maximum(parted.open @ LUMA, 1e-6)
            lost = np.where(parted.there, lost, 0.0)
        else:  # it lies on cloth, and so does its shadow
            lost = 1 - parted.changed @ LUMA
        # what the noise makes of open ground is no shadow
        shade = np.clip((lost - SHADE_FROM) / (1 - SHADE_FROM), 0, 1)
        # at a horizon, or the edge of a table, a pixel is only partly ground: no shadow ends there
        shade *= np.clip(2 * (grounded + cover) - 1, 0, 1)
        light = self._glowing(np.maximum(mine, 0), view)
        wanted = asked.wish is not None and asked.wish.layers
        layers = self._layers(asked.stop, frame, guides, warp) if wanted else {}
        made = Light(
            (light * self.scene.gain).astype(np.float32),
            cover.astype(np.float32),
            shade.astype(np.float32),
            layers,
        )
        over = picture_curve(made.light + (1 - made.alpha[..., None]))  # on white, to be looked at
        return Refined(np.rint(srgb_encode(over) * 255).astype(np.uint8), samples, samples, made)

    def _layers(
        self, stop: Stop, frame: Frame, guides: Array, warp: Warp | None = None
    ) -> dict[str, Array]:
        """What is known of each pixel, (h, w, n) by name; ``guides``: its albedo and normal; ``warp``: by
        which it lies on cloth."""
        values, names = frame.masks(self.traced, FINE_GUIDES, stop)
        met = np.maximum(values[..., :1], 1e-6)
        layers = {"albedo": guides[..., :3], "normal": guides[..., 3:6], "depth": values[..., 1:2] / met}
        for number, name in enumerate(names):
            layers[f"mask.{name.replace(' ', '_')}"] = values[..., 2 + number : 3 + number] / FINE_GUIDES
        if warp is not None:
            layers = {name: warp.of(one) for name, one in layers.items()}
        return {name: one.astype(np.float32) for name, one in layers.items()}

    def linear(self, view: View, size: tuple[int, int], samples: int, *, clean: bool = True) -> Array:
        """Scene-linear picture before curve and exposure, (h, w, 3), for checks and measurements."""

        def never() -> bool:
            return False

        frame = Frame(view, size)
        light = frame.sampled(self.traced.light, samples, 5, never) / samples
        colour = light[..., :3]
        if clean:
            guides = frame.sampled(self.traced.guides, GUIDE_SAMPLES, 6, never)
            colour = denoised(colour, guides / GUIDE_SAMPLES, samples, detail=Detail.FINE)
        return colour + (1.0 - np.clip(light[..., 3:4], 0, 1)) * backdrop_of(self.scene, view, size)


def backdrop_of(scene: Scene, view: View, size: tuple[int, int]) -> Array:
    """What is seen where nothing stands, (h, w, 3) linear; the same the draft draws."""
    width, height = size
    if view.parallel:
        across, up = (2 * (np.arange(side) + 0.5) / side - 1 for side in size)
        falls = 1 - SHEET_FALLS * (across**2 + up[:, None] ** 2) / 2
        return np.repeat(np.asarray(falls[..., None] * SHEET, dtype=np.float32), 3, axis=2)
    # smooth as it is, every fourth pixel is enough
    small = (max(width // 4, 2), max(height // 4, 2))
    x = (np.arange(small[0]) + 0.5) * width / small[0]
    y = (np.arange(small[1]) + 0.5) * height / small[1]
    grid = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    _, directions = view.rays(grid, size)
    seen = look_up(scene.backdrop.seen(view), directions, scene.backdrop.turn)
    return _enlarged(seen.reshape(small[1], small[0], 3), size)


def _enlarged(picture: Array, size: tuple[int, int]) -> Array:
    """Bilinear enlargement of (h, w, 3) to ``size``, pixel centres kept."""
    width, height = size
    y = np.clip((np.arange(height) + 0.5) * picture.shape[0] / height - 0.5, 0, picture.shape[0] - 1)
    x = np.clip((np.arange(width) + 0.5) * picture.shape[1] / width - 0.5, 0, picture.shape[1] - 1)
    y0 = np.minimum(y.astype(int), picture.shape[0] - 2)
    x0 = np.minimum(x.astype(int), picture.shape[1] - 2)
    fy, fx = (y - y0)[:, None, None], (x - x0)[None, :, None]
    rows = picture[y0] * (1 - fy) + picture[y0 + 1] * fy
    return np.asarray((rows[:, x0] * (1 - fx) + rows[:, x0 + 1] * fx).astype(np.float32))
