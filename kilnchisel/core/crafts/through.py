"""Panels that letters are cut through: their thickness, openings on the other face, what is behind."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.blanks.tubes import prism
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.job.crafts import CutThrough
from kilnchisel.core.laying.laid import Laid

Array = NDArray[Any]

PANEL_MM = 2.0  # thickness of what is behind
REACH = 0.3  # how far it goes beyond the letters, of their height


def across(body: Body, name: str) -> tuple[Plane, Plane, float] | None:
    """A flat side, the one on the other face of its panel, and how thick it is; None where it is none."""
    side = body.sheet(name).side
    partner = body.opposite(name)
    if partner is None or not isinstance(side, Plane):
        return None
    other = body.sheet(partner).side
    if not isinstance(other, Plane) or body.sheet(partner).solid != body.sheet(name).solid:
        return None
    thick = float((side.origin - other.origin) @ side.normal)
    solid = abs(thick - side.wall_mm) < 0.2 * thick
    return (side, other, thick) if side.normal @ other.normal < -0.9999 and thick > 0 and solid else None


def on_other_face(region: shapely.MultiPolygon, side: Plane, other: Plane) -> shapely.MultiPolygon:
    """Where an opening comes out, on the other face's sheet."""

    def mapped(uv: Array) -> Array:
        away = side.to_body(gridded(uv), np.zeros(len(uv))) - other.origin
        return gridded(np.stack([away @ other.right, away @ other.up], axis=1))

    return shapely.transform(region, mapped)


def behind_parts(index: int, laid: Laid, craft: CutThrough, thick: float) -> tuple[Part, ...]:
    """The panel or light that is seen through the openings."""
    side = laid.side
    if (
        craft.fill != "open"
        or craft.behind == "nothing"
        or laid.ink.is_empty
        or not isinstance(side, Plane)
    ):
        return ()
    left, low, right, high = laid.ink.bounds
    more = REACH * (high - low)
    limit = side.domain.bounds
    left, low = max(left - more, limit[0]), max(low - more, limit[1])
    right, high = min(right + more, limit[2]), min(high + more, limit[3])
    ring = np.array([[left, low], [right, low], [right, high], [left, high]])
    origin = side.origin - (thick + craft.behind_mm + PANEL_MM) * side.normal
    mesh = prism(ring, origin, side.right, side.up, PANEL_MM)
    role = "tube" if craft.behind == "light" else "letters"
    name = f"{side.name} behind lettering {index + 1}"
    layer = laid.layers[0].layer
    return (Part(name, role, index, None, mesh, layer, name),)  # type: ignore[arg-type]
