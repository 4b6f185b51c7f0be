"""What holds a piece: posts, backing panels, screw caps, eyes with chains; closed solids."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.mesh import Mesh, grid, join
from kilnchisel.core.blanks.section import turned
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.blanks.tubes import prism
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.job.crafts import Fitting
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.polygons import polygons_in

Array = NDArray[Any]

WIRE = 0.16  # of an eye's diameter
LINK = 1.7  # a chain's link is so many times longer than its eye is wide
MOST_LINKS = 80
CAP_HIGH = 0.28  # of a cap's diameter


def fitting_parts(body: Body, index: int, laid: Laid, craft: Fitting) -> tuple[Part, ...]:
    """The parts of a fitting: one solid for each post, panel, cap or chain."""
    if laid.ink.is_empty:
        return ()
    made = {"posts": _posts, "backing": _backing, "caps": _caps, "eyes": _eyes}[craft.form](
        body, laid, craft
    )
    name = f"{laid.side.name} fitting {index + 1}"
    layer = laid.layers[0].layer
    parts = []
    for number, mesh in enumerate(made):
        named = f"{name} {craft.form} {number + 1}"
        parts.append(Part(named, "letters", index, None, mesh, layer, named))
    return tuple(parts)


def _square_to(side: Side, spot: Array) -> tuple[Array, Array]:
    """A place on a side, and the frame there: right, up and out, (3, 3)."""
    return side.to_body(spot[None], np.zeros(1))[0], side.frames(spot[None])[0]


def _extent(body: Body, origin: Array, way: Array) -> tuple[float, float]:
    """How far a body reaches from a place against a direction and along it, mm."""
    clouds = [shell.mesh.points for shell in body.shells]
    for sheet in body.sheets:
        rim = np.asarray(sheet.border.exterior.coords) if sheet.net is None else sheet.net.points
        clouds.append(sheet.side.to_body(rim, np.zeros(len(rim))))
    along = (np.concatenate(clouds) - origin) @ way
    return float(along.min()), float(along.max())


def _posts(body: Body, laid: Laid, craft: Fitting) -> list[Mesh]:
    """Posts behind the piece, from the top of the shape down to below the piece."""
    origin, frame = _square_to(laid.side, laid.middle)
    right, up, out = frame
    left, _, far, top = laid.ink.bounds
    half = craft.size_mm / 2
    behind = _extent(body, origin, out)[0] - craft.gap_mm - half
    low = _extent(body, origin, up)[0] - craft.length_mm
    ends = (left + half, far - half) if far - left > craft.size_mm else ((left + far) / 2,) * 2
    middles = np.linspace(*ends, craft.count) if craft.count > 1 else [(left + far) / 2]
    long = top - laid.middle[1] - low
    made = []
    for u in middles:
        foot = origin + (u - laid.middle[0]) * right + low * up + behind * out
        made.append(prism(_section(craft), foot, out, right, long))
    return made


def _section(craft: Fitting) -> Array:
    half = craft.size_mm / 2
    if craft.section == "round":
        turn = np.linspace(0, 2 * np.pi, 48, endpoint=False)
        return half * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    bevel = 0.06 * craft.size_mm  # an edge that is planed off
    corner = shapely.box(-half, -half, half, half).buffer(-bevel).buffer(bevel, quad_segs=3)
    return np.asarray(shapely.orient_polygons(corner).exterior.coords)[:-1]


def _backing(body: Body, laid: Laid, craft: Fitting) -> list[Mesh]:
    """A panel of the shape's outline behind the piece."""
    origin, (right, up, out) = _square_to(laid.side, laid.middle)
    behind = _extent(body, origin, out)[0] - craft.gap_mm - craft.size_mm
    made = []
    for part in polygons_in(laid.ink):
        around = shapely.orient_polygons(shapely.Polygon(part.exterior))
        ring = np.asarray(around.exterior.coords)[:-1] - laid.middle
        made.append(prism(ring, origin + behind * out, right, up, craft.size_mm))
    return made


def _spots(laid: Laid) -> list[Array]:
    return [np.array(part.centroid.coords[0]) for part in polygons_in(laid.ink)]


def _caps(body: Body, laid: Laid, craft: Fitting) -> list[Mesh]:
    """A domed cap in the middle of each part of the shape."""
    radius, high = craft.size_mm / 2, CAP_HIGH * craft.size_mm
    rim = 0.08 * craft.size_mm
    ball = (radius**2 + (high - rim) ** 2) / (2 * (high - rim))
    reach = np.arcsin(min(radius / ball, 1.0))
    turn = np.linspace(reach, 0, 10)
    dome = np.stack([ball * np.sin(turn), high - ball + ball * np.cos(turn)], axis=1)
    dome_out = np.stack([np.sin(turn), np.cos(turn)], axis=1)
    under = turned(np.array([[0.0, 0.0], [radius, 0.0]]), np.array([[0.0, -1.0]] * 2), 48)
    wall = turned(np.array([[radius, 0.0], [radius, rim]]), np.array([[1.0, 0.0]] * 2), 48)
    cap = join([under, wall, turned(dome, dome_out, 48)])
    made = []
    for spot in _spots(laid):
        place, frame = _square_to(laid.side, spot)
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = frame.T, place
        made.append(cap.moved(matrix))
    return made


def _eyes(body: Body, laid: Laid, craft: Fitting) -> list[Mesh]:
    """An eye standing up from each part of the shape, and a chain from it, link by link."""
    made = []
    wire = WIRE * craft.size_mm / 2
    radius = craft.size_mm / 2 - wire
    turn = np.linspace(0, 2 * np.pi, 41)[:-1]
    circle = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    long = LINK * craft.size_mm
    bow = 0.42 * craft.size_mm - wire
    link = bow * circle + np.where(turn < np.pi, 1, -1)[:, None] * (0.0, long / 2 - wire - bow)
    pitch = long - 4 * wire  # each link lies in the bow of the last
    links = min(int(craft.length_mm / pitch), MOST_LINKS)
    for spot in _spots(laid):
        place, (right, up, out) = _square_to(laid.side, spot)
        made.append(_loop(radius * circle, place + (radius + wire) * up, right, up, wire))
        for number in range(links):
            # the first runs through the eye; each is turned a quarter against the last
            across = out if number % 2 == 0 else right
            middle = 2 * (radius + wire) - 4 * wire + number * pitch + long / 2
            made.append(_loop(link, place + middle * up, across, up, wire))
    return made


def _loop(line: Array, middle: Array, right: Array, up: Array, wire: float) -> Mesh:
    """A round wire bent to a closed flat line (n, 2), counter-clockwise."""
    way = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    out = way[:, 1:] * right - way[:, :1] * up  # away from what the line goes round
    turn = np.linspace(0, 2 * np.pi, 15)
    facing = np.cross(right, up)
    normals = np.cos(turn)[None, :, None] * out[:, None] + np.sin(turn)[None, :, None] * facing
    centre = middle + line[:, :1] * right + line[:, 1:] * up
    normals = np.concatenate([normals, normals[:1]])
    points = np.concatenate([centre, centre[:1]])[:, None] + wire * normals
    run = np.append(0.0, np.cumsum(np.linalg.norm(np.roll(line, -1, axis=0) - line, axis=1)))
    return grid(points, normals, np.stack(np.meshgrid(wire * turn, run), axis=-1))
