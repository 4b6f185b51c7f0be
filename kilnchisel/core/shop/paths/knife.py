"""The way of a drag knife through film.

The tip trails the pivot that holds it. To have it on a line the pivot goes before it, by the knife's offset
along the line, and where the line turns a corner, about the corner, so that the tip stays in it while the
blade comes round (elementary geometry; in test the tip's way is worked out as a tractrix).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.polygons import run_of

Array = NDArray[Any]

CORNER_STEP = np.radians(12)  # of the way about a corner
SMOOTH = np.radians(8)  # what turns less is no corner
OFF_MM = 0.008  # how far a line may leave the outline
BESIDE_MM = 2.0  # weeding lines end so far from what stays


@dataclass(frozen=True)
class Knife:
    """How film is cut. ``offset_mm``: from the pivot to the knife's tip, 0 for a tangential knife or a
    laser; ``overcut_mm``: how far a closed line is cut beyond its start; ``box_mm``: of a weeding box round
    everything, 0 for none; ``weeding_mm``: between weeding lines, 0 for none; ``roll_mm``: the roll's
    width; ``gap_mm``: between pieces on it."""

    offset_mm: float = 0.25
    overcut_mm: float = 0.5
    box_mm: float = 8.0
    weeding_mm: float = 0.0
    roll_mm: float = 610.0
    gap_mm: float = 5.0

    def checked(self) -> Knife:
        """The same, if film can be cut so. Raises KilnError."""
        for name, least, most in (
            ("offset_mm", 0, 5),
            ("overcut_mm", 0, 20),
            ("box_mm", 0, 200),
            ("weeding_mm", 0, 5000),
            ("roll_mm", 20, 5000),
            ("gap_mm", 0, 200),
        ):
            if not least <= getattr(self, name) <= most:
                label = name.removesuffix("_mm")
                raise KilnError(f"The knife's {label} goes from {least} to {most} mm.")
        return self


def knife_way(line: Array, knife: Knife) -> Array:
    """The pivot's way (m, 2) that has the tip cut a line (n, 2), closed where its ends meet."""
    line = _plain(line)
    closed = bool(np.linalg.norm(line[0] - line[-1]) < OFF_MM)
    if closed and knife.overcut_mm > 0:
        line = np.concatenate([line, _first_of(line, knife.overcut_mm)[1:]])
    if knife.offset_mm <= 0:
        return line
    ways = np.diff(line, axis=0)
    along = ways / np.linalg.norm(ways, axis=1)[:, None]
    angle = np.arctan2(along[:, 1], along[:, 0])
    turn = (np.diff(angle) + np.pi) % (2 * np.pi) - np.pi
    steps = np.where(np.abs(turn) < SMOOTH, 0, np.ceil(np.abs(turn) / CORNER_STEP)).astype(int)
    # at every corner the way comes to it, and then goes about it in steps
    corner = np.repeat(np.arange(len(turn)), steps + 1)
    step = np.arange(len(corner)) - np.repeat(np.cumsum(steps + 1) - (steps + 1), steps + 1)
    about = angle[corner] + turn[corner] * step / np.maximum(steps[corner], 1)
    there = line[1 + corner] + knife.offset_mm * np.stack([np.cos(about), np.sin(about)], axis=1)
    ends = line[[0, -1]] + knife.offset_mm * along[[0, -1]]
    return np.concatenate([ends[:1], there, ends[1:]])


def _plain(line: Array) -> Array:
    """A line without points that are the same, or that it does not need."""
    thin = np.asarray(shapely.LineString(line).simplify(OFF_MM).coords)
    kept = np.append(True, np.linalg.norm(np.diff(thin, axis=0), axis=1) > 1e-9)
    return np.asarray(thin[kept])


def _first_of(line: Array, length: float) -> Array:
    """The first so many mm of a line."""
    far = run_of(line)
    length = min(length, float(far[-1]))
    inside = line[far < length - 1e-12]
    end = [np.interp(length, far, line[:, axis]) for axis in (0, 1)]
    return np.vstack([inside, end])


def weeding_lines(region: shapely.Geometry, knife: Knife) -> list[Array]:
    """The box round flat work by which what is not wanted is pulled off, and lines across it."""
    if knife.box_mm <= 0:
        return []
    by = knife.box_mm
    left, low, right, high = np.array(region.bounds) + (-by, -by, by, by)
    box = np.array([(left, low), (right, low), (right, high), (left, high), (left, low)])
    lines = []
    if knife.weeding_mm > 0:
        count = int((high - low) / knife.weeding_mm)
        levels = low + (high - low) * np.arange(1, count + 1) / (count + 1)
        across = shapely.MultiLineString([[(left, y), (right, y)] for y in levels])
        free = across.difference(shapely.buffer(region, BESIDE_MM))
        lines = [np.asarray(one.coords) for one in shapely.get_parts(free) if one.length > 2 * BESIDE_MM]
    return [*lines, box]
