"""What a craft takes away or puts on: volume and weight."""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Any

import numpy as np
import shapely

from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.crafts.inked import grown, stages_on
from kilnchisel.core.crafts.profile import Stage
from kilnchisel.core.crafts.roof import widest_mm
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.finish import AsBlank
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.shop.densities import density_of


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
    flat = _flat_volume(lettering, laid)
    area = float(laid.outline.ink.area) * len(laid.placing.copies)
    if flat == 0 or area <= 0:
        return flat
    return flat * true_area_mm2(laid, flat / area / 2) / area


SPOTS_ALONG, ENOUGH_SPOTS = (64, 256, 1024), 300
STEP = 1e-4  # of the ink's height, for the slopes of the surface at a height


def true_area_mm2(laid: Laid, height_mm: float = 0.0) -> float:
    """The area of the ink on its side, or on the surface parallel to it at a height, mm²: the mean area
    of a step along u and one along v, at places all over the ink, times its area on the sheet."""
    side, ink = laid.side, laid.ink
    if isinstance(side, Plane):
        return float(ink.area)
    low_u, low_v, high_u, high_v = ink.bounds
    shapely.prepare(ink)
    for across in SPOTS_ALONG:
        step = max(high_u - low_u, high_v - low_v) / across
        starts = np.array([[low_u, high_u], [low_v, high_v]]) + (step / 2, 0)
        u, v = np.meshgrid(*(np.arange(low, high, step) for low, high in starts))
        spots = np.stack([u.ravel(), v.ravel()], axis=1)
        spots = spots[shapely.contains_xy(ink, spots[:, 0], spots[:, 1])]
        if len(spots) >= ENOUGH_SPOTS:
            break
    if side.period is None:
        spots = spots[shapely.contains_xy(side.domain, spots[:, 0], spots[:, 1])]
    if len(spots) == 0:
        return float(ink.area)
    if isinstance(side, Chart):  # flat between its points
        return float(ink.area * np.abs(np.linalg.det(side.jacobian(spots))).mean())
    small = STEP * (high_v - low_v)
    height = np.full(len(spots), height_mm)
    along, up = (
        (side.to_body(spots + way, height) - side.to_body(spots - way, height)) / (2 * small)
        for way in np.eye(2) * small
    )
    return float(ink.area * np.linalg.norm(np.cross(along, up), axis=1).mean())


def _flat_volume(lettering: Lettering, laid: Laid) -> float:
    copies = len(laid.placing.copies)
    total = 0.0
    below = 0.0  # stages that stand on one another count only what they add
    for layer, stage in _stages(lettering, laid):
        if stage.level and stage.knots[0][0] == 0:
            height = stage.knots[0][1]
            first = stage.grow_mm == 0
            area = layer.region.area if first else _stage_area(layer, stage)
            total += area * (height - (0.0 if first else below))
            below = height
        else:
            total += _bent_volume(layer, stage.knots, stage.grow_mm)
    return total * copies


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


@lru_cache(maxsize=32)
def _bent_volume(layer: Layer, knots: tuple[tuple[float, float], ...], grow: float) -> float:
    """The integral of a height that changes with the distance from the outline.

    By layers: h at the border times the whole area, and from there on slope times the area that lies
    farther in, integrated by Simpson's rule between the knots.
    """
    volume = knots[0][1] * _area(layer, -grow)
    for (d0, h0), (d1, h1) in itertools.pairwise(knots):
        if d1 <= d0 or h1 == h0:
            continue
        steps = 4 if len(knots) > 4 else 16
        at = np.linspace(d0, d1, steps + 1)
        areas = np.array([_area(layer, float(d)) for d in at])
        weights = np.array([1, *([4, 2] * (steps // 2 - 1)), 4, 1])
        volume += (h1 - h0) / (d1 - d0) * float(areas @ weights) * (d1 - d0) / (3 * steps)
    return volume
