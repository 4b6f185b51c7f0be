"""Meshes from elsewhere as blanks: read, cleaned, stood up, and looked through for sides."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, compacted, corner_normals, joined_faces, neighbours
from kilnchisel.core.blanks.meshfile import read_mesh
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

CREASE = np.cos(np.radians(38.0))  # bends below this angle are round
FLAT = np.cos(np.radians(0.8))
SMOOTH = np.cos(np.radians(24.0))  # steps of a cylinder that is drawn with few corners
LEAST_SIDE = 0.015  # of the whole surface: smaller flat areas are no sides
MOST_SIDES = 14
BLOCKS = 4  # along each axis
# the file's own up axis -> rows of the turn that makes it z
UPRIGHT = {
    "z": [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    "-z": [[1, 0, 0], [0, -1, 0], [0, 0, -1]],
    "y": [[1, 0, 0], [0, 0, -1], [0, 1, 0]],
    "-y": [[1, 0, 0], [0, 0, 1], [0, -1, 0]],
    "x": [[0, -1, 0], [0, 0, -1], [1, 0, 0]],
    "-x": [[0, 1, 0], [0, 0, -1], [-1, 0, 0]],
}
NAMES = {
    "front": (0, -1, 0),
    "back": (0, 1, 0),
    "left side": (-1, 0, 0),
    "right side": (1, 0, 0),
    "top": (0, 0, 1),
    "underside": (0, 0, -1),
}


@dataclass(frozen=True, eq=False)
class Area:
    """A flat part of a free mesh that is offered as a side: its faces, its middle, the way it looks."""

    name: str
    faces: Array
    middle: Array
    normal: Array


@dataclass(frozen=True, eq=False)
class RoundArea:
    """A part of a free mesh that is a cylinder: its faces, a point and the direction of its axis (upward,
    or away from the front where it lies), its radius, and whether it is seen from inside."""

    name: str
    faces: Array
    centre: Array
    axis: Array
    radius_mm: float
    inside: bool


@dataclass(frozen=True, eq=False)
class FreeMesh:
    """A cleaned mesh as it stands, mm, its lowest point on z = 0, its middle over the origin.

    points (n, 3), faces (m, 3) counter-clockwise from outside, part (m,) index into ``parts``, surface_map
    (m, 3, 2) or None: coordinates that the file brought, at each corner of each face. ``notes``: what was
    mended, and what could not be.
    """

    points: Array
    faces: Array
    part: Array
    parts: tuple[str, ...]
    surface_map: Array | None
    notes: tuple[str, ...]
    open_edges: int

    @cached_property
    def face_normals(self) -> Array:
        """(m, 3), unit."""
        a, b, c = (self.points[self.faces[:, i]] for i in range(3))
        out = np.cross(b - a, c - a)
        return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-30))

    @cached_property
    def face_areas(self) -> Array:
        a, b, c = (self.points[self.faces[:, i]] for i in range(3))
        return np.asarray(np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)

    @cached_property
    def normals(self) -> Array:
        """At each point the mean of the faces round it by their area, (n, 3), unit."""
        total = np.zeros_like(self.points)
        weighted = self.face_normals * self.face_areas[:, None]
        for corner in range(3):
            for axis in range(3):
                total[:, axis] += np.bincount(self.faces[:, corner], weighted[:, axis], len(self.points))
        return np.asarray(total / np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-30))

    @cached_property
    def corner_normals(self) -> Array:
        """At each corner of each face, (m, 3, 3): the mean of those faces round the point that bend away
        from this one by less than a crease, by their area."""
        return corner_normals(self.face_normals * self.face_areas[:, None], self.faces, CREASE)

    def normals_at(self, source: Array, faces: Array, normals: Array) -> Array:
        """Normals at the corners of faces (k, 3) cut from the mesh's own faces ``source`` (k,): where a
        corner is one of the mesh's points those of its face there, else ``normals`` of the point."""
        same = self.faces[source][:, None, :] == faces[:, :, None]
        own = self.corner_normals[source[:, None], same.argmax(axis=2)]
        return np.where(same.any(axis=2)[..., None], own, normals[faces])

    @cached_property
    def tracer(self) -> Any:
        """The mesh for casting rays at; face numbers are those of ``faces``."""
        scene = EmbreeScene()
        TriangleMesh(scene, self.points.astype(np.float32), self.faces.astype(np.int32))
        return scene

    def hit(self, origin: Array, way: Array) -> tuple[Array, int] | None:
        """Where a ray first meets the mesh, and the face; None for a miss."""
        rays = (origin[None].astype(np.float32), way[None].astype(np.float32))
        found = self.tracer.run(*rays, output=True)
        face = int(found["primID"][0])
        if face < 0:
            return None
        a, b, c = self.points[self.faces[face]]
        normal = np.cross(b - a, c - a)
        facing = float(normal @ way)
        if abs(facing) < 1e-30:
            return None
        return origin + float((a - origin) @ normal) / facing * way, face

    def nearest(self, spot: Array) -> int:
        """The face whose surface is nearest to a spot."""
        gap = np.sqrt(((self._middles - spot) ** 2).sum(axis=1)) - np.sqrt(self._reach2)
        near = np.argpartition(gap, min(64, len(gap) - 1))[:64]
        return int(near[np.argmin(_distance(spot, self.points[self.faces[near]]))])

    def within(self, spot: Array, reach: float) -> Array:
        """Numbers of the faces that come within ``reach`` of a spot, by the balls round them."""
        away = ((self._middles - spot) ** 2).sum(axis=1)
        return np.flatnonzero(away <= (reach + np.sqrt(self._reach2)) ** 2)

    @cached_property
    def _middles(self) -> Array:
        return np.asarray(self.points[self.faces].mean(axis=1))

    @cached_property
    def _reach2(self) -> Array:
        away = self.points[self.faces] - self._middles[:, None]
        return np.asarray((away**2).sum(axis=2).max(axis=1))

    @cached_property
    def edges(self) -> tuple[Array, Array]:
        """Pairs of faces that share an edge, (k, 2), and the cosine of their bend, (k,)."""
        pairs = neighbours(self.faces)
        bend = np.einsum("ij,ij->i", self.face_normals[pairs[:, 0]], self.face_normals[pairs[:, 1]])
        return pairs, bend

    @cached_property
    def areas(self) -> tuple[Area, ...]:
        """Flat areas, the largest first, each named by the way it looks."""
        pairs, bend = self.edges
        flat = pairs[bend > FLAT]
        number, label = joined_faces(flat, len(self.faces))
        size = np.bincount(label, self.face_areas, number)
        found: list[Area] = []
        used: dict[str, int] = {}
        for group in np.argsort(-size)[:MOST_SIDES]:
            if size[group] < LEAST_SIDE * size.sum():
                break
            faces = np.flatnonzero(label == group)
            weight = self.face_areas[faces]
            normal = (self.face_normals[faces] * weight[:, None]).sum(axis=0)
            length = float(np.linalg.norm(normal))
            if length < 0.995 * weight.sum():
                continue  # it bends little by little all the way round
            normal = normal / length
            middle = (self._middles[faces] * weight[:, None]).sum(axis=0) / weight.sum()
            name = max(NAMES, key=lambda known: float(np.dot(NAMES[known], normal)))
            used[name] = used.get(name, 0) + 1
            more = "" if used[name] == 1 else f" {used[name]}"
            found.append(Area(name + more, faces, middle, normal))
        return tuple(found)

    @cached_property
    def round_areas(self) -> tuple[RoundArea, ...]:
        """Parts that are cylinders, the largest first."""
        pairs, bend = self.edges
        # long cylinders come as flat strips: what lies in one plane belongs together, too
        number, label = joined_faces(pairs[bend > SMOOTH], len(self.faces))
        size = np.bincount(label, self.face_areas, number)
        found: list[RoundArea] = []
        for group in np.argsort(-size)[:MOST_SIDES]:
            if size[group] < LEAST_SIDE * size.sum():
                break
            faces = np.flatnonzero(label == group)
            known = self._cylinder(faces)
            if known is not None:
                name = "round side" if not found else f"round side {len(found) + 1}"
                found.append(RoundArea(name, faces, *known))
        return tuple(found)

    def _cylinder(self, faces: Array) -> tuple[Array, Array, float, bool] | None:
        """Centre, axis, radius and whether it is hollow, of faces that lie on a cylinder; else None."""
        weight = self.face_areas[faces]
        normals = self.face_normals[faces]
        spread, ways = np.linalg.eigh((normals * weight[:, None]).T @ normals / weight.sum())
        if spread[0] > 1e-3 or spread[1] < 0.02:
            return None  # the normals do not keep to one plane, or hardly turn at all
        axis = ways[:, 0]
        axis = axis if axis[2] > 0.1 or (abs(axis[2]) <= 0.1 and axis[1] > 0) else -axis
        first = np.cross(axis, [0.0, 0.0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0.0, 0.0])
        first /= np.linalg.norm(first)
        second = np.cross(axis, first)
        points = self.points[np.unique(self.faces[faces])]
        flat = np.stack([points @ first, points @ second], axis=1)
        # the circle by least squares (Kasa): x² + y² = 2 a x + 2 b y + c
        system = np.column_stack([2 * flat, np.ones(len(flat))])
        a, b, c = np.linalg.lstsq(system, (flat**2).sum(axis=1), rcond=None)[0]
        radius = float(np.sqrt(max(c + a * a + b * b, 0.0)))
        off = np.abs(np.hypot(flat[:, 0] - a, flat[:, 1] - b) - radius).max()
        if radius <= 0 or off > 0.01 * radius:
            return None
        along = points @ axis
        centre = a * first + b * second + (along.min() + along.max()) / 2 * axis
        away = self._middles[faces] - centre
        hollow = float((np.einsum("ij,ij->i", away, normals) * weight).sum()) < 0
        return centre, axis, radius, hollow

    @cached_property
    def block(self) -> Array:
        """A number for each face, the same for neighbours of one part: what one lettering leaves alone
        need not be drawn anew."""
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        cell = np.clip((self._middles - low) / np.maximum(high - low, 1e-9) * BLOCKS, 0, BLOCKS - 1)
        x, y, z = cell.astype(int).T
        return np.asarray(((self.part * BLOCKS + x) * BLOCKS + y) * BLOCKS + z)

    @cached_property
    def drawn(self) -> dict[int, Mesh]:
        """The blocks as meshes for drawing."""
        order = np.argsort(self.block, kind="stable")
        numbers, first = np.unique(self.block[order], return_index=True)
        rows = np.split(order, first[1:])
        return {
            int(number): drawn_of(
                self.points,
                self.normals,
                self.faces[some],
                self.face_normals[some],
                self.corner_normals[some],
            )
            for number, some in zip(numbers, rows, strict=True)
        }

    def part_of_block(self, block: int) -> int:
        """The number of the part that a block is of."""
        return block // BLOCKS**3


def drawn_of(points: Array, normals: Array, faces: Array, own: Array, corner: Array) -> Mesh:
    """Faces (k, 3) as a mesh for drawing: round where the surface bends little, sharp at creases.

    ``normals``: those of the points; ``own`` (k, 3): those of the faces; ``corner`` (k, 3, 3): those at
    their corners. Corners are apart where these are not the points' own, or where a neighbour takes its
    texture from another side.
    """
    shared = normals[faces]
    alike = np.abs(shared).argmax(axis=2) == np.abs(own).argmax(axis=1)[:, None]
    joined = (np.einsum("mij,mij->mi", shared, corner) > ALIKE) & alike
    used, index = compacted(faces[joined], len(points))
    apart = ~joined
    number = np.empty(faces.shape, dtype=np.int32)
    number[joined] = index
    number[apart] = len(used) + np.arange(int(apart.sum()))
    spots = np.concatenate([points[used], points[faces[apart]]])
    ways = np.concatenate([normals[used], corner[apart]])
    sides = np.concatenate([normals[used], np.broadcast_to(own[:, None], shared.shape)[apart]])
    return Mesh(spots, ways, box_uv(spots, sides), number)


ALIKE = 1 - 1e-9


def box_uv(points: Array, normals: Array) -> Array:
    """Texture millimetres for surfaces that have no sheet: from the side that each looks to, (n, 2)."""
    axis = np.abs(normals).argmax(axis=1)
    u = np.where(axis == 0, points[:, 1], points[:, 0])
    v = np.where(axis == 2, points[:, 1], points[:, 2])
    return np.stack([u, v], axis=1)


def _distance(spot: Array, triangles: Array) -> Array:
    """Distance of a spot from each triangle, (k, 3, 3) -> (k,)."""
    import trimesh

    spots = np.broadcast_to(spot, (len(triangles), 3))
    near = trimesh.triangles.closest_point(triangles, spots)
    return np.asarray(np.linalg.norm(near - spot, axis=1))


@remembered
def free_mesh(blank: Mesh3D) -> FreeMesh:
    """The mesh of a blank as it stands. Raises KilnError when it is lost or cannot be read."""
    points, faces, part, names, surface, notes, loose = read_mesh(blank.sha256, blank.ending, blank.name)
    turn = np.radians(blank.turn_deg)
    spin = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    placed = points @ (spin @ np.array(UPRIGHT[blank.up], dtype=float)).T * blank.unit_mm
    low, high = placed.min(axis=0), placed.max(axis=0)
    placed = placed - ((low + high) / 2 * (1, 1, 0) + low * (0, 0, 1))
    return FreeMesh(placed, faces, part, names, surface, notes, loose)
