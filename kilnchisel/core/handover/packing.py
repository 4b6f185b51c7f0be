"""A job file as it is handed over: with its fonts, where their licence bits allow it, and a preview."""

from __future__ import annotations

import contextlib
import hashlib
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import asset
from kilnchisel.core.job.company import letterings_of_all, with_each_lettering
from kilnchisel.core.job.edits import artwork_used
from kilnchisel.core.job.file import job_bytes, save_job
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Photo
from kilnchisel.core.job.wording import FileFace, Wording
from kilnchisel.core.lettering.faces import face_path, file_face, load_face


def save_packed(job: Job, path: Path, preview_png: bytes | None = None) -> None:
    """Save a job with its artwork and the opened font files that may be embedded. Raises KilnError."""
    job = settled(job)
    save_job(job, path, preview_png, {**packable_fonts(job), **kept_artwork(job)})


def packed(job: Job) -> bytes:
    """The same as bytes, for another process or another machine."""
    job = settled(job)
    return job_bytes(job, None, {**packable_fonts(job), **kept_artwork(job)})


def settled(job: Job) -> Job:
    """The job with its opened fonts named by what they are, so that they are found again without the
    folder they lie in. One that is not to be found stays as it is named: the rest is saved."""

    def named(lettering: Lettering) -> Lettering:
        content = lettering.content
        own = content.face if isinstance(content, Wording) else None
        if not isinstance(own, FileFace) or own.sha256:
            return lettering
        try:
            face = file_face(Path(own.path), own.number).model_copy(update={"axes": own.axes})
        except KilnError:
            return lettering
        return lettering.model_copy(update={"content": content.model_copy(update={"face": face})})

    return with_each_lettering(job, named)


def kept_artwork(job: Job) -> dict[str, bytes]:
    """sha256 -> bytes of the job's artwork. What was lost before is left out: the job still names it, and
    everything else is saved."""
    kept = {}
    for content in artwork_used(job):
        if isinstance(content, Photo) and content.path:
            continue  # it is referred to
        with contextlib.suppress(KilnError):
            kept[content.sha256] = asset(content.sha256, content.name)
    return kept


def packable_fonts(job: Job) -> dict[str, bytes]:
    """sha256 -> bytes of the job's opened fonts whose OS/2 fsType allows embedding."""
    packed = {}
    for lettering in letterings_of_all(job):
        content = lettering.content
        if not isinstance(content, Wording) or not isinstance(content.face, FileFace):
            continue
        face = content.face
        try:
            if load_face(face).may_embed:
                data = face_path(face).read_bytes()
                packed[hashlib.sha256(data).hexdigest()] = data
        except (KilnError, OSError):
            continue  # the job still names the file; opening it says what is missing
    return packed
