"""What of a photo stands before the piece: from a picture, or grown from a few strokes.

Grown: a graph cut over colours (Rother, Kolmogorov and Blake, "GrabCut", SIGGRAPH 2004, by OpenCV), then
its edge follows the photo's own (guided filter: He, Sun and Tang, IEEE PAMI 35, 2013).
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import LARGEST, asset, keep_asset
from kilnchisel.core.job.photo import Brush, Mask, Photo
from kilnchisel.core.photo.reading import photo_pixels
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

PIXELS_IN = "kilnchisel.core.photo.reading:pixels_in"
LOPSIDED = 0.01  # how far a mask's shape may be from the photo's
FIRST_AT, CUT_AT = 300, 512  # pixels of the longer side at which a mask is grown, and its edge then
BETWEEN = 4  # pixels each way from the first edge within which the other is
KEPT_AT = 2048  # and at which it is kept
ROUNDS = 3  # of the first; one more puts the edge right
CLUSTERS = 6  # colours that stand for those under the strokes of a kind
RADIUS, SMOOTH = 0.004, 1e-4  # of the guided filter: share of the longer side; how even counts as flat
EVERY = 2  # pixels of that
EDGE = 0.006  # of the longer side: how far from the cut the edge may go
ALL, NONE = 0.985, 0.002  # shares of a photo


def mask_of_file(path: Path, size: tuple[int, int]) -> Mask:
    """A mask from a picture: light where something stands before the piece. Raises KilnError."""
    return kept_mask(mask_picture(path, size), path.name)


def mask_picture(path: Path, size: tuple[int, int]) -> Array:
    """How light a picture of a photo's shape is, (h, w) 0..1. Raises KilnError where it is of another."""
    data = gate.bytes_of(path, LARGEST, "mask")
    pixels = gate.read(PIXELS_IN, path.name, data, path.name, KEPT_AT)
    if abs(pixels.shape[1] / pixels.shape[0] / (size[0] / size[1]) - 1) > LOPSIDED:
        raise KilnError(
            f"{path.name} is {pixels.shape[1]} × {pixels.shape[0]} pixels, of another shape than the photo."
        )
    return np.asarray(pixels.mean(axis=2) / 255)


def grown_mask(photo: Photo, strokes: tuple[Brush, ...]) -> Mask:
    """What of a photo stands before the piece, grown from strokes. Raises KilnError."""
    pixels = photo_pixels(photo.sha256, photo.name)
    amount = grown(pixels, strokes, (photo.width_px, photo.height_px))
    return kept_mask(amount, "what stands before").model_copy(update={"strokes": strokes})


def kept_mask(amount: Array, name: str) -> Mask:
    """A mask (h, w) 0..1 as the job holds it. Raises KilnError where it covers all of the photo or none."""
    from PIL import Image

    if float(amount.mean()) > ALL:
        raise KilnError("The mask covers all of the photo; nothing of the piece would be seen.")
    if float(amount.mean()) < NONE:
        raise KilnError("The mask covers nothing of the photo.")
    buffer = io.BytesIO()
    Image.fromarray(np.rint(np.clip(amount, 0, 1) * 255).astype(np.uint8)).save(buffer, "PNG")
    return Mask(sha256=keep_asset(buffer.getvalue(), name), name=name[:200])


@remembered
def mask_pixels(mask: Mask) -> Array:
    """How much of each pixel stands before the piece, (h, w) uint8. Raises KilnError where it is lost."""
    name = mask.name or "The mask"
    read = gate.read(PIXELS_IN, name, asset(mask.sha256, name), name, KEPT_AT)
    return np.ascontiguousarray(read[..., 0])


def grown(pixels: Array, strokes: tuple[Brush, ...], size: tuple[int, int]) -> Array:
    """What the strokes are on, grown to its edges in the photo: (h, w) 0..1. ``pixels`` (h, w, 3) uint8 of
    a photo of ``size``. Raises KilnError where there is a stroke of one kind only."""
    import cv2

    kinds = {stroke.before for stroke in strokes}
    if len(kinds) < 2:
        raise KilnError("Draw a stroke on what stands before the piece, and one on what does not.")
    small, marks = _marked(pixels, strokes, size, FIRST_AT)
    # what looks like what the strokes of one kind are on, and is nearer to them, begins as that kind
    tones = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32)
    here, there = (_far_from(tones, tones[marks == value]) for value in (cv2.GC_FGD, cv2.GC_BGD))
    near, away = (
        cv2.distanceTransform((marks != value).astype(np.uint8), cv2.DIST_L2, 5)
        for value in (cv2.GC_FGD, cv2.GC_BGD)
    )
    marks[(marks == cv2.GC_PR_BGD) & (here < there) & (near < away)] = cv2.GC_PR_FGD
    first = _cut(small, marks, ROUNDS)
    small, marks = _marked(pixels, strokes, size, CUT_AT)
    first = cv2.resize(first, marks.shape[::-1], interpolation=cv2.INTER_NEAREST)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BETWEEN + 1, 2 * BETWEEN + 1))
    unsaid = marks == cv2.GC_PR_BGD
    marks[unsaid & (first > 0)] = cv2.GC_PR_FGD
    marks[unsaid & (cv2.erode(first, disc) > 0)] = cv2.GC_FGD
    marks[unsaid & (cv2.dilate(first, disc) == 0)] = cv2.GC_BGD
    hard = _cut(small, marks, 1)
    _, stroked = _marked(pixels, strokes, size, CUT_AT)
    # what hangs together with no stroke only looks alike
    _, parts = cv2.connectedComponents(hard, connectivity=4)
    hard &= np.isin(parts, np.unique(parts[stroked == cv2.GC_FGD])).astype(np.uint8)
    return _edged(pixels, cv2.resize(hard, pixels.shape[1::-1], interpolation=cv2.INTER_LINEAR))


def _marked(
    pixels: Array, strokes: tuple[Brush, ...], size: tuple[int, int], longest: int
) -> tuple[Array, Array]:
    """A photo made small, and what the strokes say of its pixels as a graph cut takes it."""
    import cv2

    scale = min(longest / max(pixels.shape[:2]), 1.0)
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    marks = np.full(small.shape[:2], cv2.GC_PR_BGD, np.uint8)
    paint_strokes(marks, strokes, size, (cv2.GC_BGD, cv2.GC_FGD), least=1)
    return small, marks


def _cut(small: Array, marks: Array, rounds: int) -> Array:
    """What a graph cut takes for what stands before, (h, w) 0 or 1."""
    import cv2

    cv2.setRNGSeed(1)
    back, front = np.zeros((1, 65)), np.zeros((1, 65))
    bgr = cv2.cvtColor(small, cv2.COLOR_RGB2BGR)
    cv2.grabCut(bgr, marks, None, back, front, rounds, cv2.GC_INIT_WITH_MASK)
    return np.asarray((marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD)).astype(np.uint8)


def paint_strokes(
    over: Array, strokes: tuple[Brush, ...], size: tuple[int, int], values: tuple[int, int], least: int = 0
) -> None:
    """Draw strokes over a photo of ``size`` into a copy (h, w) uint8, those of what does not stand before
    it in the first of ``values``; ``least``: the radius of their round ends, pixels, at least."""
    import cv2

    to = np.array(over.shape[::-1]) / np.array(size)
    for stroke in strokes:
        points = np.rint(np.array(stroke.points) * to).astype(np.int32)
        wide = max(round(stroke.wide_px * float(to[0])), 1)
        value = int(values[stroke.before])
        cv2.polylines(over, [points.reshape(-1, 1, 2)], isClosed=False, color=value, thickness=wide)
        for x, y in points[[0, -1]]:
            cv2.circle(over, (int(x), int(y)), max(wide // 2, least), value, -1)


def _far_from(tones: Array, samples: Array) -> Array:
    """How far each pixel's colour (h, w, 3) is from the nearest of some that stand for samples (n, 3)."""
    import cv2

    count = min(CLUSTERS, len(samples))
    ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 10, 0.5)
    cv2.setRNGSeed(1)
    _, _, middles = cv2.kmeans(samples, count, None, ends, 2, cv2.KMEANS_PP_CENTERS)
    return np.asarray(np.min([np.linalg.norm(tones - middle, axis=2) for middle in middles], axis=0))


def _edged(pixels: Array, hard: Array) -> Array:
    """A mask whose edge follows that of the photo."""
    import cv2

    longer = max(pixels.shape[:2])
    radius = max(round(RADIUS * longer), 2)
    soft = np.clip(
        guided(pixels.astype(np.float32) / 255, hard.astype(np.float32), radius, SMOOTH, EVERY), 0, 1
    )
    band = max(round(EDGE * longer), 2)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * band + 1, 2 * band + 1))
    surely, never = cv2.erode(hard, disc) > 0, cv2.dilate(hard, disc) == 0
    steep = np.clip((soft - 0.5) * 1.6 + 0.5, 0, 1)
    return np.where(surely, 1.0, np.where(never, 0.0, steep))


def guided(guide: Array, values: Array, radius: int, smooth: float, every: int = 1) -> Array:
    """Values (h, w) smoothed without crossing the edges of a guide (h, w, 3) in 0..1: in each window the
    linear function of the guide that fits them best (He, Sun and Tang 2013, equations 19 to 21).
    ``every``: the functions are found for every so many pixels (He and Sun, "Fast Guided Filter", 2015)."""
    import cv2

    if every > 1:
        size = max(guide.shape[1] // every, 1), max(guide.shape[0] // every, 1)
        few = [cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (guide, values)]
        found = _lines(few[0], few[1], max(radius // every, 1), smooth)
        slope, base = (cv2.resize(one, guide.shape[1::-1]) for one in found)
    else:
        slope, base = _lines(guide, values, radius, smooth)
    return np.asarray((slope * guide).sum(axis=2) + base)


def _lines(guide: Array, values: Array, radius: int, smooth: float) -> tuple[Array, Array]:
    """The linear functions of a guide, averaged over the windows a pixel is in: slopes (h, w, 3) and
    (h, w)."""
    import cv2

    window = (2 * radius + 1, 2 * radius + 1)

    def mean(one: Array) -> Array:
        return np.asarray(cv2.boxFilter(one, -1, window, borderType=cv2.BORDER_REFLECT))

    middle, level = mean(guide), mean(values)
    shared = mean(guide * values[..., None]) - middle * level[..., None]
    # the spread of the guide's channels in each window, symmetric, and its inverse by cofactors
    pairs = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))
    a, b, c, d, e, f = (
        mean(guide[..., i] * guide[..., j]) - middle[..., i] * middle[..., j] + smooth * (i == j)
        for i, j in pairs
    )
    inverse = (
        (d * f - e * e, c * e - b * f, b * e - c * d),
        (a * f - c * c, b * c - a * e),
        (a * d - b * b,),
    )
    whole = a * inverse[0][0] + b * inverse[0][1] + c * inverse[0][2]
    slope = np.empty_like(guide)
    for i in range(3):
        slope[..., i] = sum(inverse[min(i, j)][abs(i - j)] * shared[..., j] for j in range(3)) / whole
    base = level - (slope * middle).sum(axis=2)
    return mean(slope), mean(base)
