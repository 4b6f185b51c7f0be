"""A DXF as it is drawn: what is on layers that are shown, blocks put in, loose lines joined to shapes."""

from __future__ import annotations

import io
import itertools
import math
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.drawings.sheet import (
    FINENESS,
    MOST_FAR,
    MOST_NESTED,
    MOST_PIECES,
    Drawing,
    Line,
    Sheet,
    TextOutline,
    filled,
    words_left_out,
)
from kilnchisel.core.lettering.reshaping import Pen
from kilnchisel.core.units import MM_PER_INCH

Array = NDArray[Any]

UNITS_MM = {
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
HIDDEN = "Layers that are off or frozen are left out: {}."
GAP = 2e-4  # of the drawing's size: ends that are so near are meant to meet
MENDED = "Ends of lines that hardly miss each other are joined."
CAP_SHARE = 0.7  # the height of capitals, that a DXF gives, of a face's size


def read_dxf(data: bytes, name: str, _page: int, text: TextOutline) -> Drawing:
    """The drawing of a DXF. Raises KilnError."""
    from ezdxf import path, recover
    from ezdxf.lldxf.const import DXFError

    try:
        document, _ = recover.read(io.BytesIO(data))
    except (DXFError, OSError):
        raise KilnError(f"{name} is not a whole DXF drawing; it is damaged or cut short.") from None
    unit = UNITS_MM.get(int(document.header.get("$INSUNITS", 0)))
    sheet = Sheet()
    curves: list[Array] = []
    entities = list(itertools.islice(_shown(document, sheet), MOST_PIECES + 1))
    if len(entities) > MOST_PIECES:
        raise KilnError(f"{name} has more than {MOST_PIECES:,} pieces once its blocks are put in.")
    sheet.expected = max(len(entities), 1)
    size = _size(entities)
    for entity in entities:
        kind = entity.dxftype()
        sheet.count(0)
        if kind in ("TEXT", "MTEXT", "ATTRIB"):
            _text(sheet, entity, kind, document, text)
        elif kind in ("HATCH", "MPOLYGON"):
            # what is hatched is full, whatever lines go round it
            rings = [_points(boundary, size) for boundary in path.from_hatch(entity)]
            sheet.inks.append((filled([ring for ring in rings if len(ring) > 2], even_odd=True), True))
        elif kind == "LWPOLYLINE" and _width(entity) > 0:
            _drawn_wide(sheet, entity, size)
        else:
            try:
                curves.append(_points(path.make_path(entity), size))
            except TypeError:
                sheet.notes.append(f"Parts of kind {kind} are left out.")
    _closed_and_open(sheet, [curve for curve in curves if len(curve) > 1], size)
    return sheet.drawing(unit, (unit or 1.0, unit or 1.0))


def _shown(document: Any, sheet: Sheet) -> Iterator[Any]:
    """What is to be seen, blocks put in."""
    layers = {layer.dxf.name.lower(): layer for layer in document.layers}
    hidden = {name for name, layer in layers.items() if layer.is_off() or layer.is_frozen()}
    met: list[str] = []

    def exploded(entities: Any, outer: str, depth: int) -> Iterator[Any]:
        for entity in entities:
            own = str(entity.dxf.get("layer", "0"))
            layer = outer if own == "0" and outer else own  # what lies on layer 0 of a block is on its own
            if entity.dxf.get("invisible", 0):
                continue
            if layer.lower() in hidden:
                if layer not in met:
                    met.append(layer)
                continue
            if entity.dxftype() == "INSERT" and depth < MOST_NESTED:
                for one in entity.multi_insert() if entity.mcount > 1 else (entity,):
                    yield from exploded(one.virtual_entities(), layer, depth + 1)
                    yield from exploded(one.attribs, layer, depth + 1)
            else:
                yield entity

    yield from exploded(document.modelspace(), "", 0)
    if met:
        sheet.notes.append(HIDDEN.format(", ".join(sorted(met)[:6])))


def _size(entities: list[Any]) -> float:
    from ezdxf import bbox

    box = bbox.extents(entities, fast=True)
    return max(float(box.size.x), float(box.size.y), 1e-9) if box.has_data else 1.0


def _points(curve: Any, size: float) -> Array:
    corners = np.array([(p.x, p.y) for p in curve.control_vertices()], dtype=float)
    if not (np.abs(corners) <= MOST_FAR).all():  # it would be cut into chords without end
        raise KilnError("The drawing draws beyond all measure; a number in it is wrong.")
    points = np.array([(p.x, p.y) for p in curve.flattening(size / FINENESS)], dtype=float).reshape(-1, 2)
    if curve.is_closed and len(points) and not np.allclose(points[0], points[-1]):
        points = np.vstack([points, points[:1]])
    return points


def _width(entity: Any) -> float:
    """The width of a polyline, 0 where it has none, or not one."""
    widths = {round(float(end), 9) for point in entity.get_points("se") for end in point}
    found = widths.pop() if len(widths) == 1 else 0.0
    return found or float(entity.dxf.get("const_width", 0.0))


def _drawn_wide(sheet: Sheet, entity: Any, size: float) -> None:
    from ezdxf import path

    points = _points(path.make_path(entity), size)
    if len(points) > 1:
        loop = bool(entity.closed)
        sheet.stroke(points, Pen(_width(entity), "flat", "mitre"), loop=loop, line=not loop)


def _closed_and_open(sheet: Sheet, curves: list[Array], size: float) -> None:
    """Loose pieces that meet end to end are joined; loops are filled even-odd, the rest stays open. What
    is drawn twice in one place counts once: even-odd would undo it."""
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
        parts = _merged(_once(keyed, near, closed=False))
        closed = [_loop(points, near) for points in parts]
        loops += [points for points, loop in zip(parts, closed, strict=True) if loop]
        parts = [points for points, loop in zip(parts, closed, strict=True) if not loop]
        parts, gaps = _mended(parts, size * GAP)
        if gaps:
            sheet.notes.append(MENDED)
        for points in _merged(parts) if gaps else parts:
            if _loop(points, near):
                loops.append(points)
            else:
                sheet.lines.append(Line(points, Pen(0.0)))
    if loops:
        sheet.inks.append((filled(_once(loops, near, closed=True), even_odd=True), True))


def _merged(lines: list[Array]) -> list[Array]:
    """Lines that meet at their ends as one."""
    joined = shapely.line_merge(shapely.MultiLineString([shapely.LineString(line) for line in lines]))
    return [shapely.get_coordinates(part) for part in shapely.get_parts(joined)]


def _loop(points: Array, near: float) -> bool:
    return bool(np.linalg.norm(points[0] - points[-1]) < near and len(points) > 3)


def _mended(lines: list[Array], gap: float) -> tuple[list[Array], int]:
    """Lines whose ends are hardly apart, and nearest to each other, put together; how many such ends."""
    if not lines:
        return lines, 0
    ends = np.concatenate([line[[0, -1]] for line in lines])
    off, other = cKDTree(ends).query(ends, k=2)
    found = other[:, 1]
    mutual = (off[:, 1] <= gap) & (off[:, 1] > 0) & (found[found] == np.arange(len(ends)))
    mutual &= np.array([len(line) > 3 for line in lines]).repeat(2) | (
        found // 2 != np.arange(len(ends)) // 2
    )
    middle = (ends + ends[found]) / 2
    made = [line.copy() for line in lines]
    for number in np.flatnonzero(mutual):
        made[number // 2][0 if number % 2 == 0 else -1] = middle[min(number, found[number])]
    return made, int(mutual.sum()) // 2


def _once(curves: list[Array], near: float, *, closed: bool) -> list[Array]:
    """Curves without those that go over the same points as an earlier one, either way, from any of them
    where they are closed."""
    kept: dict[tuple[int, bytes], Array] = {}
    for curve in curves:
        corners = np.round((curve[:-1] if closed else curve) / (4 * near)).astype(np.int64)
        if closed:
            first = int(np.lexsort(corners.T[::-1])[0])
            corners = np.roll(corners, -first, axis=0)
            back = np.roll(corners[::-1], 1, axis=0)
        else:
            back = corners[::-1]
        both = sorted(np.ascontiguousarray(one).tobytes() for one in (corners, back))
        kept.setdefault((len(corners), both[0]), curve)
    return list(kept.values())


def _text(sheet: Sheet, entity: Any, kind: str, document: Any, text: TextOutline) -> None:
    words = entity.plain_text() if kind == "MTEXT" else entity.dxf.text
    height = float(entity.dxf.char_height if kind == "MTEXT" else entity.dxf.height)
    style = document.styles.get(entity.dxf.style) if document.styles.has_entry(entity.dxf.style) else None
    family = re.sub(r"\.\w+$", "", str(style.dxf.font)) if style is not None else ""
    made = text(words, family, height / CAP_SHARE)
    if made is None:
        sheet.notes.append(words_left_out(words, family))
        return
    across, up, place = _attached(entity, kind, made.region, made.advance, height)
    turn = math.radians(float(entity.dxf.get("rotation", 0.0)))
    if kind == "MTEXT" and entity.dxf.hasattr("text_direction"):
        turn = math.atan2(entity.dxf.text_direction.y, entity.dxf.text_direction.x)
    matrix = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    wide = 1.0 if kind == "MTEXT" else float(entity.dxf.get("width", 1.0))
    shift = np.array([across, up])
    sheet.inks.append(
        (shapely.transform(made.region, lambda p: ((p - shift) * (wide, 1)) @ matrix.T + place), True)
    )


def _attached(
    entity: Any, kind: str, region: shapely.MultiPolygon, advance: float, height: float
) -> tuple[float, float, Array]:
    """How far along and up from where words begin the point is that they are put by, and its place."""
    left, low, right, high = (0.0, 0.0, advance, height) if region.is_empty else region.bounds
    at = entity.dxf.insert
    if kind == "MTEXT":
        row, column = divmod(int(entity.dxf.get("attachment_point", 1)) - 1, 3)
        across = (min(left, 0.0), (left + right) / 2, right)[column]
        up = (height, (height + low) / 2, low)[row]
        return across, up, np.array([at.x, at.y])
    column, row = int(entity.dxf.get("halign", 0)), int(entity.dxf.get("valign", 0))
    if (column or row) and entity.dxf.hasattr("align_point"):
        at = entity.dxf.align_point
    across = {1: advance / 2, 2: advance, 4: advance / 2}.get(column, 0.0)
    up = {1: low, 2: height / 2, 3: height}.get(row, 0.0)
    if column == 4:  # by the middle of all that is written
        up = (low + high) / 2
    return across, up, np.array([at.x, at.y])
