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
import struct
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from types import SimpleNamespace
from typing import Any, BinaryIO

from fontTools.ttLib import TTFont

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.fontplaces import LARGEST_FONT, OUTLINE_FONT_ENDINGS
from kilnchisel.core.job.wording import FileFace, LineFace, ShippedFace
from kilnchisel.core.lettering.faces import licence_words, load_face
from kilnchisel.core.lettering.shipped import LINES, SHIPPED
from kilnchisel.core.paths import cache_folder
from kilnchisel.core.writing import write_whole

FALLBACK_FOLDERS = ("/usr/share/fonts", "/usr/local/share/fonts", "~/.local/share/fonts", "~/.fonts")
MOST_FILES = 50_000
BATCH = 40
LONGEST_TABLE = 2**20
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
    return [path for path in files if path.suffix.lower() in OUTLINE_FONT_ENDINGS]


def font_files(folders: Iterable[Path]) -> list[Path]:
    """Font files in folders and below, links not followed twice, sorted."""
    found: set[Path] = set()
    for folder in folders:
        for root, _, names in os.walk(folder):
            for name in names:
                if name.lower().endswith(OUTLINE_FONT_ENDINGS):
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
        if size > LARGEST_FONT:
            return [FontEntry(name, trouble=f"{size / 2**20:.0f} MB is too large for a font file")]
        with path.open("rb") as file:
            head = file.read(12)
            if head[:4] in (b"wOFF", b"wOF2"):
                return [_entry_of_web_font(name)]
            starts = _starts(file, head)
            return [_entry(file, name, number, start) for number, start in enumerate(starts)]
    except Exception as error:  # foreign data: any table may be wrong in any way
        return [FontEntry(name, trouble=_reason(error))]


def _starts(file: BinaryIO, head: bytes) -> list[int]:
    """Where the table directory of each face begins. Raises ValueError for no font."""
    if head[:4] == b"ttcf":
        count = int.from_bytes(head[8:12], "big")
        if not 1 <= count <= 1000:
            raise ValueError("it is not a whole collection")
        return list(struct.unpack(f">{count}L", file.read(4 * count)))
    if head[:4] not in (b"\0\1\0\0", b"OTTO", b"true"):
        raise ValueError("it is not a font file")
    return [0]


def _entry(file: BinaryIO, path: str, number: int, start: int) -> FontEntry:
    """A face by its table directory, name and OS/2 tables (OpenType specification)."""
    file.seek(start + 4)
    count = int.from_bytes(file.read(2), "big")
    file.seek(start + 12)
    directory = file.read(16 * count)
    if len(directory) < 16 * count:
        raise ValueError("it is cut short")
    tables = {
        directory[i : i + 4]: struct.unpack(">LL", directory[i + 8 : i + 16])
        for i in range(0, 16 * count, 16)
    }
    if b"cmap" not in tables or not {b"glyf", b"CFF ", b"CFF2"} & tables.keys():
        return FontEntry(path, number, trouble="it holds no outlines")
    file.seek(0, 2)
    if max(offset + length for offset, length in tables.values()) > file.tell():
        raise ValueError("it is cut short")
    names = _names(_table(file, tables, b"name"))
    os2 = _table(file, tables, b"OS/2")
    bits = SimpleNamespace(fsType=int.from_bytes(os2[8:10], "big")) if len(os2) >= 10 else None
    licence, may_embed = licence_words(bits)
    return FontEntry(
        path,
        number,
        names.get(16) or names.get(1) or Path(path).stem,
        names.get(17) or names.get(2) or "",
        licence,
        may_embed,
        b"fvar" in tables,
    )


def _table(file: BinaryIO, tables: dict[bytes, tuple[int, int]], tag: bytes) -> bytes:
    if tag not in tables:
        return b""
    offset, length = tables[tag]
    file.seek(offset)
    return file.read(min(length, LONGEST_TABLE))


def _names(table: bytes) -> dict[int, str]:
    """Family and style names (ids 1, 2, 16, 17), English ones first."""
    if len(table) < 6:
        return {}
    count, storage = struct.unpack(">HH", table[2:6])
    found: dict[int, tuple[int, str]] = {}
    for i in range(6, min(6 + 12 * count, len(table) - 11), 12):
        platform, _, language, name, length, offset = struct.unpack(">6H", table[i : i + 12])
        if name not in (1, 2, 16, 17):
            continue
        raw = table[storage + offset : storage + offset + length]
        rank = 2 if platform == 3 and language == 0x409 else 1 if platform in (0, 3) else 0
        if name not in found or rank > found[name][0]:
            encoding = "mac_roman" if platform == 1 else "utf_16_be"
            found[name] = (rank, raw.decode(encoding, errors="replace").strip("\0 "))
    return {name: words for name, (_, words) in found.items()}


def _entry_of_web_font(path: str) -> FontEntry:
    with TTFont(path, lazy=True) as tables:
        names = tables["name"]
        licence, may_embed = licence_words(tables.get("OS/2"))
        family = names.getBestFamilyName() or Path(path).stem
        style = names.getBestSubFamilyName() or ""
        return FontEntry(path, 0, family, style, licence, may_embed, "fvar" in tables)


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
    with contextlib.suppress(KilnError):  # a full disk costs time at the next start, nothing else
        write_whole(cache_folder() / "fonts.json", json.dumps({"recipe": RECIPE, "files": files}).encode())


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
