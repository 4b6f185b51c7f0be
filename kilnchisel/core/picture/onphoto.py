"""The mockup of a piece in a photograph: what the piece shows lies over the photo, and what it does to the
light there, shadow or glow, is done to the photo's own pixels.

The ground's light with the piece over its light without (``apart``) multiplies what the photo shows. A
pixel that the piece neither covers nor changes stays the photo's own, to the last bit.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import curve_undone, picture_curve, srgb_decode, srgb_encode
from kilnchisel.core.later import ndimage
from kilnchisel.core.picture.apart import Parted
from kilnchisel.core.picture.halo import NONE as NO_HALO
from kilnchisel.core.picture.halo import Halo
from kilnchisel.core.picture.likeness import LEAST_PX, softness
from kilnchisel.core.picture.tones import Tones
from kilnchisel.core.scene.onfolds import Warp
from kilnchisel.core.scene.onphoto import OUTSIDE, Photographed

Array = NDArray[Any]

CHANGED_FROM = 0.012  # of the light: what the noise makes of open ground is neither shadow nor glow
SEEN_FROM = 0.4 / 255  # of a pixel's cover: less is not seen


def behind(
    photo: Photographed, size: tuple[int, int], pixels: Array | None = None, outside: int | None = None
) -> Array:
    """The photo in a picture of this size, (h, w, 3) uint8: all of it, as large as it fits. ``pixels``: of
    the photo at its full size, where they are wanted; ``outside``: what lies beside it, 0..255."""
    import cv2

    source = photo.pixels if pixels is None else pixels
    left, top, wide, tall = photo.box(size)
    first = round(left), round(top)
    last = round(left + wide), round(top + tall)
    inner = max(last[0] - first[0], 1), max(last[1] - first[1], 1)
    how = cv2.INTER_AREA if inner[0] < source.shape[1] else cv2.INTER_CUBIC
    fits = source if inner == source.shape[1::-1] else cv2.resize(source, inner, interpolation=how)
    if inner == size:
        return np.ascontiguousarray(fits)
    grey = round(255 * float(srgb_encode(np.array(OUTSIDE)))) if outside is None else outside
    whole = np.full((size[1], size[0], 3), grey, np.uint8)
    whole[first[1] : first[1] + inner[1], first[0] : first[0] + inner[0]] = fits
    return whole


def on_cloth(parted: Parted, warp: Warp | None) -> Parted:
    """What was sampled on flat cloth, on its folds and in their light and dark."""
    if warp is None:
        return parted
    return replace(
        parted,
        light=warp.of(parted.light) * warp.shade[..., None],
        cover=warp.of(parted.cover),
        grounded=warp.of(parted.grounded),
        changed=warp.of(changed_light(parted)),
    )


def drawn_on_cloth(pixels: Array, still: Array, warp: Warp) -> Array:
    """A draft (h, w, 4) uint8 of lettering on flat cloth, on its folds and in their light and dark.
    ``still``: the same without lettering. How much of a pixel is lettering shows by how far the two differ,
    of as far as they do beside it."""
    off = _apart(pixels, still)
    made = pixels.copy()
    made[..., :3] = still[..., :3]
    box = _moved_box(off > UNSEEN, warp)
    if box is None:
        return made
    most = ndimage.maximum_filter(off[box], 3)
    cover = np.where(off[box] > UNSEEN, off[box] / np.maximum(most, 1), 0.0).astype(np.float32)[..., None]
    flat, empty = LINEAR[pixels[box][..., :3]], LINEAR[still[box][..., :3]]
    own = flat - (1 - cover) * empty  # premultiplied
    moved = warp.part(box)
    cover, own = moved.of(cover), moved.of(own) * moved.shade[..., None]
    over = np.rint(255 * srgb_encode(np.clip(own + (1 - cover) * empty, 0, 1)))
    made[box][..., :3] = np.where(cover > SEEN_FROM, over, still[box][..., :3])
    return made


def _apart(one: Array, other: Array) -> Array:
    """How far two pictures (h, w, n) uint8 are apart in red, green or blue, (h, w) steps of 255."""
    red, green, blue = (np.abs(one[..., k].astype(np.int16) - other[..., k]) for k in range(3))
    return np.maximum(np.maximum(red, green), blue)


def _moved_box(seen: Array, warp: Warp) -> tuple[slice, slice] | None:
    """The rows and columns in which what is seen (h, w) is, moved or not; None where it is nowhere."""
    rows, columns = np.nonzero(seen.any(axis=1))[0], np.nonzero(seen.any(axis=0))[0]
    if not len(rows):
        return None
    height, width = seen.shape
    here = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    y, x = np.mgrid[here]
    far = int(max(np.abs(warp.x[here] - x).max(), np.abs(warp.y[here] - y).max())) * 2 + 4
    return (
        slice(max(rows[0] - far, 0), min(rows[-1] + far + 1, height)),
        slice(max(columns[0] - far, 0), min(columns[-1] + far + 1, width)),
    )


def changed_light(parted: Parted) -> Array:
    """By what the ground's light is multiplied, (h, w, 3): 1 where it stays."""
    if parted.changed is not None:
        return parted.changed
    quotient = parted.lit / np.maximum(parted.open, 1e-6)
    off = quotient - 1.0
    # soft from the threshold on, so that a shadow has no edge there
    kept = np.sign(off) * np.maximum(np.abs(off) - CHANGED_FROM, 0) / (1 - CHANGED_FROM)
    known = parted.there[..., None]
    changed = _filled(np.where(known, np.maximum(1 + kept, 0), np.nan), known[..., 0], parted.cover)
    # at the border of what is part of the photo, the two pictures differ by their samples only; where the
    # piece covers some of a pixel, the rest of it is lit as what is beside it
    beside = ndimage.maximum_filter(parted.cover, 5) < SEEN_FROM
    border = ndimage.maximum_filter((parted.grounded + parted.cover < WITHIN) & beside, 3)
    return np.where(border[..., None], 1.0, changed)


def _filled(values: Array, known: Array, cover: Array) -> Array:
    """Values where they are known, elsewhere those of the nearest pixel where that is near or the piece
    covers some of it, else 1: along the edge of a piece, the wider the softer it is, there is ground of
    which too little is seen to tell."""
    if known.all():
        return values
    if not known.any():
        return np.ones_like(values)
    far, where = ndimage.distance_transform_edt(~known, return_indices=True)
    near = values[where[0], where[1]]
    return np.where(((far <= NEAR_PX) | (cover > SEEN_FROM))[..., None], near, 1.0)


NEAR_PX = 2.5
LINEAR = srgb_decode(np.arange(256) / 255).astype(np.float32)
WITHIN = 0.98  # of a pixel that is ground or piece
ABOUT, LEAST_ABOUT_PX = (
    0.5,
    24,
)  # how far round the piece the photo's softness is looked at, of its own size
UNSEEN_PX = 0.15
UNSEEN = 1  # steps of 255


def before(photo: Photographed, size: tuple[int, int]) -> Array | None:
    """How much of each pixel of a picture of this size stands before the piece, (h, w) 0..1; None where
    nothing does."""
    if photo.mask is None:
        return None
    whole = behind(photo, size, np.repeat(photo.mask[..., None], 3, axis=2), outside=0)
    return np.asarray(whole[..., 0] / 255.0)


def alike(parted: Parted, seen: Array, soft: float, hidden: Array | None, by: Halo = NO_HALO) -> Parted:
    """What was sampled, as soft as the photo is about the piece once it is sharpened; ``soft``: % of what
    is measured there."""
    rows, columns = np.nonzero(parted.cover > SEEN_FROM)
    if soft <= 0 or not len(rows):
        return parted
    about = np.zeros(parted.cover.shape, bool)
    down, across = (max(int(ABOUT * np.ptp(x)), LEAST_ABOUT_PX) for x in (rows, columns))
    about[
        max(rows.min() - down, 0) : rows.max() + down,
        max(columns.min() - across, 0) : columns.max() + across,
    ] = True
    if hidden is not None:
        about &= hidden < SEEN_FROM
    measured = softness(seen, about)
    if measured is None:
        return parted
    # the tracer's own pixels are as soft as LEAST_PX
    own = by.softer * measured * soft / 100
    spread = float(np.sqrt(max(own**2 - LEAST_PX**2, 0.0)))
    if spread < UNSEEN_PX:
        return parted
    cover = ndimage.gaussian_filter(parted.cover, spread)
    light = ndimage.gaussian_filter(parted.light, (spread, spread, 0))
    return replace(parted, cover=cover, light=light, grounded=parted.grounded + parted.cover - cover)


def on_photo(
    seen: Array,
    parted: Parted,
    gain: Array,
    veil: Array | None = None,
    hidden: Array | None = None,
    tones: Tones | None = None,
) -> Array:
    """The finished picture, (h, w, 3) uint8 sRGB. ``seen``: the photo in it, the same. ``gain``: by what
    the scene's light is exposed. ``veil``: what glows over it, scene light. ``hidden`` (h, w): how much of
    each pixel stands before the piece, its shadow and its glow. ``tones``: those the photo keeps within.

    What is shown of the photo changes from p to p + curve(q s + v) - curve(s): s is the light that the
    picture curve would show as p, q the change of its light, v the veil. For q = 1 and v = 0 that is p.
    """
    shown = srgb_decode(seen / 255)
    changed = changed_light(parted)
    light = curve_undone(shown)
    added = 0.0 if veil is None else veil * gain
    lit = shown + picture_curve(light * changed + added) - picture_curve(light)
    cover = np.clip(parted.cover, 0, 1)[..., None]
    piece = np.maximum(parted.light, 0) / np.maximum(cover, 1e-3)
    mine = picture_curve(piece * gain + added)
    if tones is not None:
        mine = tones.of(mine)
    whole = mine * cover + (1 - cover) * lit
    if hidden is not None:
        whole = shown + (1 - hidden[..., None]) * (whole - shown)
    made = np.rint(srgb_encode(whole) * 255).astype(np.uint8)
    # what nobody sees, the photo's grain hides it, is not done to it
    same = (cover[..., 0] < SEEN_FROM) & (_apart(made, seen) <= UNSEEN)
    if hidden is not None:
        same |= hidden >= 1
    return np.where(same[..., None], seen, made)


def layers_on_photo(
    seen: Array, parted: Parted, gain: Array, veil: Array | None, hidden: Array | None
) -> dict[str, Array]:
    """What a picture in a photo is put together from, (h, w, n) by name: the photo; the piece, exposed and
    premultiplied, and how much it covers; by what the photo's light is multiplied in shadow, and what is
    added to it; what stands before."""
    changed = changed_light(parted)
    photo = curve_undone(srgb_decode(seen / 255))
    added = np.maximum(changed - 1, 0) * photo
    if veil is not None:
        added = added + veil * gain
    none = np.zeros(parted.cover.shape)
    found = {
        "photo": photo,
        "piece": np.maximum(parted.light, 0) * gain,
        "cover": parted.cover[..., None],
        "shadow": np.minimum(changed, 1),
        "light": added,
        "before": (none if hidden is None else hidden)[..., None],
    }
    return {name: values.astype(np.float32) for name, values in found.items()}
