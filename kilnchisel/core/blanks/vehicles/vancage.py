"""The van's body as a cage: its outline seen from the side, rounded to both sides, bowed across."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.vehicles.subdivision import Cage, cage_of
from kilnchisel.core.job.bodies import Van

Array = NDArray[Any]

# the outline by share of a usual van's length (from its middle, heading to the left) and height, and how
# far it falls back towards the sides, mm; from under the bumper over bonnet, screen and roof to the rear
USUAL_LONG, USUAL_HIGH = 4950.0, 1980.0
OUTLINE = (
    ("nose", -0.488, 0.105, 120.0),
    ("nose", -0.500, 0.150, 125.0),
    ("nose", -0.503, 0.280, 125.0),
    ("nose", -0.498, 0.395, 120.0),
    ("bonnet", -0.484, 0.468, 112.0),
    ("bonnet", -0.436, 0.527, 60.0),
    ("cowl", -0.373, 0.566, 52.0),
    ("windscreen", -0.352, 0.592, 66.0),
    ("windscreen", -0.300, 0.765, 66.0),
    ("brow", -0.243, 0.930, 52.0),
    ("roof", -0.212, 0.976, 42.0),
    ("roof", -0.140, 0.993, 40.0),
    ("roof", 0.020, 1.000, 40.0),
    ("roof", 0.220, 1.003, 40.0),
    ("roof", 0.400, 0.998, 38.0),
    ("back edge", 0.488, 0.974, 24.0),
    ("rear", 0.497, 0.950, 16.0),
    ("rear", 0.500, 0.620, 14.0),
    ("rear", 0.502, 0.300, 14.0),
    ("rear", 0.502, 0.195, 14.0),
    ("", 0.495, 0.105, 14.0),
)
FRONT, TOP = 4, 16  # where the outline's front ends and its rear begins
HANDS = ("left", "right")
TAGS = (
    *(f"{hand} {part}" for part in ("side", "edge", "bumper corner", "bumper end") for hand in HANDS),
    *dict.fromkeys(row[0] for row in OUTLINE[:-1]),
)
BUMPER = (
    2  # of the outline's lines: up to there the front bumper goes; the rear one begins at the last but one
)
LOW = 0.105  # of the usual height: its underside
HEAD_ROOM = 0.93  # above it a higher van has more
CAB = -0.1  # behind it a longer van has more
ROUND_MM = 38.0  # how far from its edges the cage's next lines are
ACROSS = np.array([1.0, 0.68, 0.0, -0.68, -1.0])


@dataclass(frozen=True)
class Shape:
    """A van's measures, by the shares of a usual one."""

    van: Van

    @property
    def _cab(self) -> float:
        return float(USUAL_LONG * np.clip(self.van.length_mm / USUAL_LONG, 0.55, 1.12))

    def x(self, share: Any) -> Array:
        """By share of length: the cab keeps its own, the load takes the rest."""
        share, long = np.asarray(share, dtype=float), self.van.length_mm
        ahead = -long / 2 + (share + 0.5) * self._cab
        end = -long / 2 + (CAB + 0.5) * self._cab
        return np.asarray(
            np.where(share <= CAB, ahead, end + (share - CAB) / (0.5 - CAB) * (long / 2 - end))
        )

    def z(self, share: Any) -> Array:
        """By share of height: what a higher van has more is above the doors."""
        share, high = np.asarray(share, dtype=float), self.van.height_mm
        low = USUAL_HIGH * np.clip(high / USUAL_HIGH, 0.6, 1.06)
        more = (share - HEAD_ROOM) / (1 - HEAD_ROOM) * (high - HEAD_ROOM * low)
        return np.asarray(np.where(share <= HEAD_ROOM, share * low, HEAD_ROOM * low + more))

    def at(self, points: Any) -> Array:
        """Points (n, 2) by shares as (x, z)."""
        points = np.asarray(points, dtype=float)
        return np.stack([self.x(points[..., 0]), self.z(points[..., 1])], axis=-1)

    def half(self, x: Array, z: Array) -> Array:
        """Half its width: narrower towards the roof and the nose."""
        van = self.van
        up = np.clip((z / van.height_mm - 0.42) / 0.58, 0, 1)
        ahead = np.clip((-x / van.length_mm - 0.2) / 0.3, 0, 1)
        return np.asarray(van.width_mm / 2 * (1 - 0.1 * up**2 - 0.09 * ahead**2))

    @cached_property
    def low(self) -> float:
        """How high its underside is."""
        return float(self.z(LOW))

    @cached_property
    def outline(self) -> Array:
        """Its control points as (x, z)."""
        return self.at([row[1:3] for row in OUTLINE])

    @cached_property
    def bow(self) -> Array:
        """How far each falls back towards the sides, mm."""
        return np.array([row[3] for row in OUTLINE]) * self.van.width_mm / 1920.0

    @cached_property
    def inward(self) -> Array:
        """The way from the outline into it, (n, 2), unit; level at both ends."""
        step = np.gradient(self.outline, axis=0)
        # it runs up the front and back over the roof: inward is to its right
        way = np.stack([step[:, 1], -step[:, 0]], axis=1)
        way[0], way[-1] = (1.0, 0.0), (-1.0, 0.0)
        return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True))

    @property
    def bumper(self) -> float:
        """How high the front bumper goes, by share of height: where the surface has that line."""
        a, b, c = (row[2] for row in OUTLINE[BUMPER - 1 : BUMPER + 2])
        return (a + 4 * b + c) / 6

    @property
    def step(self) -> float:
        """The same of the rear one."""
        a, b, c = (row[2] for row in OUTLINE[-3:])
        return (a + 4 * b + c) / 6

    def cage(self) -> Cage:
        """The whole body but for its underside, heading to -x, its left side at -y."""
        left, right = self._side(), self._side() * (1, -1, 1)
        belt = self._belt()
        rim = np.concatenate([left[:, 0], left[-1, 1:], left[-2::-1, -1]])
        patches = [
            (left, TAGS.index("left side")),
            (right[:, ::-1], TAGS.index("right side")),
        ]
        edges = np.stack([belt[:, -1], rim], axis=1), np.stack([rim * (1, -1, 1), belt[:, 0]], axis=1)
        for hand, edge in zip(HANDS, edges, strict=True):
            patches += [
                (edge[: BUMPER + 1], TAGS.index(f"{hand} bumper corner")),
                (edge[BUMPER:-1], TAGS.index(f"{hand} edge")),
                (edge[-2:], TAGS.index(f"{hand} bumper end")),
            ]
        start = 0
        names = [row[0] for row in OUTLINE]
        for number in range(1, len(OUTLINE)):
            if number == len(OUTLINE) - 1 or names[number] != names[start]:
                patches.append((belt[start : number + 1], TAGS.index(names[start])))
                start = number
        return cage_of(patches)

    def _side(self) -> Array:
        """The left side, (rows, columns, 3), by what is between its borders (Coons 1967)."""
        rim = self.outline + self.inward * (self.bow + ROUND_MM)[:, None]
        front, top, rear = rim[: FRONT + 1], rim[FRONT : TOP + 1], rim[TOP:][::-1]
        u = (top[:, 0] - top[0, 0]) / (top[-1, 0] - top[0, 0])
        v = np.linspace(0, 1, FRONT + 1)
        bottom = np.stack([front[0, 0] + u * (rear[0, 0] - front[0, 0]), np.full(len(u), self.low)], axis=1)
        a, b = u[None, :, None], v[:, None, None]
        flat = (1 - b) * bottom + b * top + (1 - a) * front[:, None] + a * rear[:, None]
        flat -= (1 - a) * (1 - b) * bottom[0] + a * (1 - b) * bottom[-1]
        flat -= (1 - a) * b * top[0] + a * b * top[-1]
        return np.stack([flat[..., 0], -self.half(flat[..., 0], flat[..., 1]), flat[..., 1]], axis=-1)

    def _belt(self) -> Array:
        """All round from the nose to the rear, (stations, columns, 3)."""
        wide = self.half(self.outline[:, 0], self.outline[:, 1]) - ROUND_MM
        shift = self.inward[:, None] * (self.bow[:, None] * ACROSS**2)[..., None]
        flat = self.outline[:, None] + shift
        return np.stack([flat[..., 0], wide[:, None] * ACROSS, flat[..., 1]], axis=-1)
