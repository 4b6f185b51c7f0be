"""Where the camera of a photograph stood: found from what is seen in it.

Every way ends in the same: a first guess in closed form, and least squares on what was marked, in pixels.
The lens comes from the picture where it tells enough, else from the photo's record, else a usual one is
taken; which of them is said, with how far wrong the result may be.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

FRAME_WIDE_MM = 36.0
USUAL_LENS_MM = 28.0  # a telephone's wide lens, on a frame 36 mm wide
MARKED_PX = 0.5  # how well a corner is marked: standard deviation in x and in y
UNSURE = 0.06  # a lens that its picture tells less surely than this, relative, is taken from elsewhere
MOST_STEPS, MOST_TRIES = 30, 10  # of least squares from one guess, and at each for one that is better
FIRST_DAMP, LEAST_DAMP = 1e-3, 1e-12
SMALL_STEP, ENOUGH = 1e-6, 1e-8  # a step that shows a slope; a gain, as a share, that is the last one
LEAST_LENS, MOST_LENS = 0.2, 30.0  # of the picture's longer side, in which a lens is looked for

LensFrom = Literal["the picture", "the photo's record", "a usual lens"]


@dataclass(frozen=True, eq=False)
class Stood:
    """A camera in the frame of its place, mm: x to the right, y away from the viewer, z up; the wall is
    y = 0, or the ground z = 0, through the origin.

    ``eye`` (3,); unit vectors ``right``, ``up``, ``ahead`` (3,); ``focal_px``: of the whole picture, whose
    middle it looks at. ``off_px``: root mean square of what is left between what was marked and what this
    camera sees. ``focal_share``, ``place_share``: standard deviations, of the focal length as a share of
    itself, of the eye's place as a share of its distance from the origin, if marks are off by half a pixel,
    or by what is left.
    """

    eye: Array
    right: Array
    up: Array
    ahead: Array
    focal_px: float
    size: tuple[int, int]
    lens_from: LensFrom
    off_px: float
    focal_share: float
    place_share: float

    @property
    def lens_mm(self) -> float:
        """On a frame 36 mm wide."""
        return float(self.focal_px * FRAME_WIDE_MM / max(self.size))

    @property
    def distance_mm(self) -> float:
        """From the eye to the place's origin."""
        return float(np.linalg.norm(self.eye))

    @property
    def off_mm(self) -> float:
        """What is left, on the place at its origin."""
        return float(self.off_px * (-self.eye @ self.ahead) / self.focal_px)

    def project(self, points: Array) -> Array:
        """Points of the place (n, 3) mm to pixels (n, 2); what is behind the eye to NaN."""
        away = np.asarray(points, float) - self.eye
        depth = away @ self.ahead
        depth = np.where(depth > 1e-9, depth, np.nan)
        x, y = away @ self.right, away @ self.up
        middle = np.array(self.size) / 2
        return np.asarray(middle + self.focal_px * np.stack([x, -y], axis=-1) / depth[..., None])

    def rays(self, pixels: Array) -> Array:
        """Unit directions (n, 3) in which pixels (n, 2) look."""
        x, y = ((np.asarray(pixels, float) - np.array(self.size) / 2) / self.focal_px).T
        ways = self.ahead + x[:, None] * self.right - y[:, None] * self.up
        return np.asarray(ways / np.linalg.norm(ways, axis=1, keepdims=True))

    def on_plane(self, pixels: Array, normal: Array, through: Array | float = 0.0) -> Array:
        """Where pixels (n, 2) meet the plane with this normal through a point (or the origin), (n, 3);
        NaN where they do not."""
        ways = self.rays(pixels)
        with np.errstate(divide="ignore", invalid="ignore"):
            far = ((np.broadcast_to(through, 3) - self.eye) @ normal) / (ways @ normal)
        return np.asarray(self.eye + np.where(far > 0, far, np.nan)[:, None] * ways)


def turned(vector: Array) -> Array:
    """The rotation (3, 3) about a vector by its length in radians (Rodrigues)."""
    x, y, z = vector.tolist()  # a fit turns some hundred times, and numbers are quicker than small arrays
    angle = math.sqrt(x * x + y * y + z * z)
    if angle < 1e-12:
        return np.eye(3)
    x, y, z = x / angle, y / angle, z / angle
    s, c = math.sin(angle), math.cos(angle)
    d = 1 - c
    return np.array(
        [
            [c + d * x * x, d * x * y - s * z, d * x * z + s * y],
            [d * x * y + s * z, c + d * y * y, d * y * z - s * x],
            [d * x * z - s * y, d * y * z + s * x, c + d * z * z],
        ]
    )


def focal_of_record(lens_mm: float | None, size: tuple[int, int]) -> tuple[float, LensFrom]:
    """The focal length in pixels that a photo's record gives, or a usual one."""
    if lens_mm is None:
        return USUAL_LENS_MM / FRAME_WIDE_MM * max(size), "a usual lens"
    return lens_mm / FRAME_WIDE_MM * max(size), "the photo's record"


@dataclass(frozen=True)
class Fit:
    """A camera as least squares have it: rows of ``look`` are right, down and ahead; ``shift``: the place's
    origin as the camera sees it, so that a point p is seen at look p + shift; ``tall``: a length of what is
    seen that is looked for too."""

    look: Array
    shift: Array
    focal: float
    tall: float = 1.0

    def seen(self, points: Array) -> Array:
        """Points (n, 3) to pixels from the picture's middle, (n, 2), y down."""
        away = points @ self.look.T + self.shift
        depth = np.where(np.abs(away[:, 2:]) > 1e-9, away[:, 2:], 1e-9)
        return np.asarray(self.focal * away[:, :2] / depth)

    def moved(self, step: Array) -> Fit:
        """Turned by step[:3] (radians), shifted by step[3:6] in its own distances; focal length and
        ``tall`` are multiplied by e^step[6] and e^step[7]."""
        far = math.sqrt(self.shift @ self.shift)
        focal, tall = (math.exp(one) for one in step[6:].tolist())
        look = turned(step[:3]) @ self.look if step[:3].any() else self.look
        return Fit(look, self.shift + step[3:6] * far, self.focal * focal, self.tall * tall)


TURNS, SHIFTS, LENS, TALL = (0, 1, 2), (3, 4, 5), (6,), (7,)  # the steps of a fit


def fitted(
    firsts: Sequence[Fit], left: Callable[[Fit], Array], steps: tuple[int, ...]
) -> tuple[Fit, Array, float]:
    """The camera near one of ``firsts`` that leaves least of ``left`` (pixels, x and y flat), reached by
    these of its steps; with their covariance (8, 8) for marks that are off by one pixel, and the root mean
    square of how far off the marks are."""

    best, jac, off = min(
        (_nearest(first, left, steps) for first in firsts), key=lambda one: float(one[2] @ one[2])
    )
    covariance = np.zeros((8, 8))
    covariance[np.ix_(steps, steps)] = np.linalg.pinv(jac.T @ jac, rcond=1e-14)
    for number in range(len(steps)):
        if steps[number] in LENS:  # what the others cannot do in its place tells it: nothing, perhaps
            others = np.delete(jac, number, axis=1)
            own = jac[:, number]
            own = own - others @ np.linalg.lstsq(others, own, rcond=None)[0]
            covariance[LENS[0], LENS[0]] = 1 / max(float(own @ own), 1e-12)
    return best, covariance, float(np.sqrt(np.mean(off**2) * 2))


def _nearest(fit: Fit, left: Callable[[Fit], Array], steps: tuple[int, ...]) -> tuple[Fit, Array, Array]:
    """The camera that leaves least, from one on; how what is left changes with its steps, and what that is.
    Levenberg's and Marquardt's way, each step from where the last came to, so that steps stay small."""
    off, damp = left(fit), FIRST_DAMP
    for _ in range(MOST_STEPS):
        jac = _changes(fit, left, steps, off)
        square, slope = jac.T @ jac, jac.T @ off
        before = float(off @ off)
        for _ in range(MOST_TRIES):
            step = np.zeros(8)
            bent = square + np.diag(damp * np.diag(square) + 1e-15 * float(np.trace(square)) + 1e-30)
            step[list(steps)] = -np.linalg.solve(bent, slope)
            tried = fit.moved(np.clip(step, -1, 1))
            there = left(tried)
            if float(there @ there) < before:
                fit, off, damp = tried, there, max(damp / 10, LEAST_DAMP)
                break
            damp *= 5
        else:
            break
        if before - float(off @ off) <= ENOUGH * before:
            break
    return fit, _changes(fit, left, steps, off), off


def _changes(fit: Fit, left: Callable[[Fit], Array], steps: tuple[int, ...], off: Array) -> Array:
    """How what is left changes with each step, (n, steps)."""
    found = []
    for number in steps:
        step = np.zeros(8)
        step[number] = SMALL_STEP
        found.append((left(fit.moved(step)) - off) / SMALL_STEP)
    return np.stack(found, axis=1)


def stood_of(fit: Fit, covariance: Array, off_px: float, size: tuple[int, int], *, free: bool) -> Stood:
    """What a fit says of where the camera stood. ``covariance``: as ``fitted`` gives it; ``free``: whether
    the lens was looked for too."""
    right, down, ahead = fit.look
    spread = max(MARKED_PX, off_px) * np.sqrt(np.maximum(np.diag(covariance), 0))
    return Stood(
        eye=-fit.look.T @ fit.shift,
        right=right,
        up=-down,
        ahead=ahead,
        focal_px=fit.focal,
        size=size,
        lens_from="the picture" if free else "the photo's record",
        off_px=off_px,
        focal_share=float(spread[6]),
        # turning by a radian moves the eye by its distance
        place_share=float(np.linalg.norm(spread[:6])),
    )


def with_a_lens(
    solve: Callable[[float | None], Stood | None], lens_mm: float | None, size: tuple[int, int]
) -> Stood:
    """What ``solve`` finds with the lens left free, where the picture tells it; else with that of the
    photo's record or a usual one. ``solve`` takes a focal length in pixels, or None."""
    free = solve(None)
    told = free is not None and free.focal_share <= UNSURE
    if free is not None and told and LEAST_LENS <= free.focal_px / max(size) <= MOST_LENS:
        return free
    focal, lens_from = focal_of_record(lens_mm, size)
    held = solve(focal)
    assert held is not None
    return replace(held, lens_from=lens_from)
