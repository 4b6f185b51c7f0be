"""A piece path traced in its photo, of growing quality: only where it is seen or changes the light there.

Of a large picture that part is looked for first, in a small one.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import curve_undone, srgb_decode
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import ndimage
from kilnchisel.core.photo.cleared import shown_whole
from kilnchisel.core.photo.packed import BLOCK, packed, packing_of
from kilnchisel.core.picture.apart import Parted, Parting
from kilnchisel.core.picture.frame import FIRST_GUIDES, GUIDE_SAMPLES, Asked, Cancelled, Frame, Stop
from kilnchisel.core.picture.glow import veil
from kilnchisel.core.picture.grass import hidden_by_grass
from kilnchisel.core.picture.halo import NONE as NO_HALO
from kilnchisel.core.picture.halo import Halo, halo, sharpened
from kilnchisel.core.picture.likeness import grain, grained
from kilnchisel.core.picture.onphoto import (
    SEEN_FROM,
    alike,
    before,
    behind,
    changed_light,
    layers_on_photo,
    on_cloth,
    on_photo,
)
from kilnchisel.core.picture.refined import Light, Refined
from kilnchisel.core.picture.tones import Tones, tones
from kilnchisel.core.picture.tracing import TracedScene
from kilnchisel.core.scene.onfolds import Warp, warp_of
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]
Layers = Callable[[Frame, Array, "Warp | None"], dict[str, Array]]


SMALL, LARGE = 90_000, 600_000  # pixels of the picture that is looked at first, and from which on one is
LOOKED = 8  # samples of it
SEEN, CHANGED, GLOWS = 0.01, 0.025, 0.004  # cover, share of the light, light: less than that is nothing
BESIDE, LEAST_BESIDE = 0.15, 32  # of what is found, and pixels: how far beyond it is sampled
MOST = 0.8  # of a picture: a larger part might as well be all of it
BAND = 1_000_000  # pixels that are finished at once
ABOUT_PX = 2048  # each way: so much of a photo tells its grain
FADES = 24  # pixels: over these the change of the light ends before a box does


class InPhoto:
    """Pictures of a scene in its photo. ``layers``: what is known of a frame's pixels, by its guides."""

    def __init__(self, scene: Scene, traced: TracedScene, layers: Layers) -> None:
        if not traced.parts:
            raise KilnError(
                "On this machine the tracer cannot put a piece into a photo; its draft, which can be "
                "written too, shows it there."
            )
        assert scene.photo is not None
        self.scene, self.traced, self.layers, self.photo = scene, traced, layers, scene.photo
        self._covers: Array = np.zeros((0, 0))

    def pictures(self, asked: Asked) -> Iterator[Refined]:
        """As ``Mockup.refine`` gives them."""
        whole = shown_whole(self.photo.photo) if max(asked.size) > max(self.photo.pixels.shape) else None
        seen, masked = behind(self.photo, asked.size, whole), before(self.photo, asked.size)
        if not self.scene.company:
            yield from self._pictures(asked, seen, masked, seen)
            return
        first, others = asked.steps[0], len(self.scene.company)
        if first < asked.samples and not _is_kept(self.scene, asked):  # with few samples it is soon there
            few = replace(asked, looks=(), samples=first, wish=None, progress=_heard_by_nobody)
            for made in self._pictures(few, *with_company(self.scene, few, seen, masked), seen):
                yield Refined(made.pixels, made.done, asked.samples)
        last = replace(asked, progress=_part_of(asked.progress, others, others + 1))
        yield from self._pictures(last, *with_company(self.scene, asked, seen, masked), seen)

    def painted(self, asked: Asked, seen: Array, masked: Array | None, plain: Array) -> tuple[Array, Array]:
        """The last of the pictures, as ``_pictures`` takes it, and how much of each pixel the piece
        covers."""
        pixels = seen
        for made in self._pictures(replace(asked, looks=(), wish=None), seen, masked, plain):
            pixels = made.pixels
        return pixels, self._covers

    def _pictures(self, asked: Asked, seen: Array, masked: Array | None, plain: Array) -> Iterator[Refined]:
        """The piece over what is ``seen``, (h, w, 3) uint8, behind what is ``masked``, (h, w) 0..1; the
        photo itself, ``plain``, tells what it is like."""
        wish, stop, samples = asked.wish, asked.stop, asked.samples
        frame = asked.frame
        if frame.pixels > LARGE and not (wish is not None and wish.layers):
            frame = self._part(frame, stop)
        here, taken, about = frame.of(seen), self.photo.photo, _about(plain, frame)
        own = _Own(grain(about), _halo(about, taken.halo), tones(plain, taken.blacks, taken.whites))
        grown, held_back = None, False
        hidden = None if masked is None else frame.of(masked)
        parting, warp = Parting(self.scene, self.traced), self._warp(frame)
        done = 0
        for look in asked.steps:
            while done < look:
                step = frame.step(look - done)
                self._add(parting, frame, step, stop)
                done += step
                asked.progress(done / samples)
            parting.let_go()  # the denoiser wants room of its own
            parted = on_cloth(parting.found(detail=Detail.ROUGH if done < samples else Detail.FINE), warp)
            parted = _ended(parted, frame)
            if stop():
                raise Cancelled
            glow = self._glow(parted, frame)
            if hidden is not None and self.scene.before and not held_back:
                hidden, held_back = hidden * (1 - self._before_all(frame, warp, stop)), True
            if taken.grown_mm > 0 and grown is None:
                grown = self._grown(frame, parted.cover, here, stop)
                hidden = grown if hidden is None else np.maximum(hidden, grown)
            parted = alike(parted, here, taken.soft, hidden, own.halo)
            shown = parted.cover if hidden is None else parted.cover * (1 - hidden)
            made = self._finished(here, parted, glow, hidden, own, shown)
            if done == samples and asked.size == self.photo.size and taken.packed > 0:
                made = self._as_packed(frame, seen, made, shown)
            pixels = frame.over(seen, made)
            self._covers = frame.over(np.zeros(pixels.shape[:2]), np.clip(shown, 0, 1))
            light = None
            if wish is not None and done == samples:
                layers: dict[str, Array] = {}
                if wish.layers:
                    layers = self.layers(frame, parted.guides, warp)
                    layers |= layers_on_photo(seen, parted, self.scene.gain, glow, hidden)
                none = np.zeros(pixels.shape[:2], np.float32)
                shown = curve_undone(srgb_decode(pixels / 255)).astype(np.float32)
                light = Light(shown, 1 - none, none, layers)
            yield Refined(pixels, done, samples, light)

    def _finished(
        self,
        seen: Array,
        parted: Parted,
        glow: Array | None,
        hidden: Array | None,
        own: _Own,
        shown: Array,
    ) -> Array:
        """The pixels, (h, w, 3) uint8, in bands: what they are worked out with is many times as large.
        ``shown`` (h, w): how much of the piece is seen in each."""
        whole = replace(parted, changed=changed_light(parted))
        made = np.empty_like(seen)
        rows = max(BAND // seen.shape[1], 1)
        bands = [slice(first, first + rows) for first in range(0, seen.shape[0], rows)]
        for band in bands:
            part = Parted(**{name: value[band] for name, value in vars(whole).items()})
            veiled, masked = (None if one is None else one[band] for one in (glow, hidden))
            made[band] = on_photo(seen[band], part, self.scene.gain, veiled, masked, own.tones)
        made = sharpened(made, seen, np.clip(parted.cover, 0, 1), hidden, own.halo)
        for number, band in enumerate(bands):
            made[band] = grained(made[band], shown[band], own.grain, self.photo.photo.grain / 100, number)
        return made

    def _as_packed(self, frame: Frame, seen: Array, made: Array, cover: Array) -> Array:
        """Pixels of a frame packed as the photo was, where the piece covers them."""
        photo = self.photo.photo
        packing = packing_of(photo.sha256, photo.name)
        if packing is None:
            return made
        (top, _), (left, _) = frame.rows, frame.columns
        down, right = top % BLOCK, left % BLOCK  # so far the frame begins within a block
        whole = frame.over(seen, made)
        part = np.ascontiguousarray(
            whole[top - down : top + made.shape[0], left - right : left + made.shape[1]]
        )
        soft = packed(part, packing, photo.packed / 100)[down:, right:]
        there = np.clip(cover, 0, 1)[..., None]
        mixed = np.rint(made + (soft.astype(np.float32) - made) * there).astype(np.uint8)
        return np.where(there < SEEN_FROM, made, mixed)

    def _add(self, parting: Parting, frame: Frame, samples: int, stop: Stop) -> None:
        parting.add(frame.parting(stop), samples, 0 if parting.done else GUIDE_SAMPLES)

    def _warp(self, frame: Frame) -> Warp | None:
        warp = warp_of(self.scene, frame.view, frame.size)
        if warp is None or frame.box is None:
            return warp
        return warp.part(frame.box)

    def _glow(self, parted: Parted, frame: Frame) -> Array | None:
        if not self.scene.shines:
            return None
        (first, last), tall = frame.rows, frame.size[1]
        high = frame.high_deg * (last - first) / tall
        return veil(np.maximum(parted.light, 0), self.scene.glow, high)

    def _before_all(self, frame: Frame, warp: Warp | None, stop: Stop) -> Array:
        """How much of what is seen of the piece in each pixel nothing in the photo hides, (h, w) 0..1."""
        values, names = frame.masks(self.traced, FIRST_GUIDES, stop)
        shares = values[..., 2:]
        mine = [name.startswith(self.scene.before) for name in names]
        lettered = [name.startswith("lettering") for name in names]
        share = shares[..., mine].sum(axis=2) / np.maximum(shares[..., lettered].sum(axis=2), 1e-6)
        return np.asarray(np.clip(share if warp is None else warp.of(share), 0, 1))

    def _grown(self, frame: Frame, cover: Array, seen_there: Array, stop: Stop) -> Array:
        """How much of each pixel what grows on the photo's ground stands before the piece."""
        seen, _ = frame.masks(self.traced, FIRST_GUIDES, stop)
        depth = seen[..., 1] / np.maximum(seen[..., 0], 1e-6)
        focal = frame.size[1] / 2 / frame.view.tall
        return hidden_by_grass(cover, depth, self.photo.photo.grown_mm, focal, seen_there)

    def _part(self, frame: Frame, stop: Stop) -> Frame:
        """The part of a picture in which the piece is seen or changes anything."""
        by = np.sqrt(SMALL / frame.pixels)
        size = max(round(frame.size[0] * by), 16), max(round(frame.size[1] * by), 16)
        small, parting = Frame(frame.view, size), Parting(self.scene, self.traced)
        self._add(parting, small, LOOKED, stop)
        parting.let_go()
        parted = on_cloth(parting.found(detail=Detail.ROUGH), self._warp(small))
        off = ndimage.median_filter(np.abs(changed_light(parted) - 1).max(axis=2), 5)
        there = (ndimage.maximum_filter(parted.cover, 3) > SEEN) | (off > CHANGED)
        glow = self._glow(parted, small)
        if glow is not None:
            there |= (glow * self.scene.gain).max(axis=2) > GLOWS
        if not there.any():
            return frame
        spans = []
        for axis, (most, count) in enumerate(zip(frame.size[::-1], size[::-1], strict=True)):
            places = np.flatnonzero(there.any(axis=1 - axis))
            low, high = places[0] * most / count, (places[-1] + 1) * most / count
            beyond = max(BESIDE * (high - low), LEAST_BESIDE)
            spans.append(slice(max(int(low - beyond), 0), min(int(high + beyond) + 1, most)))
        part = replace(frame, box=(spans[0], spans[1]))
        return part if part.pixels < MOST * frame.pixels else frame


@dataclass(frozen=True, eq=False)
class _Own:
    """What a photo has of its own: its grain, its halo, its tones."""

    grain: Array
    halo: Halo
    tones: Tones


def _halo(pixels: Array, amount: float) -> Halo:
    """The halo of a photo; ``amount``: % of what is measured."""
    if amount <= 0:
        return NO_HALO
    return halo(pixels).less(amount / 100)


KEPT = 2  # pictures with company: those that are wanted on the way, and the last ones
_company: OrderedDict[tuple[Any, ...], tuple[Array, Array | None]] = OrderedDict()


def with_company(
    scene: Scene, asked: Asked, seen: Array, masked: Array | None
) -> tuple[Array, Array | None]:
    """A photo (h, w, 3) with all other pieces in it, and what of it stands before the scene's own, those
    that are nearer too. They are traced once for as long as they stay as they are. Raises Cancelled."""
    key = _company_key(scene, asked)
    if key in _company:
        _company.move_to_end(key)
        return _company[key]
    pixels, hidden = seen, masked
    for number, one in enumerate(scene.company):
        traced = TracedScene(one.scene)
        view = one.view(asked.size[0] / asked.size[1])
        own = InPhoto(one.scene, traced, _no_layers)
        try:
            heard = _part_of(asked.progress, number, len(scene.company) + 1)
            pixels, cover = own.painted(replace(asked, view=view, progress=heard), pixels, masked, seen)
        finally:
            traced.let_go()
        if one.nearer:
            hidden = cover if hidden is None else np.maximum(hidden, cover)
    _company[key] = pixels, hidden
    while len(_company) > KEPT:
        _company.popitem(last=False)
    return pixels, hidden


def _company_key(scene: Scene, asked: Asked) -> tuple[Any, ...]:
    return tuple((one.key, one.nearer) for one in scene.company), asked.size, asked.samples


def _is_kept(scene: Scene, asked: Asked) -> bool:
    return _company_key(scene, asked) in _company


def _part_of(progress: Callable[[float], None], number: int, count: int) -> Callable[[float], None]:
    """What hears the share done of one of several parts, and tells that of all of them."""
    return lambda share: progress((number + share) / count)


def _heard_by_nobody(share: float) -> None:
    pass


def _no_layers(frame: Frame, guides: Array, warp: Warp | None) -> dict[str, Array]:
    return {}


def _about(seen: Array, frame: Frame) -> Array:
    """The part of a photo about the piece, no larger than tells its grain."""
    part = []
    for (first, last), most in zip((frame.rows, frame.columns), frame.size[::-1], strict=True):
        low = max(min((first + last - ABOUT_PX) // 2, most - ABOUT_PX), 0)
        part.append(slice(low, low + ABOUT_PX))
    return seen[part[0], part[1]]


def _ended(parted: Parted, frame: Frame) -> Parted:
    """What changes of the light goes out towards the sides of a box that lie within the picture."""
    if frame.box is None:
        return parted
    shares = []
    for (first, last), most in zip((frame.rows, frame.columns), frame.size[::-1], strict=True):
        place = np.arange(first, last)
        share = np.ones(last - first)
        if first > 0:
            share = np.minimum(share, (place - first) / FADES)
        if last < most:
            share = np.minimum(share, (last - 1 - place) / FADES)
        shares.append(share)
    left = np.minimum.outer(shares[0], shares[1])[..., None]
    return replace(parted, changed=1 + (changed_light(parted) - 1) * left)
