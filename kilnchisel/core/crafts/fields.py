"""Heights that vary all over a region: textures cut with a tool, and pictures turned into relief.

Heights are given at points of the outline's own coordinates, in mm, so that they lie as it lies.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.job.crafts import Carved, Raised, Relief, Standing
from kilnchisel.core.later import ndimage, spatial
from kilnchisel.core.lettering.nearness import distances_to
from kilnchisel.core.lettering.outline import Raster
from kilnchisel.core.lettering.polygons import polygons_in, stroke_mm
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

STRETCH = 2.4  # chips are so many times longer along the grain
MOST_POINTS = 70_000


@dataclass(frozen=True)
class Carving:
    """The marks of a tool, from 0 down to -depth."""

    pattern: str
    depth_mm: float
    cell_mm: float
    grain_deg: float
    seed: int

    @property
    def step_mm(self) -> float:
        """How far apart points must be to show it."""
        return self.cell_mm / {"chips": 5.0, "ripples": 7.0, "stipple": 5.0, "grain": 8.0}[self.pattern]

    @property
    def fade_mm(self) -> float:
        """Over which distance from the region's border it begins."""
        return 0.5 * self.cell_mm

    @property
    def lowest(self) -> float:
        return -self.depth_mm

    @property
    def highest(self) -> float:
        return 0.0

    def heights(self, points: Array) -> Array:
        """Heights (n,) at points (n, 2)."""
        turn = np.radians(self.grain_deg)
        along = points @ np.array([np.cos(turn), np.sin(turn)])
        across = points @ np.array([-np.sin(turn), np.cos(turn)])
        return np.asarray(-self.depth_mm * _PATTERNS[self.pattern](along, across, self.cell_mm, self.seed))


def _chips(along: Array, across: Array, cell: float, seed: int) -> Array:
    """Gouge cuts: bowls about scattered middles, ridges where they meet."""
    return _bowls(np.column_stack([along / STRETCH, across]), cell, seed)


def _stipple(along: Array, across: Array, cell: float, seed: int) -> Array:
    """Punched dimples on level ground."""
    near = _nearest(np.column_stack([along, across]), cell, seed)[:, 0]
    return np.asarray(np.clip(1 - (near / (0.42 * cell)) ** 2, 0, 1))


def _bowls(points: Array, cell: float, seed: int) -> Array:
    near = _nearest(points, cell, seed)
    # deepest in the middle of a cell, nought half way to the next
    return np.asarray(np.clip(1 - (2 * near[:, 0] / np.maximum(near.sum(axis=1), 1e-9)) ** 2, 0, 1))


def _nearest(points: Array, cell: float, seed: int) -> Array:
    """Distances to the two nearest of middles scattered one to a cell, (n, 2)."""
    low, high = np.floor(points.min(axis=0) / cell) - 2, np.ceil(points.max(axis=0) / cell) + 2
    i, j = np.meshgrid(np.arange(low[0], high[0] + 1), np.arange(low[1], high[1] + 1))
    grid = np.stack([i.ravel(), j.ravel()], axis=1)
    middles = (grid + 0.5 + 0.38 * (_scatter(grid, seed) * 2 - 1)) * cell
    return np.asarray(spatial.cKDTree(middles).query(points, k=2)[0])


def _scatter(grid: Array, seed: int) -> Array:
    """Two numbers 0..1 for each cell, the same for the same cell wherever a region begins, (n, 2)."""
    i, j = grid[:, 0].astype(np.int64), grid[:, 1].astype(np.int64)
    mixed = (i * 374_761_393 + j * 668_265_263 + seed * 974_634_777) & 0xFFFFFFFF
    one = ((mixed ^ (mixed >> 13)) * 1_274_126_177) & 0xFFFFFFFF
    two = ((one ^ (one >> 16)) * 2_246_822_519) & 0xFFFFFFFF
    return np.column_stack([one, two]) / float(0xFFFFFFFF)


def _ripples(along: Array, across: Array, cell: float, seed: int) -> Array:
    """Rows of a shallow gouge pulled along the grain, wandering a little."""
    shift = 7.3 * seed
    wander = 0.22 * np.sin(along / (3.1 * cell) + shift) + 0.12 * np.sin(along / (1.3 * cell) + 2 * shift)
    place = across / cell + wander
    return np.asarray(1 - (2 * np.abs(place - np.floor(place) - 0.5)) ** 2)


def _grain(along: Array, across: Array, cell: float, seed: int) -> Array:
    """Weathered grain: soft wood worn out between hard lines that bend round each other."""
    shift = 5.7 * seed
    wide = along / (4.3 * cell) + 1.7 * shift + across / (7 * cell)
    bend = 0.9 * np.sin(along / (9 * cell) + shift) + 0.5 * np.sin(wide)
    place = across / cell + bend
    lines = 0.5 + 0.5 * np.cos(2 * np.pi * place)
    fine = 0.5 + 0.5 * np.cos(2 * np.pi * (2.7 * place + 0.3 * np.sin(along / (2 * cell))))
    return np.asarray(np.clip(0.75 * lines**0.6 + 0.25 * fine, 0, 1))


_PATTERNS = {"chips": _chips, "stipple": _stipple, "ripples": _ripples, "grain": _grain}


@dataclass(frozen=True)
class Portrait:
    """A picture as relief, from 0 up to height (or down, where it is sunk)."""

    raster: Raster
    height_mm: float
    smooth_mm: float
    contrast: float
    levels: int
    bright_high: bool
    blend_mm: float

    @property
    def step_mm(self) -> float:
        """As fine as the picture is, but for very fine ones."""
        pixel = self.raster.width_mm / self.raster.pixels.shape[1]
        least = float(np.sqrt(self.raster.width_mm * self.raster.height_mm / MOST_POINTS))
        return float(max(pixel, least, 0.35 * self.smooth_mm))

    @property
    def fade_mm(self) -> float:
        return float(self.blend_mm)

    @property
    def lowest(self) -> float:
        return min(self.height_mm, 0.0)

    @property
    def highest(self) -> float:
        return max(self.height_mm, 0.0)

    def heights(self, points: Array) -> Array:
        """Heights (n,) at points (n, 2)."""
        picture = _toned(self)
        rows, columns = picture.shape
        x = (points[:, 0] / self.raster.width_mm + 0.5) * columns - 0.5
        y = (points[:, 1] / self.raster.height_mm + 0.5) * rows - 0.5
        return np.asarray(
            self.height_mm * ndimage.map_coordinates(picture, [y, x], order=1, mode="nearest")
        )


@remembered
def _toned(made: Portrait) -> Array:
    """The picture's lightness 0..1, smoothed with its edges kept, with its contrast and levels."""
    raster = made.raster
    grey = np.cbrt(np.clip(raster.pixels @ LUMA, 0, 1))  # as light as it looks
    pixel = raster.width_mm / raster.pixels.shape[1]
    smooth = _edge_keeping(grey, made.smooth_mm / pixel)
    low, high = np.quantile(smooth, (0.01, 0.99))
    smooth = np.clip((smooth - low) / max(float(high - low), 1e-6), 0, 1)
    if not made.bright_high:
        smooth = 1 - smooth
    smooth = smooth**made.contrast
    if made.levels > 1:
        smooth = np.round(smooth * (made.levels - 1)) / (made.levels - 1)
    return np.asarray(smooth)


def _edge_keeping(grey: Array, radius: float) -> Array:
    """Smoothed within areas, not across edges: the guided filter of the picture by itself (He, Sun and
    Tang 2013), its box replaced by a Gaussian."""
    if radius < 0.3:
        return grey
    mean = ndimage.gaussian_filter(grey, radius)
    spread = np.maximum(ndimage.gaussian_filter(grey * grey, radius) - mean * mean, 0)
    share = spread / (spread + 0.02**2)
    return np.asarray(
        ndimage.gaussian_filter(share, radius) * grey + ndimage.gaussian_filter((1 - share) * mean, radius)
    )


@dataclass(frozen=True, eq=False)
class Moulding:
    """A profile across a line, from its outer edge inwards: heights (k,) mm at distances (k,) mm."""

    outer: shapely.Geometry
    far: Array
    high: Array
    step: float

    @property
    def step_mm(self) -> float:
        return self.step

    @property
    def fade_mm(self) -> float:
        return 0.0

    @property
    def lowest(self) -> float:
        return 0.0

    @property
    def highest(self) -> float:
        return float(self.high.max())

    def lines(self, *, rough: bool) -> Array:
        """Points (n, 2) along the lines on which the profile bends."""
        step = self.step * (4.0 if rough else 1.6)
        inner = [d for d in self.far[1:-1][:: 3 if rough else 1] if d > 0]
        if rough:
            inner.append(float(self.far[int(np.argmax(self.high))]))
        body = shapely.polygonize(list(shapely.get_parts(self.outer)))
        rings = [shapely.buffer(body, -float(d), join_style="mitre").boundary for d in np.unique(inner)]
        found = [shapely.get_coordinates(shapely.segmentize(ring, step)) for ring in rings]
        return np.concatenate(found) if found else np.empty((0, 2))

    def heights(self, points: Array) -> Array:
        """Heights (n,) at points (n, 2)."""
        away = distances_to(self.outer, points)
        return np.asarray(np.interp(away, self.far, self.high))


FLANK = 0.05  # of the width: over so much a profile rises from its ground


def profile_curve(craft: Raised) -> tuple[Array, Array]:
    """A moulding's profile: shares of its width from the outer edge, and of its height. It begins and
    ends on the ground."""
    turn = np.linspace(0, 1, 21)
    if craft.moulding == "bead":
        return (1 - np.cos(np.pi * turn)) / 2, np.sin(np.pi * turn)
    if craft.moulding in ("cove", "ogee"):
        quarter = np.pi / 2 * turn
        inner = 1 - np.cos(quarter) if craft.moulding == "cove" else turn
        # a hollow that falls away inwards, or a swell that runs out in one
        high = 1 - np.sin(quarter) if craft.moulding == "cove" else 0.5 * (1 + np.cos(np.pi * turn))
        return np.append(0.0, FLANK + (1 - FLANK) * inner), np.append(0.0, high)
    if craft.moulding == "steps":
        far = np.array([0, FLANK, 0.36, 0.36 + FLANK, 0.66, 0.66 + FLANK, 1 - FLANK, 1])
        return far, np.array([0, 1, 1, 0.66, 0.66, 0.33, 0.33, 0])
    drawn = np.array(sorted(craft.profile, key=lambda p: p[0])) / 100
    far, high = drawn.T
    if len(far) == 0 or far[0] > 0 or high[0] > 0:
        far, high = np.append(0.0, np.maximum(far, 1e-3)), np.append(0.0, high)
    if far[-1] < 1 or high[-1] > 0:
        far, high = np.append(np.minimum(far, 1 - 1e-3), 1.0), np.append(high, 0.0)
    return far, high


@remembered
def _moulding(craft: Raised, region: shapely.MultiPolygon) -> Moulding:
    wide = stroke_mm(region)
    far, high = profile_curve(craft)
    least = float(np.sqrt(region.area / MOST_POINTS))
    outer = shapely.union_all([shapely.LinearRing(part.exterior.coords) for part in polygons_in(region)])
    return Moulding(outer, far * wide, high * craft.height_mm, max(wide / 16, least))


def moulding_of(craft: Raised, region: shapely.MultiPolygon) -> Moulding:
    """The profile of a moulded line: a ring, a border, a frame. Its width is the line's own."""
    return _moulding(craft, region)


@dataclass(frozen=True)
class Profiled:
    """Profiled sheet, from 0 at its crests down to -depth: waves, or trapezoids with flanks of a quarter of
    the pitch each. ``area_mm2``: of what it covers, which bounds how closely it is followed."""

    shape: Literal["wave", "trapezoid"]
    pitch_mm: float
    depth_mm: float
    rib_deg: float
    area_mm2: float

    @property
    def step_mm(self) -> float:
        """How far apart points must be to show it."""
        return float(max(self.pitch_mm / 12, np.sqrt(self.area_mm2 / MOST_POINTS)))

    @property
    def fade_mm(self) -> float:
        """Its section is seen at the edges."""
        return 0.0

    @property
    def lowest(self) -> float:
        return -self.depth_mm

    @property
    def highest(self) -> float:
        return 0.0

    def heights(self, points: Array) -> Array:
        """Heights (n,) at points (n, 2)."""
        turn = np.radians(self.rib_deg)
        place = points @ np.array([np.sin(turn), -np.cos(turn)]) / self.pitch_mm
        if self.shape == "wave":
            return np.asarray(-self.depth_mm * (0.5 - 0.5 * np.cos(2 * np.pi * place)))
        off = np.abs((place + 0.5) % 1 - 0.5)  # 0 on a crest, 0.5 in a trough
        return np.asarray(-self.depth_mm * np.clip((off - 0.125) / 0.25, 0, 1))


def profiled_of(craft: Standing, area_mm2: float) -> Profiled | None:
    """The sheet that a standing letter's face is of, None where that is flat."""
    if craft.face == "flat":
        return None
    return Profiled(craft.face, craft.pitch_mm, craft.profile_mm, craft.profile_deg, area_mm2)


Field = Carving | Portrait | Moulding | Profiled


def carving_of(craft: Carved) -> Carving | None:
    """The texture of a carved surface; None where it is left smooth."""
    if craft.texture == "smooth":
        return None
    return Carving(craft.texture, craft.depth_mm, craft.cell_mm, craft.grain_deg, craft.seed)


def portrait_of(craft: Relief, raster: Raster) -> Portrait:
    """A picture as a craft's relief."""
    height = -craft.height_mm if craft.sunk else craft.height_mm
    return Portrait(
        raster, height, craft.smooth_mm, craft.contrast, craft.levels, craft.bright_high, craft.blend_mm
    )
