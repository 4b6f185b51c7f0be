"""Words that a PDF sets with a font of its own, as the outlines of their letters.

The library gives the outline of a letter by its character. Where that is another one than the page shows (a
ligature, an alternate, a font without names for its letters), the ink of both differs, and the words are
left out rather than drawn wrong.
"""

from __future__ import annotations

import ctypes
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.drawings.pdfpath import runs_of
from kilnchisel.core.lettering.drawings.sheet import filled, moved, together
from kilnchisel.core.lettering.polygons import weld

Array = NDArray[Any]

ALIKE = 0.04  # of their ink, by which both may differ
LOOKED_AT_PX = 48.0  # of a letter's size, where its ink is weighed
MOST_PX = 6000.0  # of words that are weighed
INVISIBLE = 3  # ISO 32000-1, table 106


class PageWords:
    """The letters of a page, by the objects that they belong to."""

    def __init__(self, document: Any, leaf: Any, upright: Array) -> None:
        """``upright`` (2, 3): what turns the page as it is shown."""
        import pypdfium2.raw as raw

        self._document, self._leaf = document, leaf
        self._letters: dict[int, list[tuple[int, Array]]] = {}
        self._text = raw.FPDFText_LoadPage(leaf.raw)
        for number in range(max(raw.FPDFText_CountChars(self._text), 0)):
            item = raw.FPDFText_GetTextObject(self._text, number)
            x, y = ctypes.c_double(), ctypes.c_double()
            if item and raw.FPDFText_GetCharOrigin(self._text, number, x, y):
                at = moved(np.array([[x.value, y.value]]), upright)[0]
                code = int(raw.FPDFText_GetUnicode(self._text, number))
                self._letters.setdefault(_address(item), []).append((code, at))

    def close(self) -> None:
        """Give back what the library holds for it."""
        import pypdfium2.raw as raw

        raw.FPDFText_ClosePage(self._text)

    def region(
        self, item: Any, outer: Array, clip: shapely.Geometry | None, tolerance: float
    ) -> shapely.MultiPolygon | None:
        """The ink of a text object, through the matrix (2, 3) of what holds it; None where it is not known.
        Empty for words that are not to be seen. ``clip``: what of it alone is seen of the object."""
        import pypdfium2.raw as raw

        if raw.FPDFTextObj_GetTextRenderMode(item.raw) == INVISIBLE:
            return shapely.MultiPolygon()
        font, size = raw.FPDFTextObj_GetFont(item.raw), ctypes.c_float()
        raw.FPDFTextObj_GetFontSize(item.raw, size)
        m = item.get_matrix()
        own = np.array([[m.a, m.c, 0.0], [m.b, m.d, 0.0]])
        turn = together(outer, own)[:, :2] * size.value
        parts = []
        for code, at in self._letters.get(_address(item.raw), []):
            if chr(code).isspace():
                continue
            path = raw.FPDFFont_GetGlyphPath(font, code, 1.0)
            count = raw.FPDFGlyphPath_CountGlyphSegments(path) if path else 0
            if count <= 0:
                return None
            runs = runs_of(count, partial(raw.FPDFGlyphPath_GetGlyphPathSegment, path))
            matrix = np.column_stack([turn, at])
            parts.append(filled([run.points(matrix, tolerance) for run in runs], even_odd=False))
        region = weld(parts)
        grown = abs(float(np.linalg.det(outer[:, :2])))
        seen = region if clip is None else shapely.intersection(region, clip)
        return region if self._weighs(item, seen.area / max(grown, 1e-12), size.value, own) else None

    def stood_in(self, item: Any) -> str:
        """The name of a text object's font where the file does not hold it, and another stands in."""
        import pypdfium2.raw as raw

        font = raw.FPDFTextObj_GetFont(item.raw)
        if raw.FPDFFont_GetIsEmbedded(font) != 0:
            return ""
        buffer = ctypes.create_string_buffer(256)
        raw.FPDFFont_GetBaseFontName(font, buffer, 256)
        return buffer.value.decode("utf-8", errors="replace") or "a font"

    def _weighs(self, item: Any, area: float, size: float, own: Array) -> bool:
        """Whether the page shows as much ink there."""
        import pypdfium2.raw as raw

        high = size * float(np.sqrt(abs(np.linalg.det(own[:, :2]))))
        left, low, right, up = (ctypes.c_float() for _ in range(4))
        raw.FPDFPageObj_GetBounds(item.raw, left, low, right, up)
        wide = max(right.value - left.value, up.value - low.value, 1e-6)
        scale = min(LOOKED_AT_PX / max(high, 1e-6), MOST_PX / wide)
        bitmap = raw.FPDFTextObj_GetRenderedBitmap(self._document.raw, self._leaf.raw, item.raw, scale)
        if not bitmap:
            return False
        try:
            rows, step = raw.FPDFBitmap_GetHeight(bitmap), raw.FPDFBitmap_GetStride(bitmap)
            buffer = raw.FPDFBitmap_GetBuffer(bitmap)
            data = ctypes.cast(buffer, ctypes.POINTER(ctypes.c_ubyte * (rows * step))).contents
            pixels = np.frombuffer(data, dtype=np.uint8).reshape(rows, step)
            strength = pixels[:, 3 : 4 * raw.FPDFBitmap_GetWidth(bitmap) : 4].astype(float) / 255
            ink = float(strength.sum()) / scale**2
        finally:
            raw.FPDFBitmap_Destroy(bitmap)
        return abs(ink - area) <= ALIKE * max(ink, area)


def _address(item: Any) -> int:
    return ctypes.addressof(item.contents)
