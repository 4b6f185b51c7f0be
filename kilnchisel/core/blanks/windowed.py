"""The window: a rendered wall with an opening, in it a frame and glass, behind it a room."""

from __future__ import annotations

from itertools import product
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.joinery import Parts, pane
from kilnchisel.core.blanks.outlines import normals_of
from kilnchisel.core.blanks.roombehind import room_behind
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import WINDOW_SILL_MM, Window

Array = NDArray[Any]

WALL_MM, BACK_MM = 240.0, 90.0  # the wall; how far the frame is set back in it
DEEP_MM, GLASS_MM = 62.0, 26.0  # the frame from front to back; how far in it the glass is
BAR_MM = 28.0
ROOM_MM = 2600.0
WALL_ASIDE_MM = 2600.0  # of the wall, beside the window; over it as much as under it


def window_body(window: Window, *, detail: Detail) -> Body:
    """A window in its wall, which stands on z = 0, its face at y = 0."""
    half, low = window.width_mm / 2, WINDOW_SILL_MM
    high = low + window.height_mm
    parts = Parts(detail)
    wall_half, top = half + WALL_ASIDE_MM, high + WINDOW_SILL_MM
    points = np.array([[-wall_half, 0.0], [wall_half, 0.0], [wall_half, top], [-wall_half, top]])
    hole = np.array([[-half, low], [-half, high], [half, high], [half, low]])  # clockwise from the front
    what = Slab(
        (points, normals_of(points)),
        Face("wall", 0.0),
        Face("wall inside", WALL_MM, lettered=False),
        edge_of("bevel", 0.4, detail=detail),
        wall_mm=WALL_MM,
        middle_z=(low + high) / 2,
        holes=(hole,),
        edge_slot="blank",
        name="wall edge",
    )
    shells, wall = slab(what, detail=detail)
    parts.shells += shells
    outer = shapely.box(-half + 2, low + 2, half - 2, high - 2)
    f = window.frame_mm
    free = shapely.box(-half + f, low + f, half - f, high - f)
    y = BACK_MM
    parts.add("frame", "rim", parts.framed(outer, [free], y, y + DEEP_MM))
    bead = parts.framed(free, [free.buffer(-12, join_style="mitre")], y + 8, y + GLASS_MM - 1)
    parts.add("beads", "rim", bead)
    glass = y + GLASS_MM
    bars = _bars(window, free)
    for number, bar in enumerate(bars):
        x0, z0, x1, z1 = bar.bounds
        faces = [
            parts.box((x0, glass - 16, z0), (x1, glass - 0.5, z1)),
            parts.box((x0, glass + 8.5, z0), (x1, glass + 22, z1)),
        ]
        parts.add(f"bar {number + 1}", "rim", *faces)
    middle = float((low + high) / 2)
    zones = tuple(
        ClearZone("glazing bars", shapely.transform(bar, lambda p: p - (0.0, middle)), covered=True)
        for bar in bars
    )
    sheets_, sheets = pane("outside", free.bounds, glass, behind="inside", clear=zones, detail=detail)
    parts.shells += sheets_
    slope = np.array([[-70.0, low - 78], [y + 30, low - 78], [y + 30, low + 4], [-70.0, low - 16]])
    parts.add("sill", "stone", parts.run(slope, -half - 70, half + 70))
    board = np.array(
        [[y + DEEP_MM, low - 20], [WALL_MM + 60, low - 20], [WALL_MM + 60, low + 6], [y + DEEP_MM, low + 6]]
    )
    parts.add("window board", "rim", parts.run(board, -half + 2, half - 2))
    inside = (-half - 700.0, 0.0, half + 700.0, max(high + 350.0, 2400.0))
    room_behind(parts, inside, WALL_MM, ROOM_MM, floor=0.0)
    return Body(tuple(parts.shells), (*sheets, *wall))


def _bars(window: Window, free: Any) -> list[Any]:
    """Glazing bars as they are seen from the front."""
    x0, z0, x1, z1 = free.bounds
    across = [x0 + (x1 - x0) * (k + 1) / (window.bars + 1) for k in range(window.bars)]
    up = [z0 + (z1 - z0) * (k + 1) / (window.bars_up + 1) for k in range(window.bars_up)]
    found = [shapely.box(x - BAR_MM / 2, z0, x + BAR_MM / 2, z1) for x in across]
    # level ones in pieces between the upright ones
    edges = [x0, *(x + way * BAR_MM / 2 for x, way in product(across, (-1, 1))), x1]
    for z in up:
        found += [
            shapely.box(a, z - BAR_MM / 2, b, z + BAR_MM / 2)
            for a, b in zip(edges[::2], edges[1::2], strict=True)
        ]
    return found
