"""The passenger aeroplane: a round body with cabin windows and doors, a fin that takes lettering, wings,
tailplane, engines and gear."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Inset, Shell
from kilnchisel.core.blanks.longbody import Long, angle_up, long_body
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.outlines import rectangle
from kilnchisel.core.blanks.tubes import lathed, plate, tube
from kilnchisel.core.blanks.vehicles.bodywork import together
from kilnchisel.core.blanks.vehicles.fittings import pillow
from kilnchisel.core.blanks.vehicles.foils import Foil, finned
from kilnchisel.core.blanks.vehicles.panelwork import (
    Made,
    area_of,
    pieces,
    ring_of,
    rounded,
    seam_of,
    zones,
)
from kilnchisel.core.blanks.vehicles.wheels import wheel
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.vehicles import Aeroplane

Array = NDArray[Any]

X, Y, Z = np.eye(3)
NOSE, TAIL = 1.5, 3.0  # how long they are, by diameters of the body
CLEAR = 0.36  # under the body, by its diameter
SIDE_DEG = 80.0  # up and down from level a side reaches
WINDOW_STRAY_MM = 2.5  # its outline from a true one: each of its points is paid for by every lettering
WINDOW_MM = (250.0, 370.0)
ROOT_MM = 20.0  # from the middle, within the body: there a wing begins
SKIN = 0.0005  # how thick its skin is, by the diameter: 1.6 mm at 3.3 m, common practice
FOOT = 0.13  # of the fin: there its sides begin that take lettering
UP = 0.13  # how high the windows are over the middle, by the diameter
# the cockpit's panes: along by share of the nose, up in degrees
PANES: tuple[tuple[tuple[float, float], ...], ...] = (
    ((0.335, 47), (0.315, 79), (0.455, 79), (0.472, 62), (0.44, 47)),
    ((0.345, 42), (0.45, 42), (0.492, 60), (0.575, 53), (0.505, 24), (0.40, 24)),
    ((0.53, 24), (0.598, 51), (0.675, 44), (0.66, 24)),
)


def aeroplane_body(plane: Aeroplane, *, detail: Detail) -> Body:
    """An aeroplane on its gear, heading to -x: its left side faces the front."""
    shells, sheets = long_body(_fuselage(plane, detail=detail), detail=detail)
    fin, names = fin_of(plane), ("fin, left", "fin, right")
    fin_shells, fin_sheets = finned(fin, names, FOOT, SKIN * plane.width_mm, "fin", detail=detail)
    foot = fin.solid(detail=detail, end=FOOT)
    more = [
        Shell("fin's root", "blank", foot, "fin's root"),
        *_wings(plane, detail=detail),
        *_engines(plane, detail=detail),
        *_gear(plane, detail=detail),
    ]
    return Body((*shells, *fin_shells, *together(more)), (*sheets, *fin_sheets), lengthwise=True)


def _middle(plane: Aeroplane) -> float:
    """How high the middle of its body is."""
    return plane.width_mm * (0.5 + CLEAR)


def _ends(plane: Aeroplane, s: Array) -> tuple[Array, Array]:
    """How far into the nose and into the tail places are, by shares of those."""
    ahead = np.clip(1 - s / (NOSE * plane.width_mm), 0, 1)
    return ahead, np.clip(1 - (plane.length_mm - s) / (TAIL * plane.width_mm), 0, 1)


def _radius(plane: Aeroplane, s: Array) -> Array:
    """Of its body, s mm from the nose."""
    d, (ahead, behind) = plane.width_mm, _ends(plane, s)
    return np.asarray(d / 2 * np.sqrt(np.maximum(1 - ahead**2.1, 0)) * (1 - 0.9 * behind**1.7))


def _centre(plane: Aeroplane, s: Array) -> Array:
    """How high the middle of its section is: the nose droops, the tail sweeps up."""
    d, (ahead, behind) = plane.width_mm, _ends(plane, s)
    return np.asarray(_middle(plane) - 0.15 * d * ahead**2 + 0.34 * d * behind**1.7)


def _at(plane: Aeroplane, s: Array, size: Array, angle: Array) -> Array:
    up = _centre(plane, s) + size * np.sin(angle)
    return np.stack([s - plane.length_mm / 2, -size * np.cos(angle), up], axis=1)


def _fuselage(plane: Aeroplane, *, detail: Detail) -> Long:
    d, long = plane.width_mm, plane.length_mm
    nose, radius = NOSE * d, partial(_radius, plane)
    first, last = 0.3 * nose, long - 0.35 * TAIL * d
    steps = np.linspace(0, 1, 25 if detail.fine else 8)
    near_s = first * (1 - np.cos(np.pi / 2 * steps))
    far_s = np.linspace(last, long, 25 if detail.fine else 7)
    near = np.stack([near_s, radius(near_s)], axis=1)
    far = np.concatenate([np.stack([far_s, radius(far_s)], axis=1), [[long, 0.0]]])
    # closer together where it narrows
    places = np.concatenate(
        [
            np.linspace(first, nose, 33 if detail.fine else 9),
            np.linspace(nose, long - TAIL * d, 41 if detail.fine else 9)[1:],
            np.linspace(long - TAIL * d, last, 33 if detail.fine else 9)[1:],
        ]
    )
    insets, clear = _on_side(plane, first, last)
    return Long(
        partial(_at, plane),
        radius,
        partial(angle_up, d / 2),
        d / 2 * np.radians(SIDE_DEG),
        (first, last),
        (near, far),
        ("left side", "right side"),
        wall_mm=SKIN * d,
        columns=(places - first) / (last - first),
        insets=insets,
        clear=clear,
    )


def _on_side(plane: Aeroplane, first: float, last: float) -> Made:
    """What the left side has, on its sheet."""
    d, long = plane.width_mm, plane.length_mm
    middle, nose = (first + last) / 2, NOSE * d
    v = d / 2 * np.arcsin(2 * UP)

    def door(s: float, wide: float, high: float, low: float) -> Any:
        return rounded(shapely.box(s - middle, low, s - middle + wide, low + high), 0.3 * wide)

    floor = -0.1 * d
    doors = [
        door(nose + 0.05 * d, 850.0, min(1880.0, 0.6 * d), floor),
        door(long - TAIL * d - 0.35 * d, 780.0, min(1780.0, 0.56 * d), floor),
    ]
    exits = [door(0.485 * long + k * 1150.0, 520.0, 930.0, v - 560.0) for k in (0, 1)]
    start, end = doors[0].bounds[2] + 450.0, doors[1].bounds[0] - 450.0
    every = plane.window_every_mm
    count = max(int((end - start) // every), 0) + 1
    spots = (start + end) / 2 + (np.arange(count) - (count - 1) / 2) * every
    one = rectangle(*WINDOW_MM, 0.42 * WINDOW_MM[0], detail=Detail.FINE)[0]
    one = shapely.get_coordinates(shapely.simplify(shapely.Polygon(one), WINDOW_STRAY_MM))[:-1]
    panes = [shapely.Polygon(one + (u, v)) for u in spots.tolist()]
    # a window that an exit's seam would run through has its place in its middle
    edges = [seam_of(leaf, 90.0) for leaf in exits]
    panes = [pane for pane in panes if not any(pane.intersects(edge) for edge in edges)]
    panes += [
        shapely.Polygon(one + (np.mean(leaf.bounds[::2]), v))
        for leaf in exits
        if not any(leaf.contains(pane) for pane in panes)
    ]
    lights = [
        shapely.Point(np.mean(leaf.bounds[::2]), leaf.bounds[3] - 480.0).buffer(85.0) for leaf in doors
    ]
    cockpit = [
        rounded(
            shapely.Polygon([(s * nose - middle, d / 2 * np.radians(deg)) for s, deg in corners]), 0.012 * d
        )
        for corners in PANES
    ]
    seams = shapely.union_all([seam_of(leaf, 22.0) for leaf in (*doors, *exits)])
    insets = (
        Inset("windows", "detail", area_of(*panes, *lights, *cockpit), -14.0),
        Inset("window frames", "rim", area_of(*(ring_of(pane, 26.0) for pane in cockpit)), -3.0),
        Inset("door seams", "under", area_of(seams), -9.0),
    )
    cabin = sorted(panes, key=lambda pane: pane.bounds[0])
    row = shapely.box(cabin[0].bounds[0], v - WINDOW_MM[1] / 2, cabin[-1].bounds[2], v + WINDOW_MM[1] / 2)
    keep = {
        "windows": [row.buffer(40.0), *(pane.buffer(40.0) for pane in cockpit)],
        "door seams": [piece for leaf in (*doors, *exits) for piece in pieces(leaf, 25.0)],
    }
    return insets, zones(keep)


def fin_of(plane: Aeroplane) -> Foil:
    """Its fin, from within the body up."""
    d, long = plane.width_mm, plane.length_mm
    chord = 0.78 * plane.fin_mm + 0.3 * d
    foot = _middle(plane) + 0.36 * d
    high = _middle(plane) + d / 2 + plane.fin_mm - foot
    start = long / 2 - 0.45 * d - chord
    return Foil(
        np.array([start, 0.0, foot]), np.array([0.8 * high, 0.0, high]), (chord, 0.4 * chord), 0.1, Y
    )


def _wings(plane: Aeroplane, *, detail: Detail) -> list[Shell]:
    """Wings with tips that turn up, the tailplane, and the fairing under the body."""
    d, long = plane.width_mm, plane.length_mm
    half, low = plane.span_mm / 2, _middle(plane) - 0.33 * d
    root = 0.19 * long
    shells = []
    behind = fin_of(plane)
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        reach = np.array([0.5 * half, way * half, 0.09 * half])
        wing = Foil(np.array([-0.1 * long, way * ROOT_MM, low]), reach, (root, 0.27 * root), 0.12, Z)
        tip = wing.root + wing.reach + np.array([0.02 * root, -way * 30.0, 0.0])
        turned = Foil(
            tip, np.array([0.2 * root, way * 0.04 * root, 0.26 * root]), (0.25 * root, 0.1 * root), 0.09, Y
        )
        plane_root = np.array(
            [behind.root[0] + 0.5 * behind.chords[0], way * ROOT_MM, _middle(plane) + 0.2 * d]
        )
        tailplane = Foil(
            plane_root,
            np.array([0.24 * half, way * 0.36 * half, 0.03 * half]),
            (0.42 * root, 0.17 * root),
            0.1,
            Z,
        )
        for name, foil in (("wing", wing), ("wing tip", turned), ("tailplane", tailplane)):
            shells.append(Shell(f"{hand} {name}", "rim", foil.solid(detail=detail), f"{hand} {name}"))
    fairing = pillow(
        np.array([-0.1 * long + 0.55 * root, 0.0, low - 0.02 * d]),
        np.array([0.85 * root, 0.5 * d, 0.24 * d]),
        0.75,
        detail=detail,
    )
    return [*shells, Shell("fairing", "blank", fairing, "fairing")]


def _engines(plane: Aeroplane, *, detail: Detail) -> list[Shell]:
    """Nacelle, fan and spinner, and what holds them."""
    d, long, half = plane.width_mm, plane.length_mm, plane.span_mm / 2
    r = 0.245 * d
    shells: list[Shell] = []
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        if plane.engines == "under the wings":
            start = np.array([-0.1 * long + 0.17 * half - 0.55 * d, way * 0.34 * half, 0.0])
            start[2] = _middle(plane) - 0.33 * d + 0.03 * half - 1.12 * r
            pylon = shapely.Polygon(
                [(1.0 * r, 0.8 * r), (4.4 * r, 0.3 * r), (5.6 * r, 1.12 * r), (2.2 * r, 1.12 * r)]
            )
            held = plate(pylon, start + (0, 0.09 * r, 0), X, Z, 0.18 * r)
        else:
            out = way * (0.5 * d + 1.25 * r)
            start = np.array([long / 2 - (TAIL + 0.35) * d, out, _middle(plane) + 0.2 * d])
            flat = shapely.box(0.9 * r, 0.0, 3.6 * r, 1.6 * r)
            held = plate(flat, start - (0.0, way * 1.6 * r if way > 0 else 0.0, 0.11 * r), X, Y, 0.22 * r)
        around = 64 if detail.fine else 20
        parts: list[tuple[str, FinishSlot, Mesh]] = [
            ("nacelle", "blank", lathed(NACELLE * r, start, X, Y, around)),
            ("lip", "steel", lathed(LIP * r, start, X, Y, around)),
            ("core", "steel", lathed(CORE * r, start, X, Y, around)),
            ("spinner", "trim", lathed(SPINNER * r, start, X, Y, 32 if detail.fine else 12)),
            ("pylon", "rim", held),
        ]
        if detail.fine:
            parts.append(("fan", "steel", _fan(start, r)))
        shells += [Shell(f"{hand} {name}", slot, mesh, f"{hand} {name}") for name, slot, mesh in parts]
    return shells


# half way through an engine along its axis, by its radius: (out, along), counter-clockwise
NACELLE = np.array(
    [
        [0.84, 0.12],
        [0.82, 0.6],
        [0.0, 0.62],
        [0.0, 3.3],
        [0.66, 3.3],
        [0.72, 3.6],
        [0.78, 3.58],
        [0.92, 2.9],
        [1.0, 2.0],
        [1.02, 1.3],
        [0.99, 0.7],
        [0.94, 0.3],
        [0.9, 0.12],
    ]
)[::-1]
LIP = np.array(
    [[0.815, 0.2], [0.845, 0.05], [0.87, 0.0], [0.9, 0.03], [0.945, 0.17], [0.97, 0.3], [0.9, 0.34]]
)[::-1]
CORE = np.array([[0.0, 3.2], [0.6, 3.2], [0.52, 4.0], [0.4, 4.35], [0.16, 4.8], [0.0, 4.95]])
SPINNER = np.array([[0.0, 0.2], [0.1, 0.26], [0.2, 0.4], [0.26, 0.58], [0.26, 0.7], [0.0, 0.7]])
BLADES = 20


def _fan(start: Array, r: float) -> Mesh:
    """Its blades, each a little turned."""
    corners = np.array([(0.22, -0.05), (0.8, -0.1), (0.8, 0.1), (0.22, 0.05)])
    blade = shapely.Polygon(r * corners)
    meshes = []
    for n in range(BLADES):
        turn = 2 * np.pi * n / BLADES
        out = np.cos(turn) * Y + np.sin(turn) * Z
        flat = 0.75 * np.cross(X, out) + 0.66 * X
        flat = flat / np.linalg.norm(flat)
        meshes.append(plate(blade, start + 0.5 * r * X, out, flat, 0.02 * r))
    return join(meshes)


def _gear(plane: Aeroplane, *, detail: Detail) -> list[Shell]:
    """One leg under the nose, two under the wings, two wheels each."""
    d, long = plane.width_mm, plane.length_mm
    shells: list[Shell] = []
    main = -0.1 * long + 0.13 * long
    for name, x, y, r, wide in (
        ("nose", -long / 2 + 1.05 * NOSE * d, 0.0, 0.1 * d, 0.06 * d),
        ("left", main, -0.85 * d, 0.15 * d, 0.1 * d),
        ("right", main, 0.85 * d, 0.15 * d, 0.1 * d),
    ):
        top = _middle(plane) - 0.34 * d
        leg = np.array([[x, y, r], [x + 0.04 * d, y, top]])
        shells.append(Shell(f"{name} leg", "steel", tube(leg, 0.022 * d, detail=detail), f"{name} leg"))
        for way, hand in ((-1.0, "left"), (1.0, "right")):
            middle = np.array([x, y + way * 0.8 * wide, r])
            shells += wheel(f"{name} {hand}", middle, r, wide, way, face="pressed", detail=detail)
    return shells
