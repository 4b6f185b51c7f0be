"""Photographs from files: read in the reading process, turned as their camera held them, in sRGB.

A file is kept as it came; what is worked with is a smaller copy, and the whole is read again for the
result.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.intake.exr import light_of_exr
from kilnchisel.core.intake.pixels import as_srgb
from kilnchisel.core.job.assets import LARGEST, asset, keep_asset
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

PHOTO_ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".heic", ".heif", ".exr")
FORMATS = ("JPEG", "PNG", "TIFF", "WEBP", "HEIF")
MOST_PIXELS, LEAST_SIDE, LONGEST_SIDE = 100_000_000, 16, 65_535
WORKED_AT = 2048  # pixels of the longer side of the copy that is worked with
LIMITS = gate.Limits(90.0, 4000 * gate.MB)
LENS_35MM, LENS_MM, CAMERA = 0xA405, 0x920A, 0x8769  # tags of EXIF 2.32
LEAST_LENS_MM, MOST_LENS_MM = 4.0, 2000.0


@dataclass(frozen=True)
class Taken:
    """A photo taken in: its file's digest and name, its size upright, and the lens of its record on a frame
    36 mm wide, None where it has none."""

    sha256: str
    name: str
    size: tuple[int, int]
    lens_mm: float | None


def photo_taken(path: Path) -> Taken:
    """A photograph from a file, taken into the job. Raises KilnError."""
    if path.suffix.lower() not in PHOTO_ENDINGS:
        kinds = ", ".join(PHOTO_ENDINGS)
        raise KilnError(f"“{path.name}” is no photograph that can be read; those are {kinds}.")
    data = gate.bytes_of(path, LARGEST, "photo")
    size, lens_mm = gate.read(f"{__name__}:record_of", path.name, data, path.name, limits=LIMITS)
    return Taken(keep_asset(data, path.name), path.name[:200], size, lens_mm)


def record_of(data: bytes, name: str) -> tuple[tuple[int, int], float | None]:
    """The size of a photo, upright, and the lens of its record. Reads all of it, so that one that is cut
    short is refused at once. Raises KilnError."""
    pixels, lens_mm = _read(data, name)
    return (pixels.shape[1], pixels.shape[0]), lens_mm


@remembered
def photo_pixels(digest: str, name: str = "") -> Array:
    """The photo at the size it is worked at, (h, w, 3) uint8 sRGB. Raises KilnError where it is lost."""
    return _pixels(digest, name, WORKED_AT)


def whole_pixels(digest: str, name: str = "") -> Array:
    """All pixels of a photo, (h, w, 3) uint8 sRGB. Raises KilnError where it is lost."""
    return _pixels(digest, name, 0)


def _pixels(digest: str, name: str, longest: int) -> Array:
    shown = name or "The photo"
    data = asset(digest, shown)
    read = gate.read(f"{__name__}:pixels_in", shown, data, shown, longest, limits=LIMITS)
    assert isinstance(read, np.ndarray)
    return read


def pixels_in(data: bytes, name: str, longest: int) -> Array:
    """The pixels of a photo, (h, w, 3) uint8 sRGB; ``longest``: of its longer side, 0 for all of them."""
    pixels, _ = _read(data, name)
    if longest and max(pixels.shape[:2]) > longest:
        import cv2

        scale = longest / max(pixels.shape[:2])
        size = max(round(pixels.shape[1] * scale), 1), max(round(pixels.shape[0] * scale), 1)
        pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(pixels)


def _read(data: bytes, name: str) -> tuple[Array, float | None]:
    if data[:4] == b"\x76\x2f\x31\x01":
        return _of_exr(data, name), None
    from PIL import Image, ImageOps

    try:
        import pillow_heif

        pillow_heif.register_heif_opener(decode_threads=1)
        picture = Image.open(io.BytesIO(data), formats=FORMATS)
        _refuse_size(picture.width, picture.height, name)
        gate.at(None, "reading the photo")
        picture.load()  # of an animated one, the first picture
        lens_mm = _lens_mm(picture)
        upright = ImageOps.exif_transpose(picture) or picture
        return _srgb(upright), lens_mm
    except (KilnError, MemoryError):
        raise
    except Exception:  # foreign data: what a reader raises is its own affair
        raise KilnError(
            f"{name} is not a photo that can be read; it is damaged, cut short, or of another kind."
        ) from None


def _refuse_size(width: int, height: int, name: str) -> None:
    if width * height > MOST_PIXELS:
        raise KilnError(
            f"{name} has {width} × {height} pixels; at most {MOST_PIXELS // 10**6} million can be taken "
            "in. Save a smaller copy."
        )
    if max(width, height) > LONGEST_SIDE:
        raise KilnError(f"{name} has {width} × {height} pixels; each way it takes {LONGEST_SIDE} at most.")
    if min(width, height) < LEAST_SIDE:
        raise KilnError(f"{name} has {width} × {height} pixels; each way it takes {LEAST_SIDE} at least.")


def _of_exr(data: bytes, name: str) -> Array:
    light = light_of_exr(data, name)
    _refuse_size(light.shape[1], light.shape[0], name)
    return np.asarray(np.rint(srgb_encode(np.nan_to_num(light, posinf=1.0)) * 255).astype(np.uint8))


def _lens_mm(picture: Any) -> float | None:
    """The lens of a record on a frame 36 mm wide; None where it does not say."""
    try:
        record = picture.getexif().get_ifd(CAMERA)
        value = float(record.get(LENS_35MM) or 0)
    except Exception:  # a damaged record says nothing
        return None
    return value if LEAST_LENS_MM <= value <= MOST_LENS_MM else None


def _srgb(picture: Any) -> Array:
    """A picture of any kind as (h, w, 3) uint8 sRGB; what is transparent lies on white."""
    from PIL import Image

    picture = as_srgb(picture)
    if picture.mode in ("LA", "RGBA"):
        picture = picture.convert("RGBA")
        picture = Image.alpha_composite(Image.new("RGBA", picture.size, (255,) * 4), picture)
    return np.asarray(picture.convert("RGB"))
