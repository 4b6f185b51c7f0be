"""Outlines of flat blanks: closed rings about their middle, counter-clockwise seen from the front.

Every function returns points (n, 2) mm and their outward normals (n, 2).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import arc_angles
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError

Array = NDArray[Any]
Ring = tuple[Array, Array]


def oval(width: float, height: float, *, detail: Detail) -> Ring:
    """An ellipse."""
    a, b = width / 2, height / 2
    count = 8 * (len(arc_angles(0, 45, max(a, b) ** 2 / min(a, b), detail=detail)))
    t = np.linspace(0, 2 * np.pi, count, endpoint=False)
    points = np.stack([a * np.cos(t), b * np.sin(t)], axis=1)
    normals = np.stack([b * np.cos(t), a * np.sin(t)], axis=1)
    return points, normals / np.linalg.norm(normals, axis=1, keepdims=True)


def rectangle(width: float, height: float, corner: float, *, detail: Detail) -> Ring:
    """A rectangle with round corners."""
    a, b = width / 2, height / 2
    corner = min(corner, a, b)
    points_list, normals_list = [], []
    for start, sx, sz in ((0, 1, 1), (90, -1, 1), (180, -1, -1), (270, 1, -1)):
        angle = arc_angles(start, start + 90, corner, detail=detail)
        normal = np.stack([np.cos(angle), np.sin(angle)], axis=1)
        centre = np.array([sx * (a - corner), sz * (b - corner)])
        points_list.append(centre + corner * normal)
        normals_list.append(normal)
    points, normals = np.concatenate(points_list), np.concatenate(normals_list)
    apart = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 1e-6
    return points[apart], normals[apart]


def arched(width: float, height: float, corner: float, *, detail: Detail) -> Ring:
    """A rectangle whose upper side is an arc over the whole width, a fifth of it high."""
    rise = min(0.2 * width, 0.45 * height)
    radius = (width**2 / 4 + rise**2) / (2 * rise)
    half = np.degrees(np.arcsin(width / 2 / radius))
    angle = arc_angles(90 - half, 90 + half, radius, detail=detail)
    arc = np.stack([radius * np.cos(angle), height / 2 - radius + radius * np.sin(angle)], axis=1)
    foot = np.array([[-width / 2, -height / 2], [width / 2, -height / 2]])
    return rounded(np.concatenate([arc, foot]), corner, detail=detail)


def shield(width: float, height: float, corner: float, *, detail: Detail) -> Ring:
    """A shield: level above, its sides running down to a point below."""
    knee = 0.1 * height  # the sides are straight down to here
    t = np.linspace(0, 1, 49 if detail.fine else 13)
    right = np.stack([width / 2 * (1 - t**2.1), knee - (height / 2 + knee) * t**0.92], axis=1)
    left = right[:-1] * (-1.0, 1.0)
    top = np.array([[width / 2, height / 2], [-width / 2, height / 2]])
    ring = np.concatenate([top, left, right[::-1]])
    return rounded(ring, corner, detail=detail)


def drawn(points: Array, width: float, height: float, corner: float, *, detail: Detail) -> Ring:
    """An outline from elsewhere, brought to width and height. Raises KilnError if it is no outline."""
    ring = np.asarray(points, dtype=float)
    low, high = ring.min(axis=0), ring.max(axis=0)
    if (high - low <= 0).any():
        raise KilnError("The drawn outline has no area; take another.")
    ring = (ring - (low + high) / 2) * (np.array([width, height]) / (high - low))
    return rounded(ring, corner, detail=detail)


def rounded(ring: Array, radius: float, *, detail: Detail) -> Ring:
    """A ring with all corners, outer and inner, at least as round as ``radius``."""
    area = shapely.Polygon(ring)
    if not area.is_valid:
        area = shapely.make_valid(area)
    segments = max(len(arc_angles(0, 90, radius, detail=detail)) - 1, 2)
    for way in (-radius, 2 * radius, -radius):
        area = area.buffer(way, quad_segs=segments)
    if area.geom_type == "MultiPolygon":
        area = max(area.geoms, key=lambda part: part.area)
    if area.is_empty:
        raise KilnError(f"The outline is too narrow for corners and edges of {radius:g} mm.")
    area = shapely.simplify(area, 0.002 if detail.fine else 0.2)
    points = shapely.get_coordinates(shapely.orient_polygons(shapely.Polygon(area.exterior)).exterior)[:-1]
    # pieces far shorter than the corners have no direction worth trusting
    apart = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 0.01 * radius
    points = points[apart]
    return points, normals_of(points)


def normals_of(points: Array) -> Array:
    """Outward normals at the points of a closed counter-clockwise ring, halving each corner's angle."""
    step = np.roll(points, -1, axis=0) - points
    step /= np.linalg.norm(step, axis=1, keepdims=True)
    out = np.stack([step[:, 1], -step[:, 0]], axis=1)
    both = out + np.roll(out, 1, axis=0)
    # at a corner the mitre is longer than 1, so that every side moves by the same amount
    return np.asarray(2 * both / np.maximum((both**2).sum(axis=1, keepdims=True), 0.5))


def subdivided(ring: Ring, step_mm: float) -> Ring:
    """The ring with points at most ``step_mm`` apart; normals are carried along its sides."""
    points, normals = ring
    ends, turned = np.roll(points, -1, axis=0), np.roll(normals, -1, axis=0)
    counts = np.maximum(np.ceil(np.linalg.norm(ends - points, axis=1) / step_mm).astype(int), 1)
    edge = np.repeat(np.arange(len(points)), counts)
    first = np.cumsum(counts) - counts
    t = ((np.arange(counts.sum()) - first[edge]) / counts[edge])[:, None]
    return points[edge] + t * (ends - points)[edge], normals[edge] + t * (turned - normals)[edge]
