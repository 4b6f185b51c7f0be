"""Put a garment on: flat at first, the body within it swells and lowers its arms, and the cloth comes to
rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import spatial

from kilnchisel.core.job.garments import Measures
from tailoring import solver
from tailoring.mannequin import arms_of, body_of, posed
from tailoring.sewn import Sewn, springs

Array = NDArray[Any]

STEPS = 80  # to a frame of 1/60 s
FRAME = 1 / 60
# frames in which the body within swells, leans and raises its arms, and lowers them again
SWOLLEN, RAISED, LOWERED = 50, 30, 55
LEAN_MM, REST_MM, TWIST_DEG, TALL_MM = 50.0, 8.0, 6.0, 62.0


@dataclass(frozen=True)
class Fabric:
    """``weight``: kg/m²; ``rigidity``: bending, N·m (cotton jersey about 1e-5, fleece ten times that;
    common practice); ``thick``: mm."""

    weight: float
    rigidity: float
    thick: float
    skin: float = 3.0  # how far the middle of the cloth keeps from the body, mm


JERSEY = Fabric(0.18, 0.9e-5, 0.9)
FLEECE = Fabric(0.32, 1.0e-4, 2.0, 4.0)
FABRICS = {"t-shirt": JERSEY, "long sleeve": JERSEY, "sweatshirt": FLEECE}


def draped(
    cloth: Sewn,
    m: Measures,
    fabric: Fabric,
    *,
    seed: int,
    arm_deg: float = 13.0,
    seconds: float = 3.2,
    say: Callable[[str], None] = lambda words: None,
) -> Array:
    """Where the particles come to rest, (n, 3) mm."""
    edges, length, hinges, stiff = springs(cloth)
    x = cloth.points.copy()
    rng = np.random.default_rng(seed)
    x += rng.normal(0, 0.15, x.shape)
    areas = _areas(cloth)
    mass = np.zeros(len(x))
    for corner in range(3):
        np.add.at(mass, cloth.faces[:, corner], areas / 3)
    mass_inv = 1 / np.maximum(mass * 1e-6 * fabric.weight, 1e-9)
    dt = FRAME / STEPS
    # a hinge's energy is 3/2 B l²/A angle² (Grinspun et al. 2003); mm² against SI's m² in the energy
    across = _over_areas(cloth, hinges, length, edges)
    stiffness = 3 * fabric.rigidity * across * stiff * 1e6
    give = 1 / (stiffness * dt * dt)
    reach = 0.72 * float(np.median(length))
    v = np.zeros_like(x)
    hood = np.unique(
        np.concatenate(
            [np.empty(0, dtype=int), *(own[2] for name, own in cloth.own.items() if "hood" in name)]
        )
    )
    torso = body_of(m)
    start_deg = 90.0 - m.sleeve_deg
    frames = round(seconds / FRAME)
    rest = x.copy()
    for frame in range(frames):
        swell = _smooth(frame / SWOLLEN)
        deep = 0.04 + 0.96 * swell
        up, down = _smooth((frame - SWOLLEN) / RAISED), _smooth((frame - SWOLLEN - RAISED) / LOWERED)
        lift = start_deg + (74 - start_deg) * up
        lean = LEAN_MM * (up - down) + REST_MM * down
        twist = TWIST_DEG * (down - 0.8 * (up - down))
        tall = TALL_MM * (up - down)
        body = posed(torso, lean, twist, tall)
        arms = arms_of(
            m, lift + (arm_deg - lift) * down, lift + (arm_deg + 7 - lift) * down, lean, twist, tall
        )
        late = frame > frames - 45
        drag = 0.9 if late else (0.99)
        fall = np.zeros_like(x)
        fall[:, 2] = -solver.GRAVITY * swell
        if up > 0 and frame < SWOLLEN + RAISED + LOWERED:  # a hood falls back
            fall[hood, 1:] = 0.8 * solver.GRAVITY, -0.5 * solver.GRAVITY
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
            arms,
            deep,
            skin,
            dt,
            STEPS,
            drag ** (6 / STEPS),
            fall,
            0.8,
            0.5 if late else 0.15,
            1 / (1000.0 * dt * dt),
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


def _areas(cloth: Sewn) -> Array:
    a, b, c = cloth.rest.T
    half = (a + b + c) / 2
    return np.sqrt(np.maximum(half * (half - a) * (half - b) * (half - c), 1e-9))


def _over_areas(cloth: Sewn, hinges: Array, length: Array, edges: Array) -> Array:
    """Of each hinge the square of its edge's length over the area of both triangles."""
    size = len(cloth.points)
    key = {int(k): float(one) for k, one in zip(edges[:, 0] * size + edges[:, 1], length, strict=True)}
    long = np.array([key[int(a * size + b)] for a, b in hinges[:, :2]])
    typical = float(np.median(_areas(cloth)))
    return long**2 / (2 * typical)


def _pairs(x: Array, rest: Array, reach: float) -> tuple[Array, Array]:
    """Particles that may come to touch within a frame and are not neighbours in the cloth, and how far
    apart they are to stay."""
    found = spatial.cKDTree(x).query_pairs(1.7 * reach, output_type="ndarray")
    away = np.linalg.norm(rest[found[:, 0]] - rest[found[:, 1]], axis=1)
    apart = np.minimum(reach, away)
    return np.ascontiguousarray(found), apart
