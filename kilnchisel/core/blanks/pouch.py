"""What a hooded sweatshirt has besides its panels: the pocket on its front, and the cord of its hood."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.cloth import ClothSide, Panel
from kilnchisel.core.blanks.mesh import Mesh, grid, without_slivers
from kilnchisel.core.blanks.net import Net
from kilnchisel.core.blanks.tubes import bar
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.garments import Measures, collar_of
from kilnchisel.core.later import interpolate

Array = NDArray[Any]

UPRIGHT_MM = 62.0  # of its sides, before they lean in to the opening
FULL_MM, NEAR_MM = 11.0, 50.0  # how far it stands off, and how far from where it is sewn on it does
PRESSED_MM = 0.2  # the same in a pile
SEWN_MM = (2.5, 8.5)  # where it is stitched, from its edge; its openings are hemmed
HEMMED_MM = 17.0
CORD_MM = 5.2
EYELET_MM = (11.0, 5.6)  # across, and its hole
HANGS_MM = (148.0, 132.0)  # how far below the neckline the cord's ends are, left and right
ASIDE_MM = (30.0, 26.0)


def outline_of(m: Measures) -> Array:
    """The pocket on the sheet of the front, (6, 2), counter-clockwise from the lower left."""
    low = -m.length / 2 + 4.0
    below, above, high = m.pouch[0] / 2, m.pouch[1] / 2, m.pouch[2]
    right = np.array([[below, low], [below, low + UPRIGHT_MM], [above, low + high]])
    left = right * (-1, 1)
    return np.array([left[0], *right, left[2], left[1]])


def pouch_side(
    front: Panel,
    m: Measures,
    net_of: Callable[[shapely.Polygon], tuple[Net, Net]],
    *,
    full_mm: float = FULL_MM,
) -> tuple[ClothSide, Net, Net]:
    """The pocket's outside; ``net_of``: (area) -> a fine and a coarse net; ``full_mm``: how far it stands
    off where nothing holds it."""
    thick, outline = front.thick_mm, shapely.Polygon(outline_of(m))
    area = outline.buffer(-thick / 2, join_style="mitre")
    fine, coarse = net_of(area)
    domain = shapely.Polygon(shapely.get_coordinates(area.exterior))
    place = partial(_off, front, shapely.union_all(sewn_of(m)), thick, full_mm)
    return ClothSide("pouch", domain, place, fine, thick), fine, coarse


def sewn_of(m: Measures) -> list[shapely.LineString]:
    """Where it is sewn on: below with both upright sides, and above."""
    a, b, c, d, e, f = outline_of(m)
    return [shapely.LineString([f, a, b, c]), shapely.LineString([d, e])]


def openings_of(m: Measures) -> list[shapely.LineString]:
    """Where hands go in."""
    _, _, c, d, e, f = outline_of(m)
    return [shapely.LineString([c, d]), shapely.LineString([e, f])]


def _off(front: Panel, sewn: Any, thick: float, full_mm: float, uv: Array) -> Array:
    """Places on the pocket: off the front, the farther the less it is held."""
    away = shapely.distance(shapely.points(uv), sewn)
    off = 1.15 * thick + full_mm * (1 - np.exp(-away / NEAR_MM))
    return np.asarray(front.place(uv) + off[:, None] * front.normal(uv))


def cord(front: Panel, hood: Panel, m: Measures, way: float, *, detail: Detail) -> list[Mesh]:
    """One end of the cord, out of its eyelet in the hood and down the front, and the eyelet: closed each.
    ``way``: 1 on the wearer's left."""
    number = 0 if way > 0 else 1
    spot = np.array([[way * 19.0, 30.0]])
    out = hood.normal(spot)[0]
    start = hood.place(spot)[0]
    top = collar_of(m, "front")
    down = top - np.linspace(34.0, HANGS_MM[number], 9)
    aside = way * (ASIDE_MM[number] + 3 * np.sin(np.linspace(0, 2.4, 9)))
    flat = np.stack([aside, down], axis=1)
    lies = front.place(flat) + (0.62 * CORD_MM + 1.0) * front.normal(flat)
    line = np.concatenate([[start - 3 * out, start + 0.9 * CORD_MM * out], lies])
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    smooth = interpolate.PchipInterpolator(run, line)(np.linspace(0, run[-1], 60 if detail.fine else 16))
    return [_knotted(smooth, detail=detail), _eyelet(start, out, detail=detail)]


def _knotted(line: Array, *, detail: Detail) -> Mesh:
    """A round cord with a knot before its end."""
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    left = run[-1] - run
    knot = np.exp(-(((left - 16.0) / 4.5) ** 2))
    thick = CORD_MM / 2 * (1 + 0.85 * knot) * np.where(left < 7, 1.12, 1.0)
    return bar(line, thick, 14 if detail.fine else 6)


def _eyelet(middle: Array, out: Array, *, detail: Detail) -> Mesh:
    """A metal ring that lies on the cloth."""
    side = np.cross(out, [0.0, 0.0, 1.0])
    side /= np.linalg.norm(side)
    up = np.cross(out, side)
    mean, half = (EYELET_MM[0] + EYELET_MM[1]) / 4, (EYELET_MM[0] - EYELET_MM[1]) / 4
    round_, tube = (40, 13) if detail.fine else (12, 7)
    turn = np.linspace(0, 2 * np.pi, round_ + 1)
    turn[-1] = 0.0
    about = np.linspace(0, 2 * np.pi, tube)
    about[-1] = 0.0
    radial = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * up
    normals = np.cos(about)[None, :, None] * radial[:, None] + np.sin(about)[None, :, None] * out
    points = middle + mean * radial[:, None] + half * normals
    return grid(points, normals, np.zeros((*points.shape[:2], 2)))


TAPE_MM, TAPE_THICK_MM = 7.0, 0.7  # half as wide as the tape over a seam is, and how thick


def seam_tape(left: Panel, right: Panel, seam: str) -> Mesh:
    """The tape inside over the seam of two panels, closed."""
    (one,) = (run.points for run in left.runs if run.seam == seam)
    (other,) = (run.points[::-1] for run in right.runs if run.seam == seam)
    inside = [_within(panel, line) for panel, line in ((left, one), (right, other))]
    outs = [panel.normal(line) for panel, line in ((left, one), (right, other))]
    middle = (left.place(one) + right.place(other)) / 2
    out = outs[0] + outs[1]
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-9)
    rows = []
    under = max(left.thick_mm, right.thick_mm) + 0.15
    for deep in (under, under + TAPE_THICK_MM):
        ends = [
            panel.place(at) - deep * panel.normal(at)
            for panel, at in zip((left, right), inside, strict=True)
        ]
        rows.append(np.stack([ends[0], middle - deep * out, ends[1]], axis=1))
    ring = np.concatenate([rows[0], rows[1][:, ::-1], rows[0][:, :1]], axis=1)
    ends = [np.repeat(ring[k].mean(axis=0)[None, None], 7, axis=1) for k in (0, -1)]
    points = np.concatenate([ends[0], ring, ends[1]])
    away = points - points[:, :-1].mean(axis=1, keepdims=True)
    length = np.linalg.norm(away, axis=2, keepdims=True)
    along = np.gradient(ring[:, 1], axis=0)[[0, -1]] * np.array([[-1.0], [1.0]])
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    normals = np.divide(away, length, out=np.zeros_like(away), where=length > 1e-9)
    normals[0], normals[-1] = along
    return without_slivers(grid(points, normals, np.zeros((*points.shape[:2], 2))))


def _within(panel: Panel, line: Array) -> Array:
    """Places so far inside a panel's outline, beside a run of it, (n, 2)."""
    way = np.gradient(line, axis=0)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    across = TAPE_MM * np.stack([-way[:, 1], way[:, 0]], axis=1)
    middle = len(line) // 2
    inward = shapely.contains_xy(panel.outline, *(line + across)[middle])
    return np.asarray(line + across if inward else line - across)
