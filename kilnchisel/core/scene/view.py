"""Where the picture is taken from: a perspective or a parallel camera as plain vectors."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.job.setting import FRAME_MM, Camera

Array = NDArray[Any]

NARROW = 1.25  # a picture narrower than this keeps the width of one that is not


@dataclass(frozen=True, eq=False)
class View:
    """A camera. ``tall``: tan of half the vertical angle (perspective) or half the height in mm
    (parallel). Unit vectors right, up, ahead. ``opening_mm``: the lens's, across, 0 where all is sharp;
    ``focus_mm``: how far ahead it is. ``raised``: how far above the way ahead the middle of the picture is,
    as a tangent: of a lens that is shifted."""

    eye: Array
    right: Array
    up: Array
    ahead: Array
    parallel: bool
    tall: float
    reach_mm: float  # everything drawn is nearer than this
    opening_mm: float = 0.0
    focus_mm: float = 1.0
    raised: float = 0.0

    def blur_at(self, depth: float) -> float:
        """The angle, radians, over which a point at this depth (mm ahead; infinity) is spread: a thin lens
        of opening A in focus at s spreads it over A |d - s| / (d s)."""
        away = 1.0 if np.isinf(depth) else abs(depth - self.focus_mm) / depth
        return self.opening_mm / self.focus_mm * away

    def project(self, points: Array, size: tuple[int, int]) -> Array:
        """Scene points (n, 3) to pixels (n, 2), y down, and depth: (n, 3)."""
        width, height = size
        away = np.asarray(points) - self.eye
        x, y, z = away @ self.right, away @ self.up, away @ self.ahead
        y = y - self.raised * z
        span = np.full_like(z, self.tall) if self.parallel else np.maximum(z, 1e-6) * self.tall
        scale = height / 2 / span
        return np.stack([width / 2 + x * scale, height / 2 - y * scale, z], axis=-1)

    def rays(self, pixels: Array, size: tuple[int, int]) -> tuple[Array, Array]:
        """Pixels (n, 2), y down, to ray origins and unit directions, (n, 3) each."""
        width, height = size
        pixels = np.asarray(pixels, float)
        x = (pixels[:, 0] - width / 2) / (height / 2) * self.tall
        y = (height / 2 - pixels[:, 1]) / (height / 2) * self.tall
        if self.parallel:
            origins = self.eye + x[:, None] * self.right + y[:, None] * self.up
            return origins, np.broadcast_to(self.ahead, origins.shape)
        directions = self.ahead + x[:, None] * self.right + (y + self.raised)[:, None] * self.up
        directions = directions / np.linalg.norm(directions, axis=1, keepdims=True)
        return np.broadcast_to(self.eye, directions.shape), directions

    def mm_per_pixel(self, point: Array, size: tuple[int, int]) -> float:
        """Size of a pixel at a scene point, mm."""
        depth = float((np.asarray(point) - self.eye) @ self.ahead)
        return 2 * self.tall * (1.0 if self.parallel else depth) / size[1]

    def may_show(self, corners: Array, aspect: float) -> bool:
        """Whether something of a flat convex shape (n, 3) may be in the picture: False only where it surely
        is not, as all of it is behind, or beyond one border, blurred as it is."""
        away = np.asarray(corners) - self.eye
        x, y, z = away @ self.right, away @ self.up, away @ self.ahead
        if self.parallel:
            deep, blur = np.ones(len(z)), np.zeros(len(z))
        else:
            deep, blur = z, self.opening_mm / 2 * np.abs(1 - z / self.focus_mm)
        across, up = self.tall * aspect * deep, self.tall * deep
        y = y - self.raised * deep
        beyond = (x - blur > across, -x - blur > across, y - blur > up, -y - blur > up, z <= 0)
        return not any(one.all() for one in beyond)

    @property
    def near_mm(self) -> float:
        """What is nearer is not drawn."""
        return max(self.reach_mm / 4000, 0.5)

    def clip_matrix(self, aspect: float) -> Array:
        """(4, 4) to clip coordinates of OpenGL, for column vectors."""
        look = np.eye(4)
        look[:3, :3] = np.stack([self.right, self.up, -self.ahead])
        look[:3, 3] = -look[:3, :3] @ self.eye
        near, far = self.near_mm, self.reach_mm
        lens = np.zeros((4, 4))
        if self.parallel:
            lens[0, 0], lens[1, 1] = 1 / (self.tall * aspect), 1 / self.tall
            lens[2, 2], lens[2, 3], lens[3, 3] = -2 / (far - near), -(far + near) / (far - near), 1
        else:
            lens[0, 0], lens[1, 1] = 1 / (self.tall * aspect), 1 / self.tall
            lens[1, 2] = self.raised / self.tall
            lens[2, 2] = -(far + near) / (far - near)
            lens[2, 3], lens[3, 2] = -2 * far * near / (far - near), -1
        return lens @ look


def walk_round(camera: Camera, middle: Array, aspect: float = 1.5, sharp_at: Array | None = None) -> View:
    """The perspective camera at its place, looking at ``middle`` (or beside it by shift and rise).

    ``aspect``: width over height of the picture; a narrow one sees as far to the sides as a wide one.
    ``sharp_at``: the point whose depth is in focus, the middle itself unless given.
    """
    turn, tilt = np.radians(camera.turn_deg), np.radians(camera.tilt_deg)
    ahead = np.array([-np.sin(turn) * np.cos(tilt), np.cos(turn) * np.cos(tilt), -np.sin(tilt)])
    right = np.array([np.cos(turn), np.sin(turn), 0.0])
    up = np.cross(right, ahead)
    aim = np.asarray(middle) + camera.shift_mm * right + camera.rise_mm * up
    eye = aim - camera.distance_mm * ahead
    raised = 0.0
    if camera.upright:
        level = np.array([-np.sin(turn), np.cos(turn), 0.0])
        raised = float((aim - eye)[2] / ((aim - eye) @ level))
        ahead, up = level, np.array([0.0, 0.0, 1.0])
    focus = float(((middle if sharp_at is None else sharp_at) - eye) @ ahead) + camera.focus_mm
    return View(
        eye=eye,
        right=right,
        up=up,
        ahead=ahead,
        parallel=False,
        tall=FRAME_MM / 2 / camera.lens_mm * max(1.0, NARROW / aspect),
        reach_mm=camera.distance_mm * 4 + 8000.0,
        opening_mm=camera.lens_mm / camera.f_number if camera.f_number > 0 else 0.0,
        focus_mm=max(focus, 1.0),
        raised=raised,
    )


def square_on(target: Array, frame: Array, half_height_mm: float) -> View:
    """A parallel camera straight at ``target``.

    frame (3, 3): rows are the surface's right, up and outward normal there.
    """
    right, up, out = frame
    distance = 4 * half_height_mm + 1000.0
    return View(
        eye=target + distance * out,
        right=right,
        up=up,
        ahead=-out,
        parallel=True,
        tall=half_height_mm,
        reach_mm=distance * 2 + 4000.0,
    )
