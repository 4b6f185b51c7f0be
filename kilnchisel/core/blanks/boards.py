"""Plaques, sign boards, plates and books."""

from __future__ import annotations

from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.extruded import Trace, extruded
from kilnchisel.core.blanks.mesh import join
from kilnchisel.core.blanks.outlines import Ring, arched, drawn, oval, rectangle, shield, subdivided
from kilnchisel.core.blanks.sides import ClearZone, flipped
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab, standing_slab
from kilnchisel.core.blanks.tubes import bar, prism
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.boards import Board, Book, Plate

Array = NDArray[Any]

SHARP_MM = 0.4  # a square edge is broken by this much
NET_SHARE = 70  # triangles of a domed face along its longer side
X, Y, Z = np.eye(3)


def board_body(board: Board, *, detail: Detail) -> Body:
    """A sign board, its back at y = thickness; the frame's top, or the field's border, at y = 0."""
    edge = SHARP_MM if board.edge == "square" else board.edge_mm
    ring = _board_ring(board, edge, detail=detail)
    depth: Any = board.frame_rise_mm if board.frame_mm else 0.0
    step = max(board.width_mm, board.height_mm) / NET_SHARE
    if board.dome_mm:
        depth = partial(_dome, board, float(depth))
        ring = subdivided(ring, step if detail.fine else 2 * step)
    line = _border_line(board, ring, edge)
    thick = float(board.thickness_mm)
    what = Slab(
        ring,
        Face("front", depth, step_mm=step, insets=line),
        Face("back", thick),
        edge_of("bevel" if board.edge == "square" else board.edge, edge, detail=detail),
        wall_mm=thick - float(board.frame_rise_mm if board.frame_mm else 0.0),
        middle_z=board.height_mm / 2,
        frame_mm=board.frame_mm,
    )
    return standing_slab(what, detail=detail)


def _board_ring(board: Board, edge: float, *, detail: Detail) -> Ring:
    size = (board.width_mm, board.height_mm)
    corner = max(board.corner_mm, edge)
    if board.shape == "oval":
        return oval(*size, detail=detail)
    if board.shape == "rectangle":
        return rectangle(*size, corner, detail=detail)
    if board.shape == "arched":
        return arched(*size, corner, detail=detail)
    if board.shape == "shield":
        return shield(*size, corner, detail=detail)
    return drawn(np.array(board.points), *size, corner, detail=detail)


def _dome(board: Board, below: float, x: Array, z: Array) -> Array:
    """The front's y: a cap that falls to nothing at the board's width and height."""
    a, b = board.width_mm / 2, board.height_mm / 2
    p, q = (x / a) ** 2, ((z - b) / b) ** 2
    share = 1 - p - q if board.shape == "oval" else (1 - p) * (1 - q)
    return np.asarray(below - board.dome_mm * share)


def _border_line(board: Board, ring: Ring, edge: float) -> tuple[Inset, ...]:
    """The border line of the front, a band at a distance from the field's own border."""
    if board.line_mm <= 0:
        return ()
    inside = edge + board.frame_mm + board.line_in_mm
    area = shapely.Polygon(ring[0])
    band = _around(area, inside, board.line_mm)
    return () if band.is_empty else (Inset("border line", "detail", band, board.line_rise_mm),)


def _around(area: shapely.Polygon, inside: float, wide: float) -> shapely.MultiPolygon:
    """A band ``wide`` mm across, ``inside`` mm within an area."""
    outer, inner = (area.buffer(-far, join_style="mitre") for far in (inside, inside + wide))
    band = shapely.simplify(outer.difference(inner), 0.004)
    return band if band.geom_type == "MultiPolygon" else shapely.MultiPolygon([band])


def plaque_body(plaque: Plaque, *, detail: Detail) -> Body:
    """A flat plate with rounded edges, standing on z = 0: front at y = 0, back at y = thickness."""
    size = (plaque.width_mm, plaque.height_mm)
    # corners at least as round as the edge, so that the face's inset keeps every point
    corner = max(plaque.corner_mm, plaque.edge_round_mm)
    thick = float(plaque.thickness_mm)
    what = Slab(
        oval(*size, detail=detail) if plaque.shape == "oval" else rectangle(*size, corner, detail=detail),
        Face("front", 0.0),
        Face("back", thick),
        edge_of("round", plaque.edge_round_mm, detail=detail),
        wall_mm=thick,
        middle_z=plaque.height_mm / 2,
    )
    return standing_slab(what, detail=detail)


def plate_body(plate: Plate, *, detail: Detail) -> Body:
    """A plate standing on z = 0, its holes right through and kept clear by half their size."""
    thick = float(plate.thickness_mm)
    edge = min(0.2, thick / 4)
    ring = rectangle(plate.width_mm, plate.height_mm, plate.corner_mm, detail=detail)
    holes = _holes(plate, detail=detail)
    rim: tuple[Inset, ...] = ()
    if plate.rim_mm > 0:
        band = _around(shapely.Polygon(ring[0]), edge + plate.rim_in_mm, plate.rim_mm)
        around = shapely.union_all([shapely.Polygon(hole).buffer(1.2) for hole in holes])
        band = shapely.difference(band, around)
        parts = [part for part in shapely.get_parts(band) if part.area > 1e-6]
        rim = (Inset("rim", "rim", shapely.MultiPolygon(parts), plate.rim_rise_mm),)
    zones = tuple(
        ClearZone(f"hole {number + 1}", shapely.Polygon(hole).buffer(plate.hole_mm / 2))
        for number, hole in enumerate(holes)
    )
    middle = plate.height_mm / 2
    what = Slab(
        ring,
        Face("front", 0.0, clear=zones, insets=rim),
        Face("back", thick, clear=tuple(ClearZone(z.name, flipped(z.area)) for z in zones)),
        edge_of("bevel", edge, detail=detail),
        wall_mm=thick,
        middle_z=middle,
        # seen from the front a hole's ring runs clockwise
        holes=tuple(hole[::-1] + (0.0, middle) for hole in holes),
        edge_slot="blank",
    )
    return standing_slab(what, detail=detail)


def _holes(plate: Plate, *, detail: Detail) -> list[Array]:
    """The holes' outlines about the plate's middle, counter-clockwise."""
    if plate.holes == "none":
        return []
    ups = (-plate.apart_up_mm / 2, plate.apart_up_mm / 2) if plate.holes == "four" else (0.0,)
    one = rectangle(plate.hole_mm + plate.slot_mm, plate.hole_mm, plate.hole_mm / 2, detail=detail)[0]
    return [one + (x, up) for up in ups for x in (-plate.apart_mm / 2, plate.apart_mm / 2)]


def book_body(book: Book, *, detail: Detail) -> Body:
    """A book standing on z = 0, spine to the left, front cover at y = 0."""
    w, h, thick, board = book.width_mm, book.height_mm, book.thickness_mm, book.board_mm
    hinge = max(2.0 * board, 0.035 * w)  # the joint between spine and boards
    edge = min(0.3 * board, 0.8)
    shells: tuple[Shell, ...] = ()
    sheets: tuple[Sheet, ...] = ()
    left = -w / 2 + hinge
    ring = rectangle(w - hinge, h, 1.2 + edge, detail=detail)
    middle = (left + w / 2) / 2
    for name, y, turn in (("front cover", 0.0, False), ("back cover", thick - board, True)):
        more, sides = slab(
            _cover(ring, name, y, turn=turn, board=board, height=h, middle=middle, edge=edge), detail=detail
        )
        shells += more
        sheets += sides
    spine, side = _spine(book, hinge, detail=detail)
    return Body((*shells, *spine, *_pages(book, hinge, detail=detail)), (*sheets, side))


def _cover(
    ring: Ring, name: str, y: float, board: float, height: float, middle: float, edge: float, *, turn: bool
) -> Slab:
    """A board with its outer face to letter; the inner one lies against the pages."""
    points, normals = ring
    near, far = Face(name, y, lettered=not turn), Face(name, y + board, lettered=turn)
    return Slab(
        (points + (middle, height / 2), normals),
        near,
        far,
        edge_of("round", edge, detail=Detail.FINE),
        wall_mm=board,
        middle_z=height / 2,
        edge_slot="blank",
        solid=name,
        name=f"{name} edge",
    )


def _spine(book: Book, hinge: float, *, detail: Detail) -> tuple[tuple[Shell, ...], Sheet]:
    """A strip bent round the back of the pages, from the front board to the back one."""
    thick, cloth = book.thickness_mm, min(1.2, book.board_mm)
    left, inner_end = -book.width_mm / 2, -book.width_mm / 2 + hinge + 1.0
    groove = 0.35 * book.board_mm  # the cloth dips between spine and boards
    bulge = _bulge(book, hinge)
    half_chord = thick / 2 - groove
    radius = (half_chord**2 + bulge**2) / (2 * bulge)
    half = np.arcsin(half_chord / radius)
    centre = np.array([left + radius, thick / 2])
    angle = np.linspace(np.pi - half, np.pi + half, 401)
    out = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    path = Trace(inner_end, thick - groove, detail=detail)
    path.curve(centre + radius * out, out, side="spine", wall_mm=cloth)
    path.line(inner_end, groove).line(inner_end, groove + cloth)
    inner = (radius - cloth, np.degrees(np.arcsin((half_chord - cloth) / (radius - cloth))))
    path.arc((float(centre[0]), float(centre[1])), inner[0], 180 + inner[1], 180 - inner[1])
    path.line(inner_end, thick - groove - cloth).close()
    shells, sheets = extruded(path, 0.0, book.height_mm, "spine", "blank")
    return shells, sheets[0]


def _bulge(book: Book, hinge: float) -> float:
    """How far the spine stands out, mm: it begins within the joint."""
    return min(0.22 * book.thickness_mm, 0.75 * hinge)


GATHERED = 46  # folded sheets that are seen as lines on the edges of the pages
OFF_MM = 0.22  # how far their edges are off each other at most


def _pages(book: Book, hinge: float, *, detail: Detail) -> tuple[Shell, ...]:
    """The pages as they are gathered, their edges not quite one plane, and a band at both ends of the
    spine."""
    w, h, sq = book.width_mm, book.height_mm, book.square_mm
    x0, x1 = -w / 2 + _bulge(book, hinge) + 0.4, w / 2 - sq
    y0, y1 = book.board_mm - 0.01, book.thickness_mm - book.board_mm + 0.01
    count = GATHERED if detail.fine else 1
    off = min(OFF_MM, 0.25 * sq) if detail.fine else 0.0
    rng = np.random.default_rng(17)
    edges = np.linspace(y0, y1, count + 1)
    sheets = []
    for low, high in pairwise(edges):
        back, fore, foot, head = off * rng.uniform(0, 1, 4)
        near, far = low - 0.008, high + 0.008  # they lie in each other
        ring = np.array([[x0 + back, near], [x1 - fore, near], [x1 - fore, far], [x0 + back, far]])
        sheets.append(prism(ring, np.array([0.0, 0.0, sq + foot]), X, Y, h - 2 * sq - foot - head))
    shells = [Shell("pages", "detail", join(sheets), "pages")]
    thick = min(1.3, 0.5 * sq, 0.1 * (y1 - y0))
    if detail.fine and thick > 0.2:
        t = np.linspace(0, 1, 41)
        line = np.stack(
            [np.full(41, x0 + 1.2 * thick), y0 + 0.4 + (y1 - y0 - 0.8) * t, np.zeros(41)], axis=1
        )
        # thread is wound round it
        wound = thick * (1 + 0.13 * np.cos(2 * np.pi * 20 * t))
        bands = [bar(line + (0, 0, z), wound, 12) for z in (sq - 0.2 * thick, h - sq + 0.2 * thick)]
        shells.append(Shell("head bands", "head band", join(bands), "head bands"))
    return tuple(shells)
