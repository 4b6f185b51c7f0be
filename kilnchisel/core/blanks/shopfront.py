"""The front of a shop: a brick wall with an opening, in it window and door, above it the fascia."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.joinery import Parts, pane
from kilnchisel.core.blanks.masonry import brick_shapes, joints_of
from kilnchisel.core.blanks.outlines import normals_of, rectangle
from kilnchisel.core.blanks.roombehind import room_behind
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.blanks.tubes import tube
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import PILASTER_MM, POST_MM, SHOP_HIGH_MM, ShopFront
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

X, Y, Z = np.eye(3)
WALL_MM = 240.0
BACK_MM = 70.0  # how far the woodwork is set back in the opening
FRAME_MM = 64.0  # how thick it is
GLASS_MM = BACK_MM + 0.4 * FRAME_MM  # how far the glass is
PROUD_MM = 46.0  # how far pilasters stand before the wall
FASCIA_MM = 74.0  # how far the fascia does
RISER_MM = 480.0  # the panel below the window
STEP_MM = 60.0  # a doorstep
TRANSOM_MM = 1980.0  # over the door: above it a light
UPPER_MM = (860.0, 1180.0)  # the window of the floor above
LINTEL_MM = (165.0, 150.0)  # how high, and how far it lies on the wall each side
SILL_MM = (75.0, 60.0)


def shop_front_body(shop: ShopFront, *, detail: Detail) -> Body:
    """A shop front standing on z = 0, its wall's face at y = 0."""
    parts = Parts(detail)
    upper = _upper(shop)
    wall, sheets = _wall(shop, upper, detail=detail)
    parts.shells += wall
    _woodwork(shop, parts)
    board, sheet = _board(shop, SHOP_HIGH_MM, detail=detail)
    parts.shells += board
    sheets = (sheet, *sheets)
    for name, *box in _panes(shop):
        more, glass = pane(name, (box[0], box[1], box[2], box[3]), GLASS_MM, detail=detail)
        parts.shells += more
        sheets += glass
    half = shop.opening_mm / 2
    inside = (-half - 300.0, 0.0, half + 300.0, SHOP_HIGH_MM + 260.0)
    room_behind(parts, inside, WALL_MM, 2600.0, floor=STEP_MM)
    if upper is not None:
        _upper_window(upper, parts)
    return Body(tuple(parts.shells), sheets)


def _upper(shop: ShopFront) -> tuple[float, float, float, float] | None:
    """The window of the floor above: left, low, right, high; None where there is no room."""
    low = SHOP_HIGH_MM + shop.fascia_mm + 420.0
    wide, high = UPPER_MM
    room = shop.height_mm - low - LINTEL_MM[0] - 90.0
    if room < 500 or shop.width_mm < 2 * wide:
        return None
    return -wide / 2, low, wide / 2, low + min(high, room)


def _wall(
    shop: ShopFront, upper: tuple[float, float, float, float] | None, *, detail: Detail
) -> tuple[list[Shell], tuple[Sheet, ...]]:
    half_w, middle, opening = shop.width_mm / 2, shop.height_mm / 2, shop.opening_mm / 2
    points = np.array(
        [
            [-half_w, 0.0],
            [-opening, 0.0],
            [-opening, SHOP_HIGH_MM],
            [opening, SHOP_HIGH_MM],
            [opening, 0.0],
            [half_w, 0.0],
            [half_w, shop.height_mm],
            [-half_w, shop.height_mm],
        ]
    )
    area = shapely.Polygon(points - (0.0, middle))
    holes: tuple[Array, ...] = ()
    if upper is not None:
        x0, z0, x1, z1 = upper
        holes = (np.array([[x0, z0], [x0, z1], [x1, z1], [x1, z0]]),)  # clockwise seen from the front
        area = shapely.difference(area, shapely.Polygon(holes[0] - (0.0, middle)))
    joints = _joints(shop, area)
    what = Slab(
        (points, normals_of(points)),
        Face("wall", 0.0, insets=(Inset("joints", "rim", joints, -shop.joint_deep_mm),)),
        Face("back", WALL_MM, lettered=False),
        edge_of("bevel", 0.4, detail=detail),
        wall_mm=WALL_MM,
        middle_z=middle,
        holes=holes,
        edge_slot="blank",
        name="wall edge",
    )
    shells, sheets = slab(what, detail=detail)
    return list(shells), sheets


@remembered
def _joints(shop: ShopFront, area: shapely.Polygon) -> shapely.MultiPolygon:
    """The same for pictures while something moves."""
    return joints_of(area.buffer(-1.0, join_style="mitre"), brick_shapes(shop))


def _panes(shop: ShopFront) -> list[tuple[str, float, float, float, float]]:
    """The lettered sheets of glass, left, low, right, high as they are seen."""
    left = -shop.opening_mm / 2 + POST_MM
    right = left + shop.window_mm
    door = right + POST_MM
    top = SHOP_HIGH_MM - POST_MM
    return [
        ("window", left, RISER_MM + POST_MM, right, top),
        ("door", door + 105, STEP_MM + 620, door + shop.door_mm - 105, TRANSOM_MM - 115),
    ]


def _woodwork(shop: ShopFront, parts: Parts) -> None:
    """Frames, riser, door, pilasters, step, and the head below the fascia."""
    half = shop.opening_mm / 2
    left = -half + POST_MM
    right = left + shop.window_mm
    door_left, door_right = right + POST_MM, right + POST_MM + shop.door_mm
    front, back = BACK_MM, BACK_MM + FRAME_MM
    window = shapely.box(*_panes(shop)[0][1:])
    doorway = shapely.box(door_left, -1.0, door_right, TRANSOM_MM)
    light = shapely.box(door_left, TRANSOM_MM + POST_MM * 0.7, door_right, SHOP_HIGH_MM - POST_MM)
    frame = shapely.box(-half, 0.0, half, SHOP_HIGH_MM)
    parts.add("shop frame", "detail", parts.framed(frame, [window, doorway, light], front, back))
    beads = [
        parts.framed(hole, [hole.buffer(-16, join_style="mitre")], front + 14, front + 26)
        for hole in (window, light)
    ]
    parts.add("beads", "detail", *beads)
    dark = parts.box((door_left - 5, back - 20, TRANSOM_MM), (door_right + 5, back - 14, SHOP_HIGH_MM - 20))
    parts.add("light over the door", "pane", dark)
    middle = (left + right) / 2
    panels = []
    for x0, x1 in ((left + 60, middle - 45), (middle + 45, right - 60)):
        low, high = STEP_MM + 70.0, RISER_MM - 50.0
        rim = shapely.box(x0, low, x1, high)
        panels.append(parts.framed(rim, [rim.buffer(-22, join_style="mitre")], front - 9, front + 2))
        panels.append(parts.box((x0 + 70, front - 7, low + 60), (x1 - 70, front + 2, high - 60)))
    cill = np.array(
        [
            [front - 34, RISER_MM + 18],
            [front + 3, RISER_MM + 18],
            [front + 3, RISER_MM + 62],
            [front - 34, RISER_MM + 50],
        ]
    )
    panels.append(parts.run(cill, -half + 1, right + POST_MM * 0.5))
    parts.add("riser panels", "detail", *panels)
    _door(shop, parts, door_left, door_right)
    step = parts.box((door_left - 40, -120.0, 0.0), (door_right + 40, back + 60, STEP_MM))
    parts.add("doorstep", "stone", step)
    for way in (-1.0, 1.0):
        x0, x1 = sorted((way * half, way * (half + PILASTER_MM)))
        shaft = [parts.box((x0, -PROUD_MM, 0.0), (x1, 20.0, SHOP_HIGH_MM - 1))]
        shaft.append(parts.box((x0 - 14, -PROUD_MM - 16, 0.0), (x1 + 14, 10.0, 230.0)))
        rim = shapely.box(x0 + 24, 300, x1 - 24, SHOP_HIGH_MM - 190)
        shaft.append(parts.framed(rim, [rim.buffer(-16, join_style="mitre")], -PROUD_MM - 9, -PROUD_MM + 2))
        shaft.append(
            parts.box((x0 - 12, -PROUD_MM - 18, SHOP_HIGH_MM - 120), (x1 + 12, 10.0, SHOP_HIGH_MM - 70))
        )
        parts.add(f"{'left' if way < 0 else 'right'} pilaster", "detail", *shaft)


def _door(shop: ShopFront, parts: Parts, left: float, right: float) -> None:
    front, back = BACK_MM + 12.0, BACK_MM + FRAME_MM - 4.0
    leaf = shapely.box(left + 4, STEP_MM + 4, right - 4, TRANSOM_MM - 4)
    pane = shapely.box(*_panes(shop)[1][1:])
    parts.add("door leaf", "detail", parts.framed(leaf, [pane], front, back))
    bead = parts.framed(pane, [pane.buffer(-14, join_style="mitre")], front + 6, front + 14)
    rim = shapely.box(left + 120, STEP_MM + 130, right - 120, STEP_MM + 520)
    panel = parts.framed(rim, [rim.buffer(-20, join_style="mitre")], front - 8, front + 2)
    inner = parts.box((left + 190, front - 6, STEP_MM + 200), (right - 190, front + 2, STEP_MM + 450))
    parts.add("door panels", "detail", bead, panel, inner)
    x, y = left + 56.0, front - 52.0
    ends = (STEP_MM + 760.0, STEP_MM + 1180.0)
    grip = [tube(np.array([[x, y, ends[0]], [x, y, ends[1]]]), 13.0, detail=parts.detail)]
    for z in (ends[0] + 50, ends[1] - 50):
        grip.append(tube(np.array([[x, y, z], [x, front + 2, z]]), 9.0, detail=parts.detail))
    slot = parts.box((left + 300, front - 5, STEP_MM + 560), (right - 300, front + 2, STEP_MM + 606))
    kick = parts.box((left + 60, front - 3, STEP_MM + 16), (right - 60, front + 2, STEP_MM + 104))
    parts.add("door furniture", "brass", *grip, slot, kick)


def _board(shop: ShopFront, low: float, *, detail: Detail) -> tuple[list[Shell], Sheet]:
    """The fascia board with a rim, the cornice above it, a console at each end."""
    half = shop.opening_mm / 2 + PILASTER_MM
    high = shop.fascia_mm
    inner = half - 130.0
    ring = rectangle(2 * inner + 20, high - 24, 1.0, detail=detail)
    middle = np.array([0.0, low + high / 2])
    what = Slab(
        (ring[0] + middle, ring[1]),
        Face("fascia", -FASCIA_MM + 22.0, slot="detail"),
        Face("fascia back", 30.0, slot="detail", lettered=False),
        edge_of("bevel", 0.4, detail=detail),
        wall_mm=60.0,
        middle_z=float(middle[1]),
        edge_slot="detail",
        solid="fascia",
        name="fascia edge",
    )
    shells, sheets = slab(what, detail=detail)
    found, parts = list(shells), Parts(detail)
    outer = shapely.box(-inner - 10, low + 6, inner + 10, low + high - 6)
    rim = outer.buffer(-34, join_style="mitre")
    parts.add("fascia rim", "detail", parts.framed(outer, [rim], -FASCIA_MM, -FASCIA_MM + 26))
    t = np.linspace(np.pi / 2, 0, 7)
    top, out = low + high, FASCIA_MM
    cove = np.stack([-out - 66 + 60 * np.sin(t), top + 14 + 62 * (1 - np.cos(t))], axis=1)
    # counter-clockwise: along the underside to the wall, up it, out over the top, down the cove
    profile = np.concatenate(
        [
            [
                [-out - 6, top],
                [20.0, top],
                [20.0, top + 128],
                [-out - 84, top + 104],
                [-out - 84, top + 82],
            ],
            cove[::-1],
        ]
    )
    parts.add("cornice", "detail", parts.run(_ordered(profile), -half - 40, half + 40))
    flashing = np.array(
        [[-out - 88, top + 103], [24.0, top + 128], [24.0, top + 132], [-out - 88, top + 107]]
    )
    parts.add("flashing", "steel", parts.run(flashing, -half - 44, half + 44))
    for way, name in ((-1.0, "left"), (1.0, "right")):
        x0, x1 = sorted((way * (inner + 6), way * half))
        blocks = [parts.box((x0, -FASCIA_MM - 6, low), (x1, 20.0, low + high - 1))]
        blocks.append(
            parts.box((x0 + 16, -FASCIA_MM - 34, low + 0.42 * high), (x1 - 16, -20.0, low + high - 10))
        )
        blocks.append(
            parts.box((x0 + 26, -FASCIA_MM - 20, low + 30), (x1 - 26, -20.0, low + 0.42 * high + 6))
        )
        parts.add(f"{name} console", "detail", *blocks)
    head = parts.box((-half + 4, -PROUD_MM + 8, low - 60), (half - 4, 20.0, low + 4))
    parts.add("head", "detail", head)
    return found + parts.shells, sheets[0]


def _ordered(profile: Array) -> Array:
    """A profile counter-clockwise."""
    return profile if shapely.is_ccw(shapely.LinearRing(profile)) else profile[::-1]


def _upper_window(upper: tuple[float, float, float, float], parts: Parts) -> None:
    """Frame, glass, lintel and sill of the window above."""
    x0, z0, x1, z1 = upper
    middle_x, middle_z = (x0 + x1) / 2, (z0 + z1) / 2
    outer = shapely.box(x0 - 2, z0 - 2, x1 + 2, z1 + 2)
    panes = [
        shapely.box(a + 52, b + 52, c - 52, d - 52)
        for a, b, c, d in ((x0, z0, x1, middle_z + 26), (x0, middle_z - 26, x1, z1))
    ]
    halves = [
        shapely.box(a, pane.bounds[1], b, pane.bounds[3])
        for pane in panes
        for a, b in ((pane.bounds[0], middle_x - 11), (middle_x + 11, pane.bounds[2]))
    ]
    parts.add("upper frame", "white paint", parts.framed(outer, halves, 110.0, 170.0))
    sheet = parts.box((x0 + 30, 138.0, z0 + 30), (x1 - 30, 144.0, z1 - 30))
    parts.add("upper glass", "dark pane", sheet)
    high, bears = LINTEL_MM
    parts.add("lintel", "stone", parts.box((x0 - bears, -8.0, z1 - 2), (x1 + bears, 118.0, z1 + high)))
    deep, out = SILL_MM
    slope = np.array([[-out, z0 - deep], [130.0, z0 - deep], [130.0, z0 + 2], [-out, z0 - 14]])
    parts.add("sill", "stone", parts.run(slope, x0 - 70, x1 + 70))
