"""Cloth that is put somewhere and left to come to rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from tailoring import solver
from tailoring.contact import Layers, folds
from tailoring.sewn import Sewn, springs

Array = NDArray[Any]

STEPS = 80  # to a frame of 1/60 s
FRAME = 1 / 60
LATE = 45  # frames before the end, in which it is braked
SAID_EVERY = 20  # frames
TABLE_RUB = 0.6
PRESSED = 0.02  # how stiff a fold is that was pressed, of cloth that was not


@dataclass(frozen=True)
class Fabric:
    """``weight``: kg/m²; ``rigidity``: bending, N·m (cotton jersey about 1e-5, fleece ten times that,
    canvas more; common practice); ``thick``: mm; ``skin``: how far the middle of the cloth keeps from a
    body, mm; ``taut``: what an edge resists being stretched with, kg/s²."""

    weight: float
    rigidity: float
    thick: float
    skin: float = 3.0
    taut: float = 1000.0

    def crept(self, left: float) -> Fabric:
        """The same once it has given way for a long time: the share of its stiffness that is ``left``."""
        return replace(self, rigidity=left * self.rigidity, taut=left * self.taut)


class Manner(Protocol):
    """How cloth is put somewhere. ``gap``: how far apart its layers keep, mm, where they lie close on each
    other and what is folded at first is pressed; 0 where folds hang."""

    gap: float
    frames: int

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        """Where its particles are at first, (n, 3) mm."""

    def free(self) -> Array | float:
        """1 for each particle that moves, 0 for each that does not, (n,); after its start."""

    def around(self, frame: int) -> solver.Around:
        """What it is kept off, and what pulls at it."""

    def finished(self, cloth: Sewn, x: Array) -> Array:
        """Where its particles are kept, of those at rest ``x``, which it may change."""


class Freely:
    """Cloth that begins where it was drawn, but for ``noise_mm``, and moves as it will."""

    gap = 0.0
    noise_mm = 0.3

    def start(self, cloth: Sewn, rng: np.random.Generator) -> Array:
        return cloth.points + rng.normal(0, self.noise_mm, cloth.points.shape)

    def free(self) -> Array | float:
        return 1.0

    def finished(self, cloth: Sewn, x: Array) -> Array:
        return x


class OnATable:
    """Cloth that lies on a table, whose height its start finds, its layers ``gap`` apart."""

    def __init__(self, fabric: Fabric, gap: float) -> None:
        self._fabric, self.gap = fabric, gap
        self._table = 0.0

    def free(self) -> Array | float:
        return 1.0

    def finished(self, cloth: Sewn, x: Array) -> Array:
        return x

    def around(self, frame: int) -> solver.Around:
        fall = np.array([0.0, solver.GRAVITY, 0.0])
        thick = self._fabric.thick
        return solver.Around(solver.NO_BODY, solver.NO_LIMBS, 1.0, self._table, thick, TABLE_RUB, fall)


def settled(
    cloth: Sewn,
    fabric: Fabric,
    manner: Manner,
    *,
    seed: int,
    say: Callable[[str], None] = lambda words: None,
) -> Array:
    """Where the particles come to rest, (n, 3) mm."""
    x = manner.start(cloth, np.random.default_rng(seed))
    dt = FRAME / STEPS
    sprung = _sprung(cloth, fabric, dt)
    if manner.gap:
        pressed = _folded(x, sprung.hinges)
        sprung = sprung._replace(give=np.where(pressed, sprung.give / PRESSED, sprung.give))
    reach = 0.72 * float(np.median(sprung.length))
    layers = Layers(cloth, sprung.edges, manner.gap) if manner.gap else None
    sprung = _moving(sprung._replace(mass_inv=sprung.mass_inv * manner.free()))
    v, rest = np.zeros_like(x), x.copy()
    for frame in range(manner.frames):
        late = frame > manner.frames - LATE
        touching = layers.touching(x) if layers else folds(x, rest, reach)
        pace = solver.Pace(dt, STEPS, (0.9 if late else 0.99) ** (6 / STEPS), 0.5 if late else 0.15)
        solver.steps(x, v, sprung, touching, manner.around(frame), pace)
        if frame % SAID_EVERY == SAID_EVERY - 1:
            now = np.linalg.norm(x[sprung.edges[:, 0]] - x[sprung.edges[:, 1]], axis=1)
            speed = float(np.sqrt((v**2).sum(axis=1).mean()))
            strain = float(np.abs(now / sprung.length - 1).mean())
            say(f"frame {frame + 1} of {manner.frames}: {speed:.0f} mm/s, strain {100 * strain:.2f} %")
    return manner.finished(cloth, x)


def layer_gap(fabric: Fabric) -> float:
    """How far apart the outsides of two layers keep, of which the insides look at each other, mm."""
    return 2 * fabric.thick + 0.4


def _sprung(cloth: Sewn, fabric: Fabric, dt: float) -> solver.Springs:
    edges, length, hinges, stiff = springs(cloth)
    areas = areas_of(cloth)
    mass = np.zeros(len(cloth.points))
    for corner in range(3):
        np.add.at(mass, cloth.faces[:, corner], areas / 3)
    mass_inv = 1 / np.maximum(mass * 1e-6 * fabric.weight, 1e-9)
    stiffness = hinge_stiffness(fabric.rigidity, cloth, hinges, length, edges) * stiff
    give = 1 / (stiffness * dt * dt) / solver.BEND_EVERY
    return solver.Springs(mass_inv, edges, length, 1 / (fabric.taut * dt * dt), hinges, give)


def _moving(sprung: solver.Springs) -> solver.Springs:
    """Without what only holds particles that do not move anyhow."""
    moves = sprung.mass_inv > 0
    edges, hinges = (moves[one].any(axis=1) for one in (sprung.edges, sprung.hinges))
    return sprung._replace(
        edges=sprung.edges[edges],
        length=sprung.length[edges],
        hinges=sprung.hinges[hinges],
        give=sprung.give[hinges],
    )


def _folded(points: Array, hinges: Array) -> Array:
    """Which hinges are folded over, (h,)."""
    a, b, c, d = (points[hinges[:, k]] for k in range(4))
    one, other = np.cross(b - a, c - a), np.cross(d - a, b - a)
    return np.asarray(np.einsum("ij,ij->i", one, other) < 0)


def areas_of(cloth: Sewn) -> Array:
    """Of its triangles on the pattern, mm²."""
    a, b, c = cloth.rest.T
    half = (a + b + c) / 2
    return np.asarray(np.sqrt(np.maximum(half * (half - a) * (half - b) * (half - c), 1e-9)))


def hinge_stiffness(rigidity: float, cloth: Sewn, hinges: Array, length: Array, edges: Array) -> Array:
    """What a hinge resists its angle with, kg mm²/s² per rad, (h,), of cloth of a bending rigidity, N·m.

    A sheet of equal-sided triangles whose hinges hold k/2 angle² has the rigidity k sqrt(3)/2 (Seung and
    Nelson 1988); other triangles by the square of the edge over the area, which is 4/sqrt(3) there.
    """
    size = len(cloth.points)
    key = {int(k): float(one) for k, one in zip(edges[:, 0] * size + edges[:, 1], length, strict=True)}
    long = np.array([key[int(a * size + b)] for a, b in hinges[:, :2]])
    typical = float(np.median(areas_of(cloth)))
    return rigidity * 1e6 * long**2 / (2 * typical)
