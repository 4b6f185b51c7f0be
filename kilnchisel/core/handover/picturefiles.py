"""Pictures as files: PNG, JPEG, WebP, TIFF for eyes, OpenEXR for whoever works on."""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.colour import P3_FROM_RGB, picture_curve, srgb_decode, srgb_encode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.profiles import profile
from kilnchisel.core.picture.refined import Light, Refined, Wish
from kilnchisel.core.units import MM_PER_INCH

Array = NDArray[Any]
Profile = Literal["sRGB", "Display P3"]

DEEP = (".png", ".tif", ".tiff")  # endings that hold 16 bits
CLEAR = (".png", ".webp", ".tif", ".tiff", ".exr")  # those that hold what is transparent
QUALITY = 93


@dataclass(frozen=True)
class FileOrder:
    """How a picture is written. ``about``: its title; ``dpi``: pixels an inch in print; ``record``: EXIF of
    the photo that it was made from, for JPEG and WebP."""

    bits: Literal[8, 16] = 8
    profile: Profile = "sRGB"
    transparent: bool = False
    dpi: float | None = None
    about: str = ""
    record: bytes = b""


def checked_file(path: Path, order: FileOrder, *, draft: bool) -> None:
    """Raises KilnError where a file of this ending cannot be what is wanted."""
    ending = path.suffix.lower()
    if ending not in WRITERS:
        raise KilnError(f"“{path.name}” should end in {', '.join(sorted(WRITERS))}.")
    if order.bits == 16 and ending not in DEEP:
        raise KilnError(f"Only PNG and TIFF hold 16 bits; {ending} does not.")
    if order.transparent and ending not in CLEAR:
        raise KilnError(f"A {ending} cannot be transparent; take PNG, WebP, TIFF or EXR.")
    if draft and (order.bits == 16 or order.transparent or ending == ".exr"):
        raise KilnError(
            "16 bits, a transparent background and EXR come from the mockup, not from the draft."
        )


def wish_for(path: Path, order: FileOrder) -> Wish | None:
    """What a file needs of a picture besides its pixels: its light, and in an EXR what is known of them."""
    ending = path.suffix.lower()
    if order.bits == 16 or order.transparent or ending == ".exr":
        return Wish(order.transparent, layers=ending == ".exr")
    return None


def file_bytes(picture: Refined, path: Path, order: FileOrder) -> bytes:
    """The bytes of a picture in the format of a path's ending. Raises KilnError."""
    checked_file(path, order, draft=False)
    return WRITERS[path.suffix.lower()](picture, order)


def shown_values(picture: Refined, order: FileOrder) -> Array:
    """What a screen shows, (h, w, 3 or 4) uint8 or uint16; transparent ones with straight alpha.

    In a file for eyes what is behind is mixed in as it is shown and not as light. A part that the piece
    hides by c and that lies in a shadow of s gets alpha = c + (1 - c) (1 - encode(1 - s)), encode being the
    curve of sRGB; what only adds (a glow) makes its own alpha where it is brighter than that.
    """
    if picture.light is None and order.profile == "sRGB":
        return picture.pixels  # as they are, not once there and back
    if picture.light is None:
        linear, alpha = srgb_decode(picture.pixels / 255), None
    elif not order.transparent:
        linear, alpha = picture_curve(picture.light.light), None
    else:
        linear, alpha = _straight(picture.light)
    if order.profile == "Display P3":
        linear = np.clip(linear @ P3_FROM_RGB.T, 0, 1)
    values = srgb_encode(linear)
    if alpha is not None:
        values = np.concatenate([values, alpha[..., None]], axis=2)
    most = 255 if order.bits == 8 else 65535
    kind = np.uint8 if order.bits == 8 else np.uint16
    return np.asarray(np.rint(np.clip(values, 0, 1) * most).astype(kind))


def _straight(light: Light) -> tuple[Array, Array]:
    """Display-linear colour (h, w, 3), not multiplied by alpha, and alpha (h, w) for what is shown."""
    cover = light.cover[..., None]
    alpha = light.cover + (1 - light.cover) * (1 - srgb_encode(1 - light.shade))
    # the edge of a piece is as bright as the piece
    whole = picture_curve(light.light / np.maximum(cover, 1e-3))
    adds = picture_curve(light.light)
    shown = np.where(cover > 1e-3, whole * cover, adds)  # times alpha, as it lies over black
    alpha = np.maximum(alpha, srgb_encode(adds).max(axis=2) * (light.cover <= 1e-3))
    colour = np.clip(shown / np.maximum(alpha[..., None], 1e-6), 0, 1)
    return np.where(alpha[..., None] > 1e-6, colour, 0.0), alpha


def _png(picture: Refined, order: FileOrder) -> bytes:
    """PNG (ISO/IEC 15948), written here because the libraries at hand know 16 bits of grey only."""
    values = shown_values(picture, order)
    height, width, channels = values.shape
    rows = values.astype(">u2" if order.bits == 16 else "u1").reshape(height, -1).view(np.uint8)
    # each row as its difference from the one before (filter 2, up): smooth pictures pack better
    before = np.vstack([np.zeros_like(rows[:1]), rows[:-1]])
    filtered = np.concatenate([np.full((height, 1), 2, np.uint8), rows - before], axis=1)
    parts = [
        _chunk(
            b"IHDR", struct.pack(">IIBBBBB", width, height, order.bits, 2 + 4 * (channels == 4), 0, 0, 0)
        )
    ]
    name = order.profile.encode("latin1")
    parts.append(_chunk(b"iCCP", name + b"\0\0" + zlib.compress(profile(order.profile))))
    if order.dpi:
        parts.append(_chunk(b"pHYs", struct.pack(">IIB", *[round(order.dpi / MM_PER_INCH * 1000)] * 2, 1)))
    if order.about:
        parts.append(_chunk(b"iTXt", b"Title\0\0\0\0\0" + order.about.encode()))
    parts += [_chunk(b"IDAT", zlib.compress(filtered.tobytes(), 6)), _chunk(b"IEND", b"")]
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)


def _chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


def _jpeg(picture: Refined, order: FileOrder) -> bytes:
    return _by_pillow(picture, order, "JPEG", quality=QUALITY, subsampling=0, optimize=True)


def _webp(picture: Refined, order: FileOrder) -> bytes:
    return _by_pillow(picture, order, "WEBP", quality=QUALITY, exact=False)


def _by_pillow(picture: Refined, order: FileOrder, kind: str, **how: Any) -> bytes:
    buffer = io.BytesIO()
    if order.dpi and kind == "JPEG":
        how["dpi"] = (order.dpi, order.dpi)
    if order.record:
        how["exif"] = order.record
    image = Image.fromarray(shown_values(picture, order))
    image.save(buffer, kind, icc_profile=profile(order.profile), **how)
    return buffer.getvalue()


def _tiff(picture: Refined, order: FileOrder) -> bytes:
    import tifffile

    values = shown_values(picture, order)
    how: dict[str, Any] = {"extrasamples": ["unassalpha"]} if values.shape[2] == 4 else {}
    if order.dpi:
        how |= {"resolution": (order.dpi, order.dpi), "resolutionunit": "INCH"}
    buffer = io.BytesIO()
    tifffile.imwrite(
        buffer,
        values,
        photometric="rgb",
        compression="zlib",
        predictor=True,
        iccprofile=profile(order.profile),
        description=order.about.encode("ascii", "replace").decode() or None,
        metadata=None,
        **how,
    )
    return buffer.getvalue()


def _exr(picture: Refined, order: FileOrder) -> bytes:
    """OpenEXR, 32-bit float, scene-linear light of sRGB primaries, exposed (1 is white), premultiplied; its
    layers are named albedo, normal, depth (Z, mm) and mask."""
    light = picture.light
    if light is None:
        raise KilnError("EXR comes from the mockup, not from the draft.")
    channels: dict[str, Any] = {
        name: np.ascontiguousarray(light.light[..., number], np.float32)
        for number, name in enumerate("RGB")
    }
    if order.transparent:
        channels["A"] = np.ascontiguousarray(light.alpha, np.float32)
    for name, values in light.layers.items():
        letters = {"normal": "XYZ", "depth": "Z"}.get(name, "RGB" if values.shape[2] == 3 else "Y")
        for number, letter in enumerate(letters):
            channels[f"{name}.{letter}"] = np.ascontiguousarray(values[..., number], np.float32)
    return exr_bytes(channels, order.about)


def exr_bytes(channels: dict[str, Array], about: str = "") -> bytes:
    """OpenEXR of named channels (h, w), float32 or float16."""
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    if about:
        header["comments"] = about
    # the library writes to a path only
    with tempfile.TemporaryDirectory(prefix="kilnchisel-") as folder:
        path = Path(folder) / "picture.exr"
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


WRITERS: dict[str, Callable[[Refined, FileOrder], bytes]] = {
    ".png": _png,
    ".jpg": _jpeg,
    ".jpeg": _jpeg,
    ".webp": _webp,
    ".tif": _tiff,
    ".tiff": _tiff,
    ".exr": _exr,
}
