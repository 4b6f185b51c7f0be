"""Pictures to PNG: the draft, or the finished mockup at any size."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from numpy.typing import NDArray
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from kilnchisel.core.build import scene_of_job, square_on_view, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job
from kilnchisel.core.scene.view import View
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]

LEAST_SIDE, MOST_SIDE, MOST_PIXELS = 16, 16_384, 80_000_000
SAMPLES = 128


@dataclass(frozen=True)
class PictureOrder:
    """What picture is wanted."""

    size: tuple[int, int] = (1600, 1000)
    samples: int = SAMPLES
    draft: bool = False
    square_on: int | None = None  # index of the lettering to look straight at


def parse_size(text: str) -> tuple[int, int]:
    """ "1600x1000" to (1600, 1000). Raises KilnError."""
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(re.fullmatch("[0-9]{1,6}", part.strip()) for part in parts):
        raise KilnError(f"“{text}” is not a picture size; write it as 1600x1000.")
    return checked_size((int(parts[0]), int(parts[1])))


def checked_size(size: tuple[int, int]) -> tuple[int, int]:
    """The size, if a picture of it can be made. Raises KilnError."""
    width, height = size
    if min(size) < LEAST_SIDE or max(size) > MOST_SIDE or width * height > MOST_PIXELS:
        raise KilnError(
            f"A picture of {width} × {height} pixels cannot be made; sides go from {LEAST_SIDE} to "
            f"{MOST_SIDE}, and {MOST_PIXELS // 1_000_000} million pixels at most."
        )
    return size


def order_view(job: Job, order: PictureOrder) -> View:
    """The camera of an order."""
    aspect = order.size[0] / order.size[1]
    if order.square_on is None:
        return view_of(job, aspect)
    return square_on_view(job, order.square_on, aspect)


def make_picture(
    job: Job,
    order: PictureOrder,
    stop: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> Array | None:
    """Pixels (h, w, 3) uint8, or None when stopped. Raises KilnError.

    Uses the path tracer or OpenGL on the calling thread.
    """
    checked_size(order.size)
    scene = scene_of_job(job)
    view = order_view(job, order)
    if order.draft:
        from kilnchisel.core.picture.draft import Draft

        return Draft().render(scene, view, order.size)[..., :3]
    from kilnchisel.core.picture.mockup import Mockup

    pixels = None
    for state in Mockup(scene).refine(view, order.size, order.samples, stop, progress, looks=()):
        pixels = state.pixels
    return None if stop() else pixels


def png_bytes(pixels: Array, about: str = "") -> bytes:
    """A PNG of (h, w, 3) uint8, marked as sRGB."""
    info = PngInfo()
    info.add(b"sRGB", b"\x00")
    if about:
        info.add_itxt("Title", about)
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG", pnginfo=info, compress_level=6)
    return buffer.getvalue()


def write_picture(pixels: Array, path: Path, about: str = "") -> None:
    """Write a PNG, all or nothing. Raises KilnError."""
    if path.suffix.lower() != ".png":
        raise KilnError(f"“{path.name}” should end in .png; pictures are written as PNG.")
    write_whole(path, png_bytes(pixels, about))
