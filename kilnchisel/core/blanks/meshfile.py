"""Mesh files: read by a library, cleaned, and told what they are."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import compacted, distinct, edges_of, joined_faces, shares_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import LARGEST, asset, keep_asset
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]
# points, faces, part of each face, names of the parts, surface map, notes, open edges
Cleaned = tuple[Array, Array, Array, tuple[str, ...], Any, tuple[str, ...], int]

MESH_KINDS = (".stl", ".obj", ".ply", ".glb", ".gltf", ".3mf", ".off")
MOST_FACES = 4_000_000
MOST_ROUND = 4_000  # triangles at one point: those of a face of thousands of corners, fanned out
MOST_FAR = 1e9  # units from the middle: what is farther is no measure of anything
FINE, FINE_FACES = 30, 4_000  # long edges are split: no longer than a share of the whole, nor too many


@remembered
def read_mesh(sha256: str, ending: str, name: str) -> Cleaned:
    """The file's triangles, cleaned, in its own units: points, faces, part, names, surface map, notes.
    Raises KilnError with what is wrong with the file."""
    data = asset(sha256, name)
    read: Cleaned = gate.read(f"{__name__}:mesh_in", name, data, ending, name, limits=gate.LARGE)
    return read


def mesh_in(data: bytes, ending: str, name: str) -> Cleaned:
    """The same from the file's bytes, read here and now."""
    return cleaned(*_loaded(data, ending, name))


def _loaded(data: bytes, ending: str, name: str) -> tuple[Array, Array, Array, tuple[str, ...], Any]:
    import trimesh

    if ending not in MESH_KINDS:
        raise KilnError(f"{name} is no mesh that can be read here; {', '.join(MESH_KINDS)} can.")
    gate.at(None, "unpacking")
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=ending[1:], process=False)
        meshes = _meshes(loaded)
    except (KilnError, MemoryError, RecursionError):
        raise
    except Exception:  # the reader lets through whatever its parsers raise
        raise KilnError(
            f"{name} cannot be read as {ending[1:].upper()}; it is damaged, cut short, or of another kind."
        ) from None
    if not meshes and ending == ".stl":  # which is of triangles alone
        raise KilnError(f"{name} cannot be read as STL; it is damaged, cut short, or of another kind.")
    if not meshes:
        raise KilnError(f"{name} holds no triangles; it may be a cloud of points or a drawing.")
    points, faces, part = [], [], []
    maps: list[Any] = []
    start = 0
    for number, (title, mesh) in enumerate(meshes):
        gate.at(0.2 + 0.1 * number / len(meshes), f"part {_plain_name(title)}")
        points.append(np.asarray(mesh.vertices, dtype=float))
        faces.append(np.asarray(mesh.faces, dtype=np.int64) + start)
        part.append(np.full(len(mesh.faces), number))
        own = getattr(mesh.visual, "uv", None)
        maps.append(None if own is None or len(own) != len(mesh.vertices) else np.asarray(own, float))
        start += len(mesh.vertices)
    whole = np.concatenate(faces)
    # at each corner of each face: where a map is cut apart, one point has several places on it
    surface = None if any(own is None for own in maps) else np.concatenate(maps)[whole]
    names = tuple(_plain_name(title) or f"part {number + 1}" for number, (title, _) in enumerate(meshes))
    return np.concatenate(points), whole, np.concatenate(part), names, surface


def _plain_name(title: str) -> str:
    """A part's name as it can be shown: printable, and not longer than a line."""
    return "".join(c for c in title if c.isprintable() and not "\ud800" <= c <= "\udfff").strip()[:80]


def _meshes(loaded: Any) -> list[tuple[str, Any]]:
    import trimesh

    if isinstance(loaded, trimesh.Trimesh):
        return [("body", loaded)] if len(loaded.faces) else []
    if not isinstance(loaded, trimesh.Scene):
        return []
    found = []
    for node in loaded.graph.nodes_geometry:
        matrix, geometry = loaded.graph[node]
        mesh = loaded.geometry[geometry]
        if isinstance(mesh, trimesh.Trimesh) and len(mesh.faces):
            copy = mesh.copy()
            copy.apply_transform(matrix)
            found.append((str(node), copy))
    return found


def cleaned(points: Array, faces: Array, part: Array, names: tuple[str, ...], surface: Any) -> Cleaned:
    """Welded, without degenerate and doubled triangles and unused points, all turned one way. ``surface``:
    the map that the file brought, at each corner of each face (m, 3, 2), or None.

    The same points and faces as trimesh's merging and repair give, in half its time (330,000 triangles of
    an STL: 0.65 and 1.2 s), and with what was done counted, to be told.

    Returns the same with notes on what was done. Raises KilnError for more than MOST_FACES triangles or
    none, or points that are no numbers.
    """
    if len(faces) > MOST_FACES:
        raise KilnError(
            f"The mesh has {len(faces):,} triangles; at most {MOST_FACES:,} can be taken. "
            "Thin it out first."
        )
    if len(points) == 0 or len(faces) == 0:
        raise KilnError("The mesh has no triangles.")
    if int(faces.min()) < 0 or int(faces.max()) >= len(points):
        raise KilnError("The mesh has triangles without points; it is damaged. Write it again.")
    crowd = int(np.bincount(faces.ravel()).max())
    if crowd > MOST_ROUND:
        raise KilnError(
            f"{crowd:,} triangles meet at one point of the mesh; at most {MOST_ROUND:,} can be lettered. "
            "Divide its large faces evenly and save it again."
        )
    if not np.isfinite(points).all() or np.abs(points).max() > MOST_FAR:
        raise KilnError("The mesh has points that are no numbers; write it again from where it came.")
    notes = []
    gate.at(0.3, f"{len(points):,} points".replace(",", "\u202f"))
    span = float(np.ptp(points, axis=0).max())
    if span <= 0:
        raise KilnError("All points of the mesh lie in one place.")
    keys = np.rint(points / (1e-7 * span)).astype(np.int64)
    first, index = distinct(keys[:, ::-1])
    welded = index[faces]
    whole = (welded[:, 0] != welded[:, 1]) & (welded[:, 1] != welded[:, 2]) & (welded[:, 2] != welded[:, 0])
    if (~whole).any():
        notes.append(f"{int((~whole).sum())} triangles without area were dropped")
    kept = np.flatnonzero(whole)[_once(np.sort(welded[whole], axis=1))]
    if len(kept) < whole.sum():
        notes.append(f"{int(whole.sum()) - len(kept)} doubled triangles were dropped")
    if len(kept) == 0:
        raise KilnError("The mesh has no triangle with an area.")
    welded, part = welded[kept], part[kept]
    used, faces = compacted(welded, len(first))
    points = points[first[used]]
    surface = None if surface is None else surface[kept]
    gate.at(0.5, f"{len(faces):,} triangles".replace(",", "\u202f"))
    before, (faces, turned, torn, loose) = faces, _one_way(points, faces)
    if surface is not None:
        surface = np.where((faces != before).any(axis=1)[:, None, None], surface[:, ::-1], surface)
    gate.at(0.8, "dividing large triangles")
    a, b, c = (points[faces[:, i]] for i in range(3))
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
    whole = points[faces]
    points, faces, parent = divided(points, faces, max(span / FINE, float(np.sqrt(area / FINE_FACES))))
    part = part[parent]
    if surface is not None:  # of what was divided, where that is on its triangle
        shares = shares_of(points[faces].reshape(-1, 3), np.repeat(whole[parent], 3, axis=0))
        surface = np.einsum("nk,nkj->nj", shares, np.repeat(surface[parent], 3, axis=0)).reshape(-1, 3, 2)
    if turned:
        notes.append(f"{turned} triangles were turned to face outward")
    if torn:
        notes.append(f"{torn} edges belong to more than two triangles")
    if loose:
        notes.append(f"{loose} edges are open: the surface has holes, and no solid can be written")
    return points, faces.astype(np.int32), part, names, surface, tuple(notes), loose


def _once(faces: Array) -> Array:
    """The rows of sorted faces that are the first of their kind, ascending."""
    first = faces[:, 0].astype(np.int64) * (int(faces.max(initial=0)) + 1) + faces[:, 1]
    order = np.lexsort((faces[:, 2], first))
    same = (np.diff(first[order]) == 0) & (np.diff(faces[order, 2]) == 0)
    doubled = np.zeros(len(faces), dtype=bool)
    doubled[order[1:][same]] = True
    return np.flatnonzero(~doubled)


def _one_way(points: Array, faces: Array) -> tuple[Array, int, int, int]:
    """Faces turned consistently within each shell, shells outward; how many were turned; edges of more
    than two faces; edges of one face only."""
    edges = edges_of(faces)
    size = len(points)
    forward = edges.min(axis=1) * size + edges.max(axis=1)
    order = np.argsort(forward, kind="stable")
    ordered = forward[order]
    first = np.flatnonzero(np.append(True, np.diff(ordered) != 0))  # of each edge, among its faces
    shared = np.diff(np.append(first, len(ordered)))
    torn, alone = int((shared > 2).sum()), int((shared == 1).sum())
    at = first[shared == 2]
    one, other = order[at], order[at + 1]
    pairs = np.stack([one % len(faces), other % len(faces)], axis=1)
    against = edges[one, 0] == edges[other, 0]  # both run along their edge the same way
    before = faces
    if against.any():
        faces = np.where(_to_turn(pairs, against, len(faces))[:, None], faces[:, ::-1], faces)
    shells, label = joined_faces(pairs, len(faces))
    a, b, c = (points[faces[:, i]] - points.mean(axis=0) for i in range(3))
    volume = np.bincount(label, np.einsum("ij,ij->i", a, np.cross(b, c)), shells)
    inward = volume[label] < 0
    faces = np.where(inward[:, None], faces[:, ::-1], faces)
    turned = int((np.sort(faces, axis=1) == np.sort(before, axis=1)).all(axis=1).sum())
    same = (_rolled(faces) == _rolled(before)).all(axis=1)
    return faces, turned - int(same.sum()), torn, alone


def _to_turn(pairs: Array, against: Array, count: int) -> Array:
    """Which of ``count`` faces to turn so that none of the ``pairs`` (k, 2) of neighbours is ``against``
    any more. A shell with one side only (a Möbius band) stays as it is.

    Each face stands as it is (i) and turned (i + count); what goes together is joined, so that a shell
    falls into two groups, one with every face turned that the other has not. Some 60 times quicker than
    trimesh.repair.fix_winding, which walks from face to face (330,000 faces: 0.9 s instead of 60).
    """
    a, b = pairs[:, 0], pairs[:, 1]
    swap = np.where(against, count, 0)
    both = np.concatenate(
        [np.stack([a, b + swap], axis=1), np.stack([a + count, b + count - swap], axis=1)]
    )
    _, label = joined_faces(both, 2 * count)
    as_is, turned = label[:count], label[count:]
    _, shell = np.unique(np.minimum(as_is, turned), return_inverse=True)
    group = np.zeros(int(shell.max()) + 1, dtype=label.dtype)
    group[shell[::-1]] = as_is[::-1]  # the group of each shell's first face
    return np.asarray((as_is != group[shell]) & (as_is != turned))


def _rolled(faces: Array) -> Array:
    """Each face beginning with its least corner."""
    start = faces.argmin(axis=1)[:, None]
    return np.take_along_axis(faces, (start + np.arange(3)) % 3, axis=1)


def divided(points: Array, faces: Array, longest: float) -> tuple[Array, Array, Array]:
    """Triangles with no edge longer than ``longest``, split at the middles of edges, closed as before.

    The given points stay the first ones. Returns points, faces, and for each face the one it is from.
    """
    parent = np.arange(len(faces))
    while True:
        edges = np.sort(edges_of(faces), axis=1)
        long = ((points[edges[:, 0]] - points[edges[:, 1]]) ** 2).sum(axis=1) > longest**2
        if not long.any():
            break
        size = len(points)
        keys, which = np.unique(edges[:, 0] * size + edges[:, 1], return_inverse=True)
        unique = np.stack([keys // size, keys % size], axis=1)
        length = np.linalg.norm(points[unique[:, 0]] - points[unique[:, 1]], axis=1)
        long = length > longest
        number = np.where(long, len(points) + np.cumsum(long) - 1, -1)
        points = np.concatenate([points, points[unique[long]].mean(axis=1)])
        faces, of = _split(faces, number[which.reshape(3, -1).T])
        parent = parent[of]
    return points, faces, parent


def _split(faces: Array, middle: Array) -> tuple[Array, Array]:
    """Faces split where ``middle`` (m, 3) names the point in the middle of an edge (-1: none), and which
    face each is from."""
    count = (middle >= 0).sum(axis=1)
    whole = np.flatnonzero(count == 0)
    out, of = [faces[whole]], [whole]

    def add(rows: Array, *triangles: tuple[Array, Array, Array]) -> None:
        for triangle in triangles:
            out.append(np.stack(triangle, axis=1))
            of.append(rows)

    for first in range(3):
        order = [(first + k) % 3 for k in range(3)]
        f, m = faces[:, order], middle[:, order]
        one = np.flatnonzero((count == 1) & (m[:, 0] >= 0))
        a, b, c = f[one].T
        p = m[one, 0]
        add(one, (a, p, c), (p, b, c))
        two = np.flatnonzero((count == 2) & (m[:, 2] < 0))
        a, b, c = f[two].T
        p, q = m[two, 0], m[two, 1]
        add(two, (p, b, q), (a, p, q), (a, q, c))
    three = np.flatnonzero(count == 3)
    a, b, c = faces[three].T
    p, q, r = middle[three].T
    add(three, (a, p, r), (p, b, q), (r, q, c), (p, q, r))
    return np.concatenate(out), np.concatenate(of)


# what one unit of a file may be, mm, in the order in which they are offered
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
# things whose largest measure everyone knows, mm
KNOWN = (
    (18.0, "a finger ring"),
    (40.0, "a matchbox"),
    (95.0, "a mug"),
    (210.0, "a book"),
    (450.0, "a chair's seat"),
    (900.0, "a table"),
    (2000.0, "a door"),
    (4900.0, "a van"),
    (9000.0, "a house front"),
    (30_000.0, "a church"),
)


@dataclass(frozen=True)
class MeshFile:
    """A mesh file taken in: what it holds, and what its unit is likely to be (None: it does not say)."""

    name: str
    sha256: str
    ending: str
    triangles: int
    parts: tuple[str, ...]
    span: tuple[float, float, float]  # in the file's unit and axes
    stated_mm: float | None
    notes: tuple[str, ...]

    @property
    def likely_up(self) -> str:
        """The axis that points up in most files of this kind (common practice)."""
        return "y" if self.ending in (".glb", ".gltf", ".obj") else "z"

    @property
    def likely_mm(self) -> float:
        """The unit the file states, or the first that makes it larger than a finger ring."""
        if self.stated_mm is not None:
            return self.stated_mm
        return next((mm for mm in UNITS.values() if max(self.span) * mm >= 12.0), 1000.0)

    def blank(self, unit_mm: float, up: str) -> Mesh3D:
        """The blank with this unit and upward axis."""
        x, y, z = self.span
        stood = {"z": (x, y, z), "y": (x, z, y), "x": (y, z, x)}[up[-1]]
        size = tuple(round(value * unit_mm, 4) for value in stood)
        return Mesh3D.model_validate(
            {
                "name": self.name,
                "sha256": self.sha256,
                "ending": self.ending,
                "unit_mm": unit_mm,
                "up": up,
                "size_mm": size,
            }
        )


def like(size_mm: float) -> str:
    """A thing everyone knows that is about as large: "about as large as a mug"."""
    near = min(KNOWN, key=lambda pair: abs(np.log(pair[0] / max(size_mm, 1e-9))))
    ratio = size_mm / near[0]
    if 0.6 <= ratio <= 1.7:
        return f"about as large as {near[1]}"
    return f"much larger than {near[1]}" if ratio > 1 else f"much smaller than {near[1]}"


def mesh_of_file(path: Path) -> MeshFile:
    """Take a mesh file in. Raises KilnError with what is wrong with it."""
    ending = path.suffix.lower()
    if ending not in MESH_KINDS:
        raise KilnError(f"{path.name} is no mesh that can be read here; {', '.join(MESH_KINDS)} can.")
    data = gate.bytes_of(path, LARGEST, "mesh")
    digest = keep_asset(data, path.name)
    points, faces, _, parts, _, notes, _ = read_mesh(digest, ending, path.name)
    span = np.ptp(points, axis=0)
    stated = 1000.0 if ending in (".glb", ".gltf") else 1.0 if ending == ".3mf" else None
    x, y, z = (float(value) for value in span)
    return MeshFile(path.name, digest, ending, len(faces), parts, (x, y, z), stated, notes)
