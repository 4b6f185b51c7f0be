"""Letterings on a free mesh: its triangles cut along the outlines, letter by letter on whatever is there.

The triangles keep their points in the mesh throughout, so that what closed before is closed after. Each
lettering is cut on its own chart, the later ones into what the earlier ones left.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import FreeMesh, box_uv, drawn_of
from kilnchisel.core.blanks.mesh import Mesh, compacted, open_edges, shares_of
from kilnchisel.core.blanks.net import KEEP_OFF_MM, Net, gridded
from kilnchisel.core.crafts.inked import Inked, inked_of, refuse_too_deep
from kilnchisel.core.crafts.lettered import parts_of
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.profile import Role
from kilnchisel.core.crafts.shaped import Surface, ready
from kilnchisel.core.crafts.sheet import (
    GROUND,
    NUDGE_MM,
    TRIES,
    cut_net,
    faces_of_points,
    layered,
    region_walls,
)
from kilnchisel.core.crafts.walls import EdgeWalls, softened, standing_walls, strips_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Craft
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]

SLOTS: tuple[Role, ...] = ("blank", "rim", "detail")  # of the first parts; all later ones take the first


@dataclass(frozen=True, eq=False)
class _Cut:
    """The mesh as cut so far: points and normals (n, 3), faces (m, 3), the mesh's own face each is from,
    and its label, GROUND or the number of an inked layer."""

    points: Array
    normals: Array
    faces: Array
    source: Array
    label: Array


@dataclass(frozen=True, eq=False)
class _Lettered:
    """A lettering's region of the mesh on the chart that it was cut on."""

    ink: Inked
    chart: Chart


def craft_free(
    mesh: FreeMesh, laid: Sequence[tuple[int, Laid, Craft]], *, detail: Detail = Detail.FINE
) -> tuple[Part, ...]:
    """The parts of a free mesh with its letterings (index, laid, craft), later ones on top. ROUGH:
    as in ``craft_sheet``."""
    count = len(mesh.faces)
    state = _Cut(mesh.points, mesh.normals, mesh.faces, np.arange(count), np.full(count, GROUND))
    lettered: list[_Lettered] = []
    for index, item, craft in laid:
        assert isinstance(item.side, Chart)
        inks = inked_of(index, item, craft, detail=detail)
        refuse_too_deep(item.side, craft, inks)
        state = _lettered(mesh, state, item.side, [ink.region for ink in inks], len(lettered))
        lettered += [_Lettered(ink, item.side) for ink in inks]
    parts = _bodies(mesh, state)
    surfaces = [_surface(mesh, state, label, one, detail=detail) for label, one in enumerate(lettered)]
    walls = _walls(state, surfaces)
    for label, one in enumerate(lettered):
        surface = surfaces[label]
        if surface is not None:
            parts += parts_of(one.ink, surface, walls[label], one.chart.name, None)
    return tuple(parts)


def _lettered(
    mesh: FreeMesh, state: _Cut, chart: Chart, wanted: list[shapely.MultiPolygon], first: int
) -> _Cut:
    """The mesh cut by the regions of one lettering, which get the labels from ``first`` on."""
    row_of = np.full(int(state.source.max()) + 1, -1)
    row_of[chart.faces] = np.arange(len(chart.faces))
    mine = _under(state, chart, row_of, wanted)
    used, corners = compacted(state.faces[mine], len(state.points))
    uv = _flat(state, chart, mine, row_of, used, corners)
    net = Net(gridded(uv), corners)
    inner = chart.pieces.buffer(-KEEP_OFF_MM)
    before = state.label[mine]
    for attempt in range(TRIES):
        shift = np.array([NUDGE_MM * attempt, NUDGE_MM * (attempt + 0.37)])
        regions = layered([_trimmed(region, inner, shift) for region in wanted])
        try:
            points, faces, label, parent = cut_net(net, regions, snapped=attempt % 2 == 0)
        except shapely.errors.GEOSException:
            continue
        if open_edges(faces) == open_edges(net.faces):
            break
    else:
        raise KilnError("The lettering could not be cut into the surface; move it by 0.1 mm.")
    fresh = points[len(net.points) :]
    row, share = net.spots(fresh, faces_of_points(faces, parent, len(net.points), len(fresh)))
    spots = np.einsum("nk,nkj->nj", share, state.points[used][corners[row]])
    there = mesh.normals_at(state.source[mine], state.faces[mine], state.normals)
    ways = np.einsum("nk,nkj->nj", share, there[row])
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
    start = len(state.points)
    numbers = np.concatenate([used, start + np.arange(len(fresh))])
    others = np.ones(len(state.faces), dtype=bool)
    others[mine] = False
    new_label = np.where(label == GROUND, before[parent], first + label)
    return _Cut(
        np.concatenate([state.points, spots]),
        np.concatenate([state.normals, ways]),
        np.concatenate([state.faces[others], numbers[faces].astype(np.int32)]),
        np.concatenate([state.source[others], state.source[mine][parent]]),
        np.concatenate([state.label[others], new_label]),
    )


def _under(state: _Cut, chart: Chart, row_of: Array, wanted: list[shapely.MultiPolygon]) -> Array:
    """Numbers of the faces that the lettering may reach, with some to spare."""
    boxes = np.array([region.bounds for region in wanted if not region.is_empty])
    if len(boxes) == 0:
        return np.empty(0, dtype=np.int64)
    low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
    flat = chart.uv[chart.corners]
    size = float(np.median(np.ptp(flat, axis=1).max(axis=1)))
    reached = (flat.max(axis=1) > low - 2 * size).all(axis=1) & (flat.min(axis=1) < high + 2 * size).all(
        axis=1
    )
    row = row_of[state.source]
    return np.flatnonzero((row >= 0) & reached[row])


def _trimmed(region: shapely.MultiPolygon, inner: Any, shift: Array) -> shapely.MultiPolygon:
    """The region, moved by less than any tolerance, inside the chart."""
    moved = shapely.transform(region, lambda p: p + shift)
    return moved if shapely.covers(inner, moved) else as_region([shapely.intersection(moved, inner)])


def _flat(state: _Cut, chart: Chart, mine: Array, row_of: Array, used: Array, corners: Array) -> Array:
    """The chart's coordinates of the points of the faces ``mine``, by the mesh's own face each is on."""
    row = np.empty(len(used), dtype=np.int64)
    row[corners.ravel()] = np.repeat(row_of[state.source[mine]], 3)
    share = shares_of(state.points[used], chart.points[chart.corners[row]])
    return np.asarray(np.einsum("nk,nkj->nj", share, chart.uv[chart.corners[row]]))


def _bodies(mesh: FreeMesh, state: _Cut) -> list[Part]:
    """What no letter covers, block by block; blocks that no letter touches as they always are."""
    block = mesh.block[state.source]
    changed = (state.label != GROUND) | (state.faces >= len(mesh.points)).any(axis=1)
    touched = set(np.unique(block[changed]).tolist())
    parts = []
    for number, drawn in mesh.drawn.items():
        part = mesh.part_of_block(number)
        slot = SLOTS[part] if part < len(SLOTS) else SLOTS[0]
        whole: Mesh | None = drawn
        if number in touched:
            whole = _ground(mesh, state, np.flatnonzero((block == number) & (state.label == GROUND)))
        if whole is not None:
            uncut = number not in touched
            parts.append(Part(mesh.parts[part], slot, None, None, whole, uncut=uncut))
    return parts


def _ground(mesh: FreeMesh, state: _Cut, rows: Array) -> Mesh | None:
    if len(rows) == 0:
        return None
    source, faces = state.source[rows], state.faces[rows]
    corner = mesh.normals_at(source, faces, state.normals)
    return drawn_of(state.points, state.normals, faces, mesh.face_normals[source], corner)


def _surface(mesh: FreeMesh, state: _Cut, label: int, one: _Lettered, *, detail: Detail) -> Surface | None:
    """The surface over one label."""
    rows = np.flatnonzero(state.label == label)
    if len(rows) == 0:
        return None
    used, corners = compacted(state.faces[rows], len(state.points))
    base, out = state.points[used], state.normals[used]
    heights = np.zeros(len(state.points))
    if one.ink.stage.level:
        heights[used] = one.ink.stage.knots[0][1]
        top = base + heights[used, None] * out
        return Surface(Mesh(top, out, box_uv(base, out), corners), heights)
    chart = one.chart
    row_of = np.full(len(mesh.faces), -1)
    row_of[chart.faces] = np.arange(len(chart.faces))
    uv = _flat(state, chart, rows, row_of, used, corners)
    made = ready(
        uv,
        base,
        out,
        used,
        corners,
        one.ink,
        np.eye(2),
        lambda spots: chart.to_body(spots, np.zeros(len(spots))),
        detail=detail,
    )
    return made.surface(one.ink, len(state.points), box_uv(made.base, made.out))


def _walls(state: _Cut, surfaces: Sequence[Surface | None]) -> list[list[Mesh]]:
    """The walls of every label between the mesh and its surface."""
    size = len(state.points)
    stack = np.stack([np.zeros(size) if s is None else s.heights for s in surfaces] or [np.zeros(size)])
    edges, label = region_walls(state.faces, state.label)
    walls = standing_walls(edges, label, stack)
    return [
        [] if mine is None else [_standing(state, mine)]
        for mine in (walls.of(number) for number in range(len(surfaces)))
    ]


def _standing(state: _Cut, walls: EdgeWalls) -> Mesh:
    start, end = walls.edges.T
    along = state.points[end] - state.points[start]
    length = np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-30)
    away = np.cross(along / length, (state.normals[start] + state.normals[end]) / 2)
    away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-30)
    # the wall of something sunk is seen from inside
    away = np.where((walls.top.sum(axis=1) < walls.foot.sum(axis=1))[:, None], -away, away)
    soft = np.stack(softened(start, end, away), axis=1)
    strips = strips_of(walls)
    at = walls.edges[strips.wall, strips.end]
    points = state.points[at] + strips.height[:, None] * state.normals[at]
    normals = soft[strips.wall, strips.end]
    return Mesh(points, normals, box_uv(points, normals), strips.faces)
