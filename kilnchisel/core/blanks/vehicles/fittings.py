"""What is fixed to vehicles: mirrors, wipers, what stands on a roof."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Shell
from kilnchisel.core.blanks.mesh import Mesh, grid, without_slivers
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.blanks.tubes import bar
from kilnchisel.core.blanks.vehicles.bodywork import skin_of
from kilnchisel.core.blanks.vehicles.outlined import Shape
from kilnchisel.core.blanks.vehicles.subdivision import cage_of
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

X, Y, Z = np.eye(3)
GLASS_MM = np.array([19.0, 82.0, 116.0])  # of a mirror: half its sizes
# of wipers: how they rise, how far a blade goes beyond its arm by its length, how far off the edge it ends
RISE_MM, BEYOND, EDGE_SHARE = 64.0, 0.4, 0.035


def pillow(middle: Array, half: Array, power: float, *, detail: Detail) -> Mesh:
    """A rounded box: ``half`` (3,) its half sizes, ``power`` 1 an ellipsoid, towards 0 a box."""
    return superellipsoid(middle, half, power, 25 if detail.fine else 9)


def superellipsoid(middle: Array, half: Array, power: float, rows: int) -> Mesh:
    """A superellipsoid after Barr 1981: ``half`` (3,) its half sizes, ``power`` 1 an ellipsoid, towards 0 a
    box; in so many rows of points from its foot to its top."""
    columns = 2 * rows - 1

    def eased(value: Array) -> Array:
        return np.sign(value) * np.abs(value) ** power

    up = np.linspace(-np.pi / 2, np.pi / 2, rows)[:, None]
    turn = np.linspace(0, 2 * np.pi, columns)
    turn[-1] = 0.0
    turn = turn[None]
    ring = eased(np.cos(up)) * np.ones_like(turn)
    ring[[0, -1]] = 0.0
    at = np.stack(
        [ring * eased(np.cos(turn)), ring * eased(np.sin(turn)), eased(np.sin(up)) + 0 * turn], axis=-1
    )
    # the slope of its own equation: the same with 2 - power
    steep = 2 - power
    out = np.stack(
        [
            np.abs(np.cos(up)) ** steep * np.abs(np.cos(turn)) ** steep * np.sign(np.cos(turn)),
            np.abs(np.cos(up)) ** steep * np.abs(np.sin(turn)) ** steep * np.sign(np.sin(turn)),
            np.abs(np.sin(up)) ** steep * np.sign(np.sin(up)) + 0 * turn,
        ],
        axis=-1,
    )
    out = out / half
    out /= np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-12)
    return without_slivers(grid(middle + at * half, out, np.zeros((rows, columns, 2))))


def pod(middle: Array, half: Array, soft: float, *, detail: Detail) -> Mesh:
    """A box with soft edges, from a smooth cage: ``half`` (3,) its half sizes, ``soft`` mm wide about its
    edges."""
    lines = [np.array([-h, -max(h - soft, 0.3 * h), 0.0, max(h - soft, 0.3 * h), h]) for h in half]
    patches = []
    for axis in range(3):
        a, b = (axis + 1) % 3, (axis + 2) % 3
        for way in (-1.0, 1.0):
            lattice = np.empty((5, 5, 3))
            lattice[..., axis] = way * half[axis]
            lattice[..., a], lattice[..., b] = np.meshgrid(lines[a] * way, lines[b])
            patches.append((middle + lattice, 0))
    return skin_of(cage_of(patches), 2 if detail.fine else 1).shell(0)


def mirror(
    name: str, root: Array, way: float, *, size: float = 1.0, slot: FinishSlot = "trim", detail: Detail
) -> list[Shell]:
    """An outside mirror of a body that heads to -x: ``root`` on the door, ``way`` outward along y; of its
    shell the finish, and its size against a van's."""
    shell = root + size * np.array([-8.0, way * 165.0, 62.0])
    reach = size * np.array([[0, -way * 14.0, 0], [-4.0, way * 60.0, 12.0]])
    arm = np.stack([*(root + reach), shell + size * np.array([0, -way * 70.0, -52.0])])
    half = size * np.array([46.0, 96.0, 132.0])
    glass = shell + size * np.array([30.0, 0, 0])
    parts: list[tuple[str, FinishSlot, Mesh]] = [
        ("arm", "trim", bar(_curved(arm), np.full(17, 19.0 * size), 12 if detail.fine else 6)),
        ("shell", slot, pillow(shell, half, 0.55, detail=detail)),
        ("glass", "reflector", pillow(glass, size * GLASS_MM, 0.35, detail=detail)),
    ]
    return [
        Shell(f"{name} mirror {part}", slot, mesh, f"{name} mirror {part}") for part, slot, mesh in parts
    ]


def hung_mirror(name: str, root: Array, way: float, *, detail: Detail) -> list[Shell]:
    """A mirror of a coach, which hangs from an arm that goes forward from the corner of its brow."""
    tip = root + np.array([-400.0, way * 205.0, -260.0])
    knee = root + np.array([-430.0, way * 190.0, 150.0])
    around = 12 if detail.fine else 6
    arm = _curved(np.stack([root + (40.0, -way * 40.0, 0), knee, tip]))
    shell = tip - (0, 0, 190.0)
    parts: list[tuple[str, FinishSlot, Mesh]] = [
        ("arm", "trim", bar(arm, np.full(17, 34.0), around)),
        ("shell", "trim", pillow(shell, np.array([62.0, 118.0, 236.0]), 0.5, detail=detail)),
        ("glass", "reflector", pillow(shell + (42.0, 0, 0), 1.9 * GLASS_MM, 0.35, detail=detail)),
    ]
    return [
        Shell(f"{name} mirror {part}", slot, mesh, f"{name} mirror {part}") for part, slot, mesh in parts
    ]


def wipers(wide: float, screen: Side, reach: float, *, detail: Detail) -> list[Shell]:
    """Two wipers at the foot of a windscreen, both swept the same way, as far apart as its edges let them:
    ``reach`` of their arms as a share of the body's width."""
    left, low, right, _ = screen.domain.bounds
    level = shapely.LineString([(left, low + 16 + RISE_MM), (right, low + 16 + RISE_MM)])
    first, _, last, _ = shapely.intersection(screen.domain, level).bounds
    whole = (1 + BEYOND) * reach * wide
    shells = []
    for name, start in (("left", last - EDGE_SHARE * wide - whole), ("right", first + EDGE_SHARE * wide)):
        foot = np.array([start, low + 16])
        shells += wiper(name, screen, foot, foot + (reach * wide, RISE_MM), detail=detail)
    return shells


def outside(
    shape: Shape,
    root: tuple[float, float],
    screen: Side,
    *,
    size: float = 1.0,
    slot: FinishSlot = "trim",
    detail: Detail,
) -> list[Shell]:
    """Both mirrors, ``root``: where the left one is fixed by shares of length and height; and two wipers
    at the foot of a windscreen."""
    shells = []
    x, z = shape.at(root)
    for way, hand in ((-1.0, "left"), (1.0, "right")):
        place = np.array([x, way * float(shape.half(x, z)), z])
        shells += mirror(hand, place, way, size=size, slot=slot, detail=detail)
    return shells + wipers(shape.wide, screen, 0.3, detail=detail)


def _curved(points: Array) -> Array:
    """A smooth line by three points, (17, 3)."""
    t = np.linspace(0, 1, 17)[:, None]
    a, b, c = points
    return np.asarray((1 - t) ** 2 * a + 2 * t * (1 - t) * b + t * t * c)


def wiper(name: str, side: Side, foot: Array, tip: Array, *, detail: Detail) -> list[Shell]:
    """A wiper at rest: its arm from its foot, and the blade about the arm's tip, both places on the sheet
    of a windscreen."""
    across = tip - foot
    along = np.linspace(0, 1, 13)[:, None]
    arm = side.to_body(foot + along * across, 14 + 16 * np.sin(np.pi * along[:, 0]))
    arm[0] = side.to_body(foot[None], np.array([-6.0]))[0]
    blade = across / np.linalg.norm(across) * np.array([1.0, 0.35])
    spots = tip + np.linspace(-0.62, BEYOND, 13)[:, None] * np.linalg.norm(across) * blade
    rests = side.to_body(spots, np.full(13, 9.0))
    around = 10 if detail.fine else 5
    parts = [("arm", bar(arm, np.full(13, 7.0), around)), ("blade", bar(rests, np.full(13, 8.0), around))]
    return [Shell(f"{name} wiper {part}", "trim", mesh, f"{name} wiper {part}") for part, mesh in parts]
