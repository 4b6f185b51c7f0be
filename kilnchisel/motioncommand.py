"""``kilnchisel motion``: a film of a job."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.idle import refuse_idle


def add_to(commands: Any) -> None:
    """Add the command to the parser's."""
    motion = commands.add_parser("motion", help="a film of a job: .mp4, .webm, .webp, .gif or a folder")
    motion.add_argument("job", type=Path)
    motion.add_argument("-o", "--output", type=Path, required=True, metavar="FILE|FOLDER")
    motion.add_argument(
        "--track",
        default="turntable",
        help="what moves: turntable, swing, places, light, start-up, flicker, pulse, on-off, in-order",
    )
    motion.add_argument(
        "--places", metavar="NAMES", help="camera places that it goes between: front,detail"
    )
    motion.add_argument("--seconds", type=float, default=6.0, help="default %(default)s")
    motion.add_argument("--fps", type=int, default=25, help="frames a second; default %(default)s")
    motion.add_argument(
        "--size", default="1280x720", help="pixels, or hd, uhd, square; default %(default)s"
    )
    motion.add_argument("--samples", type=int, default=48, help="a pixel; default %(default)s")
    motion.add_argument("--draft", action="store_true", help="by quick pictures")
    motion.add_argument("--ease", default="even", help="even (default), or soft: slow at both ends")
    motion.add_argument(
        "--loop",
        action=argparse.BooleanOptionalAction,
        help="its end goes on into its beginning, there and back where a track does not come round",
    )
    motion.add_argument("--frames", default="png", help="in a folder: png (default) or exr")
    motion.add_argument("--clear", action="store_true", help="frames in a folder without ground and behind")
    motion.add_argument("--progress", action="store_true", help="say the share done on stderr")
    motion.add_argument("--seed", type=int, default=1, help="of what is by chance; default %(default)s")


def motion(options: Any, opened: Callable[[Path], Any], writable: Callable[[Path], None]) -> None:
    """Do what the command says. Raises KilnError."""
    from kilnchisel.core.handover.pictures import parse_size
    from kilnchisel.core.motion.film import write_film
    from kilnchisel.core.motion.tracks import BY_CHANCE, Film

    refuse_idle(
        options,
        ("places", options.track == "places", "with --track places"),
        ("seed", options.track in BY_CHANCE, "with --track start-up or flicker"),
        ("samples", not options.draft, "without --draft"),
    )
    if options.samples < 1:
        raise KilnError("A picture has one sample a pixel at least; --draft makes quick ones.")
    film = Film(
        options.track,
        options.seconds,
        options.fps,
        parse_size(options.size),
        0 if options.draft else options.samples,
        options.seed,
        tuple(name.strip() for name in (options.places or "").split(",") if name.strip()),
        options.frames.strip().lower(),
        options.clear,
        options.ease.strip().lower(),
        options.loop,
    ).checked()
    if options.output.suffix:
        writable(options.output)
    job = opened(options.job)
    begun = time.monotonic()
    first: list[int] = []

    def say(done: int) -> None:
        if not first:  # what was there from another time took none
            first.append(done)
        spent = time.monotonic() - begun
        left = spent / max(done - first[0] + 1, 1) * (film.frames - done)
        if options.progress:
            words = f"{done} of {film.frames} frames, {left:.0f} s left"
            print(f"{done / film.frames:.4f} {words}", file=sys.stderr, flush=True)
        elif sys.stderr.isatty():
            end = "\n" if done == film.frames else ""
            words = f"\r{done} of {film.frames} frames, {left:.0f} s left   "
            print(words, end=end, file=sys.stderr, flush=True)

    write_film(job, film, options.output, progress=say)
    print(options.output)
