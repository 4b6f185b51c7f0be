"""A vehicle's body as a cage: its outline seen from the side, rounded to both sides, bowed across."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.vehicles.subdivision import Cage, cage_of

Array = NDArray[Any]

HANDS = ("left", "right")
OF_A_HAND = ("side", "edge", "bumper corner", "bumper end")


@dataclass(frozen=True)
class Outline:
    """An outline seen from the side, heading to the left.

    ``rows``: what follows on each of its points; its place by share of length (from the middle) and of
    height; how far it falls back towards the sides, mm on a body ``wide`` mm wide. From under the front
    bumper over bonnet, screen and roof to under the rear one. ``front``, ``top``: where its front ends
    and its rear begins, as many from the first to the one as from the other to the last. ``bumper``,
    ``step``: the points up to which the front bumper goes, and at which the rear one begins.
    ``round_mm``: how far from its edges the cage's next lines are.
    """

    rows: tuple[tuple[str, float, float, float], ...]
    front: int
    top: int
    bumper: int
    step: int
    wide: float
    round_mm: float = 38.0
    across: tuple[float, ...] = (1.0, 0.68, 0.0, -0.68, -1.0)

    def __post_init__(self) -> None:
        assert len(self.rows) - self.top == self.front + 1
        assert self.rows[0][2] == self.rows[-1][2]

    @cached_property
    def tags(self) -> tuple[str, ...]:
        """The names of its parts, by the number that the cage's faces have."""
        hands = (f"{hand} {part}" for part in OF_A_HAND for hand in HANDS)
        return (*hands, *dict.fromkeys(row[0] for row in self.rows[:-1]))

    def tag(self, *names: str) -> tuple[int, ...]:
        """The numbers of parts by their names."""
        return tuple(self.tags.index(name) for name in names)


@dataclass(frozen=True)
class Shape:
    """A body's measures, mm, by the shares of its outline. ``x``, ``z`` and ``half`` are of its kind;
    ``middle``: the x of its middle and of that of its sides' sheets."""

    long: float
    wide: float
    high: float
    middle: float = 0.0

    drawn: ClassVar[Outline]

    def x(self, share: Any) -> Array:
        """By share of length."""
        return np.asarray(self.middle + np.asarray(share, dtype=float) * self.long)

    def z(self, share: Any) -> Array:
        """By share of height."""
        return np.asarray(np.asarray(share, dtype=float) * self.high)

    def half(self, x: Array, z: Array) -> Array:
        """Half its width at places seen from the side."""
        raise NotImplementedError

    def at(self, points: Any) -> Array:
        """Points (n, 2) by shares as (x, z)."""
        points = np.asarray(points, dtype=float)
        return np.stack([self.x(points[..., 0]), self.z(points[..., 1])], axis=-1)

    @cached_property
    def low(self) -> float:
        """How high its underside is."""
        return float(self.z(self.drawn.rows[0][2]))

    @cached_property
    def outline(self) -> Array:
        """Its control points as (x, z)."""
        return self.at([row[1:3] for row in self.drawn.rows])

    @cached_property
    def bow(self) -> Array:
        """How far each falls back towards the sides, mm."""
        return np.array([row[3] for row in self.drawn.rows]) * self.wide / self.drawn.wide

    @cached_property
    def inward(self) -> Array:
        """The way from the outline into it, (n, 2), unit; level at both ends."""
        step = np.gradient(self.outline, axis=0)
        # it runs up the front and back over the roof: inward is to its right
        way = np.stack([step[:, 1], -step[:, 0]], axis=1)
        way[0], way[-1] = (1.0, 0.0), (-1.0, 0.0)
        return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True))

    def line_at(self, row: int) -> float:
        """How high the surface has one of the outline's points, by share of height: the middle of a
        uniform cubic B-spline."""
        a, b, c = (one[2] for one in self.drawn.rows[row - 1 : row + 2])
        return (a + 4 * b + c) / 6

    @property
    def bumper(self) -> float:
        """How high the front bumper goes, by share of height."""
        return self.line_at(self.drawn.bumper)

    @property
    def step(self) -> float:
        """The same of the rear one."""
        return self.line_at(self.drawn.step)

    def cage(self) -> Cage:
        """The whole body but for its underside, heading to -x, its left side at -y."""
        drawn = self.drawn
        left, right = self._side(), self._side() * (1, -1, 1)
        belt = self._belt()
        rim = np.concatenate([left[:, 0], left[-1, 1:], left[-2::-1, -1]])
        patches = [(left, drawn.tag("left side")[0]), (right[:, ::-1], drawn.tag("right side")[0])]
        edges = np.stack([belt[:, -1], rim], axis=1), np.stack([rim * (1, -1, 1), belt[:, 0]], axis=1)
        for hand, edge in zip(HANDS, edges, strict=True):
            corner, along, end = drawn.tag(
                *(f"{hand} {part}" for part in ("bumper corner", "edge", "bumper end"))
            )
            patches += [
                (edge[: drawn.bumper + 1], corner),
                (edge[drawn.bumper : drawn.step + 1], along),
                (edge[drawn.step :], end),
            ]
        start = 0
        parts = [row[0] for row in drawn.rows]
        for number in range(1, len(parts)):
            if number == len(parts) - 1 or parts[number] != parts[start]:
                patches.append((belt[start : number + 1], drawn.tag(parts[start])[0]))
                start = number
        return cage_of(patches)

    def _side(self) -> Array:
        """The left side, (rows, columns, 3), by what is between its borders (Coons 1967)."""
        drawn = self.drawn
        rim = self.outline + self.inward * (self.bow + drawn.round_mm)[:, None]
        front, top = rim[: drawn.front + 1], rim[drawn.front : drawn.top + 1]
        rear = rim[drawn.top :][::-1]
        u = (top[:, 0] - top[0, 0]) / (top[-1, 0] - top[0, 0])
        v = np.linspace(0, 1, drawn.front + 1)
        bottom = np.stack([front[0, 0] + u * (rear[0, 0] - front[0, 0]), np.full(len(u), self.low)], axis=1)
        a, b = u[None, :, None], v[:, None, None]
        flat = (1 - b) * bottom + b * top + (1 - a) * front[:, None] + a * rear[:, None]
        flat -= (1 - a) * (1 - b) * bottom[0] + a * (1 - b) * bottom[-1]
        flat -= (1 - a) * b * top[0] + a * b * top[-1]
        return np.stack([flat[..., 0], -self.half(flat[..., 0], flat[..., 1]), flat[..., 1]], axis=-1)

    def _belt(self) -> Array:
        """All round from the nose to the rear, (stations, columns, 3)."""
        across = np.array(self.drawn.across)
        wide = self.half(self.outline[:, 0], self.outline[:, 1]) - self.drawn.round_mm
        shift = self.inward[:, None] * (self.bow[:, None] * across**2)[..., None]
        flat = self.outline[:, None] + shift
        return np.stack([flat[..., 0], wide[:, None] * across, flat[..., 1]], axis=-1)
