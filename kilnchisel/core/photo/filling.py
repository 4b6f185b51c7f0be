"""What a photo shows beneath something that is taken away: its own texture, copied from elsewhere in it.

The slow light of the place is kept apart: it is carried over the hole as evenly as it can be, and only
what lies on it is copied, so that no copy brings the light of another place with it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import ndimage, sparse, sparse_linalg
from kilnchisel.core.photo.patches import voted

Array = NDArray[Any]

ABOUT = 1.1  # of a hole's size: how far round it copies are taken from
LEAST_ABOUT = 48  # pixels
SLOW = 0.35  # of the hole's smaller side: the spread of what counts as slow light
BESIDE = 0.4  # of the hole's smaller side: how far from it tells what it lies on
OF_ONE = 0.09  # of full scale: what is on the slow light of one thing spreads no more
ROUGH_PX = 2.0  # over so many pixels it is felt how rough something is
LEAST_ROUGH, LEAST_SPREAD = 0.01, 0.06  # of its light; of logarithms: less tells nothing apart
UNLIKE = 3.0  # times the spread of what is beside the hole: that is another thing
MEMBRANE = 96  # cells of the longer side in which the slow light is carried over
OWN = 0.55  # pixels: how near to its middle a patch has a say in what is copied
RING = 4  # pixels beside a hole in which copies are compared with what is there


@dataclass(frozen=True, eq=False)
class Filling:
    """A hole copied shut. ``box``: the part of the picture that takes part; there, ``hole`` (h, w) bool,
    ``field`` (h, w, 2) within the box, ``slow`` (h, w, 3) the slow light and ``even`` (h, w, 3) what is
    added to the copies so that they meet each other and what is beside the hole."""

    shape: tuple[int, int]
    box: tuple[slice, slice]
    hole: Array
    field: Array
    slow: Array
    even: Array

    def of(self, pixels: Array) -> Array:
        """The photo (h, w, 3) uint8, at any size, with its hole filled. Elsewhere nothing changes."""
        by = pixels.shape[0] / self.shape[0]
        if pixels.shape[:2] == self.shape:
            return self._over(pixels, self.box, self.hole, self.field, self.slow, self.even)
        import cv2

        rows, columns = (
            slice(round(one.start * by), min(round(one.stop * by), most))
            for one, most in zip(self.box, pixels.shape[:2], strict=True)
        )
        shape = rows.stop - rows.start, columns.stop - columns.start
        hole = cv2.resize(self.hole.astype(np.float32), shape[::-1], interpolation=cv2.INTER_LINEAR) > 0.5
        slow, even = (
            cv2.resize(one.astype(np.float32), shape[::-1], interpolation=cv2.INTER_CUBIC)
            for one in (self.slow, self.even)
        )
        field = enlarged(self.field, shape)
        return self._over(pixels, (rows, columns), hole, field, slow, even)

    @staticmethod
    def _over(
        pixels: Array, box: tuple[slice, slice], hole: Array, field: Array, slow: Array, even: Array
    ) -> Array:
        detail = np.ascontiguousarray(pixels[box].astype(np.float32) / 255 - slow)
        copied = voted(detail, field, np.argwhere(hole).astype(np.int32), OWN, hole)
        values = slow[hole] + copied + even[hole]
        whole = pixels.copy()
        whole[box][hole] = np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8)
        return whole


def filling(pixels: Array, hole: Array, field: Array) -> Filling:
    """How a hole (h, w) bool of a photo (h, w, 3) uint8 is copied shut by a field (h, w, 2)."""
    box = about(hole)
    part, inner = pixels[box].astype(np.float32) / 255, hole[box]
    slow = slow_light(part, inner)
    corner = np.array([box[0].start, box[1].start], np.int32)
    most = np.array(inner.shape, np.int32) - 1
    own = np.ascontiguousarray(np.clip(field[box] - corner, 0, most).astype(np.int32))
    return Filling(hole.shape, box, inner, own, slow, _even(part - slow, inner, own))


def _even(detail: Array, hole: Array, field: Array) -> Array:
    """What is added to the copies so that they differ from pixel to pixel as what they were copied from
    does, and meet what is beside the hole (Perez, Gangnet and Blake, "Poisson Image Editing", 2003)."""
    rows, columns = np.nonzero(hole)
    most = np.array(hole.shape) - 1

    def at(r: Array, c: Array) -> Array:
        return np.asarray(detail[np.clip(r, 0, most[0]), np.clip(c, 0, most[1])])

    def bad(r: Array, c: Array) -> Array:
        return np.asarray(hole[np.clip(r, 0, most[0]), np.clip(c, 0, most[1])])

    copied = detail.copy()
    copied[hole] = at(field[rows, columns, 0], field[rows, columns, 1])
    # at the edge: how far what is there is from what the copies beside it would go on with
    ring = spread(hole, RING) & ~hole
    near = ndimage.distance_transform_edt(~hole, return_indices=True)[1]
    y, x = np.nonzero(ring)
    r, c = near[0][ring], near[1][ring]
    sr, sc = field[r, c, 0] + y - r, field[r, c, 1] + x - c
    fits = ~bad(sr, sc)
    off, share = np.zeros_like(detail), np.zeros(hole.shape, np.float32)
    off[y[fits], x[fits]] = detail[y[fits], x[fits]] - at(sr[fits], sc[fits])
    share[y[fits], x[fits]] = 1.0
    weight = np.maximum(ndimage.gaussian_filter(share, RING / 2), 1e-4)
    blurred = [ndimage.gaussian_filter(off[..., i], RING / 2) / weight for i in range(3)]
    edge = np.where(ring[..., None], np.stack(blurred, axis=-1), 0.0)
    pulls = np.zeros_like(detail)
    for down, across in ((-1, 0), (1, 0), (0, -1), (0, 1)):
        r, c = rows + down, columns + across
        inside = (r >= 0) & (r <= most[0]) & (c >= 0) & (c <= most[1])
        inside &= bad(r, c)
        p, q = (rows[inside], columns[inside]), (r[inside], c[inside])
        own, other = field[p], field[q]
        step = at(own[:, 0], own[:, 1]) - at(own[:, 0] + down, own[:, 1] + across)
        back = at(other[:, 0] - down, other[:, 1] - across) - at(other[:, 0], other[:, 1])
        wrong = bad(own[:, 0] + down, own[:, 1] + across) | bad(other[:, 0] - down, other[:, 1] - across)
        pull = (step + back) / 2 - (copied[p] - copied[q])
        pulls[p] += np.where(wrong[:, None], 0.0, pull)
    return np.where(hole[..., None], _membrane(edge, hole, pulls), 0.0).astype(np.float32)


def slow_light(part: Array, hole: Array) -> Array:
    """The slow light of a picture (h, w, 3), over its hole (h, w) as even as it can be (a membrane); none
    where what is beside the hole is many things and not one in uneven light."""
    beside, side = _beside(hole)
    slow = _slow(part, hole, max(SLOW * side, 2.0))
    return slow if float((part - slow)[beside].std()) <= OF_ONE else np.zeros_like(slow)


def _beside(hole: Array) -> tuple[Array, float]:
    """What tells what a hole lies on, (h, w) bool, and the hole's smaller side."""
    rows, columns = np.nonzero(hole)
    side = float(min(np.ptp(rows) + 1, np.ptp(columns) + 1))
    far = ndimage.distance_transform_edt(~hole)
    return (far > 0) & (far <= max(BESIDE * side, LEAST_ABOUT)), side


def other_things(part: Array, hole: Array) -> Array:
    """What of a picture (h, w, 3) is unlike what is beside its hole, in hue or in how rough it is, whatever
    the light: (h, w) bool. Nothing is copied from there."""
    light = np.maximum(part, 1 / 255)
    hues = [np.log(light[..., k] / light[..., 1]) for k in (0, 2)]
    mean = part.mean(axis=2)
    coarse = ndimage.gaussian_filter(mean, ROUGH_PX)
    rough = np.sqrt(ndimage.gaussian_filter((mean - coarse) ** 2, 2 * ROUGH_PX))
    signs = [ndimage.gaussian_filter(hue, ROUGH_PX) for hue in hues]
    signs.append(np.log(rough / np.maximum(coarse, 1 / 255) + LEAST_ROUGH))
    beside, _ = _beside(hole)
    far = np.zeros(hole.shape)
    for sign in signs:
        # the hole's own print is smeared into what is next to it: quantiles do not mind
        low, middle, high = np.quantile(sign[beside], (0.1, 0.5, 0.9))
        spread_ = np.where(sign > middle, high - middle, middle - low)
        far = np.maximum(far, np.abs(sign - middle) / np.maximum(spread_, LEAST_SPREAD))
    unlike = ndimage.uniform_filter((far > UNLIKE).astype(np.float32), 9) > 0.5
    return np.asarray(unlike & ~hole)


def _slow(part: Array, hole: Array, spread: float) -> Array:
    """A picture, smoothed so far, carried over its hole."""
    import cv2

    scale = min(1.0, MEMBRANE / max(hole.shape))
    size = max(round(hole.shape[1] * scale), 4), max(round(hole.shape[0] * scale), 4)
    known = (~hole).astype(np.float32)
    share = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(part * known[..., None], size, interpolation=cv2.INTER_AREA)
    blur = (spread * scale, spread * scale)
    weight = ndimage.gaussian_filter(share, blur, mode="nearest")
    smooth = np.stack([ndimage.gaussian_filter(small[..., i], blur, mode="nearest") for i in range(3)], -1)
    smooth = smooth / np.maximum(weight, 1e-4)[..., None]
    smooth = _membrane(smooth, share < 0.5)
    return np.asarray(
        cv2.resize(smooth.astype(np.float32), hole.shape[::-1], interpolation=cv2.INTER_CUBIC)
    )


def _membrane(values: Array, inside: Array, pulls: Array | None = None) -> Array:
    """Values (h, w, n) with those inside replaced by the solution of Laplace's equation, or of Poisson's
    with ``pulls`` (h, w, n)."""
    if not inside.any() or inside.all():
        return values
    height, width = inside.shape
    number = np.full((height, width), -1)
    number[inside] = np.arange(int(inside.sum()))
    rows, columns = np.nonzero(inside)
    entries: list[tuple[Array, Array]] = []
    right = np.zeros((len(rows), values.shape[2])) if pulls is None else pulls[inside].astype(float)
    count = np.zeros(len(rows))
    for down, across in ((-1, 0), (1, 0), (0, -1), (0, 1)):
        r, c = rows + down, columns + across
        there = (r >= 0) & (r < height) & (c >= 0) & (c < width)
        count += there
        beside = np.where(there)[0]
        near = number[r[beside], c[beside]]
        entries.append((beside[near >= 0], near[near >= 0]))
        edge = near < 0
        np.add.at(right, beside[edge], values[r[beside[edge]], c[beside[edge]]])
    i = np.concatenate([one[0] for one in entries] + [np.arange(len(rows))])
    j = np.concatenate([one[1] for one in entries] + [np.arange(len(rows))])
    data = np.concatenate([-np.ones(len(i) - len(rows)), count])
    matrix = sparse.csc_matrix((data, (i, j)), shape=(len(rows), len(rows)))
    out = values.copy()
    out[inside] = sparse_linalg.splu(
        matrix, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}
    ).solve(right)
    return out


def about(hole: Array) -> tuple[slice, slice]:
    """The part of a picture that copies are taken from."""
    rows, columns = np.nonzero(hole)
    tall, wide = np.ptp(rows) + 1, np.ptp(columns) + 1
    far = max(int(ABOUT * max(tall, wide)), LEAST_ABOUT)
    return (
        slice(max(rows.min() - far, 0), min(rows.max() + far + 1, hole.shape[0])),
        slice(max(columns.min() - far, 0), min(columns.max() + far + 1, hole.shape[1])),
    )


def spread(hole: Array, by: int) -> Array:
    return np.asarray(ndimage.binary_dilation(hole, np.ones((2 * by + 1, 2 * by + 1), bool)))


def enlarged(field: Array, shape: tuple[int, ...]) -> Array:
    """A field at another size: the same steps, that much longer."""
    by = np.array(shape[:2]) / np.array(field.shape[:2])
    rows, columns = np.indices(shape[:2])
    r = np.minimum((rows / by[0]).astype(int), field.shape[0] - 1)
    c = np.minimum((columns / by[1]).astype(int), field.shape[1] - 1)
    steps = field[r, c] - np.stack([r, c], axis=-1)
    large = np.stack([rows, columns], axis=-1) + np.rint(steps * by).astype(int)
    return np.asarray(np.clip(large, 0, np.array(shape[:2]) - 1).astype(np.int32))


def places(shape: tuple[int, ...]) -> Array:
    """Row and column of every pixel, (h, w, 2) int."""
    return np.moveaxis(np.indices(shape[:2]), 0, -1)
