"""What a craft takes away or puts on: volume and weight."""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.crafts.inked import grown, heights_in, milled_layers, own_region, stages_on
from kilnchisel.core.crafts.profile import Outlined, Stage, stages_of
from kilnchisel.core.crafts.roof import widest_mm
from kilnchisel.core.job.crafts import Printed, WovenPatch
from kilnchisel.core.job.finish import AsBlank
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.shop.densities import density_of

Array = NDArray[Any]


def relief_range_mm(lettering: Lettering, laid: Laid) -> tuple[float, float]:
    """The lowest and the highest place of a lettering over the ground, mm."""
    heights = [0.0]
    for layer, stage in _stages(lettering, laid):
        if stage.level:
            heights.append(stage.knots[0][1])
            continue
        widest = widest_mm(layer)
        far, high = np.array(stage.knots).T
        found = [float(np.interp(d, far, high)) for d in (*far[far <= widest], widest)]
        heights += [*found, min(found) - stage.deeper_mm, max(found) + stage.higher_mm]
    return min(heights), max(heights)


def relief_volume_mm3(lettering: Lettering, laid: Laid) -> float:
    """The volume over the ground, below zero what is taken away, all copies together.

    As on a flat side, times how much larger the lettering is on this one: as it is stretched, and as a
    bent side is longer farther out.
    """
    volume, moment = _flat_moments(lettering, laid).tolist()
    area = float(laid.outline.ink.area) * len(laid.placing.copies)
    if volume == 0 or area <= 0:
        return float(volume)
    # the parallel surface grows evenly with its height z, so that the integral of s(z) from the ground up
    # to h, over the area, is the volume times s at the integral of h²/2 over that of h
    return float(volume * true_area_mm2(laid, moment / volume) / area)


SPOTS_ALONG, ENOUGH_SPOTS, FIELD_SPOTS = (64, 256, 1024), 300, 20_000
STEP = 1e-4  # of the ink's height, for the slopes of the surface at a height


def true_area_mm2(laid: Laid, height_mm: float = 0.0) -> float:
    """The area of the ink on its side, or on the surface parallel to it at a height, mm²: the mean area
    of a step along u and one along v, at places all over the ink, times its area on the sheet."""
    side, ink = laid.side, laid.ink
    if isinstance(side, Plane):
        return float(ink.area)
    spots = _evenly(ink, ENOUGH_SPOTS)
    if side.period is None:
        spots = spots[shapely.contains_xy(side.domain, spots[:, 0], spots[:, 1])]
    if len(spots) == 0:
        return float(ink.area)
    if isinstance(side, Chart):  # flat between its points
        return float(ink.area * np.abs(np.linalg.det(side.jacobian(spots))).mean())
    small = STEP * (ink.bounds[3] - ink.bounds[1])
    height = np.full(len(spots), height_mm)
    along, up = (
        (side.to_body(spots + way, height) - side.to_body(spots - way, height)) / (2 * small)
        for way in np.eye(2) * small
    )
    return float(ink.area * np.linalg.norm(np.cross(along, up), axis=1).mean())


def _evenly(region: shapely.MultiPolygon, enough: int) -> Array:
    """Spots (n, 2) on a lattice that lie in a region: ``enough``, or as many as the finest lattice has."""
    low_u, low_v, high_u, high_v = region.bounds
    shapely.prepare(region)
    for across in SPOTS_ALONG:
        step = max(high_u - low_u, high_v - low_v) / across
        starts = np.array([[low_u, high_u], [low_v, high_v]]) + (step / 2, 0)
        u, v = np.meshgrid(*(np.arange(low, high, step) for low, high in starts))
        spots = np.stack([u.ravel(), v.ravel()], axis=1)
        spots = spots[shapely.contains_xy(region, spots[:, 0], spots[:, 1])]
        if len(spots) >= enough:
            break
    return spots


def _flat_moments(lettering: Lettering, laid: Laid) -> Array:
    """The integrals of the height h and of h²/2 over what all copies cover on a flat sheet, (2,)."""
    total = np.zeros(2)
    if isinstance(lettering.craft, WovenPatch):
        return len(laid.placing.copies) * _patch_moments(lettering.craft, laid)
    for item in milled_layers(laid, lettering.craft):
        layer = item.layer
        stages = stages_on(layer, lettering.craft, laid.side.wall_mm)
        for stage, after in itertools.zip_longest(stages, stages[1:]):
            total += _moments(layer, stage)
            # each lies within the one before and stands for it there; a film lies on it
            if after is not None and not after.film:
                total -= _moments(layer, stage, within=after)
    return total * len(laid.placing.copies)


def relief_weight_g(lettering: Lettering, laid: Laid, blank_finish: Any) -> float | None:
    """The weight of that volume; None where the material's density is not known."""
    cut = relief_range_mm(lettering, laid)[0] < 0
    finish = blank_finish if cut or isinstance(lettering.finish, AsBlank) else lettering.finish
    density = density_of(finish)
    return None if density is None else abs(relief_volume_mm3(lettering, laid)) * density / 1000


def stages_area(layer: Layer, craft: Printed) -> float:
    """The film that a layer takes, mm²: with its carrier where that is larger."""
    if craft.carrier_mm <= 0:
        return float(layer.region.area)
    return float(grown(layer, craft.carrier_mm, filled=True, boxed=False).area)


def _stages(lettering: Lettering, laid: Laid) -> list[tuple[Layer, Stage]]:
    layers = [item.layer for item in laid.layers]
    return [(x, stage) for x in layers for stage in stages_on(x, lettering.craft, laid.side.wall_mm)]


@lru_cache(maxsize=128)
def _area(layer: Layer, inset: float) -> float:
    return float(shapely.buffer(layer.region, -inset, quad_segs=12).area)


def _stage_area(layer: Layer, stage: Stage) -> float:
    if stage.filled or stage.boxed:
        return float(grown(layer, stage.grow_mm, filled=stage.filled, boxed=stage.boxed).area)
    return _area(layer, -stage.grow_mm)


def _patch_moments(craft: WovenPatch, laid: Laid) -> Array:
    """The same of one patch, on which the letters of all layers are woven."""
    layers = [item.layer for item in laid.layers]
    whole = shapely.union_all([layer.region for layer in layers])
    stages = stages_of(craft, Outlined(0.0))
    areas = [own_region(layers[0], stage, laid).area for stage in stages if stage.shared]
    areas.append(float(whole.area))
    within = np.array(areas) - [*areas[1:], 0.0]
    high = np.array([stage.knots[0][1] for stage in stages])
    return np.array([within @ high, within @ (high * high) / 2])


def _moments(layer: Layer, stage: Stage, within: Stage | None = None) -> Array:
    """The integrals of a stage's height h and of h²/2 over its region, or over that of one within it."""
    if stage.field is not None:
        return _field_moments(layer, stage, 0.0 if within is None else within.grow_mm)
    if not stage.level:
        return _bent_moments(layer, stage.knots, -(within or stage).grow_mm)
    high = stage.knots[0][1]
    return _stage_area(layer, within or stage) * np.array([high, high * high / 2])


@lru_cache(maxsize=32)
def _bent_moments(layer: Layer, knots: tuple[tuple[float, float], ...], from_mm: float) -> Array:
    """The integrals of h and of h²/2 where h changes with the distance from the outline, over what lies
    at ``from_mm`` or farther in.

    By layers: the value at the border times the whole area, and from there on its slope times the area
    that lies farther in, integrated by Simpson's rule between the knots.
    """
    far, high = np.array(knots).T
    first = float(np.interp(from_mm, far, high))
    total = np.array([first, first * first / 2]) * _area(layer, from_mm)
    inner = [(from_mm, first), *((d, h) for d, h in knots if d > from_mm)]
    for (d0, h0), (d1, h1) in itertools.pairwise(inner):
        if h1 == h0:
            continue
        steps = 4 if len(knots) > 4 else 16
        at = np.linspace(d0, d1, steps + 1)
        areas = np.array([_area(layer, float(d)) for d in at])
        weights = np.array([1, *([4, 2] * (steps // 2 - 1)), 4, 1]) * areas / (3 * steps)
        total += (h1 - h0) * np.array([weights.sum(), weights @ np.linspace(h0, h1, steps + 1)])
    return total


@lru_cache(maxsize=32)
def _field_moments(layer: Layer, stage: Stage, grow: float) -> Array:
    """The integrals of h and of h²/2 where heights vary all over a region, from their mean at spots that
    lie evenly in it."""
    region = layer.region if grow == 0 else grown(layer, grow, filled=False, boxed=False)
    if region.is_empty:
        return np.zeros(2)
    spots = _evenly(region, FIELD_SPOTS)
    high = heights_in(stage, region, spots)
    return float(region.area) * np.array([high.mean(), (high * high).mean() / 2])
