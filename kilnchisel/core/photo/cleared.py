"""What is taken away of a photo: marked roughly, filled from what is beside it, and kept with the job.

What is kept is which pixel each one is copied from, so that the photo itself stays as it came and its
full size is filled as what was seen.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import asset, keep_asset
from kilnchisel.core.job.photo import Brush, Cleared, Photo
from kilnchisel.core.photo.masks import mask_picture, paint_strokes
from kilnchisel.core.photo.reading import LIMITS, photo_pixels, whole_pixels
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

MOST, LEAST = 0.3, 4  # share of a photo that can be taken away, and pixels of its copy
NAME = "what is taken away"
DONE = "taking it away"


def cleared_by_strokes(
    photo: Photo, strokes: tuple[Brush, ...], stopped: Callable[[], bool] = lambda: False
) -> Cleared:
    """What the strokes mark is taken away; strokes of the other kind bring back. ``stopped``: asked on the
    way whether it is still wanted. Raises KilnError."""
    pixels = photo_pixels(photo.sha256, photo.name)
    hole = np.zeros(pixels.shape[:2], np.uint8)
    paint_strokes(hole, strokes, (photo.width_px, photo.height_px), (0, 1))
    return _cleared(pixels, hole > 0, stopped).model_copy(update={"strokes": strokes})


def cleared_by_mask(photo: Photo, path: Path) -> Cleared:
    """What is light in a picture of the photo's shape is taken away. Raises KilnError."""
    import cv2

    amount = mask_picture(path, (photo.width_px, photo.height_px))
    pixels = photo_pixels(photo.sha256, photo.name)
    size = pixels.shape[1], pixels.shape[0]
    hole = cv2.resize(amount.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
    return _cleared(pixels, hole)


def _cleared(pixels: Array, hole: Array, stopped: Callable[[], bool] = lambda: False) -> Cleared:
    """Raises KilnError where that is nothing, or too much."""
    import cv2

    from kilnchisel.core.photo.searching import field_over

    if hole.sum() < LEAST:
        raise KilnError("Nothing of the photo is marked to be taken away.")
    if hole.mean() > MOST:
        raise KilnError(
            f"{100 * hole.mean():.0f} % of the photo is marked; at most {100 * MOST:.0f} % can be taken "
            "away, what is left must show what to fill it with."
        )

    def step(share: float) -> None:
        if stopped():
            raise KilnError("What is taken away was not filled; it was stopped.")
        gate.tell(share, DONE)

    field = field_over(pixels, hole, step)
    # channels of 16 bits: row and column, from 1 on; nothing where nothing is taken away
    kept = np.zeros((*hole.shape, 3), np.uint16)
    kept[hole, :2] = field[hole] + 1
    written, data = cv2.imencode(".png", kept)
    assert written
    return Cleared(sha256=keep_asset(data.tobytes(), NAME), name=NAME)


def shown_pixels(photo: Photo) -> Array:
    """The photo at the size it is worked at, (h, w, 3) uint8 sRGB, without what is taken away. Raises
    KilnError where it is lost."""
    return pixels_shown(photo.sha256, photo.name, photo.cleared)


def pixels_shown(digest: str, name: str, cleared: Cleared | None) -> Array:
    """The same, of a photo by its digest."""
    if cleared is None:
        return photo_pixels(digest, name)
    return _shown(digest, name, cleared.sha256)


def shown_whole(photo: Photo) -> Array:
    """All pixels of a photo, the same. Raises KilnError where it is lost."""
    pixels = whole_pixels(photo.sha256, photo.name)
    if photo.cleared is None:
        return pixels
    return np.asarray(_filling(photo.sha256, photo.name, photo.cleared.sha256).of(pixels))


@remembered
def _shown(digest: str, name: str, kept: str) -> Array:
    return np.asarray(_filling(digest, name, kept).of(photo_pixels(digest, name)))


@remembered
def _filling(digest: str, name: str, kept: str) -> Any:
    """How what is taken away of a photo is filled. Raises KilnError where that is lost or does not fit."""
    from kilnchisel.core.photo.filling import filling, places

    pixels = photo_pixels(digest, name)
    found = gate.read(f"{__name__}:field_in", NAME, asset(kept, NAME), limits=LIMITS)
    if found.shape[:2] != pixels.shape[:2]:
        raise KilnError(f"What is taken away of {name or 'the photo'} does not fit it; mark it again.")
    hole = found[..., 0] >= 0
    own = places(hole.shape)
    return filling(pixels, hole, np.where(hole[..., None], found, own).astype(np.int32))


def field_in(data: bytes) -> Array:
    """Which pixel each is copied from, (h, w, 2) int32, -1 where it is its own. Raises KilnError."""
    import cv2

    kept = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if kept is None or kept.dtype != np.uint16 or kept.ndim != 3:
        raise KilnError("What is taken away of the photo cannot be read any more; mark it again.")
    return np.asarray(kept[..., :2].astype(np.int32) - 1)
