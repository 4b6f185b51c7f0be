"""What is let into the panels of vehicles: windows, doors, lamps, drawn on the sheets of their sides by
shares of length, width and height."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Inset
from kilnchisel.core.blanks.sides import ClearZone, flipped
from kilnchisel.core.blanks.vehicles.bodywork import Facet, View
from kilnchisel.core.blanks.vehicles.outlined import Shape

Array = NDArray[Any]

X, Y, Z = np.eye(3)
SEAM_MM, SEAM_DEEP_MM = 6.0, 6.0
KEEP_MM = 18.0  # clear beside a seam or a window
SEAL_MM = 13.0  # round a pane
PLATE_MM = (520.0, 110.0)  # a number plate

Made = tuple[tuple[Inset, ...], tuple[ClearZone, ...]]
NOTHING: Made = ((), ())


def area_of(*parts: Any) -> shapely.MultiPolygon:
    """Areas as one region."""
    return shapely.MultiPolygon(
        [p for p in shapely.get_parts(shapely.union_all(parts)) if p.geom_type == "Polygon"]
    )


def rounded(shape: Any, radius: float) -> Any:
    """A shape with its corners rounded, both ways."""
    return shape.buffer(-radius).buffer(2 * radius, quad_segs=6).buffer(-radius, quad_segs=6)


def seam_of(shape: shapely.Polygon, wide_mm: float = SEAM_MM) -> Any:
    """The seam round a shape."""
    return shapely.simplify(shape.exterior, 0.4).buffer(wide_mm / 2, quad_segs=3, join_style="mitre")


def ring_of(shape: Any, wide_mm: float) -> Any:
    """What is round a shape, so wide."""
    return shapely.difference(shape.buffer(wide_mm), shape)


def pieces(shape: shapely.Polygon, within_mm: float = 2.0) -> list[Any]:
    """The straight pieces of a shape's outline, nearly."""
    ring = shapely.get_coordinates(shapely.simplify(shape.exterior, within_mm))
    return [shapely.LineString(ends) for ends in pairwise(ring)]


def both(shape: Any) -> Any:
    """A shape and its mirror image."""
    return shapely.union(shape, flipped(shape))


def plate_at(u: float, v: float) -> shapely.Polygon:
    """A number plate about a place."""
    return shapely.box(u - PLATE_MM[0] / 2, v - PLATE_MM[1] / 2, u + PLATE_MM[0] / 2, v + PLATE_MM[1] / 2)


def plated(plate: shapely.Polygon, before_mm: float) -> tuple[Inset, Inset]:
    """A number plate in its holder, so far before its panel."""
    return (
        Inset("number plate", "number plate", area_of(plate), before_mm),
        Inset("plate holder", "under", area_of(plate.buffer(7)), before_mm - 2),
    )


def glazed(panes: list[Any]) -> tuple[Inset, Inset]:
    """Windows in their seals."""
    return (
        Inset("windows", "detail", area_of(*panes), -5.0),
        Inset("window seals", "under", area_of(*(pane.buffer(SEAL_MM) for pane in panes)), -1.5),
    )


def window_zones(panes: list[Any]) -> tuple[ClearZone, ...]:
    """What is clear round windows."""
    return tuple(ClearZone("windows", pane.buffer(SEAL_MM + KEEP_MM, quad_segs=3)) for pane in panes)


def zones(of: dict[str, list[Any]]) -> tuple[ClearZone, ...]:
    """What is clear round shapes, by their names."""
    return tuple(
        ClearZone(name, part.buffer(KEEP_MM, quad_segs=2))
        for name, shapes in of.items()
        for shape in shapes
        for part in shapely.get_parts(shape)
    )


def pillar_view(shape: Shape, low: tuple[float, float], top: tuple[float, float], out_x: float) -> View:
    """Square on to the line between two places (x, z) by plain shares of length and height; ``out_x``:
    the way that is outward."""
    ends = np.array([low, top]) * (shape.long, shape.high) + (shape.middle, 0.0)
    up = np.insert((ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0]), 1, 0.0)
    out = np.array([out_x * up[2], 0.0, -out_x * up[0]])
    return View(np.insert(ends.mean(axis=0), 1, 0.0), np.cross(up, out), up)


@dataclass(frozen=True)
class OnASide:
    """Draws on the left side's sheet by shares of length and height."""

    shape: Shape

    def drawn(self, *corners: tuple[float, float], radius: float = 34.0) -> Any:
        """A polygon with rounded corners."""
        flat = self.shape.at(corners) - (self.shape.middle, self.shape.high / 2)
        return rounded(shapely.Polygon(flat), radius)

    def box(self, left: float, low: float, right: float, high: float, radius: float = 4.0) -> Any:
        """A rectangle with rounded corners."""
        return self.drawn((left, low), (right, low), (right, high), (left, high), radius=radius)

    def spot(self, x: float, z: float) -> Array:
        """A place, (2,)."""
        return self.shape.at((x, z)) - (self.shape.middle, self.shape.high / 2)


@dataclass(frozen=True)
class OnAnEnd:
    """Draws on the sheet of an end that is seen in a view: across by shares of the width, up by those of
    the height, as they are seen from before it."""

    shape: Shape
    view: View

    def v(self, share: float) -> float:
        """How high a share of the height is on the sheet, of an upright end."""
        return float(self.shape.z(share)) - float(self.view.origin[2])

    def box(self, left: float, low: float, right: float, high: float, radius: float) -> Any:
        """A rectangle with rounded corners."""
        wide = self.shape.wide
        return rounded(shapely.box(left * wide, self.v(low), right * wide, self.v(high)), radius)

    def drawn(self, *corners: tuple[float, float], radius: float) -> Any:
        """A polygon with rounded corners."""
        flat = [(x * self.shape.wide, self.v(z)) for x, z in corners]
        return rounded(shapely.Polygon(flat), radius)


def headlamps(
    on: OnAnEnd,
    outline: tuple[tuple[float, float], ...],
    bowls: tuple[tuple[float, float, float], ...],
    radius: float,
    edge_mm: float = 7.0,
) -> tuple[Any, tuple[Inset, ...]]:
    """Both head lamps of a nose: the right one by its corners and its bowls (across, up, radius in mm), let
    into edges so wide. Their area, and what is let in."""
    lamps = both(on.drawn(*outline, radius=radius))
    round_ = both(
        shapely.union_all([shapely.Point(u * on.shape.wide, on.v(z)).buffer(r) for u, z, r in bowls])
    )
    rings = shapely.difference(round_.buffer(8), round_)
    return lamps, (
        Inset("lamp bowls", "reflector", area_of(round_), -12.0),
        Inset("lamp rings", "rim", area_of(rings), -7.0),
        Inset("lamps", "clear lens", area_of(lamps), -3.0),
        Inset("lamp edges", "under", area_of(lamps.buffer(edge_mm)), -8.0),
    )


def both_sides(
    shape: Shape, made: Made, arches: Any, *, step_mm: float = 60.0, right: Made | None = None
) -> list[Facet]:
    """The left side with what is let into it, and the right one as its mirror image, or with what of its
    own is drawn like the left; what is cut out of both for wheels."""
    tag, middle = shape.drawn.tag, np.array([shape.middle, 0.0, shape.high / 2])
    insets, clear = made
    there, there_clear = right or made
    left = Facet(
        "left side",
        tag("left side"),
        View(middle, X, Z),
        step_mm=step_mm,
        without=arches,
        clear=clear,
        insets=insets,
    )
    other = replace(
        left,
        name="right side",
        tags=tag("right side"),
        view=View(middle, -X, Z),
        without=flipped(arches),
        clear=tuple(ClearZone(zone.name, flipped(zone.area)) for zone in there_clear),
        insets=tuple(replace(inset, area=flipped(inset.area)) for inset in there),
    )
    return [left, other]


def screen_in(shape: Shape, low: float, high: float, tall: float) -> Made:
    """Glass over nearly all of a screen, black round its edge: half its width at its foot and its top, by
    share of the body's, and its height by share of the body's."""
    wide, tall = shape.wide, tall * shape.high
    foot, top = -0.455 * tall, 0.43 * tall
    corners = [(-low * wide, foot), (low * wide, foot), (high * wide, top), (-high * wide, top)]
    pane = rounded(shapely.Polygon(corners), 60.0)
    edge = shapely.box(-wide, -2 * tall, wide, 2 * tall)
    return (
        Inset("windscreen", "detail", area_of(pane), -3.0),
        Inset("screen edge", "under", area_of(edge), -2.0),
    ), ()
