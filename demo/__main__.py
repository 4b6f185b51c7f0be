"""The demo: the window with the demo jobs, or without a display their pictures in out/."""

from __future__ import annotations

import sys
from pathlib import Path

from demo.jobs import ALL, FOLDER, titles, write_job
from demo.looks import draw_looks, draw_objects
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, make_picture, png_bytes, write_picture
from kilnchisel.core.paths import RESOURCES
from kilnchisel.ui.start import has_display, open_window
from kilnchisel.ui.startpage import DemoJob

PREVIEW = PictureOrder((536, 392), 64)
FULL = PictureOrder((1280, 800), 16)


def main(arguments: list[str]) -> int:
    """``python -m demo [--previews [STEM ...] | --objects | --looks]``: all but the first make
    pictures that are shipped: of demo jobs, of blanks, of finishes, crafts and recipes."""
    try:
        if arguments[:1] == ["--previews"]:
            for stem in arguments[1:] or list(ALL):
                pixels = make_picture(ALL[stem](), PREVIEW)
                assert pixels is not None
                write_job(stem, png_bytes(pixels))
            return 0
        if arguments == ["--objects"]:
            draw_objects(RESOURCES / "objects")
            return 0
        if arguments == ["--looks"]:
            draw_looks(RESOURCES / "looks")
            return 0
        if has_display():
            return open_window(None, [DemoJob(name, FOLDER / f"{s}.kcj") for s, name in titles().items()])
        return render_all(Path("out"))
    except KilnError as error:
        print(error, file=sys.stderr)
        return 2


def render_all(folder: Path) -> int:
    """Render every demo job to a PNG."""
    print(f"There is no display, so the demo jobs are rendered into {folder}/ instead.")
    folder.mkdir(exist_ok=True)
    for stem, make in ALL.items():
        job = make()
        pixels = make_picture(job, FULL)
        assert pixels is not None
        write_picture(pixels, folder / f"{stem}.png", job.name)
        print(f"  {folder / stem}.png")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
