"""Wording to outline: letters as regions in mm, and what is drawn of them, layer by layer.

The origin of rows is the middle of the ink from left to right, and half way between the top row's
capital line and the bottom row's baseline, so that descenders do not make a row jump. A circle's is
its centre; a curve's and a slope's are given with it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.job.finish import LetterFinish
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.arranging import Arranged, Placed, Stand, arrange, is_straight
from kilnchisel.core.lettering.bending import bent_lines
from kilnchisel.core.lettering.faces import LoadedFace, load_face
from kilnchisel.core.lettering.glyphs import glyph_lines, glyph_region, tolerance_units
from kilnchisel.core.lettering.polygons import as_region, run_of, stroke_mm, weld
from kilnchisel.core.lettering.reshaping import (
    backing_shape,
    bridged,
    contour_lines,
    rounded,
    stroked,
    thickened,
)

Array = NDArray[Any]

LayerKind = Literal["letters", "contour", "backing"]
FIT_ROUNDS, FIT_MM = 5, 1e-5


@dataclass(frozen=True, eq=False)
class Letter:
    """One glyph of the wording, placed. ``region`` is in mm, in the block's coordinates; ``lines``:
    what a pen draws, where the letters are lines."""

    character: str
    at: int
    glyph: int
    row: int
    region: shapely.MultiPolygon
    lines: tuple[Array, ...] = ()


@dataclass(frozen=True, eq=False)
class Raster:
    """Colour artwork: linear RGB (h, w, 3), row 0 the lower edge, over width x height mm about the
    origin."""

    pixels: Array
    width_mm: float
    height_mm: float


@dataclass(frozen=True, eq=False)
class Layer:
    """Ink that is made and finished alike. ``finish``: None is the lettering's own; ``height``: share
    of the craft's height or depth."""

    kind: LayerKind
    finish: LetterFinish | None
    region: shapely.MultiPolygon
    height: float = 1.0
    raster: Raster | None = None


@dataclass(frozen=True, eq=False)
class Outline:
    """What is drawn. ``bounds``: ink (left, bottom, right, top) mm, letters that are left out counted as
    if they were there, zeros when nothing is drawn.

    ``layers`` do not overlap but for letters of different finish, where the later lies on top;
    ``ink`` is all of them together.
    """

    face: LoadedFace | None
    cap_height_mm: float
    letters: tuple[Letter, ...]
    stands: tuple[Stand, ...]
    layers: tuple[Layer, ...]
    ink: shapely.MultiPolygon
    bounds: tuple[float, float, float, float]
    missing: tuple[str, ...] = ()
    lines: tuple[Array, ...] = ()
    width: float = 100.0
    rounded_mm: float = 0.0
    as_drawn: bool = False  # letters just as the face draws them, sized alike
    notes: tuple[str, ...] = ()
    filled: bool = False  # filled shapes: a tube runs round them, not along their middle

    @property
    def width_mm(self) -> float:
        return self.bounds[2] - self.bounds[0]

    @property
    def height_mm(self) -> float:
        return self.bounds[3] - self.bounds[1]

    def advance_mm(self, row: int = 0) -> float:
        """From the first letter's start to the last one's end in a level row."""
        ends = [
            (s.anchor[0] - s.advance_mm / 2, s.anchor[0] + s.advance_mm / 2)
            for s in self.stands
            if s.row == row
        ]
        return float(max(end for _, end in ends) - min(start for start, _ in ends)) if ends else 0.0

    def baselines_mm(self) -> list[float]:
        """The height of each level row that has letters."""
        heights = {s.row: float(s.anchor[1]) for s in self.stands}
        return [heights[row] for row in sorted(heights)]

    @cached_property
    def plainer(self) -> tuple[shapely.MultiPolygon, ...]:
        """The layers' regions with fewer points: no outline strays by more than a fortieth of its
        strokes' width."""
        return tuple(plainer(layer.region) for layer in self.layers)

    @property
    def letter_ink(self) -> shapely.MultiPolygon:
        """The letters without contour and backing."""
        return as_region(layer.region for layer in self.layers if layer.kind == "letters")


PLAINER = 1 / 40  # of the mean width of a stroke


def plainer(region: shapely.MultiPolygon) -> shapely.MultiPolygon:
    """A region with fewer points, for pictures while something moves."""
    if region.is_empty:
        return region
    parts, within = shapely.get_parts(region), PLAINER * stroke_mm(region)
    made = shapely.simplify(parts, within, preserve_topology=False)
    # what that spoils is done again the slow way, each by itself
    spoiled = ~shapely.is_valid(made) | shapely.is_empty(made)
    spoiled |= shapely.get_type_id(made) != shapely.GeometryType.POLYGON
    spoiled |= shapely.get_num_interior_rings(made) != shapely.get_num_interior_rings(parts)
    made[spoiled] = shapely.simplify(parts[spoiled], within)
    return as_region(made)


def make_outline(wording: Wording) -> Outline:
    """Draw the wording. Raises KilnError when its face cannot be used."""
    face = load_face(wording.face)
    slack = 0.0
    for _ in range(FIT_ROUNDS):
        arranged = arrange(wording, face, slack)
        letters = _drawn(face, arranged, wording)
        bodies, kept_round = _bodies(letters, wording)
        # what thickening and rounding add or take at the ends is known only afterwards
        off = _misfit(wording, bodies)
        if abs(off) < FIT_MM:
            break
        slack += off
    whole = bounds_of(weld([layer.region for layer in bodies]))
    gone = {change.at for change in wording.letters if change.hidden}
    if gone:
        letters = [letter for letter in letters if letter.at not in gone]
        bodies, kept_round = _bodies(letters, wording)
    layers = _layers(bodies, wording)
    ink = weld([layer.region for layer in layers]) if len(layers) > 1 else layers[0].region
    return Outline(
        face=face,
        cap_height_mm=arranged.cap_height_mm,
        letters=tuple(letters),
        stands=arranged.stands,
        layers=layers,
        ink=ink,
        bounds=whole if gone else bounds_of(ink),
        missing=arranged.missing,
        lines=tuple(line for letter in letters for line in letter.lines),
        width=arranged.width,
        rounded_mm=kept_round,
        as_drawn=_as_drawn(wording, arranged),
    )


def _drawn(face: LoadedFace, arranged: Arranged, wording: Wording) -> list[Letter]:
    if wording.by_lines:
        return _lined(face, arranged, wording)
    return _filled(face, arranged.placed, tolerance_units(face, arranged.cap_height_mm))


def _misfit(wording: Wording, bodies: list[Layer]) -> float:
    """How much wider than asked fitted rows have become, mm."""
    if wording.fit is None or not is_straight(wording):
        return 0.0
    boxes = [layer.region.bounds for layer in bodies if not layer.region.is_empty]
    if not boxes:
        return 0.0
    return float(max(box[2] for box in boxes) - min(box[0] for box in boxes) - wording.fit.width_mm)


def _as_drawn(wording: Wording, arranged: Arranged) -> bool:
    changed = wording.thicken_mm or wording.round_mm or wording.slant_deg or wording.stencil
    sized = any(item.size != 100 or item.hidden for item in wording.letters) or arranged.width != 100
    return not (changed or sized or wording.by_lines)


def bounds_of(ink: shapely.MultiPolygon) -> tuple[float, float, float, float]:
    """Left, bottom, right, top; zeros without ink."""
    if ink.is_empty:
        return (0.0, 0.0, 0.0, 0.0)
    left, bottom, right, top = map(float, ink.bounds)
    return (left, bottom, right, top)


def _filled(face: LoadedFace, placed: tuple[Placed, ...], tolerance: float) -> list[Letter]:
    inked = [
        (item, region)
        for item in placed
        if not (region := glyph_region(face, item.glyph, tolerance)).is_empty
    ]
    if not inked:
        return []
    regions = np.array([region for _, region in inked], dtype=object)
    points, owner = shapely.get_coordinates(regions, return_index=True)
    linear = np.array([item.linear for item, _ in inked])
    shift = np.array([item.shift for item, _ in inked])
    moved = np.einsum("nij,nj->ni", linear[owner], points) + shift[owner]
    regions = shapely.set_coordinates(regions.copy(), moved)
    return [
        Letter(item.character, item.at, item.glyph, item.row, region)
        for (item, _), region in zip(inked, regions, strict=True)
    ]


def _lined(face: LoadedFace, arranged: Arranged, wording: Wording) -> list[Letter]:
    """Letters as lines of the pen's width, their free ends within the letter."""
    pen = wording.pen_mm / 2
    letters = []
    for item in arranged.placed:
        lines: list[Array] = []
        for line in glyph_lines(face, item.glyph):
            points = line.points @ item.linear.T + item.shift
            if face.open_font is None:
                points = _shortened(points, pen if line.free[0] else 0.0, pen if line.free[1] else 0.0)
            lines += bent_lines(points, wording.bend_mm)
        if lines:
            region = stroked(lines, wording.pen_mm)
            letters.append(Letter(item.character, item.at, item.glyph, item.row, region, tuple(lines)))
    return letters


def _shortened(points: Array, at_start: float, at_end: float) -> Array:
    """A line that ends so much earlier, but never less than half of it."""
    run = run_of(points)
    whole = run[-1]
    low, high = min(at_start, 0.25 * whole), whole - min(at_end, 0.25 * whole)
    inner = points[(run > low) & (run < high)]
    ends = np.stack([np.interp([low, high], run, points[:, i]) for i in range(2)], axis=1)
    return np.vstack([ends[:1], inner, ends[1:]])


def _bodies(letters: list[Letter], wording: Wording) -> tuple[list[Layer], float]:
    """The letters by finish, reshaped, and the corner radius that could be kept."""
    own = {change.at: change.finish for change in wording.letters if change.finish is not None}
    groups: dict[Any, list[shapely.MultiPolygon]] = {None: []}
    for letter in letters:
        groups.setdefault(own.get(letter.at), []).append(letter.region)
    layers: list[Layer] = []
    kept_round = wording.round_mm
    for finish, regions in groups.items():
        region, kept = reshaped(weld(regions), wording)
        kept_round = min(kept_round, kept)
        layers.append(Layer("letters", finish, region))
    return [layer for layer in layers if not layer.region.is_empty] or layers[:1], kept_round


def _layers(bodies: list[Layer], wording: Wording) -> tuple[Layer, ...]:
    """Letters, with the lines and shapes that follow them."""
    layers = list(bodies)
    whole = weld([layer.region for layer in layers]) if len(layers) > 1 else layers[0].region
    if whole.is_empty:
        return tuple(layers)
    if wording.contour is not None:
        line = wording.contour
        ring = contour_lines(whole, line.distance_mm, line.line_mm, line.second_mm, line.gap_mm)
        layers.append(Layer("contour", line.finish, ring))
        whole = as_region([whole, ring])
    if wording.backing is not None:
        backing = wording.backing
        if backing.form == "rectangle":
            shape = as_region([shapely.box(*whole.buffer(backing.distance_mm).bounds)])
        else:
            shape = backing_shape(whole, backing.distance_mm)
        behind = as_region([shapely.difference(shape, whole)])
        if backing.letters == "weeded out":  # what is left is one film, with the letters as its holes
            return (Layer("letters", backing.finish, behind),)
        layers.insert(0, Layer("backing", wording.backing.finish, behind, wording.backing.height / 100))
    return tuple(layers)


def reshaped(region: shapely.MultiPolygon, wording: Wording) -> tuple[shapely.MultiPolygon, float]:
    """The region with what the wording does to its outline, and the corner radius that was kept."""
    kept = wording.round_mm
    region = thickened(region, wording.thicken_mm)
    if wording.round_mm:
        region, kept = rounded(region, wording.round_mm)
    if wording.stencil is not None:
        region = bridged(region, wording.stencil.bridge_mm, wording.stencil.bridges)
    return region, kept
