"""What is worn: the signet ring and the open bracelet."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Sheet, Shell
from kilnchisel.core.blanks.extruded import Trace, extruded
from kilnchisel.core.blanks.mesh import Mesh, grid, join, without_slivers
from kilnchisel.core.blanks.outlines import oval
from kilnchisel.core.blanks.rounds import band_body
from kilnchisel.core.blanks.sides import ClearZone, Plane
from kilnchisel.core.blanks.slab import edge_of
from kilnchisel.core.blanks.turnedside import Turned
from kilnchisel.core.detail import Detail
from kilnchisel.core.easing import eased
from kilnchisel.core.job.blank import Band
from kilnchisel.core.job.bodies import Bracelet, Signet

Array = NDArray[Any]

X, _, Z = np.eye(3)


def signet_body(ring: Signet, *, detail: Detail) -> Body:
    """A band with an oval head towards the front, the shoulders running from head into band."""
    band = band_body(
        Band(inner_mm=ring.inner_mm, width_mm=ring.width_mm, thickness_mm=ring.thickness_mm), detail=detail
    )
    inner = ring.inner_mm / 2
    middle = ring.width_mm / 2
    outer = inner + ring.thickness_mm
    front = -(outer + ring.rise_mm)
    points, normals = oval(ring.head_mm, ring.head_high_mm, detail=detail)
    edge = edge_of("round", min(0.5, 0.3 * ring.rise_mm), detail=detail)
    # the foot of the head lies in the band, just below its outside: what is cut in from inside stays free
    foot = points * (1.5 * inner / ring.head_mm, 0.8 * ring.width_mm / ring.head_high_mm)
    rows = [_row(points + out * normals, front + deep, middle) for out, deep in edge]
    start = float(edge[-1, 1])
    for t in np.linspace(0, 1, 33 if detail.fine else 9)[1:]:
        ease = eased(float(t))
        flat = points * (1 - ease) + foot * ease
        back = _round(foot[:, 0], outer - SUNK_MM)
        y = (front + start) * (1 - t) + back * t
        rows.append(np.column_stack([flat[:, 0], y, flat[:, 1] + middle]))
    for share in np.linspace(1, 0, 7)[1:]:
        flat = foot * share
        rows.append(np.column_stack([flat[:, 0], _round(flat[:, 0], outer - SUNK_MM), flat[:, 1] + middle]))
    body = without_slivers(_smooth_grid(np.stack(rows), len(edge) + (32 if detail.fine else 8)))
    face = shapely.Polygon(points + edge[0, 0] * normals)
    side = Plane("head", face, np.array([0.0, front, middle]), X, Z, ring.rise_mm + ring.thickness_mm)
    head = Sheet(side, "blank", solid="head")
    covered = ClearZone("head", _covered(np.stack(rows), outer, middle), covered=True)
    sheets = tuple(_of_signet(sheet, ring, covered) for sheet in band.sheets)
    return Body((*band.shells, Shell("head", "blank", body, "head")), (head, *sheets))


SUNK_MM = 0.12  # how far the head reaches into its band
FACETS_MM = 0.03  # and its facets below that, at most


def _of_signet(sheet: Sheet, ring: Signet, covered: ClearZone) -> Sheet:
    """A side of the band as it is on a signet: the outside begins at the back and has its front under the
    head; the inside has the head's foot behind it."""
    side = sheet.side
    assert isinstance(side, Turned)
    if side.name == "outside":
        return replace(sheet, side=replace(side, turn=np.pi, clear=(covered,)))
    return replace(sheet, side=replace(side, wall_mm=ring.thickness_mm - SUNK_MM - FACETS_MM))


def _covered(rows: Array, outer: float, middle: float) -> shapely.Polygon:
    """Where the head stands on the band, on its outside's sheet, u = 0 at the back: the line in which its
    wall goes through the outside."""
    away = np.hypot(rows[..., 0], rows[..., 1])
    # of each line from the face to the foot, the last step into the band
    into = (away[:-1] > outer) & (away[1:] <= outer)
    last = len(into) - 1 - np.argmax(into[::-1], axis=0)
    column = np.arange(rows.shape[1])
    high, low = away[last, column], away[last + 1, column]
    share = ((high - outer) / np.maximum(high - low, 1e-12))[:, None]
    at = rows[last, column] * (1 - share) + rows[last + 1, column] * share
    angle = np.arctan2(at[:, 0], -at[:, 1])
    return shapely.Polygon(np.column_stack([outer * (angle + np.pi), at[:, 2] - middle])).buffer(0.1)


def _row(flat: Array, y: float, middle: float) -> Array:
    return np.column_stack([flat[:, 0], np.full(len(flat), y), flat[:, 1] + middle])


def _round(x: Array, radius: float) -> Array:
    """The y of a circle's front half."""
    return np.asarray(-np.sqrt(np.maximum(radius**2 - x**2, 0.0)))


def _smooth_grid(rows: Array, shown: int) -> Mesh:
    """Rings of points closed round, normals by differences; the last ring may be one point."""
    closed = np.concatenate([rows, rows[:, :1]], axis=1)
    round_ = (np.roll(rows, -1, axis=1) - np.roll(rows, 1, axis=1))[:, [*range(rows.shape[1]), 0]]
    meshes: list[Mesh] = []
    for some in (slice(0, shown), slice(shown - 1, None)):
        part = closed[some]
        normals = np.cross(round_[some], np.gradient(part, axis=0))
        length = np.linalg.norm(normals, axis=-1, keepdims=True)
        # where a ring has shrunk to a point the normal is the finger's way in, along y
        ahead = np.broadcast_to([0.0, 1.0, 0.0], normals.shape).copy()
        normals = np.divide(normals, length, out=ahead, where=length > 1e-12)
        uv = np.zeros((*part.shape[:2], 2))
        steps = np.linalg.norm(np.diff(part[0], axis=0), axis=1)
        uv[..., 0] = np.concatenate([[0.0], np.cumsum(steps)])
        uv[1:, :, 1] = np.cumsum(np.linalg.norm(np.diff(part, axis=0), axis=2), axis=0)
        if not meshes:  # the first part, the head's wall, tells which way is out
            outward = float(np.sign(np.einsum("ijk,ijk->", normals, part - part.mean(axis=(0, 1)))))
        meshes.append(grid(part, outward * normals, uv))
    return join(meshes)


def bracelet_body(cuff: Bracelet, *, detail: Detail) -> Body:
    """An open cuff standing on its lower edge, its gap at the back."""
    a, b, thick = cuff.inner_mm / 2, cuff.inner_deep_mm / 2, cuff.thickness_mm
    first = np.arccos(-cuff.gap_mm / 2 / a)
    angle = np.linspace(first, 2 * np.pi + np.arccos(cuff.gap_mm / 2 / a), 801)
    inner = np.stack([a * np.cos(angle), b * np.sin(angle)], axis=1)
    out = np.stack([b * np.cos(angle), a * np.sin(angle)], axis=1)
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    outer = inner + thick * out
    path = Trace(float(outer[0, 0]), float(outer[0, 1]), detail=detail)
    path.curve(outer, out, side="outside", wall_mm=thick)
    path.arc(_at(inner[-1] + outer[-1]), thick / 2, _degrees(out[-1]), _degrees(out[-1]) + 180)
    path.curve(inner[::-1], -out[::-1], side="inside", wall_mm=thick, slot="rim")
    path.arc(_at(inner[0] + outer[0]), thick / 2, _degrees(out[0]) + 180, _degrees(out[0]) + 360)
    path.end()
    shells, sheets = extruded(path, 0.0, cuff.width_mm, "body", "blank")
    return Body(shells, sheets)


def _at(double: Array) -> tuple[float, float]:
    return float(double[0]) / 2, float(double[1]) / 2


def _degrees(way: Array) -> float:
    return float(np.degrees(np.arctan2(way[1], way[0])))
