"""How a piece stands in the scene: on the ground, lying, hung on a wall, or from an arm."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.blank import (
    Band,
    Blank,
    Bottle,
    Can,
    Globe,
    Jar,
    Medallion,
    Mug,
    Plaque,
    Tumbler,
)
from kilnchisel.core.job.boards import Board, Book, BoxSign, Plate, ShopFront, Wall, Window
from kilnchisel.core.job.bodies import (
    Apparel,
    Apron,
    Bank,
    Bracelet,
    Cap,
    Garment,
    Handle,
    Mesh3D,
    PeakedCap,
    Signet,
    ToteBag,
)
from kilnchisel.core.job.crafts import Fitting
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import size_of, stance_among, thickness_of
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Hull, SailingHull, Van
from kilnchisel.core.kinds import by_kind

Array = NDArray[Any]

FACE_TO_VIEWER = ((1, 0, 0), (0, 0, -1), (0, 1, 0))  # what lies face up in its own frame, upright
WORN_MM = 900.0  # above the ground the lower end of what is worn is
FRONT_UP = ((1, 0, 0), (0, 0, 1), (0, -1, 0))  # what stands facing -y in its own frame, on its back


def stance_shown(job: Job) -> str:
    """How the piece is shown: as the setting says where the blank can be, else as it stands. Where a wall
    in a photo takes the place of the blank, as it hangs on that."""
    photo = job.setting.photo
    on_wall = photo is not None and photo.is_its_wall
    return stance_among(job.blank, "hung" if on_wall else job.setting.stance)


def stance_of(job: Job) -> Array:
    """How the piece stands in the scene, (4, 4)."""
    shown = stance_shown(job)
    matrix = stood(job.blank, shown)
    if shown == "standing":
        # they go down below it
        matrix[2, 3] += max((posts.length_mm for posts in posts_of(job)), default=0.0)
    return matrix


def posts_of(job: Job) -> list[Fitting]:
    """The posts that a piece stands on."""
    crafts = (item.craft for item in job.letterings if not item.hidden)
    return [craft for craft in crafts if isinstance(craft, Fitting) and craft.form == "posts"]


@by_kind(Blank)
def stood(blank: Any, shown: str) -> Array:
    """From the blank's own frame to where it is shown lying, hung or standing, (4, 4)."""
    raise NotImplementedError


@stood.of(Mug, Tumbler, Jar, Bottle, Can, Cap, Band, Bracelet, Globe)
@stood.of(SailingHull, Window)
@stood.of(
    BoxSign,
    Wall,
    ShopFront,
    Handle,
    Hull,
    Van,
    Aeroplane,
    BoxTruck,
    Hatchback,
    Coach,
    Bank,
    Mesh3D,
    PeakedCap,
)
def _on_its_foot(_: Any, shown: str) -> Array:
    return np.eye(4)


@stood.of(Apparel, Apron)
def _of_cloth(blank: Apparel | Apron, shown: str) -> Array:
    if shown != "worn":
        return _flat(blank, shown)
    matrix = np.eye(4)
    matrix[2, 3] = WORN_MM
    return matrix


@stood.of(Plaque, Board, Plate, Book, Garment, ToteBag)
def _flat(blank: Any, shown: str) -> Array:
    """Facing -y in its own frame, its middle at the origin in height when it hangs."""
    matrix, half = np.eye(4), size_of(blank)[1] / 2
    if shown == "lying":  # front up, top away from the viewer, back on the ground
        matrix[:3, :3] = FRONT_UP
        matrix[:3, 3] = [0, -half, thickness_of(blank)]
    elif shown == "hung":
        matrix[:3, 3] = [0, 0, -half]
    return matrix


@stood.of(Medallion)
def _face_up(_: Medallion, shown: str) -> Array:
    matrix = np.eye(4)
    if shown == "hung":  # back on the wall
        matrix[:3, :3] = FACE_TO_VIEWER
    return matrix


@stood.of(Signet)
def _on_its_band(blank: Signet, shown: str) -> Array:
    matrix = np.eye(4)
    matrix[:3, :3] = FRONT_UP
    matrix[:3, 3] = [0, -blank.width_mm / 2, blank.inner_mm / 2 + blank.thickness_mm]
    return matrix


def behind_mm(blank: Blank) -> float:
    """How far a hung blank goes back from the origin of its frame, mm."""
    return 0.0 if isinstance(blank, Medallion) else thickness_of(blank)


def beside_mm(blank: Blank) -> float | None:
    """How far to the left of the origin the wall is that a blank is held from; None where it stands."""
    if isinstance(blank, BoxSign) and blank.bracket:
        return blank.width_mm / 2 + blank.reach_mm
    return None
