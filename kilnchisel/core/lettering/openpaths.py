"""Faces made of open strokes: read from SVG fonts, smoothed, and wrapped as a font for the shaper.

The files hold polygons of few points. Where a stroke bends gently it is meant round, so a smooth curve
is laid through the points; sharp turns stay corners, and long straight runs stay straight.
"""

from __future__ import annotations

import io
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from typing import Any

import numpy as np
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from fontTools.ttLib.tables._g_l_y_f import Glyph
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.curves import cubic

Array = NDArray[Any]

CORNER_DEG = 52.0  # a turn sharper than this is meant
STRAIGHT = 1.9  # a piece so many times longer than its neighbours is a straight run
TOLERANCE = 0.25  # font units
SVG = "{http://www.w3.org/2000/svg}"


@dataclass(frozen=True, eq=False)
class OpenFont:
    """The path of each glyph, by glyph number, and the font for the shaper."""

    family: str
    paths: tuple[str, ...]
    font_bytes: bytes

    def strokes(self, glyph: int) -> tuple[Array, ...]:
        """The strokes of a glyph, (n, 2) each, font units."""
        return tuple(path_lines(self.paths[glyph])) if self.paths[glyph] else ()


def read_open_font(data: bytes) -> OpenFont:
    """Read an SVG font of open paths. Raises KilnError when it holds none."""
    try:
        root = ET.fromstring(data)
    except ET.ParseError as error:
        raise KilnError(f"The open-path face cannot be read: {error}.") from None
    font = next(root.iter(f"{SVG}font"), None)
    face = next(root.iter(f"{SVG}font-face"), None)
    if font is None or face is None:
        raise KilnError("The file holds no SVG font.")
    default = float(font.get("horiz-adv-x", "500"))
    names, cmap, widths = [".notdef"], {}, {".notdef": (int(default), 0)}
    paths = [""]
    for glyph in font.iter(f"{SVG}glyph"):
        text = glyph.get("unicode", "")
        if len(text) != 1 or ord(text) in cmap:
            continue
        name = f"u{ord(text):05x}"
        cmap[ord(text)] = name
        names.append(name)
        widths[name] = (round(float(glyph.get("horiz-adv-x", default))), 0)
        paths.append(glyph.get("d", ""))
    units = int(float(face.get("units-per-em", "1000")))
    builder = FontBuilder(units, isTTF=True)
    builder.setupGlyphOrder(names)
    builder.setupCharacterMap(cmap)
    builder.setupGlyf({name: Glyph() for name in names})
    builder.setupHorizontalMetrics(widths)
    builder.setupHorizontalHeader(ascent=int(0.8 * units), descent=-int(0.2 * units))
    family = face.get("font-family", "Open paths")
    builder.setupNameTable({"familyName": family, "styleName": "Regular"})
    builder.setupPost()
    buffer = io.BytesIO()
    builder.save(buffer)
    return OpenFont(family, tuple(paths), buffer.getvalue())


def path_lines(d: str) -> list[Array]:
    """The strokes of an SVG path, (n, 2) each: straight ones smoothed, drawn curves as they are."""
    pen = RecordingPen()
    parse_path(d, pen)
    lines: list[list[tuple[float, float]]] = []
    curved: set[int] = set()
    for command, points in pen.value:
        if command == "moveTo":
            lines.append([points[0]])
        elif command == "lineTo":
            lines[-1].append(points[0])
        elif command == "curveTo":
            one, two, end = points
            lines[-1].extend(cubic(lines[-1][-1], one, two, end, TOLERANCE))
            curved.add(len(lines) - 1)
        elif command == "closePath":
            lines[-1].append(lines[-1][0])
    arrays = [np.array(line, dtype=float) for line in lines]
    return [a if n in curved else smoothed(a) for n, a in enumerate(arrays) if len(a) > 1]


def smoothed(line: Array, pieces: int = 8) -> Array:
    """A smooth curve through the points of a line, corners and long straights kept, (m, 2).

    Cubic Hermite pieces; the tangent at a point is that of the circle through it and its neighbours.
    """
    apart = np.append(True, np.linalg.norm(np.diff(line, axis=0), axis=1) > 1e-9)
    line = line[apart]
    if len(line) < 3:
        return line
    closed = bool(np.linalg.norm(line[0] - line[-1]) < 1e-9)
    steps = np.diff(line, axis=0)
    length = np.linalg.norm(steps, axis=1)
    way = steps / length[:, None]
    before = np.roll(np.arange(len(steps)), 1)
    tangent_in, tangent_out = np.empty_like(line), np.empty_like(line)
    cosine = np.einsum("ij,ij->i", way, way[before])
    limit = np.cos(np.radians(CORNER_DEG))
    for i in range(len(line)):
        inner = 0 < i < len(line) - 1
        a, b = (i - 1, i) if inner else (len(steps) - 1, 0)
        if not (inner or closed) or cosine[b] < limit:
            tangent_in[i] = way[a] if inner or i else way[0]
            tangent_out[i] = way[b] if inner or i == 0 else way[-1]
            continue
        # the circle's tangent: each side's direction weighted by the other's length
        mixed = way[a] * length[b] + way[b] * length[a]
        if length[a] > STRAIGHT * length[b]:
            mixed = way[a]
        elif length[b] > STRAIGHT * length[a]:
            mixed = way[b]
        tangent_in[i] = tangent_out[i] = mixed / np.linalg.norm(mixed)
    t = np.linspace(0, 1, pieces + 1)[1:, None]
    h00, h10 = 2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t
    h01, h11 = -2 * t**3 + 3 * t**2, t**3 - t**2
    result = [line[:1]]
    for i in range(len(steps)):
        start, end = tangent_out[i], tangent_in[i + 1]
        if np.allclose(start, way[i]) and np.allclose(end, way[i]):
            result.append(line[i + 1 : i + 2])
            continue
        # the arc is longer than its chord: stretch the tangents with it
        half = np.arccos(np.clip(start @ end, -1, 1)) / 2
        reach = length[i] * (1.0 if half < 1e-6 else float(2 * np.tan(half / 2) / np.sin(half)))
        result.append(h00 * line[i] + h10 * reach * start + h01 * line[i + 1] + h11 * reach * end)
    return np.concatenate(result)
