"""Places of one's own: an all-round picture from a file, OpenEXR or Radiance HDR, taken into the job.

It is kept as small as it is needed: 1024 x 512 in half precision, an OpenEXR file like the one it came
from.
"""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.intake.exr import light_of_exr, refuse_too_large
from kilnchisel.core.job.assets import asset, keep_asset
from kilnchisel.core.job.setting import PLACE_ENDINGS, OwnPlace

Array = NDArray[Any]

WIDE, HIGH = 1024, 512
LARGEST = 512 * 2**20
LOPSIDED = 0.02  # how far from twice as wide as tall it may be
LIMITS = gate.Limits(60.0, 5000 * gate.MB)
# what the name of such a place begins with among the rooms, then its digest; the second, of one whose light
# stays as it is
NAMED, EXPOSED = "own ", "own exposed "


def own_place(path: Path) -> OwnPlace:
    """A file taken in as a place. Raises KilnError."""
    if path.suffix.lower() not in PLACE_ENDINGS:
        kinds = ", ".join(PLACE_ENDINGS)
        raise KilnError(f"{path.name} is no all-round picture of full range; those are {kinds}.")
    data = gate.bytes_of(path, LARGEST, "all-round picture")
    small: bytes = gate.read(f"{__name__}:place_in", path.name, data, path.name, limits=LIMITS)
    return OwnPlace(name=path.name[:120], sha256=keep_asset(small, path.name))


def place_in(data: bytes, name: str) -> bytes:
    """The bytes of an all-round picture as they are kept. Raises KilnError."""
    picture = radiance_of(data, name)
    height, width = picture.shape[:2]
    if abs(width / (2 * height) - 1) > LOPSIDED:
        raise KilnError(
            f"{name} is {width} x {height} pixels; an all-round picture is twice as wide as it is tall."
        )
    if not np.isfinite(picture).any() or np.nanmax(picture) <= 0:
        raise KilnError(f"{name} is black all over; there is no light in it.")
    whole = np.nan_to_num(np.maximum(picture, 0), nan=0.0, posinf=65_000.0)
    gate.at(0.7, "making it smaller")
    small = np.stack([_smaller(whole[..., k]) for k in range(3)], axis=-1)
    return exr_of(np.minimum(small, 65_000).astype(np.float16))


def _smaller(channel: Array) -> Array:
    return np.asarray(
        Image.fromarray(channel.astype(np.float32)).resize((WIDE, HIGH), Image.Resampling.BOX)
    )


def picture_of(digest: str) -> Array:
    """The picture (512, 1024, 3) of a place that was taken in. Raises KilnError where it is lost."""
    named = "The picture of the place"
    return light_of_exr(asset(digest, named), named).astype(np.float32)


def radiance_of(data: bytes, name: str) -> Array:
    """The linear light (h, w, 3) of an OpenEXR or Radiance file. Raises KilnError."""
    if data[:4] == b"\x76\x2f\x31\x01":
        return light_of_exr(data, name)
    if data[:2] == b"#?":
        return _radiance(data, name)
    raise KilnError(f"{name} is neither an OpenEXR nor a Radiance file.")


def exr_of(picture: Array) -> bytes:
    """An all-round picture (h, w, 3) float16 as an OpenEXR file."""
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "place.exr"
        channels = {name: np.ascontiguousarray(picture[..., k]) for k, name in enumerate("RGB")}
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


def _radiance(data: bytes, name: str) -> Array:
    """A Radiance picture: rows of red, green, blue and a common exponent, most of them run-length coded
    channel by channel (Ward, "Real Pixels", Graphics Gems II, 1991)."""
    found = re.search(rb"\n\n-Y (\d+) \+X (\d+)\n", data[:8192])
    if found is None:
        raise KilnError(f"{name} lies in another way than from above to below and left to right.")
    height, width = int(found.group(1)), int(found.group(2))
    refuse_too_large(width, height, name)
    if b"FORMAT=32-bit_rle_xyze" in data[: found.start()]:
        raise KilnError(f"{name} is in XYZ; only red, green and blue can be read.")
    at = found.end()
    rows = np.zeros((height, width, 4), dtype=np.uint8)
    for number in range(height):
        if data[at : at + 4] == bytes((2, 2, width >> 8, width & 255)) and 8 <= width < 32_768:
            at = _coded_row(data, at + 4, rows[number], name)
        else:  # a flat file has all its pixels one after another
            flat = np.frombuffer(data, np.uint8, offset=at)
            if len(flat) < (height - number) * width * 4:
                raise KilnError(f"{name} is cut short.")
            rows[number:] = flat[: (height - number) * width * 4].reshape(-1, width, 4)
            break
    # the mean of the step that a number stands for, and 0 where there is no exponent
    scale = np.where(rows[..., 3:] > 0, np.ldexp(1.0, rows[..., 3:].astype(int) - 136), 0.0)
    return np.asarray(((rows[..., :3] + 0.5) * scale).astype(np.float32))


def _coded_row(data: bytes, at: int, row: Array, name: str) -> int:
    """One coded row (w, 4) read from ``at``; where the next one begins."""
    width = len(row)
    for channel in range(4):
        column = 0
        while column < width:
            if at + 1 >= len(data):
                raise KilnError(f"{name} is cut short.")
            count = data[at]
            run = count > 128
            length = count - 128 if run else count
            if length == 0 or column + length > width or at + 1 + (1 if run else length) > len(data):
                raise KilnError(f"{name} is damaged.")
            if run:
                row[column : column + length, channel] = data[at + 1]
            else:
                row[column : column + length, channel] = np.frombuffer(data, np.uint8, length, at + 1)
            at += 2 if run else 1 + length
            column += length
    return at
