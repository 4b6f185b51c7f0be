"""A hanger of wood with a hook of wire, and the peg that it hangs from."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Shell
from kilnchisel.core.blanks.tubes import bar, tube
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.garments import HOOK_MM, Measures, wall_behind
from kilnchisel.core.later import interpolate

Array = NDArray[Any]

END_SHARE = 0.88  # of the shoulders
BELOW_MM = 4.0  # the seam of the shoulder, its upper side
WITHIN = 0.94  # of what the cloth was kept off: it lies just on it
WIRE_R, HOOK_R, PEG_R, PEG_MM = 1.7, 15.0, 8.0, 14.0
MIDDLE_MM, END_MM = 9.0, 7.0  # half as thick there


def hanger_arms(m: Measures) -> Array:
    """The arm at x > 0, where the garment has it: rows of x, y, z and half its thickness, (4, 4) mm."""
    top = m.length / 2
    tilt = m.slope / (m.shoulders / 2 - m.neck / 2)
    x = np.array([0.0, 0.16, 0.6, END_SHARE]) * m.shoulders / 2
    thick = np.array([MIDDLE_MM, MIDDLE_MM, 8.0, END_MM])
    # a little bowed: its middle is flatter than the seams, which would meet above it
    z = top - tilt * (np.hypot(x, 0.12 * m.shoulders) - m.neck / 2) - BELOW_MM - thick
    y = np.array([0.0, 0.0, -2.0, -7.0])
    return np.column_stack([x, y, z, thick])


def hanger_shells(m: Measures, lift_mm: float, *, detail: Detail) -> list[Shell]:
    """The hanger, its hook and its peg, where the garment lies ``lift_mm`` higher than its pattern."""
    arm = hanger_arms(m)
    whole = np.concatenate([(arm * (-1, 1, 1, 1))[:0:-1], arm])
    whole[:, 2] += lift_mm
    x = np.linspace(whole[0, 0], whole[-1, 0], 61 if detail.fine else 21)
    round_ = interpolate.PchipInterpolator(whole[:, 0], whole[:, 1:])(x)
    ends = np.sqrt(np.clip(1 - np.linspace(-1, 1, len(x)) ** 16, 0.02, 1))
    wood = bar(np.column_stack([x, round_[:, :2]]), round_[:, 2] * ends * WITHIN, 20 if detail.fine else 8)
    middle = np.interp(0.0, x, round_[:, 1])
    peg = m.length / 2 + lift_mm + HOOK_MM
    turn = np.radians(np.linspace(-60, 180, 33 if detail.fine else 13))
    bow = np.stack([HOOK_R * np.cos(turn), 0 * turn, peg - PEG_R + HOOK_R * np.sin(turn)], axis=1)
    stem = np.linspace([0, 0, middle], [0, 0, peg - 3.1 * HOOK_R], 9)
    join_ = np.linspace(stem[-1], bow[0], 6)[1:-1]
    hook = bar(np.concatenate([stem, join_, bow]), np.full(len(stem) + len(join_) + len(bow), WIRE_R), 10)
    return [
        Shell("hanger", "hanger wood", wood, "hanger"),
        Shell("hook", "steel", hook, "hook"),
        peg_shell(peg + HOOK_R - 2 * PEG_R, (wall_behind(m), -PEG_MM), detail=detail),
    ]


def peg_shell(high_mm: float, reach_mm: tuple[float, float], *, detail: Detail) -> Shell:
    """A peg out of the wall, so high, from one y to another, a little up, so that nothing slides off."""
    wall, front = reach_mm
    line = np.array([[0.0, wall, high_mm], [0.0, front, high_mm + 4.0]])
    return Shell("peg", "hanger wood", tube(line, PEG_R, detail=detail), "peg")
