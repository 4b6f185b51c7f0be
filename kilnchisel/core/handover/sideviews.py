"""A side of a piece as it lies flat: its border, what is kept clear, its letterings in their colours, and
what is measured on it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.build import laids_of
from kilnchisel.core.colour import linear_to_hex, srgb_encode
from kilnchisel.core.crafts.tubes import runs_of
from kilnchisel.core.finishes.finish import darkened, letter_material, material_of
from kilnchisel.core.finishes.gas import tube_rgb
from kilnchisel.core.handover.paper.dimensions import Dimension
from kilnchisel.core.handover.paper.marks import INK, PENCIL, Area, Drawing, Line, Shown
from kilnchisel.core.job.crafts import Engraved, Fitting, Tube
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.flat import distance_on, unrolls_true
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Layer, Raster
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.shop.silhouette import seen_at
from kilnchisel.core.units import format_number

Array = NDArray[Any]

PICTURE_PIXELS = 500
EDGE = 1e-3  # of a picture: what is so little beyond its edge is still it
AT_ONCE = 1_000_000  # pixels that are looked up together
MOST_MEASURED = 6  # letterings of a side whose places are measured: more is a drawing that nobody reads


@dataclass(frozen=True, eq=False)
class SideView:
    """One side, in its own mm: what is drawn, and what is measured."""

    name: str
    drawing: Drawing
    dimensions: tuple[Dimension, ...]
    closed: bool

    @property
    def box(self) -> tuple[float, float, float, float]:
        return self.drawing.box()


def side_views(job: Job) -> list[SideView]:
    """The lettered sides of a job, in the order of its letterings. Raises KilnError."""
    found: dict[str, list[tuple[int, Laid]]] = {}
    for index, lettering in enumerate(job.letterings):
        if lettering.hidden or isinstance(lettering.craft, Fitting):
            continue
        for laid in laids_of(job, index):
            found.setdefault(laid.lay.side, []).append((index, laid))
    return [_view(job, name, laid) for name, laid in found.items()]


def _view(job: Job, name: str, laid: list[tuple[int, Laid]]) -> SideView:
    side = laid[0][1].side
    drawing = Drawing()
    period, border = side.period, seen_at(job, side)
    if period is not None:
        border = _window(border, period, [one for _, one in laid])
    rings = tuple(rings_of(border))
    drawing.add("side", Area(rings, colour_of_blank(job)))
    for index, one in laid:
        _lettered(drawing, job, job.letterings[index], one, border)
    for ring in rings:
        drawing.add("border", Line(ring, 0.3, INK, closed=True))
    for zone in side.clear:
        for ring in rings_of(_unrolled(zone.area, period, border)):
            drawing.add("keep clear", Line(ring, 0.18, PENCIL, (1.2, 1.0), closed=True))
    seam = laid[0][1].seam_mm
    low_u, low_v, high_u, high_v = border.bounds
    if seam is not None and low_u < seam < high_u:
        drawing.add("seam", Line(np.array([[seam, low_v], [seam, high_v]]), 0.18, PENCIL, (3, 1, 0.5, 1)))
    dimensions = _overall(side, border.bounds)
    ruler = _Ruler(side)
    measured = [(i, one) for i, one in laid if not one.ink.is_empty]
    if len(measured) <= MOST_MEASURED:
        for index, one in measured:
            dimensions += _of_lettering(ruler, job.letterings[index], one, border.bounds)
    return SideView(name, drawing, tuple(dimensions), side.period is not None)


def _window(border: shapely.Polygon, period: float, laid: list[Laid]) -> shapely.Polygon:
    """Once round a closed side, begun where the longest lettering is not cut apart."""
    left, low, right, high = border.bounds
    inked = [one.ink.bounds for one in laid if not one.ink.is_empty]
    if any(box[0] < left or box[2] > right for box in inked):
        longest = max(inked, key=lambda box: box[2] - box[0])
        left = (longest[0] + longest[2] - period) / 2
        right = left + period
    return shapely.box(left, low, right, high)


def _unrolled(shape: Any, period: float | None, window: shapely.Polygon) -> Any:
    """What lies on a closed side where its window shows it."""
    if period is None:
        return shape
    turns = [shapely.transform(shape, lambda p, k=k: p + (k * period, 0.0)) for k in (-1, 0, 1)]
    return shapely.intersection(shapely.union_all(turns), window)


def _lettered(
    drawing: Drawing, job: Job, lettering: Lettering, laid: Laid, window: shapely.Polygon
) -> None:
    craft, period = lettering.craft, laid.side.period
    if isinstance(craft, Tube):
        colour = linear_to_hex(np.array(tube_rgb(craft.colour, craft.own_colour)))
        for run in runs_of(laid, craft):
            seen = run.path[:, :2]
            body = shapely.LineString(seen).buffer(craft.tube_mm / 2, quad_segs=4)
            body = _unrolled(body, period, window)
            drawing.add("letters", Area(tuple(rings_of(body)), colour))
            drawing.add("letters", *(Line(ring, 0.13, INK, closed=True) for ring in rings_of(body)))
        return
    for layer in laid.layers:
        if layer.region.is_empty:
            continue
        region = _unrolled(layer.region, period, window)
        rings = tuple(rings_of(region))
        if layer.layer.raster is not None and not region.is_empty:
            drawing.add("letters", pictured(laid, region, layer.layer.raster, PICTURE_PIXELS))
        else:
            drawing.add("letters", Area(rings, colour_of_layer(job, lettering, layer.layer)))
        drawing.add("letters", *(Line(ring, 0.1, PENCIL, closed=True) for ring in rings))


def pictured(
    laid: Laid,
    region: Any,
    raster: Raster,
    most: int,
    on_sheet: Callable[[Array], Array] = np.asarray,
) -> Shown:
    """A picture and its copies as they lie in a region, clear elsewhere, no finer than it is itself;
    ``most``: pixels along it; ``on_sheet``: from the region's places (n, 2) to those of the sheet."""
    left, low, right, high = region.bounds
    rows, columns, _ = raster.pixels.shape
    step = max(max(right - left, high - low) / most, raster.width_mm / columns)
    wide, tall = (max(1, math.ceil(far / step - 1e-6)) for far in (right - left, high - low))
    shown = np.zeros((tall, wide, 4), np.uint8)
    shapely.prepare(region)
    across = left + step * (np.arange(wide) + 0.5)
    for first in range(0, tall, lines := max(AT_ONCE // wide, 1)):
        down = high - step * (np.arange(first, min(first + lines, tall)) + 0.5)
        u, v = (one.ravel() for one in np.meshgrid(across, down))
        places, seen = on_sheet(np.stack([u, v], axis=1)), shapely.contains_xy(region, u, v)
        band = np.zeros((len(places), 4))
        for copy in range(len(laid.placing.copies)):
            share = laid.placing.back(places, copy) / (raster.width_mm, raster.height_mm) + 0.5
            own = seen & (np.abs(share - 0.5) <= 0.5 + EDGE).all(axis=1)
            x, y = np.clip(share[own] * (columns, rows), 0, (columns - 1, rows - 1)).astype(int).T
            band[own] = np.column_stack([srgb_encode(raster.pixels[y, x]), np.ones(len(x))])
        pixels = np.rint(255 * np.clip(band, 0, 1)).astype(np.uint8)
        shown[first : first + len(down)] = pixels.reshape(-1, wide, 4)
    return Shown(shown, (left, high - step * tall, left + step * wide, high))


def colour_of_blank(job: Job) -> str:
    """The colour of a piece as ink on paper can show it, #rrggbb."""
    return linear_to_hex(np.clip(material_of(job.finish).albedo, 0.0, 1.0))


def colour_of_layer(job: Job, lettering: Lettering, layer: Layer) -> str:
    """The colour of a layer of a lettering, #rrggbb."""
    material = letter_material(layer.finish or lettering.finish, material_of(job.finish))
    if isinstance(lettering.craft, Engraved) and lettering.craft.darkened > 0:
        material = darkened(material, lettering.craft.darkened)
    return linear_to_hex(np.clip(material.albedo, 0.0, 1.0))


class _Ruler:
    """Lengths as they are on the piece: over the surface of a side whose sheet is not true."""

    def __init__(self, side: Side | None) -> None:
        true = side is None or unrolls_true(side) or isinstance(side, Chart)
        self._side = None if true else side

    def across(self, start: float, end: float, level: float, at: tuple[float, float]) -> Dimension:
        """From u to u at a level v; ``at``: where across it the measured points lie."""
        return Dimension("across", start, end, at, self._figure(start, end, lambda u: (u, level)))

    def up(self, start: float, end: float, beside: float, at: tuple[float, float]) -> Dimension:
        """From v to v at a u."""
        return Dimension("up", start, end, at, self._figure(start, end, lambda v: (beside, v)))

    def _figure(self, start: float, end: float, spot: Callable[[float], tuple[float, float]]) -> str:
        long = end - start
        if self._side is not None:
            long = distance_on(self._side, np.array(spot(start)), np.array(spot(end)))[0]
        return format_number(long, 1)


def _overall(side: Side, box: tuple[float, float, float, float]) -> list[Dimension]:
    """As wide and high as it is seen; round a closed side once, at its foot."""
    left, low, right, high = box
    ruler = _Ruler(side if side.period is not None else None)
    return [ruler.across(left, right, low, (low, low)), ruler.up(low, high, left, (left, left))]


def _of_lettering(
    ruler: _Ruler, lettering: Lettering, laid: Laid, edges: tuple[float, float, float, float]
) -> list[Dimension]:
    """How wide and high it is, how high its capitals are, and how far it is from two edges."""
    left, low, right, high = laid.ink.bounds
    edge_left, edge_low, edge_right, _ = edges
    if (period := laid.side.period) is not None:  # where its middle is in the window
        turn = period * np.floor(((left + right) / 2 - edge_left) / period)
        left, right = max(left - turn, edge_left), min(right - turn, edge_right)
    middle, level = (left + right) / 2, (low + high) / 2
    found = [ruler.across(left, right, level, (low, low)), ruler.up(low, high, middle, (left, left))]
    if laid.side.period is None and left > edge_left:
        found.append(ruler.across(edge_left, left, level, (edge_low, low)))
    if low > edge_low:
        found.append(ruler.up(edge_low, low, middle, (edge_left, left)))
    content = lettering.content
    if isinstance(content, Wording) and laid.outline.cap_height_mm < 0.97 * (high - low):
        stand = laid.outline.stands[0] if laid.outline.stands else None
        upright = stand is not None and abs(laid.lay.turn_deg) < 1e-6 and np.allclose(stand.turn, np.eye(2))
        if upright and stand is not None:
            capital = np.stack([stand.anchor, stand.anchor + (0.0, laid.outline.cap_height_mm)])
            (beside, base), (_, top) = laid.placing.points(capital).tolist()
            found.append(ruler.up(base, top, beside, (right, right)))
    return found
