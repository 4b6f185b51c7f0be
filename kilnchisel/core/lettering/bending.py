"""Lines that can be bent: corners rounded to a least radius, or the line parted where that cannot be."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import run_of

Array = NDArray[Any]

CORNER_DEG = 24.0
ARC_STEP = math.radians(6.0)
SHARP_DEG = 110.0  # a point: rounding it would shorten it too much


def bent_lines(line: Array, radius: float) -> list[Array]:
    """A line with every corner turned on an arc of ``radius``; parted at corners with no room for it.

    A corner of turn a needs radius * tan(a / 2) of straight on both sides; points sharper than
    SHARP_DEG are parted as well.
    """
    if radius <= 0 or len(line) < 3:
        return [line]
    steps = np.diff(line, axis=0)
    length = np.linalg.norm(steps, axis=1)
    way = steps / np.maximum(length, 1e-12)[:, None]
    turn = np.arctan2(
        way[:-1, 0] * way[1:, 1] - way[:-1, 1] * way[1:, 0], np.einsum("ij,ij->i", way[:-1], way[1:])
    )
    corners = np.flatnonzero(np.abs(turn) > math.radians(CORNER_DEG)) + 1
    if not len(corners):
        return [line]
    room = _straight_room(line, corners)
    lines: list[Array] = []
    now: list[Array] = [line[: corners[0]]]
    for number, corner in enumerate(corners):
        angle = float(turn[corner - 1])
        need = radius * math.tan(abs(angle) / 2)
        before, after = room[number]
        if abs(angle) > math.radians(SHARP_DEG) or need > min(before, after):
            now.append(line[corner : corner + 1])
            lines.append(np.concatenate(now))
            now = [line[corner : corner + 1]]
        else:
            now = [_trimmed(np.concatenate([*now, line[corner : corner + 1]]), need)]
            now.append(_arc(line[corner], way[corner - 1], way[corner], need, radius, angle))
        stop = corners[number + 1] if number + 1 < len(corners) else len(line)
        tail = line[corner + 1 : stop]
        if need <= min(before, after) and abs(angle) <= math.radians(SHARP_DEG):
            tail = tail[np.linalg.norm(tail - line[corner], axis=1) > need]
        now.append(tail)
    lines.append(np.concatenate(now))
    return [piece for piece in lines if len(piece) > 1]


def _straight_room(line: Array, corners: Array) -> list[tuple[float, float]]:
    """Half the way to the next corner on each side (all of it at the line's ends)."""
    run = run_of(line)
    stops = [0.0, *run[corners].tolist(), float(run[-1])]
    rooms = []
    for i in range(1, len(stops) - 1):
        before = stops[i] - stops[i - 1]
        after = stops[i + 1] - stops[i]
        rooms.append((before if i == 1 else before / 2, after if i == len(stops) - 2 else after / 2))
    return rooms


def _trimmed(line: Array, cut: float) -> Array:
    """The line up to ``cut`` before its last point."""
    keep = np.linalg.norm(line - line[-1], axis=1) > cut
    last = int(np.flatnonzero(keep)[-1]) if keep.any() else 0
    return line[: last + 1]


def _arc(corner: Array, into: Array, out: Array, need: float, radius: float, angle: float) -> Array:
    start = corner - need * into
    side = np.array([-into[1], into[0]]) * math.copysign(1.0, angle)
    centre = start + radius * side
    count = max(2, math.ceil(abs(angle) / ARC_STEP))
    steps = np.linspace(0, angle, count + 1)[:, None]
    spoke = start - centre
    return np.asarray(centre + np.cos(steps) * spoke + np.sin(steps) * np.array([-spoke[1], spoke[0]]))


def tightest_bend(line: Array) -> float:
    """The smallest radius of curvature along a line, through each three points; infinite if straight."""
    if len(line) < 3:
        return math.inf
    a, b, c = line[:-2], line[1:-1], line[2:]
    ab, bc, ca = (np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (c, a)))
    doubled = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
    with np.errstate(divide="ignore", invalid="ignore"):
        radius = ab * bc * ca / (2 * doubled)  # circumradius = abc / 4K, K half of ``doubled``
    radius[doubled < 1e-12] = np.inf
    return float(radius.min())


EASING_ROUNDS = 400
EASED_TO = 0.97  # of the radius asked for


def eased(line: Array, radius: float) -> list[Array]:
    """A smooth line resampled and relaxed wherever it bends tighter than a radius, its ends staying;
    parted where that does not help.

    Points that turn too much are drawn toward the middle of their neighbours, a few at a time.
    """
    run = run_of(line)
    count = math.ceil(float(run[-1]) / (radius / 4)) + 1 if radius > 0 else 0
    if radius <= 0:
        return [line]
    if count < 4:
        return [line[[0, -1]]]  # too short to bend at all
    at = np.linspace(0.0, float(run[-1]), count)
    points = np.stack([np.interp(at, run, line[:, i]) for i in range(2)], axis=1)
    for _ in range(EASING_ROUNDS):
        over = _over(points, radius * EASED_TO)
        if over.max() <= 0:
            return [points]
        spread = np.convolve(np.pad((over > 0) * 1.0, 2), (0.3, 0.7, 1.0, 0.7, 0.3), mode="valid")
        middle = (points[:-2] + points[2:]) / 2
        points[1:-1] += 0.5 * np.minimum(spread, 1.0)[:, None] * (middle - points[1:-1])
    worst = int(_over(points, radius * EASED_TO).argmax()) + 1
    return [*eased(points[: worst + 1], radius), *eased(points[worst:], radius)]


def _over(points: Array, radius: float) -> Array:
    """How much more each inner point turns than on an arc of the radius, radians, (n - 2,)."""
    steps = np.diff(points, axis=0)
    length = np.maximum(np.linalg.norm(steps, axis=1), 1e-12)
    cross = steps[:-1, 0] * steps[1:, 1] - steps[:-1, 1] * steps[1:, 0]
    turn = np.abs(np.arctan2(cross, np.einsum("ij,ij->i", steps[:-1], steps[1:])))
    # an arc of the radius turns by chord / radius
    return np.asarray(turn - (length[:-1] + length[1:]) / 2 / radius)
