"""Charts of a free mesh: a flat area as it is, or the surface round any spot, unrolled.

Round a spot the geodesic log map gives each point the distance and the direction in which it is reached
along the surface; it is quick, and true along every line through the spot. At rest the least-squares
conformal map of the same patch takes its place: letters keep their shape everywhere and change in size
only where the surface bends both ways. Both are turned and sized so that they agree at the spot.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import Area, FreeMesh, RoundArea
from kilnchisel.core.blanks.mesh import border_edges, compacted, doubled_areas, joined_faces, neighbours
from kilnchisel.core.blanks.sides import principal_stretches
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.later import sparse, sparse_linalg, spatial
from kilnchisel.core.laying.beam import FACING
from kilnchisel.core.laying.chart import GAP, Chart
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

FEW = 12000  # triangles that are mapped conformally in a hurry, too
STRAINED = (0.4, 2.5)  # stretch beyond which a face of the log map lies across a fold of it
X, Y, Z = np.eye(3)


def right_and_up(normal: Array) -> tuple[Array, Array]:
    """The directions that read right and up on a surface that looks along ``normal``: up is the world's
    up, or away from the reader where the surface lies level."""
    helper = Z if abs(normal[2]) < 0.94 else (Y if normal[2] > 0 else -Y)
    right = np.cross(helper, normal)
    right /= np.linalg.norm(right)
    return right, np.cross(normal, right)


def flat_chart(mesh: FreeMesh, name: str) -> Chart:
    """The chart of one of the mesh's flat or round areas. Raises KilnError naming those there are."""
    for area in mesh.areas:
        if area.name == name:
            right, up = right_and_up(area.normal)
            faces = np.concatenate([area.faces, *_level_with(mesh, area)])
            return _planar(mesh, name, faces, area.middle, right, up, area.normal)
    for round_ in mesh.round_areas:
        if round_.name == name:
            return _round_chart(mesh, round_)
    known = [area.name for area in mesh.areas] + [area.name for area in mesh.round_areas]
    names = ", ".join(f"“{one}”" for one in known) or "no plain area"
    raise KilnError(f"This mesh has no side “{name}”; it has {names} and any spot.")


def _level_with(mesh: FreeMesh, area: Area) -> list[Array]:
    """The faces of other flat areas in the same plane: letters go on across the gap to them."""
    size = float(np.ptp(mesh.points, axis=0).max())
    return [
        other.faces
        for other in mesh.areas
        if other is not area
        and other.normal @ area.normal > LEVEL
        and abs((other.middle - area.middle) @ area.normal) < LEVEL_MM + 1e-4 * size
    ]


LEVEL, LEVEL_MM = np.cos(np.radians(0.3)), 0.02


def _round_chart(mesh: FreeMesh, area: RoundArea) -> Chart:
    """A cylinder unrolled exactly, u = 0 at the front (or above, where it lies), opened opposite.

    u is the angle times the mean distance of the corners from the axis, so that widths are those of the
    mesh itself.
    """
    front = -Y - (-Y @ area.axis) * area.axis
    if np.linalg.norm(front) < 0.3:
        front = Z - (Z @ area.axis) * area.axis
    front /= np.linalg.norm(front)
    side = np.cross(area.axis, front) * (-1.0 if area.inside else 1.0)
    used, corners = compacted(mesh.faces[area.faces], len(mesh.points))
    away = mesh.points[used] - area.centre
    angle = np.arctan2(away @ side, away @ front)
    # faces across the opening have corners on both sides of it
    whole = np.ptp(angle[corners], axis=1) < np.pi
    uv = np.stack([area.radius_mm * angle, away @ area.axis], axis=1)
    wall = _thickness(mesh, mesh.points[used[0]], mesh.normals[used[0]])
    out = away - (away @ area.axis)[:, None] * area.axis
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)
    normals = -out if area.inside else out
    return Chart(area.name, mesh, area.faces[whole], corners[whole], uv, mesh.points[used], normals, wall)


def _planar(
    mesh: FreeMesh, name: str, faces: Array, middle: Array, right: Array, up: Array, normal: Array | None
) -> Chart:
    used, corners = compacted(mesh.faces[faces], len(mesh.points))
    away = mesh.points[used] - middle
    uv = np.stack([away @ right, away @ up], axis=1)
    normals = mesh.normals[used] if normal is None else np.broadcast_to(normal, away.shape).copy()
    wall = _thickness(mesh, middle, np.cross(right, up))
    return Chart(name, mesh, faces, corners, uv, mesh.points[used], normals, wall)


def _thickness(mesh: FreeMesh, spot: Array, normal: Array) -> float:
    """Material behind a spot, mm, straight in."""
    found = mesh.hit(spot - 1e-3 * normal, -normal)
    far = 1e9 if found is None else float(np.linalg.norm(found[0] - spot))
    return max(far, 0.02)


ANY_SPOT = "any spot"


def chart_for(mesh: FreeMesh, lay: Lay, reach_mm: float, *, detail: Detail = Detail.FINE) -> Chart:
    """The chart that a lettering lies on; ``reach_mm``: how far it comes from its middle.

    FINE: as good as can be had; otherwise as quick. Raises KilnError for a side the mesh does not
    have and for a surface that cannot be unrolled.
    """
    if lay.side != ANY_SPOT:
        return flat_chart(mesh, lay.side)
    # a longer word does not need another patch each time
    step = 1.25 ** np.ceil(np.log(max(reach_mm, 1e-3)) / np.log(1.25))
    return spot_chart(mesh, lay.spot or first_spot(mesh), float(step), lay.wrap, detail=detail)


@remembered
def first_spot(mesh: FreeMesh) -> tuple[float, float, float]:
    """Where a lettering goes at first: the middle of what is seen from the front."""
    high, deep = float(mesh.points[:, 2].max()), float(np.abs(mesh.points[:, 1]).max())
    for share in (0.5, 0.35, 0.65, 0.2, 0.8):
        found = mesh.hit(np.array([0.0, -4 * deep - 1.0, share * high]), Y)
        if found is not None:
            return tuple(round(float(x), 3) for x in found[0])  # type: ignore[return-value]
    spot = mesh.points[mesh.points[:, 1].argmin()]
    return tuple(round(float(x), 3) for x in spot)  # type: ignore[return-value]


def spot_chart(
    mesh: FreeMesh,
    spot: tuple[float, float, float],
    reach_mm: float,
    wrap: str = "follow",
    *,
    detail: Detail,
) -> Chart:
    """The chart round a spot of the surface, ``reach_mm`` each way.

    wrap "follow": unrolled; ROUGH: about a spot near by, so that most steps of a move need no map
    of their own. "project": seen straight on from the spot's own direction and trimmed where the body
    turns away. "own map": by the file's own coordinates, true to size near the spot. Raises KilnError
    where that cannot be.
    """
    if detail.rough and wrap == "follow":
        chart = _from_near_by(mesh, np.array(spot), reach_mm)
        if chart is not None:
            return chart
    return _chart_at(mesh, spot, reach_mm, wrap, detail=detail)


@remembered
def _chart_at(
    mesh: FreeMesh, spot: tuple[float, float, float], reach_mm: float, wrap: str, *, detail: Detail
) -> Chart:
    at = np.array(spot)
    face = mesh.nearest(at)
    at = on_plane(at, mesh.points[mesh.faces[face]])
    normal = mesh.face_normals[face]
    right, up = right_and_up(normal)
    if wrap == "project":
        faces = _seen(mesh, face, at, normal, right, up, reach_mm)
        return _planar(mesh, ANY_SPOT, faces, at, right, up, None)
    own = wrap == "own map"
    patch = _patch(mesh, face, (float(at[0]), float(at[1]), float(at[2])), reach_mm, own=own, detail=detail)
    row = int(np.flatnonzero(patch.faces[patch.sound] == face)[0])
    uv = _centred(patch, row, at, 0.35 * reach_mm)
    return _chart(mesh, patch.faces[patch.sound], patch.used, uv, at, normal)


NEAR_BY = 0.3  # of the reach: how far apart the spots are that maps are made about in a hurry


def _from_near_by(mesh: FreeMesh, spot: Array, reach_mm: float) -> Chart | None:
    """A chart round a spot, cut out of the map about a spot near by and turned upright; None where that
    map does not hold it. Such a map is nearly conformal, so that little depends on its middle."""
    cell = NEAR_BY * reach_mm
    middle = mesh.nearest(np.rint(spot / cell) * cell)
    x, y, z = (float(x) for x in mesh.points[mesh.faces[middle]].mean(axis=0))
    patch = _patch(mesh, middle, (x, y, z), reach_mm, own=False, detail=Detail.ROUGH)
    face = mesh.nearest(spot)
    rows = np.flatnonzero(patch.faces[patch.sound] == face)
    if len(rows) == 0:
        return None
    at, normal = on_plane(spot, mesh.points[mesh.faces[face]]), mesh.face_normals[face]
    points = mesh.points[patch.used]
    near = np.linalg.norm(points - at, axis=1) <= 0.35 * reach_mm
    near[patch.corners[patch.sound[rows[0]]]] = True
    right, up = right_and_up(normal)
    away = points - at
    seen = np.stack([away @ right, away @ up], axis=1)
    turned = replace(patch, uv=_agreeing(patch.uv, seen, near))
    uv = _centred(turned, int(rows[0]), at, 0.35 * reach_mm)
    return _chart(mesh, patch.faces[patch.sound], patch.used, uv, at, normal)


@dataclass(frozen=True, eq=False)
class _Patch:
    """Faces of a mesh (k,) with the corners (k, 3) of each among the points ``used``, their flat
    coordinates uv, and the rows of the faces that the map neither turns over nor tears."""

    faces: Array
    used: Array
    corners: Array
    points: Array
    uv: Array
    sound: Array


@remembered
def _patch(
    mesh: FreeMesh,
    face: int,
    spot: tuple[float, float, float],
    reach_mm: float,
    *,
    own: bool,
    detail: Detail,
) -> _Patch:
    """The surface round a spot of a face, unrolled, or by the file's ``own`` map."""
    at = np.array(spot)
    right, up = right_and_up(mesh.face_normals[face])
    faces = _near(mesh, face, at, 1.3 * reach_mm)
    used, corners = compacted(mesh.faces[faces], len(mesh.points))
    points = mesh.points[used]
    row = int(np.flatnonzero(faces == face)[0])
    if own:
        uv = _own_map(mesh, used, corners, row)
        return _Patch(faces, used, corners, points, uv, _sound(points, corners, uv, row))
    if detail.rough and len(faces) <= FEW:
        seen = np.stack([(points - at) @ right, (points - at) @ up], axis=1)
        uv = _conformal(points, corners, seen, 0.35 * reach_mm)
        uv *= _true_at_spot(points, corners, uv, 0.35 * reach_mm, np.arange(len(corners)) == row)
        return _Patch(faces, used, corners, points, uv, _sound(points, corners, uv, row))
    source = int(corners[row][_share(at, points[corners[row]]).argmax()])
    uv = log_map(points, corners, source, right, up, detail=detail)
    sound = _sound(points, corners, uv, row)
    if detail.fine:
        kept, compact = compacted(corners[sound], len(points))
        uv[kept] = _conformal(points[kept], compact, uv[kept], 0.5 * reach_mm)
    return _Patch(faces, used, corners, points, uv, sound)


def _conformal(points: Array, corners: Array, start: Array, reach: float) -> Array:
    """The conformal map that agrees best with another within ``reach`` of its middle."""
    near = np.linalg.norm(start, axis=1) <= reach
    whole = near if near.sum() >= 4 else np.ones(len(start), dtype=bool)
    return _agreeing(conformal_map(points, corners, start), start, whole)


def _centred(patch: _Patch, row: int, at: Array, reach: float) -> Array:
    """A patch's coordinates with a spot of sound face ``row`` at (0, 0), areas near it being true."""
    corners = patch.corners[patch.sound]
    uv = patch.uv - _share(at, patch.points[corners[row]]) @ patch.uv[corners[row]]
    return np.asarray(
        uv * _true_at_spot(patch.points, corners, uv, reach, row=np.arange(len(corners)) == row)
    )


def _true_at_spot(points: Array, corners: Array, uv: Array, reach: float, row: Array) -> float:
    """How much a map must grow so that areas near the spot are true."""
    middles = uv[corners].mean(axis=1)
    near = (np.linalg.norm(middles, axis=1) <= reach) | row
    a, b, c = (points[corners[near, i]] for i in range(3))
    real = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
    flat = abs(float(doubled_areas(uv, corners[near]).sum()))
    return float(np.sqrt(real / max(flat, 1e-30)))


def _own_map(mesh: FreeMesh, used: Array, corners: Array, row: int) -> Array:
    """The file's surface map in mm, upright as its v runs, unmirrored."""
    if mesh.surface_map is None:
        raise KilnError("This mesh brings no surface map; let the letters follow the surface.")
    flat = mesh.surface_map[used].copy()
    doubled = doubled_areas(flat, corners)
    if doubled[row] < 0:
        flat[:, 0] *= -1
    p, q, r = (mesh.points[used][corners[:, i]] for i in range(3))
    real = np.linalg.norm(np.cross(q - p, r - p), axis=1)
    return np.asarray(flat * np.sqrt(real.sum() / max(float(np.abs(doubled).sum()), 1e-30)))


def _chart(mesh: FreeMesh, faces: Array, used: Array, uv: Array, at: Array, normal: Array) -> Chart:
    """A chart of faces of the mesh, ``uv`` being that of the points ``used``."""
    own, corners = compacted(mesh.faces[faces], len(mesh.points))
    flat = uv[np.searchsorted(used, own)]
    wall = _thickness(mesh, at, normal)
    return Chart(ANY_SPOT, mesh, faces, corners, flat, mesh.points[own], mesh.normals[own], wall)


def on_plane(spot: Array, triangle: Array) -> Array:
    """The point (3,) of a triangle's plane that is nearest to a spot."""
    normal = np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])
    return np.asarray(spot - normal * float((spot - triangle[0]) @ normal) / float(normal @ normal))


def _share(spot: Array, triangle: Array) -> Array:
    """Barycentric shares of a spot in a triangle, none below zero, (3,)."""
    a, b, c = triangle
    flat = np.stack([b - a, c - a], axis=1)
    rest = np.clip(np.linalg.lstsq(flat, spot - a, rcond=None)[0], 0, 1)
    rest = rest / max(float(rest.sum()), 1.0)
    return np.array([1 - rest.sum(), *rest])


def _near(mesh: FreeMesh, face: int, at: Array, reach: float) -> Array:
    """Faces that come within ``reach`` of the spot and hang together with its own."""
    faces = mesh.within(at, reach)
    while True:
        faces = _joined(mesh.faces[faces], faces, int(np.flatnonzero(faces == face)[0]))
        # where the patch hangs together by a point only, what meets there is left out
        edges = border_edges(mesh.faces[faces])
        starts, times = np.unique(edges[:, 0], return_counts=True)
        pinched = np.isin(mesh.faces[faces], starts[times > 1]).any(axis=1) & (faces != face)
        if not pinched.any():
            return faces
        faces = faces[~pinched]


def _joined(corners: Array, names: Array, first: int) -> Array:
    """The names of the triangles that hang together with the one in row ``first``."""
    _, label = joined_faces(neighbours(corners), len(corners))
    return np.asarray(names[label == label[first]])


MANY = 1_500  # triangles from which a map is worked out beside this process, which would stand still for it


def log_map(
    points: Array, corners: Array, source: int, right: Array, up: Array, *, detail: Detail
) -> Array:
    """Flat coordinates (n, 2) of a patch's points: how far and which way along the surface each is from
    point ``source``, by the directions ``right`` and ``up`` there.

    FINE takes ten times as long and strays a tenth as far. Raises KilnError where the surface is torn.
    """
    order = (points, corners, source, right, up, detail)
    if len(corners) < MANY:
        return log_map_here(*order)
    made: Array = gate.read(f"{__name__}:log_map_here", "The unrolled surface", *order, doing="make")
    return made


def log_map_here(
    points: Array, corners: Array, source: int, right: Array, up: Array, detail: Detail
) -> Array:
    """The same, worked out here and now.

    By heat, vectors carried along (Sharp, Soliman and Crane 2019).
    """
    import potpourri3d

    try:
        solver = potpourri3d.MeshVectorHeatSolver(points, corners)
        flat = np.asarray(
            solver.compute_log_map(source, strategy="AffineLocal" if detail.fine else "VectorHeat")
        )
        ways = [np.asarray(frame)[source] for frame in solver.get_tangent_frames()[:2]]
    except (RuntimeError, ValueError) as error:
        raise KilnError(f"The surface cannot be unrolled here ({error}); try another spot.") from None
    if not np.isfinite(flat).all():
        raise KilnError("The surface cannot be unrolled here; choose another spot.")
    turn = np.array([[way @ right for way in ways], [way @ up for way in ways]])
    # the frame there lies in its own tangent plane: only its turn counts
    left, _, other = np.linalg.svd(turn)
    return np.asarray(flat @ (left @ other).T)


def _laid_down(points: Array, corners: Array) -> tuple[Array, Array, Array]:
    """Each triangle laid flat, its corners at (0, 0), (e1, 0) and (x, y): those three, (m,) each."""
    p, q, r = (points[corners[:, i]] for i in range(3))
    e1 = np.linalg.norm(q - p, axis=1)
    along = (q - p) / np.maximum(e1, 1e-30)[:, None]
    x = np.einsum("ij,ij->i", r - p, along)
    return e1, x, np.linalg.norm(r - p - x[:, None] * along, axis=1)


def _sound(points: Array, corners: Array, uv: Array, row: int) -> Array:
    """Rows of the triangles that the map neither turns over nor tears, together with the spot's own."""
    e1, x, y = _laid_down(points, corners)
    a, b, c = (uv[corners[:, i]] for i in range(3))
    flat = np.stack([b - a, c - a], axis=2)
    own = np.zeros_like(flat)
    own[:, 0, 0], own[:, 0, 1], own[:, 1, 1] = e1, x, np.maximum(y, 1e-30)
    step = flat @ np.linalg.inv(own)
    stretch = principal_stretches(step)
    upright = np.linalg.det(step) > 0
    good = upright & (stretch[:, 0] > STRAINED[0]) & (stretch[:, 1] < STRAINED[1])
    good[row] = True
    rows = np.flatnonzero(good)
    return _joined(corners[rows], rows, int(np.flatnonzero(rows == row)[0]))


def conformal_map(points: Array, corners: Array, start: Array) -> Array:
    """The least-squares conformal map of a patch, (n, 2), two far points held where ``start`` has them.

    Lévy, Petitjean, Ray and Maillot 2002: for each triangle the sum of W_j U_j over its corners is to
    vanish, W_j the opposite side as a complex number over the root of twice the area.
    """
    e1, x, y = _laid_down(points, corners)
    y = np.maximum(y, 1e-12 * e1 + 1e-30)
    zero = np.zeros_like(e1)
    spots = np.stack([zero + 0j, e1 + 0j, x + 1j * y], axis=1)
    root = np.sqrt(e1 * y)[:, None]
    weight = (np.roll(spots, -2, axis=1) - np.roll(spots, -1, axis=1)) / root
    count, faces = len(points), len(corners)
    row = np.repeat(np.arange(faces), 3)
    system = sparse.coo_matrix((weight.ravel(), (row, corners.ravel())), shape=(faces, count)).tocsc()
    first = int(np.argmin(start[:, 0]))
    held = np.array([first, int(np.argmax(((start - start[first]) ** 2).sum(axis=1)))])
    flat = start[:, 0] + 1j * start[:, 1]
    free = np.setdiff1d(np.arange(count), held)
    moving, fixed = system[:, free], system[:, held]
    turned = moving.conj().T
    # Hermitian and positive: no pivoting, and an ordering that keeps it sparse
    try:
        factor = sparse_linalg.splu(
            (turned @ moving).tocsc(),
            permc_spec="MMD_AT_PLUS_A",
            diag_pivot_thresh=0.0,
            options={"SymmetricMode": True},
        )
    except RuntimeError:  # singular: faces without area; the first map has to do
        return start
    flat[free] = factor.solve(-(turned @ (fixed @ flat[held])))
    return np.stack([flat.real, flat.imag], axis=1)


def _agreeing(flat: Array, wanted: Array, near: Array) -> Array:
    """A map turned, sized and moved as a whole until it agrees best with another near the spot."""
    own = flat[near, 0] + 1j * flat[near, 1]
    want = wanted[near, 0] + 1j * wanted[near, 1]
    away, goal = own - own.mean(), want - want.mean()
    factor = (np.conj(away) @ goal) / (np.conj(away) @ away)
    whole = (flat[:, 0] + 1j * flat[:, 1] - own.mean()) * factor + want.mean()
    return np.stack([whole.real, whole.imag], axis=1)


def _seen(
    mesh: FreeMesh, face: int, at: Array, normal: Array, right: Array, up: Array, reach: float
) -> Array:
    """Faces seen straight on within ``reach``, none in front of them, hanging together with the spot's or
    across a gap from those that do."""
    near = mesh.within(at, 1.6 * reach)
    facing = near[mesh.face_normals[near] @ normal > FACING]
    middles = mesh.points[mesh.faces[facing]].mean(axis=1)
    away = middles - at
    inside = np.hypot(away @ right, away @ up) <= 1.5 * reach
    facing, middles = facing[inside], middles[inside]
    far = float(np.ptp(mesh.points, axis=0).max()) * 2
    rays = (middles + far * normal).astype(np.float32)
    ways = np.broadcast_to(-normal, rays.shape).astype(np.float32)
    first = np.asarray(mesh.tracer.run(rays, np.ascontiguousarray(ways)))
    kept = facing[(first == facing) | (facing == face)]
    if face not in kept:
        kept = np.append(kept, face)
    _, group = joined_faces(neighbours(mesh.faces[kept]), len(kept))
    own = int(group[np.flatnonzero(kept == face)[0]])
    waiting = [np.flatnonzero(group == other) for other in np.unique(group[group != own])]
    rows = np.flatnonzero(group == own)
    while waiting:
        tree = spatial.cKDTree(mesh.points[np.unique(mesh.faces[kept[rows]])])
        gaps = [tree.query(mesh.points[mesh.faces[kept[some]]].reshape(-1, 3))[0].min() for some in waiting]
        close = [some for some, gap in zip(waiting, gaps, strict=True) if gap < 2 * GAP * reach]
        if not close:
            break
        waiting = [some for some, gap in zip(waiting, gaps, strict=True) if gap >= 2 * GAP * reach]
        rows = np.concatenate([rows, *close])
    return np.asarray(kept[np.sort(rows)])
