"""How a photo was packed as JPEG (ITU-T T.81), and something else packed the same: as soft, with the same
blocks."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import asset
from kilnchisel.core.photo.reading import FORMATS, LIMITS
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]
Packing = tuple[tuple[tuple[int, ...], ...], int]  # quantisation tables, how colour was thinned

BLOCK = 16  # pixels: of two blocks, where colour is thinned
COARSEST = 255


@remembered
def packing_of(digest: str, name: str = "") -> Packing | None:
    """The tables that a photo was packed with, None where it is no JPEG. Raises KilnError where it is
    lost."""
    shown = name or "The photo"
    found: Packing | None = gate.read(f"{__name__}:packing_in", shown, asset(digest, shown), limits=LIMITS)
    return found


def packing_in(data: bytes) -> Packing | None:
    """The same from a file's bytes."""
    from PIL import Image, JpegImagePlugin

    with Image.open(io.BytesIO(data), formats=FORMATS) as image:
        if not isinstance(image, JpegImagePlugin.JpegImageFile) or not image.quantization:
            return None
        tables = tuple(tuple(int(v) for v in image.quantization[n]) for n in sorted(image.quantization))
        thinned = int(JpegImagePlugin.get_sampling(image))
    return tables, thinned if thinned >= 0 else 0


def packed(pixels: Array, packing: Packing, amount: float) -> Array:
    """Pixels (h, w, 3) uint8 as they come out of such a file; ``amount``: how coarse, 1 as the tables say.
    Blocks begin at its corner."""
    from PIL import Image

    tables, thinned = packing
    scaled = [[int(min(max(round(v * amount), 1), COARSEST)) for v in table] for table in tables]
    if len(scaled) == 1:
        scaled *= 2
    kept = io.BytesIO()
    Image.fromarray(pixels).save(kept, "JPEG", qtables=scaled[:2], subsampling=thinned)
    return np.asarray(Image.open(io.BytesIO(kept.getvalue())).convert("RGB"))
