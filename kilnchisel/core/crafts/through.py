"""Panels that letters are cut through: their thickness, openings on the other face, what is behind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.blanks.tubes import prism
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.job.crafts import Craft, CutThrough, Raised
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import as_region, polygons_in

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


def _across(points: Array, side: Plane, other: Plane) -> Array:
    """Points (n, 2) of one face's sheet on the other's."""
    away = side.to_body(points, np.zeros(len(points))) - other.origin
    return np.stack([away @ other.right, away @ other.up], axis=1)


def on_other_face(region: Any, side: Plane, other: Plane) -> Any:
    """A region of one face on the other's sheet, its points on the grid on both."""
    return shapely.transform(region, lambda uv: gridded(_across(gridded(uv), side, other)))


SHEET_MM = 3.0  # common practice: thicker metal is not pressed from behind


def pressed_out(craft: Craft, thick_mm: float) -> bool:
    """Whether the back of a panel follows what is pressed out of its front."""
    return isinstance(craft, Raised) and craft.edge == "drawn" and thick_mm <= SHEET_MM


def from_behind(laid: Laid, side: Plane, other: Plane) -> Laid:
    """A lettering as its back is seen, on the other face's sheet: mirrored, every point behind its own."""

    def mapped(points: Array) -> Array:
        return _across(points, side, other)

    corner, right, up = mapped(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]))
    turn = np.stack([right - corner, up - corner], axis=1)
    copies = tuple((turn @ own, turn @ middle + corner) for own, middle in laid.placing.copies)
    layers = tuple(replace(x, region=shapely.transform(x.region, mapped)) for x in laid.layers)
    return replace(
        laid,
        side=other,
        placing=replace(laid.placing, side=other, copies=copies),
        layers=layers,
        ink=shapely.transform(laid.ink, mapped),
    )


def with_crossings(region: Any, outlines: Sequence[Any], step: float | None) -> shapely.MultiPolygon:
    """An opening with a point wherever another outline crosses its own, on whichever face, so that both of
    its ends have the same; ``step``: how close its points must be besides, mm."""
    if step is not None:
        region = shapely.segmentize(region, step)
    edge = region.boundary
    crossed = [outline.boundary for outline in outlines if shapely.intersects(outline.boundary, edge)]
    if not crossed:
        return as_region([shapely.transform(region, gridded)])
    spots = shapely.get_coordinates(shapely.intersection(edge, shapely.union_all(crossed)))
    parts = []
    for part in polygons_in(region):
        rings = [_with_points(ring, spots) for ring in (part.exterior, *part.interiors)]
        parts.append(shapely.Polygon(rings[0], rings[1:]))
    return as_region(parts)


def _with_points(ring: shapely.LinearRing, spots: Array) -> Array:
    """A ring's points on the grid, with those of ``spots`` that lie on it in their places."""
    own = shapely.get_coordinates(ring)[:-1]
    points = shapely.points(spots)
    near = shapely.distance(points, ring) < ON_RING_MM
    line = shapely.LineString(np.concatenate([own, own[:1]]))
    corners = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(own, axis=0), axis=1)))
    run = np.concatenate([corners, shapely.line_locate_point(line, points[near])])
    whole = gridded(np.concatenate([own, spots[near]])[np.argsort(run, kind="stable")])
    return whole[np.any(whole != np.roll(whole, 1, axis=0), axis=1)]


ON_RING_MM = 1e-6


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
