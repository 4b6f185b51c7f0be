"""One sheet of a body with its letterings: cut, each region brought to the height its craft gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Inset, Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted, facing_out, join, joined_faces
from kilnchisel.core.blanks.net import Net, gridded
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.blanks.surface import Surface as FreeForm
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
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.profile import Stage
from kilnchisel.core.crafts.shaped import Bent, Surface, ready
from kilnchisel.core.crafts.sheet import (
    GROUND,
    CutSheet,
    cut_sheet,
    faces_of_points,
)
from kilnchisel.core.crafts.through import from_behind, on_other_face, pressed_out, with_crossings
from kilnchisel.core.crafts.walls import EdgeWalls, softened, standing_walls, strips_of
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
    name, solid, parts = sheet.side.name, sheet.solid, []
    rest = None
    alone = () if holes else _apart_from(sheet, inked)
    if alone:
        rest = _with_insets(sheet, alone)
        sheet, parts = rest.sheet, list(rest.parts)
    inked = _on_insets(sheet, inked)
    insets = [inset.area for inset in sheet.insets]
    cut = _cut(sheet, (*insets, *(ink.region for ink in inked), *holes), rest)
    surfaces: list[Surface | None] = [
        _flat(cut, label, inset.height_mm) for label, inset in enumerate(sheet.insets)
    ]
    for label, ink in enumerate(inked, start=len(insets)):
        surfaces.append(_of_stage(cut, label, ink, detail=detail))
    walls = _walls(cut, [*surfaces, *(None for _ in holes)])
    ground = _flat(cut, GROUND, 0.0)
    bare = not inked and not holes
    if ground is not None:
        parts.insert(0, Part(name, sheet.slot, None, name, ground.mesh, solid=solid, apart=bare))
    parts += _inset_parts(sheet, surfaces, walls, apart=bare)
    for label, ink in enumerate(inked, start=len(insets)):
        surface = surfaces[label]
        if surface is None:
            continue
        parts += parts_of(ink, surface, walls[label], name, name, solid)
    return tuple(parts)


def _inset_parts(
    sheet: Sheet, surfaces: Sequence[Surface | None], walls: list[list[Mesh]], *, apart: bool
) -> list[Part]:
    """The parts of a sheet's insets, whose labels come first. ``apart``: no lettering reaches them."""
    parts, name = [], sheet.side.name
    for label, inset in enumerate(sheet.insets):
        surface = surfaces[label]
        if surface is not None:
            mesh = join([surface.mesh, *walls[label]])
            named = f"{name} {inset.name}"
            parts.append(Part(named, inset.slot, None, name, mesh, solid=sheet.solid, apart=apart))
    return parts


@dataclass(frozen=True, eq=False)
class Rest:
    """What is left of a sheet once some insets are made: ``sheet`` without them, its net the ground beside
    them; where its net's points are, ``known`` (n, 3); and the insets' parts."""

    sheet: Sheet
    known: Array
    parts: tuple[Part, ...]


APART_MM = 1.0  # letters that keep this far off all insets do not change them


def _apart_from(sheet: Sheet, inked: list[Inked]) -> tuple[int, ...]:
    """The insets of a curved sheet that can be made once, whatever is lettered beside them."""
    if sheet.net is None or not sheet.insets or not isinstance(sheet.side, FreeForm):
        return ()
    found: list[int] = []
    for numbers, area in _clusters(sheet):
        if not any(shapely.dwithin(area, ink.region, APART_MM) for ink in inked):
            found += numbers
    return tuple(sorted(found))


@remembered
def _clusters(sheet: Sheet) -> list[tuple[list[int], Any]]:
    """Insets that lie by each other, and all that each such group covers."""
    areas = np.array([inset.area for inset in sheet.insets], dtype=object)
    one, other = shapely.STRtree(areas).query(areas, predicate="dwithin", distance=APART_MM)
    count, group = joined_faces(np.stack([one, other], axis=1), len(areas))
    found = []
    for number in range(count):
        mine = np.flatnonzero(group == number)
        area = shapely.union_all(areas[mine])
        shapely.prepare(area)
        found.append((mine.tolist(), area))
    return found


@remembered
def _with_insets(sheet: Sheet, numbers: tuple[int, ...]) -> Rest:
    """Some of a curved sheet's insets made."""
    some = replace(sheet, insets=tuple(sheet.insets[k] for k in numbers))
    placed = _cut(some, tuple(inset.area for inset in some.insets), None)
    surfaces = [_flat(placed, label, inset.height_mm) for label, inset in enumerate(some.insets)]
    parts = _inset_parts(some, surfaces, _walls(placed, surfaces), apart=True)
    assert sheet.net is not None
    cut, own = placed.cut, len(sheet.net.points)
    points = np.concatenate([sheet.net.points, gridded(cut.points[own:])])
    net = Net(points, cut.faces[cut.label == GROUND], cut.points)
    others = tuple(inset for k, inset in enumerate(sheet.insets) if k not in numbers)
    return Rest(replace(sheet, net=net, rough=None, insets=others), placed.base, tuple(parts))


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
        field_step(ink.stage.field, detail=detail) for ink in (*own, *others) if ink.stage.field is not None
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
def _cut(sheet: Sheet, regions: tuple[shapely.MultiPolygon, ...], rest: Rest | None) -> _Placed:
    """A cut sheet on its body, remembered by its regions: heights may change without it."""
    return _placed(sheet, cut_sheet(sheet, regions), None if rest is None else rest.known)


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
    sheet: Sheet, index: int, laid: Laid, craft: Standing, *, detail: Detail
) -> list[tuple[Mesh, Mesh, LaidLayer]]:
    """Letters as plates off the surface: of each layer the front, and its walls with the back."""
    # of any thickness: standing letters may be thicker than a relief is high
    shape = Raised.model_construct(
        height_mm=craft.thickness_mm, edge=craft.edge, edge_mm=min(craft.edge_mm, craft.thickness_mm)
    )
    inks = [replace(ink, below=craft.standoff_mm) for ink in inked_of(index, laid, shape, detail=detail)]
    inks = [_of_sheeting(ink, craft, detail=detail) for ink in inks]
    placed = _placed(sheet, cut_sheet(sheet, [ink.region for ink in inks]))
    found = []
    for label, ink in enumerate(inks):
        surface = _of_stage(placed, label, ink, detail=detail)
        back = _flat(placed, label, craft.standoff_mm)
        if surface is None or back is None:
            continue
        mine = placed.cut.wall_label == label
        edges = placed.cut.walls[mine]
        foot = np.full(edges.shape, craft.standoff_mm)
        around = EdgeWalls(edges, placed.cut.wall_label[mine], foot, surface.heights[edges], {})
        walls = _standing(placed, around)
        turned = facing_out(back.mesh.points, -back.mesh.normals, back.mesh.uv, back.mesh.faces)
        found.append((surface.mesh, join([walls, turned]), ink.layer))
    return found


def _of_sheeting(ink: Inked, craft: Standing, *, detail: Detail) -> Inked:
    """A plate with its face of profiled sheet, where it is."""
    field = profiled_of(craft, float(ink.region.area))
    if field is None:
        return ink
    region = as_region([shapely.segmentize(ink.region, field_step(field, detail=detail))])
    level = replace(ink.stage, knots=ink.stage.knots[-1:], field=field)
    return replace(ink, stage=level, region=region)


SPANS_MM = 1.0  # what is thicker goes across a joint, what is thinner follows it


def _on_insets(sheet: Sheet, inked: list[Inked]) -> list[Inked]:
    """With what lies over a sunk or raised inset (a joint between bricks, a lamp) apart: it is made on
    whatever is there, and where the ground is deeper than a cut nothing is cut."""
    found = []
    for ink in inked:
        parts = [ink]
        low = min(height for _, height in ink.stage.knots) - ink.stage.deeper_mm
        high = max(height for _, height in ink.stage.knots) + ink.stage.higher_mm
        for inset in sheet.insets:
            how = _meets(ink, inset, low, high)
            if how == "nothing":
                beside = as_region([shapely.difference(parts[0].region, inset.area)])
                parts[0] = replace(parts[0], region=beside)
            elif how == "follows":
                over = as_region([shapely.intersection(ink.region, inset.area)])
                parts.append(replace(ink, region=over, below=ink.below + inset.height_mm))
        found += [part for part in parts if not part.region.is_empty]
    return found


def _meets(ink: Inked, inset: Inset, low: float, high: float) -> Literal["goes on", "nothing", "follows"]:
    """What becomes of a stage between ``low`` and ``high`` mm where an inset lies under it: it goes on as
    beside it, nothing is made there, or it follows the inset's height."""
    rise = inset.height_mm
    if rise == 0 or ink.stage.open or not shapely.intersects(ink.region, inset.area):
        return "goes on"
    if rise > 0:
        return "follows"
    if ink.stage.gaps != "laid in" and is_gap(inset):
        return "goes on" if ink.stage.gaps == "bridged" else "nothing"
    if high > SPANS_MM:
        return "goes on"
    if low < 0 and rise <= low:
        return "nothing"  # the ground is deeper here than the cut
    if low < 0 and ink.stage.level:
        return "goes on"  # its floor is as deep here as elsewhere
    return "follows"


GAP_MM = 30.0  # between panels: what is wider is a window or a recess


@remembered
def is_gap(inset: Inset) -> bool:
    """Whether an inset is a narrow gap, as between the panels of a vehicle."""
    return inset.height_mm < 0 and bool(inset.area.buffer(-GAP_MM / 2).is_empty)


def _with_picture(mesh: Mesh, laid: Laid) -> Mesh:
    """The mesh with its uv in the coordinates of the picture that lies on it: mm from its lower left."""
    raster = laid.layers[0].layer.raster
    assert raster is not None
    return replace(mesh, uv=own_points(laid, mesh.uv) + (raster.width_mm / 2, raster.height_mm / 2))


@dataclass(frozen=True, eq=False)
class _Placed:
    """A cut sheet with its points on the body: base (n, 3) at height 0, frames (n, 3, 3).

    A free form is cut as the faces of its net, to which it comes as close as the net is made: points
    beside them would stand in front of or behind faces that are thin, and letters cut through their
    ground. Other sides are cut where they are. ``known`` (k, 3): a free form's points of its net.
    """

    sheet: Sheet
    cut: CutSheet
    base: Array
    frames: Array
    known: Array | None

    def foot(self, uv: Array) -> Array:
        """Points of the sheet (n, 2) on the surface that was cut, (n, 3)."""
        if self.known is None or self.sheet.net is None:
            return self.sheet.side.to_body(uv, np.zeros(len(uv)))
        return _mixed(self.sheet.net, self.known, uv)

    def lifted(self, which: Array, height: Array) -> Array:
        """The points of these numbers at heights (k,), (k, 3). At 0 they are the body's own, to the bit."""
        return np.asarray(self.base[which] + height[:, None] * self.frames[which, 2])


def _placed(sheet: Sheet, cut: CutSheet, known: Array | None = None) -> _Placed:
    """``known``: where the points of its net are, if that has been found."""
    net = sheet.net
    if net is not None and cut.parent is not None and isinstance(sheet.side, FreeForm):
        if known is None:
            known = sheet.side.to_body(net.at, np.zeros(len(net.points)))
        more = cut.points[len(known) :]
        row = faces_of_points(cut.faces, cut.parent, len(known), len(more))
        base = np.concatenate([known, _mixed(net, known, more, row)])
    else:
        base = sheet.side.to_body(cut.points, np.zeros(len(cut.points)))
    return _Placed(sheet, cut, base, sheet.side.frames(cut.points), known)


def _mixed(net: Net, known: Array, uv: Array, row: Array | None = None) -> Array:
    """Points of a net's faces, of its own points ``known`` (n, 3)."""
    if len(uv) == 0:
        return np.empty((0, 3))
    row, share = net.spots(uv, row)
    return np.asarray(np.einsum("nk,nkj->nj", share, known[net.faces[row]]))


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


def _of_stage(placed: _Placed, label: int, ink: Inked, *, detail: Detail) -> Surface | None:
    """The surface of one stage of a lettering."""
    stage = ink.stage
    if stage.open:
        none = Mesh(np.empty((0, 3)), np.empty((0, 3)), np.empty((0, 2)), np.empty((0, 3), dtype=np.int32))
        return Surface(none, np.full(len(placed.cut.points), stage.knots[0][1]))
    if not stage.level and (placed.cut.label == label).any():
        return _bent(placed, label, ink, detail=detail)
    return _flat(placed, label, ink.below + stage.knots[0][1])


@remembered
def _ready_on(
    placed: _Placed, label: int, laid: Laid, layer: LaidLayer, shape: tuple[Any, ...], *, detail: Detail
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
        cut.points[used],
        placed.base[used],
        placed.frames[used, 2],
        used,
        corners,
        ink,
        true,
        placed.foot,
        detail=detail,
    )


def _bent(placed: _Placed, label: int, ink: Inked, *, detail: Detail) -> Surface:
    """The surface of a stage whose height changes with the distance from the outline."""
    stage = ink.stage
    shape = (stage.grow_mm, tuple(float(d) for d, _ in stage.knots), stage.field)
    made = _ready_on(placed, label, ink.laid, ink.layer, shape, detail=detail)
    return made.surface(ink, len(placed.cut.points))


def _walls(placed: _Placed, surfaces: Sequence[Surface | None]) -> list[list[Mesh]]:
    """The walls of every label, from the ground or what it lies beside to its surface. Where two surfaces
    meet at one height all along an edge there are none."""
    cut = placed.cut
    size = len(cut.points)
    stack = np.stack([np.zeros(size) if s is None else s.heights for s in surfaces] or [np.zeros(size)])
    walls = standing_walls(cut.walls, cut.wall_label, stack)
    return [
        [] if mine is None else [_standing(placed, mine)]
        for mine in (walls.of(label) for label in range(len(surfaces)))
    ]


def _standing(placed: _Placed, walls: EdgeWalls) -> Mesh:
    """Walls over edges of the cut."""
    cut, (start, end) = placed.cut, walls.edges.T
    along = cut.points[end] - cut.points[start]
    length = np.linalg.norm(along, axis=1, keepdims=True)
    out = np.stack([along[:, 1], -along[:, 0]], axis=1) / length
    # the wall of something sunk is seen from inside
    out = np.where((walls.top.sum(axis=1) < walls.foot.sum(axis=1))[:, None], -out, out)
    soft = np.stack(softened(start, end, out), axis=1)
    strips = strips_of(walls)
    at = walls.edges[strips.wall, strips.end]
    turned = soft[strips.wall, strips.end]
    frame = placed.frames[at]
    normals = turned[:, :1] * frame[:, 0] + turned[:, 1:] * frame[:, 1]
    foot = walls.foot[strips.wall, strips.end]
    uv = cut.points[at] + out[strips.wall] * np.abs(strips.height - foot)[:, None]
    return Mesh(placed.lifted(at, strips.height), normals, uv, strips.faces)
