"""Apparel: panels of draped cloth, each a thin solid of its own, with ribs, hems and stitches."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks import pouch
from kilnchisel.core.blanks.allowance import allowance
from kilnchisel.core.blanks.body import Body, Sheet, Shell
from kilnchisel.core.blanks.cloth import ClothSide, Draped, Panel, draped
from kilnchisel.core.blanks.hanger import hanger_shells
from kilnchisel.core.blanks.mesh import Mesh, grid, join
from kilnchisel.core.blanks.net import Net
from kilnchisel.core.blanks.panels import cloth_net, lining, nets_over, round_edge, side_of
from kilnchisel.core.blanks.sides import ClearZone, Side
from kilnchisel.core.blanks.stitches import hems_of, stitched
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Apparel
from kilnchisel.core.job.garments import Measures, folded_size, measures_of
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

RIB_MM, RIB_HIGH_MM = 2.6, 0.42  # from rib to rib, and how high one stands
RIB_STEPS = 4  # from one rib to the next
RIB_THICK = 1.7  # layers of cloth
GATHERED = ("worn", "on a hanger")  # pressed flat, seams are closed
AT_FOLD_MM = 22.0  # beside a fold, where cloth turns away
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
            shells += _ribbed(panel, detail=detail)
            if blank.shown in GATHERED and (sewn := allowance(panel, RIB_MM)) is not None:
                shells.append(Shell(f"{panel.name} allowance", "rim", sewn, f"{panel.name} allowance"))
            continue
        side, net, rough = side_of(panel, detail=detail)
        side = replace(side, clear=_hidden(blank, m, side))
        sheets.append(Sheet(side, "blank", solid=panel.name, net=net, rough=rough))
        shells.append(Shell(f"{panel.name} inner", "blank", lining(side, net, panel.thick_mm), panel.name))
        if detail.fine:
            shells += stitched(panel.name, side, hems_of(panel))
    if m.hood:
        more, pocket = _hooded(blank, worn, m, detail=detail)
        shells += more
        sheets.append(pocket)
    if blank.shown == "on a hanger":
        shells += hanger_shells(m, worn.lift_mm, detail=detail)
    label, backing = _label(worn, detail=detail)
    return Body((*shells, backing), (*sheets, label))


def _hidden(blank: Apparel, m: Measures, side: Side) -> tuple[ClearZone, ...]:
    """What of a side cannot be seen."""
    if blank.shown == "folded" and "hood" not in side.name:
        away = side.domain
        if side.name == "front":
            wide, high = folded_size(m)
            top = m.length / 2
            seen = shapely.box(-wide / 2 + AT_FOLD_MM, top - high + AT_FOLD_MM, wide / 2 - AT_FOLD_MM, top)
            away = shapely.difference(side.domain, seen)
        return (ClearZone("folded part", away, covered=True),)
    if m.hood and side.name == "front":
        return (ClearZone("pouch", shapely.Polygon(pouch.outline_of(m)), covered=True),)
    return ()


def _ribbed(panel: Panel, *, detail: Detail) -> list[Shell]:
    """A strip of rib: fine ridges across it, outside; its folded edge is round."""
    low_u, low_v, high_u, high_v = panel.outline.bounds
    thick = RIB_THICK * panel.thick_mm
    keep = thick / 2
    steps = RIB_STEPS if detail.fine else 1
    columns = max(round((high_u - low_u) / RIB_MM), 1) * steps
    u = np.linspace(low_u + 0.2, high_u - 0.2, columns + 1)
    v = np.linspace(low_v + 0.2, high_v - keep, 9 if detail.fine else 4)
    flat = np.stack(np.meshgrid(u, v), axis=-1)
    domain = shapely.box(*panel.outline.bounds)
    net = Net(flat.reshape(-1, 2), np.zeros((0, 3), dtype=np.int32))
    side = ClothSide(panel.name, domain, panel.place, net, thick, sloped=panel.slopes)
    wave = np.abs(np.cos(np.pi * (flat[..., 0] - low_u) / RIB_MM)) ** 1.5 if detail.fine else np.zeros(1)
    above = np.broadcast_to(RIB_HIGH_MM * wave, flat.shape[:2])
    points = side.to_body(flat.reshape(-1, 2), above.reshape(-1)).reshape(*flat.shape[:2], 3)
    normals = side.frames(flat.reshape(-1, 2))[:, 2].reshape(points.shape)
    outside = grid(points, _normals(points, normals), flat)
    back = side.to_body(flat.reshape(-1, 2), np.full(flat.size // 2, -thick)).reshape(points.shape)
    inside = backing_of(back, -normals, flat, steps)
    rows, count = flat.shape[:2]
    ring = np.concatenate(
        [
            np.arange(count - 1),
            np.arange(rows - 1) * count + count - 1,
            (rows - 1) * count + np.arange(count - 1, 0, -1),
            np.arange(rows - 1, 0, -1) * count,
        ]
    )
    rim = round_edge(side, flat.reshape(-1, 2)[ring], thick, above.reshape(-1)[ring])
    return [Shell(panel.name, "rim", join([outside, inside, rim]), panel.name)]


def backing_of(points: Array, normals: Array, flat: Array, steps: int) -> Mesh:
    """The plain back of a strip with its lattice of points (rows, columns, 3), seen from behind: along both
    long edges it has all of them, in between every ``steps``-th."""
    rows, columns = flat.shape[:2]
    number = np.full((rows, columns), -1)
    number[[0, -1]] = number[:, ::steps] = 0
    kept = number == 0
    number[kept] = np.arange(kept.sum())
    wide = number[:, ::steps]
    left, right = wide[:, :-1], wide[:, 1:]
    between = np.stack([left[1:-2], left[2:-1], right[2:-1], right[1:-2]], axis=-1).reshape(-1, 4)
    faces = [between[:, [0, 1, 2]], between[:, [0, 2, 3]]]
    # from an edge to the row beside it: half of each gap's points go with its left end, half with its right
    for edge, beside, way in ((number[0], wide[1], 1), (number[-1], wide[-2], -1)):
        ends = np.stack([edge[:-1], edge[1:]], axis=1)
        part, gap = np.arange(columns - 1) % steps, np.arange(columns - 1) // steps
        near = beside[gap + (2 * part >= steps)]
        middle = edge[(steps + 1) // 2 :: steps][: len(beside) - 1]
        fans = np.concatenate(
            [
                np.stack([ends[:, 0], near, ends[:, 1]], axis=1),
                np.stack([middle, beside[:-1], beside[1:]], axis=1),
            ]
        )
        faces.append(fans[:, ::way])
    whole = np.concatenate(faces).astype(np.int32)
    return Mesh(points[kept], normals[kept], flat[kept], whole)


def _normals(points: Array, alike: Array) -> Array:
    """Normals of a lattice of points (rows, columns, 3), turned as ``alike``."""
    along, up = np.gradient(points, axis=1), np.gradient(points, axis=0)
    out = np.cross(along, up)
    out *= np.sign(np.einsum("ijk,ijk->ij", out, alike))[..., None]
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=2, keepdims=True), 1e-12))


def _hooded(blank: Apparel, worn: Draped, m: Measures, *, detail: Detail) -> tuple[list[Shell], Sheet]:
    """The pocket on the front and the ends of the hood's cord."""
    front = worn.named("front")
    full = pouch.PRESSED_MM if blank.shown == "folded" else pouch.FULL_MM
    nets = partial(nets_over, detail=detail)
    side, net, rough = pouch.pouch_side(front, m, nets, full_mm=full)
    side = replace(side, clear=_hidden(blank, m, side))
    shells = [Shell("pouch inner", "blank", lining(side, net, front.thick_mm), "pouch")]
    if detail.fine:
        sewn = [(line, far) for line in pouch.sewn_of(m) for far in pouch.SEWN_MM]
        shells += stitched("pouch", side, sewn + [(line, pouch.HEMMED_MM) for line in pouch.openings_of(m)])
    tape = pouch.seam_tape(worn.named("left hood"), worn.named("right hood"), "hood middle")
    shells.append(Shell("hood tape", "rim", tape, "hood tape"))
    for name, way in (("left", 1.0), ("right", -1.0)):
        end, eyelet = pouch.cord(front, worn.named(f"{name} hood"), m, way, detail=detail)
        shells.append(Shell(f"{name} cord", "detail", end, f"{name} cord"))
        shells.append(Shell(f"{name} eyelet", "rim", eyelet, f"{name} eyelet"))
    return shells, Sheet(side, "blank", solid="pouch", net=net, rough=rough)


def _label(worn: Draped, *, detail: Detail) -> tuple[Sheet, Shell]:
    """The label sewn to the inside of the back below the collar, and what closes it."""
    back = worn.named("back")
    necks = [run.points for run in back.runs if run.seam.endswith("neck")]
    top = min(float(points[:, 1].min()) for points in necks) - LABEL_LOW_MM
    wide, high = LABEL_MM
    thick = 0.35
    place = partial(_inside, back, (0.0, top - high / 2), back.thick_mm + 1.6 * thick)
    domain = shapely.box(-wide / 2, -high / 2, wide / 2, high / 2)
    net, rough = (cloth_net(domain, step) for step in (3.0 if detail.fine else 9.0, 12.0))
    side = ClothSide("neck inside", domain, place, net, thick)
    backing = Shell("label inner", "blank", lining(side, net, thick), "label")
    return Sheet(side, "blank", solid="label", net=net, rough=rough), backing


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
