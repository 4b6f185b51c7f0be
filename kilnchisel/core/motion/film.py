"""A film as a file: MP4 (H.264), WebM (VP9), animated WebP and GIF, or a folder of PNG or EXR.

PyAV writes MP4 and WebM: it has the encoders with it, works without a program beside it, and is told of the
colours frame by frame. Pictures in sRGB are coded by the matrix of BT.709 in its video range, and tagged so
(ITU-R BT.709-6).
"""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job
from kilnchisel.core.motion.frames import files_of, folder_of, frames_of
from kilnchisel.core.motion.tracks import Film
from kilnchisel.core.writing import make_folder, write_whole

Array = NDArray[Any]
Stop = Callable[[], bool]

CODERS = {
    ".mp4": ("libx264", {"crf": "18", "preset": "medium"}),
    ".webm": ("libvpx-vp9", {"crf": "30", "b": "0"}),
}
ENDINGS = (".mp4", ".webm", ".webp", ".gif")
BT709, VIDEO_RANGE = 1, 1  # as FFmpeg numbers them


def write_film(
    job: Job,
    film: Film,
    path: Path,
    stop: Stop = lambda: False,
    progress: Callable[[int], None] = lambda done: None,
) -> bool:
    """Make a film and write it, whole or not at all; a path without an ending is a folder of frames. False
    when stopped: the frames that there are stay for the next time. Raises KilnError."""
    film.checked()
    ending = path.suffix.lower()
    if ending and ending not in ENDINGS:
        raise KilnError(f"“{path.name}” should end in {', '.join(ENDINGS)}, or in nothing for a folder.")
    if ending and (film.clear or film.frames_as != "png"):
        raise KilnError("EXR and a clear ground are for frames in a folder; name one without an ending.")
    folder = folder_of(job, film)
    if not ending:
        _refuse_longer(path, film)
        return _into_folder(job, film, folder, path, stop, progress)
    frames = frames_of(job, film, folder, stop, progress)
    with tempfile.TemporaryDirectory() as name:
        whole = Path(name) / f"film{ending}"
        count = _coded(frames, film, whole) if ending in CODERS else _animated(frames, film, whole)
        if count < film.frames:
            return False
        write_whole(path, whole.read_bytes())
    shutil.rmtree(folder, ignore_errors=True)
    return True


def _refuse_longer(path: Path, film: Film) -> None:
    """Raises KilnError where frames of a longer film are in the folder: its reader takes all of them."""
    if path.is_dir():
        for frame in path.glob(f"[0-9][0-9][0-9][0-9][0-9].{film.frames_as}"):
            if int(frame.stem) > film.frames:
                raise KilnError(
                    f"{path} has frames of a longer film ({frame.name}); name another folder, or empty it."
                )


def _into_folder(
    job: Job, film: Film, folder: Path, path: Path, stop: Stop, progress: Callable[[int], None]
) -> bool:
    own = film.clear or film.frames_as != "png"
    made = (files_of if own else frames_of)(job, film, folder, stop, progress)
    if sum(1 for _ in made) < film.frames:
        return False
    make_folder(path)
    for number in range(film.frames):
        kept = folder / f"{number:05d}.{film.frames_as}"
        write_whole(path / f"{number + 1:05d}{kept.suffix}", kept.read_bytes())
    shutil.rmtree(folder, ignore_errors=True)
    return True


def _coded(frames: Iterable[Array], film: Film, path: Path) -> int:
    """A film by a coder; how many frames it has."""
    import av
    from av.video.reformatter import ColorRange, Colorspace

    name, options = CODERS[path.suffix]
    wide, tall = (side - side % 2 for side in film.size)  # colours are kept at half the pixels each way
    count = 0
    with av.open(
        str(path), "w", options={"movflags": "+faststart"} if path.suffix == ".mp4" else {}
    ) as out:
        stream: Any = out.add_stream(name, rate=film.fps, options=options)
        stream.width, stream.height, stream.pix_fmt = wide, tall, "yuv420p"
        stream.codec_context.thread_count = os.cpu_count() or 1
        for tag in ("color_primaries", "color_trc", "colorspace"):
            setattr(stream.codec_context, tag, BT709)
        stream.codec_context.color_range = VIDEO_RANGE
        stream.time_base = Fraction(1, film.fps)
        for pixels in frames:
            picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels[:tall, :wide]), format="rgb24")
            coded = picture.reformat(
                format="yuv420p", dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.MPEG
            )
            coded.pts, coded.time_base = count, Fraction(1, film.fps)
            out.mux(stream.encode(coded))
            count += 1
        out.mux(stream.encode())
    return count


def _animated(frames: Iterable[Array], film: Film, path: Path) -> int:
    """A film that mail shows by itself; how many frames it has."""
    pictures = [Image.fromarray(pixels) for pixels in frames]
    if not pictures:
        return 0
    how: dict[str, Any] = {"save_all": True, "append_images": pictures[1:]}
    if film.loops or path.suffix == ".webp":  # a GIF that does not say is shown once
        how["loop"] = 0 if film.loops else 1
    # a GIF counts in hundredths of a second: times are rounded so that the whole is as long as it should be
    ends = np.rint(np.arange(len(pictures) + 1) * 100 / film.fps) * 10
    how["duration"] = np.diff(ends).astype(int).tolist()
    if path.suffix == ".webp":
        how |= {"quality": 82, "method": 4}
    else:
        how |= {"optimize": False, "disposal": 1}
    pictures[0].save(path, **how)
    return len(pictures)
