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
from kilnchisel.core.blanks.mesh import Mesh, compacted, join, open_edges, shares_of
from kilnchisel.core.blanks.net import KEEP_OFF_MM, Net, gridded
from kilnchisel.core.crafts.piece import Part, Role, relief_mm, role_of, softened
from kilnchisel.core.crafts.sheet import (
    GROUND,
    NUDGE_MM,
    TRIES,
    cut_net,
    layered,
    region_walls,
)
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.lettering import Craft, Engraved
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
class _Inked:
    index: int
    laid: Laid
    craft: Craft
    number: int  # of the layer

    @property
    def height(self) -> float:
        return relief_mm(self.craft) * self.laid.layers[self.number].layer.height


def craft_free(mesh: FreeMesh, laid: Sequence[tuple[int, Laid, Craft]]) -> tuple[Part, ...]:
    """The parts of a free mesh with its letterings (index, laid, craft), later ones on top."""
    count = len(mesh.faces)
    state = _Cut(mesh.points, mesh.normals, mesh.faces, np.arange(count), np.full(count, GROUND))
    inked: list[_Inked] = []
    for index, item, craft in laid:
        if isinstance(craft, Engraved) and craft.depth_mm >= item.side.wall_mm:
            raise KilnError(
                f"Engraving {craft.depth_mm:g} mm deep would break through: there are "
                f"{item.side.wall_mm:.2f} mm of material behind."
            )
        assert isinstance(item.side, Chart)
        state = _lettered(mesh, state, item.side, item, len(inked))
        inked += [_Inked(index, item, craft, layer) for layer in range(len(item.layers))]
    parts = _bodies(mesh, state)
    for label, ink in enumerate(inked):
        made = _letters(state, label, ink)
        if made is not None:
            layer = ink.laid.layers[ink.number].layer
            more = f" {layer.kind} {ink.number + 1}" if len(ink.laid.layers) > 1 else ""
            name = f"{ink.laid.side.name} lettering {ink.index + 1}{more}"
            parts.append(Part(name, role_of(ink.craft), ink.index, None, made, layer))
    return tuple(parts)


def _lettered(mesh: FreeMesh, state: _Cut, chart: Chart, laid: Laid, first: int) -> _Cut:
    """The mesh cut by one lettering; its layers get the labels from ``first`` on."""
    row_of = np.full(int(state.source.max()) + 1, -1)
    row_of[chart.faces] = np.arange(len(chart.faces))
    mine = _under(state, chart, row_of, laid)
    used, corners = compacted(state.faces[mine], len(state.points))
    uv = _flat(state, chart, mine, row_of, used, corners)
    net = Net(gridded(uv), corners)
    inner = chart.pieces.buffer(-KEEP_OFF_MM)
    before = state.label[mine]
    for attempt in range(TRIES):
        shift = np.array([NUDGE_MM * attempt, NUDGE_MM * (attempt + 0.37)])
        regions = layered([_trimmed(layer.region, inner, shift) for layer in laid.layers])
        try:
            points, faces, label, parent = cut_net(net, regions, snapped=attempt % 2 == 0)
        except shapely.errors.GEOSException:
            continue
        if open_edges(faces) == open_edges(net.faces):
            break
    else:
        raise KilnError("The lettering could not be cut into the surface; move it by 0.1 mm.")
    fresh = points[len(net.points) :]
    row, share = _parents(net, faces, parent, len(net.points), fresh)
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


def _under(state: _Cut, chart: Chart, row_of: Array, laid: Laid) -> Array:
    """Numbers of the faces that the lettering may reach, with some to spare."""
    boxes = np.array([layer.region.bounds for layer in laid.layers if not layer.region.is_empty])
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


def _parents(net: Net, faces: Array, parent: Array, first: int, fresh: Array) -> tuple[Array, Array]:
    """For each new point a face of the net that it lies in, and the shares of its corners."""
    row = np.zeros(len(fresh), dtype=np.int64)
    new = faces >= first
    row[faces[new] - first] = np.broadcast_to(parent[:, None], faces.shape)[new]
    share = np.clip(shares_of(fresh, net.points[net.faces[row]]), 0, 1)
    return row, share / share.sum(axis=1, keepdims=True)


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


def _letters(state: _Cut, label: int, ink: _Inked) -> Mesh | None:
    """The level of one layer with its walls."""
    rows = np.flatnonzero(state.label == label)
    if len(rows) == 0:
        return None
    height = ink.height
    used, corners = compacted(state.faces[rows], len(state.points))
    base, out = state.points[used], state.normals[used]
    top = base + height * out
    level = Mesh(top, out, box_uv(base, out), corners)
    return join([level, _standing(base, top, out, corners, height)])


def _standing(base: Array, top: Array, out: Array, corners: Array, height: float) -> Mesh:
    """The walls round a region between the surface and its level."""
    edges, _ = region_walls(corners, np.zeros(len(corners), dtype=np.int64))
    start, end = edges.T
    along = base[end] - base[start]
    length = np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-30)
    away = np.cross(along / length, (out[start] + out[end]) / 2)
    away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-30)
    if height < 0:
        away = -away  # an engraved wall is seen from inside the letter
    at_start, at_end = softened(start, end, away)
    points = np.concatenate([base[start], base[end], top[end], top[start]])
    normals = np.concatenate([at_start, at_end, at_end, at_start])
    i = np.arange(len(edges))
    quads = np.stack([i, i + len(i), i + 2 * len(i), i + 3 * len(i)], axis=1)
    faces = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return Mesh(points, normals, box_uv(points, normals), faces.astype(np.int32))
