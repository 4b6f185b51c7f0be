"""The camera from the rim and the foot of something round: two ellipses, one circle above the other."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Oval, Rims
from kilnchisel.core.photo.stood import LENS, SHIFTS, TALL, TURNS, Fit, Stood, fitted, stood_of, with_a_lens

Array = NDArray[Any]

POINTS = 32  # on each circle
TALLS = (0.8, 1.0, 1.25, 1.6)  # heights to begin with, of a guess
STARTS = 6  # of these are followed
TRIED = (0.6, 0.8, 1.1, 1.6, 2.4, 4.0)  # focal lengths to begin with, of the picture's longer side
TURN = np.linspace(0, 2 * np.pi, POINTS, endpoint=False)
CIRCLE = np.stack([np.cos(TURN), np.sin(TURN), 0 * TURN], axis=1)


def from_rims(told: Rims, lens_mm: float | None, size: tuple[int, int]) -> Stood:
    """Where the camera stood; the origin is the middle of the foot. Raises KilnError for ovals that cannot
    be a rim and a foot."""
    if told.rim.middle[1] >= told.foot.middle[1]:
        raise KilnError("The rim must be above the foot in the photo.")
    radius, middle = told.diameter_mm / 2, np.array(size) / 2
    apart = float(np.linalg.norm(np.subtract(told.rim.middle, told.foot.middle)))
    flat = told.foot.short_px / told.foot.long_px
    guess = apart / told.rim.long_px * radius / max(np.sqrt(1 - min(flat, 1.0) ** 2), 0.2)
    circle, below = radius * CIRCLE, (told.foot_mm / 2 or radius) * CIRCLE

    def left(fit: Fit) -> Array:
        foot, rim = fit.seen(below), fit.seen(circle + (0, 0, fit.tall))
        return np.concatenate([off_oval(rim, told.rim, middle), off_oval(foot, told.foot, middle)])

    def solve(focal: float | None) -> Stood | None:
        focals = [focal] if focal is not None else [share * max(size) for share in TRIED]
        talls = [told.height_mm] if told.height_mm else [share * guess for share in TALLS]
        firsts = [
            _first(told, one, told.foot_mm / 2 or radius, tall, middle, tilt)
            for one in focals
            for tall in talls
            for tilt in (1.0, -1.0)
        ]
        firsts.sort(key=lambda fit: float(np.sum(left(fit) ** 2)))
        steps = TURNS + SHIFTS + (LENS if focal is None else ()) + (() if told.height_mm else TALL)
        found = fitted(firsts[:STARTS], left, steps)
        fit = _faced(found[0])
        return stood_of(fit, found[1], found[2], size, free=focal is None)

    return with_a_lens(solve, lens_mm, size)


def off_oval(points: Array, oval: Oval, middle: Array) -> Array:
    """How far points (n, 2), from the picture's middle, are off an ellipse, pixels, to first order."""
    turn = np.radians(oval.turn_deg)
    axes = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    own = (points - (np.array(oval.middle) - middle)) @ axes.T
    halves = np.array([oval.long_px, oval.short_px])
    out = np.linalg.norm(own / halves, axis=1)
    # the ellipse's equation over the length of its slope (Sampson, Fitting Conic Sections, 1982)
    slope = np.linalg.norm(own / halves**2, axis=1) / np.maximum(out, 1e-9)
    return np.asarray((out - 1) / np.maximum(slope, 1e-9))


def _first(told: Rims, focal: float, radius: float, tall: float, middle: Array, tilt: float) -> Fit:
    """A camera far away that sees the foot in its place, as wide and as flat as it is."""
    oval = told.foot
    sine = min(oval.short_px / oval.long_px, 1.0)
    cosine = np.sqrt(1 - sine**2)
    down = sine * tilt  # looked at from above, or from below
    # right, down and ahead of a camera that looks along y and down
    look = np.array([[1, 0, 0], [0, -down, -cosine], [0, cosine, -down]])
    roll = np.radians(oval.turn_deg)
    turn = np.array([[np.cos(roll), -np.sin(roll), 0], [np.sin(roll), np.cos(roll), 0], [0, 0, 1]])
    depth = focal * radius / oval.long_px
    shift = np.append((np.array(oval.middle) - middle) / focal, 1.0) * depth
    return Fit(turn @ look, shift, focal, tall)


def _faced(fit: Fit) -> Fit:
    """The same with the place turned about its upright line, so that y goes straight away from the eye."""
    eye = -fit.look.T @ fit.shift
    turn = np.arctan2(eye[0], -eye[1])
    c, s = np.cos(turn), np.sin(turn)
    about = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    return replace(fit, look=fit.look @ about)
