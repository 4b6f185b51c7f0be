"""A picture of lettering on flat cloth, moved and shaded so that it lies on the folds that a photo shows.

The folds are found on the plane of the cloth, in mm, about the lettering (``photo.folds``). For each pixel:
the spot of the bent cloth that is seen there, where that is on the cloth laid flat, and where in the flat
picture that is seen.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, srgb_decode
from kilnchisel.core.job.photo import Cleared
from kilnchisel.core.later import ndimage
from kilnchisel.core.photo.cleared import pixels_shown
from kilnchisel.core.photo.folds import followed, heights_of_light
from kilnchisel.core.photo.lens import curved, straight
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.onphoto import Photographed
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

BESIDE = 1.5  # widths of a fold that are looked at round the lettering
MOST_CELLS, LEAST_CELLS = 256, 24  # each way
CELLS_OF_A_FOLD = 16
FINE_CELL_PX, MOST_HALVED = 4.0, 4  # pixels of a cell of which none may be left out; halvings at most
COARSE_PX = 6  # the way of a pixel is worked out at every so many
ROUNDS = 2
REACH, LEAST_REACH = 0.4, 1.2  # of the lettering's size, and of a pull by hand: how far that is felt
DARKEST, LIGHTEST = 0.25, 2.5  # of the cloth's mean light


@dataclass(frozen=True, eq=False)
class Warp:
    """Of each pixel of a picture: ``x``, ``y`` (h, w) float32, where in the flat picture what it shows is,
    for ``cv2.remap``; ``shade`` (h, w) float32, how light the cloth is there, 1 on the mean."""

    x: Array
    y: Array
    shade: Array

    def part(self, box: tuple[slice, slice]) -> Warp:
        """The same for a part of the picture: rows and columns."""
        left, top = np.float32(box[1].start), np.float32(box[0].start)
        return Warp(self.x[box] - left, self.y[box] - top, self.shade[box])

    def of(self, values: Array) -> Array:
        """Values of the flat picture, (h, w) or (h, w, n) float, moved."""
        import cv2

        moved = [
            cv2.remap(
                np.ascontiguousarray(one, np.float32),
                self.x,
                self.y,
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )
            for one in np.atleast_3d(values).transpose(2, 0, 1)
        ]
        return np.asarray(np.stack(moved, axis=-1).reshape(values.shape))


def warp_of(scene: Scene, view: View, size: tuple[int, int]) -> Warp | None:
    """How a picture of this size is moved and shaded, to lie on folds and as the lens bends it; None where
    there are no folds to follow and the lens bends nothing."""
    photo, plane = scene.photo, scene.caught
    if photo is None or plane is None or view.parallel:
        return None
    if photo.photo.folds is None:
        return None if photo.photo.bent == 0 else _bent(photo, size)
    lettered = [i.mesh.points for i in scene.items if i.mask.startswith("lettering") and len(i.mesh.points)]
    if not lettered:
        return None if photo.photo.bent == 0 else _bent(photo, size)
    turn = scene.stance
    spots = np.concatenate(lettered) @ turn[:3, :3].T + turn[:3, 3] - plane.point
    across = np.cross(plane.normal, plane.along)
    flat = np.stack([spots @ plane.along, spots @ across], axis=1)
    low, high = flat.min(axis=0), flat.max(axis=0)
    cloth = _cloth(photo, plane, view, size, low, high)
    return Warp(*_moved(cloth, photo, view, size), _shade(cloth, photo, view, size))


def _bent(photo: Photographed, size: tuple[int, int]) -> Warp:
    """A picture as the photo's lens bends it."""
    y, x = np.indices((size[1], size[0]))
    grid = np.stack([x.ravel() + 0.5, y.ravel() + 0.5], axis=1)
    found = _straight(photo, size, grid) - 0.5
    places = found.T.reshape(2, size[1], size[0]).astype(np.float32)
    return Warp(places[0], places[1], np.ones((size[1], size[0]), np.float32))


def _straight(photo: Photographed, size: tuple[int, int], pixels: Array) -> Array:
    """Where a lens that bends nothing sees what is at pixels (n, 2) of a picture of this size."""
    if photo.photo.bent == 0:
        return pixels
    left, top, wide, _ = photo.box(size)
    scale = photo.size[0] / wide
    found = straight((pixels - (left, top)) * scale, photo.photo.bent, photo.size)
    return np.asarray(found / scale + (left, top))


@dataclass(frozen=True, eq=False)
class _Cloth:
    """A grid on the cloth's plane: its corner and step, mm, the heights (h, w) and shifts (h, w, 2) of the
    folds, and the lettering's extent ``low`` to ``high``."""

    plane: Base
    corner: Array
    step_mm: float
    heights: Array
    shifts: Array
    low: Array
    high: Array

    def at(self, values: Array, flat: Array) -> Array:
        """Grid values (h, w) at places of the plane (n, 2), mm; beyond the grid those of its border."""
        places = (flat - self.corner) / self.step_mm
        return np.asarray(ndimage.map_coordinates(values, places.T[::-1], order=1, mode="nearest"))

    def in_scene(self, flat: Array, heights: Array | float = 0.0) -> Array:
        plane = self.plane
        across = np.cross(plane.normal, plane.along)
        up = np.reshape(heights, (-1, 1)) * plane.normal
        return np.asarray(plane.point + flat[:, :1] * plane.along + flat[:, 1:] * across + up)

    def met(self, origins: Array, ways: Array, heights: Array) -> Array:
        """Where rays meet the plane raised by heights (n,), (n, 2) mm on it."""
        plane = self.plane
        across = np.cross(plane.normal, plane.along)
        down = ways @ plane.normal
        far = (heights - (origins - plane.point) @ plane.normal) / np.where(np.abs(down) < 1e-9, 1e-9, down)
        spots = origins + far[:, None] * ways - plane.point
        return np.stack([spots @ plane.along, spots @ across], axis=1)


def _cloth(
    photo: Photographed, plane: Base, view: View, size: tuple[int, int], low: Array, high: Array
) -> _Cloth:
    folds = photo.photo.folds
    assert folds is not None
    margin = BESIDE * folds.wide_mm
    corner, far = low - margin, high + margin
    step = max(float((far - corner).max()) / MOST_CELLS, folds.wide_mm / CELLS_OF_A_FOLD)
    wide, tall = (int(np.clip(np.ceil(s / step), LEAST_CELLS, MOST_CELLS)) for s in far - corner)
    columns, rows = np.meshgrid(np.arange(wide), np.arange(tall))
    flat = corner + step * np.stack([columns.ravel(), rows.ravel()], axis=1)
    none = _Cloth(plane, corner, step, np.zeros((tall, wide)), np.zeros((tall, wide, 2)), low, high)
    if folds.deep == 0:
        return none
    light = _light_at(photo, view, size, none.in_scene(flat)).reshape(tall, wide)
    heights = heights_of_light(light, step, folds.wide_mm, folds.light_deg) * folds.deep / 100
    shifts = followed(heights, step)
    middle = _Cloth(plane, corner, step, heights, shifts, low, high)
    # the lettering stays where it was put, as a whole
    at = np.array([(low + high) / 2])
    still = np.stack([middle.at(shifts[..., i], at) for i in (0, 1)], axis=-1)
    return _Cloth(plane, corner, step, heights, shifts - still, low, high)


def _light_at(photo: Photographed, view: View, size: tuple[int, int], spots: Array) -> Array:
    """How light the photo is at spots of the scene, (n,) linear; each stands for what is about it."""
    import cv2

    height, width = photo.pixels.shape[:2]
    seen = _photo_px(photo, size, view.project(spots, size)[:, :2])
    places = curved(seen, photo.photo.bent, (width, height)).astype(np.float32)
    ends = places.min(axis=0), places.max(axis=0)
    per_cell = float(np.sqrt(np.prod(np.maximum(ends[1] - ends[0], 1)) / len(places)))
    first = np.clip(np.floor(ends[0]) - 8, 0, (width - 1, height - 1)).astype(int)
    last = np.maximum(np.clip(np.ceil(ends[1]) + 8, 1, (width, height)).astype(int), first + 1)
    # what is blurred widely may as well be small
    every = 2 ** int(np.clip(np.log2(max(per_cell / FINE_CELL_PX, 1)), 0, MOST_HALVED))
    first, last = first // every, -(-last // every)
    light = _luminance(photo, every)[first[1] : last[1], first[0] : last[0]]
    light = cv2.GaussianBlur(light, (0, 0), max(per_cell / 2 / every, 0.3))
    x, y = np.ascontiguousarray((places / every - first - 0.5).T.astype(np.float32))[..., None]
    found = cv2.remap(light, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(found[:, 0])


def _photo_px(photo: Photographed, size: tuple[int, int], pixels: Array) -> Array:
    """Pixels of a picture of this size as those of the photo's copy, (n, 2)."""
    left, top, wide, _ = photo.box(size)
    return np.asarray((pixels - (left, top)) * (photo.pixels.shape[1] / wide))


def _moved(cloth: _Cloth, photo: Photographed, view: View, size: tuple[int, int]) -> tuple[Array, Array]:
    """Where in the flat picture what each pixel shows is, as ``cv2.remap`` takes it."""
    import cv2

    width, height = size
    columns = np.arange(0, width + COARSE_PX, COARSE_PX) + 0.0
    rows = np.arange(0, height + COARSE_PX, COARSE_PX) + 0.0
    grid = np.stack(np.meshgrid(columns, rows), axis=-1).reshape(-1, 2)
    pixels = _straight(photo, size, grid - _pulled(cloth, photo, view, size, grid))
    origins, ways = view.rays(pixels, size)
    flat = cloth.met(origins, ways, np.zeros(len(pixels)))
    for _ in range(ROUNDS):
        flat = cloth.met(origins, ways, cloth.at(cloth.heights, flat))
    own = flat + np.stack([cloth.at(cloth.shifts[..., i], flat) for i in (0, 1)], axis=-1)
    seen = view.project(cloth.in_scene(own), size)[:, :2]
    # far from the lettering, where the plane may not be met at all, nothing is moved
    far = cloth.corner + cloth.step_mm * np.array(cloth.heights.shape[::-1])
    within = ((flat >= cloth.corner) & (flat <= far)).all(axis=1) & (ways @ cloth.plane.normal < 0)
    off = np.where(within[:, None], seen - grid, 0.0).astype(np.float32)
    off = off.reshape(len(rows), len(columns), 2)
    # a pixel's middle is half a pixel from its corner
    y, x = np.indices((height, width), np.float32)
    at = ((x + 0.5) / COARSE_PX, (y + 0.5) / COARSE_PX)
    fine = cv2.remap(off, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return x + fine[..., 0], y + fine[..., 1]


def _pulled(cloth: _Cloth, photo: Photographed, view: View, size: tuple[int, int], grid: Array) -> Array:
    """How far pulls by hand move what is seen at pixels (n, 2): at an end all the way, less beside it."""
    assert photo.photo.folds is not None
    pulls = photo.photo.folds.pulls
    if not pulls:
        return np.zeros_like(grid)
    left, top, wide, _ = photo.box(size)
    to_picture = wide / photo.size[0]
    ends = np.array([(one.at, one.to) for one in pulls]) * to_picture + (left, top)
    at, to = ends[:, 0], ends[:, 1]
    corners = view.project(cloth.in_scene(np.array([cloth.low, cloth.high])), size)[:, :2]
    own = float(np.sqrt(np.prod(np.maximum(np.abs(corners[1] - corners[0]), 4.0))))
    # wide enough that nothing is pulled over what lies beside it
    reach = np.maximum(REACH * own, LEAST_REACH * np.linalg.norm(to - at, axis=1))

    def felt(spots: Array) -> Array:
        return np.asarray(np.exp(-((spots[:, None] - to[None]) ** 2).sum(axis=2) / (2 * reach**2)))

    # two pulls at one place have half each, and no more than they ask for
    weights = np.linalg.lstsq(felt(to) + 1e-6 * np.eye(len(to)), to - at, rcond=None)[0]
    return np.asarray(felt(grid) @ weights)


def _shade(cloth: _Cloth, photo: Photographed, view: View, size: tuple[int, int]) -> Array:
    """How light the cloth is at each pixel, 1 on the mean where the lettering is."""
    import cv2

    folds = photo.photo.folds
    assert folds is not None
    width, height = size
    if folds.shade == 0:
        return np.ones((height, width), np.float32)
    left, top, wide, tall = (round(one) for one in photo.box(size))
    how = cv2.INTER_AREA if wide < photo.pixels.shape[1] else cv2.INTER_LINEAR
    seen = _resized_light(photo, (max(wide, 1), max(tall, 1)), how)
    beside = (max(top, 0), max(height - top - tall, 0), max(left, 0), max(width - left - wide, 0))
    seen = cv2.copyMakeBorder(seen, *beside, cv2.BORDER_REPLICATE)[:height, :width]
    columns, rows = np.meshgrid(np.linspace(0, 1, 24), np.linspace(0, 1, 24))
    share = np.stack([columns.ravel(), rows.ravel()], axis=1)
    mean = _light_at(photo, view, size, cloth.in_scene(cloth.low + share * (cloth.high - cloth.low))).mean()
    lighter = np.clip(seen / max(float(mean), 1e-4), DARKEST, LIGHTEST)
    return np.asarray(lighter if folds.shade == 100 else lighter ** (folds.shade / 100), np.float32)


def _luminance(photo: Photographed, every: int = 1) -> Array:
    """How light a photo's copy is, (h, w) float32 linear, of every so many pixels each way their mean."""
    import cv2

    taken = photo.photo
    if every == 1:
        return _light_of(taken.sha256, taken.name, taken.cleared)
    height, width = photo.pixels.shape[:2]
    return _resized_light(photo, (-(-width // every), -(-height // every)), cv2.INTER_AREA)


def _resized_light(photo: Photographed, size: tuple[int, int], how: int) -> Array:
    """How light a photo is, in another size, by a way of ``cv2.resize``."""
    taken = photo.photo
    return _light_in(taken.sha256, taken.name, taken.cleared, size, how)


@remembered
def _light_in(digest: str, name: str, cleared: Cleared | None, size: tuple[int, int], how: int) -> Array:
    import cv2

    return np.asarray(cv2.resize(_light_of(digest, name, cleared), size, interpolation=how))


@remembered
def _light_of(digest: str, name: str, cleared: Cleared | None) -> Array:
    linear = srgb_decode(np.arange(256) / 255).astype(np.float32)
    return np.asarray(linear[pixels_shown(digest, name, cleared)] @ LUMA.astype(np.float32))
