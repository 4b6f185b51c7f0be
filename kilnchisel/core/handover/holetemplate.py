"""A template at 1:1 to drill through: holes with their diameters, the letters they are for, a level line
and an upright, from in front."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.crafts.tubes import runs_of
from kilnchisel.core.handover.paper.marks import CLAY, GLAZE, INK, PENCIL, Drawing, Line, Words, circle
from kilnchisel.core.handover.paper.sheets import Paper
from kilnchisel.core.handover.plans import named_for, plan_files
from kilnchisel.core.job.crafts import Tube
from kilnchisel.core.job.model import Job
from kilnchisel.core.laying.flat import flats_of
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.shop.holes import Drilled, drilled
from kilnchisel.core.units import format_number

Array = NDArray[Any]

CROSS_MM = 8.0
BEYOND_MM = 40.0  # the level line, beyond the letters
FIGURE_MM = 3.0


def template_files(job: Job, paper: Paper) -> tuple[dict[str, bytes], str]:
    """The templates, bytes by a file's name, and what is on them in words. Raises KilnError."""
    made: dict[str, bytes] = {}
    said = []
    sides = drilled(job)
    for one in sides:
        title = f"{job.name}, {one.side}: holes, from in front"
        drawing, words = template_of(job, one), _counted(one)
        made |= plan_files(named_for("holes", one.side, sides), title, drawing, words, paper)
        said.append(words)
    return made, "; ".join(said)


def _counted(one: Drilled) -> str:
    return ", ".join(
        f"{count} of {format_number(wide, 1)} mm for {what}s"
        for (wide, what), count in sorted(one.counted().items())
    )


def template_of(job: Job, one: Drilled) -> Drawing:
    """The template of one side, as it lies on it: flat, rolled round it or pressed on."""
    drawing = Drawing()
    places: list[Array] = []
    flats = flats_of([laid for _, laid, _ in one.laid])
    for (index, laid, holes), flat in zip(one.laid, flats, strict=True):
        craft = job.letterings[index].craft
        places += list(flat.points(np.array([hole.at for hole in holes])))
        if isinstance(craft, Tube):
            for run in runs_of(laid, craft):
                drawing.add("letters", Line(flat.points(run.path[:, :2]), 0.18, PENCIL))
        else:
            rings = (flat.points(ring) for ring in rings_of(flat.closely(laid.ink)))
            drawing.add("letters", *(Line(ring, 0.18, PENCIL, closed=True) for ring in rings))
    left, low, right, high = drawing.box()
    left, low = left - BEYOND_MM, low - BEYOND_MM
    right, high = right + BEYOND_MM, high + BEYOND_MM
    level, upright = (low + high) / 2, (left + right) / 2
    drawing.add(
        "level",
        Line(np.array([[left, level], [right, level]]), 0.35, CLAY, (12.0, 3.0)),
        Words((left, level + 1.5), "LEVEL", 5.0, bold=True, colour=CLAY),
        Words((right, level + 1.5), "LEVEL", 5.0, bold=True, colour=CLAY, align="right"),
        Line(np.array([[upright, low], [upright, high]]), 0.35, CLAY, (12.0, 3.0)),
        Words((upright + 1.5, high - 5.0), "TOP", 5.0, bold=True, colour=CLAY),
    )
    for number, (hole, at) in enumerate(zip(one.holes, places, strict=True), start=1):
        radius = hole.diameter_mm / 2
        reach = radius + CROSS_MM / 2
        drawing.add(
            "holes",
            Line(circle(at, radius, 48), 0.3, INK, closed=True),
            Line(at + np.array([[-reach, 0.0], [reach, 0.0]]), 0.13, INK),
            Line(at + np.array([[0.0, -reach], [0.0, reach]]), 0.13, INK),
        )
        spot = (float(at[0] + radius + 1.0), float(at[1] + 1.0))
        drawing.add(
            "numbers",
            Words(spot, f"{number}  ⌀ {format_number(hole.diameter_mm, 1)}", FIGURE_MM, colour=GLAZE),
        )
    return drawing
