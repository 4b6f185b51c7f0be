"""What is in a vessel: its inside as a section, wet up to a level, and the contents' own surface."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import FinishSlot, Shell
from kilnchisel.core.blanks.section import Run, Section, columns_for, turned
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Vessel

Array = NDArray[Any]

MENISCUS_MM = 1.1  # how far a liquid creeps up its wall
OFF_MM = 0.05  # what is not seen through keeps so far off the wall


def inside_runs(line: Array, vessel: Vessel, *, detail: Detail) -> list[Run]:
    """The inside of a vessel as runs of its section. ``line`` (n, 2): from where it begins at the top down
    to the middle of its floor, (r, z), smooth."""
    level = level_of(line, vessel)
    if level is None or not vessel.liquid:
        return _runs(("inside", "blank", line), detail=detail)
    spot = np.array([[_wide_at(line, level), level]])
    dry = np.concatenate([line[line[:, 1] > level + 1e-6], spot])
    wet = np.concatenate([spot, line[line[:, 1] < level - 1e-6]])
    return _runs(("inside", "blank", dry), ("inside, wet", "wetted", wet), detail=detail)


def _wide_at(line: Array, level: float) -> float:
    """The radius of an inside at a height."""
    return float(np.interp(-level, -line[:, 1], line[:, 0]))


def _runs(*parts: tuple[str, FinishSlot, Array], detail: Detail) -> list[Run]:
    section = Section(float(parts[0][2][0, 0]), float(parts[0][2][0, 1]), detail=detail)
    for name, slot, points in parts:
        section.curve(name, slot, points)
    return section.runs


def level_of(line: Array, vessel: Vessel) -> float | None:
    """How high what is in it stands; None where it is empty."""
    if vessel.filled <= 0:
        return None
    low, high = float(line[:, 1].min()), float(line[:, 1].max())
    return low + (high - low) * vessel.filled / 100


def contents_shells(line: Array, vessel: Vessel, radius: float, *, detail: Detail) -> tuple[Shell, ...]:
    """The surface of what is in it, with the rim that a liquid draws up its wall; of what is not seen
    through all of it. ``radius``: the greatest of the vessel, which has the steps round it."""
    level = level_of(line, vessel)
    if level is None:
        return ()
    columns = columns_for(radius, detail=detail)
    at = _wide_at(line, level)
    section = Section(at, level, detail=detail)
    if vessel.liquid:
        t = np.linspace(0, 1, 9)
        rim = np.stack([at - 2.2 * MENISCUS_MM * t, level - MENISCUS_MM * (1 - (1 - t) ** 2)], axis=1)
        section.curve("contents", "contents", np.concatenate([rim, [[0.0, rim[-1, 1]]]]))
    else:
        body = np.concatenate([[[at, level]], line[line[:, 1] < level - 1e-6]]) - (OFF_MM, OFF_MM)
        body[:, 0] = np.maximum(body[:, 0], 0.0)
        body[1:, 1] += 2 * OFF_MM  # off the floor
        section = Section(0.0, float(body[-1, 1]), detail=detail)
        section.curve("contents", "contents", body[::-1])
        section.line("contents", "contents", 0.0, section.at[1])
    return tuple(
        Shell("contents", "contents", turned(run.points, run.normals, columns), "contents")
        for run in section.runs
    )
