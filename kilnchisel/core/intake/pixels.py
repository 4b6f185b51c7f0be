"""Pixels of any picture as 8 bits of sRGB: deep ones, palettes, inks of a press, colours by a profile."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from PIL import Image

DEEP_MODES = ("I;16", "I;16B", "I;16L", "I;16N", "I", "F")
BYTES, WORDS = 255.0, 65535.0  # the white of eight and of sixteen bits


def as_srgb(picture: Image.Image) -> Image.Image:
    """A picture in L, LA, RGB or RGBA, by its profile in sRGB where it has one that can be used. Raises
    ValueError for colours that cannot be converted."""
    if picture.mode in DEEP_MODES:
        values = np.asarray(picture, dtype=np.float64)
        most = float(np.nan_to_num(values).max(initial=0.0))
        white = 1.0 if picture.mode == "F" and most <= 1.0 else BYTES if most <= BYTES else WORDS
        levels = np.rint(np.clip(np.nan_to_num(values) / white, 0, 1) * BYTES)
        return Image.fromarray(levels.astype(np.uint8))
    profile = picture.info.get("icc_profile")
    if "transparency" in picture.info or picture.mode in ("PA", "La", "RGBa"):
        picture = picture.convert("RGBA")
    elif picture.mode == "P":
        picture = picture.convert("RGB")
    elif picture.mode == "1":
        picture = picture.convert("L")
    if profile and picture.mode in ("RGB", "RGBA", "CMYK", "L"):
        picture = _by_its_profile(picture, profile)
    return picture if picture.mode in ("L", "LA", "RGB", "RGBA") else picture.convert("RGB")


def _by_its_profile(picture: Image.Image, profile: bytes) -> Image.Image:
    """A picture by its own profile in sRGB; as it is where that cannot be used."""
    from PIL import ImageCms

    alpha = picture.getchannel("A") if picture.mode == "RGBA" else None
    plain = picture.convert("RGB") if alpha is not None else picture
    try:
        own = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        if "sRGB" in ImageCms.getProfileDescription(own):
            return picture
        made: Any = ImageCms.profileToProfile(plain, own, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError, ValueError):
        return picture
    if alpha is not None:
        made.putalpha(alpha)
    assert isinstance(made, Image.Image)
    return made
