"""One sheet of a body with its letterings: cut, each region brought to the height its craft gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted, facing_out, join
from kilnchisel.core.blanks.sides import Plane, Side
from kilnchisel.core.crafts.inked import (
    Inked,
    beside_fields,
    field_step,
    films_stacked,
    inked_of,
    own_points,
    refuse_too_deep,
)
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.profile import Stage
from kilnchisel.core.crafts.shaped import Bent, Surface, ready
from kilnchisel.core.crafts.sheet import (
    GROUND,
    CutSheet,
    cut_sheet,
)
from kilnchisel.core.crafts.through import from_behind, on_other_face, pressed_out, with_crossings
from kilnchisel.core.crafts.walls import softened, standing_edges, wall_faces
from kilnchisel.core.job.crafts import Craft, Raised, Standing
from kilnchisel.core.laying.laid import Laid, LaidLayer
from kilnchisel.core.lettering.polygons import as_region

Array = NDArray[Any]


def craft_sheet(
    sheet: Sheet,
    laid: Sequence[tuple[int, Laid, Craft]],
    rough: bool = False,
    panel: Panel | None = None,
) -> tuple[Part, ...]:
    """The parts of one sheet with its letterings (index, laid, craft), later ones on top.

    ``rough``: with fewer points where heights change, for pictures while something moves. ``panel``: what
    letters can be cut through, None where the sheet is on none.
    """
    wanted = []
    for index, item, craft in laid:
        inks = inked_of(index, item, craft, rough, 0.0 if panel is None else panel.thick_mm)
        refuse_too_deep(sheet.side, craft, inks)
        wanted += inks
    holes: list[shapely.MultiPolygon] = []
    if panel is not None:
        wanted = _backs(sheet, panel, rough) + wanted
        wanted, holes = _opened(sheet, wanted, panel, rough)
    inked = _on_insets(sheet, beside_fields(films_stacked(wanted), rough))
    insets = [inset.area for inset in sheet.insets]
    cut = _cut(sheet, (*insets, *(ink.region for ink in inked), *holes))
    surfaces: list[Surface | None] = [
        _flat(cut, label, inset.height_mm) for label, inset in enumerate(sheet.insets)
    ]
    for label, ink in enumerate(inked, start=len(insets)):
        surfaces.append(_of_stage(cut, label, ink, rough))
    walls = _walls(cut, [*surfaces, *(None for _ in holes)])
    name, solid = sheet.side.name, sheet.solid
    ground = _flat(cut, GROUND, 0.0)
    parts = []
    if ground is not None:
        parts.append(Part(name, sheet.slot, None, name, ground.mesh, solid=solid))
    for label, inset in enumerate(sheet.insets):
        surface = surfaces[label]
        if surface is not None:
            mesh = join([surface.mesh, *walls[label]])
            parts.append(Part(f"{name} {inset.name}", inset.slot, None, name, mesh, solid=solid))
    for label, ink in enumerate(inked, start=len(insets)):
        surface = surfaces[label]
        if surface is None:
            continue
        parts += parts_of(ink, surface, walls[label], name, name, solid)
    return tuple(parts)


@dataclass(frozen=True, eq=False)
class Panel:
    """A panel seen from one of its faces: how thick it is, the other face's sheet and its letterings."""

    thick_mm: float
    other: Sheet
    laid: Sequence[tuple[int, Laid, Craft]]


def _backs(sheet: Sheet, panel: Panel, rough: bool) -> list[Inked]:
    """The hollow backs of what is pressed out of the other face's sheet metal."""
    here, there = sheet.side, panel.other.side
    found = []
    for index, laid, craft in panel.laid:
        if not pressed_out(craft, panel.thick_mm):
            continue
        assert isinstance(here, Plane) and isinstance(there, Plane)
        for ink in inked_of(index, _seen_from_behind(laid, there, here), craft, rough):
            knots = tuple((far, -high) for far, high in ink.stage.knots)
            found.append(replace(ink, stage=replace(ink.stage, knots=knots, role="blank")))
    return found


@lru_cache(maxsize=24)
def _seen_from_behind(laid: Laid, side: Plane, other: Plane) -> Laid:
    """The same one each time, so that what is made of it can be remembered."""
    return from_behind(laid, side, other)


def _opened(
    sheet: Sheet, own: list[Inked], panel: Panel, rough: bool
) -> tuple[list[Inked], list[shapely.MultiPolygon]]:
    """A face's regions with its openings as they have to be for both faces, and what is cut through from
    the other face. The same is found from either face, to the bit."""
    others = [x for i, item, craft in panel.laid for x in inked_of(i, item, craft, rough, panel.thick_mm)]
    if not any(ink.stage.open for ink in (*own, *others)):
        return own, []
    here, there = sheet.side, panel.other.side
    assert isinstance(here, Plane) and isinstance(there, Plane)
    steps = [field_step(ink.stage.field, rough) for ink in (*own, *others) if ink.stage.field is not None]
    step = min(steps, default=None)
    mine = [*(ink.region for ink in own), *(inset.area for inset in sheet.insets)]
    theirs = [*(ink.region for ink in others), *(inset.area for inset in panel.other.insets)]

    def opening(ink: Inked, near: list[Any], far: list[Any], face: Plane, back: Plane) -> Any:
        beside = [region for region in near if region is not ink.region]
        beside += [on_other_face(region, back, face) for region in far]
        return with_crossings(ink.region, beside, step)

    made = [
        replace(ink, region=opening(ink, mine, theirs, here, there)) if ink.stage.open else ink
        for ink in own
    ]
    holes = [
        on_other_face(opening(ink, theirs, mine, there, here), there, here)
        for ink in others
        if ink.stage.open
    ]
    return made, holes


@lru_cache(maxsize=16)
def _cut(sheet: Sheet, regions: tuple[shapely.MultiPolygon, ...]) -> _Placed:
    """A cut sheet on its body, remembered by its regions: heights may change without it."""
    return _placed(sheet.side, cut_sheet(sheet, regions))


def parts_of(
    ink: Inked, surface: Surface, walls: list[Mesh], name: str, sheet: str | None, solid: str = MAIN
) -> list[Part]:
    """The parts that a lettering's region makes; ground that it has only bent stays ground."""
    mesh, parts = join([surface.mesh, *walls]), []
    if ink.stage.rim is not None and surface.within is not None:
        mesh = join([_some(surface.mesh, surface.within), *walls])
        bent_ground = _some(surface.mesh, ~surface.within)
        round_ = f"{name} round lettering {ink.index + 1}"
        parts.append(Part(round_, ink.stage.rim, None, sheet, bent_ground, solid=solid, uncut=False))
    layer = ink.layer.layer
    if ink.stage.open:
        cut_edges = f"{name} cut edges {ink.index + 1}"
        return [Part(cut_edges, "blank", None, sheet, mesh, solid=solid, uncut=False)]
    if layer.raster is not None and ink.stage.field is None:
        mesh = _with_picture(mesh, ink.laid)
    named = f"{name} lettering {ink.index + 1}{ink.laid.layer_words(ink.layer)}"
    return [*parts, Part(named, ink.stage.role, ink.index, sheet, mesh, layer, solid)]


def _some(mesh: Mesh, which: Array) -> Mesh:
    """Some of a mesh's faces."""
    used, faces = compacted(mesh.faces[which], len(mesh.points))
    return Mesh(mesh.points[used], mesh.normals[used], mesh.uv[used], faces)


def plates(
    sheet: Sheet, index: int, laid: Laid, craft: Standing, rough: bool
) -> list[tuple[Mesh, Mesh, LaidLayer]]:
    """Letters as plates off the surface: of each layer the front, and its walls with the back."""
    shape = Raised(
        height_mm=craft.thickness_mm, edge=craft.edge, edge_mm=min(craft.edge_mm, craft.thickness_mm)
    )
    inks = [replace(ink, below=craft.standoff_mm) for ink in inked_of(index, laid, shape, rough)]
    placed = _placed(sheet.side, cut_sheet(sheet, [ink.region for ink in inks]))
    found = []
    for label, ink in enumerate(inks):
        surface = _of_stage(placed, label, ink, rough)
        back = _flat(placed, label, craft.standoff_mm)
        if surface is None or back is None:
            continue
        mine = placed.cut.wall_label == label
        start, end = placed.cut.walls[mine].T
        heights = surface.heights
        walls = _standing(placed, placed.cut.walls[mine], heights[start], heights[end], craft.standoff_mm)
        turned = facing_out(back.mesh.points, -back.mesh.normals, back.mesh.uv, back.mesh.faces)
        found.append((surface.mesh, join([walls, turned]), ink.layer))
    return found


def _on_insets(sheet: Sheet, inked: list[Inked]) -> list[Inked]:
    """With what is printed over a sunk or raised inset (a joint between bricks) apart: ink lies on
    whatever is there."""
    apart = []
    for ink in inked:
        apart.append(ink)
        if ink.stage.role != "letters" or not ink.stage.level or ink.stage.knots[0][1] > 1.0:
            continue
        for inset in sheet.insets:
            if inset.height_mm == 0 or not shapely.intersects(ink.region, inset.area):
                continue
            over = as_region([shapely.intersection(ink.region, inset.area)])
            apart.append(replace(ink, region=over, below=ink.below + inset.height_mm))
    return apart


def _with_picture(mesh: Mesh, laid: Laid) -> Mesh:
    """The mesh with its uv in the coordinates of the picture that lies on it: mm from its lower left."""
    raster = laid.layers[0].layer.raster
    assert raster is not None
    return replace(mesh, uv=own_points(laid, mesh.uv) + (raster.width_mm / 2, raster.height_mm / 2))


@dataclass(frozen=True, eq=False)
class _Placed:
    """A cut sheet with its points on the body: base (n, 3) at height 0, frames (n, 3, 3)."""

    cut: CutSheet
    base: Array
    frames: Array

    def lifted(self, which: Array, height: Array) -> Array:
        """The points of these numbers at heights (k,), (k, 3). At 0 they are the body's own, to the bit."""
        return np.asarray(self.base[which] + height[:, None] * self.frames[which, 2])


def _placed(side: Side, cut: CutSheet) -> _Placed:
    return _Placed(cut, side.to_body(cut.points, np.zeros(len(cut.points))), side.frames(cut.points))


def _flat(placed: _Placed, label: int, height: float) -> Surface | None:
    """The faces of one label lifted to one height; None when nothing of it is left."""
    cut = placed.cut
    mine = cut.label == label
    if not mine.any():
        return None
    used, compact = compacted(cut.faces[mine], len(cut.points))
    normals = np.ascontiguousarray(placed.frames[used, 2])
    mesh = Mesh(placed.lifted(used, np.full(len(used), height)), normals, cut.points[used], compact)
    return Surface(mesh, np.full(len(cut.points), height))


def _of_stage(placed: _Placed, label: int, ink: Inked, rough: bool) -> Surface | None:
    """The surface of one stage of a lettering."""
    stage = ink.stage
    if stage.open:
        none = Mesh(np.empty((0, 3)), np.empty((0, 3)), np.empty((0, 2)), np.empty((0, 3), dtype=np.int32))
        return Surface(none, np.full(len(placed.cut.points), stage.knots[0][1]))
    if not stage.level and (placed.cut.label == label).any():
        return _bent(placed, label, ink, rough)
    return _flat(placed, label, ink.below + stage.knots[0][1])


@lru_cache(maxsize=24)
def _ready_on(
    placed: _Placed, label: int, laid: Laid, layer: LaidLayer, shape: tuple[Any, ...], rough: bool
) -> Bent:
    """The same for a label of a sheet, remembered: heights may change without it. ``shape``: what the
    stage's triangles depend on."""
    grow, distances, field = shape
    stage = Stage(grow, tuple((d, 0.0) for d in distances), "letters", field=field)
    ink = Inked(0, laid, layer, stage, layer.region)
    cut = placed.cut
    used, corners = compacted(cut.faces[cut.label == label], len(cut.points))
    true = laid.side.true_at(laid.middle)
    return ready(
        cut.points[used], placed.base[used], placed.frames[used, 2], used, corners, ink, true, rough
    )


def _bent(placed: _Placed, label: int, ink: Inked, rough: bool) -> Surface:
    """The surface of a stage whose height changes with the distance from the outline."""
    stage = ink.stage
    shape = (stage.grow_mm, tuple(float(d) for d, _ in stage.knots), stage.field)
    made = _ready_on(placed, label, ink.laid, ink.layer, shape, rough)
    return made.surface(ink, len(placed.cut.points))


def _walls(placed: _Placed, surfaces: Sequence[Surface | None]) -> list[list[Mesh]]:
    """The walls of every label, from the ground to its surface. Where two surfaces meet at one height all
    along an edge there are none."""
    cut = placed.cut
    size = len(cut.points)
    stack = np.stack([np.zeros(size) if s is None else s.heights for s in surfaces] or [np.zeros(size)])
    at_start, at_end, stands = standing_edges(cut.walls, cut.wall_label, stack)
    return [
        [_standing(placed, cut.walls[mine], at_start[mine], at_end[mine])] if mine.any() else []
        for label in range(len(surfaces))
        for mine in [stands & (cut.wall_label == label)]
    ]


def _standing(placed: _Placed, edges: Array, at_start: Array, at_end: Array, foot: float = 0.0) -> Mesh:
    """Walls over edges of the cut, from ``foot`` above the ground to a height at each end."""
    cut, (start, end) = placed.cut, edges.T
    a, b = cut.points[start], cut.points[end]
    along = b - a
    length = np.linalg.norm(along, axis=1, keepdims=True)
    out = np.stack([along[:, 1], -along[:, 0]], axis=1) / length
    low = np.full(len(a), foot)
    # an engraved wall is seen from inside
    out = np.where((at_start + at_end < 2 * foot)[:, None], -out, out)
    soft_start, soft_end = softened(start, end, out)
    corners = [(start, low), (end, low), (end, at_end), (start, at_start)]
    frame_a, frame_b = placed.frames[start], placed.frames[end]
    normal_a = soft_start[:, :1] * frame_a[:, 0] + soft_start[:, 1:] * frame_a[:, 1]
    normal_b = soft_end[:, :1] * frame_b[:, 0] + soft_end[:, 1:] * frame_b[:, 1]
    points = np.concatenate([placed.lifted(*corner) for corner in corners])
    normals = np.concatenate([normal_a, normal_b, normal_b, normal_a])
    uv = np.concatenate([a, b, b + out * np.abs(at_end)[:, None], a + out * np.abs(at_start)[:, None]])
    return Mesh(points, normals, uv, wall_faces(at_start - foot, at_end - foot))
