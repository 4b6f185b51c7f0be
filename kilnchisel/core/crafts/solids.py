"""A crafted piece as one watertight solid."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import open_edges, weld_keys, welded
from kilnchisel.core.crafts.piece import Part, Piece
from kilnchisel.core.errors import KilnError

Array = NDArray[Any]


def solid_of(piece: Piece) -> tuple[Array, Array, Array]:
    """The whole piece as one watertight solid, all its solids united.

    Returns points (n, 3) mm, faces (m, 3) and, for each face, the index of its part in
    ``piece.parts``. Raises KilnError if it does not close.
    """
    groups: dict[str, list[int]] = {}
    for number, part in enumerate(piece.parts):
        groups.setdefault(part.solid, []).append(number)
    solids, tag_of = [], {}
    for numbers in groups.values():
        solid, tags = _closed_solid([piece.parts[number] for number in numbers], numbers)
        solids.append(solid)
        tag_of.update(tags)
    whole = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add)
    mesh = whole.to_mesh64()
    faces = np.asarray(mesh.tri_verts, dtype=np.int32)
    label = np.empty(len(faces), dtype=np.int32)
    stops = np.asarray(mesh.run_index) // 3
    for run, original in enumerate(mesh.run_original_id):
        label[stops[run] : stops[run + 1]] = tag_of[int(original)]
    return np.asarray(mesh.vert_properties)[:, :3], faces, label


def _closed_solid(
    group: Sequence[Part], numbers: Sequence[int]
) -> tuple[manifold3d.Manifold, dict[int, int]]:
    points = np.concatenate([part.mesh.points for part in group])
    starts = np.cumsum([0] + [len(part.mesh.points) for part in group])
    faces = np.concatenate([p.mesh.faces + s for p, s in zip(group, starts, strict=False)])
    part_of = np.repeat(np.arange(len(group)), [len(part.mesh.faces) for part in group])
    keys, merged = welded(points, faces)
    if len(merged) != len(faces):  # a collapsed triangle was dropped: drop its label as well
        part_of = part_of[_kept(points, faces)]
    if open_edges(merged):
        raise KilnError(
            f"The surface does not close ({open_edges(merged)} open edges); no solid can be written."
        )
    first = manifold3d.Manifold.reserve_ids(len(group))
    sizes = np.bincount(part_of, minlength=len(group))
    mesh = manifold3d.Mesh64(
        vert_properties=np.ascontiguousarray(keys, dtype=np.float64),
        tri_verts=np.ascontiguousarray(merged, dtype=np.uint64),
        run_index=np.concatenate([[0], np.cumsum(sizes) * 3]).astype(np.uint64),
        run_original_id=np.arange(first, first + len(group), dtype=np.uint32),
    )
    solid = manifold3d.Manifold(mesh)
    if solid.status() != manifold3d.Error.NoError:
        raise KilnError(f"The surface does not make a solid ({solid.status().name}).")
    return solid, {first + i: number for i, number in enumerate(numbers)}


def _kept(points: Array, faces: Array) -> Array:
    _, inverse = np.unique(weld_keys(points), axis=0, return_inverse=True)
    new = inverse.reshape(-1)[faces]
    return np.asarray((new[:, 0] != new[:, 1]) & (new[:, 1] != new[:, 2]) & (new[:, 2] != new[:, 0]))
