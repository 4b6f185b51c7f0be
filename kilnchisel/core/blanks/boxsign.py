"""The box sign: a housing of folded sheet with two faces held by screwed frames, on a bracket."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Shell
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.outlines import Ring, oval, rectangle
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, standing_slab
from kilnchisel.core.blanks.tubes import bar, lathed, plate, prism, tube
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import BoxSign

Array = NDArray[Any]

X, Y, Z = np.eye(3)
FRAME_HIGH_MM, SUNK_MM = 2.0, 0.5  # a frame over its face, and how far it reaches into it
SCREW_MM, SCREWS_APART_MM = 7.0, 190.0
FACE_MM = 4.0  # a face of translucent plastic, common practice: it can be cut into no deeper
ARM_MM = 0.17  # of the depth: how thick the bracket's arms are, within limits
PLATE_MM = 10.0
CABLE_MM = 8.0


def box_sign_body(box: BoxSign, *, detail: Detail) -> Body:
    """A box sign: both faces in a framed case, on two arms from the wall at its left."""
    ring = _outline(box, detail=detail)
    field = shapely.Polygon(ring[0]).buffer(-box.edge_mm, join_style="mitre")
    face = field.buffer(-box.frame_mm, join_style="mitre")
    frame = shapely.simplify(field.difference(face), 0.004)
    held = (ClearZone("frame", frame, covered=True),)
    what = Slab(
        ring,
        Face("front", 0.0, clear=held),
        Face("back", float(box.depth_mm), clear=held),
        edge_of("round", box.edge_mm, detail=detail),
        wall_mm=FACE_MM,
        middle_z=box.height_mm / 2,
    )
    body = standing_slab(what, detail=detail)
    shells = list(body.shells)
    middle = np.array([0.0, 0.0, box.height_mm / 2])
    for name, right, y in (("front", X, SUNK_MM), ("back", -X, box.depth_mm - SUNK_MM)):
        mesh = plate(frame, middle + y * Y, right, Z, FRAME_HIGH_MM + SUNK_MM)
        shells.append(Shell(f"{name} frame", "rim", mesh, f"{name} frame"))
    if detail.fine:
        line = field.buffer(-box.frame_mm / 2, join_style="mitre").exterior
        shells.append(Shell("screws", "steel", _screws(box, line), "screws"))
    if box.bracket:
        shells += _bracket(box, detail=detail)
    return Body(tuple(shells), body.sheets)


def _outline(box: BoxSign, *, detail: Detail) -> Ring:
    size = (box.width_mm, box.height_mm)
    if box.shape == "oval":
        return oval(*size, detail=detail)
    return rectangle(*size, max(box.corner_mm, box.edge_mm), detail=detail)


def _screws(box: BoxSign, line: shapely.LinearRing) -> Mesh:
    """Round heads along the frames of both faces."""
    wide = min(SCREW_MM, 0.6 * box.frame_mm)
    count = max(round(line.length / SCREWS_APART_MM), 4)
    away = (np.arange(count) + 0.5) / count * line.length
    spots = shapely.get_coordinates(shapely.line_interpolate_point(line, away))
    t = np.linspace(0, np.pi / 2, 5)
    head = np.stack([wide / 2 * np.cos(t), 0.42 * wide * np.sin(t)], axis=1)
    head[-1, 0] = 0.0
    head = np.concatenate([[[0.0, -1.0], [wide / 2, -1.0]], head])
    heads = []
    for y, way in ((-FRAME_HIGH_MM, -Y), (box.depth_mm + FRAME_HIGH_MM, Y)):
        for x, up in spots:
            heads.append(lathed(head, np.array([x, y, up + box.height_mm / 2]), way, X, 16))
    return join(heads)


def _bracket(box: BoxSign, *, detail: Detail) -> list[Shell]:
    """Two square arms with a stay from a plate on the wall, its bolts, and the cable."""
    left, y = -box.width_mm / 2, box.depth_mm / 2
    wall = left - box.reach_mm
    thick = float(np.clip(ARM_MM * box.depth_mm, 8.0, 40.0))
    low, high = (box.height_mm * up for up in (0.34, 0.66))
    square = thick / 2 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    reach = box.reach_mm + 0.3 * box.width_mm - PLATE_MM / 2
    arms = [prism(square, np.array([wall + PLATE_MM / 2, y, z]), Y, Z, reach) for z in (low, high)]
    stay = np.array([[wall + 0.5 * PLATE_MM, y, low + thick], [left - 0.04 * box.reach_mm, y, high]])
    arms.append(tube(stay, 0.26 * thick, detail=detail))
    wide, tall = max(0.62 * box.depth_mm, 3.2 * thick), high - low + 5.5 * thick
    plate_at = np.array([wall, y, (low + high) / 2])
    flat = rectangle(wide, tall, 0.4 * thick, detail=detail)
    shells = [
        Shell("arms", "detail", join(arms), "arms"),
        Shell("wall plate", "detail", prism(flat[0], plate_at, Y, Z, PLATE_MM), "wall plate"),
    ]
    if not detail.fine:
        return shells
    nut = shapely.Point(0, 0).buffer(0.42 * thick, quad_segs=2)
    off_y, off_z = wide / 2 - 0.75 * thick, tall / 2 - 0.95 * thick
    bolts = [
        plate(nut, plate_at + (PLATE_MM - 1, way * off_y, up * off_z), Y, Z, 0.5 * thick)
        for way in (-1, 1)
        for up in (-1, 1)
    ]
    shells.append(Shell("bolts", "steel", join(bolts), "bolts"))
    shells.append(Shell("cable", "under", _cable(box, wall, low, high), "cable"))
    return shells


def _cable(box: BoxSign, wall: float, low: float, high: float) -> Mesh:
    """From the wall above the plate in a loop to the case behind its upper arm."""
    y = box.depth_mm / 2 + 0.14 * box.depth_mm
    start, end = np.array([wall, y, high + 0.14 * box.height_mm]), -box.width_mm / 2
    inner = np.array([end + 0.2 * box.width_mm, y, high - 0.02 * box.height_mm])
    t = np.linspace(0, 1, 33)[:, None]
    sag = np.array([0.0, 0.0, 0.05 * box.height_mm])
    points = (1 - t) * start + t * inner - 4 * t * (1 - t) * sag
    points[:, 0] = start[0] + (inner[0] - start[0]) * t[:, 0]
    return bar(points, np.full(33, CABLE_MM / 2), 12)
