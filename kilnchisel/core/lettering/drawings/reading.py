"""A drawing from the bytes of a file of any kind, or one sentence."""

from __future__ import annotations

import numpy as np

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.drawings.dxf import read_dxf
from kilnchisel.core.lettering.drawings.pdf import read_pdf
from kilnchisel.core.lettering.drawings.sheet import MOST_FAR, Drawing, TextOutline
from kilnchisel.core.lettering.drawings.svg import read_svg

READERS = {"svg": read_svg, "dxf": read_dxf, "pdf": read_pdf}


def read_drawing(data: bytes, form: str, name: str, page: int, text: TextOutline) -> Drawing:
    """The drawing of a file. Raises KilnError with what is wrong with it."""
    try:
        drawing = READERS[form](data, name or "The file", page, text)
    except (KilnError, MemoryError, RecursionError):
        raise
    except Exception:  # foreign data: any part of it may be wrong in any way
        raise KilnError(
            f"{name or 'The file'} could not be read as {form.upper()}; it is damaged, or of another kind."
        ) from None
    if not np.isfinite(drawing.bounds).all() or np.abs(drawing.bounds).max() > MOST_FAR:
        raise KilnError(f"{name or 'The file'} draws beyond all measure; a number in it is wrong.")
    if drawing.region.is_empty and not drawing.lines:
        more = f" {drawing.notes[0]}" if drawing.notes else ""
        raise KilnError(f"{name or 'The file'} draws nothing that can be used.{more}")
    return drawing
