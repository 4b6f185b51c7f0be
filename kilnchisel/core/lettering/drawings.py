"""Drawings from files: filled regions and open lines of an SVG, DXF or PDF file, y up.

A drawing is in mm where the file states its unit, else in the file's own units. White covers what lies
under it, as it does on paper; strokes become outlines; letters are drawn with their font if it is here
and named if it is not.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.lettering.curves import cubic, quadratic
from kilnchisel.core.lettering.polygons import as_region, fill_even_odd, fill_nonzero
from kilnchisel.core.lettering.reshaping import MITRE_LIMIT, Cap, Join, Pen, pen_along
from kilnchisel.core.units import MM_PER_INCH

Array = NDArray[Any]

FINENESS = 12_000  # chords stray no further than this share of the drawing's size
MOST_PIECES = 200_000
MOST_POINTS = 2_000_000
MOST_FAR = 1e9  # units: what is farther is a mistake
PX_MM = MM_PER_INCH / 96  # CSS: a px is a 96th of an inch
POINT_MM = MM_PER_INCH / 72
WHITE = 0.94
DRAWN = 0.6  # of the work is done when every piece was read; the rest is joining them

SVG_CAPS: dict[str, Cap] = {"round": "round", "square": "square"}  # "butt" where nothing is said
SVG_JOINS: dict[str, Join] = {"round": "round", "bevel": "bevel"}  # "miter" where nothing is said
PDF_CAPS: dict[int, Cap] = {0: "flat", 1: "round", 2: "square"}  # ISO 32000-1, tables 54 and 55
PDF_JOINS: dict[int, Join] = {0: "mitre", 1: "round", 2: "bevel"}
PDF_MITRE_LIMIT = 10.0  # table 52, where nothing is said; the library does not tell another
STROKE_PIECES = 16  # to a quarter circle

TextOutline = Callable[[str, str, float], "shapely.MultiPolygon | None"]


class Line(NamedTuple):
    """An open line: points (n, 2), and the stated pen (of width 0: a hairline)."""

    points: Array
    pen: Pen


@dataclass(frozen=True, eq=False)
class Drawing:
    """What a file draws. ``unit_mm``: mm of the unit it states, None when it states none; the shapes
    are then in its own units."""

    region: shapely.MultiPolygon
    lines: tuple[Line, ...]
    unit_mm: float | None
    notes: tuple[str, ...] = ()

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, bottom, right, top of everything; zeros when nothing is drawn."""
        boxes = [] if self.region.is_empty else [self.region.bounds]
        boxes += [(*line.points.min(axis=0), *line.points.max(axis=0)) for line in self.lines]
        if not boxes:
            return (0.0, 0.0, 0.0, 0.0)
        array = np.array(boxes, dtype=float)
        left, low = array[:, :2].min(axis=0).tolist()
        right, high = array[:, 2:].max(axis=0).tolist()
        return (left, low, right, high)


@dataclass(eq=False)
class _Sheet:
    """Ink as it is laid down, in the file's order."""

    inks: list[tuple[shapely.Geometry, bool]] = field(default_factory=list)  # geometry, is ink
    lines: list[Line] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    points: int = 0
    pieces: int = 0
    expected: int | None = None  # how many pieces the file has

    def count(self, points: int) -> None:
        """That much more is drawn. Raises KilnError where it is too much."""
        self.points += points
        self.pieces += 1
        if self.pieces > MOST_PIECES or self.points > MOST_POINTS:
            raise KilnError(
                f"The drawing has more than {MOST_PIECES:,} pieces or {MOST_POINTS:,} points; that is more "
                "than can be lettered. Save a simpler copy."
            )
        share = None if self.expected is None else DRAWN * min(self.pieces / self.expected, 1.0)
        gate.at(share, f"piece {self.pieces:,}".replace(",", "\u202f"))

    def region(self) -> shapely.MultiPolygon:
        result: shapely.Geometry = shapely.MultiPolygon()
        pending: list[shapely.Geometry] = []
        for geometry, ink in self.inks:
            if ink:
                pending.append(geometry)
                continue
            result = shapely.union_all([result, *pending])
            pending = []
            result = shapely.difference(result, geometry)
        return as_region([shapely.union_all([result, *pending])])

    def drawing(self, unit_mm: float | None, scale: float, *, down: bool = False) -> Drawing:
        """The finished drawing; ``down``: the file's y runs down."""
        factor = (scale, -scale if down else scale)
        gate.at(DRAWN, "joining the pieces")
        region = shapely.transform(self.region(), lambda p: p * factor)
        lines = tuple(
            Line(points * factor, pen._replace(width=pen.width * scale)) for points, pen in self.lines
        )
        return Drawing(region, lines, unit_mm, tuple(dict.fromkeys(self.notes)))


def read_drawing(data: bytes, form: str, name: str, page: int, text: TextOutline) -> Drawing:
    """The drawing of a file. Raises KilnError with what is wrong with it."""
    reader = {"svg": _svg, "dxf": _dxf, "pdf": _pdf}[form]
    try:
        drawing = reader(data, name or "The file", page, text)
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


# SVG

LENGTH = re.compile(r"^\s*([-+]?[\d.]+(?:[eE][-+]?\d+)?)\s*(mm|cm|in|pt|pc|px|q|%)?\s*$", re.IGNORECASE)
UNITS_MM = {"mm": 1.0, "cm": 10.0, "in": MM_PER_INCH, "pt": POINT_MM, "pc": 12 * POINT_MM, "q": 0.25}


def _svg(data: bytes, name: str, _page: int, text: TextOutline) -> Drawing:
    from svgelements import SVG, Group, Image, Path, Shape, Text, Use

    root = _svg_root(data, name)
    unit, scale = _svg_scale(root)
    # at 96 px to the inch lengths inside the file mean what the CSS standard says
    parsed = SVG.parse(io.BytesIO(_without_size(data)), ppi=96, reify=True)
    sheet = _Sheet()
    size = _svg_size(parsed)
    elements = list(parsed.elements())
    sheet.expected = max(len(elements), 1)
    for element in elements:
        if isinstance(element, Group | SVG | Use) or _hidden(element):
            continue
        if isinstance(element, Text):
            _svg_text(sheet, element, text)
        elif isinstance(element, Image):
            sheet.notes.append("A picture inside the file is left out; put it in by itself.")
        elif isinstance(element, Shape):
            path = element if isinstance(element, Path) else Path(element)
            path.reify()
            _svg_path(sheet, element, path, size / FINENESS)
    return sheet.drawing(unit, scale, down=True)


def _svg_root(data: bytes, name: str) -> dict[str, str]:
    import xml.etree.ElementTree as ET

    if b"<!ENTITY" in data:
        raise KilnError(
            f"{name} defines words of its own (XML entities), which is not read; save it plainly."
        )
    try:
        root = ET.fromstring(data)
    except (ET.ParseError, ValueError):
        raise KilnError(f"{name} is not a whole SVG drawing; it is damaged or cut short.") from None
    if not root.tag.endswith("svg"):
        raise KilnError(f"{name} is not an SVG drawing.")
    return dict(root.attrib)


def _svg_scale(root: dict[str, str]) -> tuple[float | None, float]:
    """The stated unit's mm (None without one), and mm (or 1) for one unit of the viewBox."""
    box = [float(x) for x in re.split(r"[\s,]+", root.get("viewBox", "").strip()) if x]
    match = LENGTH.match(root.get("width", ""))
    unit = (match.group(2) or "").lower() if match else ""
    if match is None or unit not in UNITS_MM:
        return None, 1.0
    width_mm = float(match.group(1)) * UNITS_MM[unit]
    if len(box) == 4 and box[2] > 0:
        return UNITS_MM[unit], width_mm / box[2]
    return UNITS_MM[unit], PX_MM  # no viewBox: a user unit is a px


def _without_size(data: bytes) -> bytes:
    """The file with its root's width, height and viewBox removed: shapes stay in the viewBox's units."""
    head_end = data.find(b"<svg")
    stop = data.find(b">", head_end)
    if head_end < 0 or stop < 0:
        return data
    head = re.sub(
        rb"""\s(?:width|height|viewBox|preserveAspectRatio)\s*=\s*("[^"]*"|'[^']*')""",
        b" ",
        data[head_end:stop],
    )
    return data[:head_end] + head + data[stop:]


def _svg_size(parsed: Any) -> float:
    box = parsed.bbox()
    return max(box[2] - box[0], box[3] - box[1], 1e-9) if box else 1.0


def _hidden(element: Any) -> bool:
    values = getattr(element, "values", {}) or {}
    return values.get("display") == "none" or values.get("visibility") in ("hidden", "collapse")


def _paints(colour: Any) -> bool:
    return colour is not None and colour.value is not None and (colour.alpha is None or colour.alpha > 24)


def _is_ink(colour: Any) -> bool:
    """White is paper."""
    return not (min(colour.red, colour.green, colour.blue) >= WHITE * 255)


def _svg_path(sheet: _Sheet, element: Any, path: Any, tolerance: float) -> None:
    rings, closed = [], []
    for sub in path.as_subpaths():
        points = _flattened(list(sub), tolerance)
        if len(points) > 1:
            sheet.count(len(points))
            rings.append(points)
            closed.append(bool(np.linalg.norm(points[0] - points[-1]) < 1e-6 * max(np.ptp(points), 1e-12)))
    if not rings:
        return
    filled = _paints(element.fill)
    if filled:
        even_odd = (element.values or {}).get("fill-rule") == "evenodd"
        region = _filled(rings, even_odd=even_odd)
        if not region.is_empty:
            sheet.inks.append((region, _is_ink(element.fill)))
    if _paints(element.stroke):
        width, values = float(element.stroke_width or 1.0), element.values or {}
        pen = Pen(
            width,
            SVG_CAPS.get(values.get("stroke-linecap", ""), "flat"),
            SVG_JOINS.get(values.get("stroke-linejoin", ""), "mitre"),
            _mitre_limit(values.get("stroke-miterlimit")),
        )
        _stroke(sheet, rings, closed, pen, filled=filled, ink=_is_ink(element.stroke))


def _mitre_limit(said: str | None) -> float:
    """Of an SVG; what is no number of at least 1 counts as not said."""
    with contextlib.suppress(TypeError, ValueError):
        if said is not None and float(said) >= 1:
            return float(said)
    return MITRE_LIMIT


def _stroke(
    sheet: _Sheet,
    rings: list[Array],
    closed: list[bool],
    pen: Pen,
    *,
    filled: bool,
    ink: bool,
) -> None:
    """Strokes of closed or filled shapes become outlines; open ones stay lines with their width."""
    for points, loop in zip(rings, closed, strict=True):
        if not loop and not filled and ink:
            sheet.lines.append(Line(points, pen))
            continue
        ring = loop and len(points) > 3
        drawn = pen_along(points, pen, closed=ring, pieces=STROKE_PIECES)
        sheet.inks.append((drawn, ink))


def _filled(rings: list[Array], *, even_odd: bool) -> shapely.Geometry:
    open_rings = [ring[:-1] if np.allclose(ring[0], ring[-1]) else ring for ring in rings]
    open_rings = [ring for ring in open_rings if len(ring) >= 3]
    if not even_odd:
        return fill_nonzero(open_rings)
    return fill_even_odd(open_rings)


def _flattened(segments: list[Any], tolerance: float) -> Array:
    from svgelements import Arc, Close, CubicBezier, Line, Move, QuadraticBezier

    points: list[tuple[float, float]] = []
    for segment in segments:
        if isinstance(segment, Move | Line | Close):
            if segment.end is not None:
                points.append((segment.end.x, segment.end.y))
            continue
        cubics = segment.as_cubic_curves() if isinstance(segment, Arc) else [segment]
        for curve in cubics:
            if isinstance(curve, QuadraticBezier):
                points += quadratic(_xy(curve.start), _xy(curve.control), _xy(curve.end), tolerance)
            elif isinstance(curve, CubicBezier):
                one, two = _xy(curve.control1), _xy(curve.control2)
                points += cubic(_xy(curve.start), one, two, _xy(curve.end), tolerance)
    return np.array(points, dtype=float).reshape(-1, 2)


def _xy(point: Any) -> tuple[float, float]:
    return float(point.x), float(point.y)


def _svg_text(sheet: _Sheet, element: Any, text: TextOutline) -> None:
    words = str(element.text or "").strip()
    if not words:
        return
    family = str(element.font_family or "").split(",")[0].strip("'\" ")
    size = float(element.font_size or 16)
    region = text(words, family, size)
    if region is None:
        sheet.notes.append(_left_out(words, family))
        return
    left, _, right, _ = region.bounds if not region.is_empty else (0, 0, 0, 0)
    shift = {"middle": -(left + right) / 2, "end": -right}.get(str(element.anchor or "start"), 0.0)
    place = np.array([float(element.x or 0) + shift, float(element.y or 0)])
    m = element.transform
    matrix = np.array([[m.a, m.c], [m.b, m.d]])
    moved = shapely.transform(region, lambda p: (p * (1, -1) + place) @ matrix.T + (m.e, m.f))
    sheet.inks.append((moved, True))


def _left_out(words: str, family: str) -> str:
    font = family or "a font"
    return f"The words “{words[:40]}” are set in {font}, which is not here; they are left out."


# DXF

DXF_UNITS_MM = {
    1: MM_PER_INCH,
    2: 12 * MM_PER_INCH,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: MM_PER_INCH * 1e-6,
    9: 0.0254,
    10: 914.4,
    13: 1e-3,
    14: 100.0,
}


def _dxf(data: bytes, name: str, _page: int, text: TextOutline) -> Drawing:
    from ezdxf import path, recover
    from ezdxf.lldxf.const import DXFError

    try:
        document, _ = recover.read(io.BytesIO(data))
    except (DXFError, OSError):
        raise KilnError(f"{name} is not a whole DXF drawing; it is damaged or cut short.") from None
    unit = DXF_UNITS_MM.get(int(document.header.get("$INSUNITS", 0)))
    sheet = _Sheet()
    curves: list[Array] = []
    entities = list(itertools.islice(_exploded(document.modelspace()), MOST_PIECES + 1))
    if len(entities) > MOST_PIECES:
        raise KilnError(f"{name} has more than {MOST_PIECES:,} pieces once its blocks are put in.")
    sheet.expected = max(len(entities), 1)
    size = _dxf_size(entities)
    for entity in entities:
        kind = entity.dxftype()
        sheet.count(0)
        if kind in ("TEXT", "MTEXT", "ATTRIB"):
            _dxf_text(sheet, entity, kind, document, text)
        elif kind in ("HATCH", "MPOLYGON"):
            for boundary in path.from_hatch(entity):
                curves.append(_dxf_points(boundary, size))
        else:
            try:
                curves.append(_dxf_points(path.make_path(entity), size))
            except TypeError:
                sheet.notes.append(f"Parts of kind {kind} are left out.")
    _closed_and_open(sheet, [curve for curve in curves if len(curve) > 1], size)
    return sheet.drawing(unit, unit or 1.0)


def _exploded(entities: Any, depth: int = 0) -> Any:
    for entity in entities:
        if entity.dxftype() == "INSERT" and depth < MOST_NESTED:
            yield from _exploded(entity.virtual_entities(), depth + 1)
        else:
            yield entity


def _dxf_size(entities: list[Any]) -> float:
    from ezdxf import bbox

    box = bbox.extents(entities, fast=True)
    return max(float(box.size.x), float(box.size.y), 1e-9) if box.has_data else 1.0


MOST_NESTED = 16  # blocks within blocks


def _dxf_points(curve: Any, size: float) -> Array:
    corners = np.array([(p.x, p.y) for p in curve.control_vertices()], dtype=float)
    if not (np.abs(corners) <= MOST_FAR).all():  # it would be cut into chords without end
        raise KilnError("The drawing draws beyond all measure; a number in it is wrong.")
    points = np.array([(p.x, p.y) for p in curve.flattening(size / FINENESS)], dtype=float).reshape(-1, 2)
    if curve.is_closed and len(points) and not np.allclose(points[0], points[-1]):
        points = np.vstack([points, points[:1]])
    return points


def _closed_and_open(sheet: _Sheet, curves: list[Array], size: float) -> None:
    """Loose pieces that meet end to end are joined; loops are filled even-odd, the rest stays open."""
    near = size * 1e-6
    loops: list[Array] = []
    loose: list[Array] = []
    for curve in curves:
        (loops if np.linalg.norm(curve[0] - curve[-1]) < near and len(curve) > 3 else loose).append(curve)
    if loose:
        keyed = [
            np.vstack([np.round(c[:1] / near) * near, c[1:-1], np.round(c[-1:] / near) * near])
            for c in loose
        ]
        merged = shapely.line_merge(shapely.MultiLineString([shapely.LineString(c) for c in keyed]))
        for part in shapely.get_parts(merged):
            points = shapely.get_coordinates(part)
            if np.linalg.norm(points[0] - points[-1]) < near and len(points) > 3:
                loops.append(points)
            else:
                sheet.lines.append(Line(points, Pen(0.0)))
    if loops:
        sheet.inks.append((_filled(loops, even_odd=True), True))


def _dxf_text(sheet: _Sheet, entity: Any, kind: str, document: Any, text: TextOutline) -> None:
    words = entity.plain_text() if kind == "MTEXT" else entity.dxf.text
    height = float(entity.dxf.char_height if kind == "MTEXT" else entity.dxf.height)
    style = document.styles.get(entity.dxf.style) if document.styles.has_entry(entity.dxf.style) else None
    family = re.sub(r"\.\w+$", "", str(style.dxf.font)) if style is not None else ""
    region = text(words, family, height / 0.7)
    if region is None:
        sheet.notes.append(_left_out(words, family))
        return
    turn = math.radians(float(entity.dxf.get("rotation", 0.0)))
    matrix = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    place = np.array([entity.dxf.insert.x, entity.dxf.insert.y])
    sheet.inks.append((shapely.transform(region, lambda p: p @ matrix.T + place), True))


# PDF


def _pdf(data: bytes, name: str, page: int, _text: TextOutline) -> Drawing:
    import pypdfium2 as pdfium
    import pypdfium2.raw as raw

    try:
        document = pdfium.PdfDocument(data)
    except pdfium.PdfiumError:
        raise KilnError(f"{name} is not a PDF that can be read; it is damaged, or locked.") from None
    try:
        if not 1 <= page <= len(document):
            raise KilnError(f"{name} has {len(document)} pages; there is no page {page}.")
        sheet = _Sheet()
        leaf = document[page - 1]
        size = max(leaf.get_size())
        for item in leaf.get_objects(max_depth=12):
            sheet.count(0)
            if item.type == raw.FPDF_PAGEOBJ_TEXT:
                sheet.notes.append(
                    "Words that are set with a font in the PDF are left out; save them as outlines."
                )
            elif item.type == raw.FPDF_PAGEOBJ_IMAGE:
                sheet.notes.append("A picture inside the file is left out; put it in by itself.")
            elif item.type == raw.FPDF_PAGEOBJ_PATH:
                _pdf_path(sheet, item, size / FINENESS)
    finally:
        document.close()
    return sheet.drawing(POINT_MM, POINT_MM)


def _pdf_path(sheet: _Sheet, item: Any, tolerance: float) -> None:
    import ctypes

    import pypdfium2.raw as raw

    m = item.get_matrix()
    holder = item.container.get_matrix() if getattr(item, "container", None) is not None else None
    rings = [_through(ring, m) for ring in _pdf_rings(item.raw, tolerance)]
    if holder is not None:
        rings = [_through(ring, holder) for ring in rings]
    if not rings:
        return
    mode, stroke = ctypes.c_int(), ctypes.c_int()
    raw.FPDFPath_GetDrawMode(item.raw, mode, stroke)
    if mode.value:
        region = _filled(rings, even_odd=mode.value == raw.FPDF_FILLMODE_ALTERNATE)
        if not region.is_empty:
            sheet.inks.append((region, _pdf_ink(raw.FPDFPageObj_GetFillColor, item.raw)))
    if stroke.value:
        width = ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(item.raw, width)
        scale = math.sqrt(abs(m.a * m.d - m.b * m.c)) or 1.0
        closed = [bool(np.allclose(ring[0], ring[-1])) for ring in rings]
        ink = _pdf_ink(raw.FPDFPageObj_GetStrokeColor, item.raw)
        cap = PDF_CAPS.get(raw.FPDFPageObj_GetLineCap(item.raw), "flat")
        join = PDF_JOINS.get(raw.FPDFPageObj_GetLineJoin(item.raw), "mitre")
        pen = Pen(width.value * scale, cap, join, PDF_MITRE_LIMIT)
        _stroke(sheet, rings, closed, pen, filled=bool(mode.value), ink=ink)


def _through(points: Array, m: Any) -> Array:
    """Points (n, 2) through a PDF matrix."""
    return np.asarray(points @ np.array([[m.a, m.b], [m.c, m.d]]) + (m.e, m.f))


def _pdf_ink(getter: Any, item: Any) -> bool:
    import ctypes

    parts = [ctypes.c_uint() for _ in range(4)]
    if not getter(item, *parts):
        return True
    return not min(part.value for part in parts[:3]) >= WHITE * 255


def _pdf_rings(item: Any, tolerance: float) -> list[Array]:
    import ctypes

    import pypdfium2.raw as raw

    rings: list[list[tuple[float, float]]] = []
    pending: list[tuple[float, float]] = []
    count = raw.FPDFPath_CountSegments(item)
    if count > MOST_PIECES:
        raise KilnError("The drawing has too many pieces to be used.")
    for number in range(count):
        segment = raw.FPDFPath_GetPathSegment(item, number)
        x, y = ctypes.c_float(), ctypes.c_float()
        raw.FPDFPathSegment_GetPoint(segment, x, y)
        kind = raw.FPDFPathSegment_GetType(segment)
        spot = (float(x.value), float(y.value))
        if kind == raw.FPDF_SEGMENT_MOVETO:
            rings.append([spot])
        elif kind == raw.FPDF_SEGMENT_LINETO and rings:
            rings[-1].append(spot)
        elif kind == raw.FPDF_SEGMENT_BEZIERTO and rings:
            pending.append(spot)
            if len(pending) == 3:
                one, two, end = pending
                rings[-1].extend(cubic(rings[-1][-1], one, two, end, tolerance))
                pending = []
        if rings and raw.FPDFPathSegment_GetClose(segment):
            rings[-1].append(rings[-1][0])
    return [np.array(ring) for ring in rings if len(ring) > 1]
