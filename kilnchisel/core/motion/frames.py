"""The frames of a film, made one after the other and kept, so that one that was stopped goes on."""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Callable, Iterator
from dataclasses import asdict, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.handover.picturefiles import FileOrder, file_bytes, wish_for
from kilnchisel.core.handover.pictures import PictureOrder
from kilnchisel.core.handover.sidebyside import Alike
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.proofs import present
from kilnchisel.core.motion.graded import graded
from kilnchisel.core.motion.tracks import Film, Moment, moment
from kilnchisel.core.paths import cache_folder
from kilnchisel.core.scene.lamps import toward_of
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]
Stop = Callable[[], bool]

RECIPE = 3  # to be raised when the same film looks different


def folder_of(job: Job, film: Film) -> Path:
    """Where the frames of a film are kept while it is made."""
    told = json.dumps([RECIPE, present(job).model_dump_json(), asdict(film)], sort_keys=True)
    return cache_folder() / "films" / hashlib.sha256(told.encode()).hexdigest()[:24]


def frames_of(
    job: Job,
    film: Film,
    folder: Path | None = None,
    stop: Stop = lambda: False,
    progress: Callable[[int], None] = lambda done: None,
) -> Iterator[Array]:
    """The frames (h, w, 3) uint8 in order, those that are in the folder read from there; ends where it is
    stopped. ``progress``: hears how many there are. Raises KilnError."""
    film.checked()
    folder = folder or folder_of(job, film)
    folder.mkdir(parents=True, exist_ok=True)
    camera = FilmCamera()
    for number in range(film.frames):
        if stop():
            return
        path = folder / f"{number:05d}.png"
        pixels = _kept(path, film.size)
        if pixels is None:
            pixels = camera.picture(moment(job, film, number), film, stop)
            if pixels is None:
                return
            write_whole(path, _png(pixels))
        yield pixels
        progress(number + 1)


def files_of(
    job: Job,
    film: Film,
    folder: Path,
    stop: Stop = lambda: False,
    progress: Callable[[int], None] = lambda done: None,
) -> Iterator[Path]:
    """The frames as files of their own kind in a folder, in order, those that are there not made again;
    ends where it is stopped. Raises KilnError."""
    film.checked()
    folder.mkdir(parents=True, exist_ok=True)
    camera = FilmCamera()
    for number in range(film.frames):
        path = folder / f"{number:05d}.{film.frames_as}"
        if not path.exists():  # it is written whole or not at all
            data = None if stop() else camera.file(moment(job, film, number), film, path, stop)
            if data is None:
                return
            write_whole(path, data)
        yield path
        progress(number + 1)


class FilmCamera:
    """Makes the frames of a film, all exposed as the first one is. Mockups have the same noise in each:
    what stands still does not boil."""

    def __init__(self) -> None:
        self._alike = Alike()

    def picture(self, now: Moment, film: Film, stop: Stop) -> Array | None:
        """One frame; None when stopped."""
        order = PictureOrder(film.size, max(film.samples, 1), draft=not film.samples)
        return self._alike.picture(now.job, order, stop, posed=partial(posed, now))

    def file(self, now: Moment, film: Film, path: Path, stop: Stop) -> bytes | None:
        """One frame as the bytes of a file, as its ending says; None when stopped."""
        how = FileOrder(transparent=film.clear)
        order = PictureOrder(film.size, max(film.samples, 1), wish=wish_for(path, how))
        made = self._alike.refined(now.job, order, stop, posed=partial(posed, now))
        return None if made is None else file_bytes(made, path, how)


def posed(now: Moment, scene: Scene) -> Scene:
    """A scene as it is at a moment."""
    if now.began is not None:
        scene = scene.staying(toward_of(now.began.turn_deg, now.began.tilt_deg))
    if now.along is not None:
        scene = graded(scene, now.along)
    return turned(scene, now.turn_deg, axis_of(now.job, scene)) if now.turn_deg else scene


def axis_of(job: Job, scene: Scene) -> Array:
    """The x and y of the upright line that a piece turns about, (2,): the axis of what is round, whatever
    stands off it (a mug's handle), else its middle."""
    upright = bool(np.allclose(scene.stance[:3, :3], np.eye(3)))
    if upright and any(side.period is not None for side in sides_at(job.blank).all):
        return np.asarray(scene.stance[:2, 3])
    return np.asarray(scene.middle[:2])


def turned(scene: Scene, turn_deg: float, axis: Array) -> Scene:
    """A scene with its piece turned to the left about an upright line at ``axis`` (2,)."""
    if turn_deg % 360 == 0:
        return scene
    angle = np.radians(turn_deg)
    turn = np.eye(4)
    turn[:2, :2] = [[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]
    middle = np.append(axis, 0.0)
    turn[:3, 3] = middle - turn[:3, :3] @ middle
    return replace(scene, stance=turn @ scene.stance)


def _kept(path: Path, size: tuple[int, int]) -> Array | None:
    try:
        with Image.open(path, formats=("PNG",)) as opened:
            return np.asarray(opened.convert("RGB")) if opened.size == size else None
    except (OSError, ValueError):  # there is none, or it was cut short
        return None


def _png(pixels: Array) -> bytes:
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, "PNG", compress_level=3)
    return file.getvalue()
