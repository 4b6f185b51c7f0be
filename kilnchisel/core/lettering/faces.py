"""Faces: the shipped ones by name, and any font file opened from where it lies.

A face is loaded once a content and kept; a broken file raises KilnError with the reason.
"""

from __future__ import annotations

import hashlib
import io
import threading
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import uharfbuzz as hb
from fontTools.ttLib import TTFont, TTLibError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.lettering import FileFace, ShippedFace
from kilnchisel.core.paths import RESOURCES

FONT_ENDINGS = (".ttf", ".otf", ".ttc", ".otc")
LARGEST_FILE = 64 * 2**20

# Catalogue name -> (file below resources/fonts, what it suits)
SHIPPED: dict[str, tuple[str, str]] = {
    "cinzel-bold": ("cinzel/Cinzel-Bold.ttf", "inscriptions"),
    "cinzel": ("cinzel/Cinzel-Regular.ttf", "inscriptions"),
    "eb-garamond": ("eb-garamond/EBGaramond12-Regular.otf", "engraving, labels"),
    "league-spartan-bold": ("league-spartan/LeagueSpartan-Bold.otf", "signs"),
    "league-spartan": ("league-spartan/LeagueSpartan-Regular.otf", "signs"),
    "quicksand-bold": ("quicksand/Quicksand-Bold.ttf", "soft signs"),
    "routed-gothic": ("routed-gothic/routed-gothic.ttf", "plates, engraving by one cutter"),
    "national-park": ("national-park/NationalPark-Heavy.otf", "trail signs"),
    "roadgeek": ("roadgeek/RG2014D.ttf", "road signs"),
    "bebas-neue": ("bebas-neue/BebasNeue-Bold.otf", "tall capitals"),
    "big-shoulders": ("big-shoulders-display/BigShouldersDisplay-Bold.ttf", "tall capitals"),
    "saira-stencil": ("saira-stencil-one/SairaStencilOne-Regular.ttf", "stencils"),
    "roboto-slab": ("roboto-slab/RobotoSlab-Bold.otf", "slab serif"),
    "courier-prime": ("courier-prime/CourierPrimeBold.otf", "typewritten"),
    "special-elite": ("special-elite/SpecialElite-Regular.ttf", "worn typewriter"),
    "pacifico": ("pacifico/Pacifico-Regular.ttf", "brush script"),
    "kaushan-script": ("kaushan-script/KaushanScript-Regular.otf", "brush script"),
    "great-vibes": ("great-vibes/GreatVibes-Regular.ttf", "formal script"),
    "pinyon-script": ("pinyon-script/PinyonScript-Regular.ttf", "formal script"),
    "unifraktur": ("unifraktur-maguntia/UnifrakturMaguntia.ttf", "blackletter"),
    "amiri-bold": ("amiri/Amiri-Bold.ttf", "Arabic"),
    "frank-ruhl": ("frank-ruhl-libre/FrankRuhlLibre-Bold.ttf", "Hebrew"),
    "biz-gothic": ("biz-udpgothic-subset/BIZUDPGothic-Bold-subset.ttf", "Japanese"),
}


@dataclass(eq=False)
class LoadedFace:
    """A font ready for shaping. Compared by identity; one instance a file content."""

    path: Path
    sha256: str
    family: str
    style: str
    units_per_em: float
    cap_height: float  # font units, measured on the letter H where the face has one
    may_embed: bool  # OS/2 fsType allows packing the file into a job
    blank_letters: frozenset[int]  # characters mapped to an empty glyph that should have ink
    font: hb.Font = field(repr=False)
    characters: frozenset[int] = field(repr=False)
    lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    @property
    def title(self) -> str:
        return self.family if self.style in ("", "Regular") else f"{self.family} {self.style}"


def face_path(face: ShippedFace | FileFace) -> Path:
    """The file of a face. Raises KilnError when it is not there."""
    if isinstance(face, FileFace):
        path = Path(face.path).expanduser()
        if not path.is_file():
            raise KilnError(
                f"The font file {path} is not there any more; choose the face again or put the file back."
            )
        return path
    if face.name not in SHIPPED:
        raise KilnError(f"There is no shipped face called “{face.name}”.")
    return RESOURCES / "fonts" / SHIPPED[face.name][0]


def load_face(face: ShippedFace | FileFace) -> LoadedFace:
    """The loaded face. Raises KilnError naming the file and the reason when it is unusable."""
    path = face_path(face)
    try:
        state = path.stat()
    except OSError as error:
        raise KilnError(f"The font file {path} cannot be read: {error.strerror}.") from None
    return _load(path, state.st_mtime_ns, state.st_size)


def file_face(path: Path) -> FileFace:
    """A job's reference to a font file, checked by opening it. Raises KilnError."""
    face = load_face(FileFace(path=str(path.resolve())))
    return FileFace(path=str(path.resolve()), sha256=face.sha256, family=face.title)


@cache
def _load(path: Path, _mtime: int, size: int) -> LoadedFace:
    if size > LARGEST_FILE:
        raise KilnError(f"{path.name} is {size / 2**20:.0f} MB; that is too large for a font file.")
    try:
        data = path.read_bytes()
    except OSError as error:
        raise KilnError(f"The font file {path} cannot be read: {error.strerror}.") from None
    try:
        return _parsed(path, data)
    except KilnError:
        raise
    except Exception as error:  # a font is foreign data: any table may be wrong in any way
        reason = str(error).strip() or type(error).__name__
        raise KilnError(f"{path.name} is not a usable font file: {reason}.") from None


def _parsed(path: Path, data: bytes) -> LoadedFace:
    try:
        tables = TTFont(io.BytesIO(data), fontNumber=0, lazy=True)
    except TTLibError as error:
        raise KilnError(f"{path.name} is not a font file: {error}.") from None
    characters = tables.getBestCmap()
    if not characters:
        raise KilnError(f"{path.name} maps no characters to letters, so it cannot set words.")
    names = tables["name"]
    family = names.getBestFamilyName() or path.stem
    style = names.getBestSubFamilyName() or ""
    os2 = tables.get("OS/2")
    face = hb.Face(data)
    font = hb.Font(face)
    if face.glyph_count == 0:
        raise KilnError(f"{path.name} holds no letters.")
    cap = _cap_height(font, characters, os2, face.upem)
    return LoadedFace(
        path=path,
        sha256=hashlib.sha256(data).hexdigest(),
        family=family,
        style=style,
        units_per_em=float(face.upem),
        cap_height=cap,
        may_embed=_may_embed(os2),
        blank_letters=_blank_letters(font, characters),
        font=font,
        characters=frozenset(characters),
    )


def _cap_height(font: hb.Font, characters: dict[int, str], os2: object, upem: int) -> float:
    glyph = font.get_nominal_glyph(ord("H")) if ord("H") in characters else None
    extents = font.get_glyph_extents(glyph) if glyph else None
    if extents is not None and extents.height != 0:
        return float(extents.y_bearing)
    stated = getattr(os2, "sCapHeight", 0)
    return float(stated) if stated and stated > 0 else 0.7 * upem


def _may_embed(os2: object) -> bool:
    # OpenType OS/2 fsType: bit 1 alone is "restricted licence"; bit 9 is "bitmap embedding only".
    bits = int(getattr(os2, "fsType", 0))
    return not (bits & 0x000F == 0x0002 or bits & 0x0200)


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
