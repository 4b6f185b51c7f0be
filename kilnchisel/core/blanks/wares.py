"""What stands in a room behind glass: books, jars, bowls, boxes, balls, as on anyone's shelves. Seen dimly,
but in the sizes that such things have."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND, FinishSlot
from kilnchisel.core.blanks.joinery import Parts
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.tubes import lathed

Array = NDArray[Any]

X, _, Z = np.eye(3)
SEED = 12
CLOTHS: tuple[FinishSlot, ...] = ("blue cloth", "ochre cloth", "head band", "bisque")
GLAZES: tuple[FinishSlot, ...] = ("cream glaze", "blue glaze", "rust glaze")
BOXES: tuple[FinishSlot, ...] = ("bisque", "ochre cloth", "hanger wood", "blue cloth")
LIFT_MM = 0.5  # over what they stand on: faces in one plane would flicker
# half outlines, by shares of radius and height, from the foot to the rim and down inside
VASE = ((0.55, 0.0), (0.62, 0.02), (0.98, 0.34), (1.0, 0.46), (0.78, 0.72), (0.36, 0.88), (0.46, 1.0))
JAR = (
    (0.86, 0.0),
    (0.95, 0.03),
    (1.0, 0.2),
    (1.0, 0.7),
    (0.9, 0.78),
    (0.92, 0.8),
    (0.92, 0.9),
    (0.3, 0.93),
)
BOWL = ((0.42, 0.0), (0.45, 0.08), (0.72, 0.4), (0.94, 0.8), (1.0, 1.0))
MUG = ((0.88, 0.0), (0.96, 0.04), (1.0, 0.15), (1.0, 1.0))
BALL = tuple((float(np.sin(t)), float(0.5 - 0.5 * np.cos(t))) for t in np.linspace(0.35, np.pi, 10))
LEANS_DEG = 17.0  # at most
BANDED_MM, BANDS = 27.0, (0.1, 0.14, 0.76, 0.84)  # of books that are thicker: how far up their bands are
OPEN = (VASE, BOWL, MUG)  # one looks into these
WALL = 0.9  # of the radius, of the hollow in what is open


@dataclass(frozen=True)
class Spot:
    """Where things stand: from ``left`` to ``right``, the middle of their depth at ``y``, on the height
    ``z``, with ``tall`` mm over it."""

    left: float
    right: float
    y: float
    z: float
    tall: float


def put_wares(parts: Parts, spots: list[Spot]) -> None:
    """Set things on shelves and tables, the same ones each time; nothing where there is no room."""
    rng = np.random.default_rng(SEED)
    made: dict[FinishSlot, list[Mesh]] = {}
    for spot in spots:
        x = spot.left + float(rng.uniform(20, 160))
        while True:
            kind = (_books, _turned, _box, _turned, _books)[int(rng.integers(5))]
            found, wide = kind(parts, rng, x, spot)
            if x + wide > spot.right:
                break
            for slot, mesh in found:
                made.setdefault(slot, []).append(mesh)
            x += wide + float(rng.uniform(30, 190))
    for slot, meshes in made.items():
        parts.add(f"{BEHIND}: wares, {slot}", slot, *meshes)


Made = tuple[list[tuple[FinishSlot, Mesh]], float]


def _books(parts: Parts, rng: np.random.Generator, x: float, spot: Spot) -> Made:
    """A row of books; of every second row the last one leans on the rest. Thick ones have bands."""
    found: list[tuple[FinishSlot, Mesh]] = []
    start, least = x, np.inf
    leans = LEANS_DEG * rng.uniform(0.6, 1) * (rng.random() < 0.5)
    count = int(rng.integers(3, 9))
    for number in range(count):
        thick, deep = float(rng.uniform(16, 46)), float(rng.uniform(120, 170))
        high = min(float(rng.uniform(170, 270)), 0.86 * spot.tall)
        slot, band = (CLOTHS[k] for k in rng.permutation(len(CLOTHS))[:2])
        # not all are pushed in as far
        there = replace(spot, y=spot.y + float(rng.uniform(-9, 9)))
        made = [(slot, _upright(parts, x, thick, there, deep, high))]
        if thick > BANDED_MM:
            front = replace(there, y=there.y - deep / 2)
            for share in BANDS:
                over = share * high
                made.append((band, _upright(parts, x + 1, thick - 2, front, 0.6, 0.02 * high, over)))
        if leans and number == count - 1 and high < least:
            made = [(one, _leant(mesh, x, spot.z, high, leans)) for one, mesh in made]
            thick += high * np.sin(np.radians(leans))
        found += made
        least = min(least, high)
        x += thick + 0.8
    return found, x - start


def _leant(mesh: Mesh, x: float, z: float, high: float, lean_deg: float) -> Mesh:
    """A thing that stands at x, so high, leant over to the left until its top meets what is there."""
    turn = np.radians(lean_deg)
    cos, sin = np.cos(turn), np.sin(turn)
    matrix = np.array([[cos, 0, -sin, 0], [0, 1, 0, 0], [sin, 0, cos, 0], [0, 0, 0, 1.0]])
    foot = np.array([x, 0.0, z + LIFT_MM])
    matrix[:3, 3] = foot + (high * sin, 0, 0) - matrix[:3, :3] @ foot
    return mesh.moved(matrix)


def _box(parts: Parts, rng: np.random.Generator, x: float, spot: Spot) -> Made:
    """A box with its lid, or two of them stacked."""
    wide, deep = float(rng.uniform(170, 330)), float(rng.uniform(130, 180))
    high = min(float(rng.uniform(70, 150)), 0.4 * spot.tall)
    slot = BOXES[int(rng.integers(len(BOXES)))]
    lid = 0.26 * high
    found = [
        (slot, _upright(parts, x, wide, spot, deep, high - lid)),
        (slot, _upright(parts, x - 3, wide + 6, spot, deep + 6, lid, high - lid)),
    ]
    if rng.random() < 0.4:
        shift, less = float(rng.uniform(0, 0.2)) * wide, 0.78 * wide
        other = BOXES[int(rng.integers(len(BOXES)))]
        found.append((other, _upright(parts, x + shift, less, spot, 0.8 * deep, 0.7 * high, high)))
    return found, wide + 6


def _turned(parts: Parts, rng: np.random.Generator, x: float, spot: Spot) -> Made:
    """One thing from the wheel, or a few of a kind."""
    form = (VASE, JAR, BOWL, MUG, BALL)[int(rng.integers(5))]
    radius, high, most = {
        VASE: (float(rng.uniform(48, 80)), float(rng.uniform(180, 330)), 1),
        JAR: (float(rng.uniform(46, 66)), float(rng.uniform(130, 210)), 3),
        BOWL: (float(rng.uniform(70, 120)), float(rng.uniform(60, 95)), 2),
        MUG: (41.0, 96.0, 4),
        BALL: (r := float(rng.uniform(60, 90)), 2 * r, 1),
    }[form]
    high = min(high, 0.86 * spot.tall)
    slot = GLAZES[int(rng.integers(len(GLAZES)))]
    found: list[tuple[FinishSlot, Mesh]] = []
    start = x
    around = 24 if parts.detail.fine else 8
    for _ in range(int(rng.integers(1, most + 1))):
        profile = np.array(form) * (radius, high)
        if form in OPEN:
            inner = np.array(
                [(WALL * form[-1][0] * radius, high), (WALL * 0.8 * form[0][0] * radius, 0.1 * high)]
            )
            profile = np.concatenate([profile, inner])
        profile = np.concatenate([[(0.0, profile[0, 1])], profile, [(0.0, profile[-1, 1])]])
        at = np.array([x + radius, spot.y + float(rng.uniform(-25, 25)), spot.z + LIFT_MM])
        found.append((slot, lathed(profile, at, Z, X, around)))
        x += 2 * radius + float(rng.uniform(6, 30))
    return found, x - start


def _upright(
    parts: Parts, x: float, wide: float, spot: Spot, deep: float, high: float, over: float = 0.0
) -> Mesh:
    low = (x, spot.y - deep / 2, spot.z + LIFT_MM + over)
    return parts.wall(low, (x + wide, spot.y + deep / 2, low[2] + high))
