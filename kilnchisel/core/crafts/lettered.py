"""One sheet of a body with its letterings: cut, each region brought to the height its craft gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted, facing_out, join
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.crafts.fields import profiled_of
from kilnchisel.core.crafts.inked import (
    Inked,
    beside_fields,
    field_step,
    films_stacked,
    inked_of,
    own_points,
    refuse_too_deep,
)
from kilnchisel.core.crafts.insets import bed_of, cut_into, inset_parts, on_insets
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.placed import Placed, flat, of_stage, placed_on, standing, walls_of
from kilnchisel.core.crafts.shaped import Surface
from kilnchisel.core.crafts.sheet import GROUND, cut_sheet
from kilnchisel.core.crafts.through import from_behind, on_other_face, pressed_out, with_crossings
from kilnchisel.core.crafts.walls import EdgeWalls
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Craft, Raised, Standing
from kilnchisel.core.laying.laid import Laid, LaidLayer
from kilnchisel.core.lettering.polygons import as_region
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]


def craft_sheet(
    sheet: Sheet,
    laid: Sequence[tuple[int, Laid, Craft]],
    panel: FarFace | None = None,
    *,
    detail: Detail = Detail.FINE,
) -> tuple[Part, ...]:
    """The parts of one sheet with its letterings (index, laid, craft), later ones on top.

    ROUGH: with fewer points where heights change, for pictures while something moves. ``panel``: what
    letters can be cut through, None where the sheet is on none.
    """
    wanted = []
    for index, item, craft in laid:
        inks = inked_of(index, item, craft, 0.0 if panel is None else panel.thick_mm, detail=detail)
        refuse_too_deep(sheet.side, craft, inks)
        wanted += inks
    holes: list[shapely.MultiPolygon] = []
    if panel is not None:
        wanted = _backs(sheet, panel, detail=detail) + wanted
        wanted, holes = _opened(sheet, wanted, panel, detail=detail)
    inked = beside_fields(films_stacked(wanted), detail=detail)
    bed = None if holes else bed_of(sheet, inked)
    if bed is None:
        inked = on_insets(sheet, inked)
        cut = _cut(sheet, (*(inset.area for inset in sheet.insets), *(ink.region for ink in inked), *holes))
    else:
        sheet = bed.sheet
        cut, inked = cut_into(bed, inked)
    name, solid, parts = sheet.side.name, sheet.solid, [] if bed is None else list(bed.parts)
    surfaces: list[Surface | None] = [
        flat(cut, label, inset.height_mm) for label, inset in enumerate(sheet.insets)
    ]
    for label, ink in enumerate(inked, start=len(sheet.insets)):
        surfaces.append(of_stage(cut, label, ink, detail=detail))
    walls = walls_of(cut, [*surfaces, *(None for _ in holes)])
    ground = flat(cut, GROUND, 0.0)
    bare = not inked and not holes
    if ground is not None:
        parts.insert(0, Part(name, sheet.slot, None, name, ground.mesh, solid=solid, apart=bare))
    parts += inset_parts(sheet, surfaces, walls, apart=bare)
    for label, ink in enumerate(inked, start=len(sheet.insets)):
        surface = surfaces[label]
        if surface is None:
            continue
        parts += parts_of(ink, surface, walls[label], name, name, solid)
    return tuple(parts)


@dataclass(frozen=True, eq=False)
class FarFace:
    """A panel seen from one of its faces: how thick it is, the other face's sheet and its letterings."""

    thick_mm: float
    other: Sheet
    laid: Sequence[tuple[int, Laid, Craft]]


def _backs(sheet: Sheet, panel: FarFace, *, detail: Detail) -> list[Inked]:
    """The hollow backs of what is pressed out of the other face's sheet metal."""
    here, there = sheet.side, panel.other.side
    found = []
    for index, laid, craft in panel.laid:
        if not pressed_out(craft, panel.thick_mm):
            continue
        assert isinstance(here, Plane) and isinstance(there, Plane)
        for ink in inked_of(index, _seen_from_behind(laid, there, here), craft, detail=detail):
            knots = tuple((far, -high) for far, high in ink.stage.knots)
            found.append(replace(ink, stage=replace(ink.stage, knots=knots, role="blank")))
    return found


@remembered
def _seen_from_behind(laid: Laid, side: Plane, other: Plane) -> Laid:
    """The same one each time, so that what is made of it can be remembered."""
    return from_behind(laid, side, other)


def _opened(
    sheet: Sheet, own: list[Inked], panel: FarFace, *, detail: Detail
) -> tuple[list[Inked], list[shapely.MultiPolygon]]:
    """A face's regions with its openings as they have to be for both faces, and what is cut through from
    the other face. The same is found from either face, to the bit."""
    others = [
        x for i, item, craft in panel.laid for x in inked_of(i, item, craft, panel.thick_mm, detail=detail)
    ]
    if not any(ink.stage.open for ink in (*own, *others)):
        return own, []
    here, there = sheet.side, panel.other.side
    assert isinstance(here, Plane) and isinstance(there, Plane)
    steps = [
        field_step(ink.layer.layer, ink.stage, detail=detail)
        for ink in (*own, *others)
        if ink.stage.field is not None
    ]
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


@remembered
def _cut(sheet: Sheet, regions: tuple[shapely.MultiPolygon, ...]) -> Placed:
    """A cut sheet on its body, remembered by its regions: heights may change without it."""
    return placed_on(sheet, cut_sheet(sheet, regions))


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
    if ink.stage.role in ("patch", "overlock"):
        named += f" {ink.stage.role}"
    return [*parts, Part(named, ink.stage.role, ink.index, sheet, mesh, layer, solid)]


def _some(mesh: Mesh, which: Array) -> Mesh:
    """Some of a mesh's faces."""
    used, faces = compacted(mesh.faces[which], len(mesh.points))
    return Mesh(mesh.points[used], mesh.normals[used], mesh.uv[used], faces)


def plates(
    sheet: Sheet, index: int, laid: Laid, craft: Standing, *, detail: Detail
) -> list[tuple[Mesh, Mesh, LaidLayer]]:
    """Letters as plates off the surface: of each layer the front, and its walls with the back."""
    # of any thickness: standing letters may be thicker than a relief is high
    shape = Raised.model_construct(
        height_mm=craft.thickness_mm, edge=craft.edge, edge_mm=min(craft.edge_mm, craft.thickness_mm)
    )
    inks = [replace(ink, below=craft.standoff_mm) for ink in inked_of(index, laid, shape, detail=detail)]
    inks = [_of_sheeting(ink, craft, detail=detail) for ink in inks]
    placed = placed_on(sheet, cut_sheet(sheet, [ink.region for ink in inks]))
    found = []
    for label, ink in enumerate(inks):
        surface = of_stage(placed, label, ink, detail=detail)
        back = flat(placed, label, craft.standoff_mm)
        if surface is None or back is None:
            continue
        mine = placed.cut.wall_label == label
        edges = placed.cut.walls[mine]
        foot = np.full(edges.shape, craft.standoff_mm)
        around = EdgeWalls(edges, placed.cut.wall_label[mine], foot, surface.heights[edges], {})
        walls = standing(placed, around)
        turned = facing_out(back.mesh.points, -back.mesh.normals, back.mesh.uv, back.mesh.faces)
        found.append((surface.mesh, join([walls, turned]), ink.layer))
    return found


def _of_sheeting(ink: Inked, craft: Standing, *, detail: Detail) -> Inked:
    """A plate with its face of profiled sheet, where it is."""
    field = profiled_of(craft, float(ink.region.area))
    if field is None:
        return ink
    level = replace(ink.stage, knots=ink.stage.knots[-1:], field=field)
    step = field_step(ink.layer.layer, level, detail=detail)
    region = as_region([shapely.segmentize(ink.region, step)])
    return replace(ink, stage=level, region=region)


def _with_picture(mesh: Mesh, laid: Laid) -> Mesh:
    """The mesh with its uv in the coordinates of the picture that lies on it: mm from its lower left."""
    raster = laid.layers[0].layer.raster
    assert raster is not None
    return replace(mesh, uv=own_points(laid, mesh.uv) + (raster.width_mm / 2, raster.height_mm / 2))
