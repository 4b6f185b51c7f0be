"""The sailing hull, ashore on its keel between stands: topsides and transom take lettering.

Its form is given as naval architects give it, by half breadths over length and height, in closed form.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, facing_out, filled, smooth_grid
from kilnchisel.core.blanks.net import lattice_net
from kilnchisel.core.blanks.sides import ClearZone, Plane
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.tubes import bar, plate, tube
from kilnchisel.core.blanks.vehicles.bodywork import together
from kilnchisel.core.blanks.vehicles.fittings import pillow, pod
from kilnchisel.core.blanks.vehicles.foils import Foil
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import SailingHull

Array = NDArray[Any]

X, Y, Z = np.eye(3)
BLOCK_MM = 140.0  # under the keel
BODY = 0.055  # how deep the hull itself goes under the water, by its length
STEM, STERN = 0.07, 0.05  # how far they lean out over the water, by the length
WIDEST, TRANSOM = 0.6, 0.76  # where it is widest, by share of length, and how wide it ends
BOOT_MM = (60.0, 55.0)  # the stripe: how high over the water it is, and how wide
CAMBER = 0.05  # of the deck, by its breadth
LIP_MM = 45.0  # round the transom, before it takes lettering
PROP_MM, LEAN = 32.0, 0.5  # the radius of a prop, and how far it leans by its height
COLUMNS, TOPS, BOTTOMS = 65, 13, 15


@dataclass(frozen=True)
class Lines:
    """The form of a hull."""

    hull: SailingHull

    @property
    def water(self) -> float:
        """How high its water line is."""
        return BLOCK_MM + self.hull.draught_mm

    def sheer(self, share: Array) -> Array:
        """How high its upper edge is, at shares of its length from the stem: lowest aft of the middle."""
        rise = 0.2 * ((share - 0.66) / 0.66) ** 2
        return np.asarray(self.water + self.hull.freeboard_mm * (1 + rise))

    def keel(self, share: Array) -> Array:
        """How high its lower edge is."""
        rocker = 0.1 + 0.9 * np.sin(np.pi * np.clip(share, 0, 1) ** 0.92) ** 1.1 - 0.06 * share
        return np.asarray(self.water - BODY * self.hull.length_mm * np.maximum(rocker, 0.03))

    def stem(self, z: Array) -> Array:
        """The x of its fore end at a height."""
        over = (float(self.sheer(np.array(0.0))) - z) / (1.2 * self.hull.freeboard_mm)
        return np.asarray(self.hull.length_mm * (-0.5 + STEM * over))

    def stern(self, z: Array) -> Array:
        """The x of its transom at a height."""
        over = (float(self.sheer(np.array(1.0))) - z) / self.hull.freeboard_mm
        return np.asarray(self.hull.length_mm * (0.5 - STERN * over))

    def half(self, share: Array, z: Array) -> Array:
        """Half its breadth at shares of the length and heights."""
        plan = np.where(
            share < WIDEST,
            1 - np.abs(1 - share / WIDEST) ** 2.15,
            1 - (1 - TRANSOM) * (np.abs(share - WIDEST) / (1 - WIDEST)) ** 2,
        )
        low, high = self.keel(share), self.sheer(share)
        up = np.clip((z - low) / (high - low), 0, 1)
        full = np.clip(share / 0.45, 0, 1)  # sections are sharp at the stem and full farther aft
        section = (1 - (1 - up) ** (1.5 + 1.3 * full)) ** (0.92 - 0.42 * full)
        return np.asarray(self.hull.width_mm / 2 * plan * section)

    def at(self, share: Array, z: Array, way: float) -> Array:
        """Places on its skin, (..., 3); ``way``: -1 the left side."""
        x = self.stem(z) + share * (self.stern(z) - self.stem(z))
        return np.stack([x, way * self.half(share, z), z], axis=-1)


def sailing_hull_body(hull: SailingHull, *, detail: Detail) -> Body:
    """A hull heading to -x: its left side faces the front."""
    lines = Lines(hull)
    columns, tops, bottoms = (COLUMNS, TOPS, BOTTOMS) if detail.fine else (17, 5, 5)
    share = np.sin(np.linspace(0, np.pi / 2, columns)) ** 2
    share = 0.5 * share + 0.5 * np.linspace(0, 1, columns)
    share[-1] = 1.0
    sheets, skins = [], []
    for name, way in (("left side", -1.0), ("right side", 1.0)):
        sheet, points = _topside(lines, name, way, share, tops, detail=detail)
        sheets.append(sheet)
        skins.append(points)
    t = np.sin(np.linspace(0, np.pi / 2, bottoms))[:, None]  # close together at the keel
    low, water = lines.keel(share)[None], lines.water
    z = water - (water - low) * np.minimum(t, 1.0)
    shells: list[Shell] = []
    edges = []
    for (name, way), skin in zip((("left bottom", -1.0), ("right bottom", 1.0)), skins, strict=True):
        points = lines.at(np.broadcast_to(share, z.shape), z, way)
        points[0] = skin[0]
        points[-1, :, 1] = 0.0
        points[:, 0, 1] = 0.0
        shells.append(Shell(name, "rim", _halved(smooth_grid(points, way * Y - 0.3 * Z))))
        edges.append(np.concatenate([points[::-1, -1], skin[1:, -1]]))
    deck = _deck(lines, share, skins)
    shells.append(Shell("deck", "blank", smooth_grid(deck, Z)))
    transom, border = _transom(lines, np.concatenate([edges[0][::-1], edges[1][1:], deck[-2:0:-1, -1]]))
    sheets.append(transom)
    shells.append(border)
    fixed = _below(lines, detail=detail) + _on_deck(lines, detail=detail) + _stands(lines, detail=detail)
    return Body((*shells, *together(fixed)), tuple(sheets), lengthwise=True)


def _topside(
    lines: Lines, name: str, way: float, share: Array, rows: int, *, detail: Detail
) -> tuple[Sheet, Array]:
    """A side from the water line to the upper edge; with its points, (rows, columns, 3), from the stem
    aft."""
    t = np.linspace(0, 1, rows)[:, None]
    z = lines.water + t * (lines.sheer(share)[None] - lines.water)
    x = lines.stem(z) + share * (lines.stern(z) - lines.stem(z))
    middle = lines.water + lines.hull.freeboard_mm / 2
    uv = np.stack([-way * x, z - middle], axis=-1)
    if way > 0:
        uv = uv[:, ::-1]
    net, ring = lattice_net(uv)
    rough = lattice_net(uv[::3, ::4])[0] if detail.fine else net
    place = partial(_placed, lines, way, middle)
    low, wide = BOOT_MM[0] + lines.water - middle, BOOT_MM[1]
    domain = shapely.Polygon(ring)
    stripe = shapely.box(-lines.hull.length_mm, low, lines.hull.length_mm, low + wide)
    band = shapely.intersection(stripe, domain.buffer(-0.03))
    inset = Inset("boot stripe", "detail", shapely.MultiPolygon([band]), 0.0)
    side = Surface(name, domain, place, net, 12.0, (ClearZone("boot stripe", band),))
    points = place(uv.reshape(-1, 2)).reshape(*uv.shape[:2], 3)
    return Sheet(side, "blank", insets=(inset,), net=net, rough=rough), points[:, :: -1 if way > 0 else 1]


def _placed(lines: Lines, way: float, middle: float, uv: Array) -> Array:
    """Places on a topside, (n, 2) sheet mm -> (n, 3)."""
    x, z = -way * uv[:, 0], uv[:, 1] + middle
    fore = lines.stem(z)
    share = np.clip((x - fore) / (lines.stern(z) - fore), 0, 1)
    half = lines.half(share, z)
    half[share <= 1e-9] = 0.0
    return np.stack([x, way * half, z], axis=1)


def _halved(mesh: Mesh) -> Mesh:
    """Without a triangle that lies in the middle plane, where both halves would have it."""
    return replace(mesh, faces=mesh.faces[(mesh.points[mesh.faces][..., 1] != 0).any(axis=1)])


def _deck(lines: Lines, share: Array, skins: list[Array]) -> Array:
    """From the left upper edge to the right, a little higher in its middle, (rows, columns, 3)."""
    left, right = skins[0][-1], skins[1][-1]
    t = np.linspace(0, 1, 9)[:, None]
    y = left[:, 1] + t * (right - left)[:, 1]
    z = left[:, 2] + 4 * CAMBER * (right - left)[:, 1] * t * (1 - t)
    x = lines.stem(z) + share * (lines.stern(z) - lines.stem(z))
    points = np.stack([x, y, z], axis=-1)
    points[0], points[-1] = left, right
    return points


def _transom(lines: Lines, loop: Array) -> tuple[Sheet, Shell]:
    """The face at the stern: its middle takes lettering. ``loop``: its outline, (n, 3)."""
    top = float(lines.sheer(np.array(1.0)))
    ends = np.array([float(lines.stern(np.array(z))) for z in (top, lines.water)])
    up = np.array([ends[0] - ends[1], 0.0, top - lines.water])
    up /= np.linalg.norm(up)
    origin = np.array([(ends[0] + ends[1]) / 2, 0.0, (top + lines.water) / 2])
    flat = np.stack([(loop - origin) @ Y, (loop - origin) @ up], axis=1)
    outline = shapely.Polygon(flat)
    if not shapely.is_ccw(outline.exterior):
        loop, flat = loop[::-1], flat[::-1]
        outline = shapely.Polygon(flat)
    inner = shapely.orient_polygons(shapely.simplify(outline.buffer(-LIP_MM, quad_segs=4), 0.5))
    plane = Plane("transom", inner, origin, Y, up, 12.0)
    ring = shapely.get_coordinates(inner.exterior)[:-1]
    area = shapely.Polygon(flat, [ring[::-1]])
    spots, faces = filled(area)
    points = np.concatenate([loop, plane.to_body(ring[::-1], np.zeros(len(ring)))])
    assert len(spots) == len(points)
    out = np.cross(Y, up)
    normals = np.broadcast_to(out, points.shape).copy()
    return Sheet(plane, "blank"), Shell(
        "transom border", "blank", facing_out(points, normals, spots, faces)
    )


def _below(lines: Lines, *, detail: Detail) -> list[Shell]:
    """Keel and rudder."""
    hull, water = lines.hull, lines.water
    long = hull.length_mm
    root = float(lines.keel(np.array(0.5))) + 0.02 * long
    deep = root - BLOCK_MM
    if hull.keel == "fin":
        bulb = 0.24 * deep
        keel = Foil(
            np.array([-0.1 * long, 0.0, root]),
            np.array([0.045 * long, 0.0, -(deep - 0.5 * bulb)]),
            (0.25 * long, 0.16 * long),
            0.11,
            Y,
        )
        shells = [Shell("keel", "rim", keel.solid(detail=detail), "keel")]
        middle = np.array([0.04 * long, 0.0, BLOCK_MM + bulb / 2])
        half = np.array([0.125 * long, 0.75 * bulb, bulb / 2])
        shells.append(Shell("bulb", "rim", pillow(middle, half, 0.95, detail=detail), "bulb"))
    else:
        keel = Foil(
            np.array([-0.26 * long, 0.0, root]),
            np.array([0.1 * long, 0.0, -deep]),
            (0.58 * long, 0.44 * long),
            0.07,
            Y,
        )
        shells = [Shell("keel", "rim", keel.solid(detail=detail), "keel")]
    chord = 0.085 * long
    rudder = Foil(
        np.array([0.385 * long, 0.0, water + 0.01 * long]),
        np.array([0.008 * long, 0.0, -0.75 * hull.draught_mm]),
        (chord, 0.62 * chord),
        0.13,
        Y,
    )
    return [*shells, Shell("rudder", "rim", rudder.solid(detail=detail), "rudder")]


def _on_deck(lines: Lines, *, detail: Detail) -> list[Shell]:
    """The cabin with its windows, the cockpit's coamings, rails."""
    hull = lines.hull
    long, wide = hull.length_mm, hull.width_mm
    high = float(lines.sheer(np.array(0.5)))
    tall = 0.36 * hull.freeboard_mm
    cabin = pod(
        np.array([-0.03 * long, 0.0, high + 0.35 * tall]),
        np.array([0.21 * long, 0.3 * wide, 1.05 * tall]),
        0.5 * tall,
        detail=detail,
    )
    shells = [Shell("cabin", "blank", cabin, "cabin")]
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        pane = shapely.box(-0.17 * long, 0.0, 0.06 * long, 0.34 * tall).buffer(0.16 * tall, quad_segs=6)
        start = np.array([0.0, way * 0.3 * wide + (14.0 if way > 0 else 6.0), high + 0.52 * tall])
        name = f"{hand} windows"
        shells.append(Shell(name, "detail", plate(pane, start, X, Z, 20.0), name))
        coaming = pod(
            np.array([0.3 * long, way * 0.22 * wide, high + 0.3 * tall]),
            np.array([0.13 * long, 0.045 * wide, 0.55 * tall]),
            0.3 * tall,
            detail=detail,
        )
        shells.append(Shell(f"{hand} coaming", "blank", coaming, f"{hand} coaming"))
        shells += _rail(lines, way, hand, detail=detail)
    return shells


def _rail(lines: Lines, way: float, hand: str, *, detail: Detail) -> list[Shell]:
    """Along one upper edge: a strip of wood, stanchions, two wires, and the pulpits' rails at the ends."""
    around = 10 if detail.fine else 5
    share = np.linspace(0.012, 0.995, 65 if detail.fine else 17)
    edge = lines.at(share, lines.sheer(share), way) + (0.0, -way * 18.0, 8.0)
    shells = [
        Shell(
            f"{hand} toe rail",
            "hanger wood",
            bar(edge, np.full(len(edge), 20.0), around),
            f"{hand} toe rail",
        )
    ]
    posts = np.linspace(0.14, 0.9, 7)
    feet = lines.at(posts, lines.sheer(posts), way) + (0.0, -way * 60.0, 0.0)
    tops = feet + (0.0, -way * 10.0, 600.0)
    for n, (foot, top) in enumerate(zip(feet, tops, strict=True)):
        name = f"{hand} stanchion {n + 1}"
        shells.append(Shell(name, "steel", tube(np.stack([foot, top]), 12.5, detail=detail), name))
    for n, high in enumerate((300.0, 590.0)):
        wire = feet + (0.0, -way * 10.0 * high / 600.0, high)
        name = f"{hand} wire {n + 1}"
        shells.append(Shell(name, "steel", bar(_smooth(wire, 4), np.full(4 * 6 + 1, 4.0), around), name))
    for end, shares in (("pulpit", (0.004, 0.05, 0.14)), ("pushpit", (0.9, 0.96, 0.99))):
        at = np.array(shares)
        low = lines.at(at, lines.sheer(at), way) + (0.0, -way * 60.0, 0.0)
        if end == "pulpit":
            low[0, 1] = way * 30.0
            low[0, 0] += 120.0
        rail = low + (0.0, 0.0, 640.0)
        name = f"{hand} {end}"
        shells.append(Shell(name, "steel", bar(_smooth(rail, 8), np.full(17, 13.0), around), name))
        spot = low[0] if end == "pulpit" else low[2]
        post = np.stack([spot, spot + (0.0, 0.0, 640.0)])
        shells.append(Shell(f"{name} leg", "steel", tube(post, 13.0, detail=detail), f"{name} leg"))
    return shells


def _smooth(points: Array, between: int) -> Array:
    """A line through points with more of them between."""
    t = np.linspace(0, len(points) - 1, between * (len(points) - 1) + 1)
    return np.stack([np.interp(t, np.arange(len(points)), points[:, k]) for k in range(3)], axis=1)


def _stands(lines: Lines, *, detail: Detail) -> list[Shell]:
    """Blocks under the keel, and props beside the hull."""
    long = lines.hull.length_mm
    shells = []
    spots = (-0.04, 0.11) if lines.hull.keel == "fin" else (-0.12, 0.02, 0.2)
    for n, x in enumerate(spots):
        area = shapely.box(x * long - 110, 0.0, x * long + 110, BLOCK_MM + 4.0)
        name = f"block {n + 1}"
        shells.append(Shell(name, "hanger wood", plate(area, 420.0 * Y, X, Z, 840.0), name))
    for share in (0.26, 0.5, 0.78):
        feet = []
        for way, hand in ((-1.0, "left"), (1.0, "right")):
            z = lines.water - 0.3 * (lines.water - float(lines.keel(np.array(share))))
            pad = lines.at(np.array([share]), np.array([z]), way)[0]
            foot = np.array([pad[0], pad[1] + way * LEAN * pad[2], PROP_MM * LEAN / np.hypot(1, LEAN)])
            name = f"{hand} prop {share}"
            leg = tube(np.stack([foot, pad]), PROP_MM, detail=detail)
            shells.append(Shell(name, "trim", leg, name))
            feet.append(foot + (0.0, 0.0, 60.0))
            soft = pod(pad, np.array([130.0, 90.0, 90.0]), 30.0, detail=detail)
            shells.append(Shell(f"{name} pad", "hanger wood", soft, f"{name} pad"))
        name = f"brace {share}"
        shells.append(Shell(name, "trim", tube(np.stack(feet), 22.0, detail=detail), name))
    return shells
