"""Hard edges made slightly round, as those of anything real are: for pictures, never for solids.

Where two faces meet in an edge that stands out, a strip along it on both sides is bent round it: the edge
is moved in to where a round that touches both faces lies, and the normals turn over the strips. Triangles
are divided where a strip ends. Every edge is divided once for all that lie on it, so what closed still
closes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, join, joined_faces, unit, weld_keys
from kilnchisel.core.later import spatial
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

SHARP = np.cos(np.radians(25.0))  # faces whose normals differ by more meet in an edge
OF_WIDTH = 0.2  # a strip's greatest share of the mean width of the face it lies on
BLUNT = 0.35  # the least such cosine that counts: points of needles do not move without end
STEEPEST = 1.5  # the strip's greatest width in radii, at edges sharper than a right angle
SAMPLE = 3.0  # spacing of points along an edge, in strip widths
MOST_SAMPLES = 80_000
DEEP = 0.3  # of the narrowest strip: a face along an edge that goes less deep is all strip
CORNER = 0.985  # an edge whose own middle normal differs by more from its end's begins there anew
MIXED = np.array([-7046029254386353131, 7142972743221084185, 2685821657736338717])  # odd, of 64 bits
OUTSIDE = 0.85  # of a strip's width: what lies so far from the edge counts as beyond it
REACHED, ROUNDS = 0.9, 14
UNTURNS = 3


@remembered
def eased(meshes: tuple[Mesh, ...], radii: tuple[float, ...], least_mm: float) -> tuple[Mesh, ...]:
    """Meshes that together make a body, with their edges eased by radii, mm (0: this one's are left).

    Edges that go in, open ones and those of three faces stay as they are. A radius is less where a face
    is narrow; edges that would be rounder by less than ``least_mm`` stay as they are. A mesh of which no
    edge is eased comes back itself.
    """
    chosen = [number for number, radius in enumerate(radii) if radius > 0 and len(meshes[number].faces)]
    found = list(meshes)
    if chosen:
        made = _Easing([meshes[n] for n in chosen], [radii[n] for n in chosen], least_mm).meshes()
        for number, mesh in zip(chosen, made, strict=True):
            found[number] = mesh
    return tuple(found)


@dataclass(frozen=True, eq=False)
class _Edges:
    """The edges of welded triangles: ends (n, 2) ascending; of each half-edge (3 m,) its edge; of those
    that two faces share one way each, the half-edges (k, 2) and the edges (k,)."""

    ends: Array
    of_half: Array
    pairs: Array
    shared: Array


def _edges(corners: Array) -> _Edges:
    half = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2)
    low, high = half.min(axis=1), half.max(axis=1)
    key = low * (int(corners.max()) + 1) + high
    order = np.argsort(key, kind="stable")
    fresh = np.append(True, key[order][1:] != key[order][:-1])
    of_half = np.empty(len(key), dtype=np.int64)
    of_half[order] = np.cumsum(fresh) - 1
    first = np.flatnonzero(fresh)
    count = np.diff(np.append(first, len(key)))
    two = first[count == 2]
    pairs = np.stack([order[two], order[two + 1]], axis=1)
    opposite = half[pairs[:, 0], 0] == half[pairs[:, 1], 1]
    pairs = pairs[opposite]
    ends = np.stack([low, high], axis=1)[order[first]]
    return _Edges(ends, of_half, pairs, of_half[pairs[:, 0]])


def _dot(a: Array, b: Array) -> Array:
    return np.asarray(np.einsum("...i,...i->...", a, b))


class _Easing:
    """One body being eased. A *group* is a smooth run of faces, bounded by edges."""

    def __init__(self, meshes: Sequence[Mesh], radii: Sequence[float], least_mm: float) -> None:
        self._sources = meshes
        whole = join(meshes)
        self._points, self._normals, self._uv = whole.points, whole.normals, whole.uv
        faces = whole.faces.astype(np.int64)
        self._owner = np.repeat(np.arange(len(meshes)), [len(mesh.faces) for mesh in meshes])
        keys = weld_keys(self._points) @ MIXED  # one number for each place, by chance never the same
        _, first, weld = np.unique(keys, return_index=True, return_inverse=True)
        self._places, self._place = self._points[first], weld
        corners = weld[faces]
        sound = (
            (corners[:, 0] != corners[:, 1])
            & (corners[:, 1] != corners[:, 2])
            & (corners[:, 2] != corners[:, 0])
        )
        self._faces, self._owner, self._corners = faces[sound], self._owner[sound], corners[sound]
        self._edges = _edges(self._corners)
        self._radius = np.asarray(radii)[self._owner]
        self._least = least_mm
        self._find_edges()

    def _find_edges(self) -> None:
        """Which shared edges are sharp, which of them stand out, the groups, and how wide each strip is."""
        edges, pairs = self._edges, self._edges.pairs
        face, local = np.divmod(pairs, 3)
        ahead = (local + 1) % 3
        start, end = self._faces[face, local], self._faces[face, ahead]  # mesh points at each half-edge
        # faces that have their points in common are smooth there
        apart = np.flatnonzero((start[:, 0] != end[:, 1]) | (end[:, 0] != start[:, 1]))
        start, end = self._normals[start[apart]], self._normals[end[apart]]  # (k, 2, 3)
        here, there = np.stack([start[:, 0], end[:, 1]], 1), np.stack([end[:, 0], start[:, 1]], 1)
        agree = (_dot(here[:, 0], here[:, 1]) + _dot(there[:, 0], there[:, 1])) / 2
        # a face that is a line has no normal, and no edge of its own
        told = (_dot(here, here) > 0.5).all(axis=1) & (_dot(there, there) > 0.5).all(axis=1)
        sharp = (agree < SHARP) & told
        here, there, agree, apart = here[sharp], there[sharp], agree[sharp], apart[sharp]
        smooth_pairs = np.ones(len(pairs), dtype=bool)
        smooth_pairs[apart] = False
        _, self._group = joined_faces(face[smooth_pairs], len(self._faces))
        smooth = np.zeros(len(edges.ends), dtype=bool)
        smooth[edges.shared[smooth_pairs]] = True
        face, local, ahead = face[apart], local[apart], ahead[apart]
        ways = self._places[self._corners[face[:, 0], ahead[:, 0]]]
        ways = ways - self._places[self._corners[face[:, 0], local[:, 0]]]
        turn = np.cross(here[:, 0], here[:, 1]) + np.cross(there[:, 0], there[:, 1])
        out = _dot(turn, ways) > 0
        count = int(self._group.max()) + 1
        a, b, c = (self._places[self._corners[:, n]] for n in range(3))
        areas = np.bincount(self._group, np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2, count)
        length = self._length = self._lengths()
        halves = np.flatnonzero(~smooth[edges.of_half])
        round_ = np.bincount(self._group[halves // 3], length[edges.of_half[halves]], count)
        most = np.full(count, np.inf)
        np.minimum.at(most, self._group, self._radius)
        most = np.minimum(most, OF_WIDTH * 2 * areas / np.maximum(round_, 1e-9))
        groups = self._group[face]
        wide = most[groups].min(axis=1)
        half = np.sqrt(np.clip((1 + agree) / 2, 0.05, 1))  # cosine of half the turn
        # a round of radius r touches the faces r times its slope from the edge
        slope = np.sqrt(1 - half**2) / half
        wide = wide * np.minimum(slope, STEEPEST)
        kept = out & (wide >= self._least)
        self._sharp = edges.shared[apart[kept]]  # the edges that are eased
        self._sharp_groups, self._wide = groups[kept], wide[kept]
        self._round = self._wide / slope[kept]
        # the middle normals at the lower and the higher end
        swapped = self._corners[face[kept, 0], local[kept, 0]] != edges.ends[self._sharp, 0]
        middle = np.stack([here[kept].sum(axis=1), there[kept].sum(axis=1)], axis=1)
        middle[swapped] = middle[swapped, ::-1]
        self._middle = unit(middle)
        sides = np.stack([here[kept], there[kept]], axis=1)  # (s, end, face, 3)
        sides[swapped] = sides[swapped, ::-1]
        self._sides = sides
        self._face = unit(sides.mean(axis=1))[:, 0]  # the first face's normal, in the middle of the edge

    def _lengths(self) -> Array:
        """Of all edges."""
        low, high = self._edges.ends.T
        return np.asarray(np.linalg.norm(self._places[high] - self._places[low], axis=1))

    def _open_corners(self) -> None:
        """Faces along eased edges get a point in the middle, from which lines go into the corners: where
        two strips meet in one, both end on such a line."""
        eased_ = np.zeros(len(self._edges.ends), dtype=bool)
        eased_[self._sharp] = True
        between = np.flatnonzero(eased_[self._edges.of_half].reshape(-1, 3).any(axis=1))
        a, b, c = (self._places[self._corners[between, n]] for n in range(3))
        sides = np.stack([np.linalg.norm(p - q, axis=1) for p, q in ((b, c), (c, a), (a, b))], axis=1)
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
        inner = 2 * area / np.maximum(sides.sum(axis=1), 1e-9)  # the radius of the circle within
        deep = inner > DEEP * self._wide.min()
        between, sides = between[deep], sides[deep]
        if len(between) == 0:
            return
        share = sides / sides.sum(axis=1, keepdims=True)  # the middle of that circle

        def middle(rows: Array, corners: Array) -> Array:
            return np.asarray(np.einsum("nk,nkj->nj", share, rows[corners[between]]))

        fresh = len(self._points) + np.arange(len(between))
        fresh_place = len(self._places) + np.arange(len(between))
        self._places = np.concatenate([self._places, middle(self._places, self._corners)])
        points, normals, uv = (middle(x, self._faces) for x in (self._points, self._normals, self._uv))
        self._points = np.concatenate([self._points, points])
        self._normals = np.concatenate([self._normals, unit(normals)])
        self._uv = np.concatenate([self._uv, uv])
        self._place = np.concatenate([self._place, fresh_place])
        kept = np.ones(len(self._faces), dtype=bool)
        kept[between] = False

        def divided(faces: Array, new: Array) -> Array:
            a, b, c = faces[between].T
            parts = np.concatenate([np.stack(x, axis=1) for x in ((a, b, new), (b, c, new), (c, a, new))])
            return np.concatenate([faces[kept], parts])

        self._faces, self._corners = divided(self._faces, fresh), divided(self._corners, fresh_place)
        self._owner, self._group = (
            np.concatenate([x[kept], np.tile(x[between], 3)]) for x in (self._owner, self._group)
        )
        ends = self._edges.ends[self._sharp]
        self._edges = _edges(self._corners)
        size = len(self._places)
        known = self._edges.ends @ (size, 1)  # ascending, as the edges are
        self._sharp = np.searchsorted(known, ends @ (size, 1))
        self._length = self._lengths()

    # the points along the edges, and how far anything is from them

    def _sample(self) -> None:
        """A tree over points along the eased edges, once for the group on either side."""
        ends, length = self._edges.ends[self._sharp], self._length[self._sharp]
        total = float((length / self._wide).sum()) / SAMPLE
        wider = max(total / MOST_SAMPLES, 1.0)
        count = np.ceil(length / (SAMPLE * wider * self._wide)).astype(np.int64)
        count = np.maximum(count, 1)
        edge = np.repeat(np.arange(len(ends)), count)
        step = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count)
        share = ((step + 0.5) / count[edge])[:, None]
        a, b = self._places[ends[edge, 0]], self._places[ends[edge, 1]]
        self._spots = a + share * (b - a)
        self._ways = unit(b - a)
        self._reach = length[edge] / count[edge] / 2
        self._spot_wide = self._wide[edge]
        self._spot_middle = unit((1 - share) * self._middle[edge, 0] + share * self._middle[edge, 1])
        self._spot_in = _inward(self._round[edge], _dot(self._spot_middle, self._face[edge]))
        self._apart = 40.0 * float(self._wide.max()) + 2 * float(self._reach.max())
        twice = np.concatenate([self._spots, self._spots])
        group = self._sharp_groups[edge].T.ravel()
        self._tree = spatial.cKDTree(np.column_stack([twice, group * self._apart]))

    def _near(self, points: Array, group: Array) -> tuple[Array, Array]:
        """Of points (n, 3) on faces of groups (n,): how far from the nearest eased edge of theirs, in
        widths of its strip, and the number of the nearest point along it (-1: none near)."""
        bound = float(np.hypot(1.5 * self._wide.max(), self._reach.max()))
        _, index = self._tree.query(
            np.column_stack([points, group * self._apart]), distance_upper_bound=bound, workers=-1
        )
        none = index >= self._tree.n
        spot = np.where(none, 0, index % len(self._spots))
        way = points - self._spots[spot]
        along = _dot(way, self._ways[spot])
        over = np.maximum(np.abs(along) - self._reach[spot], 0)
        square = np.maximum(_dot(way, way) - along**2, 0) + over**2
        far = np.sqrt(square) / self._spot_wide[spot]
        return np.where(none, np.inf, far), np.where(none, -1, spot)

    # what becomes of corners and edges

    def meshes(self) -> list[Mesh]:
        if len(self._sharp) == 0:
            return list(self._sources)
        self._open_corners()
        self._sample()
        self._judge_corners()
        self._divide()
        return self._made()

    def _judge_corners(self) -> None:
        """At each point of each mesh: how far into the strip it lies (0: on the edge, 1: outside), and
        the middle normal and the way in there."""
        size = len(self._places)
        count = int(self._group.max()) + 1
        group = np.zeros(len(self._points), dtype=np.int64)  # smooth faces alone share a point of a mesh
        group[self._faces.ravel()] = np.repeat(self._group, 3)
        place = self._place
        has_edge = np.zeros(count, dtype=bool)
        has_edge[self._sharp_groups.ravel()] = True
        share, middle, inward = np.ones(len(place)), np.zeros((len(place), 3)), np.zeros(len(place))
        strip = np.full(len(place), np.inf)  # how wide it is
        asked = np.flatnonzero(has_edge[group])
        far, spot = self._near(self._places[place[asked]], group[asked])
        inside = far < OUTSIDE
        asked, far, spot = asked[inside], far[inside], spot[inside]
        share[asked], middle[asked], strip[asked] = far, self._spot_middle[spot], self._spot_wide[spot]
        inward[asked] = self._spot_in[spot] * (1 - far) ** 2
        # on the edges themselves all that meet there count
        ends = self._edges.ends[self._sharp]
        total, lean = np.zeros((size, 3)), np.zeros(size)
        wide, least, many = np.full(size, np.inf), np.full(size, np.inf), np.zeros(size)
        for n in (0, 1):
            for axis in range(3):
                total[:, axis] += np.bincount(ends[:, n], self._sides[:, n, :, axis].sum(axis=1), size)
            np.minimum.at(wide, ends[:, n], self._wide)
            np.minimum.at(least, ends[:, n], self._round)
            many += np.bincount(ends[:, n], minlength=size)
        total = unit(total)
        for n in (0, 1):
            lean += np.bincount(
                ends[:, n], _dot(self._sides[:, n], total[ends[:, n], None]).sum(axis=1) / 2, size
            )
        lean = lean / np.maximum(many, 1)
        on = np.zeros(size, dtype=bool)
        on[ends.ravel()] = True
        self._on, self._total = on, total
        self._in = np.where(on, _inward(np.where(on, least, 0), lean), 0.0)
        # a group that has an eased edge at that place
        mine = np.isin(
            place * count + group,
            np.concatenate([ends[:, n] * count + self._sharp_groups[:, g] for n in (0, 1) for g in (0, 1)]),
        )
        share[mine], middle[mine], inward[mine] = 0.0, total[place[mine]], self._in[place[mine]]
        strip[mine] = wide[place[mine]]
        self._share, self._mid, self._inward, self._strip = share, middle, inward, strip
        self._at_end = wide

    def _divide(self) -> None:
        """Where each edge is divided: up to two places along it, as shares of its length from its lower
        end; NaN where not."""
        edges = self._edges
        cut = np.full((len(edges.ends), 2), np.nan)
        eased_ = np.zeros(len(edges.ends), dtype=bool)
        eased_[self._sharp] = True
        half = np.arange(len(edges.of_half))
        face, local = np.divmod(half, 3)
        lower = self._corners[face, local] == edges.ends[edges.of_half, 0]
        a = np.where(lower, self._faces[face, local], self._faces[face, (local + 1) % 3])
        b = np.where(lower, self._faces[face, (local + 1) % 3], self._faces[face, local])
        low_a, low_b = self._share[a] < 1, self._share[b] < 1
        # of an edge shorter than a strip is wide its ends tell enough
        wide = np.minimum(self._strip[a], self._strip[b])
        long = self._length[edges.of_half] > wide
        asked = np.flatnonzero((low_a | low_b) & long & ~eased_[edges.of_half])
        # one of two half-edges in one group is enough
        count = int(self._group.max()) + 1
        _, once = np.unique(edges.of_half[asked] * count + self._group[face[asked]], return_index=True)
        asked = asked[once]
        edge, group = edges.of_half[asked], self._group[face[asked]]
        p, q = self._places[edges.ends[edge, 0]], self._places[edges.ends[edge, 1]]
        both = low_a[asked] & low_b[asked]
        for n, low in ((0, low_a[asked]), (1, low_b[asked])):
            near = np.flatnonzero(low)
            begin, end = (p, q) if n == 0 else (q, p)
            along = self._strip_ends(begin[near], end[near], group[near], both[near])
            found = along if n == 0 else 1 - along
            held = np.isfinite(found)
            at, value = edge[near[held]], found[held]
            # where the groups on both sides want it, the nearer one holds
            pick = np.fmin if n == 0 else np.fmax
            pick.at(cut[:, n], at, value)
        meet = cut[:, 1] - cut[:, 0] < 1e-3
        cut[meet, 1] = np.nan
        # an edge of strips begins anew at a corner
        ends = edges.ends[self._sharp]
        for n in (0, 1):
            turned = _dot(self._middle[:, n], self._total[ends[:, n]]) < CORNER
            share = self._at_end[ends[:, n]] / self._length[self._sharp]
            on = turned & (share < 0.45)
            cut[self._sharp[on], n] = share[on] if n == 0 else 1 - share[on]
        self._cut = cut

    def _strip_ends(self, begin: Array, end: Array, group: Array, both: Array) -> Array:
        """How far along the ways from begin to end (n, 3) the strip ends, as shares of them, NaN where it
        does not: at most half way where the other end is in a strip too."""
        way = end - begin
        length = np.linalg.norm(way, axis=1)
        most = np.where(both, 0.5, 1.0)
        start, spot = self._near(begin, group)
        wide = np.where(spot >= 0, self._spot_wide[np.maximum(spot, 0)], np.median(self._wide))
        share = np.minimum(wide / np.maximum(length, 1e-9), most)
        far, within, beyond = np.zeros(len(begin)), np.zeros(len(begin)), np.full(len(begin), np.inf)
        asked = np.arange(len(begin))
        for turn in range(ROUNDS):
            far[asked], _ = self._near(begin[asked] + share[asked, None] * way[asked], group[asked])
            inside = far[asked] < 1
            within[asked[inside]], beyond[asked[~inside]] = share[asked[inside]], share[asked[~inside]]
            open_ = (far[asked] < REACHED) & (share[asked] < most[asked]) | (far[asked] > 1 / REACHED)
            asked = asked[open_]
            if len(asked) == 0 or turn == ROUNDS - 1:
                break
            low, high = within[asked], np.minimum(beyond[asked], 8 * share[asked])
            gone = np.maximum(np.where(np.isfinite(far[asked]), far[asked], 1e3) - start[asked], 1e-3)
            straight = share[asked] * (1 - start[asked]) / gone
            tenth = 0.1 * (high - low)
            ahead = np.clip(straight, low + tenth, high - tenth)
            if turn % 2:  # straight on may creep along an outline that bends away
                ahead = np.where(np.isfinite(beyond[asked]), (low + high) / 2, ahead)
            share[asked] = np.minimum(ahead, most[asked])
        reached = (far >= 0.2) & (both | (share < 0.9))
        return np.where(reached, share, np.nan)

    # the new triangles

    def _made(self) -> list[Mesh]:
        edges = self._edges
        self._shift = self._shifts()
        divided = np.isfinite(self._cut).any(axis=1)[edges.of_half].reshape(-1, 3).any(axis=1)
        bends = (self._share < 1) | (self._shift[self._place] != 0).any(axis=1)
        touched = np.flatnonzero(divided | bends[self._faces].any(axis=1))
        faces, corners, count = self._faces[touched], self._corners[touched], len(touched)
        # round each face: a corner, then the cuts of the edge from it; between which mesh points each is
        lower, upper = np.empty((2, count, 9), dtype=np.int64)
        share = np.full((count, 9), np.nan)
        cut_at = np.full((count, 9), -1, dtype=np.int64)  # twice the edge, and which of its cuts
        for n in range(3):
            here, there = faces[:, n], faces[:, (n + 1) % 3]
            lower[:, 3 * n] = upper[:, 3 * n] = here
            share[:, 3 * n] = 0.0
            edge = edges.of_half[3 * touched + n]
            forward = (corners[:, n] == edges.ends[edge, 0])[:, None]
            cuts = slice(3 * n + 1, 3 * n + 3)
            lower[:, cuts] = np.where(forward, here[:, None], there[:, None])
            upper[:, cuts] = np.where(forward, there[:, None], here[:, None])
            share[:, cuts] = np.where(forward, self._cut[edge], self._cut[edge][:, ::-1])
            cut_at[:, cuts] = 2 * edge[:, None] + np.where(forward, (0, 1), (1, 0))
        present = np.isfinite(share)
        rows, columns = np.nonzero(present)
        lo, hi, t, cut_of = (x[rows, columns] for x in (lower, upper, share, cut_at))
        # one vertex for each place in each mesh
        key = (lo * len(self._points) + hi) * 3 + np.where(cut_of < 0, 2, cut_of % 2)
        _, first, vertex = np.unique(key, return_index=True, return_inverse=True)
        lo, hi, t = lo[first], hi[first], t[first][:, None]

        def between(values: Array) -> Array:
            return (1 - t) * values[lo] + t * values[hi]

        points, uv = between(self._points), between(self._uv)
        normals = unit(between(self._normals))
        group = self._group[touched[rows[first]]]
        level, moved, normals = self._bent(points, normals, group, lo, cut_of[first])
        number = np.full((count, 9), -1, dtype=np.int64)
        number[rows, columns] = vertex
        triangles, parent = self._triangles(number, level)
        spot = np.where(cut_of[first] < 0, self._place[lo], len(self._places) + cut_of[first])
        _unturned(points, moved, normals, triangles, spot)
        owner = self._owner[touched[parent]]
        found = []
        plain = np.ones(len(self._faces), dtype=bool)
        plain[touched] = False
        for one, mesh in enumerate(self._sources):
            mine = owner == one
            if not mine.any():
                found.append(mesh)
                continue
            known, old = np.unique(self._faces[plain & (self._owner == one)], return_inverse=True)
            used, new = np.unique(triangles[mine], return_inverse=True)
            found.append(
                Mesh(
                    np.concatenate([self._points[known], moved[used]]),
                    np.concatenate([self._normals[known], normals[used]]),
                    np.concatenate([self._uv[known], uv[used]]),
                    np.concatenate([old.reshape(-1, 3), new.reshape(-1, 3) + len(known)]).astype(np.int32),
                )
            )
        return found

    def _shifts(self) -> Array:
        """How places move, (n, 3): for all that lie on one, whichever group bends there."""
        shift = np.zeros((len(self._places), 3))
        place = self._place
        within = (self._share < 1) & ~self._on[place]
        shift[place[within]] = -self._inward[within, None] * self._mid[within]
        shift[self._on] = -self._in[self._on, None] * self._total[self._on]
        return shift

    def _bent(
        self, points: Array, normals: Array, group: Array, corner: Array, cut_of: Array
    ) -> tuple[Array, Array, Array]:
        """Of new vertices: how far into a strip (n,), moved points and turned normals (n, 3).

        ``corner``: the mesh point each is, where it is one; ``cut_of``: else twice the edge it cuts, and
        which of its cuts it is.
        """
        level, middle = self._share[corner], self._mid[corner]
        inward = self._shift[self._place[corner]]
        cut = np.flatnonzero(cut_of >= 0)
        level[cut], middle[cut], inward[cut] = 1.0, 0.0, 0.0
        edge = cut_of[cut] // 2
        of_sharp = np.full(len(self._edges.ends), -1, dtype=np.int64)
        of_sharp[self._sharp] = np.arange(len(self._sharp))
        eased_ = of_sharp[edge]
        on = eased_ >= 0
        mine, number = cut[on], eased_[on]
        own = unit(self._middle[number].mean(axis=1))
        lean = _dot(own, self._face[number])
        level[mine], middle[mine] = 0.0, own
        inward[mine] = -_inward(self._round[number], lean)[:, None] * own
        rest = cut[~on]
        far, spot = self._near(points[rest], group[rest])
        close = far < OUTSIDE  # a trace of the strip would be drawn out over all of a long face beyond
        level[rest[close]], middle[rest[close]] = far[close], self._spot_middle[spot[close]]
        # where one group bends, its neighbour over the same edge goes along
        push = np.zeros((len(rest), 3))
        push[close] = (
            -(self._spot_in[spot[close]] * (1 - far[close]) ** 2)[:, None] * self._spot_middle[spot[close]]
        )
        _, same = np.unique(cut_of[rest], return_inverse=True)
        strongest = np.zeros((int(same.max(initial=-1)) + 1, 3))
        order = np.argsort(np.linalg.norm(push, axis=1), kind="stable")
        strongest[same[order]] = push[order]
        inward[rest] = strongest[same]
        share = np.clip(level, 0, 1)[:, None]
        turned = unit((1 - share) * middle + share * normals)
        return level, points + inward, np.where(share < 1, turned, normals)

    def _triangles(self, number: Array, level: Array) -> tuple[Array, Array]:
        """The triangles of divided faces, and the face each is from."""
        steps = np.where(number >= 0, 1 + np.digitize(level, (OUTSIDE / 2, OUTSIDE))[number], 0)
        code = steps @ (4 ** np.arange(9))
        kinds, kind = np.unique(code, return_inverse=True)
        faces, parents = [], []
        for k, value in enumerate(kinds.tolist()):
            rows = np.flatnonzero(kind == k)
            pattern = _pattern(tuple((value >> (2 * n)) & 3 for n in range(9)))
            faces.append(number[rows][:, pattern].reshape(-1, 3))
            parents.append(np.repeat(rows, len(pattern)))
        return np.concatenate(faces), np.concatenate(parents)


def _unturned(points: Array, moved: Array, normals: Array, triangles: Array, spot: Array) -> None:
    """Put back those of ``moved`` (n, 3) that turned a thin triangle over, and all that lie in one spot
    (n,) with them."""
    for _ in range(UNTURNS):
        a, b, c = (moved[triangles[:, n]] for n in range(3))
        over = _dot(np.cross(b - a, c - a), normals[triangles].sum(axis=1)) < 0
        if not over.any():
            return
        kept = np.zeros(int(spot.max()) + 1, dtype=bool)
        kept[spot[triangles[over]]] = True
        moved[kept[spot]] = points[kept[spot]]


def _inward(radius: Array, lean: Array) -> Array:
    """How far the middle of a round lies within the edge or corner that it takes the place of; ``lean``:
    the cosine between its middle normal and the faces'. Its centre is radius / lean from there."""
    return np.asarray(radius * (1 / np.clip(lean, BLUNT, 1.0) - 1))


@lru_cache(maxsize=4096)
def _pattern(steps: tuple[int, ...]) -> Array:
    """The triangles (k, 3) of a face with corners at 0, 3, 6 and cuts between. ``steps``: 0 where there is
    none, else 1 on an edge, 2 within a strip, 3 beyond it. Of all ways to cut it up that in which the
    fewest lines cross a strip, as short as can be."""
    names = [n for n in range(9) if steps[n]]
    ends = np.array([[0.0, 0.0], [1.0, 0.0], [0.5, 0.866]])

    def spot(n: int) -> Array:
        a, b = ends[n // 3], ends[(n // 3 + 1) % 3]
        return np.asarray(a + (b - a) * (0.0, 0.2, 0.8)[n % 3])

    where = {n: spot(n) for n in names}

    def on_line(a: int, b: int, c: int) -> bool:
        p, q = where[b] - where[a], where[c] - where[a]
        return bool(abs(p[0] * q[1] - p[1] * q[0]) < 1e-9)

    def price(a: int, b: int) -> float:
        return abs(steps[a] - steps[b]) + 0.1 * float(np.linalg.norm(where[a] - where[b]))

    size = len(names)
    best: dict[tuple[int, int], tuple[float, tuple[tuple[int, int, int], ...]]] = dict.fromkeys(
        pairwise(range(size)), (0.0, ())
    )
    for span in range(2, size):
        for i in range(size - span):
            j = i + span
            options = []
            for k in range(i + 1, j):
                a, b, c = names[i], names[k], names[j]
                if on_line(a, b, c):
                    continue
                left, right = best.get((i, k)), best.get((k, j))
                if left is None or right is None:
                    continue
                cost = left[0] + right[0] + (price(a, b) if k > i + 1 else 0)
                cost += price(b, c) if k < j - 1 else 0
                options.append((cost, (*left[1], (a, b, c), *right[1])))
            if options:
                best[i, j] = min(options)
    return np.array(best[0, size - 1][1], dtype=np.int64)
