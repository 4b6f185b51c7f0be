"""Simple shapes as outlines: disc, ring, star, rule, border, badge, arrow. All centred, mm."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import (
    Arrow,
    Badge,
    Border,
    Disc,
    Form,
    Frame,
    Holes,
    Ring,
    Rule,
    Star,
)
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.lettering.polygons import as_region
from kilnchisel.core.lettering.reshaping import arc_pieces


def shape_region(form: Form) -> shapely.MultiPolygon:
    """The filled region of a shape, centred on the origin."""
    return as_region([_made(form)])


@by_kind(Form)
def _made(form: Any) -> shapely.Geometry:
    """A shape's geometry."""
    raise NotImplementedError


def _oval(width: float, height: float) -> shapely.Polygon:
    count = 4 * arc_pieces(max(width, height) / 2)
    t = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return shapely.Polygon(np.stack([width / 2 * np.cos(t), height / 2 * np.sin(t)], axis=1))


@_made.of(Disc)
def _disc(form: Disc) -> shapely.Polygon:
    return _oval(form.width_mm, form.height_mm)


@_made.of(Ring)
def _ring(form: Ring) -> shapely.Geometry:
    inner = form.diameter_mm - 2 * form.line_mm
    return shapely.difference(_oval(form.diameter_mm, form.diameter_mm), _oval(inner, inner))


@_made.of(Star)
def _star(form: Star) -> shapely.Polygon:
    radius = form.diameter_mm / 2
    angle = math.pi / 2 + np.arange(2 * form.points) * math.pi / form.points
    reach = np.where(np.arange(2 * form.points) % 2 == 0, radius, radius * form.inner / 100)
    return shapely.Polygon(np.stack([reach * np.cos(angle), reach * np.sin(angle)], axis=1))


@_made.of(Rule)
def _rule(form: Rule) -> shapely.Geometry:
    half = form.length_mm / 2
    if form.ends == "square" or form.line_mm >= form.length_mm:
        return shapely.box(-half, -form.line_mm / 2, half, form.line_mm / 2)
    line = shapely.LineString([(-half + form.line_mm / 2, 0), (half - form.line_mm / 2, 0)])
    return shapely.buffer(line, form.line_mm / 2, quad_segs=arc_pieces(form.line_mm / 2))


@_made.of(Border)
def _border(form: Border) -> shapely.Geometry:
    outer = _cornered(form.width_mm, form.height_mm, form.corner_mm, form.corners)
    # the line is as wide everywhere: the inner edge is the outer one moved in
    inner = shapely.buffer(outer, -form.line_mm, join_style="mitre", mitre_limit=10)
    return shapely.difference(outer, inner)


DEFAULT_FRAME = ((-90.0, -50.0), (90.0, -50.0), (90.0, 50.0), (-90.0, 50.0))


@_made.of(Frame)
def _frame(form: Frame) -> shapely.Geometry:
    around = shapely.Polygon(form.points or DEFAULT_FRAME)
    outer = shapely.buffer(around, -form.inset_mm, join_style="mitre", mitre_limit=4)
    inner = shapely.buffer(outer, -form.line_mm, join_style="mitre", mitre_limit=4)
    if outer.is_empty or inner.is_empty:
        raise KilnError(
            f"A frame {form.inset_mm:g} mm inside the edge and {form.line_mm:g} mm wide has no room there."
        )
    return outer if form.filled else shapely.difference(outer, inner)


@_made.of(Holes)
def _holes(form: Holes) -> shapely.Geometry:
    across, up = form.apart_mm / 2, form.apart_up_mm / 2
    spots = {
        "one": [(0.0, 0.0)],
        "two": [(-across, 0.0), (across, 0.0)],
        "four": [(x, y) for x in (-across, across) for y in (-up, up)],
        "six": [(x, y) for x in (-across, 0.0, across) for y in (-up, up)],
    }[form.number]
    half, radius = form.slot_mm / 2, form.hole_mm / 2
    lines = [shapely.LineString([(x - half, y), (x + half + 1e-9, y)]) for x, y in spots]
    return shapely.MultiPolygon([shapely.buffer(x, radius, quad_segs=arc_pieces(radius)) for x in lines])


def _cornered(width: float, height: float, corner: float, kind: str) -> shapely.Geometry:
    box = shapely.box(-width / 2, -height / 2, width / 2, height / 2)
    if corner <= 0:
        return box
    pieces = arc_pieces(corner)
    if kind == "round":
        inner = shapely.box(
            corner - width / 2, corner - height / 2, width / 2 - corner, height / 2 - corner
        )
        return shapely.buffer(inner, corner, quad_segs=pieces)
    spots = [(sx * width / 2, sy * height / 2) for sx in (-1, 1) for sy in (-1, 1)]
    if kind == "hollow":
        bites = [shapely.buffer(shapely.Point(spot), corner, quad_segs=pieces) for spot in spots]
    else:
        bites = [
            shapely.Polygon([(x, y), (x - math.copysign(corner, x), y), (x, y - math.copysign(corner, y))])
            for x, y in spots
        ]
    return shapely.difference(box, shapely.union_all(bites))


@_made.of(Badge)
def _badge(form: Badge) -> shapely.Geometry:
    width, height = form.width_mm, form.height_mm
    if form.form == "oval":
        return _oval(width, height)
    if form.form == "rectangle":
        return _cornered(width, height, form.corner_mm, "round")
    if form.form == "scooped":
        radius = min(width, height) * 0.22
        return _cornered(width, height, radius, "hollow")
    # a shield: straight shoulders, sides that run in to a point on arcs of one curve
    t = np.linspace(0, 1, 40)
    straight = 0.42
    side_y = height * (0.5 - straight) - t**1.0 * height * (1 - straight)
    side_x = width / 2 * np.sqrt(np.clip(1 - t**2.1, 0, 1))
    right = np.stack([side_x, side_y], axis=1)
    left = right[::-1] * (-1, 1)
    top = np.array([(-width / 2, height / 2), (width / 2, height / 2)])
    return shapely.Polygon(np.vstack([top, right, left[1:]]))


@_made.of(Arrow)
def _arrow(form: Arrow) -> shapely.Polygon:
    half, shaft, head = form.length_mm / 2, form.shaft_mm / 2, form.head_mm / 2
    neck = half - head
    return shapely.Polygon(
        [
            (-half, -shaft),
            (neck, -shaft),
            (neck, -head),
            (half, 0),
            (neck, head),
            (neck, shaft),
            (-half, shaft),
        ]
    )
