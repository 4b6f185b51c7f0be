"""A cap with a peak: five panels of cloth in closed form, the front one in one piece, sewn to a button;
behind, an opening with a strap across it.

The crown's plan is an oval; above the edge it closes in as the arc of a superellipse. Its edge lies on the
cylinder that the peak is bent on. Each panel's sheet is its flat pattern, which is eased over the head.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Sheet, Shell
from kilnchisel.core.blanks.cloth import Panel, Run
from kilnchisel.core.blanks.mesh import unit
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.panels import lining, side_of
from kilnchisel.core.blanks.sides import ClearZone
from kilnchisel.core.blanks.stitches import joined, stitched
from kilnchisel.core.blanks.tapes import taped
from kilnchisel.core.blanks.tubes import bar, lathed
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import PeakedCap
from kilnchisel.core.later import interpolate, ndimage, sparse, sparse_linalg, spatial
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

CLOTH_MM, PEAK_MM = 1.4, 3.2  # thick
BROAD = 0.83  # a head's width of its length
CLOSES = 2.6  # the power that the crown closes in by: 2 is an ellipse
STANDS = 0.5  # the front is stiffened: so much more of a power
TAPE_MM = 6.0  # beside a seam the cloth is stitched; on the peak, from row to row
ROWS = 7
PEAK_DEG = 60.0  # from the front's middle to where the peak ends
DROP_DEG = 9.0  # the peak looks down
BUTTON_MM = 7.5  # half as wide
STEP_MM = 2.0  # of the surfaces' coefficients
ALONG, UP = 25, 26  # lines that a panel is worked out at
BEYOND, BELOW, TOPMOST = 2 / 20, 0.07, 0.96  # how far beyond its edges; how near to the top
LETTERS_MM, ASIDE_MM = 34.0, 35.0  # above the edge; to both sides of the middle
TRUE_MM = (58.0, 76.0)  # to both sides, and above the edge: there the front is true within 1 % on average
LEAST_WEIGHT, ROUNDS, NEWTON = 5e-4, 10, 7
UNDER_MM = 3.0  # the peak goes in under the crown
OPENING_MM, OPENING_POWER = (43.0, 40.0), 2.3  # to both sides of the back's middle, and high; its corner's
STRAP_MM, STRAP_THICK_MM = (2.5, 17.5), 1.6  # above the edge, from where to where
STRAP_IN_MM = 13.0  # beyond the opening, under the crown
SLIDE_MM, SLIDE_AT_MM = (
    (5.0, 1.1),
    17.0,
)  # half as wide and as thick; off the middle
EYELET_MM, EYELET_AT = (4.6, 1.0), 0.72  # half as wide, half as thick; how far up the panel
PANELS = {  # from where to where round the head, degrees: 0 is the front, 90 the wearer's left
    "front": (-60.0, 60.0),
    "left": (60.0, 120.0),
    "left back": (120.0, 180.0),
    "right back": (180.0, 240.0),
    "right": (240.0, 300.0),
}


@dataclass(frozen=True)
class Head:
    """Half the length and width of the crown's plan, how far its edge falls aside, and its height, mm."""

    long: float
    wide: float
    drop: float
    high: float


def head_of(cap: PeakedCap) -> Head:
    """The crown of a cap: an oval as long round as the head."""
    turn = np.radians(np.arange(0, 360, 0.5))
    plan = np.stack([BROAD * np.sin(turn), np.cos(turn)], axis=1)
    round_ = float(np.linalg.norm(np.roll(plan, -1, axis=0) - plan, axis=1).sum())
    long = cap.head_mm / round_
    return Head(long, BROAD * long, cap.curve_mm, cap.crown_mm)


def _edge_z(head: Head, x: Array, y: Array) -> Array:
    """How high the crown's edge is where it is above (x, y)."""
    back = np.minimum(y + head.long, 0.6 * head.long)
    rise = np.tan(np.radians(DROP_DEG)) * back
    return np.asarray(rise + _fall(head, x))


def _fall(head: Head, x: Array) -> Array:
    """How much lower than its middle the peak, and the edge above it, is so far aside."""
    return np.asarray(-head.drop * (x / head.wide) ** 2)


def _crown(head: Head, turn: Array, t: Array) -> Array:
    """Places of the crown: round the head (radians from the front), from the edge (0) to the top (1)."""
    front = np.clip(np.cos(turn), 0, 1) ** 2
    power = CLOSES + STANDS * front
    # evenly near the edge and near the top alike; straight on below the edge
    up = np.where(t > 0, 1 - (1 - np.clip(t, 0, 1)) ** CLOSES, CLOSES * t)
    near = (1 - np.clip(up, 0, 1) ** power) ** (1 / power)
    x, y = head.wide * np.sin(turn), -head.long * np.cos(turn)
    low = _edge_z(head, x, y)
    top = head.high
    return np.stack([near * x, near * y, low + (top - low) * up], axis=-1)


def _gore(name: str, head: Head, start_deg: float, end_deg: float) -> Panel:
    """A panel of the crown: worked out at lines round the head and up it, a little beyond its edges, and
    laid flat with as little stretch as there can be, least of all where letters go."""
    wide = end_deg - start_deg
    turn = np.radians(np.linspace(start_deg - BEYOND * wide, end_deg + BEYOND * wide, ALONG))
    t = np.concatenate([np.linspace(-BELOW, 0, 5)[:-1], np.linspace(0, TOPMOST, UP)])
    places = _crown(head, turn[None], t[:, None])
    middle = ALONG // 2
    reach = _runs(places, axis=1)
    up = _runs(places[:, middle], axis=0)
    start = np.stack([reach - reach[:, [middle]], np.broadcast_to((up - up[4])[:, None], reach.shape)], -1)
    aside, high = start[..., 0] / ASIDE_MM, (start[..., 1] - LETTERS_MM) / (0.75 * LETTERS_MM)
    flat = flattened(places, start, np.exp(-(aside**2) - high**2))
    # it is upright, its edge's middle at the origin
    spine = flat[-1, middle] - flat[4, middle]
    lean = np.arctan2(spine[0], spine[1])
    flat = (flat - flat[4, middle]) @ np.array(
        [[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]]
    )
    off = BEYOND / (1 + 2 * BEYOND) * (ALONG - 1)
    first, last = round(off), ALONG - 1 - round(off)
    ring = [
        (flat[4, first : last + 1], "band"),
        (flat[4:, last], "gore"),
        (flat[-1, first : last + 1][::-1][[0, -1]], "button"),
        (flat[4:, first][::-1], "gore"),
    ]
    if 180.0 in (start_deg, end_deg):
        ring = _opened(ring, at_end=end_deg == 180.0)
    lines = [interpolate.RectBivariateSpline(t, turn, flat[..., axis]) for axis in (0, 1)]
    known = np.stack(np.broadcast_arrays(t[:, None], turn[None]), axis=-1).reshape(-1, 2)
    tree = spatial.cKDTree(flat.reshape(-1, 2))

    def place(uv: Array) -> Array:
        at = known[tree.query(uv)[1]]
        for _ in range(NEWTON):
            off = np.stack([one.ev(*at.T) for one in lines], axis=1) - uv
            a, b, c, d = (one.ev(*at.T, dx=1 - k, dy=k) for one in lines for k in (0, 1))
            step = np.stack([d * off[:, 0] - b * off[:, 1], a * off[:, 1] - c * off[:, 0]], axis=1)
            at = np.clip(at - step / (a * d - b * c)[:, None], (t[0], turn[0]), (t[-1], turn[-1]))
        return _crown(head, at[:, 1], at[:, 0])

    return _panel(name, ring, place)


def _opened(ring: list[tuple[Array, str]], *, at_end: bool) -> list[tuple[Array, str]]:
    """The runs of a panel beside the middle of the back, its lower corner there (at the end of its band, or
    at the start) cut away for the opening."""
    (band, _), (end, _), top, (start, _) = ring
    low = shapely.LineString(band[::-1] if at_end else band)  # both from the corner on
    up = shapely.LineString(end if at_end else start[::-1])
    left, over = (
        shapely.get_coordinates(shapely.ops.substring(line, far, line.length))
        for line, far in zip((low, up), OPENING_MM, strict=True)
    )
    corner, turn = np.array(low.coords[0]), np.linspace(0, np.pi / 2, 15)[:, None]
    beside, above = left[0] - corner, over[0] - corner
    power = 2 / OPENING_POWER
    arc = corner + np.cos(turn) ** power * beside + np.sin(turn) ** power * above
    arc[[0, -1]] = left[0], over[0]
    if at_end:
        return [(left[::-1], "band"), (arc, "opening"), (over, "gore"), top, (start, "gore")]
    return [(left, "band"), (end, "gore"), top, (over[::-1], "gore"), (arc[::-1], "opening")]


def _runs(line: Array, axis: int) -> Array:
    """How far along lines of places their places are, the lines along ``axis``."""
    steps = np.linalg.norm(np.diff(line, axis=axis), axis=-1)
    return np.concatenate(
        [np.zeros_like(np.take(steps, [0], axis)), np.cumsum(steps, axis=axis)], axis=axis
    )


def flattened(places: Array, start: Array, weight: Array) -> Array:
    """A lattice of places (rows, columns, 3) laid flat, (rows, columns, 2), from ``start`` on: distances to
    neighbours are off by as little as there can be, in the sense of squares, weighed by ``weight``."""
    number = np.arange(weight.size).reshape(weight.shape)
    pairs = np.concatenate(
        [
            np.stack([number[a].ravel(), number[b].ravel()], axis=1)
            for a, b in (
                (np.s_[:, :-1], np.s_[:, 1:]),
                (np.s_[:-1], np.s_[1:]),
                (np.s_[:-1, :-1], np.s_[1:, 1:]),
                (np.s_[1:, :-1], np.s_[:-1, 1:]),
            )
        ]
    )
    long = np.linalg.norm(np.diff(places.reshape(-1, 3)[pairs], axis=1)[:, 0], axis=1)
    pull = np.sqrt(LEAST_WEIGHT + weight.ravel()[pairs].mean(axis=1)) / np.sqrt(np.maximum(long, 0.3))
    flat = start.reshape(-1, 2).copy()
    rows = np.repeat(np.arange(len(pairs)), 4)
    columns = (2 * pairs[:, :, None] + np.arange(2)).reshape(len(pairs), 4).ravel()
    still = sparse.eye_array(flat.size) * 1e-9
    for _ in range(ROUNDS):  # Gauss and Newton's steps
        way = flat[pairs[:, 1]] - flat[pairs[:, 0]]
        now = np.maximum(np.linalg.norm(way, axis=1), 1e-9)
        unit = way / now[:, None] * pull[:, None]
        slope = sparse.csr_array((np.concatenate([-unit, unit], axis=1).ravel(), (rows, columns)))
        step = sparse_linalg.spsolve((slope.T @ slope + still).tocsc(), slope.T @ (pull * (long - now)))
        flat += step.reshape(-1, 2)
    return flat.reshape(start.shape)


def _panel(name: str, runs: list[tuple[Array, str]], place: Any, *, thick_mm: float = CLOTH_MM) -> Panel:
    """A panel whose surface is interpolated by cubic B-splines through places of a lattice."""
    ring = gridded(np.concatenate([points[:-1] for points, _ in runs]))
    ring = np.append(ring, ring[:1], axis=0)
    parts, at = [], 0
    for points, seam in runs:
        parts.append(Run(ring[at : at + len(points)], seam))
        at += len(points) - 1
    corner = ring.min(axis=0) - 3 * STEP_MM
    columns, rows = (np.ceil((np.ptp(ring, axis=0) + 6 * STEP_MM) / STEP_MM).astype(int) + 1).tolist()
    u, v = np.meshgrid(*(corner[k] + STEP_MM * np.arange(n) for k, n in ((0, columns), (1, rows))))
    places = place(np.stack([u.ravel(), v.ravel()], axis=1)).reshape(rows, columns, 3)
    values = np.stack(
        [ndimage.spline_filter(places[..., axis], order=3, mode="nearest") for axis in range(3)], axis=-1
    )
    return Panel(
        name, tuple(parts), rib=False, thick_mm=thick_mm, corner=corner, step=STEP_MM, values=values
    )


def _peak(head: Head, long: float) -> Panel:
    """The peak: flat along the way that it looks, bent across it, so that it is a flat pattern exactly."""
    slope = np.tan(np.radians(DROP_DEG))
    end = np.radians(PEAK_DEG)
    turn = np.linspace(-end, end, 61)
    near = np.stack([head.wide * np.sin(turn), -head.long * np.cos(turn)], axis=1)
    near *= 1 - UNDER_MM / head.long
    # its outer edge goes out most in front and meets the crown at both ends
    out = long * np.cos(0.5 * np.pi * turn / end) ** 0.55
    way = np.stack([0.42 * np.sin(turn), -np.ones(len(turn))], axis=1)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    far = near + out[:, None] * way
    x = np.linspace(-1.5 * head.wide, 1.5 * head.wide, 1201)
    lean = np.hypot(1, slope)  # a step along the way that it looks, of a level one
    across = np.hypot(np.gradient(x), np.gradient(_fall(head, x)) / lean)
    along = np.cumsum(across) - across / 2
    along -= along[600]

    def flat(xy: Array) -> Array:
        up = (xy[:, 1] + head.long) * lean + _fall(head, xy[:, 0]) * slope / lean
        return np.column_stack([np.interp(xy[:, 0], x, along), up])

    def place(uv: Array) -> Array:
        aside = np.interp(uv[:, 0], along, x)
        fall = _fall(head, aside)
        away = (uv[:, 1] - fall * slope / lean) / lean
        return np.column_stack([aside, away - head.long, fall + slope * away])

    # (u, v) of the reader's: v up is towards the crown, seen from above and before
    return _panel("peak", [(flat(far), ""), (flat(near[::-1]), "band")], place, thick_mm=PEAK_MM)


def _strap(head: Head) -> Panel:
    """The strap across the opening, just within the crown's inside, as far beyond it on both sides."""
    low, high = STRAP_MM
    long = OPENING_MM[0] + STRAP_IN_MM
    t = np.linspace(-0.1, 0.5, 121)  # below the edge too: a surface is known beyond its ends
    up = _runs(_crown(head, np.full(len(t), np.pi), t), axis=0)
    up -= np.interp(0.0, t, up)
    turn = np.pi + np.linspace(-0.6 * np.pi, 0.6 * np.pi, 401)
    middle = np.interp((low + high) / 2, up, t)
    along = _runs(_crown(head, turn, np.full(len(turn), middle)), axis=0)
    along -= along[200]
    within = CLOTH_MM + 0.4

    def place(uv: Array) -> Array:
        round_, at = np.interp(uv[:, 0], along, turn), np.interp(uv[:, 1], up, t)
        e = 1e-4
        aside = _crown(head, round_ + e, at) - _crown(head, round_ - e, at)
        upward = _crown(head, round_, at + e) - _crown(head, round_, at)
        return np.asarray(_crown(head, round_, at) - within * unit(np.cross(aside, upward)))

    corners = np.array([[-long, low], [long, low], [long, high], [-long, high], [-long, low]])
    runs = [(corners[k : k + 2], "") for k in range(4)]
    return _panel("strap", runs, place, thick_mm=STRAP_THICK_MM)


@remembered
def panels_of(cap: PeakedCap) -> tuple[Panel, ...]:
    """The panels of the crown and the peak, the lowest place of the edge on z = 0."""
    head = head_of(cap)
    panels = [_gore(name, head, *ends) for name, ends in PANELS.items()]
    panels += [_strap(head), _peak(head, cap.peak_mm)]
    low = min(float(panel.place(run.points)[:, 2].min()) for panel in panels for run in panel.runs)
    for panel in panels:
        panel.values[..., 2] += PEAK_MM - low  # the peak is thick downward
    return tuple(panels)


def peaked_cap_body(cap: PeakedCap, *, detail: Detail) -> Body:
    """A cap on its edge, the peak facing -y."""
    shells: list[Shell] = []
    sheets: list[Sheet] = []
    panels = panels_of(cap)
    for panel in panels:
        peak = panel.name == "peak"
        slot: FinishSlot = "rim" if peak else "blank"
        side, net, rough = side_of(panel, detail=detail)
        if panel.name == "strap":
            shells += [taped(panel.name, side, net, panel.thick_mm), _slide(panel)]
            continue
        if panel.name == "front":  # beyond it letters are drawn by what the cloth is eased
            eased = shapely.difference(side.domain, shapely.box(-TRUE_MM[0], 0, *TRUE_MM))
            side = replace(side, clear=(ClearZone("eased part", eased),))
        sheets.append(Sheet(side, slot, solid=panel.name, net=net, rough=rough))
        shells.append(Shell(f"{panel.name} inner", slot, lining(side, net, panel.thick_mm), panel.name))
        if not detail.fine:
            continue
        far = [3.0 + TAPE_MM * number for number in range(ROWS)] if peak else [0.5 * TAPE_MM]
        hems = [
            (line, one)
            for seam in (("",) if peak else ("gore", "opening"))
            for line in joined([shapely.LineString(run.points) for run in panel.runs if run.seam == seam])
            for one in far
        ]
        shells += stitched(panel.name, side, hems)
        if not peak:
            shells += _eyelets(panel)
    top = panels[0].place(panels[0].runs[2].points).mean(axis=0)
    shells.append(Shell("button", "rim", _button(top), "button"))
    return Body(tuple(shells), tuple(sheets))


def _slide(strap: Panel) -> Shell:
    """What the strap is drawn through, to make it shorter."""
    half, thick = SLIDE_MM
    low, high = STRAP_MM
    ring = shapely.box(SLIDE_AT_MM - half, low - thick, SLIDE_AT_MM + half, high + thick).exterior
    uv = shapely.get_coordinates(shapely.segmentize(ring, 1.5))
    line = strap.place(uv) + 0.6 * thick * strap.normal(uv)
    return Shell("slide", "steel", bar(line, np.full(len(line), thick), 8), "slide")


def _button(top: Array) -> Any:
    """Covered with cloth, on the top."""
    turn = np.linspace(0, np.pi / 2, 9)
    dome = np.stack([BUTTON_MM * np.cos(turn), 4.6 * np.sin(turn) ** 0.9], axis=1)
    profile = np.concatenate([[[0.0, -2.5], [BUTTON_MM * 0.94, -2.5]], dome])
    return lathed(profile, top, np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0]), 40)


def _eyelets(panel: Panel) -> list[Shell]:
    """Embroidered rings in the upper part of a panel; the front is as wide as two."""
    high = EYELET_AT * panel.outline.bounds[3]
    apart = 0.42 * panel.outline.bounds[2]
    turn = np.radians(np.arange(0, 361, 15))
    shells = []
    for aside, side in ((-apart, " right"), (apart, " left")) if panel.name == "front" else ((0.0, ""),):
        uv = np.column_stack([aside + EYELET_MM[0] * np.cos(turn), high + EYELET_MM[0] * np.sin(turn)])
        ring = panel.place(uv) + 0.3 * EYELET_MM[1] * panel.normal(uv)
        name = f"{panel.name}{side} eyelet"
        shells.append(Shell(name, "detail", bar(ring, np.full(len(ring), EYELET_MM[1]), 8), name))
    return shells
