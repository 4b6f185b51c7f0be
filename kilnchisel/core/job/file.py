"""The job file (.kcj): a ZIP with job.json, packed fonts by content hash, and a preview.

Written to a temporary file beside the target and renamed, so a full disk or a kill leaves the old
file whole. Described in docs/job-file.md.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import lzma
import math
import os
import struct
import tempfile
import zipfile
import zlib
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import LARGEST as LARGEST_ARTWORK
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.edits import artwork_used, refusal
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import FileFace, Wording
from kilnchisel.core.paths import cache_folder

FORMAT = "kilnchisel job"
VERSION = 6
LARGEST_JSON = 64 * 2**20
LARGEST_ASSET = 128 * 2**20
_STAMP = (2000, 1, 1, 0, 0, 0)  # the same job gives the same bytes


# all that reading an archive of unknown origin may raise: truncated, flipped bits, encrypted, packed in a
# way that is not known, names that are no text
DAMAGED = (
    zipfile.BadZipFile,
    EOFError,
    OSError,
    RuntimeError,
    ValueError,
    MemoryError,
    OverflowError,
    zlib.error,
    lzma.LZMAError,
    struct.error,
)


def save_job(
    job: Job, path: Path, preview_png: bytes | None = None, assets: dict[str, bytes] | None = None
) -> None:
    """Write ``job`` to ``path``. ``assets``: sha256 -> bytes of faces that may be packed, and artwork.

    Raises KilnError when it cannot be written; an older file there stays as it was.
    """
    write_whole(path, job_bytes(job, preview_png, assets or {}))


def job_bytes(job: Job, preview_png: bytes | None, assets: dict[str, bytes]) -> bytes:
    """The file's bytes."""
    document = {"format": FORMAT, "version": VERSION, "job": job.model_dump(mode="json")}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:

        def put(name: str, data: bytes) -> None:
            info = zipfile.ZipInfo(name, _STAMP)
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, data)

        put("job.json", json.dumps(document, indent=1, ensure_ascii=False).encode())
        for digest in sorted(assets):
            put(f"assets/{digest}", assets[digest])
        if preview_png:
            put("preview.png", preview_png)
    return buffer.getvalue()


def open_job(path: Path) -> Job:
    """Read a job. Packed fonts are unpacked to the cache and used where the original is gone.

    Raises KilnError with a sentence for a missing, foreign, truncated or newer file.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            document = _document(archive, path)
            job = _validated(_migrated(document), path)
            _take_artwork(job, archive, path)
            return _with_packed_fonts(job, archive)
    except FileNotFoundError:
        raise KilnError(f"There is no file {path}.") from None
    except IsADirectoryError:
        raise KilnError(f"{path} is a folder, not a job file.") from None
    except DAMAGED:
        raise KilnError(
            f"{path.name} is not a whole job file: it is damaged, cut short, locked or of another kind."
        ) from None


def read_preview(path: Path) -> bytes | None:
    """The preview picture (PNG bytes) of a job file, None when there is none."""
    try:
        with zipfile.ZipFile(path) as archive:
            return archive.read("preview.png")
    except (KeyError, *DAMAGED):
        return None


def _document(archive: zipfile.ZipFile, path: Path) -> dict[str, Any]:
    names = archive.namelist()
    if "job.json" not in names:
        raise KilnError(f"{path.name} is not a job file: it holds no job.json.")
    if archive.getinfo("job.json").file_size > LARGEST_JSON:
        raise KilnError(f"{path.name} holds a job description too large to be real.")
    try:
        document = json.loads(archive.read("job.json"))
    except (ValueError, zipfile.BadZipFile):
        raise KilnError(f"The job description in {path.name} is damaged.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise KilnError(f"{path.name} is not a job file of this application.")
    version = document.get("version")
    if not isinstance(version, int) or version < 1:
        raise KilnError(f"{path.name} states no job file version.")
    if version > VERSION:
        raise KilnError(
            f"{path.name} was saved by a newer version (job file {version}, this one reads up to "
            f"{VERSION}); update the application to open it."
        )
    return document


def _migrated(document: dict[str, Any]) -> dict[str, Any]:
    """A document of an older version in the present one's terms."""
    if document["version"] == 1:  # wording was always words then, and did not say so
        job = document.get("job")
        for lettering in (job.get("letterings") or ()) if isinstance(job, dict) else ():
            if isinstance(lettering, dict) and isinstance(lettering.get("wording"), dict):
                lettering["wording"].setdefault("kind", "words")
    if document["version"] < 6:  # the outside of a signet began at the front then, under its head
        job = document.get("job")
        blank = job.get("blank") if isinstance(job, dict) else None
        if isinstance(job, dict) and isinstance(blank, dict) and blank.get("kind") == "signet":
            _turned_half(job, blank)
    return document


def _turned_half(job: dict[str, Any], blank: dict[str, Any]) -> None:
    """The letterings on the outside of a ring, half a turn on."""
    with contextlib.suppress(TypeError, ValueError):  # what is no number is refused later
        half = math.pi * (float(blank.get("inner_mm", 18.9)) / 2 + float(blank.get("thickness_mm", 1.8)))
        for lettering in job.get("letterings") or ():
            lay = lettering.get("lay") if isinstance(lettering, dict) else None
            if isinstance(lay, dict) and lay.get("side", "outside") == "outside":
                along = float(lay.get("along_mm", 0.0))
                lay["along_mm"] = round(along - half if along > 0 else along + half, 3)


def _take_artwork(job: Job, archive: zipfile.ZipFile, path: Path) -> None:
    names = set(archive.namelist())
    for content in artwork_used(job):
        entry = f"assets/{content.sha256}"
        if entry not in names or archive.getinfo(entry).file_size > LARGEST_ARTWORK:
            continue  # the checks say what is missing
        if keep_asset(archive.read(entry), content.name) != content.sha256:
            raise KilnError(f"The artwork {content.name} in {path.name} is damaged.")


def _validated(document: dict[str, Any], path: Path) -> Job:
    try:
        return Job.model_validate(document.get("job", {}))
    except ValidationError as error:
        raise KilnError(f"{path.name} cannot be used: {refusal(error)}") from None
    except KilnError as error:
        raise KilnError(f"{path.name} cannot be used: {error}") from None


def _with_packed_fonts(job: Job, archive: zipfile.ZipFile) -> Job:
    names = set(archive.namelist())
    letterings = []
    for lettering in job.letterings:
        if not isinstance(lettering.wording, Wording):
            letterings.append(lettering)
            continue
        face = lettering.wording.face
        if isinstance(face, FileFace) and face.sha256 and not Path(face.path).is_file():
            entry = f"assets/{face.sha256}"
            if entry in names and archive.getinfo(entry).file_size <= LARGEST_ASSET:
                unpacked = _unpack(archive.read(entry), face)
                wording = lettering.wording.model_copy(update={"face": unpacked})
                lettering = lettering.model_copy(update={"wording": wording})
        letterings.append(lettering)
    return job.model_copy(update={"letterings": tuple(letterings)})


def _unpack(data: bytes, face: FileFace) -> FileFace:
    if hashlib.sha256(data).hexdigest() != face.sha256:
        raise KilnError(f"The packed copy of the font {face.family or face.path} is damaged.")
    folder = cache_folder() / "fonts"
    folder.mkdir(exist_ok=True)
    target = folder / (face.sha256 + Path(face.path).suffix)
    if not target.exists():
        write_whole(target, data)
    return face.model_copy(update={"path": str(target)})


def write_whole(path: Path, data: bytes) -> None:
    """Write all or nothing: a temporary file beside the target, then rename. Raises KilnError."""
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        temporary = Path(name)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            temporary.chmod(0o644)
            temporary.replace(path)
        except BaseException:
            temporary.unlink(missing_ok=True)
            raise
    except OSError as error:
        raise KilnError(f"{path} could not be written: {error.strerror or error}.") from None


def schema() -> dict[str, Any]:
    """JSON Schema of job.json."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Kiln Chisel job file, job.json",
        "type": "object",
        "required": ["format", "version", "job"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"const": VERSION},
            "job": {"$ref": "#/$defs/Job"},
        },
        "$defs": _definitions(),
    }


def _definitions() -> dict[str, Any]:
    model = Job.model_json_schema(ref_template="#/$defs/{model}")
    definitions: dict[str, Any] = model.pop("$defs", {})
    definitions["Job"] = model
    return definitions
