"""A body from a smooth cage: some of its faces are sides that take lettering, the others are shells.

A side's sheet is the side seen square on along the normal of a plane; its surface is what the cage comes
to, made smooth between the points of its refinement. Side and shell have the points along their border from
the same refinement, to the bit.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, border_edges, compacted, join
from kilnchisel.core.blanks.net import GRID_MM, KEEP_OFF_MM, NET_CLEAR, Net, closely, gridded, net_over
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.vehicles.subdivision import Cage, edges_of, limit, normals_at, refined
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.later import interpolate

Array = NDArray[Any]

ROUGHER = 3.2  # how much wider a net's triangles are while something moves
LEANS = 0.12  # slope of a surface against its sheet, from which on its net has the skin's points
CLEAR_MM = 3.0  # from the border: what is nearer makes slivers
EDGE_ON = 0.05  # how little a point of the skin may look towards who sees it, and still tell a slope
BEYOND = 3  # how many rings of faces beside a side its surface knows of


@dataclass(frozen=True, eq=False)
class Skin:
    """A cage brought to its limit: points (n, 3), normals, faces (m, 4) with the tags of the cage."""

    points: Array
    normals: Array
    faces: Array
    tags: Array

    def triangles(self, which: Array) -> Array:
        """Those of some of its faces, (2 k, 3)."""
        quads = self.faces[which]
        return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])

    def shell(self, tag: int) -> Mesh:
        """Its faces of one tag."""
        used, faces = compacted(self.triangles(self.tags == tag), len(self.points))
        points = self.points[used]
        flat = points[:, :2] if np.ptp(points[:, 2]) < np.ptp(points[:, 1]) else points[:, [0, 2]]
        return Mesh(points, self.normals[used], np.ascontiguousarray(flat), faces.astype(np.int32))

    def border(self, tags: tuple[int, ...]) -> Array:
        """The points round its faces of some tags, counter-clockwise from outside, (k,). Raises ValueError
        where they are not one piece."""
        edges = border_edges(self.triangles(np.isin(self.tags, tags)))
        follows = dict(edges.tolist())
        ring = [int(edges[0, 0])]
        while (following := follows[ring[-1]]) != ring[0]:
            ring.append(following)
        if len(ring) != len(edges):
            raise ValueError("the faces of a side are not one piece without holes")
        return np.array(ring)


def skin_of(cage: Cage, levels: int) -> Skin:
    """The limit of a cage at the points of it divided so many times."""
    for _ in range(levels):
        cage = refined(cage)
    points = limit(cage)
    return Skin(points, normals_at(points, cage.faces), cage.faces, cage.tags)


@dataclass(frozen=True, eq=False)
class View:
    """How a side is seen: ``origin`` of its sheet, ``right`` and ``up`` (3,), unit."""

    origin: Array
    right: Array
    up: Array

    @property
    def out(self) -> Array:
        """Towards whoever sees it."""
        return np.cross(self.right, self.up)

    def flat(self, points: Array) -> Array:
        """Points (n, 3) on its sheet, (n, 2)."""
        return np.stack([(points - self.origin) @ self.right, (points - self.origin) @ self.up], axis=1)


@dataclass(frozen=True, eq=False)
class Facing:
    """A side's surface: how far it stands before its sheet's plane, smooth between points of the skin, with
    the ``slope`` that the skin has at each, (k, 2), not a number where it tells none. ``ring``: its border
    on the sheet, and where that is, (n, 2) and (n, 3)."""

    view: View
    uv: Array
    before: Array
    slope: Array
    ring: Array
    ring_at: Array

    def __getstate__(self) -> dict[str, Any]:
        """What it has worked out stays here: triangles of another library cannot go elsewhere."""
        return {one.name: getattr(self, one.name) for one in fields(self)}

    @cached_property
    def _height(self) -> Any:
        found = interpolate.CloughTocher2DInterpolator(self.uv, self.before)
        # of points alone it would make up slopes: wrong ones where a rounded edge is seen from aside
        told = np.isfinite(self.slope).all(axis=1)
        found.grad[told, 0] = self.slope[told]
        return found

    @cached_property
    def _known(self) -> tuple[Array, Array, Array]:
        keys = _key(self.ring)
        order = np.argsort(keys)
        return keys[order], order, np.unique(self.ring[:, 0])

    def place(self, uv: Array) -> Array:
        """Places on the side, (n, 2) sheet mm -> (n, 3) mm; those of the border to the bit."""
        found = np.empty((len(uv), 3))
        keys, order, across = self._known
        # few points are of the border: those whose u is that of one of its points are looked at
        near = across[np.minimum(np.searchsorted(across, uv[:, 0]), len(across) - 1)] == uv[:, 0]
        some = np.flatnonzero(near)
        mine = _key(uv[some])
        spot = np.minimum(np.searchsorted(keys, mine), len(keys) - 1)
        same = keys[spot] == mine
        found[some[same]] = self.ring_at[order[spot[same]]]
        other = np.ones(len(uv), dtype=bool)
        other[some[same]] = False
        found[other] = self._within(uv[other])
        return found

    def bends(self, domain: shapely.Polygon, step: float) -> Array:
        """The skin's own points beside the border of a domain, in the band that a net of this step leaves
        bare, where the surface leans away from its sheet: a rounded edge is all in there. (n, 2)"""
        leans = np.linalg.norm(self._height.grad[:, 0], axis=1) > LEANS
        band = shapely.difference(domain.buffer(-CLEAR_MM), domain.buffer(-NET_CLEAR * step))
        uv = self.uv[leans]
        return np.asarray(uv[shapely.contains_xy(band, uv[:, 0], uv[:, 1])])

    def _within(self, uv: Array) -> Array:
        """Places that are none of its border's points. At the border the search for a triangle is slow."""
        view = self.view
        height = self._height(uv)
        lost = np.isnan(height)
        if lost.any():  # a hair beside the outermost points
            height[lost] = interpolate.NearestNDInterpolator(self.uv, self.before)(uv[lost])
        return np.asarray(
            view.origin + uv[:, :1] * view.right + uv[:, 1:] * view.up + height[:, None] * view.out
        )


def _key(uv: Array) -> Array:
    """One number for each place of the sheet's grid."""
    whole = np.rint(uv / GRID_MM).astype(np.int64)
    on_grid = (whole * GRID_MM == uv).all(axis=1)
    return np.where(on_grid, whole[:, 0] * (1 << 36) + whole[:, 1], -(1 << 62))


def facing(skin: Skin, tags: tuple[int, ...], view: View) -> Facing:
    """The surface of the faces of some tags as it is seen in a view, made of them and of those beside them
    that face the same way."""
    ring = skin.border(tags)
    mine = np.isin(skin.tags, tags)
    for _ in range(BEYOND):
        touched = np.zeros(len(skin.points), dtype=bool)
        touched[skin.faces[mine]] = True
        mine = mine | touched[skin.faces].any(axis=1)
    inner = np.unique(skin.faces[np.isin(skin.tags, tags)])
    used = np.unique(skin.faces[mine])
    ahead = skin.normals[used] @ view.out > 0.25
    used = used[ahead | np.isin(used, inner)]
    flat = view.flat(skin.points)
    # a point beside the side that lies within its outline as it is seen would fold the surface
    outline = shapely.Polygon(flat[ring])
    other = used[~np.isin(used, inner)]
    other = other[~shapely.contains_xy(outline, *flat[other].T)]
    used = np.concatenate([inner, other])
    ghosts = _beyond(skin, inner)
    points = np.concatenate([skin.points[used], ghosts])
    before = (points - view.origin) @ view.out
    facing_it = skin.normals[used] @ np.stack([view.right, view.up, view.out], axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = np.where(facing_it[:, 2:] > EDGE_ON, -facing_it[:, :2] / facing_it[:, 2:], np.nan)
    return Facing(
        view,
        np.concatenate([flat[used], view.flat(ghosts)]),
        before,
        np.concatenate([slope, np.full((len(ghosts), 2), np.nan)]),
        gridded(flat[ring]),
        skin.points[ring],
    )


def _beyond(skin: Skin, inner: Array) -> Array:
    """Points a step beyond the skin's own border where it borders a side (``inner``: its points), straight
    on, (n, 3): the surface keeps its slope there."""
    _, of_face, times = edges_of(skin.faces, len(skin.points))
    face, corner = np.nonzero(times[of_face] == 1)
    quads = skin.faces[face]
    a, b, c, d = (quads[np.arange(len(face)), (corner + k) % 4] for k in range(4))
    on, within = np.concatenate([a, b]), np.concatenate([d, c])
    on, first = np.unique(on, return_index=True)
    mine = np.isin(on, inner) & np.isin(within[first], inner)
    return np.asarray(2 * skin.points[on[mine]] - skin.points[within[first][mine]])


PANEL_MM, PANE_MM = 0.8, 5.0  # body panels of steel, screens of glass: common practice
GLAZED = ("windscreen", "rear window")


@dataclass(frozen=True, eq=False)
class Facet:
    """A side to be: its name, the tags of its faces, how it is seen; what is cut out of it, (x, z) as its
    sheet has them; zones and insets."""

    name: str
    tags: tuple[int, ...]
    view: View
    slot: FinishSlot = "blank"
    step_mm: float = 60.0
    without: Any = None
    clear: tuple[ClearZone, ...] = ()
    insets: tuple[Inset, ...] = field(default=())

    @property
    def wall_mm(self) -> float:
        """How thick it is of what letters are cut into."""
        return PANE_MM if self.name in GLAZED else PANEL_MM


def sheet_of(facet: Facet, facing: Facing, place: Any, *, detail: Detail) -> Sheet:
    """The sheet of a side. ``place``: its surface as a function, that of ``facing``."""
    domain = shapely.Polygon(facing.ring)
    step = facet.step_mm if detail.fine else 2 * facet.step_mm
    if facet.without is not None:
        domain = shapely.difference(domain, facet.without)
        if domain.geom_type == "MultiPolygon":
            domain = max(domain.geoms, key=lambda part: part.area)
    domain = shapely.Polygon(_ring(domain, step))
    wide = max(step, widest(domain))
    net = _net(domain, wide, facing.bends(domain, wide) if detail.fine else None)
    # as slabs have it: its border may leave the true one by less than letters keep off it
    about = shapely.segmentize(shapely.simplify(domain, KEEP_OFF_MM / 2), ROUGHER * step)
    about = shapely.transform(about, gridded)
    rough = _net(about, max(ROUGHER * step, widest(about)))
    side = Surface(facet.name, domain, place, net, facet.wall_mm, facet.clear)
    return Sheet(side, facet.slot, insets=facet.insets, net=net, rough=rough)


def _net(area: shapely.Polygon, step: float, more: Array | None = None) -> Net:
    """Triangles over an area, wider ones where those would not keep its outline."""
    try:
        return net_over(area, step, more)
    except KilnError:
        return net_over(area, 1.17 * step) if more is None else _net(area, step)


def _ring(domain: shapely.Polygon, step: float) -> Array:
    """Its outline, counter-clockwise; its points are kept."""
    points = shapely.get_coordinates(shapely.orient_polygons(domain).exterior)[:-1]
    return closely(points, max(step, widest(domain)))


def widest(area: shapely.Polygon) -> float:
    """The longest step between neighbouring points of an outline."""
    ring = shapely.get_coordinates(area.exterior)
    return float(np.linalg.norm(np.diff(ring, axis=0), axis=1).max())


def together(shells: list[Shell]) -> list[Shell]:
    """Shells of one slot as one shell, under the name and in the place of the first."""
    slots = dict.fromkeys(shell.slot for shell in shells)
    found = []
    for slot in slots:
        same = [shell for shell in shells if shell.slot == slot]
        found.append(replace(same[0], mesh=join([shell.mesh for shell in same])))
    return found


def shells_of(skin: Skin, names: dict[int, tuple[str, FinishSlot]]) -> list[Shell]:
    """The faces of the tags that are no sides."""
    return [Shell(name, slot, skin.shell(tag)) for tag, (name, slot) in names.items()]
