"""Light that arrives at the surfaces of a scene, gathered for the draft.

A still scene's soft light (the room, seen past the piece itself, and light bouncing between piece and
ground) is collected by tracing rays from some thousand points of a coarse body and of the ground, and
iterating the bounces. The draft interpolates it over the fine meshes, so that the inside of a mug and
the ground near its foot are as dark as they will be in the mockup.

The rays depend on the blank only; light and finishes are applied to their remembered hits.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from typing import Any

import numpy as np
import shapely
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND, Body, Sheet, Shell
from kilnchisel.core.blanks.coarse import sampled
from kilnchisel.core.blanks.mesh import distinct, join, unit
from kilnchisel.core.colour import LUMA
from kilnchisel.core.finishes.material import GLASS_KEEPS, Material
from kilnchisel.core.job.trims import SLOTS as ALL_SLOTS
from kilnchisel.core.later import ndimage, sparse, spatial
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.lamps import Panel
from kilnchisel.core.scene.light import Room, direction_to_uv, directions_of
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]

RAYS, QUICK_RAYS = 64, 16
BOUNCES = 4
GROUND_CELLS = 48
COVERED = 0.5  # of a cell of the ground's grid: what is lower than that is thin
GROUND_REACH = 2.4  # half width of the ground's grid, in radii of the piece
ALIKE_STEPS = 32  # of a normal's parts, within which all are open to the same
SKY = (32, 64)  # rows and columns of what is seen of a room
PANEL_POINTS = {RAYS: 4, QUICK_RAYS: 2}  # on the strongest light, each way
LAMP_POINTS = {RAYS: 12, QUICK_RAYS: 4}  # on the lamp of a room
CLEAR_SHARE = 0.7  # how much of the light that a solid piece would hide comes through glass
LIFT_MM, LIFT_SHARE = 0.02, 0.0015
# what lies under the coarse mesh: so many of its rays end within so many lifts
BURIED, NEARLY = 0.8, 12.0
STANDS_IN = 6.0  # times as far as that, what is seen stands in for what is buried
# so many rays of a place on a sheet end within so much of its grid's step: how dark it is there tells
# nothing of what lies about it, as close under a sill
CROWDED, NARROW = 0.25, 0.5
TURNED_MM, TURNED_SHARE = 25.0, 0.06  # how far off what faces another way is, at least and of the radius
NOTHING, PIECE, GROUND = 0, 1, 2
# the first rows of the albedos; copies' own finishes follow
SLOTS = {slot: row for row, slot in enumerate(ALL_SLOTS)}
GROUND_ROW = -1  # the last one


@dataclass(frozen=True, eq=False)
class Lattice:
    """Where a side's gathering points are: a grid over its sheet, ``first`` of them at low u and v."""

    first: int
    columns: int
    rows: int
    bounds: tuple[float, float, float, float]

    @property
    def points(self) -> slice:
        """The numbers of its points."""
        return slice(self.first, self.first + self.columns * self.rows)

    @property
    def step_mm(self) -> float:
        """How far apart the points are, along u or v, whichever is more."""
        low_u, low_v, high_u, high_v = self.bounds
        return max((high_u - low_u) / (self.columns - 1), (high_v - low_v) / (self.rows - 1))

    @property
    def box(self) -> tuple[float, float, float, float]:
        """The low corner and the size of a picture whose pixels are the points, to its edges, mm."""
        low_u, low_v, high_u, high_v = self.bounds
        u, v = (high_u - low_u) / (self.columns - 1), (high_v - low_v) / (self.rows - 1)
        return low_u - u / 2, low_v - v / 2, u * self.columns, v * self.rows


@dataclass(frozen=True, eq=False)
class Caster:
    """A body for casting rays at: they are given in the scene, ``stance`` (4, 4) brings it there."""

    tracer: Any
    stance: Array

    def distance(self, origins: Array, ways: Array) -> Array:
        """How far each ray (n, 3), (n, 3) comes, mm; beyond 1e6 where it meets nothing."""
        turn, shift = self.stance[:3, :3], self.stance[:3, 3]
        own = ((origins - shift) @ turn).astype(np.float32), (ways @ turn).astype(np.float32)
        return np.asarray(self.tracer.run(*own, query="DISTANCE"))


class Seen:
    """The gathering points of a piece, those that are seen before those that are buried.

    What lies close below, as in a pile of cloth, is not to darken what is on it. Far from all that is seen,
    as in the corners of a room, the others are all there are.
    """

    def __init__(
        self, points: Array, normals: Array, buried: Array, reach_mm: float, turned_mm: float
    ) -> None:
        """``buried`` (n,) bool: which of the points (n, 3) see nothing but what is almost on them;
        ``reach_mm``: how far a seen one stands in for them; ``turned_mm``: as far off as that is what faces
        another way, by the length between the normals."""
        self.buried = buried
        self._numbers = np.flatnonzero(buried == buried.all())
        self._turned = turned_mm
        self._places = self._keyed(points, normals)
        self._tree = spatial.cKDTree(self._places[self._numbers])
        self._reach = reach_mm if buried.any() else np.inf

    @cached_property
    def _all(self) -> Any:
        return spatial.cKDTree(self._places)

    def near(self, points: Array, normals: Array, count: int | None = None) -> tuple[Array, Array]:
        """How far, in place and direction, and which of the piece's points are nearly the next: (n,) each,
        or (n, ``count``)."""
        how: dict[str, Any] = {"k": count or 1, "eps": 0.4, "workers": -1}
        places = self._keyed(points, normals)
        far, index = self._tree.query(places, **how)
        number = self._numbers[index]
        lost = (far if count is None else far[:, 0]) > self._reach
        if lost.any():
            far[lost], number[lost] = self._all.query(places[lost], **how)
        return far, number

    def _keyed(self, points: Array, normals: Array) -> Array:
        """Surface points as the tree has them: place and direction, (n, 6)."""
        return np.column_stack([points, normals * self._turned])


@dataclass(frozen=True, eq=False)
class Hits:
    """What each gathering point sees. Points 0..pieces-1 lie on the piece, the rest on the ground.

    points, normals (n, 3) scene; kind (n, rays); target (n, rays): index of the gathering point nearest
    to the hit; sky: what each point sees of an all-round picture of SKY pixels, row by row, as a matrix;
    slot (n,): index into the slots' albedos; lamp (n,): irradiance / pi from the lamp of a room behind
    glass, of radiance 1; covered: on which of the ground's something thin lies; hidden: which of the
    piece's see nothing but what is almost on them, or are too close to something for their sheet's grid;
    seen: those that see more; behind (n,): which are behind the piece's panes.
    """

    points: Array
    normals: Array
    pieces: int
    kind: Array
    target: Array
    sky: Any
    slot: Array
    lamp: Array
    caster: Caster
    cells: Cells
    ground_axes: Array
    ground_middle: Array
    ground_half_mm: float
    lattices: dict[str, Lattice]
    lift_mm: float
    covered: Array
    hidden: Array
    seen: Seen
    behind: Array

    @cached_property
    def stands_in(self) -> Array:
        """The point that tells the light of each of the piece's (pieces,): itself where it is seen."""
        number = np.arange(self.pieces)
        buried = self.seen.buried
        if buried.any():
            number[buried] = self.seen.near(
                self.points[: self.pieces][buried], self.normals[: self.pieces][buried]
            )[1]
        return number

    @cached_property
    def open_skies(self) -> tuple[Array, Any, Any]:
        """What QUICK_RAYS and RAYS rays see of a sky that nothing but the ground hides, as ``sky`` tells
        it, by normals that are nearly alike, and which of these each point has."""
        steps = np.rint(self.normals * ALIKE_STEPS)
        first, which = distinct(steps)
        directions = [_hemisphere(unit(steps[first]), rays) for rays in (QUICK_RAYS, RAYS)]
        up = self.ground_axes[2]
        few, many = (_sky(np.where(ways @ up < 0, GROUND, NOTHING), ways) for ways in directions)
        return which, few, many

    @cached_property
    def _met(self) -> tuple[Any, Any]:
        """What each point sees of the others, as matrices (n, n): with nothing between them, and through
        a pane."""
        rays = self.kind.shape[1]
        point, ray = np.nonzero(self.kind != NOTHING)
        target, size = self.target[point, ray], len(self.points)
        through = self.behind[point] != self.behind[target]
        share = np.float32(1 / rays)
        clear, glazed = (
            sparse.csr_matrix((np.full(some.sum(), share), (point[some], target[some])), shape=(size, size))
            for some in (~through, through)
        )
        return clear, glazed

    def met(self, panes: float) -> Any:
        """What each point sees of the others, as a matrix: what those send, times it, arrives (n, n).
        ``panes``: the share of light that they let through."""
        clear, glazed = self._met
        if not glazed.nnz:
            return clear
        if panes not in self._met_by_panes:
            self._met_by_panes.clear()
            self._met_by_panes[panes] = clear + np.float32(panes) * glazed
        return self._met_by_panes[panes]

    @cached_property
    def _met_by_panes(self) -> dict[float, Any]:
        return {}


@dataclass(frozen=True, eq=False)
class Cells:
    """Gathering points by the cell of space and direction each stands for, in the body's own frame:
    ``keys`` (k,) ascending, of point 0, 1, 2..."""

    cell_mm: float
    keys: Array

    def find(self, points: Array, normals: Array) -> Array:
        """The gathering point of each surface point's cell, or of the next cell of the same place or on
        the way through space, (n,). Walls of letters have none of their direction."""
        wanted = _cell_keys(points, normals, self.cell_mm)
        return np.minimum(np.searchsorted(self.keys, wanted), len(self.keys) - 1)


@dataclass(frozen=True, eq=False)
class Gathered:
    """Irradiance / pi at the gathering points (n, 3), that of the strongest light (n, 3), how much of that
    is not shadowed (n,), and the share of open sky (n,)."""

    hits: Hits
    light: Array
    key: Array
    lit: Array
    open: Array

    def about(self, points: Array, normals: Array) -> Array:
        """Roughly what ``at`` says, quickly, at points (n, 3) and normals of the body's own frame."""
        index = self.hits.stands_in[self.hits.cells.find(points, normals)]
        return np.asarray(np.column_stack([self.light, self.open])[index])

    def at(self, points: Array, normals: Array) -> Array:
        """Soft light and openness at surface points of the piece: (n, 3), (n, 3) -> (n, 4)."""
        distance, index = self.hits.seen.near(points, normals, 4)
        weight = 1.0 / np.maximum(distance, 1e-3) ** 2
        weight /= weight.sum(axis=1, keepdims=True)
        values = np.column_stack([self.light, self.open])[index]
        return np.asarray((values * weight[..., None]).sum(axis=1))

    def over(self, side: str) -> Array:
        """Soft light and openness over a side's sheet as a picture, (rows, columns, 4), row 0 at low v."""
        grid = self.hits.lattices[side]
        mine = grid.points
        shape = grid.rows, grid.columns
        values = np.column_stack([self.light[mine], self.open[mine]]).reshape(*shape, 4)
        # a fold of the coarse cloth over its true place; beside it is what is seen
        return _beside(values, self.hits.hidden[mine].reshape(shape))

    def ground(self) -> tuple[Array, Array]:
        """The ground's grid as pictures: light and openness (cells, cells, 4), how much of the strongest
        light is not shadowed (cells, cells); row 0 at the low end of its v axis."""
        values = np.column_stack([self.light, self.open, self.lit])[self.hits.pieces :]
        shape = GROUND_CELLS, GROUND_CELLS
        values, covered = values.reshape(*shape, 5), self.hits.covered.reshape(shape)
        # a cell is wide: the dark under what is thin would reach far beside it
        values = _beside(values, covered)
        # of a few points of the light, a penumbra is made of steps
        lit = ndimage.gaussian_filter(values[..., 4], 1.2, mode="nearest")
        return values[..., :4], lit


def _beside(values: Array, hidden: Array) -> Array:
    """Values on a grid (rows, columns, k), those of hidden places (rows, columns) as at the next that is
    not."""
    if not hidden.any() or hidden.all():
        return values
    found = ndimage.distance_transform_edt(hidden, return_distances=False, return_indices=True)
    return np.asarray(values[tuple(found)])


def _sky(kind: Array, directions: Array) -> Any:
    """``Hits.sky`` of rays (n, rays) in ``directions`` (n, rays, 3)."""
    rows, columns = SKY
    point, ray = np.nonzero(kind == NOTHING)
    uv = direction_to_uv(directions[point, ray])
    x, y = uv[:, 0] * columns - 0.5, np.clip(uv[:, 1] * rows - 0.5, 0, rows - 1)
    x0, y0 = np.floor(x).astype(int), y.astype(int)
    fx, fy = x - x0, y - y0
    y1 = np.minimum(y0 + 1, rows - 1)
    pixel = [row * columns + column % columns for row in (y0, y1) for column in (x0, x0 + 1)]
    share = [down * across for down in (1 - fy, fy) for across in (1 - fx, fx)]
    values = (np.concatenate(share) / kind.shape[1]).astype(np.float32)
    where = np.tile(point, 4), np.concatenate(pixel)
    return sparse.csr_matrix((values, where), shape=(len(kind), rows * columns))


def kept_of_late(store: OrderedDict[Any, Any], key: Any, most: int, owner: object, make: Any) -> Any:
    """The remembered value of ``key``; ``owner`` is held so that its id stays its own."""
    if key not in store:
        store[key] = (owner, make())
        while len(store) > most:
            store.popitem(last=False)
    store.move_to_end(key)
    return store[key][1]


# of the bodies of late: each is cast at with few rays first and with all of them then
_tracers: OrderedDict[Any, Any] = OrderedDict()
KEPT_TRACERS = 3


Part = tuple[Array, Array | None]  # points (n, 3) and faces (m, 3), None where each three points are one


def tracer_of(parts: Sequence[Part]) -> Any:
    """Meshes for casting rays at; the numbers of their faces go on from part to part."""
    starts = np.cumsum([0, *(len(points) for points, _ in parts)])
    faces = [
        start + (np.arange(len(points)).reshape(-1, 3) if faces is None else faces)
        for start, (points, faces) in zip(starts, parts, strict=False)
    ]
    scene = EmbreeScene()
    points = np.concatenate([points for points, _ in parts]).astype(np.float32)
    TriangleMesh(scene, points, np.concatenate(faces).astype(np.int32))
    return scene


def _tracer_of_body(body: Body, panes: frozenset[str], sheets: Sequence[Array]) -> Any:
    """``sheets``: the triangles (n, 3, 3) of its sheets but for ``panes``."""
    if body.tracer is not None:
        return body.tracer

    def make() -> Any:
        shells = [(shell.mesh.points, shell.mesh.faces) for shell in body.shells]
        return tracer_of([*shells, *((corners.reshape(-1, 3), None) for corners in sheets)])

    return kept_of_late(_tracers, (id(body), panes), KEPT_TRACERS, body, make)


def forget_tracers() -> None:
    """Let go of them: other bodies come."""
    _tracers.clear()


def row_of(shell: Shell) -> int:
    """The row of the albedos that a shell has."""
    return len(SLOTS) + shell.own - 1 if shell.own else SLOTS[shell.slot]


def materials_of(scene: Scene) -> list[Material]:
    """The materials of all rows but the ground's; of what a blank does not have, that of its own."""
    own = scene.slots["blank"]
    return [*(scene.slots.get(slot, own) for slot in SLOTS), *scene.others]


def lets_through(scene: Scene) -> Array:
    """How much of the light that a solid piece would hide comes through one of glass, in the colour of what
    is in it, (3,); nothing through one that is not, or whose contents are not."""
    if not scene.clear:
        return np.zeros(3)
    if not any(item.mask == "contents" for item in scene.items):
        return np.full(3, CLEAR_SHARE)
    if scene.slots["contents"].kind != "glass":
        return np.zeros(3)
    return CLEAR_SHARE * np.asarray(scene.slots["wetted"].base) ** (2 * GLASS_KEEPS)


PANES = ("pane", "detail")  # what may be of glass that is looked through
# of even light from all sides so much is not mirrored at both faces of a pane: Fresnel's equations for an
# index of 1.52, integrated over the hemisphere
PANE_PASSES = 0.846


def panes_of(scene: Scene) -> frozenset[str]:
    """What of a scene's blank is a pane: light goes through it."""
    return frozenset(slot for slot in PANES if slot in scene.slots and scene.slots[slot].kind == "glass")


def through_panes(scene: Scene) -> float:
    """The share of the light on a scene's panes that comes through them; 1 where there are none."""
    bases = [scene.slots[slot].base for slot in sorted(panes_of(scene))]
    if not bases:
        return 1.0
    return PANE_PASSES * float(np.mean([np.asarray(base) ** (2 * GLASS_KEEPS) @ LUMA for base in bases]))


@remembered
def _without(body: Body, panes: frozenset[str]) -> Body:
    if not any(shell.slot in panes for shell in body.shells):
        return body
    return replace(body, shells=tuple(shell for shell in body.shells if shell.slot not in panes))


def _beside_panes(sheet: Sheet, triangles: Array, panes: frozenset[str]) -> Array:
    """The triangles of a sheet but those of the panes that are let into it."""
    areas = [inset.area for inset in sheet.insets if inset.slot in panes]
    if sheet.net is None or not areas:
        return triangles
    middles = sheet.net.points[sheet.net.faces].mean(axis=1)
    within = shapely.contains_xy(shapely.union_all(areas), middles[:, 0], middles[:, 1])
    return np.asarray(triangles[~within])


def trace(
    body: Body,
    stance: Array,
    base: Base,
    middle: Array,
    radius_mm: float,
    rays: int = RAYS,
    panes: frozenset[str] = frozenset(),
) -> Hits:
    """Cast ``rays`` (RAYS or QUICK_RAYS) rays from each point of the coarse body and the ground by it.
    ``panes``: what light goes through, so that it stands in nothing's way."""
    body = _without(body, panes)
    meshes = [shell.mesh for shell in body.shells]
    slots = [row_of(shell) for shell in body.shells]
    points = [mesh.points for mesh in meshes]
    normals = [mesh.normals for mesh in meshes]
    slot = [np.full(len(mesh.points), s) for mesh, s in zip(meshes, slots, strict=True)]
    open_ = []
    turn, shift = stance[:3, :3], stance[:3, 3]
    at, out, slots_at = (np.concatenate(x) for x in (points, normals, slot))
    cells, keep = _cells(at, out, radius_mm)
    points, normals, slot = [at[keep]], [out[keep]], [slots_at[keep]]
    inner = [np.full(len(shell.mesh.points), shell.solid.startswith(BEHIND)) for shell in body.shells]
    behind = np.flatnonzero(np.concatenate(inner)[keep])
    lattices = {}
    for sheet in body.sheets:
        p, n, t, size = sampled(sheet)
        lattices[sheet.side.name] = Lattice(sum(len(x) for x in points), *size, sheet.side.domain.bounds)
        points.append(p)
        normals.append(n)
        slot.append(np.full(len(p), SLOTS[sheet.slot]))
        if sheet.slot not in panes:
            open_.append(_beside_panes(sheet, t, panes))
    at = np.concatenate(points) @ turn.T + shift
    out = np.concatenate(normals) @ turn.T
    slots_at = np.concatenate(slot)
    caster = Caster(_tracer_of_body(body, panes, open_), stance)
    axes = np.stack([base.along, np.cross(base.normal, base.along), base.normal])
    under = base.under(middle)
    half = GROUND_REACH * radius_mm
    grid = (np.arange(GROUND_CELLS) + 0.5) / GROUND_CELLS * 2 - 1
    u, v = np.meshgrid(grid * half, grid * half)
    floor = under + u.reshape(-1, 1) * axes[0] + v.reshape(-1, 1) * axes[1]
    all_points = np.concatenate([at, floor])
    all_normals = np.concatenate([out, np.broadcast_to(base.normal, floor.shape)])
    directions = _hemisphere(all_normals, rays)
    # points lie on the true surface, the coarse mesh runs a little above it where that is hollow
    lift = max(LIFT_MM, LIFT_SHARE * radius_mm)
    narrow = np.zeros(len(at))
    for lattice in lattices.values():
        narrow[lattice.points] = NARROW * lattice.step_mm
    kind, target, hidden, seen = _cast(
        caster, all_points, all_normals, directions, narrow, under, axes, half, lift
    )
    within = np.zeros(len(all_points), dtype=bool)
    within[behind] = True
    return Hits(
        all_points,
        all_normals,
        len(at),
        kind,
        target,
        _sky(kind, directions),
        np.concatenate([slots_at, np.full(len(floor), GROUND_ROW)]),
        _lamp(body, caster, all_points + lift * all_normals, all_normals, LAMP_POINTS[rays]),
        caster,
        cells,
        axes,
        under,
        half,
        lattices,
        lift,
        _covered(caster, floor, base.normal, half),
        hidden,
        seen,
        within,
    )


def _lamp(body: Body, caster: Caster, points: Array, normals: Array, count: int) -> Array:
    """``Hits.lamp``: ``count`` of its triangles, spread evenly over its area, stand for it."""
    meshes = [shell.mesh for shell in body.shells if shell.slot == "lamp"]
    arrives = np.zeros(len(points))
    if not meshes:
        return arrives
    whole = join(meshes).moved(caster.stance)
    corners = whole.points[whole.faces]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = np.linalg.norm(across, axis=1) / 2
    runs = (np.arange(count) + 0.5) / count * areas.sum()
    for face in np.searchsorted(np.cumsum(areas), runs):
        way, far, lit = _faced(points, normals, corners[face].mean(axis=0), unit(across[face]))
        # close to it, its points are not it
        lit *= areas.sum() / count / np.pi / np.maximum(far**2, areas.sum())
        reached = np.flatnonzero(lit > 0)
        met = caster.distance(points[reached], way[reached]) > 0.99 * far[reached]
        arrives[reached[met]] += lit[reached[met]]
    return arrives


def _faced(points: Array, normals: Array, spot: Array, facing: Array) -> tuple[Array, Array, Array]:
    """The way from each surface point (n, 3) to a spot that faces so (3,), how far it is, and how much both
    are turned to each other: the product of the cosines, (n,)."""
    way = spot - points
    far = np.linalg.norm(way, axis=1)
    way /= np.maximum(far, 1e-9)[:, None]
    turned = np.clip(np.einsum("ij,ij->i", way, normals), 0, None) * np.clip(-(way @ facing), 0, None)
    return way, far, turned


def _covered(caster: Caster, floor: Array, normal: Array, half: float) -> Array:
    """On which points of the ground's grid something thin lies, whose top is less than a share of a cell
    above it, (n,) of bool."""
    most = COVERED * 2 * half / GROUND_CELLS
    down = np.broadcast_to(-normal, floor.shape)
    far = caster.distance(floor + 2 * half * normal, down)
    return np.asarray(np.abs(far - 2 * half) < most)


CELLS = 32  # in the radius of the piece


def _cells(points: Array, normals: Array, radius_mm: float) -> tuple[Cells, Array]:
    """The cells of space and direction that points are in, and the number of one point of each."""
    cell = radius_mm / CELLS
    keys, index = np.unique(_cell_keys(points, normals, cell), return_index=True)
    return Cells(cell, keys), index


def _cell_keys(points: Array, normals: Array, cell: float) -> Array:
    """A number for each cell of space (1024 each way about the origin) and direction (7 each way)."""
    x, y, z = np.clip(np.rint(points.T / cell).astype(np.int64), -512, 511) + 512
    a, b, c = np.rint(normals.T * 3).astype(np.int64) + 3
    return np.asarray((((((x << 10) | y) << 10) | z) * 7 + a) * 49 + b * 7 + c)


def _hemisphere(normals: Array, rays: int) -> Array:
    """Cosine-weighted directions about each normal, (n, rays, 3), the same pattern for all.

    Hammersley points on a disc lifted to the hemisphere; one pattern makes the result smooth.
    """
    i = np.arange(rays)
    radical = np.array([int(f"{k:06b}"[::-1], 2) / 64 for k in i]) + 0.5 / 64
    r, angle = np.sqrt((i + 0.5) / rays), 2 * np.pi * radical
    pattern = np.stack([r * np.cos(angle), r * np.sin(angle), np.sqrt(1 - r * r)], axis=1)
    helper = np.where(np.abs(normals[:, 2:]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    side = np.cross(helper, normals)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    frames = np.stack([side, np.cross(normals, side), normals], axis=1)
    first, second, third = (pattern[:, k, None] * frames[:, None, k] for k in range(3))
    return np.asarray(first + second + third)


def _cast(
    caster: Caster,
    points: Array,
    normals: Array,
    directions: Array,
    narrow: Array,
    under: Array,
    axes: Array,
    half: float,
    lift: float,
) -> tuple[Array, Array, Array, Seen]:
    """Kind and target of each ray (n, rays), which of the piece's points are hidden (pieces,), and those
    that are not buried. ``narrow`` (pieces,): what many rays of a point end at within so many mm hides it.
    """
    count, pieces = len(points), len(narrow)
    rays = directions.shape[1]
    origins = np.repeat(points + lift * normals, rays, axis=0)
    ways = directions.reshape(-1, 3)
    distance = caster.distance(origins, ways)
    struck = distance < 1e6
    down = ways @ axes[2]
    with np.errstate(divide="ignore", invalid="ignore"):
        to_ground = ((under - origins) @ axes[2]) / down
    on_ground = (down < -1e-6) & (to_ground > 0) & ~(struck & (distance < to_ground))
    on_piece = struck & ~on_ground
    kind = np.where(on_piece, PIECE, np.where(on_ground, GROUND, NOTHING)).astype(np.int8)
    met = np.where(on_piece, distance, np.inf).reshape(count, rays)[:pieces]
    buried = (met < NEARLY * lift).mean(axis=1) > BURIED
    crowded = (met < narrow[:, None]).mean(axis=1) > CROWDED
    # the two faces of a wall are as close as the points on one: what faces the other way is not near
    turned = max(TURNED_MM, TURNED_SHARE * half / GROUND_REACH)
    seen = Seen(points[:pieces], normals[:pieces], buried, STANDS_IN * NEARLY * lift, turned)
    # what is buried meets itself: nobody asks for its light
    target = np.repeat(np.arange(count, dtype=np.int32), rays)
    asks = on_piece & ~np.repeat(np.append(buried, np.zeros(count - pieces, dtype=bool)), rays)
    # the surface that is struck faces the ray: look for a gathering point on that side
    target[asks] = seen.near(origins[asks] + distance[asks, None] * ways[asks], -0.6 * ways[asks])[1]
    away = origins[on_ground] + to_ground[on_ground, None] * ways[on_ground] - under
    cell = [
        np.clip(np.floor((away @ axes[i] / half + 1) / 2 * GROUND_CELLS), 0, GROUND_CELLS - 1)
        for i in range(2)
    ]
    target[on_ground] = pieces + (cell[1] * GROUND_CELLS + cell[0]).astype(np.int32)
    return kind.reshape(count, rays), target.reshape(count, rays), buried | crowded, seen


def gather(
    hits: Hits, room: Room, panel: Panel | None, albedos: Array, lamp: Array, panes: float = 1.0
) -> Gathered:
    """Apply light to the remembered hits. albedos (k, 3): of each slot and, last, the ground; ``lamp``
    (3,): the radiance of one in a room behind glass; ``panes``: the share of light that its panes let
    through."""
    seen = _softened(room)
    direct = hits.sky @ seen
    if hits.kind.shape[1] == QUICK_RAYS:
        direct = direct * _missed(hits, seen)
    direct[hits.behind] *= panes
    direct = direct + hits.lamp[:, None] * np.where(hits.behind, 1.0, panes)[:, None] * lamp
    key, lit = np.zeros_like(direct), np.ones(len(direct))
    if panel is not None:
        key, lit = _panel_light(hits, panel)
        key[hits.behind] *= panes
    reflect, met = albedos[hits.slot], hits.met(panes)
    light = direct
    for _ in range(BOUNCES):
        light = direct + met @ ((light + key) * reflect)
    clear = (hits.kind != PIECE).mean(axis=1)
    return Gathered(hits, light, key, lit, clear)


def _missed(hits: Hits, seen: Array) -> Array:
    """By how much more or less RAYS rays would bring from an open sky than QUICK_RAYS do, (n, 3): few miss
    a sunset, and all alike. ``seen``: what ``_softened`` gives."""
    which, *skies = hits.open_skies
    few, many = (sky @ seen for sky in skies)
    share = np.where(few > 1e-9, many / np.maximum(few, 1e-9), 1.0)
    return np.asarray(np.clip(share, 0.5, 2.0)[which])


def _softened(room: Room) -> Array:
    """The room averaged to 32 x 16 blocks, so that few rays see all of it without noise, as it stands round
    the piece: SKY pixels row by row, (n, 3)."""
    return room.coarser(16, 32).seen(directions_of(*SKY))


def _panel_light(hits: Hits, panel: Panel) -> tuple[Array, Array]:
    """Irradiance / pi from the panel at the gathering points, shadowed (n, 3), and how much of it is not,
    (n,)."""
    side, up = panel.edges
    count = PANEL_POINTS[hits.kind.shape[1]]
    steps = (np.arange(count) + 0.5) / count * 2 - 1
    whole, open_ = np.zeros(len(hits.points)), np.zeros(len(hits.points))
    start = hits.points + hits.lift_mm * hits.normals
    for du, dv in product(steps * panel.half[0], steps * panel.half[1]):
        spot = panel.middle + du * side + dv * up
        way, far, lit = _faced(start, hits.normals, spot, panel.facing)
        lit *= panel.area / far**2 / np.pi
        blocked = hits.caster.distance(start, way) < 1e6
        whole += lit
        open_ += np.where(blocked, 0.0, lit)
    share = np.where(whole > 1e-12, open_ / np.maximum(whole, 1e-12), 1.0)
    return open_[:, None] * panel.radiance / count**2, share
