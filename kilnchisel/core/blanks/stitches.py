"""Seams and hems that are seen: threads, stitch by stitch."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Shell
from kilnchisel.core.blanks.cloth import ClothSide, Panel
from kilnchisel.core.blanks.mesh import Mesh, join

Array = NDArray[Any]

STITCH_MM, STITCH_GAP_MM, THREAD_MM = 2.9, 0.7, 0.46
HEM_MM = (19.0, 25.5)  # where a hem is stitched, from its edge
BESIDE_MM = 3.5  # where the cloth is stitched beside a collar
Hem = tuple[Any, float]  # a line of the sheet, and how far within it is stitched


def hems_of(panel: Panel) -> list[Hem]:
    """Where a panel is stitched: along its hems, beside a collar, and beside a seam down the middle."""
    lines: dict[tuple[float, ...], list[Any]] = {HEM_MM: [], (BESIDE_MM,): []}
    for run in panel.runs:
        if not run.seam:
            lines[HEM_MM].append(shapely.LineString(run.points))
        elif run.seam.endswith(("neck", "middle")):
            lines[(BESIDE_MM,)].append(shapely.LineString(run.points))
    return [(line, far) for fars, found in lines.items() for line in joined(found) for far in fars]


def stitched(name: str, side: ClothSide, hems: list[Hem]) -> list[Shell]:
    """Threads along hems."""
    within = side.domain.buffer(-1.0)
    threads = [
        _threads(side, shapely.get_coordinates(part))
        for line, far in hems
        for part in shapely.get_parts(shapely.intersection(shapely.offset_curve(line, far), within))
        if part.length > 10 * STITCH_MM
    ]
    return [Shell(f"{name} stitches", "detail", join(threads), f"{name} stitches")] if threads else []


def joined(lines: list[shapely.LineString]) -> list[Any]:
    """Lines that follow on each other as one."""
    if not lines:
        return []
    return list(shapely.get_parts(shapely.line_merge(shapely.MultiLineString(lines), directed=True)))


def _threads(side: ClothSide, line: Array) -> Mesh:
    """A stitch after the other along a line of the sheet (n, 2): each a little spindle that dips into the
    cloth at both ends."""
    curve = shapely.LineString(line)
    count = int(curve.length / (STITCH_MM + STITCH_GAP_MM))
    start = (np.arange(count) + 0.1) * (STITCH_MM + STITCH_GAP_MM)
    at = [
        shapely.get_coordinates(shapely.line_interpolate_point(curve, start + s * STITCH_MM))
        for s in (0, 0.3, 0.7, 1)
    ]
    ends = [side.to_body(spot, np.full(count, -0.3 * THREAD_MM)) for spot in (at[0], at[3])]
    thick = THREAD_MM / 2
    rings = []
    for spot in at[1:3]:
        frames = side.frames(spot)
        way = ends[1] - ends[0]
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        across = np.cross(frames[:, 2], way)
        middle = side.to_body(spot, np.full(count, 0.4 * thick))
        rings.append(
            [
                (
                    middle + thick * (np.cos(t) * across + np.sin(t) * frames[:, 2]),
                    np.cos(t) * across + np.sin(t) * frames[:, 2],
                )
                for t in np.arange(6) * np.pi / 3
            ]
        )
    points = np.stack([ends[0], *(p for p, _ in rings[0]), *(p for p, _ in rings[1]), ends[1]], axis=1)
    way = ends[1] - ends[0]
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    normals = np.stack([-way, *(n for _, n in rings[0]), *(n for _, n in rings[1]), way], axis=1)
    one = []
    for k in range(6):
        a, b = 1 + k, 1 + (k + 1) % 6
        one += [[0, b, a], [a, b, b + 6], [a, b + 6, a + 6], [a + 6, b + 6, 13]]
    faces = (np.arange(count)[:, None, None] * 14 + np.array(one)).reshape(-1, 3)
    flat = np.zeros((count * 14, 2))
    return Mesh(points.reshape(-1, 3), normals.reshape(-1, 3), flat, faces.astype(np.int32))
