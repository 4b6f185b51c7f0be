"""Faces: the shipped ones by name, and any font file opened from where it lies.

A face is loaded once a content and kept; a broken file raises KilnError with the reason. Collections,
variable fonts and compressed web fonts are opened like any other.
"""

from __future__ import annotations

import hashlib
import io
import logging
import threading
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

import uharfbuzz as hb
from fontTools.ttLib import TTFont, TTLibError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.fontplaces import LARGEST_FONT, remember_place
from kilnchisel.core.job.wording import Axis, Face, FileFace, LineFace
from kilnchisel.core.lettering.openpaths import OpenFont, read_open_font
from kilnchisel.core.lettering.shipped import LINES, SHIPPED
from kilnchisel.core.paths import RESOURCES

LARGEST_UNPACKED = 4 * LARGEST_FONT


# what the font reader finds odd is told where it matters, not on the terminal
logging.getLogger("fontTools").setLevel(logging.CRITICAL)


@dataclass(frozen=True)
class AxisRange:
    """An axis of a variable font: its tag, its name and its range, in the font's own units."""

    tag: str
    name: str
    least: float
    default: float
    most: float


@dataclass(eq=False)
class LoadedFace:
    """A font ready for shaping. Compared by identity; one instance a file content, number and axes."""

    path: Path
    sha256: str
    family: str
    style: str
    units_per_em: float
    cap_height: float  # font units, measured on the letter H where the face has one
    x_height: float  # font units, measured on the letter x; 0 where there is none
    may_embed: bool  # OS/2 fsType allows packing the file into a job
    licence: str  # what fsType says, in words
    blank_letters: frozenset[int]  # characters mapped to an empty glyph that should have ink
    features: frozenset[str]  # OpenType features that substitute glyphs
    axes: tuple[AxisRange, ...]
    count: int  # faces in the file
    number: int  # of this one among them
    settings: tuple[Axis, ...]
    font: hb.Font = field(repr=False)
    characters: frozenset[int] = field(repr=False)
    open_font: OpenFont | None = field(default=None, repr=False)
    lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    def __reduce__(self) -> tuple[Any, ...]:
        # in another process: read from its file there
        return _load_again, (self.path, self.number, self.settings)

    @property
    def title(self) -> str:
        return self.family if self.style in ("", "Regular") else f"{self.family} {self.style}"

    def has(self, character: str) -> bool:
        """Whether the face draws this character."""
        return ord(character) in self.characters and ord(character) not in self.blank_letters


def face_path(face: Face) -> Path:
    """The file of a face. Raises KilnError when it is not there."""
    if isinstance(face, FileFace):
        path = Path(face.path)
        if not path.is_absolute():
            named = face.family or path.name[:80]
            raise KilnError(
                f"The font {named} is not on this machine, and the job does not carry it; "
                "choose the face again, or open the font's file."
            )
        if not path.is_file():
            raise KilnError(
                f"The font file {path} is not there any more; choose the face again or put the file back."
            )
        return path
    shelf = {name: entry[0] for name, entry in (LINES if isinstance(face, LineFace) else SHIPPED).items()}
    if face.name not in shelf:
        raise KilnError(f"There is no shipped face called “{' '.join(face.name.split())[:60]}”.")
    return RESOURCES / "fonts" / shelf[face.name]


def load_face(face: Face) -> LoadedFace:
    """The loaded face. Raises KilnError naming the file and the reason when it is unusable."""
    number, axes = (face.number, face.axes) if isinstance(face, FileFace) else (0, ())
    return _load_again(face_path(face), number, axes)


def _load_again(path: Path, number: int, axes: tuple[Axis, ...]) -> LoadedFace:
    try:
        state = path.stat()
    except OSError as error:
        raise KilnError(f"The font file {path} cannot be read: {error.strerror}.") from None
    return _load(path, state.st_mtime_ns, state.st_size, number, axes)


def file_face(path: Path, number: int = 0) -> FileFace:
    """A job's reference to a font file, checked by opening it. Raises KilnError."""
    face = load_face(FileFace(path=str(path.resolve()), number=number))
    remember_place(face.sha256, path.resolve())
    return FileFace(path=str(path.resolve()), sha256=face.sha256, family=face.title, number=number)


@cache
def _load(path: Path, _mtime: int, size: int, number: int, axes: tuple[Axis, ...]) -> LoadedFace:
    if size > LARGEST_FONT:
        raise KilnError(f"{path.name} is {size / 2**20:.0f} MB; that is too large for a font file.")
    data = gate.bytes_of(path, LARGEST_FONT, "font file")
    if RESOURCES not in path.parents:  # those that come with the program are known to be whole
        gate.read(f"{__name__}:font_in", path.name, data, path.name, number, axes)
    return parsed_font(path, data, number, axes)


TRIED_GLYPHS, MOST_SEGMENTS = 400, 60_000


def font_in(data: bytes, name: str, number: int, axes: tuple[Axis, ...]) -> int:
    """A font tried out: all that is asked of one, on some of its letters. The number of its characters."""
    face = parsed_font(Path(name), data, number, axes)
    codes = sorted(face.characters)
    tried = [*map(ord, "HxO&"), *codes[:: max(len(codes) // TRIED_GLYPHS, 1)]]
    for done, code in enumerate(tried):
        gate.at(done / len(tried), f"letter {chr(code)}")
        glyph = face.font.get_nominal_glyph(code)
        if glyph and face.open_font is None:
            _refuse_endless(face, glyph, name)
    buffer = hb.Buffer()
    buffer.add_str("".join(map(chr, codes[:200])))
    buffer.guess_segment_properties()
    hb.shape(face.font, buffer, {})
    return len(codes)


def _refuse_endless(face: LoadedFace, glyph: int, name: str) -> None:
    count = [0]

    def more(*_: Any) -> None:
        count[0] += 1
        if count[0] == MOST_SEGMENTS:
            raise KilnError(
                f"{name} has letters of more than {MOST_SEGMENTS:,} pieces; it cannot set words."
            )

    funcs = hb.DrawFuncs()
    for kind in ("move_to", "line_to", "quadratic_to", "cubic_to"):
        getattr(funcs, f"set_{kind}_func")(more)
    funcs.set_close_path_func(lambda *_: None)
    face.font.draw_glyph(glyph, funcs, None)


def parsed_font(path: Path, data: bytes, number: int, axes: tuple[Axis, ...]) -> LoadedFace:
    """A font from its bytes, read here and now. Raises KilnError."""
    try:
        return _parsed(path, data, number, axes)
    except (KilnError, MemoryError, RecursionError):
        raise
    except Exception:  # a font is foreign data: any table may be wrong in any way
        raise KilnError(
            f"{path.name} is not a usable font file; it is damaged, or of another kind."
        ) from None


def _parsed(path: Path, data: bytes, number: int, axes: tuple[Axis, ...]) -> LoadedFace:
    digest = hashlib.sha256(data).hexdigest()
    open_font = read_open_font(data) if path.suffix.lower() == ".svg" else None
    plain = open_font.font_bytes if open_font else _uncompressed(path, data)
    count = int.from_bytes(plain[8:12], "big") if plain[:4] == b"ttcf" else 1
    if not 0 <= number < count:
        raise KilnError(f"{path.name} holds {count} faces; there is no number {number + 1}.")
    try:
        tables = TTFont(io.BytesIO(plain), fontNumber=number, lazy=True)
    except TTLibError:
        raise KilnError(f"{path.name} is not a font file, or damaged.") from None
    characters = tables.getBestCmap()
    if not characters:
        raise KilnError(f"{path.name} maps no characters to letters, so it cannot set words.")
    names = tables["name"]
    os2 = tables.get("OS/2")
    face = hb.Face(plain, number)
    font = hb.Font(face)
    if face.glyph_count == 0:
        raise KilnError(f"{path.name} holds no letters.")
    if axes:
        font.set_variations({axis.tag: axis.value for axis in axes})
    measure = _LineMeasure(open_font) if open_font else _InkMeasure(font)
    licence, may_embed = licence_words(os2)
    return LoadedFace(
        path=path,
        sha256=digest,
        family=names.getBestFamilyName() or path.stem,
        style=names.getBestSubFamilyName() or "",
        units_per_em=float(face.upem),
        cap_height=_cap_height(font, measure, characters, os2, face.upem),
        x_height=measure.top(font.get_nominal_glyph(ord("x"))) if ord("x") in characters else 0.0,
        may_embed=may_embed,
        licence=licence,
        blank_letters=frozenset() if open_font else _blank_letters(font, characters),
        features=_features(tables),
        axes=_axes(tables),
        count=count,
        number=number,
        settings=axes,
        font=font,
        characters=frozenset(characters),
        open_font=open_font,
    )


def _uncompressed(path: Path, data: bytes) -> bytes:
    """Font bytes as the shaper takes them: web fonts are unpacked."""
    if data[:4] not in (b"wOFF", b"wOF2"):
        return data
    if int.from_bytes(data[16:20], "big") > LARGEST_UNPACKED:
        raise KilnError(f"{path.name} would unpack to more than {LARGEST_UNPACKED // 2**20} MB.")
    try:
        tables = TTFont(io.BytesIO(data), lazy=False)
    except TTLibError:
        raise KilnError(f"{path.name} is not a font file, or damaged.") from None
    tables.flavor = None
    buffer = io.BytesIO()
    tables.save(buffer)
    return buffer.getvalue()


class _InkMeasure:
    """Heights of glyphs as the font draws them."""

    def __init__(self, font: hb.Font) -> None:
        self.font = font

    def top(self, glyph: int | None) -> float:
        """The upper end of a glyph, font units, 0 without ink."""
        extents = self.font.get_glyph_extents(glyph) if glyph else None
        return float(extents.y_bearing) if extents is not None and extents.height != 0 else 0.0


class _LineMeasure:
    """The same for a face of open strokes."""

    def __init__(self, open_font: OpenFont) -> None:
        self.open_font = open_font

    def top(self, glyph: int | None) -> float:
        """The upper end of a glyph's strokes, font units, 0 without any."""
        strokes = self.open_font.strokes(glyph) if glyph else ()
        return float(max((stroke[:, 1].max() for stroke in strokes), default=0.0))


def _cap_height(font: hb.Font, measure: Any, characters: dict[int, str], os2: object, upem: int) -> float:
    top = float(measure.top(font.get_nominal_glyph(ord("H")))) if ord("H") in characters else 0.0
    if top > 0:
        return top
    stated = getattr(os2, "sCapHeight", 0)
    return float(stated) if stated and stated > 0 else 0.7 * upem


def licence_words(os2: object) -> tuple[str, bool]:
    """What OS/2 fsType allows, in words, and whether the file may be packed into a job.

    OpenType specification, OS/2 fsType: bits 0 to 3 are exclusive, 0 is installable; bit 9 allows
    bitmaps only.
    """
    bits = int(getattr(os2, "fsType", 0))
    if bits & 0x0200:
        return "embedding as bitmaps only", False
    usage = bits & 0x000F
    if usage & 0x0008:
        return "may be embedded, also for editing", True
    if usage & 0x0004:
        return "may be embedded to view and print", True
    if usage & 0x0002:
        return "may not be embedded", False
    return "may be embedded", True


def _features(tables: TTFont) -> frozenset[str]:
    table = getattr(tables.get("GSUB"), "table", None)
    records = getattr(getattr(table, "FeatureList", None), "FeatureRecord", None) or ()
    return frozenset(record.FeatureTag for record in records)


def _axes(tables: TTFont) -> tuple[AxisRange, ...]:
    if "fvar" not in tables:
        return ()
    names = tables["name"]
    return tuple(
        AxisRange(
            axis.axisTag,
            names.getDebugName(axis.axisNameID) or axis.axisTag,
            axis.minValue,
            axis.defaultValue,
            axis.maxValue,
        )
        for axis in tables["fvar"].axes
    )


def _blank_letters(font: hb.Font, characters: dict[int, str]) -> frozenset[int]:
    """Letters that the character map promises and the face draws as nothing."""
    blank = set()
    for code in characters:
        if code > 0x2FFF or not chr(code).isalnum():
            continue
        glyph = font.get_nominal_glyph(code)
        extents = font.get_glyph_extents(glyph) if glyph else None
        if extents is None or (extents.width == 0 and extents.height == 0):
            blank.add(code)
    return frozenset(blank)
