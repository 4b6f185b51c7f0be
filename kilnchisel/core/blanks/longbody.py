"""Long bodies about a lying axis: handles, hulls. Two sides run along them, one seen from the front (-y),
one from the back; the strips between, above and below, and both ends take no lettering.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import grid, join, without_slivers
from kilnchisel.core.blanks.net import grid_net
from kilnchisel.core.blanks.outlines import rectangle
from kilnchisel.core.blanks.sides import ClearZone, flipped
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.tubes import bar, lathed, prism
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Handle
from kilnchisel.core.job.vehicles import Hull
from kilnchisel.core.later import interpolate

Array = NDArray[Any]
Place = Callable[[Array, Array, Array], Array]

X, Y, Z = np.eye(3)
HULL_WALL = 0.004  # by the width: 10 mm of laminate at 2.6 m, common practice


@dataclass(frozen=True, eq=False)
class Long:
    """What a long body is made from.

    ``at``: (s, size, angle) -> points (n, 3): s mm along the axis, ``size`` a factor of its section, the
    angle from the front (-y) upward. ``size``: that factor along the axis. ``angle``: v mm, up a side, to
    the angle; ``reach_mm``: v where the sides end. ``span``: s where they begin and end. ``ends``: rows of
    (s, size) from the axis to the first and from the last on.
    """

    at: Place
    size: Callable[[Array], Array]
    angle: Callable[[Array], Array]
    reach_mm: float
    span: tuple[float, float]
    ends: tuple[Array, Array]
    names: tuple[str, str]
    wall_mm: float
    columns: Array | None = None  # where its sides have lines across, by share of the span; None: evenly
    insets: tuple[Inset, ...] = ()  # on the front's sheet, mirrored on the back's
    clear: tuple[ClearZone, ...] = ()


def long_body(what: Long, *, detail: Detail) -> tuple[tuple[Shell, ...], tuple[Sheet, ...]]:
    """Shells and sheets of a long body."""
    middle = sum(what.span) / 2
    half = (what.span[1] - what.span[0]) / 2
    sides, sheets = [], []
    columns, rows = (97, 25) if detail.fine else (33, 9)
    u, v = np.linspace(-half, half, columns), np.linspace(-what.reach_mm, what.reach_mm, rows)
    if what.columns is not None:
        u = half * (2 * what.columns - 1)
    domain = shapely.box(u[0], v[0], u[-1], v[-1])
    for name, way in zip(what.names, (1.0, -1.0), strict=True):
        across = u if way > 0 else -u[::-1]
        net = grid_net(across, v)
        rough = grid_net(across[::4], v[::3]) if detail.fine else net
        insets, clear = _mirrored(what, way)
        side = Surface(name, domain, partial(_placed, what, way), net, what.wall_mm, clear)
        sides.append(side)
        sheets.append(Sheet(side, "blank", insets=insets, net=net, rough=rough))
    s, angle = u + middle, what.angle(v)
    top = np.linspace(angle[-1], np.pi - angle[-1], rows)
    under = np.linspace(np.pi - angle[0], 2 * np.pi + angle[0], rows)
    shells = [
        Shell(name, "blank", _lattice(what, s, what.size(s), way))
        for name, way in (("top", top), ("underside", under))
    ]
    # once round: front upward, top, back downward, underside
    around = np.concatenate([angle[:-1], top[:-1], np.pi - angle[::-1][:-1], under])
    around[-1] = around[0]
    for name, end in zip(("near end", "far end"), what.ends, strict=True):
        shells.append(Shell(name, "blank", without_slivers(_lattice(what, end[:, 0], end[:, 1], around))))
    return tuple(shells), tuple(sheets)


def _placed(what: Long, way: float, uv: Array) -> Array:
    """Places on the front's side (way 1) or the back's, (n, 2) sheet mm -> (n, 3)."""
    s = way * uv[:, 0] + sum(what.span) / 2
    angle = what.angle(uv[:, 1])
    return what.at(s, what.size(s), angle if way > 0 else np.pi - angle)


def _mirrored(what: Long, way: float) -> tuple[tuple[Inset, ...], tuple[ClearZone, ...]]:
    if way > 0:
        return what.insets, what.clear
    return (
        tuple(replace(inset, area=flipped(inset.area)) for inset in what.insets),
        tuple(ClearZone(zone.name, flipped(zone.area)) for zone in what.clear),
    )


def _lattice(what: Long, s: Array, size: Array, angle: Array) -> Any:
    """Rows along the axis, columns round it, normals by differences."""
    ss, aa = np.meshgrid(s, angle, indexing="ij")
    zz = np.broadcast_to(size[:, None], ss.shape)
    points = what.at(ss.ravel(), zz.ravel(), aa.ravel()).reshape(*ss.shape, 3)
    inner = np.maximum(zz, 1e-3 * float(np.max(size)))
    smooth = what.at(ss.ravel(), inner.ravel(), aa.ravel()).reshape(*ss.shape, 3)
    along, round_ = np.asarray(np.gradient(smooth, axis=0)), np.asarray(np.gradient(smooth, axis=1))
    if abs(angle[-1] - angle[0]) > 6.28 or angle[-1] == angle[0]:
        wrap = smooth[:, 1] - smooth[:, -2]
        round_[:, 0] = round_[:, -1] = wrap / 2
    normals = np.cross(along, round_)
    length = np.linalg.norm(normals, axis=-1, keepdims=True)
    normals = np.divide(normals, length, out=np.zeros_like(normals), where=length > 0)
    centre = what.at(ss.ravel(), np.zeros(ss.size), aa.ravel()).reshape(*ss.shape, 3)
    outward = np.einsum("ijk,ijk->", normals, smooth - centre)
    uv = np.stack([ss, aa * float(np.max(size)) if np.max(size) > 2 else aa * what.reach_mm], axis=-1)
    return grid(points, normals if outward > 0 else -normals, uv)


def handle_body(handle: Handle, *, detail: Detail) -> Body:
    """A handle lying along x, its thicker end to the left, its head to the right."""
    length = handle.length_mm
    shape = interpolate.PchipInterpolator(
        np.array([0.0, 0.1, 0.38, 0.8, 1.0]) * length,
        np.array([0.94 * handle.end_mm, handle.end_mm, handle.widest_mm, handle.neck_mm, handle.neck_mm])
        / 2,
    )
    at = partial(_on_handle, handle)
    first, last = 0.12 * length, 0.84 * length
    steps = np.linspace(0, 1, 25 if detail.fine else 7)
    dome = 0.1 * length
    near_s = np.concatenate([dome * (1 - np.cos(np.pi / 2 * steps)), np.linspace(dome, first, 5)[1:]])
    near = np.stack([near_s, shape(near_s)], axis=1)
    inside = near_s < dome
    near[inside, 1] *= np.sqrt(np.maximum(1 - ((dome - near_s[inside]) / dome) ** 2, 0.0))
    far_s = np.linspace(last, length - 1.5, 17 if detail.fine else 5)
    far = np.stack([far_s, shape(far_s)], axis=1)
    end = float(far[-1, 1])
    turn = np.radians(np.linspace(0, 90, 9 if detail.fine else 4))[1:]
    soft = np.stack([length - 1.5 + 1.5 * np.sin(turn), end - 1.5 * (1 - np.cos(turn))], axis=1)
    far = np.concatenate([far, soft, [[length, 0.0]]])
    reference = float(shape(0.46 * length))
    what = Long(
        at,
        shape,
        partial(angle_up, reference),
        reference * np.radians(78),
        (first, last),
        (near, far),
        ("front", "back"),
        wall_mm=handle.neck_mm / 3,
    )
    shells, sheets = long_body(what, detail=detail)
    return Body(shells + _head(handle, at, detail=detail), sheets, lengthwise=True)


def _on_handle(handle: Handle, s: Array, size: Array, angle: Array) -> Array:
    length, bend = handle.length_mm, np.radians(handle.bend_deg)
    turn = bend * (s / length - 0.5)
    if abs(bend) > 1e-9:
        radius = length / bend
        x, z = radius * np.sin(turn), radius * (1 - np.cos(turn))
    else:
        x, z = s - length / 2, np.zeros_like(s)
    side, up = -size * np.cos(angle), size * np.sin(angle)
    return np.stack([x - up * np.sin(turn), side, z + up * np.cos(turn) + handle.widest_mm / 2], axis=1)


def angle_up(radius: float, v: Array) -> Array:
    """The angle of a way round a circle, v mm long."""
    return np.asarray(v / radius)


def _head(handle: Handle, at: Place, *, detail: Detail) -> tuple[Shell, ...]:
    """Ferrule and blade or bristles, straight on from the handle's end."""
    if handle.head == "none":
        return ()
    length, neck = handle.length_mm, handle.neck_mm / 2
    ends = at(np.array([length - 6.0, length]), np.zeros(2), np.zeros(2))
    way = (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
    reach = 0.12 * length
    flat = np.cross(way, Y)
    around = 64 if detail.fine else 16
    ferrule = lathed(_ferrule(0.96 * neck, reach, detail=detail), ends[1], way, Y, around)
    start = ends[1] + (reach - 1.0) * way
    far = 0.34 * length
    if handle.head == "chisel":
        ring = rectangle(1.5 * neck, 0.34 * neck, 0.1 * neck, detail=detail)[0]
        blade = prism(ring, start, -Y, flat if np.dot(np.cross(-Y, flat), way) > 0 else -flat, far)
    else:
        blade = _bristles(start, way, neck, far, detail=detail)
    return (
        Shell("ferrule", "rim", ferrule, "ferrule"),
        Shell(handle.head, "rim" if handle.head == "chisel" else "detail", blade, handle.head),
    )


def _ferrule(radius: float, reach: float, *, detail: Detail) -> Array:
    """Half way through a ferrule, from 5 mm back on its handle on: a rolled edge, two crimps that hold it,
    a little narrower towards its end."""
    low, high = -5.0, reach
    if not detail.fine:
        return np.array([[0.0, low], [radius, low], [radius, high], [0.0, high]])
    along = np.linspace(low, high, 121)
    share = (along - low) / (high - low)
    out = radius * (1.02 - 0.05 * share)
    for place in (0.3, 0.42):
        out -= 0.075 * radius * np.exp(-(((share - place) / 0.025) ** 2))
    for place in (0.02, 0.97):
        out += 0.05 * radius * np.exp(-(((share - place) / 0.02) ** 2))
    return np.concatenate([[[0.0, low]], np.stack([out, along], axis=1), [[0.0, high]]])


BRISTLES = 420


def _bristles(start: Array, way: Array, neck: float, far: float, *, detail: Detail) -> Any:
    """A bundle of hairs that swells a little and comes together to a point, one by one."""
    flat = np.cross(way, Y)
    rng = np.random.default_rng(3)
    turn = rng.uniform(0, 2 * np.pi, BRISTLES)
    out = np.sqrt(rng.uniform(0, 1, BRISTLES))
    aside = np.stack([0.82 * neck * out * np.cos(turn), 0.5 * neck * out * np.sin(turn)], axis=1)
    ends = far * (1 - 0.3 * out**2) * rng.uniform(0.93, 1.0, BRISTLES)
    t = np.linspace(0, 1, 7 if detail.fine else 3)
    belly = 1 + 0.34 * np.sin(np.pi * np.clip(1.25 * t, 0, 1)) - 0.52 * t**2.2
    core = lathed(_bundle(0.5 * neck, far, belly, t), start, way, Y, 24 if detail.fine else 8)
    if not detail.fine:
        return core
    thick = 0.02 * neck + 0.05
    hairs = [core]
    for (x, y), long in zip(aside.tolist(), ends.tolist(), strict=True):
        line = start + (t * long)[:, None] * way + (belly * x)[:, None] * Y + (belly * y)[:, None] * flat
        hairs.append(bar(line, thick * (1 - 0.75 * t**3), 5))
    return join(hairs)


def _bundle(radius: float, far: float, belly: Array, t: Array) -> Array:
    """What fills the bundle between its outer hairs."""
    out = np.stack([0.9 * radius * belly, 0.72 * far * t], axis=1)
    return np.concatenate([[[0.0, 0.0]], out, [[0.0, 0.72 * far]]])


def hull_body(hull: Hull, *, detail: Detail) -> Body:
    """A hull lying along x, nose to the left, its lowest line on the ground."""
    at, size = partial(_on_hull, hull), partial(_hull_size, hull)
    # up a side v is the arc length of the middle section
    angles = np.linspace(-1.2, 1.2, 2001)
    spots = at(np.full(2001, hull.length_mm / 2), np.ones(2001), angles)
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(spots, axis=0), axis=1))])
    angle_at = interpolate.CubicSpline(run - np.interp(0.0, angles, run), angles)
    reach = float(run[-1] - run[0]) / 2 * 0.82
    first, last = 0.45 * hull.nose_mm, hull.length_mm - 0.5 * hull.tail_mm
    steps = np.linspace(0, 1, 33 if detail.fine else 9)
    near_s = first * (1 - np.cos(np.pi / 2 * steps))
    far_s = np.linspace(last, hull.length_mm, 25 if detail.fine else 7)
    near = np.stack([near_s, size(near_s)], axis=1)
    far = np.concatenate([np.stack([far_s, size(far_s)], axis=1), [[hull.length_mm, 0.0]]])
    insets, zones = _windows(hull)
    what = Long(
        at,
        size,
        angle_at,
        reach,
        (first, last),
        (near, far),
        ("left side", "right side"),
        wall_mm=HULL_WALL * hull.width_mm,
        insets=insets,
        clear=zones,
    )
    shells, sheets = long_body(what, detail=detail)
    return Body(shells, sheets, lengthwise=True)


def _on_hull(hull: Hull, s: Array, size: Array, angle: Array) -> Array:
    half_w, half_h = hull.width_mm / 2, hull.height_mm / 2
    power = 2 + 4 * hull.squareness / 100
    across, up = np.abs(np.cos(angle)) / half_w, np.abs(np.sin(angle)) / half_h
    r = size * (across**power + up**power) ** (-1 / power)
    return np.stack([s - hull.length_mm / 2, -r * np.cos(angle), half_h + r * np.sin(angle)], axis=1)


def _hull_size(hull: Hull, s: Array) -> Array:
    nose = np.clip(1 - s / hull.nose_mm, 0, 1)
    tail = np.clip(1 - (hull.length_mm - s) / hull.tail_mm, 0, 1)
    return np.asarray(np.sqrt(np.maximum(1 - nose**2.2, 0)) * (1 - 0.86 * tail**2))


def _windows(hull: Hull) -> tuple[tuple[Inset, ...], tuple[ClearZone, ...]]:
    """Rows of windows along the straight middle, evenly set about its middle."""
    if hull.window_rows == 0:
        return (), ()
    first, last = 0.45 * hull.nose_mm, hull.length_mm - 0.5 * hull.tail_mm
    low, high = hull.nose_mm - (first + last) / 2, hull.length_mm - hull.tail_mm - (first + last) / 2
    count = int((high - low) // hull.window_every_mm)
    middle = (low + high) / 2
    corner = 0.3 * min(hull.window_mm, hull.window_high_mm)
    one = rectangle(hull.window_mm, hull.window_high_mm, corner, detail=Detail.FINE)[0]
    ups = (
        (0.13 * hull.height_mm,)
        if hull.window_rows == 1
        else (0.26 * hull.height_mm, -0.2 * hull.height_mm)
    )
    panes = [
        shapely.Polygon(one + (middle + (k - (count - 1) / 2) * hull.window_every_mm, up))
        for up in ups
        for k in range(count)
    ]
    keep = 0.12 * hull.window_high_mm
    zones = tuple(ClearZone("windows", shapely.box(*pane.buffer(keep).bounds)) for pane in panes)
    return (Inset("windows", "detail", shapely.MultiPolygon(panes), -0.004 * hull.width_mm),), zones
