"""One sheet of a body with its letterings: cut, each region brought to the height its craft gives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from kilnchisel.core.blanks.body import MAIN, Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted, creased, join
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.crafts.fields import Field
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.profile import Stage, stages_of
from kilnchisel.core.crafts.roof import (
    Terraces,
    border_step,
    distances_in,
    field_points,
    inner_points,
    roof_faces,
    terraces,
    widest_mm,
)
from kilnchisel.core.crafts.sheet import (
    GROUND,
    CutSheet,
    cut_sheet,
    places_among,
    region_walls,
    triangulated,
)
from kilnchisel.core.crafts.walls import CREASE, softened, standing_edges, wall_faces
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Craft, Raised, Standing
from kilnchisel.core.laying.laid import Laid, LaidLayer, Placing
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.lettering.polygons import as_region, polygons_in

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Inked:
    """A region of the sheet that a lettering takes: a stage of its craft on a layer, ``below`` being the
    height of the ground there."""

    index: int
    laid: Laid
    layer: LaidLayer
    stage: Stage
    region: shapely.MultiPolygon
    below: float = 0.0


def craft_sheet(
    sheet: Sheet,
    laid: Sequence[tuple[int, Laid, Craft]],
    rough: bool = False,
    through_mm: float = 0.0,
    holes: Sequence[shapely.MultiPolygon] = (),
) -> tuple[Part, ...]:
    """The parts of one sheet with its letterings (index, laid, craft), later ones on top.

    ``rough``: with fewer points where heights change, for pictures while something moves. ``through_mm``:
    how thick the panel is that letters are cut through. ``holes``: what is cut through from its other
    face, on this sheet.
    """
    wanted = []
    for index, item, craft in laid:
        inks = inked_of(index, item, craft, rough, through_mm)
        refuse_too_deep(sheet.side, craft, inks)
        wanted += inks
    inked = _on_insets(sheet, _beside_fields(wanted, rough))
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


@lru_cache(maxsize=16)
def _cut(sheet: Sheet, regions: tuple[shapely.MultiPolygon, ...]) -> _Placed:
    """A cut sheet on its body, remembered by its regions: heights may change without it."""
    return _placed(sheet.side, cut_sheet(sheet, regions))


def inked_of(index: int, laid: Laid, craft: Craft, rough: bool, through_mm: float = 0.0) -> list[Inked]:
    """What a lettering takes of its sheet, layer by layer and stage by stage."""
    found = []
    for layer in laid.layers:
        shape = layer.layer
        widest = widest_mm(shape) if isinstance(craft, Raised) and craft.edge in FULL_WIDTH else 0.0
        for stage in stages_of(craft, widest, through_mm, shape.raster):
            scaled = stage.scaled(shape.height)
            region = layer.region
            if scaled.grow_mm:
                region = laid.placing.region(_grown(shape, scaled.grow_mm))
            if scaled.field is not None:
                region = as_region([shapely.segmentize(region, _field_step(scaled.field, rough))])
            elif not scaled.level and not scaled.grow_mm:
                step = border_step(shape, scaled.knots[-1][0], rough)
                region = as_region([shapely.segmentize(region, step)])
            found.append(Inked(index, laid, layer, scaled, region))
    return found


ROUGHER = 2.5  # how much wider a texture's points are apart while something moves


def _field_step(field: Field, rough: bool) -> float:
    return field.step_mm * (ROUGHER if rough else 1.0)


FULL_WIDTH = ("ridge", "cushion")  # edges that reach to the middle of every stroke


@lru_cache(maxsize=64)
def _grown(layer: Layer, by: float) -> shapely.MultiPolygon:
    grown = shapely.buffer(layer.region, by, quad_segs=8)
    return as_region([shapely.simplify(grown, 0.002)])


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
    more = f" {layer.kind} {ink.layer.number + 1}" if len(ink.laid.layers) > 1 else ""
    named = f"{name} lettering {ink.index + 1}{more}"
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
        turned = Mesh(
            back.mesh.points,
            -back.mesh.normals,
            back.mesh.uv,
            np.ascontiguousarray(back.mesh.faces[:, ::-1]),
        )
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
            apart.append(replace(ink, region=over, below=inset.height_mm))
    return apart


def _with_picture(mesh: Mesh, laid: Laid) -> Mesh:
    """The mesh with its uv in the coordinates of the picture that lies on it: mm from its lower left."""
    raster = laid.layers[0].layer.raster
    assert raster is not None
    return replace(mesh, uv=_own_points(laid, mesh.uv) + (raster.width_mm / 2, raster.height_mm / 2))


def refuse_too_deep(side: Side, craft: Craft, inks: Sequence[Inked]) -> None:
    """Raises KilnError where a craft would break through the wall of its side."""
    for ink in inks:
        if ink.stage.open:
            if ink.stage.knots[0][1] == 0:
                raise KilnError(
                    "Letters can be cut through flat panels only (plaque, sign board, plate); choose "
                    "another blank, or an inlay."
                )
            continue
        deep = -min(height for _, height in ink.stage.knots) + ink.stage.deeper_mm
        if deep < side.wall_mm:
            continue
        if not ink.stage.level:
            widest = widest_mm(ink.layer.layer) if ink.stage.field is None else 1e9
            deep = -float(np.interp(widest, *np.array(ink.stage.knots).T)) + ink.stage.deeper_mm
        if deep >= side.wall_mm:
            raise KilnError(
                f"{craft.kind.capitalize()} {deep:.3g} mm deep, it would break through the wall of "
                f"{side.wall_mm:.3g} mm; stay below that."
            )


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


@dataclass(frozen=True, eq=False)
class Surface:
    """The surface over one label: its mesh, the height (n,) of the cut's points that it has, and which of
    its faces lie within the outline, where that has been grown."""

    mesh: Mesh
    heights: Array
    within: Array | None = None


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


@dataclass(frozen=True, eq=False)
class Bent:
    """A region made ready for heights that change over it: uv (n, 2), the places base and ways out (n, 3)
    of its points, faces (m, 3), far (n,): how far inside the outline they are. ``used`` (k,): the cut's
    points among them, ``at`` (k,): where."""

    uv: Array
    base: Array
    out: Array
    faces: Array
    far: Array
    used: Array
    at: Array

    def surface(self, ink: Inked, size: int, uv: Array | None = None) -> Surface:
        """The surface at the heights of a stage; ``size``: how many points the cut has."""
        high = heights_at(ink, self.far, self.uv)
        heights = np.zeros(size)
        heights[self.used] = high[self.at]
        points = self.base + high[:, None] * self.out
        crease = CREASE if ink.stage.field is None else FIELD_CREASE
        made = creased(points, self.uv if uv is None else uv, self.faces, crease)
        return Surface(made, heights, np.all(self.far[self.faces] >= 0, axis=1))


def ready(
    uv: Array, base: Array, out: Array, used: Array, corners: Array, ink: Inked, true: Array, rough: bool
) -> Bent:
    """A region of a cut made ready: its points ``used`` as they are there, (k, 2), (k, 3), (k, 3), and its
    triangles; ``true`` (2, 2) makes distances on the sheet true."""
    side, count = ink.laid.side, len(uv)
    border, _ = region_walls(corners, np.zeros(len(corners), dtype=np.int64))
    points, faces, far = bent(uv, border, corners, ink, rough)
    kept, compact = compacted(faces, len(points))
    fresh = kept[kept >= count]
    more = np.zeros((len(points) - count, 3))
    base, out = np.concatenate([base, more]), np.concatenate([out, more])
    base[fresh] = side.to_body(points[fresh], np.zeros(len(fresh)))
    out[fresh] = side.frames(points[fresh])[:, 2]
    unknown = kept[np.isnan(far[kept])]
    far[unknown] = distances_of(ink, points[unknown], true)
    old = kept < count
    return Bent(
        points[kept], base[kept], out[kept], compact, far[kept], used[kept[old]], np.flatnonzero(old)
    )


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


def bent(uv: Array, border: Array, faces: Array, ink: Inked, rough: bool) -> tuple[Array, Array, Array]:
    """The points of a region, (n, 2), with those that its heights need, triangles over all of them, and
    how far inside the outline they are where that is known; ``faces``: the triangles there were, which
    stay where no better ones are found."""
    side, placing, layer = ink.laid.side, ink.laid.placing, ink.layer.layer
    distances = tuple(float(d) for d, _ in ink.stage.knots)
    if ink.stage.field is not None:
        points, found = _with_field(uv, border, faces, ink, rough)
        return points, found, np.full(len(points), np.nan)
    inside = tuple(d for d in distances if d > 1e-9 - ink.stage.grow_mm)
    fresh, more, far = [uv], [], [np.full(len(uv), np.nan)]
    rest = np.ones(len(border), dtype=bool)
    if len(inside) > 1:
        if rough and len(inside) > 3:
            inside = tuple(d for n, d in enumerate(inside) if n % 2 or d == 0)
        points, found, rest, known = _on_terraces(uv, border, terraces(layer, inside, rough), placing, side)
        fresh.append(points)
        more.append(found)
        far.append(known)
    if rest.any():
        # an even slope, or what the side's border or another lettering has cut
        inner = inner_points(layer, distances[-1], rough)
        spots = [_on_domain(placing.points(inner, copy), side) for copy in range(len(placing.copies))]
        points = np.concatenate([uv, *spots])
        true = side.true_at(ink.laid.middle)
        used, edges = compacted(border[rest], len(uv))
        own = np.concatenate([used, np.arange(len(uv), len(points))])
        found_here = roof_faces(points[own] @ true.T, edges)
        if found_here is None:
            more.append(faces if rest.all() else faces[_inside_of(uv, border[rest], faces)])
        else:
            start = sum(len(x) for x in fresh) - len(uv)
            number = np.where(own < len(uv), own, own + start)
            fresh.append(points[len(uv) :])
            more.append(number[found_here])
            far.append(np.full(len(points) - len(uv), np.nan))
    return np.concatenate(fresh), np.concatenate(more), np.concatenate(far)


def _with_field(uv: Array, border: Array, faces: Array, ink: Inked, rough: bool) -> tuple[Array, Array]:
    """A region's points and triangles, fine enough for heights that vary all over it."""
    assert ink.stage.field is not None
    side, placing, layer = ink.laid.side, ink.laid.placing, ink.layer.layer
    inner = field_points(layer, _field_step(ink.stage.field, rough))
    edge = ink.stage.knots[-1][0]
    if edge > 0:  # where its edge comes to an end
        inner = np.concatenate([inner, inner_points(layer, edge, True)])
    spots = [_on_domain(placing.points(inner, copy), side) for copy in range(len(placing.copies))]
    # clear of every border, that of letters on it too
    middles = cKDTree(np.concatenate([uv[border[:, 0]], uv[border].mean(axis=1)]))
    clear = 0.5 * _field_step(ink.stage.field, rough)
    spots = [some[middles.query(some)[0] > clear] for some in spots]
    points = np.concatenate([uv, *spots])
    found = roof_faces(points @ side.true_at(ink.laid.middle).T, border)
    return (uv, faces) if found is None else (points, found)


def _rings(edges: Array) -> Array:
    """The polygons that edges (k, 2, 2) enclose."""
    return np.asarray(shapely.get_parts(shapely.polygonize(list(shapely.linestrings(edges)))))


def _inside_of(uv: Array, edges: Array, faces: Array) -> Array:
    """Which faces lie within closed rings of edges."""
    spots = uv[faces].mean(axis=1)
    whole = _rings(uv[edges])
    found = shapely.STRtree(whole).query(shapely.points(spots), predicate="intersects")[0]
    inside = np.zeros(len(spots), dtype=bool)
    inside[found] = True
    return inside


def _on_terraces(
    uv: Array, border: Array, shelf: Terraces, placing: Placing, side: Side
) -> tuple[Array, Array, Array, Array]:
    """New points (n, 2) and triangles of the parts of a region that hold their terraces whole: those of
    the terraces and a band round them up to the part's own border. Triangles count the points of ``uv``
    first. Also which border edges belong to no such part, and how far the points are from the outline."""
    whole = _rings(uv[border])
    known = {(int(a), int(b)) for a, b in border}
    place = {(float(x), float(y)): n for n, (x, y) in enumerate(uv)}
    rings = [[place[(x, y)] for x, y in shapely.orient_polygons(p).exterior.coords] for p in whole]
    whole = np.asarray(whole[np.array([(ring[0], ring[1]) in known for ring in rings], dtype=bool)])
    polygons = polygons_in(shelf.first)
    shapes, owners, points, faces = [], [], [], []
    for copy in range(len(placing.copies)):
        shapes += [shapely.transform(p, lambda c, k=copy: placing.points(c, k)) for p in polygons]
        owners.append(shelf.owner + len(polygons) * copy)
        points.append(placing.points(shelf.points, copy))
        faces.append(shelf.faces + len(shelf.points) * copy)
    spots, corners, owner = np.concatenate(points), np.concatenate(faces), np.concatenate(owners)
    if side.period is not None:
        # each piece as a whole, by its leftmost point
        low = float(side.domain.bounds[0])
        turns = np.floor((shapely.bounds(np.array(shapes, dtype=object))[:, 0] - low) / side.period)
        shift = -turns * side.period
        shapes = [
            shapely.transform(s, lambda c, d=d: c + (d, 0.0)) for s, d in zip(shapes, shift, strict=True)
        ]
        of_point = np.zeros(len(spots), dtype=np.int64)
        of_point[corners] = owner[:, None]
        spots = spots + np.column_stack([shift[of_point], np.zeros(len(spots))])
    tree = shapely.STRtree(shapes)
    touching = tree.query(whole, predicate="intersects")
    held = tree.query(whole, predicate="contains_properly")
    sound = np.bincount(touching[0], minlength=len(whole)) == np.bincount(held[0], minlength=len(whole))
    bands = []
    for number in np.flatnonzero(sound):
        inner = [shapes[k] for k in held[1][held[0] == number]]
        bands += polygons_in(shapely.difference(whole[number], shapely.MultiPolygon(inner)))
    taken = np.isin(owner, held[1][sound[held[0]]])
    rest = np.ones(len(border), dtype=bool)
    if not bands:
        return np.empty((0, 2)), np.empty((0, 3), dtype=np.int64), rest, np.empty(0)
    round_points, round_faces, _ = triangulated(bands, [0] * len(bands))
    used, within = compacted(corners[taken], len(spots))
    fresh = np.concatenate([round_points, spots[used]])
    all_faces = np.concatenate([round_faces, within + len(round_points)])
    at: Array = places_among(uv, fresh)
    new: Array = at < 0
    again = places_among(fresh[new], fresh)  # points that bands and terraces share
    names: Array = np.where(new, len(uv) + again, at)
    middles = shapely.points(uv[border].mean(axis=1))
    rest[shapely.STRtree(whole[sound]).query(middles, predicate="dwithin", distance=1e-7)[0]] = False
    terraced = np.tile(shelf.far, len(placing.copies))[used]
    told = np.concatenate([np.full(len(round_points), np.nan), terraced])
    # of a point that bands and terraces share, what the terraces know of it
    far = np.full(int(new.sum()), np.nan)
    sure = ~np.isnan(told) & (again >= 0)
    far[again[sure]] = told[sure]
    return fresh[new], names[all_faces], rest, far


def distances_of(ink: Inked, uv: Array, true: Array) -> Array:
    """How far inside the outline points of the sheet are, mm; ``true`` (2, 2) makes distances true."""
    return distances_in(shapely.transform(ink.layer.region, lambda p: p @ true.T), uv @ true.T)


FIELD_CREASE = np.cos(np.radians(62.0))  # worked surfaces are shaded round but for their ridges


def heights_at(ink: Inked, far: Array, uv: Array) -> Array:
    """The height of a stage at points of the sheet, ``far`` from the outline."""
    high = ink.below + np.interp(far, *np.array(ink.stage.knots).T)
    field = ink.stage.field
    if field is not None:
        fade = np.clip(far / max(field.fade_mm, 1e-6), 0, 1)
        fade = fade * fade * (3 - 2 * fade)
        high = high + fade * field.heights(_own_points(ink.laid, uv))
    return np.asarray(high)


def _own_points(laid: Laid, uv: Array) -> Array:
    """Sheet points in the outline's own coordinates, those of the copy that each is nearest to."""
    left, low, right, high = laid.outline.bounds
    middle = np.array([(left + right) / 2, (low + high) / 2])
    size = np.maximum([right - left, high - low], 1e-9)
    best, found = np.full(len(uv), np.inf), np.zeros((len(uv), 2))
    for copy in range(len(laid.placing.copies)):
        own = laid.placing.back(uv.copy(), copy)
        far = np.abs((own - middle) / size).max(axis=1)
        nearer = far < best
        best[nearer], found[nearer] = far[nearer], own[nearer]
    return found


def _beside_fields(inked: list[Inked], rough: bool) -> list[Inked]:
    """The same with the outlines that lie on a textured region cut as finely as it is, so that its
    triangles find their edges among their own."""
    fields = [(ink, _field_step(ink.stage.field, rough)) for ink in inked if ink.stage.field is not None]
    finer = []
    for ink in inked:
        steps = [
            step
            for other, step in fields
            if other is not ink and shapely.intersects(other.region, ink.region)
        ]
        if steps:
            ink = replace(ink, region=as_region([shapely.segmentize(ink.region, min(steps))]))
        finer.append(ink)
    return finer


def _on_domain(points: Array, side: Side) -> Array:
    """Points brought round to the part of a closed side that was cut."""
    if side.period is None:
        return points
    low = float(side.domain.bounds[0])
    return np.column_stack([(points[:, 0] - low) % side.period + low, points[:, 1]])


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
