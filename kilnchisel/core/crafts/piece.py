"""Body and laid letterings to the crafted piece: parts with a mesh and the finish they take."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Body, Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted, join, open_edges, welded
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.crafts.sheet import GROUND, CutSheet, cut_sheet
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.lettering import Craft, Engraved, Printed
from kilnchisel.core.laying.laid import Laid, LaidLayer
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]

Role = Literal["blank", "rim", "detail", "letters", "recess"]
CREASE = np.cos(np.radians(38.0))  # walls turn smoothly below this angle, sharply above


@dataclass(frozen=True, eq=False)
class Part:
    """A mesh of the piece. ``lettering`` is the index of the lettering it belongs to, else None, and
    ``layer`` the layer of its outline.

    ``side``: the name of the side it is made from, its mesh's uv being that side's sheet, else None.
    ``uncut``: whether it is as it would be without lettering.
    """

    name: str
    role: Role
    lettering: int | None
    side: str | None
    mesh: Mesh
    layer: Layer | None = None
    solid: str = MAIN
    uncut: bool = True

    @property
    def still(self) -> bool:
        """Whether it stays when lettering changes."""
        return self.side is None and self.uncut and self.lettering is None


@dataclass(frozen=True, eq=False)
class Piece:
    """The crafted object. The parts of one ``solid`` close; solids may overlap (a handle)."""

    parts: tuple[Part, ...]


def relief_mm(craft: Craft) -> float:
    """Height of the lettered surface above the ground, mm; negative is cut in."""
    if isinstance(craft, Engraved):
        return -craft.depth_mm
    if isinstance(craft, Printed):
        return craft.film_mm
    return craft.height_mm


def role_of(craft: Craft) -> Role:
    """What letters of a craft are among the parts of a piece."""
    return "recess" if isinstance(craft, Engraved) else "letters"


def shell_parts(body: Body) -> tuple[Part, ...]:
    """The parts that no lettering changes."""
    return tuple(
        Part(shell.name, shell.slot, None, None, shell.mesh, solid=shell.solid) for shell in body.shells
    )


def craft_sheet(sheet: Sheet, laid: Sequence[tuple[int, Laid, Craft]]) -> tuple[Part, ...]:
    """The parts of one sheet with its letterings (index, laid, craft), later ones on top."""
    _refuse_too_deep(sheet, laid)
    inked = _on_insets(
        sheet, [(index, item, craft, layer) for index, item, craft in laid for layer in item.layers]
    )
    insets = [inset.area for inset in sheet.insets]
    cut = _placed(sheet.side, cut_sheet(sheet, insets + [layer.region for *_, layer, _ in inked]))
    name, solid = sheet.side.name, sheet.solid
    parts = [Part(name, sheet.slot, None, name, _level(cut, GROUND, 0.0), solid=solid)]
    for label, inset in enumerate(sheet.insets):
        mesh = _region(cut, label, inset.height_mm)
        if mesh is not None:
            parts.append(Part(f"{name} {inset.name}", inset.slot, None, name, mesh, solid=solid))
    for label, (index, item, craft, layer, below) in enumerate(inked, start=len(insets)):
        mesh = _region(cut, label, below + relief_mm(craft) * layer.layer.height)
        if mesh is None:
            continue
        if layer.layer.raster is not None:
            mesh = _with_picture(mesh, item)
        more = f" {layer.layer.kind} {layer.number + 1}" if len(item.layers) > 1 else ""
        parts.append(
            Part(
                f"{name} lettering {index + 1}{more}",
                role_of(craft),
                index,
                name,
                mesh,
                layer.layer,
                solid,
            )
        )
    return tuple(parts)


def _on_insets(
    sheet: Sheet, inked: list[tuple[int, Laid, Craft, LaidLayer]]
) -> list[tuple[int, Laid, Craft, LaidLayer, float]]:
    """The layers, with what is printed over a sunk or raised inset (a joint between bricks) apart: ink
    lies on whatever is there. The last of each: the height of the ground below it."""
    apart = []
    for index, item, craft, layer in inked:
        apart.append((index, item, craft, layer, 0.0))
        if not isinstance(craft, Printed):
            continue
        for inset in sheet.insets:
            if inset.height_mm == 0 or not shapely.intersects(layer.region, inset.area):
                continue
            over = as_region([shapely.intersection(layer.region, inset.area)])
            apart.append((index, item, craft, replace(layer, region=over), inset.height_mm))
    return apart


def _with_picture(mesh: Mesh, laid: Laid) -> Mesh:
    """The mesh with its uv in the coordinates of the picture that lies on it: mm from its lower left."""
    raster = laid.layers[0].layer.raster
    assert raster is not None
    best = np.full(len(mesh.uv), np.inf)
    uv = mesh.uv.copy()
    for copy in range(len(laid.placing.copies)):
        own = laid.placing.back(mesh.uv, copy)
        far = np.abs(own / (raster.width_mm, raster.height_mm)).max(axis=1)
        nearer = far < best
        best[nearer] = far[nearer]
        uv[nearer] = own[nearer] + (raster.width_mm / 2, raster.height_mm / 2)
    return replace(mesh, uv=uv)


def _refuse_too_deep(sheet: Sheet, laid: Sequence[tuple[int, Laid, Craft]]) -> None:
    for _, _, craft in laid:
        if isinstance(craft, Engraved) and craft.depth_mm >= sheet.side.wall_mm:
            raise KilnError(
                f"Engraving {craft.depth_mm:g} mm deep would break through the wall of "
                f"{sheet.side.wall_mm:g} mm; stay below {sheet.side.wall_mm:g} mm."
            )


@dataclass(frozen=True, eq=False)
class _Placed:
    """A cut sheet with its points on the body: base (n, 3) at height 0, frames (n, 3, 3)."""

    cut: CutSheet
    base: Array
    frames: Array

    def lifted(self, which: Array, height: float) -> Array:
        """The points of these numbers at a height, (k, 3). At 0 they are the body's own to the last bit."""
        base = self.base[which]
        return base if height == 0 else np.asarray(base + height * self.frames[which, 2])


def _placed(side: Side, cut: CutSheet) -> _Placed:
    return _Placed(cut, side.to_body(cut.points, np.zeros(len(cut.points))), side.frames(cut.points))


def _region(placed: _Placed, label: int, height: float) -> Mesh | None:
    """The surface of one region with its walls; None when nothing of it is left."""
    if not (placed.cut.label == label).any():
        return None
    level = _level(placed, label, height)
    return level if height == 0 else join([level, _standing(placed, label, height)])


def _level(placed: _Placed, label: int, height: float) -> Mesh:
    """The faces of one label, lifted to ``height``."""
    cut = placed.cut
    used, compact = compacted(cut.faces[cut.label == label], len(cut.points))
    normals = np.ascontiguousarray(placed.frames[used, 2])
    return Mesh(placed.lifted(used, height), normals, cut.points[used], compact)


def _standing(placed: _Placed, label: int, height: float) -> Mesh:
    """The walls of one region between ground and ``height``, on the outline."""
    cut = placed.cut
    mine = cut.wall_label == label
    start, end = cut.walls[mine, 0], cut.walls[mine, 1]
    a, b = cut.points[start], cut.points[end]
    along = b - a
    length = np.linalg.norm(along, axis=1, keepdims=True)
    out = np.stack([along[:, 1], -along[:, 0]], axis=1) / length
    if height < 0:
        out = -out  # an engraved wall is seen from inside the letter
    at_start, at_end = softened(start, end, out)
    corners = [(start, 0.0), (end, 0.0), (end, height), (start, height)]
    frame_a, frame_b = placed.frames[start], placed.frames[end]
    normal_a = at_start[:, :1] * frame_a[:, 0] + at_start[:, 1:] * frame_a[:, 1]
    normal_b = at_end[:, :1] * frame_b[:, 0] + at_end[:, 1:] * frame_b[:, 1]
    count = len(a)
    points = np.concatenate([placed.lifted(*corner) for corner in corners])
    normals = np.concatenate([normal_a, normal_b, normal_b, normal_a])
    uv = np.concatenate([a, b, b + out * abs(height), a + out * abs(height)])
    i = np.arange(count)
    faces = np.concatenate(
        [
            np.stack([i, i + count, i + 2 * count], axis=1),
            np.stack([i, i + 2 * count, i + 3 * count], axis=1),
        ]
    )
    return Mesh(points, normals, uv, faces.astype(np.int32))


def softened(start: Array, end: Array, out: Array) -> tuple[Array, Array]:
    """Wall normals at both ends of each edge: shared with the neighbour unless a corner lies there."""
    order_in = np.argsort(end, kind="stable")
    place = np.searchsorted(end[order_in], start)
    before = order_in[np.clip(place, 0, len(order_in) - 1)]
    order_out = np.argsort(start, kind="stable")
    place = np.searchsorted(start[order_out], end)
    after = order_out[np.clip(place, 0, len(order_out) - 1)]

    def shared(other: Array, meets: Array) -> Array:
        smooth = meets & (np.einsum("ij,ij->i", out, out[other]) > CREASE)
        mixed = np.where(smooth[:, None], out + out[other], out)
        return np.asarray(mixed / np.linalg.norm(mixed, axis=1, keepdims=True))

    return shared(before, end[before] == start), shared(after, start[after] == end)


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
    from kilnchisel.core.blanks.mesh import WELD_MM

    keys = np.rint(points / WELD_MM).astype(np.int64)
    _, inverse = np.unique(keys, axis=0, return_inverse=True)
    new = inverse.reshape(-1)[faces]
    return np.asarray((new[:, 0] != new[:, 1]) & (new[:, 1] != new[:, 2]) & (new[:, 2] != new[:, 0]))
