"""Apparel: panels of draped cloth, each a thin solid of its own, with ribs, hems and stitches."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks import pouch
from kilnchisel.core.blanks.body import Body, Sheet, Shell
from kilnchisel.core.blanks.cloth import ClothSide, Draped, Panel, draped
from kilnchisel.core.blanks.hanger import hanger_shells
from kilnchisel.core.blanks.mesh import Mesh, border_edges, grid, join
from kilnchisel.core.blanks.net import Net, closely, net_over
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Apparel
from kilnchisel.core.job.garments import Measures, measures_of
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

STEP_MM = 7.0  # of the triangles; while something moves three times that
ROUGHER = 3.0
RIB_MM, RIB_HIGH_MM = 2.6, 0.42  # from rib to rib, and how high one stands
RIB_THICK = 1.7  # layers of cloth
HEM_MM = (19.0, 25.5)  # where a hem is stitched, from its edge
BESIDE_MM = 3.5  # where the cloth is stitched beside a collar
STITCH_MM, STITCH_GAP_MM, THREAD_MM = 2.9, 0.7, 0.46
LABEL_MM = (62.0, 38.0)
LABEL_LOW_MM = 13.0  # below the neckline


def apparel_body(blank: Apparel, *, detail: Detail) -> Body:
    """A garment as it is shown, the lowest place of its cloth on z = 0, its front facing -y."""
    m = measures_of(blank.garment, blank.size)
    worn = draped(blank.garment, blank.size, blank.shown)
    shells: list[Shell] = []
    sheets: list[Sheet] = []
    for panel in worn.panels:
        if panel.rib:
            shells += _ribbed(panel, worn.thick_mm, detail=detail)
            continue
        side, net, rough = _side(panel, worn.thick_mm, detail=detail)
        if m.hood and panel.name == "front":
            side = replace(
                side, clear=(ClearZone("pouch", shapely.Polygon(pouch.outline_of(m)), covered=True),)
            )
        sheets.append(Sheet(side, "blank", solid=panel.name, net=net, rough=rough))
        shells.append(Shell(f"{panel.name} inner", "blank", _lining(side, net, worn.thick_mm), panel.name))
        if detail.fine:
            shells += _stitched(panel.name, side, _hems(panel))
    if m.hood:
        more, pocket = _hooded(worn, m, detail=detail)
        shells += more
        sheets.append(pocket)
    if blank.shown == "on a hanger":
        shells += hanger_shells(m, worn.lift_mm, detail=detail)
    label, lining = _label(worn, detail=detail)
    return Body((*shells, lining), (*sheets, label))


def _side(panel: Panel, thick: float, *, detail: Detail) -> tuple[ClothSide, Net, Net]:
    """A panel's outside, which ends half its thickness before the seam: its edge is round."""
    area = panel.outline.buffer(-thick / 2, join_style="mitre")
    nets = _nets(area, detail=detail)
    domain = shapely.Polygon(shapely.get_coordinates(area.exterior))
    return ClothSide(panel.name, domain, panel.place, nets[0], thick), *nets


def _nets(area: shapely.Polygon, *, detail: Detail) -> tuple[Net, Net]:
    """Triangles over a panel, and those that it has while something moves."""
    step = STEP_MM if detail.fine else ROUGHER * STEP_MM
    return _net(area, step), _net(area, ROUGHER * STEP_MM)


def _net(area: shapely.Polygon, step: float) -> Net:
    ring = shapely.get_coordinates(shapely.orient_polygons(area).exterior)[:-1]
    return net_over(shapely.Polygon(closely(ring, step)), step)


def _lining(side: ClothSide, net: Net, thick: float) -> Mesh:
    """The inside of a panel and its round edge, closing to a solid with its outside."""
    flat = net.at
    inside = side.to_body(flat, np.full(len(flat), -thick))
    mesh = Mesh(inside, -side.frames(flat)[:, 2], flat, net.faces[:, ::-1].astype(np.int32))
    return join([mesh, _rim(side, _border(net), thick)])


def _border(net: Net) -> Array:
    """The points round a net, counter-clockwise, (n, 2)."""
    edges = border_edges(net.faces)
    follows = dict(edges.tolist())
    index = [int(edges[0, 0])]
    while (following := follows[index[-1]]) != index[0]:
        index.append(following)
    return net.at[index]


def _rim(side: ClothSide, ring: Array, thick: float, above: Array | float = 0.0) -> Mesh:
    """A round edge from the outside, ``above`` its surface, to the inside, ``thick`` below it."""
    closed = np.append(ring, ring[:1], axis=0)
    raised = np.broadcast_to(above, len(ring))
    raised = np.append(raised, raised[:1])
    out = side.frames(closed)[:, 2]
    outer = side.to_body(closed, raised)
    inner = side.to_body(closed, np.full(len(closed), -thick))
    along = np.roll(outer[:-1], -1, axis=0) - np.roll(outer[:-1], 1, axis=0)
    along = np.append(along, along[:1], axis=0)
    away = np.cross(along, out)
    away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-12)
    middle, half = (outer + inner) / 2, (raised + thick)[:, None] / 2
    rows, normals = [], []
    for turn in np.linspace(0, np.pi, 7):
        way = np.cos(turn) * out + np.sin(turn) * away
        rows.append(middle + half * way)
        normals.append(way)
    rows[0], rows[-1] = outer, inner
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(outer, axis=0), axis=1))])
    uv = np.stack(np.broadcast_arrays(run[None], np.linspace(0, thick, 7)[:, None]), axis=-1)
    # rows run from the outside inward, seen from beside them upward
    return grid(np.stack(rows)[::-1], np.stack(normals)[::-1], uv[::-1])


def _ribbed(panel: Panel, thick: float, *, detail: Detail) -> list[Shell]:
    """A strip of rib: fine ridges across it, outside; its folded edge is round."""
    low_u, low_v, high_u, high_v = panel.outline.bounds
    thick *= RIB_THICK
    keep = thick / 2
    columns = max(round((high_u - low_u) / RIB_MM), 1) * (6 if detail.fine else 1)
    u = np.linspace(low_u + 0.2, high_u - 0.2, columns + 1)
    v = np.linspace(low_v + 0.2, high_v - keep, 9 if detail.fine else 4)
    flat = np.stack(np.meshgrid(u, v), axis=-1)
    domain = shapely.box(*panel.outline.bounds)
    net = Net(flat.reshape(-1, 2), np.zeros((0, 3), dtype=np.int32))
    side = ClothSide(panel.name, domain, panel.place, net, thick)
    wave = np.abs(np.cos(np.pi * (flat[..., 0] - low_u) / RIB_MM)) ** 1.5 if detail.fine else np.zeros(1)
    above = np.broadcast_to(RIB_HIGH_MM * wave, flat.shape[:2])
    points = side.to_body(flat.reshape(-1, 2), above.reshape(-1)).reshape(*flat.shape[:2], 3)
    normals = side.frames(flat.reshape(-1, 2))[:, 2].reshape(points.shape)
    outside = grid(points, _normals(points, normals), flat)
    back = side.to_body(flat.reshape(-1, 2), np.full(flat.size // 2, -thick)).reshape(points.shape)
    inside = grid(back[:, ::-1], -normals[:, ::-1], flat[:, ::-1])
    rows, count = flat.shape[:2]
    ring = np.concatenate(
        [
            np.arange(count - 1),
            np.arange(rows - 1) * count + count - 1,
            (rows - 1) * count + np.arange(count - 1, 0, -1),
            np.arange(rows - 1, 0, -1) * count,
        ]
    )
    rim = _rim(side, flat.reshape(-1, 2)[ring], thick, above.reshape(-1)[ring])
    return [Shell(panel.name, "rim", join([outside, inside, rim]), panel.name)]


def _normals(points: Array, alike: Array) -> Array:
    """Normals of a lattice of points (rows, columns, 3), turned as ``alike``."""
    along, up = np.gradient(points, axis=1), np.gradient(points, axis=0)
    out = np.cross(along, up)
    out *= np.sign(np.einsum("ijk,ijk->ij", out, alike))[..., None]
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=2, keepdims=True), 1e-12))


def _hooded(worn: Draped, m: Measures, *, detail: Detail) -> tuple[list[Shell], Sheet]:
    """The pocket on the front and the ends of the hood's cord."""
    front = worn.named("front")
    side, net, rough = pouch.pouch_side(front, m, worn.thick_mm, partial(_nets, detail=detail))
    shells = [Shell("pouch inner", "blank", _lining(side, net, worn.thick_mm), "pouch")]
    if detail.fine:
        sewn = [(line, far) for line in pouch.sewn_of(m) for far in pouch.SEWN_MM]
        shells += _stitched(
            "pouch", side, sewn + [(line, pouch.HEMMED_MM) for line in pouch.openings_of(m)]
        )
    tape = pouch.seam_tape(worn.named("left hood"), worn.named("right hood"), "hood middle", worn.thick_mm)
    shells.append(Shell("hood tape", "rim", tape, "hood tape"))
    for name, way in (("left", 1.0), ("right", -1.0)):
        end, eyelet = pouch.cord(front, worn.named(f"{name} hood"), m, way, detail=detail)
        shells.append(Shell(f"{name} cord", "detail", end, f"{name} cord"))
        shells.append(Shell(f"{name} eyelet", "rim", eyelet, f"{name} eyelet"))
    return shells, Sheet(side, "blank", solid="pouch", net=net, rough=rough)


Hem = tuple[Any, float]  # a line of the sheet, and how far within it is stitched


def _hems(panel: Panel) -> list[Hem]:
    """Where a panel is stitched: along its hems, beside a collar, and beside a seam down the middle."""
    lines: dict[tuple[float, ...], list[Any]] = {HEM_MM: [], (BESIDE_MM,): []}
    for run in panel.runs:
        if not run.seam:
            lines[HEM_MM].append(shapely.LineString(run.points))
        elif run.seam.endswith(("neck", "middle")):
            lines[(BESIDE_MM,)].append(shapely.LineString(run.points))
    return [(line, far) for fars, found in lines.items() for line in _joined(found) for far in fars]


def _stitched(name: str, side: ClothSide, hems: list[Hem]) -> list[Shell]:
    """Threads along hems."""
    within = side.domain.buffer(-1.0)
    threads = [
        _threads(side, shapely.get_coordinates(part))
        for line, far in hems
        for part in shapely.get_parts(shapely.intersection(shapely.offset_curve(line, far), within))
        if part.length > 10 * STITCH_MM
    ]
    return [Shell(f"{name} stitches", "detail", join(threads), f"{name} stitches")] if threads else []


def _joined(lines: list[shapely.LineString]) -> list[Any]:
    """Lines that follow on each other as one."""
    if not lines:
        return []
    return list(shapely.get_parts(shapely.line_merge(shapely.MultiLineString(lines), directed=True)))


def _threads(side: ClothSide, line: Array) -> Mesh:
    """A stitch after the other along a line of the sheet (n, 2): each a little spindle that dips into the
    cloth at both ends."""
    curve = shapely.LineString(line)
    count = int(curve.length / (STITCH_MM + STITCH_GAP_MM))
    start = (np.arange(count) + 0.1) * (STITCH_MM + STITCH_GAP_MM)
    at = [
        shapely.get_coordinates(shapely.line_interpolate_point(curve, start + s * STITCH_MM))
        for s in (0, 0.3, 0.7, 1)
    ]
    ends = [side.to_body(spot, np.full(count, -0.3 * THREAD_MM)) for spot in (at[0], at[3])]
    thick = THREAD_MM / 2
    rings = []
    for spot in at[1:3]:
        frames = side.frames(spot)
        way = ends[1] - ends[0]
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        across = np.cross(frames[:, 2], way)
        middle = side.to_body(spot, np.full(count, 0.4 * thick))
        rings.append(
            [
                (
                    middle + thick * (np.cos(t) * across + np.sin(t) * frames[:, 2]),
                    np.cos(t) * across + np.sin(t) * frames[:, 2],
                )
                for t in np.arange(6) * np.pi / 3
            ]
        )
    points = np.stack([ends[0], *(p for p, _ in rings[0]), *(p for p, _ in rings[1]), ends[1]], axis=1)
    way = ends[1] - ends[0]
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    normals = np.stack([-way, *(n for _, n in rings[0]), *(n for _, n in rings[1]), way], axis=1)
    one = []
    for k in range(6):
        a, b = 1 + k, 1 + (k + 1) % 6
        one += [[0, b, a], [a, b, b + 6], [a, b + 6, a + 6], [a + 6, b + 6, 13]]
    faces = (np.arange(count)[:, None, None] * 14 + np.array(one)).reshape(-1, 3)
    flat = np.zeros((count * 14, 2))
    return Mesh(points.reshape(-1, 3), normals.reshape(-1, 3), flat, faces.astype(np.int32))


def _label(worn: Draped, *, detail: Detail) -> tuple[Sheet, Shell]:
    """The label sewn to the inside of the back below the collar, and what closes it."""
    back = worn.named("back")
    necks = [run.points for run in back.runs if run.seam.endswith("neck")]
    top = min(float(points[:, 1].min()) for points in necks) - LABEL_LOW_MM
    wide, high = LABEL_MM
    thick = 0.35
    place = partial(_inside, back, (0.0, top - high / 2), worn.thick_mm + 1.6 * thick)
    domain = shapely.box(-wide / 2, -high / 2, wide / 2, high / 2)
    net, rough = (_net(domain, step) for step in (3.0 if detail.fine else 9.0, 12.0))
    side = ClothSide("neck inside", domain, place, net, thick)
    lining = Shell("label inner", "blank", _lining(side, net, thick), "label")
    return Sheet(side, "blank", solid="label", net=net, rough=rough), lining


def _inside(panel: Panel, middle: tuple[float, float], deep: float, uv: Array) -> Array:
    """Places behind a panel, read from inside: u runs the other way. (n, 2) mm from ``middle`` -> (n, 3).
    A label is tape: it bends round with the neck and takes no wrinkles, and nowhere comes nearer to the
    cloth than ``deep``."""
    centre, right, up, bend = _tape(panel, middle, deep)
    turn = bend * uv[:, 0]
    along, away = np.sin(turn) / bend, (1 - np.cos(turn)) / bend
    return np.asarray(
        centre + along[:, None] * right + uv[:, 1:] * up + away[:, None] * np.cross(right, up)
    )


LEAST_BEND = 1e-6  # per mm: flat


@remembered
def _tape(panel: Panel, middle: tuple[float, float], deep: float) -> tuple[Array, Array, Array, float]:
    """The cylinder that a label lies on: the middle of the label, the ways to its reader's right and up,
    and its bend, one over its radius, 1/mm."""
    wide, high = LABEL_MM
    u, v = np.meshgrid(np.linspace(-wide / 2, wide / 2, 15), np.linspace(-high / 2, high / 2, 11))
    uv = np.stack([u.ravel(), v.ravel()], axis=1)
    cloth = panel.place(uv * (-1.0, 1.0) + middle)
    level = np.column_stack([np.ones(len(uv)), uv])
    (centre, right, up), *_ = np.linalg.lstsq(level, cloth, rcond=None)
    right = right / np.linalg.norm(right)
    up = up - (up @ right) * right
    up = up / np.linalg.norm(up)
    out = np.cross(right, up)
    round_ = np.column_stack([np.ones(len(uv)), uv[:, 0] ** 2])
    (_, half), *_ = np.linalg.lstsq(round_, (cloth - centre) @ out, rcond=None)
    bend = float(2 * half) if abs(2 * half) > LEAST_BEND else LEAST_BEND
    near = (cloth - centre) @ out - (1 - np.cos(bend * uv[:, 0])) / bend
    return centre + (near.max() + deep) * out, right, up, bend
