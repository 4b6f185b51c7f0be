"""A box sign's faces lit from inside: how the modules are spread, and how even the faces shine."""

from __future__ import annotations

from functools import partial

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.edits import Fix, change
from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.check import Check

CLOSEST_MM, WIDEST_MM = 40.0, 140.0  # from module to module
OVER_DEPTH = 1.15  # how far apart they are set, of how far behind the face: common practice
EVEN = 0.8  # least over greatest that is taken for even: common practice
REACH = 12  # modules each way that are counted


def behind_mm(box: BoxSign) -> float:
    """How far the modules are behind each face: they stand on a plate in the middle of the box."""
    return box.depth_mm / 2


def pitch_mm(box: BoxSign) -> float:
    """From module to module each way."""
    return float(np.clip(OVER_DEPTH * behind_mm(box), CLOSEST_MM, WIDEST_MM))


def modules_of(box: BoxSign) -> int:
    """How many light both faces."""
    area = sum(body_of(box).sheet(name).side.domain.area for name in ("front", "back"))
    return max(2, int(np.ceil(area / pitch_mm(box) ** 2)))


def evenness(pitch_mm: float, behind_mm: float) -> float:
    """The least over the greatest light on a face far from its border, of a square net of small lights that
    shine by Lambert's law: each gives cos⁴ of the angle at which it is seen, over its depth squared."""
    steps = np.arange(-REACH, REACH + 1) * pitch_mm
    x, y = np.meshgrid(steps, steps)

    def at(shift: float) -> float:
        away = (x + shift) ** 2 + (y + shift) ** 2
        return float((behind_mm**2 / (away + behind_mm**2) ** 2).sum())

    ends = at(0.0), at(pitch_mm / 2)
    return min(ends) / max(ends)


def evenness_check(job: Job) -> list[Check]:
    """Whether the modules behind a lit face show as spots."""
    box = job.blank
    if not isinstance(box, BoxSign) or box.brightness <= 0:
        return []
    even = evenness(pitch_mm(box), behind_mm(box))
    source = "common practice: four fifths; Lambert's cosine law"
    if even >= EVEN:
        says = f"The faces are lit evenly: the least {100 * even:.0f} % of the greatest."
        return [Check("evenness", "good", says, source)]
    deeper = 2 * CLOSEST_MM / OVER_DEPTH
    fix = Fix(
        f"Make it {deeper:.0f} mm deep", partial(change, path=("blank", "depth_mm"), value=round(deeper))
    )
    says = (
        f"The lights show as spots: {100 * even:.0f} % of the brightest between them. Make the box deeper."
    )
    return [Check("evenness", "warning", says, source, fix=fix)]
