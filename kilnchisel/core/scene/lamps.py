"""Lights that are set up round a piece, as flat panels in the scene: soft boxes, lamps, windows, the sun,
and what only throws light back or keeps it away."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import light_of_kelvin
from kilnchisel.core.job.setting import KeyLight, Light, StudioLight
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.light import Room, directions_of, room_of, sun_of, turned
from kilnchisel.core.scene.places import Sun

Array = NDArray[Any]

KEY_WHITE = 0.95  # what the key light adds to a white sheet facing it at 50 %
KEY_WARM = (1.0, 0.965, 0.92)
SUN_DEG = 0.53  # the sun's width
SUN_AWAY = 60.0  # how far off it is put, in radii of the piece; no more, for the precision of its rays
WHITE_CARD = 0.85  # reflectance of a reflector
CELLS = 96  # of a panel's picture each way
SOFT, RIM = 0.05, 0.35  # of a soft box: where its edge begins, and how much darker its rim is
PANES, BAR = (2, 3), 0.05  # of a window, and the width of its bars
RING = 0.62  # the inner over the outer width of a ring
PAINTED = (128, 256)  # rows and columns of a room with panels in it: as many as the draft mirrors


@dataclass(frozen=True, eq=False)
class Panel:
    """A flat light. ``facing``: the unit normal of its bright side; half (2,): half its width and height;
    radiance (3,): the mean of its face; ``face`` (h, w): how it differs from that, row 0 below, None where
    it is even. ``throws``: the reflectance of one that has no light of its own (0 of a flag), else None."""

    middle: Array
    facing: Array
    half: Array
    radiance: Array
    face: Array | None = None
    throws: float | None = None

    @property
    def edges(self) -> tuple[Array, Array]:
        """Two unit vectors along its sides."""
        side = np.cross([0.0, 0.0, 1.0], self.facing)
        length = float(np.linalg.norm(side))
        side = np.array([1.0, 0.0, 0.0]) if length < 1e-6 else side / length
        return side, np.cross(self.facing, side)

    @property
    def corners(self) -> Array:
        """(4, 3), one after the other."""
        side, up = self.edges
        signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * self.half
        return np.asarray(self.middle + signs[:, :1] * side + signs[:, 1:] * up)

    @property
    def area(self) -> float:
        """mm²."""
        return float(4 * self.half[0] * self.half[1])

    def on(self, point: Array, normals: Array) -> Array:
        """Irradiance / pi on unit normals (..., 3) at a point it shines on, by its middle: (..., 3)."""
        way = self.middle - point
        far = float(np.linalg.norm(way))
        way = way / far
        share = self.area * max(-float(way @ self.facing), 0.0) / far**2 / np.pi
        return np.asarray(np.clip(normals @ way, 0, None)[..., None] * share * self.radiance)

    def adds(self, point: Array) -> float:
        """What it adds to a white sheet at a point that faces it."""
        way = self.middle - point
        return float(self.on(point, way / np.linalg.norm(way)).mean())

    def seen(self, origin: Array, directions: Array) -> tuple[Array, Array]:
        """Radiance (n, 3) that a point sees of it in unit directions (n, 3), and how much of it covers what
        is behind, (n,)."""
        toward = -(directions @ self.facing)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.where(toward > 1e-6, ((self.middle - origin) @ -self.facing) / toward, -1.0)
        side, up = self.edges
        hits = origin + t[:, None] * directions - self.middle
        u, v = hits @ side / self.half[0], hits @ up / self.half[1]
        inside = (t > 0) & (np.abs(u) <= 1) & (np.abs(v) <= 1)
        sent = np.zeros((len(directions), 3))
        if self.face is None:
            sent[inside] = self.radiance
            return sent, inside.astype(float)
        rows, columns = self.face.shape
        row = np.clip(((v[inside] + 1) / 2 * rows).astype(int), 0, rows - 1)
        column = np.clip(((u[inside] + 1) / 2 * columns).astype(int), 0, columns - 1)
        here = self.face[row, column]
        sent[inside] = here[:, None] * self.radiance
        cover = np.zeros(len(directions))
        cover[inside] = here > 0
        return sent, cover


def toward_of(turn_deg: float, tilt_deg: float) -> Array:
    """The unit vector to a light: turned from the front, below zero to the left, and raised."""
    turn, tilt = np.radians(turn_deg), np.radians(tilt_deg)
    return np.array([np.sin(turn) * np.cos(tilt), -np.cos(turn) * np.cos(tilt), np.sin(tilt)])


def key_panel(key: KeyLight, middle: Array, radius_mm: float) -> Panel | None:
    """The key light aimed at ``middle`` from outside the piece; None when it is off.

    Its radiance is set so that what it adds does not depend on its size or distance.
    """
    if key.strength <= 0:
        return None
    toward = toward_of(key.turn_deg, key.tilt_deg)
    distance = max(900.0, 5 * radius_mm)
    size = key.size_mm * distance / 900.0
    radiance = KEY_WHITE * key.strength / 50 * np.pi * distance**2 / size**2
    return Panel(middle + distance * toward, -toward, np.full(2, size / 2), radiance * np.array(KEY_WARM))


def lamp_panel(lamp: StudioLight, middle: Array, radius_mm: float) -> Panel | None:
    """A light that is set up, as it stands round a piece of this middle and radius; None when it is off."""
    if not lamp.on:
        return None
    toward = toward_of(lamp.turn_deg, lamp.tilt_deg)
    if lamp.kind == "sun":
        distance = SUN_AWAY * radius_mm
        half = np.full(2, distance * np.tan(np.radians(SUN_DEG / 2)))
    else:
        distance = max(lamp.distance_mm, 1.1 * radius_mm)  # not inside the piece
        half = np.array([lamp.width_mm, lamp.height_mm]) / 2
    throws = {"reflector": WHITE_CARD, "flag": 0.0}.get(lamp.kind)
    area = 4 * half[0] * half[1]
    strength = 0.0 if throws is not None else lamp.strength / 100 * np.pi * distance**2 / area
    colour = light_of_kelvin(lamp.kelvin)
    return Panel(
        middle + distance * toward, -toward, half, strength * colour, _face(lamp.kind), throws=throws
    )


def sun_panel(sun: Sun, turn: float, middle: Array, radius_mm: float) -> Panel:
    """The sun of a place that is turned by so much (radians)."""
    toward = turned(sun.toward, -turn)
    distance = SUN_AWAY * radius_mm
    half = np.full(2, distance * np.tan(np.radians(SUN_DEG / 2)))
    radiance = sun.light * distance**2 / (4 * half[0] * half[1])
    return Panel(middle + distance * toward, -toward, half, radiance, _face("sun"))


@remembered
def _face(kind: str) -> Array | None:
    """What the face of a light looks like, its mean 1; None where it is even."""
    if kind in ("reflector", "flag"):
        return None
    at = (np.arange(CELLS) + 0.5) / CELLS * 2 - 1
    across, up = np.meshgrid(at, at)
    if kind == "soft box":
        edge = np.minimum(1 - np.abs(across), 1 - np.abs(up))
        face = np.clip(edge / (2 * SOFT), 0, 1) * (1 - RIM * np.clip(np.hypot(across, up), 0, 1) ** 2)
    elif kind == "octagon":
        far = np.maximum.reduce([np.abs(across), np.abs(up), (np.abs(across) + np.abs(up)) / np.sqrt(2)])
        face = np.clip((1 - far) / (2 * SOFT), 0, 1) * (1 - RIM * np.clip(far, 0, 1) ** 2)
    elif kind == "window":
        columns, rows = PANES
        x, y = (across + 1) / 2 * columns % 1, (up + 1) / 2 * rows % 1
        open_ = (np.abs(x - 0.5) < 0.5 - BAR / 2 * columns) & (np.abs(y - 0.5) < 0.5 - BAR / 2 * rows)
        face = open_ * (0.8 + 0.2 * up)  # lighter towards the sky
    else:
        far = np.hypot(across, up)
        inner = RING if kind == "ring" else 0.0
        face = ((far <= 1) & (far >= inner)).astype(float)
    face = face / face.mean()
    return np.asarray(face.astype(np.float32))


def panels_of(light: Light, middle: Array, radius_mm: float) -> tuple[Panel, ...]:
    """All panels of a setting's light round a piece, the strongest first."""
    found = [key_panel(light.key, middle, radius_mm)]
    found += [lamp_panel(lamp, middle, radius_mm) for lamp in light.lamps]
    if (sun := sun_of(light)) is not None:
        found.append(sun_panel(*sun, middle, radius_mm))
    return tuple(sorted((one for one in found if one is not None), key=lambda one: -one.adds(middle)))


@remembered
def draft_room(light: Light, middle: tuple[float, float, float], radius_mm: float) -> Room:
    """The room with all panels but the strongest painted into it, as the draft takes it."""
    at = np.array(middle)
    panels = panels_of(light, at, radius_mm)
    main = next((one for one in panels if one.throws is None), None)
    return painted(room_of(light), tuple(one for one in panels if one is not main), at)


def painted(room: Room, panels: tuple[Panel, ...], middle: Array) -> Room:
    """The room with panels as they are seen from ``middle``, for renderers that know no other light."""
    if not panels:
        return room
    rows, columns = PAINTED
    room = room.coarser(rows, columns)
    # the picture's own azimuth is the scene's plus the room's turn
    ways = turned(directions_of(rows, columns), -room.turn)
    seen = np.asarray(room.seen(ways), dtype=np.float64)
    for panel in sorted(panels, key=lambda one: -float(np.linalg.norm(one.middle - middle))):
        sent, cover = panel.seen(middle, ways)
        if panel.throws is not None:
            lit = sum(other.adds(panel.middle) for other in panels if other.throws is None)
            sent = cover[:, None] * panel.throws * (lit + float(room.radiance.mean()))
        seen = seen * (1 - cover[:, None]) + sent
    return Room(seen.reshape(rows, columns, 3).astype(np.float32), room.turn)
