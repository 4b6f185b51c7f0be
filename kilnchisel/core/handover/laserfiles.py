"""Files for a laser: layers to fill, score and cut as SVG and DXF, and a map of depths for what is engraved
in steps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kilnchisel.core.build import lays_of
from kilnchisel.core.handover.mapfiles import FORMS
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.crafts import Carved, Engraved, Relief
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import length_of, signed_area
from kilnchisel.core.shop.paths.laser import Lasered, lasered
from kilnchisel.core.shop.paths.nesting import Stock
from kilnchisel.core.shop.paths.surface import is_faced, wanted_heights
from kilnchisel.core.units import format_length, format_number

MOST_TEXELS = 4096
LEAST_STEP_MM = 0.02  # a beam is no finer


def laser_files(job: Job, kerf_mm: float, stock: Stock | None = None) -> tuple[dict[str, bytes], str]:
    """A job's sheets, bytes by a file's name, and what is done in words. Raises KilnError."""
    made: dict[str, bytes] = {}
    said = []
    for sheet in lasered(job, kerf_mm, stock):
        name = f"laser-{sheet.name.replace(' ', '-')}"
        groups = [
            Group("fill", sheet.fill, []),
            Group("score", [], sheet.score),
            Group("cut", [], sheet.cut),
        ]
        groups = [group for group in groups if group.rings or group.lines]
        words = _words(sheet, kerf_mm)
        made[f"{name}.svg"] = svg_of(job.name, groups, words)
        made[f"{name}.dxf"] = dxf_of(job.name, groups, words)
        said.append(words)
    for side in _deep_sides(job):
        if not is_faced(job, side):
            said.append(f"no map of depths of the {side}, which is not flat")
            continue
        data, words = depths(job, side)
        made[f"laser-{side.replace(' ', '-')}-depths.png"] = data
        said.append(words)
    return made, "; ".join(said)


def _words(sheet: Lasered, kerf_mm: float) -> str:
    area = abs(sum(signed_area(ring) for ring in sheet.fill)) / 100
    cut = sum(length_of(ring) for ring in sheet.cut) / 1000
    score = sum(length_of(line) for line in sheet.score) / 1000
    parts = [f"out of a sheet {format_length(sheet.thick_mm)} thick"] if sheet.thick_mm else []
    parts += [f"{format_number(area, 2)} cm² filled"] if area else []
    parts += [f"{format_number(score, 2)} m scored"] if score else []
    parts += [f"{format_number(cut, 2)} m cut, kerf {format_length(kerf_mm)}"] if cut else []
    return f"{sheet.name}: {', '.join([*parts, *sheet.told])}"


def _deep_sides(job: Job) -> Sequence[str]:
    """The sides on which something is engraved to depths of its own."""
    found = []
    for index, item in enumerate(job.letterings):
        craft = item.craft
        v_floor = isinstance(craft, Engraved) and craft.floor != "flat"
        if not item.hidden and (v_floor or isinstance(craft, Carved | Relief)):
            found += [lay.side for lay in lays_of(job, index)]
    return tuple(dict.fromkeys(found))


def depths(job: Job, side: str) -> tuple[bytes, str]:
    """A side's depths as PNG of 16 bits, white where it is highest and black the deepest, and in words how
    deep that is. Raises KilnError for a side that is not flat."""
    rough = wanted_heights(job, side, 1.0)
    rows, columns = rough.values.shape
    step = max(max(rows, columns) / MOST_TEXELS, LEAST_STEP_MM)
    heights = wanted_heights(job, side, step)
    values = np.where(np.isfinite(heights.values), heights.values, 0.0)
    values = values - max(float(values.max()), 0.0)  # what stands highest is the surface of the stock
    deepest = min(float(values.min()), -1e-6)
    share = np.flipud(np.clip(1 - values / deepest, 0, 1)).astype(np.float32)
    data = FORMS["png16"].write(share.shape, lambda at: share[at], light=False, deep=True)
    words = f"{side} depths: black is {format_length(-deepest)} deep, {format_length(step)} a pixel"
    return data, words
