"""The catalogue of fonts: shipped, the system's, and any folder added. Read lazily, kept between starts.

Only names, licence bits and a few flags are read; a font is opened for good when it is used. A file that
cannot be used stays in the list with the reason.
"""

from __future__ import annotations

import contextlib
import ctypes
import ctypes.util
import json
import os
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Any

from fontTools.ttLib import TTFont

from kilnchisel.core.job.wording import FileFace, LineFace, ShippedFace
from kilnchisel.core.lettering.faces import FONT_ENDINGS, LARGEST_FILE, licence_words, load_face
from kilnchisel.core.lettering.shipped import LINES, SHIPPED
from kilnchisel.core.paths import cache_folder

FALLBACK_FOLDERS = ("/usr/share/fonts", "/usr/local/share/fonts", "~/.local/share/fonts", "~/.fonts")
MOST_FILES = 50_000
BATCH = 40
RECIPE = 1  # raise it when an entry changes: kept ones are then read again


@dataclass(frozen=True)
class FontEntry:
    """One face of a font file. ``trouble``: why it cannot be used, empty when it can."""

    path: str
    number: int = 0
    family: str = ""
    style: str = ""
    licence: str = ""
    may_embed: bool = True
    variable: bool = False
    trouble: str = ""

    @property
    def title(self) -> str:
        name = self.family or Path(self.path).stem
        return name if self.style in ("", "Regular") else f"{name} {self.style}"

    @property
    def face(self) -> FileFace:
        """The job's reference to this face; its digest is found when it is opened."""
        return FileFace(path=self.path, family=self.title, number=self.number)


def system_font_files() -> list[Path]:
    """Font files that the system knows (fontconfig), or those of the usual folders without it."""
    files = _fontconfig_files()
    if files is None:
        return font_files(Path(folder).expanduser() for folder in FALLBACK_FOLDERS)
    return [path for path in files if path.suffix.lower() in FONT_ENDINGS]


def font_files(folders: Iterable[Path]) -> list[Path]:
    """Font files in folders and below, links not followed twice, sorted."""
    found: set[Path] = set()
    for folder in folders:
        for root, _, names in os.walk(folder):
            for name in names:
                if name.lower().endswith(FONT_ENDINGS):
                    found.add(Path(root) / name)
            if len(found) > MOST_FILES:
                break
    return sorted(found)


def _fontconfig_files() -> list[Path] | None:
    """What fontconfig lists, through its C library; None when that is not there."""
    name = ctypes.util.find_library("fontconfig")
    if name is None:
        return None
    try:
        lib = ctypes.CDLL(name)
    except OSError:
        return None
    pointer = ctypes.c_void_p
    lib.FcInitLoadConfigAndFonts.restype = pointer
    lib.FcPatternCreate.restype = pointer
    lib.FcObjectSetCreate.restype = pointer
    lib.FcFontList.restype = pointer
    lib.FcFontList.argtypes = [pointer, pointer, pointer]
    lib.FcObjectSetAdd.argtypes = [pointer, ctypes.c_char_p]
    lib.FcPatternGetString.argtypes = [
        pointer,
        ctypes.c_char_p,
        ctypes.c_int,
        ctypes.POINTER(ctypes.c_char_p),
    ]
    for free in ("FcPatternDestroy", "FcObjectSetDestroy", "FcFontSetDestroy", "FcConfigDestroy"):
        getattr(lib, free).argtypes = [pointer]

    class FontSet(ctypes.Structure):
        _fields_ = [("count", ctypes.c_int), ("room", ctypes.c_int), ("fonts", ctypes.POINTER(pointer))]

    config = lib.FcInitLoadConfigAndFonts()
    if not config:
        return None
    pattern, wanted = lib.FcPatternCreate(), lib.FcObjectSetCreate()
    lib.FcObjectSetAdd(wanted, b"file")
    found = lib.FcFontList(config, pattern, wanted)
    files: set[Path] = set()
    if found:
        fonts = ctypes.cast(found, ctypes.POINTER(FontSet)).contents
        for i in range(fonts.count):
            value = ctypes.c_char_p()
            if lib.FcPatternGetString(fonts.fonts[i], b"file", 0, ctypes.byref(value)) == 0 and value.value:
                files.add(Path(os.fsdecode(value.value)))
        lib.FcFontSetDestroy(found)
    lib.FcObjectSetDestroy(wanted)
    lib.FcPatternDestroy(pattern)
    lib.FcConfigDestroy(config)
    return sorted(files)


def read_entries(path: Path) -> list[FontEntry]:
    """The faces of a font file by their names alone; a file that cannot be used says why."""
    name = str(path)
    try:
        size = path.stat().st_size
        if size > LARGEST_FILE:
            return [FontEntry(name, trouble=f"{size / 2**20:.0f} MB is too large for a font file")]
        with path.open("rb") as file:
            head = file.read(12)
        count = int.from_bytes(head[8:12], "big") if head[:4] == b"ttcf" else 1
        if not 1 <= count <= 1000:
            return [FontEntry(name, trouble="it is not a whole collection")]
        return [_entry(name, number) for number in range(count)]
    except Exception as error:  # foreign data: any table may be wrong in any way
        return [FontEntry(name, trouble=_reason(error))]


def _entry(path: str, number: int) -> FontEntry:
    with TTFont(path, fontNumber=number, lazy=True) as tables:
        if "cmap" not in tables or not {"glyf", "CFF ", "CFF2"} & set(tables.keys()):
            return FontEntry(path, number, trouble="it holds no outlines")
        names = tables["name"]
        licence, may_embed = licence_words(tables.get("OS/2"))
        return FontEntry(
            path,
            number,
            names.getBestFamilyName() or Path(path).stem,
            names.getBestSubFamilyName() or "",
            licence,
            may_embed,
            "fvar" in tables,
        )


def _reason(error: Exception) -> str:
    return (str(error).strip() or type(error).__name__)[:120]


def listed(
    files: Iterable[Path], stop: Callable[[], bool] = lambda: False
) -> Iterator[tuple[list[FontEntry], float]]:
    """Entries of files in batches with the share done; kept ones come at once.

    What was read is kept in the cache folder, so that the next start reads changed files only.
    """
    kept = _kept()
    fresh: dict[str, Any] = {}
    wanted = list(files)
    batch: list[FontEntry] = []
    for done, path in enumerate(wanted, start=1):
        if stop():
            break
        key = _key(path)
        if key in kept:
            entries = [FontEntry(**entry) for entry in kept[key]]
        else:
            entries = read_entries(path)
        fresh[key] = [asdict(entry) for entry in entries]
        batch += entries
        if len(batch) >= BATCH:
            yield batch, done / len(wanted)
            batch = []
    if batch:
        yield batch, 1.0
    if set(fresh) - set(kept):
        _keep({**kept, **fresh})


def _key(path: Path) -> str:
    try:
        state = path.stat()
    except OSError:
        return f"{path}|gone"
    return f"{path}|{state.st_mtime_ns}|{state.st_size}"


def _kept() -> dict[str, Any]:
    try:
        document = json.loads((cache_folder() / "fonts.json").read_text())
        return dict(document["files"]) if document.get("recipe") == RECIPE else {}
    except (OSError, ValueError, KeyError, TypeError):
        return {}


def _keep(files: dict[str, Any]) -> None:
    path = cache_folder() / "fonts.json"
    part = path.with_suffix(f".{os.getpid()}.part")
    with contextlib.suppress(OSError):  # a full disk costs time at the next start, nothing else
        part.write_text(json.dumps({"recipe": RECIPE, "files": files}))
        part.replace(path)


@cache
def shipped_families() -> dict[str, ShippedFace]:
    """Lower-case family name -> shipped face, the first style of each."""
    families: dict[str, ShippedFace] = {}
    for name in SHIPPED:
        face = ShippedFace(name=name)
        loaded = load_face(face)
        families.setdefault(loaded.title.lower(), face)
        families.setdefault(loaded.family.lower(), face)
    return families


@cache
def face_of_family(family: str) -> FileFace | ShippedFace | None:
    """The face called by this name among shipped and system fonts, None when it is not here."""
    wanted = family.strip().lower()
    if not wanted:
        return None
    if wanted in shipped_families():
        return shipped_families()[wanted]
    for entries, _ in listed(system_font_files()):
        for entry in entries:
            if not entry.trouble and wanted in (entry.family.lower(), entry.title.lower()):
                return entry.face
    return None


def faces_with(characters: str) -> Iterator[ShippedFace | LineFace]:
    """Shipped faces that draw all of these characters."""
    for name in SHIPPED:
        face = ShippedFace(name=name)
        loaded = load_face(face)
        if all(loaded.has(c) for c in characters if not c.isspace()):
            yield face


def line_faces() -> list[tuple[LineFace, str, str]]:
    """The shipped faces of open strokes, their names and what they suit."""
    return [(LineFace(name=name), title, use) for name, (_, title, use) in LINES.items()]
