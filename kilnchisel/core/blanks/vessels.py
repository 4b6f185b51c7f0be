"""Vessels: tumbler, jar, bottle and can, as sections turned about their axis."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Shell
from kilnchisel.core.blanks.contents import contents_shells, inside_runs
from kilnchisel.core.blanks.mesh import join
from kilnchisel.core.blanks.section import Section, turned_body
from kilnchisel.core.blanks.tubes import lathed
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Bottle, Can, Jar, Tumbler, Vessel
from kilnchisel.core.job.bodies import Cap

Array = NDArray[Any]

X, _, Z = np.eye(3)
PUNT_SHARE = 0.12  # how far a bottle's bottom is pushed in, of its radius


def tumbler_body(cup: Tumbler, *, detail: Detail) -> Body:
    """An open cup: cone outside, parallel cone inside, a round lip."""
    foot, top, wall = cup.foot_mm / 2, cup.top_mm / 2, cup.wall_mm
    lip = wall / 2
    edge = 1.2  # a small round between wall and foot
    lean = np.arctan2(top - foot, cup.height_mm)
    for _ in range(8):  # the wall touches both rounds: its lean is that between the points of touch
        rise = cup.height_mm - lip * (1 + np.sin(lean)) - edge * (1 - np.sin(lean))
        run = (top - foot) + edge * (1 - np.cos(lean))
        lean = np.arctan2(run, rise)
    c, s = float(np.cos(lean)), float(np.sin(lean))
    section = Section(0.0, 0.0, detail=detail)
    section.line("underside", "blank", foot - edge, 0.0)
    turn = float(np.degrees(lean))
    section.arc("foot round", "blank", (foot - edge, edge), -90, -turn)
    # the lip's centre lies half a wall inside the cone's upper end
    centre = (top - lip * c, cup.height_mm - lip)
    section.line("wall", "blank", centre[0] + lip * c, centre[1] - lip * s, side="outside", wall_mm=wall)
    section.arc("rim", "rim", centre, -turn, 180 - turn)
    inner_r, inner_z = section.at
    floor = wall * 1.3
    down = (inner_z - floor - 2.0) / c
    line = _floored(np.array([[inner_r, inner_z], [inner_r - down * s, inner_z - down * c]]), 2.0)
    line = _closely(line)
    runs = section.runs + inside_runs(line, cup, detail=detail)
    return turned_body(runs, contents_shells(line, cup, top, detail=detail), detail=detail)


def _floored(line: Array, corner: float) -> Array:
    """An inside's wall (n, 2) from above down, with a round of this radius and the floor to its middle."""
    r, z = line[-1]
    turn = np.linspace(0, np.pi / 2, 9)[1:]
    round_ = np.stack([r - corner * (1 - np.cos(turn)), z - corner * np.sin(turn)], axis=1)
    return np.concatenate([line, round_, [[0.0, round_[-1, 1]]]])


def _closely(line: Array) -> Array:
    """With points beside its corners, so that a straight piece keeps its normals up to them."""
    step = np.linalg.norm(np.diff(line, axis=0), axis=1)
    parts = [line[:1]]
    for start, end, long in zip(line[:-1], line[1:], step.tolist(), strict=True):
        if long > 4.0:
            parts.append(start + (end - start) * np.array([[0.4 / long], [0.5], [1 - 0.4 / long]]))
        parts.append(end[None])
    return np.concatenate(parts)


def jar_body(jar: Jar, *, detail: Detail) -> Body:
    """A closed jar: wall, shoulder, neck, and a lid with its own finish."""
    radius, lid = jar.diameter_mm / 2, jar.lid_mm / 2
    foot = jar.diameter_mm / 18
    neck = lid - 1.2
    shoulder_top = jar.height_mm - jar.lid_height_mm
    wall_top = shoulder_top - jar.shoulder_mm
    section = Section(0.0, 0.0, detail=detail)
    section.line("underside", "blank", radius - foot, 0.0)
    section.arc("foot round", "blank", (radius - foot, foot), -90, 0)
    section.line("wall", "blank", radius, wall_top, side="outside", wall_mm=jar.wall_mm)
    t = np.linspace(0, np.pi / 2, 33 if detail.fine else 7)
    shoulder = np.stack(
        [neck + (radius - neck) * np.cos(t), wall_top + (jar.shoulder_mm - 1.0) * np.sin(t)], axis=1
    )
    if radius - neck > 0.2:
        section.curve("shoulder", "blank", shoulder)
    section.line("neck", "blank", section.at[0], shoulder_top)
    _closed(section, lid, jar.height_mm, min(1.6, jar.lid_height_mm / 4), "lid", ("lid wall", "lid"))
    wall, round_ = jar.wall_mm, max(foot - jar.wall_mm, 1.0)
    top = np.array([[neck - wall, shoulder_top + UNDER_MM], [neck - wall, shoulder_top - 0.5]])
    inner = shoulder[::-1] - (wall, 0.0)
    inner[:, 1] = np.minimum(inner[:, 1], shoulder_top - 1.0)
    floor = 1.5 * wall
    down = np.array([[radius - wall, floor + round_]])
    return _hollow(section, np.concatenate([top, inner, down]), round_, jar, radius, detail=detail)


UNDER_MM = 1.0  # under a lid or cap an inside ends so far above the rim


def _hollow(
    section: Section, wall: Array, corner: float, vessel: Vessel, radius: float, *, detail: Detail
) -> Body:
    """A closed vessel with its inside, whose wall (n, 2) runs from under the lid down."""
    line = _closely(_floored(wall, corner))
    lid = Section(0.0, float(wall[0, 1]), detail=detail)
    # from the axis outward its normal looks down, into the vessel
    lid.line("lid inside", "rim", float(wall[0, 0]), float(wall[0, 1]))
    runs = [*section.runs, *lid.runs, *inside_runs(line, vessel, detail=detail)]
    return turned_body(runs, contents_shells(line, vessel, radius, detail=detail), detail=detail)


def _closed(
    section: Section, radius: float, top: float, edge: float, name: str, sides: tuple[str, str]
) -> None:
    """A lid or cap from where the section is: its wall and its top are the two sides."""
    wall, face = sides
    section.line(f"{name} below", "rim", radius, section.at[1])
    section.line(f"{name} wall", "rim", radius, top - edge, side=wall, wall_mm=1.0)
    section.arc(f"{name} edge", "rim", (radius - edge, top - edge), 0, 90)
    section.line(face, "rim", 0.0, top, side=face, wall_mm=1.0)


def bottle_body(bottle: Bottle, *, detail: Detail) -> Body:
    """A closed bottle: punt, wall, curved shoulder, neck, cap."""
    radius, neck = bottle.diameter_mm / 2, bottle.neck_mm / 2
    foot = bottle.diameter_mm / 16
    wall_top = bottle.height_mm - bottle.neck_height_mm - bottle.shoulder_mm
    cap_low = bottle.height_mm - 0.42 * bottle.neck_height_mm
    punt = PUNT_SHARE * radius
    section = Section(0.0, punt, detail=detail)
    t = np.linspace(0, 1, 25 if detail.fine else 6)
    bottom = np.stack([(radius - foot - 1.0) * t, punt * (1 + np.cos(np.pi * t)) / 2], axis=1)
    section.curve("punt", "blank", bottom)
    section.line("foot", "blank", radius - foot, 0.0)
    section.arc("foot round", "blank", (radius - foot, foot), -90, 0)
    section.line("wall", "blank", radius, wall_top, side="outside", wall_mm=bottle.wall_mm)
    # one smooth swing from wall to neck, upright at both ends
    t = np.linspace(0, 1, 201 if detail.fine else 17)
    ease = t * t * t * (10 - 15 * t + 6 * t * t)
    swing = np.stack([radius + (neck - radius) * ease, wall_top + bottle.shoulder_mm * t], axis=1)
    section.curve("shoulder", "blank", swing, side="shoulder", wall_mm=bottle.wall_mm)
    section.line("neck", "blank", neck, cap_low, side="neck", wall_mm=bottle.wall_mm)
    cap = neck + 1.4
    _closed(section, cap, bottle.height_mm, min(2.0, cap / 4), "cap", ("cap", "cap top"))
    wall = bottle.wall_mm
    inner = swing[::-1] - (wall, 0.0)
    top = np.array([[neck - wall, cap_low + UNDER_MM], [neck - wall, cap_low - 1.0]])
    inner = inner[inner[:, 1] < cap_low - 2.0]
    round_ = max(foot - wall, 1.0)
    down = np.array([[radius - wall, punt + 1.4 * wall + round_]])
    wall_line = np.concatenate([top, inner, down])
    body = _hollow(section, wall_line, round_, bottle, radius, detail=detail)
    return _with_bead(body, neck, cap_low, "blank", detail=detail)


BEAD_MM, THREAD_MM = 1.5, 0.8  # radii of the ring below a cap and of the thread that is seen under it


def _with_bead(body: Body, neck: float, low: float, slot: FinishSlot, *, detail: Detail) -> Body:
    """The ring that a bottle is held by below its cap, and the first turn of the thread above it."""
    bead = min(BEAD_MM, 0.12 * neck)
    thread = THREAD_MM / BEAD_MM * bead
    turn = np.linspace(0, 2 * np.pi, 13 if detail.fine else 7)[:-1]
    rings = []
    for radius, up in ((bead, low - 2.6 * bead), (thread, low - 0.75 * bead)):
        round_ = np.stack([neck - 0.25 * radius + radius * np.cos(turn), radius * np.sin(turn)], axis=1)
        rings.append(lathed(round_, np.array([0.0, 0.0, up]), Z, X, 96 if detail.fine else 24))
    return replace(body, shells=(*body.shells, Shell("neck rings", slot, join(rings), "neck rings")))


def cap_body(cap: Cap, *, detail: Detail) -> Body:
    """A tube cap: wall, round edge, flat top."""
    radius, edge = cap.diameter_mm / 2, cap.edge_mm
    foot = min(0.4, edge / 2)
    section = Section(0.0, 0.0, detail=detail)
    section.line("underside", "blank", radius - foot, 0.0)
    section.arc("foot", "blank", (radius - foot, foot), -90, 0)
    section.line("wall", "blank", radius, cap.height_mm - edge, side="outside", wall_mm=1.2)
    section.arc("edge", "blank", (radius - edge, cap.height_mm - edge), 0, 90)
    section.line("top", "blank", 0.0, cap.height_mm, side="top", wall_mm=1.2)
    return turned_body(section.runs, detail=detail)


def can_body(can: Can, *, detail: Detail) -> Body:
    """A can: wall between two seamed rims, lids sunk inside them."""
    radius, seam = can.diameter_mm / 2, can.seam_mm
    half = seam / 2
    deep = 1.5 * seam
    section = Section(0.0, deep, detail=detail)
    section.line("bottom", "rim", radius - seam, deep, side="bottom", wall_mm=0.4)
    section.line("lower rim inside", "rim", radius - seam, half)
    section.arc("lower rim", "rim", (radius - half, half), 180, 360)
    section.line("wall", "blank", radius, can.height_mm - half, side="outside", wall_mm=0.4)
    section.arc("upper rim", "rim", (radius - half, can.height_mm - half), 0, 180)
    section.line("upper rim inside", "rim", radius - seam, can.height_mm - deep)
    section.line("lid", "rim", 0.0, can.height_mm - deep, side="lid", wall_mm=0.4)
    return turned_body(section.runs, detail=detail)
