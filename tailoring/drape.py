"""Put a garment on: flat at first, the body within it swells and lowers its arms, and the cloth comes to
rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import spatial

from kilnchisel.core.job.garments import Measures, measures_of
from tailoring import solver
from tailoring.mannequin import arms_of, arms_within, body_of, head_of, posed
from tailoring.sewn import Sewn, springs

Array = NDArray[Any]

STEPS = 80  # to a frame of 1/60 s
FRAME = 1 / 60
# frames in which the body within swells, leans and raises its arms, and lowers them again
SWOLLEN, RAISED, LOWERED = 50, 30, 55


RUB = 0.65  # friction of cloth on the body and on itself
TAUT = 1000.0  # what an edge resists being stretched with, kg/s²
SPREAD_DEG = 45.0  # times how much wider than M a trunk is: so much farther off it the arms hang


@dataclass(frozen=True)
class Pose:
    """How the body within moves. ``arms_deg``: from upright at the end, left and right; ``raised_deg``
    before; ``lean_mm``: aside meanwhile, ``rest_mm`` at the end; ``twist_deg``: shoulders against hips at
    the end; ``tall_mm``: it stretches so much and sinks again."""

    arms_deg: tuple[float, float]
    raised_deg: float
    lean_mm: float
    rest_mm: float
    twist_deg: float
    tall_mm: float


@dataclass(frozen=True)
class Fabric:
    """``weight``: kg/m²; ``rigidity``: bending, N·m (cotton jersey about 1e-5, fleece ten times that;
    common practice); ``thick``: mm."""

    weight: float
    rigidity: float
    thick: float
    skin: float = 3.0  # how far the middle of the cloth keeps from the body, mm


JERSEY = Fabric(0.18, 1.2e-5, 0.9)
FLEECE = Fabric(0.32, 1.3e-4, 2.0, 4.0)
EASY = Pose((21.0, 28.0), 74.0, 50.0, 8.0, 6.0, 56.0)
UPRIGHT = Pose((22.0, 25.0), 55.0, 22.0, 5.0, 3.0, 12.0)
WORN = {
    "t-shirt": (JERSEY, EASY),
    "long sleeve": (JERSEY, UPRIGHT),
    "sweatshirt": (FLEECE, UPRIGHT),
    "hooded sweatshirt": (FLEECE, UPRIGHT),
}


def draped(
    cloth: Sewn,
    m: Measures,
    fabric: Fabric,
    pose: Pose,
    *,
    seed: int,
    seconds: float = 3.2,
    say: Callable[[str], None] = lambda words: None,
) -> Array:
    """Where the particles come to rest, (n, 3) mm."""
    edges, length, hinges, stiff = springs(cloth)
    x = cloth.points.copy()
    rng = np.random.default_rng(seed)
    x += rng.normal(0, 0.15, x.shape)
    areas = areas_of(cloth)
    mass = np.zeros(len(x))
    for corner in range(3):
        np.add.at(mass, cloth.faces[:, corner], areas / 3)
    mass_inv = 1 / np.maximum(mass * 1e-6 * fabric.weight, 1e-9)
    dt = FRAME / STEPS
    stiffness = hinge_stiffness(fabric.rigidity, cloth, hinges, length, edges) * stiff
    give = 1 / (stiffness * dt * dt)
    reach = 0.72 * float(np.median(length))
    v = np.zeros_like(x)
    torso = body_of(m)
    start_deg = arms_within(m)
    spread = SPREAD_DEG * max(m.chest / measures_of("t-shirt", "M").chest - 1, 0.0)
    frames = round(seconds / FRAME)
    rest = x.copy()
    for frame in range(frames):
        swell = _smooth(frame / SWOLLEN)
        deep = 0.04 + 0.96 * swell
        up, down = _smooth((frame - SWOLLEN) / RAISED), _smooth((frame - SWOLLEN - RAISED) / LOWERED)
        lift = start_deg + (pose.raised_deg - start_deg) * up
        lean = pose.lean_mm * (up - down) + pose.rest_mm * down
        twist = pose.twist_deg * (down - 0.8 * (up - down))
        tall = pose.tall_mm * (up - down)
        body = posed(torso, lean, twist, tall)
        left, right = (lift + (deg + spread - lift) * down for deg in pose.arms_deg)
        limbs = arms_of(m, left, right, lean, twist, tall)
        if m.hood:
            limbs = np.concatenate([limbs, head_of(m, lean, tall, 0.1 + 0.9 * swell)])
        late = frame > frames - 45
        drag = 0.9 if late else 0.99
        fall = np.zeros_like(x)
        fall[:, 2] = -solver.GRAVITY * swell
        pairs, apart = _pairs(x, rest, reach)
        skin = min(fabric.skin, 0.5 + fabric.skin * swell)
        solver.steps(
            x,
            v,
            mass_inv,
            edges,
            length,
            hinges,
            give / solver.BEND_EVERY,
            pairs,
            apart,
            body,
            limbs,
            deep,
            skin,
            dt,
            STEPS,
            drag ** (6 / STEPS),
            fall,
            RUB,
            0.5 if late else 0.15,
            1 / (TAUT * dt * dt),
        )
        if frame % 20 == 19:
            now = np.linalg.norm(x[edges[:, 0]] - x[edges[:, 1]], axis=1)
            speed = float(np.sqrt((v**2).sum(axis=1).mean()))
            strain = float(np.abs(now / length - 1).mean())
            say(f"frame {frame + 1} of {frames}: {speed:.0f} mm/s, strain {100 * strain:.2f} %")
    return x


def _smooth(share: float) -> float:
    share = min(max(share, 0.0), 1.0)
    return share * share * (3 - 2 * share)


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


def _pairs(x: Array, rest: Array, reach: float) -> tuple[Array, Array]:
    """Particles that may come to touch within a frame and are not neighbours in the cloth, and how far
    apart they are to stay."""
    found = spatial.cKDTree(x).query_pairs(1.7 * reach, output_type="ndarray")
    away = np.linalg.norm(rest[found[:, 0]] - rest[found[:, 1]], axis=1)
    apart = np.minimum(reach, away)
    return np.ascontiguousarray(found), apart
