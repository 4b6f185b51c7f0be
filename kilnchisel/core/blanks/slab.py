"""Slabs: bodies with an outline, a front and a back face, and an edge between them.

Boards, plates, box signs, book covers, vans and shirts are slabs. The outline lies in (x, z); the front
faces -y. A face is flat, or lies where a function of (x, z) puts it; the edge takes its first and last
points from the faces, so that everything closes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Body, FinishSlot, Inset, Sheet, Shell, arc_angles
from kilnchisel.core.blanks.mesh import Mesh, doubled_areas, facing_out, filled, grid, join
from kilnchisel.core.blanks.net import KEEP_OFF_MM, closely, gridded, net_over
from kilnchisel.core.blanks.outlines import Ring, normals_of
from kilnchisel.core.blanks.sides import ClearZone, Plane, Side
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.detail import Detail

Array = NDArray[Any]
Depth = Callable[[Array, Array], Array]  # x, z (n,) -> y (n,)

X, Y, Z = np.eye(3)
ROUGHER = 3.2  # how much wider a net's triangles are while something moves


@dataclass(frozen=True, eq=False)
class Face:
    """A face of a slab. ``depth``: its y over (x, z); a number for a flat one. ``step_mm``: the size of
    the triangles of a curved one. Zones and insets are in sheet mm, of the reader of this face."""

    name: str
    depth: Depth | float
    slot: FinishSlot = "blank"
    step_mm: float = 10.0
    clear: tuple[ClearZone, ...] = ()
    insets: tuple[Inset, ...] = ()
    lettered: bool = True


@dataclass(frozen=True, eq=False)
class Slab:
    """What a slab is made from. ``middle_z``: the z of the sheets' v = 0.

    ``edge``: (n, 2) how far out and how deep the edge runs from the face, ending at the outline; the same
    at the back. ``frame_mm``: a flat rim of the front at y = 0, within the edge, round its field.
    """

    ring: Ring
    front: Face
    back: Face
    edge: Array
    wall_mm: float
    middle_z: float = 0.0
    holes: tuple[Array, ...] = ()
    frame_mm: float = 0.0
    edge_slot: FinishSlot = "rim"
    solid: str = MAIN
    name: str = "edge"
    strips: tuple[tuple[str, FinishSlot, int, int], ...] = field(default=())


def edge_of(kind: str, size: float, *, detail: Detail) -> Array:
    """The edge from the face outward, (n, 2) as (out, deep) mm: from (-size, 0) to (0, size)."""
    if kind == "round":
        angle = arc_angles(90, 0, size, detail=detail)
        return np.stack([size * np.cos(angle) - size, size - size * np.sin(angle)], axis=1)
    if kind == "cove":
        angle = arc_angles(180, 270, size, detail=detail)
        return np.stack([size * np.cos(angle), -size * np.sin(angle)], axis=1)
    return np.array([[-size, 0.0], [0.0, size]])


def slab(what: Slab, *, detail: Detail) -> tuple[tuple[Shell, ...], tuple[Sheet, ...]]:
    """The shells and sheets of a slab."""
    points, normals = what.ring
    inset = float(-what.edge[0, 0])
    face_ring = gridded(points - inset * normals - (0.0, what.middle_z)) + (0.0, what.middle_z)
    field_ring = _field_ring(face_ring, what, detail=detail)
    front = _sheet(what.front, field_ring, what, 1.0, detail=detail)
    back = _sheet(what.back, face_ring, what, -1.0, detail=detail)
    field_edge = _on_face(front.side, field_ring, what, 1.0)
    shells = []
    if what.frame_mm > 0:
        shells.append(_frame(what, face_ring, field_ring, field_edge))
        front_edge = np.insert(face_ring, 1, 0.0, axis=1)
    else:
        front_edge = field_edge
    back_edge = _on_face(back.side, face_ring, what, -1.0)
    rows, row_normals = _edge_rows(what, front_edge, back_edge)
    shells += _edge_shells(what, rows, row_normals)
    for number, hole in enumerate(what.holes):
        shells.append(_hole(what, number, hole, front.side, back.side))
    sheets = [_strip(what, strip, rows) for strip in what.strips]
    for face, sheet in ((what.back, back), (what.front, front)):
        if face.lettered:
            sheets.insert(0, sheet)
        else:
            shells.append(Shell(f"{face.name} inner", face.slot, _plain(sheet), what.solid))
    return tuple(shells), tuple(sheets)


def standing_slab(what: Slab, *, detail: Detail) -> Body:
    """The body of a slab whose ring is about its middle, standing on z = 0."""
    points, normals = what.ring
    return Body(*slab(replace(what, ring=(points + (0.0, what.middle_z), normals)), detail=detail))


def _plain(sheet: Sheet) -> Mesh:
    """A flat sheet that takes no lettering, as a mesh."""
    flat, faces = filled(sheet.border)
    frames = sheet.side.frames(flat)
    points = sheet.side.to_body(flat, np.zeros(len(flat)))
    return facing_out(points, np.ascontiguousarray(frames[:, 2]), flat, faces)


def _field_ring(face_ring: Array, what: Slab, *, detail: Detail) -> Array:
    if what.frame_mm <= 0:
        return face_ring
    inner = shapely.Polygon(face_ring).buffer(-what.frame_mm, join_style="mitre")
    if inner.geom_type == "MultiPolygon":
        inner = max(inner.geoms, key=lambda part: part.area)
    points = shapely.get_coordinates(shapely.orient_polygons(inner).exterior)[:-1]
    if not isinstance(what.front.depth, float):
        points = closely(points, what.front.step_mm)
    return gridded(points - (0.0, what.middle_z)) + (0.0, what.middle_z)


def _uv(ring: Array, what: Slab, way: float) -> Array:
    """(x, z) on the sheet of the front (way 1) or the back (way -1), counter-clockwise there."""
    uv = (ring - (0.0, what.middle_z)) * (way, 1.0)
    return uv if way > 0 else uv[::-1]


def _sheet(face: Face, ring: Array, what: Slab, way: float, *, detail: Detail) -> Sheet:
    holes = [_uv(hole, what, way) for hole in what.holes]
    domain = shapely.Polygon(_uv(ring, what, way), holes)
    if isinstance(face.depth, int | float):
        origin = np.array([0.0, float(face.depth), what.middle_z])
        area = shapely.remove_repeated_points(domain, 1e-7)
        side: Side = Plane(face.name, area, origin, way * X, Z, what.wall_mm, face.clear)
        return Sheet(side, face.slot, solid=what.solid, insets=face.insets)
    place = partial(_placed, face.depth, way, what.middle_z)
    step = face.step_mm if detail.fine else 2 * face.step_mm
    net = net_over(domain, max(step, _widest(domain)))
    # its border may leave the true one by less than letters keep off it
    about = shapely.segmentize(shapely.simplify(domain, KEEP_OFF_MM / 2), ROUGHER * step)
    about = shapely.transform(about, gridded)
    rough = net_over(about, max(ROUGHER * step, _widest(about)))
    side = Surface(face.name, domain, place, net, what.wall_mm, face.clear)
    return Sheet(side, face.slot, solid=what.solid, insets=face.insets, net=net, rough=rough)


def _placed(depth: Callable[[Array, Array], Array], way: float, middle: float, uv: Array) -> Array:
    """Places on a face of this depth, (n, 2) sheet mm -> (n, 3)."""
    x, z = way * uv[:, 0], uv[:, 1] + middle
    return np.stack([x, depth(x, z), z], axis=1)


def _widest(area: shapely.Polygon) -> float:
    """The longest step between neighbouring points of an area's rings."""
    rings = [shapely.get_coordinates(ring) for ring in (area.exterior, *area.interiors)]
    return max(float(np.linalg.norm(np.diff(ring, axis=0), axis=1).max()) for ring in rings)


def _on_face(side: Side, ring: Array, what: Slab, way: float) -> Array:
    """The points of a ring on a face, in the ring's own order, (n, 3)."""
    uv = (ring - (0.0, what.middle_z)) * (way, 1.0)
    return side.to_body(uv, np.zeros(len(uv)))


def _frame(what: Slab, outer: Array, inner: Array, field_edge: Array) -> Shell:
    """The flat rim of the front and the wall from it down to the field."""
    flat = np.concatenate([outer, inner])
    ends = np.array([len(outer), len(flat)], dtype=np.uint32)
    faces = np.asarray(mapbox_earcut.triangulate_float64(flat, ends)).reshape(-1, 3)
    top = np.insert(flat, 1, 0.0, axis=1)
    normals = np.broadcast_to(-Y, top.shape).copy()
    turned = doubled_areas(flat, faces) < 0
    faces = np.where(turned[:, None], faces[:, ::-1], faces)
    rim = Mesh(top, normals, flat, faces.astype(np.int32))
    upper = np.insert(inner, 1, 0.0, axis=1)
    wall = _band([upper, field_edge], [-np.insert(normals_of(inner), 1, 0.0, axis=1)] * 2)
    return Shell("frame", "rim", join([rim, wall]), what.solid)


def _edge_rows(what: Slab, front: Array, back: Array) -> tuple[list[Array], list[Array]]:
    """The edge as rows of points from the front face to the back one, with their normals."""
    points, normals = what.ring
    out3 = np.insert(normals, 1, 0.0, axis=1)
    unit = out3 / np.linalg.norm(out3, axis=1, keepdims=True)
    slope = (
        np.gradient(what.edge, axis=0)
        if len(what.edge) > 2
        else np.tile(np.diff(what.edge, axis=0), (2, 1))
    )
    # the edge runs outward and back; its normal is that turned towards the outside
    turn = np.stack([slope[:, 1], -slope[:, 0]], axis=1)
    turn /= np.linalg.norm(turn, axis=1, keepdims=True)
    rows, row_normals = [], []
    base = np.insert(points, 1, 0.0, axis=1)
    for number, ((out, deep), (n_out, n_deep)) in enumerate(zip(what.edge, turn, strict=True)):
        row = base + out * out3
        row[:, 1] = front[:, 1] + deep
        rows.append(front if number == 0 else row)
        row_normals.append(n_out * unit + n_deep * Y)
    for number in reversed(range(len(what.edge))):
        out, deep = what.edge[number]
        row = base + out * out3
        row[:, 1] = back[:, 1] - deep
        rows.append(back if number == 0 else row)
        row_normals.append(turn[number, 0] * unit - turn[number, 1] * Y)
    return rows, row_normals


def _edge_shells(what: Slab, rows: list[Array], normals: list[Array]) -> list[Shell]:
    """Both turns of the edge and the straight band between them, without the strips that are sides."""
    count = len(what.edge)
    turns = [_band(rows[:count], normals[:count]), _band(rows[count:], normals[count:])]
    middle = rows[count - 1 : count + 1]
    outward = np.insert(what.ring[1], 1, 0.0, axis=1)
    outward /= np.linalg.norm(outward, axis=1, keepdims=True)
    middle_normals = [outward, outward]
    if not what.strips:
        if np.abs(middle[0] - middle[1]).max() > 1e-6:
            turns.append(_band(middle, middle_normals))
        return [Shell(what.name, what.edge_slot, join(turns), what.solid)]
    shells = [Shell(what.name, what.edge_slot, join(turns), what.solid)]
    stops = sorted((first, last) for _, _, first, last in what.strips)
    for number, (_, last) in enumerate(stops):
        following = stops[(number + 1) % len(stops)][0]
        span = (following - last) % len(rows[0])
        if span == 0:
            continue
        index = (last + np.arange(span + 1)) % len(rows[0])
        mesh = _lattice([row[index] for row in middle], [n[index] for n in middle_normals])
        shells.append(Shell(f"{what.name} {number + 1}", what.edge_slot, mesh, what.solid))
    return shells


def _band(rows: list[Array], normals: list[Array]) -> Mesh:
    """Rows of ring points closed round."""
    return _lattice(
        [np.concatenate([row, row[:1]]) for row in rows], [np.concatenate([n, n[:1]]) for n in normals]
    )


def _lattice(rows: list[Array], normals: list[Array]) -> Mesh:
    points, normal = np.stack(rows), np.stack(normals)
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points[0], axis=0), axis=1))])
    drop = np.zeros(len(points))
    drop[1:] = np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=2).mean(axis=1))
    uv = np.stack(np.broadcast_arrays(run[None, :], drop[:, None]), axis=-1)
    return grid(points, normal, uv)


def _hole(what: Slab, number: int, hole: Array, front: Side, back: Side) -> Shell:
    """The wall of a hole right through. ``hole``: clockwise seen from the front, (n, 2)."""
    inward = np.insert(normals_of(hole), 1, 0.0, axis=1)
    rows = [_on_face(front, hole, what, 1.0), _on_face(back, hole, what, -1.0)]
    return Shell(f"hole {number + 1}", what.edge_slot, _band(rows, [inward, inward]), what.solid)


def _strip(what: Slab, strip: tuple[str, FinishSlot, int, int], rows: list[Array]) -> Sheet:
    """A straight run of the edge, between its two roundings, as a flat side of its own."""
    name, slot, first, last = strip
    count = len(what.edge)
    span = (last - first) % len(rows[0])
    index = (first + np.arange(span + 1)) % len(rows[0])
    near, far = rows[count - 1][index], rows[count][index]
    along = near[-1] - near[0]
    along[1] = 0.0
    along /= np.linalg.norm(along)
    up = along if along[2] > 0 or (along[2] == 0 and along[0] > 0) else -along
    # outward is the ring's direction turned to its right
    out = np.array([along[2], 0.0, -along[0]])
    right = np.cross(up, out)
    corners = np.concatenate([near, far[::-1]])
    origin = corners.mean(axis=0)
    uv = np.stack([(corners - origin) @ right, (corners - origin) @ up], axis=1)
    area = shapely.Polygon(uv)
    if not shapely.is_ccw(area.exterior):
        area = shapely.Polygon(uv[::-1])
    side = Plane(name, area, origin, right, up, what.wall_mm)
    return Sheet(side, slot, solid=what.solid)
