"""Light from OpenEXR files."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError

Array = NDArray[Any]

MOST_PIXELS = 140_000_000


def light_of_exr(data: bytes, name: str) -> Array:
    """The red, green and blue (h, w, 3) of an OpenEXR file, or its grey three times. Raises KilnError."""
    import OpenEXR

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), separate_channels=True) as file:
                refuse_too_large(*_window(file.header()), name)
                channels = {key: np.asarray(one.pixels) for key, one in file.channels().items()}
        except KilnError:
            raise
        except Exception as error:  # the library raises whatever it likes
            raise KilnError(f"{name} cannot be read as OpenEXR ({str(error)[:80]}).") from None
    names = [next((key for key in channels if key.rpartition(".")[2] == one), None) for one in "RGB"]
    if None in names:
        alone = next((key for key in channels if key.rpartition(".")[2] == "Y"), None)
        if alone is None:
            raise KilnError(
                f"{name} has no red, green and blue; it has {', '.join(channels) or 'nothing'}."
            )
        names = [alone] * 3
    return np.stack([np.asarray(channels[str(key)], dtype=np.float32) for key in names], axis=-1)


def _window(header: dict[str, Any]) -> tuple[int, int]:
    low, high = header["dataWindow"]
    return int(high[0]) - int(low[0]) + 1, int(high[1]) - int(low[1]) + 1


def refuse_too_large(width: int, height: int, name: str) -> None:
    """Raises KilnError for more pixels than can be read."""
    if width <= 0 or height <= 0 or width * height > MOST_PIXELS:
        raise KilnError(
            f"{name} is {width} x {height} pixels; at most {MOST_PIXELS // 10**6} million can be read."
        )
