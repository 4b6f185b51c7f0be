"""What a lettering takes of its sheet: regions, layer by layer and stage by stage, and their heights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.crafts.profile import Outlined, Stage, stages_of
from kilnchisel.core.crafts.roof import (
    border_step,
    distances_in,
    widest_mm,
)
from kilnchisel.core.detail import Detail
from kilnchisel.core.easing import smooth_step
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Craft, Engraved, Pressed, Raised, WovenPatch
from kilnchisel.core.laying.laid import Laid, LaidLayer
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.lettering.polygons import as_region, polygons_in, stroke_mm
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Inked:
    """A region of the sheet that a lettering takes: a stage of its craft on a layer, ``below`` being the
    height of the ground there."""

    index: int
    laid: Laid
    layer: LaidLayer
    stage: Stage
    region: shapely.MultiPolygon
    below: float = 0.0


FULL_WIDTH = ("ridge", "cushion")  # edges that reach to the middle of every stroke


def stages_on(layer: Layer, craft: Craft, through_mm: float = 0.0) -> list[Stage]:
    """The stages of a craft on a layer, at the share of its heights that the layer takes."""
    widest = widest_mm(layer) if isinstance(craft, Raised) and craft.edge in FULL_WIDTH else 0.0
    on = Outlined(widest, through_mm, layer.raster, layer.region)
    share = 1.0 if isinstance(craft, WovenPatch) else layer.height  # all layers are of one weave
    return [stage.scaled(share) for stage in stages_of(craft, on)]


def inked_of(
    index: int, laid: Laid, craft: Craft, through_mm: float = 0.0, *, detail: Detail
) -> list[Inked]:
    """What a lettering takes of its sheet, layer by layer and stage by stage."""
    found = []
    for number, layer in enumerate(milled_layers(laid, craft)):
        shape = layer.layer
        for scaled in stages_on(shape, craft, through_mm):
            if scaled.shared and number > 0:
                continue
            region = _region_of(layer, scaled, laid)
            if scaled.open:
                region = shapely.transform(region, gridded)  # as its other end will be
            if scaled.field is not None:
                step = field_step(shape, scaled, detail=detail)
                region = as_region([shapely.segmentize(region, step)])
            elif not scaled.level and not scaled.grow_mm:
                step = border_step(shape, scaled.knots[-1][0], detail=detail)
                region = as_region([shapely.segmentize(region, step)])
            found.append(Inked(index, laid, layer, scaled, region))
    return found


def _region_of(layer: LaidLayer, stage: Stage, laid: Laid) -> shapely.MultiPolygon:
    """What a stage takes of the sheet."""
    return laid.placing.region(own_region(layer.layer, stage, laid)) if stage.grow_mm else layer.region


def own_region(layer: Layer, stage: Stage, laid: Laid) -> shapely.MultiPolygon:
    """The same of a stage that grows, in the outline's own coordinates."""
    if stage.shared:
        return _grown_together(laid, stage.grow_mm, filled=stage.filled, boxed=stage.boxed)
    return grown(layer, stage.grow_mm, filled=stage.filled, boxed=stage.boxed)


def _grown_together(laid: Laid, by: float, *, filled: bool, boxed: bool) -> shapely.MultiPolygon:
    layers = [item.layer for item in laid.layers if not item.layer.region.is_empty]
    return as_region([shapely.union_all([grown(one, by, filled=filled, boxed=boxed) for one in layers])])


def patch_of(laid: Laid, craft: WovenPatch, inset_mm: float = 0.0) -> shapely.MultiPolygon:
    """The patch of a lettering, its edge with it, in the outline's own coordinates; ``inset_mm``: what of
    it lies so far within."""
    by = craft.margin_mm - inset_mm
    return _grown_together(laid, by, filled=True, boxed=craft.form == "rectangle")


def widest_of(laid: Laid, craft: Craft) -> shapely.MultiPolygon | None:
    """All that a craft takes of the sheet round its letters; None where that is nothing, or nothing but
    the ground that swells beside what is pressed in."""
    stages = [stage for x in laid.layers for stage in stages_on(x.layer, craft, laid.side.wall_mm)]
    wide = max(stages, key=lambda stage: stage.grow_mm, default=None)
    if wide is None or wide.grow_mm <= 0 or isinstance(craft, Pressed):
        return None
    return laid.placing.region(_grown_together(laid, wide.grow_mm, filled=wide.filled, boxed=wide.boxed))


def milled_layers(laid: Laid, craft: Craft) -> Sequence[LaidLayer]:
    """The layers as a turning cutter leaves them: its radius in every inner corner, and nothing where it
    does not get in."""
    if not isinstance(craft, Engraved) or craft.cutter_mm <= 0 or craft.floor == "v":
        return laid.layers
    cut = [(item, milled(item.layer, craft.cutter_mm)) for item in laid.layers]
    return [
        replace(item, layer=layer, region=laid.placing.region(layer.region))
        for item, layer in cut
        if not layer.region.is_empty
    ]


@remembered
def milled(layer: Layer, cutter_mm: float) -> Layer:
    """What a cutter of this diameter reaches of a layer: its opening by a disc. The same one each time."""
    radius = cutter_mm / 2
    reached = shapely.buffer(shapely.buffer(layer.region, -radius, quad_segs=16), radius, quad_segs=16)
    return replace(layer, region=as_region([shapely.simplify(reached, 0.002)]))


ACROSS, ACROSS_ROUGHLY = 3.0, 1.5  # points of a texture across a stroke of mean width
ROUGHER = 2.5  # how much wider a texture's points are apart while something moves


def field_step(layer: Layer, stage: Stage, *, detail: Detail) -> float:
    """How far apart a textured stage's points are, mm: close enough for its marks, and for strokes that
    are narrower than those."""
    assert stage.field is not None
    stroke = stroke_mm(layer.region)
    if detail.rough:
        return min(stage.field.step_mm * ROUGHER, stroke / ACROSS_ROUGHLY)
    return min(stage.field.step_mm, stroke / ACROSS)


@remembered
def grown(layer: Layer, by: float, *, filled: bool, boxed: bool) -> shapely.MultiPolygon:
    """A layer's region grown; ``filled``: with what it goes round; ``boxed``: as a rectangle about it."""
    region = shapely.box(*layer.region.bounds) if boxed else layer.region
    wider = shapely.buffer(region, by, quad_segs=8)
    if filled:
        wider = shapely.union_all([shapely.Polygon(part.exterior) for part in polygons_in(wider)])
    return as_region([shapely.simplify(wider, 0.002)])


def films_stacked(inked: list[Inked]) -> list[Inked]:
    """With what is printed over other films apart, lying on them."""
    films: list[Inked] = []
    found = []
    for ink in inked:
        if not ink.stage.film:
            found.append(ink)
            continue
        parts = [ink]
        for under in films:
            if not shapely.intersects(under.region, ink.region):
                continue
            parts = [piece for part in parts for piece in _over(part, under)]
        films += parts
        found += parts
    return found


def _over(part: Inked, under: Inked) -> list[Inked]:
    """A film apart: beside another, and on it."""
    top = under.below + under.stage.knots[0][1]
    if shapely.covers(under.region, part.region):
        return [replace(part, below=max(part.below, top))]
    beside = as_region([shapely.difference(part.region, under.region)])
    on = as_region([shapely.intersection(part.region, under.region)])
    pieces = [replace(part, region=beside), replace(part, region=on, below=max(part.below, top))]
    return [piece for piece in pieces if not piece.region.is_empty]


def refuse_too_deep(side: Side, craft: Craft, inks: Sequence[Inked]) -> None:
    """Raises KilnError where a craft would break through the wall of its side."""
    for ink in inks:
        if ink.stage.open:
            if ink.stage.knots[0][1] == 0:
                raise KilnError(
                    "Letters can be cut through flat panels only (plaque, sign board, plate); choose "
                    "another blank, or an inlay."
                )
            continue
        deep = -min(height for _, height in ink.stage.knots) + ink.stage.deeper_mm
        if deep < side.wall_mm:
            continue
        if not ink.stage.level:
            widest = widest_mm(ink.layer.layer) if ink.stage.field is None else 1e9
            deep = -float(np.interp(widest, *np.array(ink.stage.knots).T)) + ink.stage.deeper_mm
        if deep >= side.wall_mm:
            raise KilnError(
                f"{craft.kind.capitalize()} {deep:.3g} mm deep, it would break through the wall of "
                f"{side.wall_mm:.3g} mm; stay below that."
            )


def beside_fields(inked: list[Inked], *, detail: Detail) -> list[Inked]:
    """The same with the outlines that lie on a textured region cut as finely as it is, so that its
    triangles find their edges among their own."""
    fields = [
        (ink, field_step(ink.layer.layer, ink.stage, detail=detail))
        for ink in inked
        if ink.stage.field is not None
    ]
    finer = []
    for ink in inked:
        steps = [
            step
            for other, step in fields
            if other is not ink and shapely.intersects(other.region, ink.region)
        ]
        if steps:
            ink = replace(ink, region=as_region([shapely.segmentize(ink.region, min(steps))]))
        finer.append(ink)
    return finer


def distances_of(ink: Inked, uv: Array, true: Array) -> Array:
    """How far inside the outline points of the sheet are, mm; ``true`` (2, 2) makes distances true."""
    period = ink.laid.side.period
    if period is not None and not ink.layer.region.is_empty:  # beyond the seam it is where they are again
        left, _, right, _ = ink.layer.region.bounds
        first = (left + right - period) / 2
        uv = np.column_stack([(uv[:, 0] - first) % period + first, uv[:, 1]])
    return distances_in(shapely.transform(ink.layer.region, lambda p: p @ true.T), uv @ true.T)


FIELD_CREASE = np.cos(np.radians(62.0))  # worked surfaces are shaded round but for their ridges


def heights_at(ink: Inked, far: Array, uv: Array) -> Array:
    """The height of a stage at points of the sheet, ``far`` from the outline."""
    own = uv if ink.stage.field is None else own_points(ink.laid, uv)
    return ink.below + _heights(ink.stage, far, own)


def heights_in(stage: Stage, region: shapely.MultiPolygon, own: Array) -> Array:
    """The heights of a stage at points (n, 2) of an outline's own region, mm."""
    return _heights(stage, distances_in(region, own), own)


def _heights(stage: Stage, far: Array, own: Array) -> Array:
    high = np.interp(far, *np.array(stage.knots).T)
    if stage.field is None:
        return np.asarray(high)
    fade = smooth_step(far, 0.0, stage.field.fade_mm) if stage.field.fade_mm > 0 else np.ones(len(far))
    return np.asarray(high + fade * stage.field.heights(own))


def own_points(laid: Laid, uv: Array) -> Array:
    """Sheet points in the outline's own coordinates, those of the copy that each is nearest to."""
    left, low, right, high = laid.outline.bounds
    middle = np.array([(left + right) / 2, (low + high) / 2])
    size = np.maximum([right - left, high - low], 1e-9)
    best, found = np.full(len(uv), np.inf), np.zeros((len(uv), 2))
    for copy in range(len(laid.placing.copies)):
        own = laid.placing.back(uv.copy(), copy)
        far = np.abs((own - middle) / size).max(axis=1)
        nearer = far < best
        best[nearer], found[nearer] = far[nearer], own[nearer]
    return found
