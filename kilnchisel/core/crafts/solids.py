"""A crafted piece as one watertight solid."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND
from kilnchisel.core.blanks.mesh import distinct, open_edges, weld_keys, welded
from kilnchisel.core.crafts.piece import Part, Piece
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.trims import SCENERY

Array = NDArray[Any]


# of one solid of a piece: points (n, 3), faces (m, 3), and of each face the number of its part, ascending
Shell = tuple[Array, Array, Array]
Solid = tuple[Array, Array, Array]


def solid_of(piece: Piece, *, beside: bool = False) -> Solid:
    """The whole piece as one watertight solid, all its solids united, but for what grows or lies there.

    Returns points (n, 3) mm, faces (m, 3) and, for each face, the index of its part in
    ``piece.parts``. ``beside``: united in the process that reads files, so that this one does not stand
    still for it and it can be ended. Raises KilnError if it does not close.
    """
    groups: dict[str, list[int]] = {}
    for number, part in enumerate(piece.parts):
        if part.role not in SCENERY and not _is_thread(part) and not part.solid.startswith(BEHIND):
            groups.setdefault(part.solid, []).append(number)
    shells = [_shell([piece.parts[n] for n in numbers], numbers) for numbers in groups.values()]
    if not beside:
        return united(shells)
    made: Solid = gate.read(f"{__name__}:united", "The solid", shells, limits=gate.LARGE, doing="make")
    return made


def _is_thread(part: Part) -> bool:
    """Whether it is single stitches, which what lies under them stands for in a solid."""
    return part.role == "thread" and part.side is not None


def united(shells: Sequence[Shell]) -> Solid:
    """Closed shells as one solid, worked out here and now. Raises KilnError."""
    solids, number_of = [], {}
    for shell in shells:
        solid, numbers = _closed(*shell)
        solids.append(solid)
        number_of.update(numbers)
    whole = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add)
    mesh = whole.to_mesh64()
    faces = np.asarray(mesh.tri_verts, dtype=np.int32)
    label = np.empty(len(faces), dtype=np.int32)
    stops = np.asarray(mesh.run_index) // 3
    for run, original in enumerate(mesh.run_original_id):
        label[stops[run] : stops[run + 1]] = number_of[int(original)]
    return np.asarray(mesh.vert_properties)[:, :3], faces, label


def _shell(group: Sequence[Part], numbers: Sequence[int]) -> Shell:
    points = np.concatenate([part.mesh.points for part in group])
    starts = np.cumsum([0] + [len(part.mesh.points) for part in group])
    faces = np.concatenate([p.mesh.faces + s for p, s in zip(group, starts, strict=False)])
    return points, faces, np.repeat(np.asarray(numbers), [len(part.mesh.faces) for part in group])


def _closed(points: Array, faces: Array, part_of: Array) -> tuple[manifold3d.Manifold, dict[int, int]]:
    """A shell as a solid, and of each of its runs the part it is of."""
    keys, merged = welded(points, faces)
    if len(merged) != len(faces):  # a collapsed triangle was dropped: drop its label as well
        part_of = part_of[_kept(points, faces)]
    if open_edges(merged):
        raise KilnError(
            f"The surface does not close ({open_edges(merged)} open edges); no solid can be written."
        )
    numbers, sizes = np.unique(part_of, return_counts=True)
    first = manifold3d.Manifold.reserve_ids(len(numbers))
    mesh = manifold3d.Mesh64(
        vert_properties=np.ascontiguousarray(keys, dtype=np.float64),
        tri_verts=np.ascontiguousarray(merged, dtype=np.uint64),
        run_index=np.concatenate([[0], np.cumsum(sizes) * 3]).astype(np.uint64),
        run_original_id=np.arange(first, first + len(numbers), dtype=np.uint32),
    )
    solid = manifold3d.Manifold(mesh)
    if solid.status() != manifold3d.Error.NoError:
        raise KilnError(f"The surface does not make a solid ({solid.status().name}).")
    return solid, {first + i: int(number) for i, number in enumerate(numbers)}


def _kept(points: Array, faces: Array) -> Array:
    _, kind = distinct(weld_keys(points))
    new = kind[faces]
    return np.asarray((new[:, 0] != new[:, 1]) & (new[:, 1] != new[:, 2]) & (new[:, 2] != new[:, 0]))
