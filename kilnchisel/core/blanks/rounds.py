"""Band, medallion and globe: rounds that are lettered inside, on the edge, and all over."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from kilnchisel.core.blanks.body import Body, Inset, Sheet, Shell
from kilnchisel.core.blanks.mesh import join
from kilnchisel.core.blanks.section import Run, Section, columns_for, turned, turned_body
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Band, Globe, Medallion

POLE_DEG = 84.0  # a ball's sheet ends here; beyond it there is no room to letter
EDGE_SHARE = 0.12  # rounding of a band's edges, of its thickness


def band_body(band: Band, *, detail: Detail) -> Body:
    """A band standing on its edge's circle: outside, two rounded edges, inside."""
    inner = band.inner_mm / 2
    outer, width = inner + band.thickness_mm, band.width_mm
    edge = min(EDGE_SHARE * band.thickness_mm, 0.2 * width)
    bulge = 0.0 if band.profile == "flat" else 0.45 * band.thickness_mm
    low, high = edge, width - edge
    section = Section(inner + edge, 0.0, detail=detail)
    # where the outside begins: lower at the edges of a D or court band, higher of a concave one
    rim = outer - (bulge if band.profile in ("D", "court") else 0.0)
    section.line("lower edge", "blank", rim - edge, 0.0)
    section.arc("lower outer edge", "blank", (rim - edge, edge), -90, 0)
    t = np.linspace(-1, 1, 201 if detail.fine else 13)
    height = (low + high) / 2 + (high - low) / 2 * t
    sign = {"flat": 0.0, "D": 1.0, "court": 1.0, "concave": -1.0}[band.profile]
    depth = {"flat": 0.0, "D": bulge, "court": bulge, "concave": 0.3 * band.thickness_mm}[band.profile]
    if depth == 0:
        section.line("outside", "blank", rim, high, side="outside", wall_mm=band.thickness_mm)
    else:
        swell = np.stack([rim + sign * depth * (1 - t**2), height], axis=1)
        section.curve("outside", "blank", swell, side="outside", wall_mm=band.thickness_mm - bulge)
    section.arc("upper outer edge", "blank", (rim - edge, high), 0, 90)
    section.line("upper edge", "blank", inner + edge, width)
    section.arc("upper inner edge", "blank", (inner + edge, high), 90, 180)
    if band.profile == "court":
        comfort = min(0.15 * band.thickness_mm, 0.4)
        swell = np.stack([inner - comfort * (1 - t**2), height[::-1]], axis=1)
        section.curve("inside", "rim", swell, side="inside", wall_mm=band.thickness_mm - bulge, inside=True)
    else:
        wall = band.thickness_mm - bulge
        section.line("inside", "rim", inner, low, side="inside", wall_mm=wall, inside=True)
    section.arc("lower inner edge", "blank", (inner + edge, edge), 180, 270)
    body = turned_body(section.runs, detail=detail)
    if band.inlay_mm <= 0:
        return body
    sheets = tuple(
        replace(sheet, insets=_inlay(sheet, band.inlay_mm)) if sheet.side.name == "outside" else sheet
        for sheet in body.sheets
    )
    return Body(body.shells, sheets)


def _inlay(sheet: Sheet, wide: float) -> tuple[Inset, ...]:
    """A strip of another metal round the middle, flush."""
    low, _, high, _ = sheet.border.bounds
    strip = shapely.box(low - 1.0, -wide / 2, high + 1.0, wide / 2)
    return (Inset("inlay", "detail", shapely.MultiPolygon([strip])),)


def medallion_body(piece: Medallion, *, detail: Detail) -> Body:
    """A medallion face up: field, step, rim and edge, and the same below."""
    radius, thick = piece.diameter_mm / 2, piece.thickness_mm
    field = radius - piece.rim_mm
    sunk = piece.sunk_mm
    soft = min(0.25, sunk / 3, piece.rim_mm / 6)
    wall = thick - 2 * sunk
    section = Section(0.0, sunk, detail=detail)
    section.line("back field", "blank", field, sunk, side="back", wall_mm=wall)
    section.line("back step", "rim", field, soft)
    section.arc("back rim inside", "rim", (field + soft, soft), 180, 270)
    section.line("back rim", "rim", radius - soft, 0.0)
    section.arc("back edge", "rim", (radius - soft, soft), -90, 0)
    section.line("edge", "rim", radius, thick - soft, side="edge", wall_mm=piece.rim_mm)
    section.arc("front edge", "rim", (radius - soft, thick - soft), 0, 90)
    section.line("front rim", "rim", field + soft, thick)
    section.arc("front rim inside", "rim", (field + soft, thick - soft), 90, 180)
    section.line("front step", "rim", field, thick - sunk)
    section.line("front field", "blank", 0.0, thick - sunk, side="front", wall_mm=wall)
    return turned_body(section.runs, detail=detail)


def globe_body(globe: Globe, *, detail: Detail) -> Body:
    """A ball, its south pole on the ground or sunk into a foot."""
    radius = globe.diameter_mm / 2
    lift = 0.34 * radius if globe.foot else 0.0
    centre = (0.0, radius + lift)
    section = Section(0.0, lift, detail=detail)
    section.arc("south cap", "blank", centre, -90, -POLE_DEG)
    section.arc("ball", "blank", centre, -POLE_DEG, POLE_DEG, side="all round", wall_mm=radius / 2)
    section.arc("north cap", "blank", centre, POLE_DEG, 90)
    # at the poles the points lie on the axis to the last bit
    runs = [_on_axis(run) for run in section.runs]
    return turned_body(runs, (_foot(radius, lift, detail=detail),) if globe.foot else (), detail=detail)


def _on_axis(run: Run) -> Run:
    points = run.points.copy()
    points[np.abs(points[:, 0]) < 1e-9, 0] = 0.0
    return Run(run.name, run.slot, points, run.normals, run.side, run.wall_mm, run.inside)


def _foot(radius: float, lift: float, *, detail: Detail) -> Shell:
    """A turned foot that the ball is sunk into: a closed solid of its own."""
    wide, waist = 0.52 * radius, 0.2 * radius
    top = lift + 0.1 * radius
    section = Section(0.0, 0.0, detail=detail)
    edge = 0.04 * radius
    section.line("foot underside", "rim", wide - edge, 0.0)
    section.arc("foot edge", "rim", (wide - edge, edge), -90, 90)
    t = np.linspace(0, 1, 41 if detail.fine else 9)
    r0, z0 = section.at
    swing = np.stack(
        [r0 + (waist - r0) * np.sin(np.pi / 2 * t) ** 0.8 + 0.16 * radius * t**4, z0 + (top - z0) * t],
        axis=1,
    )
    section.curve("foot swing", "rim", swing)
    section.line("foot top", "rim", 0.0, top)
    columns = columns_for(wide, detail=detail)
    meshes = [turned(run.points, run.normals, columns) for run in section.runs]
    return Shell("foot", "rim", join(meshes), "foot")
