"""A page of a PDF as it is drawn: forms put in, clips, dashes, layers.

Source: ISO 32000-1, chapter 8.
"""

from __future__ import annotations

import ctypes
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.drawings.pdfpath import runs_of
from kilnchisel.core.lettering.drawings.pdfwords import PageWords
from kilnchisel.core.lettering.drawings.sheet import (
    FINENESS,
    MOST_NESTED,
    PICTURE_LEFT_OUT,
    SEEN,
    WHITE,
    Drawing,
    Run,
    Sheet,
    TextOutline,
    even_scale,
    filled,
    together,
)
from kilnchisel.core.lettering.reshaping import Cap, Join, Pen
from kilnchisel.core.units import POINT_MM

Array = NDArray[Any]

CAPS: dict[int, Cap] = {0: "flat", 1: "round", 2: "square"}  # tables 54 and 55
JOINS: dict[int, Join] = {0: "mitre", 1: "round", 2: "bevel"}
MITRE_LIMIT = 10.0  # table 52, where nothing is said; the library does not tell another
WORDS_LEFT_OUT = (
    "Words of which the PDF does not tell the letters' outlines are left out; save them as outlines."
)
STOOD_IN = "The PDF does not hold {}; another face stands in for it, which may be unlike."
HIDDEN = "Layers that are not shown are left out: {}."
Clip: TypeAlias = shapely.Geometry | None


def read_pdf(data: bytes, name: str, page: int, _text: TextOutline) -> Drawing:
    """The drawing of one page of a PDF. Raises KilnError."""
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(data)
    except pdfium.PdfiumError:
        raise KilnError(f"{name} is not a PDF that can be read; it is damaged, or locked.") from None
    try:
        if not 1 <= page <= len(document):
            raise KilnError(f"{name} has {len(document)} pages; there is no page {page}.")
        leaf = document[page - 1]
        sheet = Sheet()
        hidden = _hidden_layers(data)
        upright = _upright(leaf)
        words = PageWords(document, leaf, upright)
        try:
            reader = _Page(leaf, sheet, max(leaf.get_size()) / FINENESS, hidden, words)
            reader.objects(None, upright, None, 0)
        finally:
            words.close()
        if reader.met:
            sheet.notes.append(HIDDEN.format(", ".join(sorted(reader.met)[:6])))
    finally:
        document.close()
    return sheet.drawing(POINT_MM, (POINT_MM, POINT_MM))


def _upright(leaf: Any) -> Array:
    """What turns a page as it is shown, clockwise by its rotation."""
    turn = math.radians(-leaf.get_rotation())
    cos, sin = round(math.cos(turn)), round(math.sin(turn))
    return np.array([[cos, -sin, 0.0], [sin, cos, 0.0]], dtype=float)


def _hidden_layers(data: bytes) -> set[str]:
    """The names of layers that are off as the file opens; none where it has none."""
    if b"/OCProperties" not in data and b"/ObjStm" not in data:
        return set()
    import io

    import pikepdf

    try:
        with pikepdf.open(io.BytesIO(data)) as document:
            said = document.Root.get("/OCProperties")
            if said is None:
                return set()
            first = said.get("/D", {})
            off = {str(group.Name) for group in first.get("/OFF", [])}
            if first.get("/BaseState") == "/OFF":
                on = {str(group.Name) for group in first.get("/ON", [])}
                off |= {str(group.Name) for group in said.get("/OCGs", [])} - on
            return off
    except (pikepdf.PdfError, AttributeError, TypeError):
        return set()


@dataclass(eq=False)
class _Page:
    """A page that is laid on a sheet."""

    leaf: Any
    sheet: Sheet
    tolerance: float
    hidden: set[str]
    words: PageWords

    def __post_init__(self) -> None:
        self.met: set[str] = set()

    def objects(self, form: Any, matrix: Array, clip: Clip, depth: int) -> None:
        """Lay down the objects of the page, or of a form."""
        import pypdfium2.raw as raw

        for item in self.leaf.get_objects(max_depth=1, form=form):
            self.sheet.count(0)
            if not self._shown(item):
                continue
            own = self._clip_of(item, matrix)
            inner = own if clip is None else clip if own is None else shapely.intersection(clip, own)
            if item.type == raw.FPDF_PAGEOBJ_FORM:
                if depth < MOST_NESTED:
                    self.objects(item.raw, together(matrix, _matrix(item)), inner, depth + 1)
            elif item.type == raw.FPDF_PAGEOBJ_TEXT:
                self._words(item, matrix, own, inner)
            elif item.type == raw.FPDF_PAGEOBJ_IMAGE:
                self.sheet.notes.append(PICTURE_LEFT_OUT)
            elif item.type == raw.FPDF_PAGEOBJ_SHADING and inner is not None:
                self.sheet.inks.append((inner, True))  # colours that run into another, as far as its clip
            elif item.type == raw.FPDF_PAGEOBJ_PATH:
                self._path(item, matrix, inner)

    def _words(self, item: Any, outer: Array, own: Clip, clip: Clip) -> None:
        import pypdfium2.raw as raw

        region = self.words.region(item, outer, own, self.tolerance)
        if region is None:
            self.sheet.notes.append(WORDS_LEFT_OUT)
            return
        self.sheet.count(shapely.get_num_coordinates(region))
        other = "" if region.is_empty else self.words.stood_in(item)
        if other:
            self.sheet.notes.append(STOOD_IN.format(other))
        ink, seen = _paint(raw.FPDFPageObj_GetFillColor, item.raw)
        if seen:
            self.sheet.lay(region, clip, ink=ink)

    def _shown(self, item: Any) -> bool:
        """Whether it is on no layer that is off."""
        names = set(_layers_of(item.raw)) & self.hidden if self.hidden else set()
        self.met |= names
        return not names

    def _clip_of(self, item: Any, matrix: Array) -> Clip:
        """What an object of its own is clipped by."""
        import pypdfium2.raw as raw

        clip: Clip = None
        path = raw.FPDFPageObj_GetClipPath(item.raw)
        for number in range(max(raw.FPDFClipPath_CountPaths(path), 0)) if path else ():

            def segment(k: int, number: int = number) -> Any:
                return raw.FPDFClipPath_GetPathSegment(path, number, k)

            runs = runs_of(raw.FPDFClipPath_CountPathSegments(path, number), segment)
            rings = [run.points(matrix, self.tolerance) for run in runs]
            for ring in rings:
                self.sheet.count(len(ring))
            region: shapely.Geometry = filled(rings, even_odd=False)
            clip = region if clip is None else shapely.intersection(clip, region)
        return clip

    def _path(self, item: Any, outer: Array, clip: Clip) -> None:
        import pypdfium2.raw as raw

        matrix = together(outer, _matrix(item))
        count = raw.FPDFPath_CountSegments(item.raw)
        runs = runs_of(count, lambda k: raw.FPDFPath_GetPathSegment(item.raw, k))
        rings = [run.points(matrix, self.tolerance) for run in runs]
        for ring in rings:
            self.sheet.count(len(ring))
        if not rings:
            return
        mode, stroke = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(item.raw, mode, stroke)
        ink, seen = _paint(raw.FPDFPageObj_GetFillColor, item.raw)
        is_filled = False
        if mode.value and seen:
            region = filled(rings, even_odd=mode.value == raw.FPDF_FILLMODE_ALTERNATE)
            self.sheet.lay(region, clip, ink=ink)
            is_filled = not region.is_empty
        ink, seen = _paint(raw.FPDFPageObj_GetStrokeColor, item.raw)
        if stroke.value and seen:
            self._stroke(item, runs, matrix, clip, ink=ink, is_filled=is_filled)

    def _stroke(
        self, item: Any, runs: list[Run], matrix: Array, clip: Clip, *, ink: bool, is_filled: bool
    ) -> None:
        import pypdfium2.raw as raw

        width = ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(item.raw, width)
        pen = Pen(
            width.value,
            CAPS.get(raw.FPDFPageObj_GetLineCap(item.raw), "flat"),
            JOINS.get(raw.FPDFPageObj_GetLineJoin(item.raw), "mitre"),
            MITRE_LIMIT,
        )
        self.sheet.strokes(
            runs,
            matrix,
            pen,
            _dashes(item.raw),
            self.tolerance,
            growth=even_scale(matrix),
            line=not is_filled,
            ink=ink,
            clip=clip,
        )


def _matrix(item: Any) -> Array:
    m = item.get_matrix()
    return np.array([[m.a, m.c, m.e], [m.b, m.d, m.f]], dtype=float)


def _layers_of(item: Any) -> Iterator[str]:
    """The names of the layers that an object is on."""
    import pypdfium2.raw as raw

    for number in range(max(raw.FPDFPageObj_CountMarks(item), 0)):
        mark = raw.FPDFPageObj_GetMark(item, number)
        if _said(lambda *to, m=mark: raw.FPDFPageObjMark_GetName(m, *to)) == "OC":
            yield _said(lambda *to, m=mark: raw.FPDFPageObjMark_GetParamStringValue(m, b"Name", *to))


def _said(ask: Callable[..., Any]) -> str:
    """Words of the library, UTF-16."""
    length = ctypes.c_ulong()
    ask(None, 0, length)
    if length.value < 2:
        return ""
    buffer = ctypes.create_string_buffer(length.value)
    pointer = ctypes.cast(buffer, ctypes.POINTER(ctypes.c_ushort))
    ask(pointer, length.value, length)
    return buffer.raw[: length.value].decode("utf-16-le", errors="replace").rstrip("\0")


def _dashes(item: Any) -> tuple[list[float], float]:
    import pypdfium2.raw as raw

    count = raw.FPDFPageObj_GetDashCount(item)
    if count <= 0:
        return [], 0.0
    lengths, phase = (ctypes.c_float * count)(), ctypes.c_float()
    raw.FPDFPageObj_GetDashArray(item, lengths, count)
    raw.FPDFPageObj_GetDashPhase(item, phase)
    found = [float(one) for one in lengths]
    return (found if sum(found) > 0 else []), float(phase.value)


def _paint(getter: Any, item: Any) -> tuple[bool, bool]:
    """Whether a colour is ink, and whether it is strong enough to be seen."""
    parts = [ctypes.c_uint() for _ in range(4)]
    if not getter(item, *parts):
        return True, True
    return min(part.value for part in parts[:3]) < WHITE * 255, parts[3].value > SEEN * 255
