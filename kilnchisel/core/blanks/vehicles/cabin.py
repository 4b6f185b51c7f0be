"""What is seen dimly through the glass of a vehicle: seats, the driver's wheel, dashboard, wall."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND, Shell
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.tubes import bar
from kilnchisel.core.blanks.vehicles.fittings import pillow, pod, superellipsoid
from kilnchisel.core.blanks.vehicles.outlined import Shape
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

SOLID = f"{BEHIND}, cabin"
RISE_MM = 560.0  # a head rest's top over the sills of the windows, at most
ROOF = 0.955  # by share of height: what stands inside ends below it
FEW = 12  # seats that are looked at one by one
# rows of points up a cushion, and while something moves; of seats by the dozen
FINENESS, FINENESS_OF_MANY = (25, 9), (9, 5)
LEAN = np.radians(14.0)  # a back rest's
WHEEL_MM = 186.0  # the driver's wheel's radius
COLUMN = np.radians(62.0)  # its lean


@dataclass(frozen=True)
class Cabin:
    """A cabin by shares of its body: ``rows``: where the backs of its rows of seats are, along its length;
    ``seats``: where those of a row are, across its half width; ``sill``: of its windows, by height;
    ``dash``: where its dashboard ends, along; ``wall``: where a wall closes it, if one does."""

    rows: Sequence[float]
    seats: tuple[float, ...]
    sill: float
    dash: float
    wall: float | None = None


def cabin_of(shape: Shape, cabin: Cabin, *, detail: Detail) -> list[Shell]:
    """All that is in a cabin. Its driver sits at the left, and there is no one."""
    sill = float(shape.z(cabin.sill))
    rise = min(RISE_MM, 0.86 * (ROOF * float(shape.z(1.0)) - sill))
    seats = []
    fine, rough = FINENESS if len(cabin.rows) * len(cabin.seats) <= FEW else FINENESS_OF_MANY
    one = _seat(rise, fine if detail.fine else rough)
    for row in cabin.rows:
        x = float(shape.x(row))
        half = float(shape.half(np.array(x), np.array(sill)))
        seats += [_moved(one, (x, share * half, sill)) for share in cabin.seats]
    x = float(shape.x(cabin.dash))
    half = float(shape.half(np.array(x), np.array(sill)))
    reach = np.array([150.0, 0.8 * half, 105.0])
    board = pod(np.array([x - 110.0, 0, sill - 135.0]), reach, 80.0, detail=Detail.ROUGH)
    driver = np.array([x + 120.0, -abs(cabin.seats[0]) * half, sill + 0.02 * rise])
    shells = [
        Shell("seats", "seat", join(seats), SOLID),
        Shell("dashboard", "cabin", board, f"{SOLID}, dashboard"),
        Shell("steering wheel", "cabin", _wheel(driver, detail=detail), f"{SOLID}, wheel"),
    ]
    if cabin.wall is not None:
        x, top = float(shape.x(cabin.wall)), 0.92 * float(shape.z(1.0))
        half = float(shape.half(np.array(x), np.array(top)))
        middle, size = (top + 0.5 * sill) / 2, (top - 0.5 * sill) / 2
        wall = pod(np.array([x, 0, middle]), np.array([24.0, 0.84 * half, size]), 20.0, detail=Detail.ROUGH)
        shells.append(Shell("cabin wall", "cabin", wall, f"{SOLID}, wall"))
    return shells


def _seat(rise: float, rows: int) -> Mesh:
    """A seat whose back is at x = 0, z = 0 being the sill: it looks to -x. ``rows``: of points up each of
    its cushions."""
    head, back, cushion = (
        superellipsoid(np.array(middle), np.array(half), 0.5, rows)
        for middle, half in (
            ((0.0, 0.0, 0.84 * rise), (52.0, 128.0, 0.16 * rise)),
            ((0.0, 0.0, 0.68 * rise - 330.0), (78.0, 236.0, 335.0)),
            ((-260.0, 0.0, 0.68 * rise - 570.0), (275.0, 245.0, 84.0)),
        )
    )
    turned = np.eye(4)
    turned[0, 0] = turned[2, 2] = np.cos(LEAN)
    turned[0, 2], turned[2, 0] = np.sin(LEAN), -np.sin(LEAN)
    return join([head.moved(turned), back.moved(turned), cushion])


def _moved(mesh: Mesh, by: tuple[float, float, float]) -> Mesh:
    matrix = np.eye(4)
    matrix[:3, 3] = by
    return mesh.moved(matrix)


def _wheel(middle: Array, *, detail: Detail) -> Mesh:
    """A wheel that leans towards the driver: its rim, its hub and three spokes."""
    around = 8 if detail.fine else 5
    turn = np.linspace(0, 2 * np.pi, 33 if detail.fine else 17)
    across, up = np.array([0.0, 1.0, 0.0]), np.array([np.cos(COLUMN), 0.0, np.sin(COLUMN)])

    def at(angle: Any, radius: float) -> Array:
        return np.asarray(
            middle + radius * (np.cos(angle)[..., None] * across + np.sin(angle)[..., None] * up)
        )

    parts = [bar(at(turn, WHEEL_MM), np.full(len(turn), 15.0), around)]
    for angle in np.radians([0.0, 180.0, 270.0]):
        ends = np.stack([middle, at(angle, WHEEL_MM)])
        parts.append(bar(ends, np.full(2, 17.0), around))
    parts.append(pillow(middle, np.array([34.0, 70.0, 62.0]), 0.8, detail=detail))
    return join(parts)
