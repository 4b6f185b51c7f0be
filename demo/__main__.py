"""The demo: the window with the demo jobs, or without a display their pictures in out/."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from demo.jobs import ALL, FOLDER, titles, write_job
from demo.looks import draw_looks, draw_objects
from kilnchisel.core.build import middle_of_job, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, make_picture, png_bytes, write_picture
from kilnchisel.core.job.blank import TITLES
from kilnchisel.core.job.model import Job
from kilnchisel.core.paths import RESOURCES
from kilnchisel.ui.start import has_display, open_window
from kilnchisel.ui.startpage import DemoJob

Array = NDArray[Any]

PREVIEW = PictureOrder((536, 392), 64)
FULL = PictureOrder((1280, 800), 16)


def main(arguments: list[str]) -> int:
    """``python -m demo [--previews [STEM ...] | --objects [KIND ...] | --looks]``: all but the first make
    pictures that are shipped: of demo jobs, of blanks, of finishes, crafts and recipes."""
    try:
        if arguments[:1] == ["--previews"]:
            for stem in arguments[1:] or list(ALL):
                write_job(stem, png_bytes(preview(ALL[stem]())))
            return 0
        if arguments[:1] == ["--objects"]:
            draw_objects(RESOURCES / "objects", tuple(arguments[1:]) or tuple(TITLES))
            return 0
        if arguments == ["--looks"]:
            draw_looks(RESOURCES / "looks")
            return 0
        if arguments:
            raise KilnError(f"There is no choice {arguments[0]}; see the first lines of demo/__main__.py.")
        if has_display():
            return open_window(None, [DemoJob(name, FOLDER / f"{s}.kcj") for s, name in titles().items()])
        return render_all(Path("out"))
    except KilnError as error:
        print(error, file=sys.stderr)
        return 2


def whole_size(job: Job, size: tuple[int, int]) -> tuple[int, int]:
    """A size for a picture of a job: of one in a photo, the photo's shape."""
    photo = job.setting.photo
    if photo is None:
        return size
    scale = max(size) / max(photo.width_px, photo.height_px)
    return round(photo.width_px * scale), round(photo.height_px * scale)


def preview(job: Job) -> Array:
    """The picture of a job on the start page; of one in a photo, the part about the piece."""
    if job.setting.photo is None:
        pixels = make_picture(job, PREVIEW)
        assert pixels is not None
        return pixels
    size = whole_size(job, (2 * PREVIEW.size[0],) * 2)
    pixels = make_picture(job, replace(PREVIEW, size=size))
    assert pixels is not None
    wide = min(size[0], round(size[1] * PREVIEW.size[0] / PREVIEW.size[1]))
    tall = round(wide * PREVIEW.size[1] / PREVIEW.size[0])
    x, y, _ = view_of(job, size[0] / size[1]).project(middle_of_job(job)[None], size)[0]
    left = int(min(max(x - wide / 2, 0), size[0] - wide))
    top = int(min(max(y - tall / 2, 0), size[1] - tall))
    part = Image.fromarray(pixels[top : top + tall, left : left + wide])
    return np.asarray(part.resize(PREVIEW.size, Image.Resampling.LANCZOS))


def render_all(folder: Path) -> int:
    """Render every demo job to a PNG."""
    print(f"There is no display, so the demo jobs are rendered into {folder}/ instead.")
    folder.mkdir(exist_ok=True)
    for stem, make in ALL.items():
        job = make()
        pixels = make_picture(job, replace(FULL, size=whole_size(job, FULL.size)))
        assert pixels is not None
        write_picture(pixels, folder / f"{stem}.png", job.name)
        print(f"  {folder / stem}.png")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
