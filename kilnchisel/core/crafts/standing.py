"""Standing letters: plates on pins, with what lights the wall behind them."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet
from kilnchisel.core.blanks.mesh import join
from kilnchisel.core.crafts.lettered import plates
from kilnchisel.core.crafts.piece import Lamp, Part
from kilnchisel.core.crafts.roof import medial_points
from kilnchisel.core.crafts.tubes import on_body, swept
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Standing
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.lettering.polygons import polygons_in, stroke_mm

Array = NDArray[Any]

PIN_MM = 3.0  # radius of a pin
PINS = 2  # a letter, at least; three where it is wide
STRIP_MM = 2.0  # radius of the strip of light behind
STRIP_IN = 0.32  # how far inside the outline it runs, of the mean stroke


def standing_parts(
    sheet: Sheet, index: int, laid: Laid, craft: Standing, *, detail: Detail
) -> tuple[tuple[Part, ...], tuple[Lamp, ...]]:
    """The parts of standing letters, and what shines behind them."""
    side = laid.side
    name = f"{side.name} lettering {index + 1}"
    parts: list[Part] = []
    lamps: list[Lamp] = []
    for front, rest, layer in plates(sheet, index, laid, craft, detail=detail):
        solid = f"{name}{laid.layer_words(layer)}"
        parts.append(Part(solid, "letters", index, None, front, layer.layer, solid))
        parts.append(Part(f"{solid} returns", "return", index, None, rest, layer.layer, solid))
        if craft.pins and craft.standoff_mm > 0.5:
            pins = [
                swept(_stem(laid, spot, craft.standoff_mm), PIN_MM, 8 if detail.rough else 16)
                for spot in _on_sheet(laid, pin_places(layer.layer))
            ]
            if pins:
                parts.append(
                    Part(f"{solid} pins", "support", index, None, join(pins), layer.layer, f"{solid} pins")
                )
        if craft.halo and craft.standoff_mm > 2 * STRIP_MM:
            strips = [
                on_body(side, np.column_stack([line, np.full(len(line), craft.standoff_mm - STRIP_MM)]))
                for line in strips_of(laid, layer.layer)
            ]
            lamps += [Lamp(index, strip, STRIP_MM) for strip in strips]
            if strips:
                glowing = join([swept(strip, STRIP_MM, 6 if detail.rough else 12) for strip in strips])
                parts.append(
                    Part(f"{solid} light", "tube", index, None, glowing, layer.layer, f"{solid} light")
                )
    return tuple(parts), tuple(lamps)


def _stem(laid: Laid, spot: Array, height: float) -> Array:
    return on_body(laid.side, np.array([[*spot, h] for h in (0.0, height / 2, height)]))


def _on_sheet(laid: Laid, points: Array) -> Array:
    """Points of the outline on the sheet, in every copy."""
    if len(points) == 0:
        return points
    return np.concatenate(laid.placing.everywhere(points))


def pin_places(layer: Layer) -> Array:
    """Where pins go: on the middle line of each letter, its ends first, far apart and inside, (k, 2)."""
    found: list[Array] = []
    medial = medial_points(layer, detail=Detail.ROUGH)
    for part in polygons_in(layer.region):
        inside = medial[shapely.contains_xy(part, medial[:, 0], medial[:, 1])]
        sure = inside[inside[:, 2] > min(1.6 * PIN_MM, 0.8 * float(inside[:, 2].max(initial=0.0)))]
        if len(sure) == 0:
            continue
        spots = sure[:, :2]
        middle = spots.mean(axis=0)
        chosen = [spots[np.argmax(np.linalg.norm(spots - middle, axis=1))]]
        left, low, right, high = part.bounds
        wanted = PINS + int(right - left > 1.4 * (high - low) or right - left > 300)
        while len(chosen) < min(wanted, len(spots)):
            away = np.min([np.linalg.norm(spots - pin, axis=1) for pin in chosen], axis=0)
            chosen.append(spots[int(away.argmax())])
        found.append(np.array(chosen))
    return np.concatenate(found) if found else np.empty((0, 2))


def strips_of(laid: Laid, layer: Layer) -> list[Array]:
    """The lines that the light behind runs along, on the sheet: inside the outline all round."""
    step = stroke_mm(layer.region)
    inner = shapely.simplify(shapely.buffer(layer.region, -STRIP_IN * step), 0.05 * step)
    found = []
    for part in polygons_in(inner):
        for ring in (part.exterior, *part.interiors):
            line = shapely.get_coordinates(shapely.segmentize(ring, step))
            found += laid.placing.everywhere(line)
    return found
