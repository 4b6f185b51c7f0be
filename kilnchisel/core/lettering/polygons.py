"""Rings and polygons: the small verbs that the lettering and craft rooms share.

A ring is an (n, 2) float array, open (first point not repeated), counter-clockwise when it bounds
ink from outside.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

Array = NDArray[Any]


geometry_type = shapely.get_type_id
POLYGON, MULTIPOLYGON, COLLECTION = 3, 6, 7


def fill_nonzero(rings: Sequence[Array]) -> shapely.MultiPolygon:
    """The region that rings enclose by the non-zero rule, overlaps welded.

    Non-zero, because fonts draw letters from overlapping contours.
    """
    usable = [ring for ring in rings if len(ring) >= 3]
    if not usable:
        return shapely.MultiPolygon()
    return _polygons(manifold3d.CrossSection(usable, manifold3d.FillRule.NonZero))


def _polygons(section: manifold3d.CrossSection) -> shapely.MultiPolygon:
    polygons = []
    for piece in section.decompose():
        outer, holes = None, []
        for ring in piece.to_polygons():
            if signed_area(ring) > 0:
                outer = ring
            else:
                holes.append(ring)
        if outer is not None:
            polygons.append(shapely.Polygon(outer, holes))
    return shapely.MultiPolygon(polygons)


def fill_even_odd(rings: Sequence[Array]) -> shapely.MultiPolygon:
    """The region that rings enclose by the even-odd rule, all at once."""
    usable = [ring for ring in rings if len(ring) >= 3]
    if not usable:
        return shapely.MultiPolygon()
    return _polygons(manifold3d.CrossSection(usable, manifold3d.FillRule.EvenOdd))


def weld(regions: Sequence[shapely.MultiPolygon]) -> shapely.MultiPolygon:
    """The union of regions. Only those that touch are recomputed; the others stay to the bit."""
    live = [region for region in regions if not region.is_empty]
    if not live:
        return shapely.MultiPolygon()
    array = np.array(live, dtype=object)
    first, second = shapely.STRtree(array).query(array, predicate="intersects")
    touching = np.unique(first[first != second])
    if len(touching) == 0:
        return shapely.MultiPolygon([part for region in live for part in region.geoms])
    rings = [ring for index in touching for ring in rings_of(live[index])]
    apart = [live[i] for i in range(len(live)) if i not in set(touching.tolist())]
    joined = fill_nonzero(rings)
    return shapely.MultiPolygon([part for region in [*apart, joined] for part in region.geoms])


def rings_of(region: shapely.Geometry) -> list[Array]:
    """Every ring of a polygon or multipolygon, outer counter-clockwise, holes clockwise."""
    rings = []
    for part in polygons_in(region):
        rings.append(_turned(np.asarray(part.exterior.coords)[:-1, :2], ccw=True))
        rings.extend(_turned(np.asarray(hole.coords)[:-1, :2], ccw=False) for hole in part.interiors)
    return rings


def polygons_in(region: shapely.Geometry) -> list[shapely.Polygon]:
    """The polygons a geometry is made of; lines and points that an intersection leaves are dropped."""
    kind = geometry_type(region)
    if kind == POLYGON:
        return [] if region.is_empty else [region]
    if kind in (MULTIPOLYGON, COLLECTION):
        return [piece for part in region.geoms for piece in polygons_in(part)]
    return []


def as_region(parts: Iterable[shapely.Geometry]) -> shapely.MultiPolygon:
    """One multipolygon from geometries, without welding."""
    return shapely.MultiPolygon([piece for part in parts for piece in polygons_in(part)])


def stroke_mm(region: shapely.Geometry) -> float:
    """The mean width of a region's strokes: twice its area over the length of its outline."""
    return 2 * float(region.area) / max(float(region.length), 1e-12)


def signed_area(ring: Array) -> float:
    """Area of a ring, positive when counter-clockwise (shoelace formula)."""
    x, y = ring[:, 0], ring[:, 1]
    return float(0.5 * np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


def _turned(ring: Array, *, ccw: bool) -> Array:
    return ring if (signed_area(ring) > 0) == ccw else ring[::-1]


def sampled(ring: Array, step: float) -> Array:
    """Points along a ring no further apart than ``step``, corners kept."""
    ends = np.roll(ring, -1, axis=0)
    lengths = np.linalg.norm(ends - ring, axis=1)
    counts = np.maximum(np.ceil(lengths / step).astype(int), 1)
    owner = np.repeat(np.arange(len(ring)), counts)
    first = np.repeat(np.cumsum(counts) - counts, counts)
    t = (np.arange(len(owner)) - first) / counts[owner]
    return np.asarray(ring[owner] + t[:, None] * (ends - ring)[owner])


def run_of(points: Array) -> Array:
    """The length of a polyline (n, 2) up to each of its points, (n,)."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def length_of(points: Array) -> float:
    """The length of a polyline (n, 2)."""
    return float(run_of(points)[-1])
