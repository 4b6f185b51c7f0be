"""One glyph of a face as a filled region, flattened to a stated tolerance and kept."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
import uharfbuzz as hb
from numpy.typing import NDArray

from kilnchisel.core.lettering.centrelines import CentreLine, centre_lines
from kilnchisel.core.lettering.curves import cubic, quadratic
from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.polygons import as_region, fill_nonzero, polygons_in

Array = NDArray[Any]

FINEST_MM = 0.02  # no chord strays further than this from its curve, at any size
FONT_UNIT = 1.0  # to which the points of a glyph are rounded
FINEST_SHARE = 1024  # nor further than this share of the capital height


def tolerance_units(face: LoadedFace, cap_height_mm: float) -> float:
    """Flattening tolerance in font units. Whole powers of two, so that sizes share cached glyphs."""
    halvings = max(math.log2(FINEST_SHARE), math.ceil(math.log2(max(cap_height_mm, 1e-6) / FINEST_MM)))
    return float(face.cap_height / 2.0**halvings)


@lru_cache(maxsize=4096)
def glyph_region(face: LoadedFace, glyph: int, tolerance: float) -> shapely.MultiPolygon:
    """The glyph's ink in font units, non-zero fill, curves flattened within ``tolerance`` units.

    Holes smaller than twice the tolerance across, or narrower than what points are rounded to, are closed.
    """
    region = fill_nonzero(glyph_rings(face, glyph, tolerance))
    # A straight run may carry points that turn nothing; the cutting sheet wants corners only.
    plain = shapely.simplify(region, tolerance * 1e-3, preserve_topology=True)
    return as_region([_without_slivers(part, tolerance) for part in polygons_in(plain)])


def _without_slivers(part: shapely.Polygon, tolerance: float) -> shapely.Polygon:
    """The polygon without holes that nobody drew, as overlapping contours leave: smaller than the
    flattening can tell, or, whatever the size of the letters, on the average narrower than a font unit."""
    least = (2 * tolerance) ** 2
    areas = [shapely.Polygon(hole).area for hole in part.interiors]
    holes = [
        hole
        for hole, area in zip(part.interiors, areas, strict=True)
        if area >= least and 2 * area >= FONT_UNIT * hole.length
    ]
    return part if len(holes) == len(part.interiors) else shapely.Polygon(part.exterior, holes)


@lru_cache(maxsize=4096)
def glyph_lines(face: LoadedFace, glyph: int) -> tuple[CentreLine, ...]:
    """The strokes of a glyph in font units: those it was drawn with, or the centre lines of its ink."""
    if face.open_font is not None:
        return tuple(CentreLine(line, (True, True)) for line in face.open_font.strokes(glyph))
    return centre_lines(glyph_region(face, glyph, face.cap_height / 512), face.cap_height)


@lru_cache(maxsize=8192)
def glyph_hull(face: LoadedFace, glyph: int, tolerance: float) -> Array:
    """The corners of the glyph's convex hull, (n, 2) font units; none without ink.

    ``tolerance``: of its flattened outline, 0 for its lines instead.
    """
    if tolerance == 0:
        lines = [line.points for line in glyph_lines(face, glyph)]
        shape = shapely.MultiPoint(np.concatenate(lines)) if lines else shapely.Point()
    else:
        shape = glyph_region(face, glyph, tolerance)
    return np.asarray(shapely.get_coordinates(shapely.convex_hull(shape)))


def glyph_rings(face: LoadedFace, glyph: int, tolerance: float) -> list[Array]:
    """The glyph's contours as drawn by the face, each (n, 2) in font units."""
    if face.open_font is not None:
        return []
    pen = _FlatPen(tolerance)
    with face.lock:
        face.font.draw_glyph(glyph, _draw_funcs(), pen)
    pen.close()
    return [np.array(ring) for ring in pen.rings]


class _FlatPen:
    """Collects straight pieces; a curve gets as many as its second difference asks for."""

    def __init__(self, tolerance: float) -> None:
        self.tolerance = tolerance
        self.rings: list[list[tuple[float, float]]] = []
        self.ring: list[tuple[float, float]] = []

    def move(self, x: float, y: float) -> None:
        self.close()
        self.ring = [(x, y)]

    def line(self, x: float, y: float) -> None:
        if self.ring and self.ring[-1] != (x, y):
            self.ring.append((x, y))

    def quadratic(self, x1: float, y1: float, x2: float, y2: float) -> None:
        for point in quadratic(self.ring[-1], (x1, y1), (x2, y2), self.tolerance):
            self.line(*point)

    def cubic(self, x1: float, y1: float, x2: float, y2: float, x3: float, y3: float) -> None:
        for point in cubic(self.ring[-1], (x1, y1), (x2, y2), (x3, y3), self.tolerance):
            self.line(*point)

    def close(self) -> None:
        if len(self.ring) > 1 and self.ring[0] == self.ring[-1]:
            self.ring.pop()
        if len(self.ring) >= 3:
            self.rings.append(self.ring)
        self.ring = []


@lru_cache(maxsize=1)
def _draw_funcs() -> hb.DrawFuncs:
    funcs = hb.DrawFuncs()
    funcs.set_move_to_func(lambda x, y, pen: pen.move(x, y))
    funcs.set_line_to_func(lambda x, y, pen: pen.line(x, y))
    funcs.set_quadratic_to_func(lambda a, b, x, y, pen: pen.quadratic(a, b, x, y))
    funcs.set_cubic_to_func(lambda a, b, c, d, x, y, pen: pen.cubic(a, b, c, d, x, y))
    funcs.set_close_path_func(lambda pen: pen.close())
    return funcs
