"""A body to wear a garment, never seen: how far a spot is from it, smooth all over. Common practice."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import interpolate

from kilnchisel.core.easing import smooth_step
from kilnchisel.core.job.garments import Measures, measures_of

Array = NDArray[Any]

# of a middle size, mm from the high point of the shoulder: how low, half as wide, half as deep, and how
# far back its middle is
TORSO = np.array(
    [
        [1100.0, 160.0, 108.0, 8.0],
        [800.0, 180.0, 122.0, 12.0],
        [690.0, 184.0, 125.0, 15.0],
        [610.0, 173.0, 117.0, 10.0],
        [510.0, 148.0, 100.0, -2.0],
        [420.0, 143.0, 97.0, -6.0],
        [330.0, 152.0, 104.0, -8.0],
        [255.0, 160.0, 110.0, -8.0],
        [190.0, 164.0, 106.0, 0.0],
        [130.0, 160.0, 94.0, 9.0],
        [80.0, 142.0, 80.0, 16.0],
        [45.0, 112.0, 74.0, 20.0],
        [15.0, 72.0, 64.0, 20.0],
        [-25.0, 58.0, 60.0, 14.0],
        [-120.0, 56.0, 58.0, 0.0],
    ]
)
# shoulder, elbow and wrist of a middle size: aside, low; thicknesses there
SHOULDER = (188.0, 82.0)
UPPER, FORE = 300.0, 350.0
ROUND = (51.0, 39.0, 25.0)
# a head that holds a hood up, of a middle size: aside is 0; how far back, above the high point of the
# shoulder, thick: chin, forehead, crown, back of the head
HEAD = np.array([[-66.0, 84.0, 34.0], [-34.0, 168.0, 68.0], [-2.0, 204.0, 80.0], [26.0, 168.0, 74.0]])
NECK_GROWS, LIMB_GROWS = 0.3, 0.45  # of how much a chest does from size to size
FAR = 1e9  # mm
BROAD = 2.4  # the power of its sections: 2 is an ellipse


def _grown(m: Measures) -> tuple[float, float]:
    """How much wider and taller than a middle size the body is."""
    usual = measures_of("t-shirt", "M")
    return m.chest / usual.chest, m.length / usual.length


def body_of(m: Measures) -> Array:
    """The trunk of a body that a garment with these measures is for: rows of height, where the garment
    has it, half width, half depth, and how far back and aside its middle is, mm, (k, 5)."""
    wide, tall = _grown(m)
    # necks grow less than chests do
    slim = 1 + NECK_GROWS * (wide - 1)
    grown = np.interp(TORSO[:, 0], [10.0, 80.0], [slim, wide])[:, None]
    torso = np.concatenate([TORSO[:, :1], TORSO[:, 1:] * grown], axis=1)
    torso[:, 0] = m.length / 2 - torso[:, 0] * tall
    torso = torso[np.argsort(torso[:, 0])]
    fine = np.arange(torso[0, 0], torso[-1, 0], 6.0)
    rows = interpolate.PchipInterpolator(torso[:, 0], torso[:, 1:])(fine)
    return np.ascontiguousarray(np.column_stack([fine, rows, np.zeros(len(fine))]))


def posed(torso: Array, lean_mm: float, twist_deg: float, tall_mm: float) -> Array:
    """The same trunk, its shoulders so far aside of its hips, turned against them, and lifted, (k, 6)."""
    high = torso[-1, 0]
    t = np.clip((torso[:, 0] + high) / (2 * high), 0, 1)
    smooth = smooth_step(t)
    bent = np.column_stack([torso, np.radians(twist_deg) * (smooth - 0.35)])
    bent[:, 0] += tall_mm * np.clip(2.2 * (t - 0.25), 0, 1)
    bent[:, 4] = lean_mm * (smooth - 0.5 * np.sin(np.pi * t) ** 2)
    return bent


def arms_within(m: Measures) -> float:
    """How far from upright, degrees, an arm lies in the middle of a sleeve that lies flat."""
    wide, tall = _grown(m)
    turn = np.radians(m.sleeve_deg)
    out, across = np.array([np.cos(turn), -np.sin(turn)]), np.array([-np.sin(turn), -np.cos(turn)])
    end = np.array([m.shoulders / 2, -m.slope]) + m.sleeve * out + m.cuff / 2 * across
    x, z = end - (SHOULDER[0] * wide, -SHOULDER[1] * tall)
    return float(np.degrees(np.arctan2(x, -z)))


def arms_of(
    m: Measures, left_deg: float, right_deg: float, lean_mm: float, twist_deg: float, tall_mm: float
) -> Array:
    """The left and the right arm hanging so far from upright, of a trunk so posed, (2, 4, 4)."""
    arms = np.stack([_arm(m, left_deg), _arm(m, right_deg)])
    arms[1, :, 0] *= -1
    turn = np.radians(0.65 * twist_deg)
    x, y = arms[:, :, 0].copy(), arms[:, :, 1].copy()
    arms[:, :, 0] = np.cos(turn) * x - np.sin(turn) * y + lean_mm
    arms[:, :, 1] = np.sin(turn) * x + np.cos(turn) * y
    arms[:, :, 2] += tall_mm
    return arms


def _arm(m: Measures, angle_deg: float) -> Array:
    """The arm at x > 0 hanging so far from upright: rows of x, y, z, thickness, (4, 4): within the trunk,
    shoulder, elbow, wrist."""
    wide, tall = _grown(m)
    turn = np.radians(angle_deg)
    way = np.array([np.sin(turn), 0.0, -np.cos(turn)])
    shoulder = np.array([SHOULDER[0] * wide, 12.0, m.length / 2 - SHOULDER[1] * tall])
    elbow = shoulder + UPPER * tall * way + (0, 8, 0)
    # a hanging arm is bent a little forward
    fore = way * np.cos(np.radians(14)) + np.array([0, -np.sin(np.radians(14)), 0])
    wrist = elbow + FORE * tall * fore
    root = np.array([70.0 * wide, 14.0, m.length / 2 - 62.0 * tall])
    slim = 1 + LIMB_GROWS * (wide - 1)
    rows = [
        [*root, 42 * slim],
        [*shoulder, ROUND[0] * slim],
        [*elbow, ROUND[1] * slim],
        [*wrist, ROUND[2] * slim],
    ]
    return np.array(rows)


def head_of(m: Measures, lean_mm: float, tall_mm: float, swell: float) -> Array:
    """A head that has swollen to this share, of a trunk so posed, (1, 4, 4)."""
    wide, _ = _grown(m)
    slim = 1 + NECK_GROWS * (wide - 1)
    back, up, thick = HEAD.T
    # it stands upright: it does not turn with the shoulders
    rows = [np.full(4, lean_mm), slim * back, m.length / 2 + slim * up + tall_mm, swell * slim * thick]
    return np.stack(rows, axis=1)[None]


@njit(cache=True)
def _smaller(a, b, soft):  # type: ignore[no-untyped-def]
    """The lesser of two, round where they are alike (a polynomial blend)."""
    h = max(soft - abs(a - b), 0.0) / soft
    return min(a, b) - h * h * soft * 0.25


@njit(cache=True)
def distance(x, y, z, torso, limbs, deep):  # type: ignore[no-untyped-def]
    """Roughly how far a spot is outside of the body, mm; ``limbs``: left arm, right arm, and a head where
    there is one; ``deep``: the depth of all but the head as a share of the full one. Without a trunk
    the limbs are all there is."""
    rows = len(torso)
    away, aside = FAR, x
    if rows > 0:
        away, aside = _trunk(x, y, z, torso, deep)
    if len(limbs) > 1:
        away = _limb(x, y, z, limbs[0] if aside > 0 else limbs[1], deep, away)
    if len(limbs) > 2:
        away = _limb(x, y, z, limbs[2], 1.0, away)
    return away


@njit(cache=True)
def _trunk(x, y, z, torso, deep):  # type: ignore[no-untyped-def]
    """How far a spot is outside of the trunk, and how far aside of its middle."""
    low = 0
    rows = len(torso)
    while low < rows - 2 and torso[low + 1, 0] < z:
        low += 1
    t = (z - torso[low, 0]) / (torso[low + 1, 0] - torso[low, 0])
    t = min(max(t, 0.0), 1.0)
    wide = torso[low, 1] + t * (torso[low + 1, 1] - torso[low, 1])
    thick = (torso[low, 2] + t * (torso[low + 1, 2] - torso[low, 2])) * deep
    back = (torso[low, 3] + t * (torso[low + 1, 3] - torso[low, 3])) * deep
    aside = torso[low, 4] + t * (torso[low + 1, 4] - torso[low, 4])
    twist = torso[low, 5] + t * (torso[low + 1, 5] - torso[low, 5])
    ex, ey = x - aside, y / deep
    ex, ey = np.cos(twist) * ex + np.sin(twist) * ey, np.cos(twist) * ey - np.sin(twist) * ex
    p, q = ex / wide, (ey * deep - back) / thick
    # a rounded box rather than an ellipse: bodies are broad
    k = (abs(p) ** BROAD + abs(q) ** BROAD) ** (1 / BROAD)
    if k > 0.05:
        slope_x, slope_y = (abs(p) / k) ** (BROAD - 1) / wide, (abs(q) / k) ** (BROAD - 1) / thick
        away = (k - 1) / np.sqrt(slope_x * slope_x + slope_y * slope_y)
    else:
        away = -min(wide, thick)
    return max(away, z - torso[rows - 1, 0]), ex


@njit(cache=True)
def _limb(x, y, z, limb, deep, away):  # type: ignore[no-untyped-def]
    """The distance ``away`` from the rest with that from a limb: rows of x, y, z, thickness."""
    for i in range(len(limb) - 1):
        bx, by, bz = limb[i, 0], limb[i, 1] * deep, limb[i, 2]
        cx, cy, cz = limb[i + 1, 0] - bx, limb[i + 1, 1] * deep - by, limb[i + 1, 2] - bz
        px, py, pz = x - bx, y - by, z - bz
        s = (px * cx + py * cy + pz * cz) / (cx * cx + cy * cy + cz * cz)
        s = min(max(s, 0.0), 1.0)
        radius = limb[i, 3] + s * (limb[i + 1, 3] - limb[i, 3])
        dx, dy, dz = px - s * cx, (py - s * cy) / deep, pz - s * cz
        one = np.sqrt(dx * dx + dy * dy + dz * dz) - radius
        if deep < 1.0 and dx * dx + dz * dz < radius * radius:
            one = one * deep  # flattened: across it is nearer
        away = _smaller(away, one, 22.0 if i == 0 else 10.0)
    return away
