"""From where a hole in a photo is filled: every small patch over it is to look like some patch beside it.

Nearest patches are sought by neighbours and chance (Barnes et al., "PatchMatch", SIGGRAPH 2009), all
patches over a pixel vote for what it is (Wexler, Shechtman and Irani, "Space-Time Completion of Video",
IEEE PAMI 29, 2007), from coarse to fine.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import ndimage
from kilnchisel.core.photo.filling import about, enlarged, other_things, places, slow_light, spread
from kilnchisel.core.photo.patches import HALF, compare, improve, shared, voted

Array = NDArray[Any]
Step = Callable[[float], None]

SEARCHED = 70_000  # pixels of a hole at the finest step of the search; a larger one is searched smaller
COARSEST = 9.0  # pixels that the hole's inside is from its edge where the search begins
ROUNDS, FINE_ROUNDS = 10, 4  # votes at a coarse step, and at the finest
LAST = 1.2  # pixels: how near to its middle a patch has a say in the last vote
SURE = 1.3  # by which a patch counts less with each pixel it is farther from what is known
ALIKE = 0.02  # of full scale, and of a difference: patches this near to the best fit as well
PEELED_FROM = 800  # patches that are looked at for each pixel of the first field
LEAST_SOURCES = 400  # patches to choose from
TOO_LITTLE = "Too little of the photo is left beside what is taken away to fill it from. Mark less of it."


def field_over(pixels: Array, hole: Array, step: Step = lambda share: None) -> Array:
    """Where each pixel of a hole is copied from: (h, w, 2) int32 rows and columns, at every pixel outside
    the hole itself. ``pixels`` (h, w, 3) uint8, ``hole`` (h, w) bool. ``step`` hears how far it is, 0..1,
    and may raise to stop it. Raises KilnError where too little is left to copy from."""
    own = places(hole.shape).astype(np.int32)
    if not hole.any():
        return own
    box = about(hole)
    part, inner = pixels[box].astype(np.float32) / 255, hole[box]
    slow = slow_light(part, inner)
    # of many things none is another
    others = other_things(part, inner) if slow.any() else np.zeros_like(inner)
    shrink = min(1.0, np.sqrt(SEARCHED / inner.sum()))
    levels = _pyramid(part - slow, inner, others, shrink)
    found = _searched(levels, step)
    field = own[box].copy()
    field[inner] = enlarged(found, inner.shape)[inner]
    whole = own
    whole[box] = field + np.array([box[0].start, box[1].start], np.int32) * inner[..., None]
    whole[box][~inner] = places(hole.shape).astype(np.int32)[box][~inner]
    return whole


def _pyramid(detail: Array, hole: Array, others: Array, shrink: float) -> list[tuple[Array, Array, Array]]:
    """A picture, its hole and where patches can be taken from, from the finest to the coarsest at which
    something of the hole is left."""
    import cv2

    def smaller(values: Array, hole: Array, others: Array, by: float) -> tuple[Array, Array, Array]:
        size = max(round(hole.shape[1] * by), 8), max(round(hole.shape[0] * by), 8)
        known = (~hole).astype(np.float32)
        share = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
        summed = cv2.resize(values * known[..., None], size, interpolation=cv2.INTER_AREA)
        other = cv2.resize(others.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        return summed / np.maximum(share, 1e-3)[..., None], share < 0.75, other > 0.25

    first = (detail, hole, others) if shrink >= 1 else smaller(detail, hole, others, shrink)
    levels = [first]
    while True:
        deep = ndimage.distance_transform_edt(levels[-1][1]).max()
        if deep < COARSEST:
            break
        next_ = smaller(*levels[-1], 0.5)
        if _sources(next_[1], next_[2]).sum() < LEAST_SOURCES:
            break
        levels.append(next_)
    return [(values, inner, _sources(inner, other)) for values, inner, other in levels]


def _sources(hole: Array, others: Array) -> Array:
    """Where a patch lies whole beside a hole, (h, w) bool, and on nothing else while there is enough."""
    usable = ~spread(hole, HALF)
    usable[:HALF], usable[-HALF:], usable[:, :HALF], usable[:, -HALF:] = False, False, False, False
    alike = usable & ~others
    return np.asarray(alike if alike.sum() >= LEAST_SOURCES else usable)


def _searched(levels: list[tuple[Array, Array, Array]], step: Step) -> Array:
    """The field over the hole of the finest level."""
    work = [
        float(inner.sum()) * (FINE_ROUNDS if n == 0 else ROUNDS) for n, (_, inner, _) in enumerate(levels)
    ]
    total, done = sum(work) or 1.0, 0.0
    field: Array | None = None
    for number in range(len(levels) - 1, -1, -1):
        values, inner, usable = levels[number]
        values = np.ascontiguousarray(values, np.float32)
        over = spread(inner, HALF)
        if usable.sum() < LEAST_SOURCES:
            raise KilnError(TOO_LITTLE)
        spots = np.argwhere(over).astype(np.int32)
        if field is None:
            field = _peeled(values, inner, usable, over)
        else:
            field = _upwards(field, usable, over)
            values[inner] = voted(values, field, np.argwhere(inner).astype(np.int32), float(HALF), inner)
        holes = np.argwhere(inner).astype(np.int32)
        sure = (SURE ** -ndimage.distance_transform_edt(inner)).astype(np.float32)
        rounds = FINE_ROUNDS if number == 0 else ROUNDS
        for turn in range(rounds):
            cost = np.zeros(inner.shape, np.float32)
            for again in range(2):
                better, seed = field.copy(), np.int64(number * 1000 + turn * 10 + again)
                shared(improve, spots, better, values, field, cost, usable, seed)
                field = better
            sharp = HALF if turn < rounds - 1 or number else LAST
            # a patch that fits has more of a say, and one near what is known
            weight = sure * np.exp(-cost / float(cost[inner].mean() + 1e-6))
            values[inner] = voted(values, field, holes, sharp, inner, weight)
            done += work[number] / rounds
            step(done / total)
    assert field is not None
    return field


def _peeled(values: Array, hole: Array, usable: Array, over: Array) -> Array:
    """A first field, the hole filled from its edge inwards by what fits what is there already; ``values``
    are filled by it (as Newson et al., "Video Inpainting of Complex Scenes", SIAM J. Imaging 7, 2014)."""
    field, known = _at_first(usable, over), ~hole
    sources = np.argwhere(usable).astype(np.int32)
    sources = np.ascontiguousarray(sources[:: max(len(sources) // PEELED_FROM, 1)])
    middle = values[sources[:, 0], sources[:, 1]]
    while not known.all():
        layer = ~known & ndimage.binary_dilation(known, np.ones((3, 3), bool))
        spots = np.argwhere(layer).astype(np.int32)
        costs = np.empty((len(spots), len(sources)), np.float32)
        shared(compare, spots, costs, values, known, sources)
        for (r, c), cost in zip(spots, costs, strict=True):
            # many fit what is there as well as the best: what they show at the pixel on the whole counts
            fit = np.flatnonzero(cost <= cost.min() * (1 + ALIKE) + ALIKE * ALIKE)
            shown = middle[fit]
            field[r, c] = sources[fit[np.abs(shown - np.median(shown, axis=0)).sum(axis=1).argmin()]]
        values[layer] = values[field[layer][:, 0], field[layer][:, 1]]
        known |= layer
    return field


def _at_first(usable: Array, over: Array) -> Array:
    """A field in which every patch over the hole is taken from the nearest place where one can be."""
    found = ndimage.distance_transform_edt(~usable, return_indices=True)[1]
    field = places(usable.shape).astype(np.int32)
    field[over] = np.stack(found, axis=-1)[over]
    return field


def _upwards(field: Array, usable: Array, over: Array) -> Array:
    """A field of the level below at the size of this one."""
    large = enlarged(field, usable.shape)
    first = _at_first(usable, over)
    fits = usable[large[..., 0], large[..., 1]]
    first[over & fits] = large[over & fits]
    return first
