"""Pictures of a job: the draft, or the finished mockup at any size."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from kilnchisel.core.build import close_up_view, scene_of_job, square_on_view, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.picturefiles import FileOrder, file_bytes
from kilnchisel.core.job.model import Job
from kilnchisel.core.photo.record import record_kept
from kilnchisel.core.picture.refined import Refined, Wish
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View
from kilnchisel.core.units import MM_PER_INCH
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]

LEAST_SIDE, MOST_SIDE, MOST_PIXELS = 16, 16_384, 80_000_000
SAMPLES = 128
GRAINY_PIXELS, LEAST_SAMPLES = 1_200_000, 12
PRINTED = re.compile(r"([0-9.]{1,6})x([0-9.]{1,6})mm@([0-9.]{1,5})")


class Easel:
    """What quick pictures are drawn on, made when it is first needed: one for many is quicker than one for
    each. To be used from one thread."""

    def __init__(self) -> None:
        self._draft: Any = None

    def drawn(self, scene: Scene, view: View, size: tuple[int, int]) -> Array:
        """A quick picture (h, w, 3) uint8."""
        from kilnchisel.core.picture.draft import Draft

        self._draft = self._draft or Draft()
        pixels: Array = self._draft.render(scene, view, checked_size(size))
        return pixels[..., :3]


@dataclass(frozen=True)
class PictureOrder:
    """What picture is wanted. ``wish``: what besides its pixels."""

    size: tuple[int, int] = (1600, 1000)
    samples: int = SAMPLES
    draft: bool = False
    square_on: int | None = None  # index of the lettering to look straight at
    wish: Wish | None = None
    close: bool = False  # what is looked straight at fills the picture


def usual_samples(job: Job, size: tuple[int, int], most: int = SAMPLES) -> int:
    """How many samples a picture of this size has where nobody says, ``most`` of a small one: in a photo,
    whose own grain is finer than what is left of theirs, fewer the larger it is."""
    if job.setting.photo is None:
        return most
    return min(max(most * GRAINY_PIXELS // (size[0] * size[1]), LEAST_SAMPLES), most)


PICTURE_ENDINGS = (".png", ".jpg", ".webp", ".tif", ".exr")
# sizes by name, pixels
NAMED_SIZES = {
    "web": (1600, 1000),
    "hd": (1920, 1080),
    "uhd": (3840, 2160),
    "square": (2000, 2000),
    "tall": (1080, 1350),
}


def parse_size(text: str) -> tuple[int, int]:
    """ "1600x1000", a name, or a printed size as "150x100mm@300" (pixels an inch) to pixels. Raises
    KilnError."""
    plain = text.strip().lower()
    if plain in NAMED_SIZES:
        return NAMED_SIZES[plain]
    printed = PRINTED.fullmatch(plain.replace("×", "x").replace(" ", ""))
    if printed is not None:
        wide, tall, dpi = (float(part) for part in printed.groups())
        return checked_size((round(wide * dpi / MM_PER_INCH), round(tall * dpi / MM_PER_INCH)))
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(re.fullmatch("[0-9]{1,6}", part.strip()) for part in parts):
        raise KilnError(
            f"“{text}” is not a picture size; write it as 1600x1000, as 150x100mm@300 or as "
            f"{', '.join(NAMED_SIZES)}."
        )
    return checked_size((int(parts[0]), int(parts[1])))


def dots_an_inch(text: str) -> float | None:
    """The pixels an inch that a printed size names, else None."""
    printed = PRINTED.fullmatch(text.strip().lower().replace("×", "x").replace(" ", ""))
    return None if printed is None else float(printed[3])


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
    if order.close:
        return close_up_view(job, order.square_on, aspect)
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
    made = made_picture(job, order, stop, progress)
    return None if made is None else made.pixels


def made_picture(
    job: Job,
    order: PictureOrder,
    stop: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
    scene: Scene | None = None,
    easel: Easel | None = None,
    framed_by: Job | None = None,
) -> Refined | None:
    """The picture with what was wished for, or None when stopped. ``scene``: another one in the place of
    the job's own; ``easel``: one that other pictures are drawn on as well; ``framed_by``: another job whose
    camera it is. Raises KilnError."""
    checked_size(order.size)
    scene = scene or scene_of_job(job)
    view = order_view(framed_by or job, order)
    scene = scene.seen_in(view)
    if order.draft:
        return Refined((easel or Easel()).drawn(scene, view, order.size), 1, 1)
    from kilnchisel.core.picture.mockup import Mockup

    made = None
    states = Mockup(scene).refine(
        view, order.size, order.samples, stop, progress, looks=(), wish=order.wish
    )
    for state in states:
        made = state
    return None if stop() else made


def png_bytes(pixels: Array, about: str = "") -> bytes:
    """A PNG of (h, w, 3) uint8, with the profile of sRGB."""
    return file_bytes(Refined(pixels, 1, 1), Path("a.png"), FileOrder(about=about))


RECORDED = (".jpg", ".jpeg", ".webp")


def with_record(how: FileOrder, job: Job, path: Path, *, whole: bool = False) -> FileOrder:
    """How a picture is written, with the record of the photo that the job stands in, where the file can
    hold one. ``whole``: with place and numbers too. Raises KilnError where the photo is lost."""
    if job.setting.photo is None or path.suffix.lower() not in RECORDED:
        return how
    return replace(how, record=record_kept(job.setting.photo, whole=whole))


def write_picture(
    picture: Refined | Array, path: Path, about: str = "", how: FileOrder | None = None
) -> None:
    """Write a picture in the format of the path's ending, all or nothing. Raises KilnError."""
    made = picture if isinstance(picture, Refined) else Refined(picture, 1, 1)
    how = replace(how or FileOrder(), about=about)
    write_whole(path, file_bytes(made, path, how))
