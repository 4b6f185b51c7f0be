"""The record of a photo (EXIF 2.32) as it goes on with a picture made from it: without where it was taken,
and without what tells one camera or person from another."""

from __future__ import annotations

import io

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import asset
from kilnchisel.core.job.photo import Photo
from kilnchisel.core.photo.reading import CAMERA, FORMATS, LIMITS

ORIENTATION, PLACE, SMALL_PICTURE = 0x0112, 0x8825, 1
# owner, camera's and lens's numbers, the picture's number, and what the maker wrote in a way of his own
PERSONAL = (0xA430, 0xA431, 0xA435, 0xA420, 0x927C)


def record_kept(photo: Photo, *, whole: bool = False) -> bytes:
    """The record for a picture made from a photo, empty where it has none; ``whole``: with place and
    numbers too. Raises KilnError where the photo is lost."""
    name = photo.name or "The photo"
    made: bytes = gate.read(f"{__name__}:kept_of", name, asset(photo.sha256, name), whole, limits=LIMITS)
    return made


def kept_of(data: bytes, whole: bool) -> bytes:  # noqa: FBT001 - called by name across processes
    """The record of a file as it is kept, as bytes of EXIF."""
    from PIL import Image

    try:
        record = Image.open(io.BytesIO(data), formats=FORMATS).getexif()
        if not len(record):
            return b""
        camera = record.get_ifd(CAMERA)
        place = record.get_ifd(PLACE)
        if not whole:
            for tag in PERSONAL:
                camera.pop(tag, None)
            place.clear()
            record.pop(PLACE, None)
        record.pop(ORIENTATION, None)  # the picture is upright
        record.get_ifd(SMALL_PICTURE).clear()
        return bytes(record.tobytes())
    except (KilnError, MemoryError):
        raise
    except Exception:  # a damaged record is none
        return b""
