"""Lights placed by their reflection: where a highlight is to sit says where the light stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.setting import StudioLight
from kilnchisel.core.laying.picking import side_under

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Glint:
    """A point of the piece and its outward unit normal, both in the scene."""

    point: Array
    normal: Array


def glint_under(blank: Blank, stance: Array, origin: Array, way: Array) -> Glint | None:
    """Where a ray (3,), (3,) of the scene first meets the unlettered piece; None where it does not.
    ``stance`` (4, 4): how the piece stands in the scene."""
    turn, shift = stance[:3, :3], stance[:3, 3]
    start, ahead = (origin - shift) @ turn, way @ turn
    found = _on_mesh(blank, start, ahead) if isinstance(blank, Mesh3D) else _on_side(blank, start, ahead)
    return None if found is None else Glint(turn @ found[0] + shift, turn @ found[1])


def _on_mesh(blank: Mesh3D, origin: Array, way: Array) -> tuple[Array, Array] | None:
    mesh = free_mesh(blank)
    found = mesh.hit(origin, way)
    if found is None:
        return None
    point, face = found
    corners = mesh.points[mesh.faces[face]]
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    return point, normal / np.linalg.norm(normal)


def _on_side(blank: Blank, origin: Array, way: Array) -> tuple[Array, Array] | None:
    met = side_under(blank, origin, way)
    if met is None:
        return None
    side, uv = met[0], met[1][None]
    return side.to_body(uv, np.zeros(1))[0], side.frames(uv)[0, 2]


def placed_by(glint: Glint, way: Array, lamp: StudioLight, middle: Array) -> StudioLight:
    """The light moved, at its distance from the piece's ``middle``, to where an eye that looks along
    ``way`` sees it mirrored in the glint: r = d - 2 (d n) n. Raises KilnError where nothing can be."""
    toward = float(way @ glint.normal)
    if toward >= 0:
        raise KilnError("That part of the piece faces away.")
    mirrored = way - 2 * toward * glint.normal
    if lamp.kind == "sun":
        at = mirrored
    else:
        # from the glint along the mirrored ray until it is as far from the middle as the light is
        away = glint.point - middle
        along = float(away @ mirrored)
        left = along * along - float(away @ away) + lamp.distance_mm**2
        at = away + (np.sqrt(max(left, 0.0)) - along) * mirrored
    rise = np.degrees(np.arcsin(np.clip(at[2] / np.linalg.norm(at), -1, 1)))
    turn = np.degrees(np.arctan2(at[0], -at[1]))
    return lamp.model_copy(update={"turn_deg": round(float(turn), 3), "tilt_deg": round(float(rise), 3)})
