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
import struct
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import Any

from pydantic import ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import LARGEST as LARGEST_ARTWORK
from kilnchisel.core.job.assets import keep_asset, keep_referred
from kilnchisel.core.job.company import letterings_of_all, with_each_lettering
from kilnchisel.core.job.edits import artwork_used, refusal
from kilnchisel.core.job.fontplaces import FONT_ENDINGS, LARGEST_FONT, place_of
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job, Work
from kilnchisel.core.job.wording import FileFace, Wording
from kilnchisel.core.paths import cache_folder
from kilnchisel.core.writing import write_whole

FORMAT = "kilnchisel job"
VERSION = 9
LARGEST_FILE = 1024 * 2**20
LARGEST_UNPACKED = 1024 * 2**20
LARGEST_JSON = 16 * 2**20
LARGEST_PREVIEW = 16 * 2**20
MOST_MEMBERS = 2000
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
    document = {"format": FORMAT, "version": VERSION, "job": _written(job)}
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


def _written(job: Job) -> dict[str, Any]:
    """A job as it is written: proofs as what they keep, without the folders of this machine."""
    document = job.model_dump(mode="json")
    for proof in document["proofs"]:
        with contextlib.suppress(ValueError):  # what is damaged is kept as it is
            proof["work"] = json.loads(proof["work"])
    for work in (document, *(proof["work"] for proof in document["proofs"])):
        if isinstance(work, dict):
            _without_places(work)
    return document


def _without_places(work: dict[str, Any]) -> None:
    """Name fonts by their file's name alone."""
    for piece in (work, *work.get("others", ())):
        for lettering in piece.get("letterings", ()):
            face = lettering["content"].get("face")
            if isinstance(face, dict) and face.get("kind") == "file":
                face["path"] = PurePath(face["path"]).name


@dataclass(frozen=True)
class _Opened:
    """What a job file holds: the job, its artwork (sha256 -> name, bytes), and the fonts it carries."""

    job: Job
    artwork: dict[str, tuple[str, bytes]]
    fonts: dict[str, bytes]


def open_job(path: Path) -> Job:
    """Read a job. Fonts are found where they were last opened on this machine, or unpacked to the cache.

    Raises KilnError with a sentence for a missing, foreign, truncated or newer file.
    """
    data = gate.bytes_of(path, LARGEST_FILE, "job file")
    opened: _Opened = gate.read(f"{__name__}:job_in", path.name, data, path.name)
    return _taken_in(opened, path)


def job_sent(data: bytes) -> Job:
    """A job from a job file's bytes that this program has made itself in another process, read here and
    now."""
    return _taken_in(job_in(data, "The job"), Path("The job"))


def _taken_in(opened: _Opened, path: Path) -> Job:
    for name, content in opened.artwork.values():
        keep_asset(content, name)
    photo = opened.job.setting.photo
    if photo is not None and photo.path:
        with contextlib.suppress(KilnError):  # that it has moved is said when it is wanted
            keep_referred(photo.sha256, Path(photo.path), path.parent)
    return _with_fonts(opened.job, opened.fonts)


def job_in(data: bytes, name: str) -> _Opened:
    """The same from the file's bytes, read here and now."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _refuse_too_much(archive, name)
            gate.at(None, "the job description")
            document = _document(archive, name)
            job = _validated(_migrated(document), name)
            artwork = _artwork(job, archive, name)
            return _Opened(job, artwork, _fonts(job, archive))
    except DAMAGED:
        raise KilnError(
            f"{name} is not a whole job file: it is damaged, cut short, locked or of another kind."
        ) from None


def _refuse_too_much(archive: zipfile.ZipFile, name: str) -> None:
    members = archive.infolist()
    size = sum(member.file_size for member in members)
    if len(members) > MOST_MEMBERS or size > LARGEST_UNPACKED:
        raise KilnError(
            f"{name} would unpack to {size / 2**20:.0f} MB in {len(members)} parts; at most "
            f"{LARGEST_UNPACKED // 2**20} MB in {MOST_MEMBERS} can be opened."
        )


def read_preview(path: Path) -> bytes | None:
    """The preview picture (PNG bytes) of a job file, None when there is none."""
    try:
        if not path.is_file():
            return None
        with zipfile.ZipFile(path) as archive:
            if archive.getinfo("preview.png").file_size > LARGEST_PREVIEW:
                return None
            return archive.read("preview.png")
    except (KeyError, *DAMAGED):
        return None


def _document(archive: zipfile.ZipFile, name: str) -> dict[str, Any]:
    names = archive.namelist()
    if "job.json" not in names:
        raise KilnError(f"{name} is not a job file: it holds no job.json.")
    if archive.getinfo("job.json").file_size > LARGEST_JSON:
        raise KilnError(f"{name} holds a job description of more than {LARGEST_JSON // 2**20} MB.")
    try:
        document = json.loads(archive.read("job.json"))
    except (ValueError, RecursionError):
        raise KilnError(f"The job description in {name} is damaged.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise KilnError(f"{name} is not a job file of this application.")
    version = document.get("version")
    if not isinstance(version, int) or version < 1:
        raise KilnError(f"{name} states no job file version.")
    if version > VERSION:
        raise KilnError(
            f"{name} was saved by a newer version (job file {version}, this one reads up to "
            f"{VERSION}); update the application to open it."
        )
    return document


def _migrated(document: dict[str, Any]) -> dict[str, Any]:
    """A document of an older version in the present one's terms."""
    version, job = document["version"], document.get("job")
    if not isinstance(job, dict):
        return document
    letterings = [item for item in _listed(job.get("letterings")) if isinstance(item, dict)]
    if version == 1:  # it was always words then, and did not say so
        for lettering in letterings:
            if isinstance(lettering.get("wording"), dict):
                lettering["wording"].setdefault("kind", "words")
    if version < 6:  # the outside of a signet began at the front then, under its head
        blank = job.get("blank")
        if isinstance(blank, dict) and blank.get("kind") == "signet":
            _turned_half(job, blank)
    if version < 7:  # artwork, pictures and shapes were called wording too
        for lettering in letterings:
            if "wording" in lettering:
                lettering["content"] = lettering.pop("wording")
    if version < 8:  # gold was fine gold where it did not say
        _fine_gold(job)
    if version < 9:  # box signs were not lit then, and their edges rounder
        blank = job.get("blank")
        if isinstance(blank, dict) and blank.get("kind") == "box sign":
            for name, value in (("brightness", 0.0), ("edge_mm", 6.0), ("frame_mm", 18.0)):
                blank.setdefault(name, value)
        if isinstance(blank, dict) and blank.get("kind") == "bank":
            blank.setdefault("seed", 0)  # the one ground that there was then
    return document


def _fine_gold(within: Any) -> None:
    """Says of all gold in a document of how many carats it was, where that does not say."""
    waiting = [within]
    while waiting:
        one = waiting.pop()
        if isinstance(one, dict):
            if one.get("kind") == "gold":
                one.setdefault("carat", 24.0)
            waiting += one.values()
        elif isinstance(one, list):
            waiting += one


def _listed(items: Any) -> list[Any]:
    return items if isinstance(items, list) else []


def _turned_half(job: dict[str, Any], blank: dict[str, Any]) -> None:
    """The letterings on the outside of a ring, half a turn on."""
    with contextlib.suppress(TypeError, ValueError):  # what is no number is refused later
        half = math.pi * (float(blank.get("inner_mm", 18.9)) / 2 + float(blank.get("thickness_mm", 1.8)))
        for lettering in job.get("letterings") or ():
            lay = lettering.get("lay") if isinstance(lettering, dict) else None
            if isinstance(lay, dict) and lay.get("side", "outside") == "outside":
                along = float(lay.get("along_mm", 0.0))
                lay["along_mm"] = round(along - half if along > 0 else along + half, 3)


def _artwork(job: Job, archive: zipfile.ZipFile, name: str) -> dict[str, tuple[str, bytes]]:
    names = set(archive.namelist())
    found = {}
    contents = artwork_used(job)
    for done, content in enumerate(contents):
        gate.at(done / len(contents), f"artwork {content.name}")
        entry = f"assets/{content.sha256}"
        if entry not in names or archive.getinfo(entry).file_size > LARGEST_ARTWORK:
            continue  # the checks say what is missing
        data = archive.read(entry)
        if hashlib.sha256(data).hexdigest() != content.sha256:
            raise KilnError(f"The artwork {content.name} in {name} is damaged.")
        found[content.sha256] = (content.name, data)
    return found


def _validated(document: dict[str, Any], name: str) -> Job:
    try:
        return Job.model_validate(_with_proofs_kept(document.get("job", {})))
    except ValidationError as error:
        raise KilnError(f"{name} cannot be used: {refusal(error)}") from None
    except KilnError as error:
        raise KilnError(f"{name} cannot be used: {error}") from None


def _with_proofs_kept(job: Any) -> Any:
    """A job's document with what its proofs keep as text, each checked. Raises ValidationError."""
    for proof in _listed(job.get("proofs")) if isinstance(job, dict) else ():
        if isinstance(proof, dict) and isinstance(proof.get("work"), dict):
            proof["work"] = Work.model_validate(proof["work"]).model_dump_json()
    return job


def _faces(job: Job) -> dict[str, FileFace]:
    """The opened fonts of a job by their content."""
    contents = (item.content for item in letterings_of_all(job))
    wordings = [content for content in contents if isinstance(content, Wording)]
    faces = [wording.face for wording in wordings if isinstance(wording.face, FileFace)]
    return {face.sha256: face for face in faces if face.sha256}


def _fonts(job: Job, archive: zipfile.ZipFile) -> dict[str, bytes]:
    names = set(archive.namelist())
    found = {}
    for digest, face in _faces(job).items():
        entry = f"assets/{digest}"
        if entry in names and archive.getinfo(entry).file_size <= LARGEST_FONT:
            data = archive.read(entry)
            if hashlib.sha256(data).hexdigest() != digest:
                raise KilnError(f"The packed copy of the font {face.family or face.path} is damaged.")
            found[digest] = data
    return found


def _with_fonts(job: Job, packed: dict[str, bytes]) -> Job:
    """The job with its fonts where they are on this machine."""
    places = {}
    for digest, face in _faces(job).items():
        place = place_of(digest, face.path)
        if place is None and digest in packed:
            place = _unpack(packed[digest], face)
        # what is not here keeps its bare name, which the refusal shows
        places[digest] = str(place) if place is not None else PurePath(face.path).name or "font"
    if not places:
        return job

    def found(item: Lettering) -> Lettering:
        content = item.content
        if not isinstance(content, Wording) or not isinstance(content.face, FileFace):
            return item
        path = places.get(content.face.sha256, PurePath(content.face.path).name or "font")
        face = content.face.model_copy(update={"path": path})
        return item.model_copy(update={"content": content.model_copy(update={"face": face})})

    return with_each_lettering(job, found)


def _unpack(data: bytes, face: FileFace) -> Path | None:
    folder = cache_folder() / "fonts"
    ending = PurePath(face.path).suffix.lower()
    if ending not in FONT_ENDINGS:
        return None
    target = folder / (face.sha256 + ending)
    if not target.exists():
        with contextlib.suppress(OSError):
            folder.mkdir(exist_ok=True)
        write_whole(target, data)
    return target


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
    work = Work.model_json_schema(ref_template="#/$defs/{model}")
    work.pop("$defs", None)
    definitions["Work"] = work
    definitions["Proof"]["properties"]["work"] = {"$ref": "#/$defs/Work"}  # in the file it is no text
    return definitions
