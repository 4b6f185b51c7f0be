"""A vehicle of one outline: its skin, the sheets of its sides, its other parts, the floor."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, facing_out, filled, grid
from kilnchisel.core.blanks.net import KEEP_OFF_MM
from kilnchisel.core.blanks.vehicles.bodywork import (
    Facet,
    Facing,
    Skin,
    facing,
    sheet_of,
    shells_of,
    skin_of,
)
from kilnchisel.core.blanks.vehicles.outlined import Shape
from kilnchisel.core.blanks.vehicles.wheels import Face, wheel
from kilnchisel.core.detail import Detail
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
LEVELS, FEWER = 3, 2  # times that a cage is divided, and while something moves
ARCH = 0.56  # of a wheel: its arch's radius
EDGE_MM = 1.5 * KEEP_OFF_MM  # what is let in keeps so far off the border of its side


@dataclass(frozen=True)
class Design:
    """How a kind of vehicle is made: its shape and its sides, both by its measures, and the names and
    finishes of what is no side, by the tags of its cage."""

    shape: Callable[[Any], Shape]
    facets: Callable[[Any], tuple[Facet, ...]]
    shells: tuple[tuple[str, FinishSlot], ...]

    def clad(self, vehicle: Any, *, detail: Detail) -> tuple[list[Shell], tuple[Sheet, ...]]:
        """Its closed body without wheels."""
        tags, skin = self.shape(vehicle).drawn.tags, _skin(self, vehicle, detail=detail)
        facets = self.facets(vehicle)
        taken = [tag for facet in facets for tag in facet.tags] + [
            tags.index(tag) for tag, _ in self.shells
        ]
        assert sorted(taken) == list(range(len(tags)))
        sheets = tuple(_sheet(self, vehicle, facet, detail=detail) for facet in facets)
        named = {sheet.side.name: sheet.side for sheet in sheets}
        shells = shells_of(skin, {tags.index(tag): (tag, slot) for tag, slot in self.shells})
        low = self.shape(vehicle).low
        shells += _underside(low, tags, skin, named["left side"], named["right side"])
        return shells, sheets


@remembered
def _skin(design: Design, vehicle: Any, *, detail: Detail) -> Skin:
    return skin_of(design.shape(vehicle).cage(), LEVELS if detail.fine else FEWER)


@dataclass(frozen=True)
class OnSkin:
    """Places on a side by its name, (n, 2) sheet mm -> (n, 3). Its surface goes along wherever it goes:
    nobody need make the skin to know where a side is."""

    design: Design
    vehicle: Any
    name: str
    detail: Detail
    surface: Facing = field(compare=False, repr=False)

    def __call__(self, uv: Array) -> Array:
        return self.surface.place(uv)


def _sheet(design: Design, vehicle: Any, facet: Facet, *, detail: Detail) -> Sheet:
    known = facing(_skin(design, vehicle, detail=detail), facet.tags, facet.view)
    place = OnSkin(design, vehicle, facet.name, detail, known)
    sheet = sheet_of(facet, known, place, detail=detail)
    within = sheet.side.domain.buffer(-EDGE_MM)
    taken: Any = shapely.MultiPolygon()
    insets = []
    for inset in facet.insets:  # the first named lies on those after it
        area = shapely.difference(shapely.intersection(inset.area, within), taken)
        parts = [part for part in shapely.get_parts(area) if part.geom_type == "Polygon" and part.area > 4]
        if parts:
            insets.append(replace(inset, area=shapely.MultiPolygon(parts)))
            taken = shapely.union(taken, insets[-1].area)
    return replace(sheet, insets=tuple(insets))


def arches_of(shape: Shape, axles: tuple[float, ...], wheel_mm: float) -> list[Any]:
    """The wheel arches of the left side, on its sheet."""
    return [
        shapely.Point(float(shape.x(axle)) - shape.middle, (wheel_mm - shape.high) / 2).buffer(
            ARCH * wheel_mm, quad_segs=24
        )
        for axle in axles
    ]


def wheels_of(
    shape: Shape,
    axles: dict[str, float],
    wheel_mm: float,
    tyre_mm: float,
    *,
    face: Face = "spoked",
    twin: str = "",
    detail: Detail,
) -> list[Shell]:
    """Two wheels on each of its axles, by their names and shares of length; two a side on the one that is
    called ``twin``."""
    shells: list[Shell] = []
    for end, axle in axles.items():
        x = float(shape.x(axle))
        for way, hand in ((-1.0, "left"), (1.0, "right")):
            out = float(shape.half(np.array(x), np.array(wheel_mm / 2))) - tyre_mm / 2 - 16
            middle = np.array([x, way * out, wheel_mm / 2])
            made = partial(wheel, radius=wheel_mm / 2, wide=tyre_mm, way=way, face=face)
            shells += made(f"{end} {hand}", middle, detail=detail)
            if end == twin:  # little is seen of it
                inner = middle - (0.0, way * 1.14 * tyre_mm, 0.0)
                shells += made(f"{end} inner {hand}", inner, detail=Detail.ROUGH)
    return shells


def _underside(low_mm: float, tags: tuple[str, ...], skin: Skin, left: Any, right: Any) -> list[Shell]:
    """The floor with its wheel arches, from one side's lower edge to the other's, and the ends before and
    behind it."""
    ring = shapely.get_coordinates(left.domain.exterior)[:-1]
    places = left.to_body(ring, np.zeros(len(ring)))
    # the lower edge from the front to the rear: counter-clockwise round the side it comes first
    border = skin.border((tags.index("left side"),))
    low = skin.points[border][np.abs(skin.points[border][:, 2] - low_mm) < 1e-6]
    ends = low[np.argmin(low[:, 0])], low[np.argmax(low[:, 0])]
    first, last = (int(np.argmin(np.linalg.norm(places - end, axis=1))) for end in ends)
    index = (first + np.arange((last - first) % len(ring) + 1)) % len(ring)
    here = places[index]
    mirrored = ring * (-1.0, 1.0)
    there = right.to_body(mirrored, np.zeros(len(ring)))[index]
    along = np.gradient(here, axis=0)
    down = np.stack([along[:, 2], np.zeros(len(along)), -along[:, 0]], axis=1)
    down /= np.linalg.norm(down, axis=1, keepdims=True)
    points = np.stack([there, here])
    floor = grid(points, np.stack([down, down]), np.ascontiguousarray(points[..., :2]))
    shells = [Shell("underside", "under", floor)]
    open_ = skin.border(tuple(range(len(tags))))
    loop = skin.points[open_]
    for name, way, end in (("front", -1.0, ends[0]), ("rear", 1.0, ends[1])):
        beyond = way * loop[:, 0] >= way * end[0] - 1e-6
        start = int(np.flatnonzero(beyond & ~np.roll(beyond, 1))[0])
        lip = np.roll(loop, -start, axis=0)[: int(beyond.sum())]
        shells.append(Shell(f"{name} lip", "under", _level(lip)))
    return shells


def _level(loop: Array) -> Mesh:
    """A level face within a loop of points, seen from below."""
    flat = np.ascontiguousarray(loop[:, :2])
    area = shapely.Polygon(flat)
    if not shapely.is_ccw(area.exterior):
        loop, flat = loop[::-1], flat[::-1]
    order, faces = filled(shapely.Polygon(flat))
    normals = np.broadcast_to(-Z, loop.shape).copy()
    assert len(order) == len(loop)
    return facing_out(loop, normals, flat, faces)
