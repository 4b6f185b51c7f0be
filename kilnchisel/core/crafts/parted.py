"""A piece parted into solids of one material each: its letters, down into the blank by a little, and what
is left of that. What was one solid is cut in two by one face: they meet without gap or overlap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Plane, Side
from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.polygons import polygons_in

Array = NDArray[Any]
Solid = tuple[Array, Array]  # points (n, 3) mm, faces (m, 3)

BESIDE_MM = 0.01  # how far a cut goes beside a letter's own walls, so that no two faces lie on one another
TRUE_MM = 0.02  # how far straight pieces may stray from a bent side
MOST_CELLS = 20_000


@dataclass(frozen=True, eq=False)
class Letters:
    """Letters on a side: where they are, (u, v) mm, and between which heights they are parted off."""

    side: Side
    region: Any
    low_mm: float
    high_mm: float


def parted(points: Array, faces: Array, letters: Sequence[Letters]) -> tuple[Solid, list[Solid]]:
    """A closed solid parted: what is left of it, and each of the letters, later ones before earlier ones
    where they meet. Raises KilnError where it does not close."""
    whole = _manifold(points, faces)
    taken: list[Solid] = [(np.zeros((0, 3)), np.zeros((0, 3), np.int64))] * len(letters)
    for number in reversed(range(len(letters))):
        cutter = _prism(letters[number])
        inside, whole = whole ^ cutter, whole - cutter
        taken[number] = _arrays(inside)
    return _arrays(whole), taken


def _manifold(points: Array, faces: Array) -> manifold3d.Manifold:
    # copies: what another solid gave may not be written to
    mesh = manifold3d.Mesh64(np.array(points, np.float64), np.array(faces, np.uint64, order="C"))
    made = manifold3d.Manifold(mesh)
    if made.status() != manifold3d.Error.NoError:
        raise KilnError(f"The surface does not make a solid ({made.status().name}).")
    return made


def _arrays(solid: manifold3d.Manifold) -> Solid:
    mesh = solid.to_mesh64()
    return np.asarray(mesh.vert_properties)[:, :3], np.asarray(mesh.tri_verts, np.int64)


def _prism(one: Letters) -> manifold3d.Manifold:
    """What stands over a region of a side between two heights."""
    region = shapely.buffer(one.region, BESIDE_MM, join_style="mitre", mitre_limit=2.0)
    pieces = polygons_in(region) if isinstance(one.side, Plane) else _in_cells(region, one.side)
    flat, faces = _triangulated(pieces)
    if len(faces) == 0:
        return manifold3d.Manifold()
    count = len(flat)
    top = one.side.to_body(flat, np.full(count, one.high_mm))
    bottom = one.side.to_body(flat, np.full(count, one.low_mm))
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    paired = {(b, a) for a, b in edges.tolist()}
    rim = np.array([edge for edge in edges.tolist() if tuple(edge) not in paired])
    a, b = rim[:, 0], rim[:, 1]
    walls = np.concatenate(
        [np.stack([b, a, a + count], axis=1), np.stack([b, a + count, b + count], axis=1)]
    )
    # the bottom is numbered after the top
    return _manifold(np.concatenate([top, bottom]), np.concatenate([faces, faces[:, ::-1] + count, walls]))


def _in_cells(region: Any, side: Side) -> list[shapely.Polygon]:
    """A region in pieces so small that each is flat enough."""
    left, low, right, high = region.bounds
    step = _flat_for(side, region)
    across, up = max(1, int(np.ceil((right - left) / step))), max(1, int(np.ceil((high - low) / step)))
    while across * up > MOST_CELLS:
        across, up = max(1, across // 2), max(1, up // 2)
    u, v = np.linspace(left, right, across + 1), np.linspace(low, high, up + 1)
    u0, v0 = np.meshgrid(u[:-1], v[:-1])
    u1, v1 = np.meshgrid(u[1:], v[1:])
    cells = shapely.box(u0.ravel(), v0.ravel(), u1.ravel(), v1.ravel())
    shapely.prepare(region)
    cells = cells[shapely.intersects(region, cells)]
    return [part for cell in shapely.intersection(cells, region) for part in polygons_in(cell)]


def _flat_for(side: Side, region: Any) -> float:
    """How long a straight piece on a side may be: its chord strays by s² / 8 r."""
    spot = np.array(region.representative_point().coords)
    probe = 0.02 * max(region.bounds[2] - region.bounds[0], region.bounds[3] - region.bounds[1])
    steps = probe * np.array([[1.0, 0.0], [0.0, 1.0]])
    bend = 0.0
    for step in steps:
        frames = side.frames(np.concatenate([spot - step, spot + step]))
        turn = float(np.arccos(np.clip(frames[0, 2] @ frames[1, 2], -1, 1)))
        bend = max(bend, turn / (2 * probe))
    return float(np.sqrt(8 * TRUE_MM / max(bend, 1e-6)))


def _triangulated(pieces: list[shapely.Polygon]) -> tuple[Array, Array]:
    """Polygons as triangles that share the points of their edges: points (n, 2), faces (m, 3)."""
    from mapbox_earcut import triangulate_float64

    points, faces, start = [], [], 0
    for piece in pieces:
        piece = shapely.orient_polygons(piece)
        rings = [np.asarray(ring.coords)[:-1] for ring in (piece.exterior, *piece.interiors)]
        flat = np.concatenate(rings)
        ends = np.cumsum([len(ring) for ring in rings]).astype(np.uint32)
        cut = triangulate_float64(flat, ends).reshape(-1, 3).astype(np.int64)
        a, b, c = (flat[cut[:, k]] for k in range(3))
        turned = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        cut[turned < 0] = cut[turned < 0][:, ::-1]
        points.append(flat)
        faces.append(cut[turned != 0] + start)
        start += len(flat)
    if not points:
        return np.zeros((0, 2)), np.zeros((0, 3), np.int64)
    whole = np.concatenate(points)
    _, first, kind = np.unique(
        np.rint(whole / 1e-7).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    welded = kind.ravel()[np.concatenate(faces)]
    distinct = (
        (welded[:, 0] != welded[:, 1]) & (welded[:, 1] != welded[:, 2]) & (welded[:, 2] != welded[:, 0])
    )
    return whole[first], welded[distinct]
