"""A cut sheet on its body: its regions at the heights that stages give them, and the walls between."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet
from kilnchisel.core.blanks.mesh import Mesh, compacted
from kilnchisel.core.blanks.net import Net
from kilnchisel.core.blanks.surface import Surface as FreeForm
from kilnchisel.core.crafts.inked import Inked
from kilnchisel.core.crafts.profile import Stage
from kilnchisel.core.crafts.shaped import Bent, Surface, ready
from kilnchisel.core.crafts.sheet import CutSheet, faces_of_points
from kilnchisel.core.crafts.walls import EdgeWalls, softened, standing_walls, strips_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.laying.laid import Laid, LaidLayer
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Footing:
    """Where the points of a net are on the body, (n, 3), and how it lies there, frames (n, 3, 3)."""

    points: Array
    frames: Array


@dataclass(frozen=True, eq=False)
class Placed:
    """A cut sheet with its points on the body: base (n, 3) at height 0, frames (n, 3, 3).

    A free form is cut as the faces of its net, to which it comes as close as the net is made: points
    beside them would stand in front of or behind faces that are thin, and letters cut through their
    ground. Other sides are cut where they are. ``known`` (k, 3): a free form's points of its net.
    """

    sheet: Sheet
    cut: CutSheet
    base: Array
    frames: Array
    known: Array | None = None

    def foot(self, uv: Array) -> Array:
        """Points of the sheet (n, 2) on the surface that was cut, (n, 3)."""
        if self.known is None or self.sheet.net is None:
            return self.sheet.side.to_body(uv, np.zeros(len(uv)))
        return _mixed(self.sheet.net, self.known, uv)

    def lifted(self, which: Array, height: Array) -> Array:
        """The points of these numbers at heights (k,), (k, 3). At 0 they are the body's own, to the bit."""
        return np.asarray(self.base[which] + height[:, None] * self.frames[which, 2])


def placed_on(sheet: Sheet, cut: CutSheet, footing: Footing | None = None) -> Placed:
    """``footing``: where the points of its net are, if that has been found."""
    net, side = sheet.net, sheet.side
    if net is None or cut.parent is None or not isinstance(side, FreeForm):
        return Placed(
            sheet, cut, side.to_body(cut.points, np.zeros(len(cut.points))), side.frames(cut.points)
        )
    footing = footing or Footing(side.to_body(net.at, np.zeros(len(net.points))), side.frames(net.at))
    known = footing.points
    more = cut.points[len(known) :]
    row = faces_of_points(cut.faces, cut.parent, len(known), len(more))
    base = np.concatenate([known, _mixed(net, known, more, row)])
    frames = np.concatenate([footing.frames, side.frames(more)])
    return Placed(sheet, cut, base, frames, known)


def _mixed(net: Net, known: Array, uv: Array, row: Array | None = None) -> Array:
    """Points of a net's faces, of its own points ``known`` (n, 3)."""
    if len(uv) == 0:
        return np.empty((0, 3))
    row, share = net.spots(uv, row)
    return np.asarray(np.einsum("nk,nkj->nj", share, known[net.faces[row]]))


def flat(placed: Placed, label: int, height: float) -> Surface | None:
    """The faces of one label lifted to one height; None when nothing of it is left."""
    cut = placed.cut
    mine = cut.label == label
    if not mine.any():
        return None
    used, compact = compacted(cut.faces[mine], len(cut.points))
    normals = np.ascontiguousarray(placed.frames[used, 2])
    mesh = Mesh(placed.lifted(used, np.full(len(used), height)), normals, cut.points[used], compact)
    return Surface(mesh, np.full(len(cut.points), height))


def of_stage(placed: Placed, label: int, ink: Inked, *, detail: Detail) -> Surface | None:
    """The surface of one stage of a lettering."""
    stage = ink.stage
    if stage.open:
        none = Mesh(np.empty((0, 3)), np.empty((0, 3)), np.empty((0, 2)), np.empty((0, 3), dtype=np.int32))
        return Surface(none, np.full(len(placed.cut.points), stage.knots[0][1]))
    if not stage.level and (placed.cut.label == label).any():
        return _bent(placed, label, ink, detail=detail)
    return flat(placed, label, ink.below + stage.knots[0][1])


@remembered
def _ready_on(
    placed: Placed, label: int, laid: Laid, layer: LaidLayer, shape: tuple[Any, ...], *, detail: Detail
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


def _bent(placed: Placed, label: int, ink: Inked, *, detail: Detail) -> Surface:
    """The surface of a stage whose height changes with the distance from the outline."""
    stage = ink.stage
    shape = (stage.grow_mm, tuple(float(d) for d, _ in stage.knots), stage.field)
    made = _ready_on(placed, label, ink.laid, ink.layer, shape, detail=detail)
    return made.surface(ink, len(placed.cut.points))


def walls_of(placed: Placed, surfaces: Sequence[Surface | None]) -> list[list[Mesh]]:
    """The walls of every label, from the ground or what it lies beside to its surface. Where two surfaces
    meet at one height all along an edge there are none."""
    cut = placed.cut
    size = len(cut.points)
    stack = np.stack([np.zeros(size) if s is None else s.heights for s in surfaces] or [np.zeros(size)])
    walls = standing_walls(cut.walls, cut.wall_label, stack)
    return [
        [] if mine is None else [standing(placed, mine)]
        for mine in (walls.of(label) for label in range(len(surfaces)))
    ]


def standing(placed: Placed, walls: EdgeWalls) -> Mesh:
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
