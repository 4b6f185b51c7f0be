"""Insets of a sheet (joints, windows, lamps, gaps between panels) and what becomes of letters over them.

On a sheet with a net the insets are cut first and that is remembered; letters are then cut into what came
of it, so that a step of a move divides only what lies under the letters.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Inset, Sheet
from kilnchisel.core.blanks.mesh import Mesh, join, joined_faces
from kilnchisel.core.blanks.net import Net, gridded
from kilnchisel.core.blanks.surface import Surface as FreeForm
from kilnchisel.core.crafts.inked import Inked
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.placed import Footing, Placed, flat, placed_on, walls_of
from kilnchisel.core.crafts.shaped import Surface
from kilnchisel.core.crafts.sheet import GROUND, cut_sheet, region_walls
from kilnchisel.core.job.traits import GAP_MM
from kilnchisel.core.lettering.polygons import as_region
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]
Met = Literal["goes on", "nothing", "follows"]

APART_MM = 1.0  # letters that keep this far off all insets do not change them
SPANS_MM = 1.0  # what is thicker goes across a joint, what is thinner follows it


@remembered
def is_gap(inset: Inset) -> bool:
    """Whether an inset is a narrow gap, as between the panels of a vehicle."""
    return inset.height_mm < 0 and bool(inset.area.buffer(-GAP_MM / 2).is_empty)


def over_inset(ink: Inked, inset: Inset) -> Met:
    """What becomes of a stage where an inset lies under it: it goes on as beside it, nothing is made there,
    or it follows the inset's height."""
    rise = inset.height_mm
    if rise == 0 or ink.stage.open:
        return "goes on"
    if rise > 0:
        return "follows"
    if ink.stage.gaps != "laid in" and is_gap(inset):
        return "goes on" if ink.stage.gaps == "bridged" else "nothing"
    low = min(height for _, height in ink.stage.knots) - ink.stage.deeper_mm
    high = max(height for _, height in ink.stage.knots) + ink.stage.higher_mm
    if high > SPANS_MM:
        return "goes on"
    if low < 0 and rise <= low:
        return "nothing"  # the ground is deeper here than the cut
    if low < 0 and ink.stage.level:
        return "goes on"  # its floor is as deep here as elsewhere
    return "follows"


def on_insets(sheet: Sheet, inked: list[Inked]) -> list[Inked]:
    """With what lies over a sunk or raised inset (a joint between bricks, a lamp) apart: it is made on
    whatever is there, and where the ground is deeper than a cut nothing is cut."""
    found = []
    for ink in inked:
        parts = [ink]
        for inset in sheet.insets:
            if inset.height_mm == 0 or not shapely.intersects(ink.region, inset.area):
                continue
            how = over_inset(ink, inset)
            if how == "nothing":
                beside = as_region([shapely.difference(parts[0].region, inset.area)])
                parts[0] = replace(parts[0], region=beside)
            elif how == "follows":
                over = as_region([shapely.intersection(ink.region, inset.area)])
                parts.append(replace(ink, region=over, below=ink.below + inset.height_mm))
        found += [part for part in parts if not part.region.is_empty]
    return found


def inset_parts(
    sheet: Sheet, surfaces: Sequence[Surface | None], walls: list[list[Mesh]], *, apart: bool
) -> list[Part]:
    """The parts of a sheet's insets, whose labels come first. ``apart``: no lettering reaches them."""
    parts, name = [], sheet.side.name
    for label, inset in enumerate(sheet.insets):
        surface = surfaces[label]
        if surface is not None:
            mesh = join([surface.mesh, *walls[label]])
            named = f"{name} {inset.name}"
            parts.append(Part(named, inset.slot, None, name, mesh, solid=sheet.solid, apart=apart))
    return parts


@dataclass(frozen=True, eq=False)
class Bed:
    """A curved sheet as letters are cut into it: ``sheet`` with the insets that letters may reach, its net
    cut by them; ``owner``: the inset that each face of the net is of, or GROUND; where the net's points
    are; and the parts of all other insets, which are made and no longer in the net."""

    sheet: Sheet
    owner: Array
    footing: Footing
    parts: tuple[Part, ...]


def bed_of(sheet: Sheet, inked: list[Inked]) -> Bed | None:
    """What letters are cut into on a curved sheet with insets; None for any other."""
    if sheet.net is None or not sheet.insets or not isinstance(sheet.side, FreeForm):
        return None
    apart: list[int] = []
    for numbers, area in _clusters(sheet):
        if not any(shapely.dwithin(area, ink.region, APART_MM) for ink in inked):
            apart += numbers
    return _bed(sheet, tuple(sorted(apart)))


@remembered
def _clusters(sheet: Sheet) -> list[tuple[list[int], Any]]:
    """Insets that lie by each other, and all that each such group covers."""
    areas = np.array([inset.area for inset in sheet.insets], dtype=object)
    one, other = shapely.STRtree(areas).query(areas, predicate="dwithin", distance=APART_MM)
    count, group = joined_faces(np.stack([one, other], axis=1), len(areas))
    found = []
    for number in range(count):
        mine = np.flatnonzero(group == number)
        area = shapely.union_all(areas[mine])
        shapely.prepare(area)
        found.append((mine.tolist(), area))
    return found


@remembered
def _inlaid(sheet: Sheet) -> Placed:
    """A curved sheet cut by all its insets."""
    return placed_on(sheet, cut_sheet(sheet, [inset.area for inset in sheet.insets]))


@remembered
def _bed(sheet: Sheet, apart: tuple[int, ...]) -> Bed:
    """A sheet's bed, the insets ``apart`` being made."""
    assert sheet.net is not None
    placed = _inlaid(sheet)
    cut, own = placed.cut, len(sheet.net.points)
    beside = [k for k in range(len(sheet.insets)) if k not in set(apart)]
    number = np.full(len(sheet.insets) + 1, GROUND)  # of an inset among those that stay; last: the ground's
    number[beside] = np.arange(len(beside))
    some = replace(sheet, insets=tuple(sheet.insets[k] for k in apart))
    label = np.full(len(sheet.insets) + 1, GROUND)
    label[list(apart)] = np.arange(len(apart))
    done = _labelled(replace(placed, sheet=some), label[cut.label])
    surfaces = [flat(done, k, inset.height_mm) for k, inset in enumerate(some.insets)]
    parts = inset_parts(some, surfaces, walls_of(done, surfaces), apart=True)
    kept = ~np.isin(cut.label, apart)
    points = np.concatenate([sheet.net.points, gridded(cut.points[own:])])
    net = Net(points, cut.faces[kept], cut.points)
    left = replace(sheet, net=net, rough=None, insets=tuple(sheet.insets[k] for k in beside))
    return Bed(left, number[cut.label[kept]], Footing(placed.base, placed.frames), tuple(parts))


def cut_into(bed: Bed, inked: list[Inked]) -> tuple[Placed, list[Inked]]:
    """Letters cut into a bed: the sheet, labelled first by the bed's insets, then by what is given with
    it: the letters beside the insets and those that lie on one, at its height."""
    insets = bed.sheet.insets
    found: list[Inked] = []
    table = []
    for ink in inked:
        row, first = [], len(insets) + len(found)
        found.append(ink)
        heights: dict[float, int] = {}
        for k, inset in enumerate(insets):
            how = over_inset(ink, inset)
            if how == "follows":
                if inset.height_mm not in heights:
                    heights[inset.height_mm] = len(insets) + len(found)
                    found.append(replace(ink, below=ink.below + inset.height_mm))
                row.append(heights[inset.height_mm])
            else:
                row.append(first if how == "goes on" else k)
        table.append((*row, first))
    bare = (*range(len(insets)), GROUND)
    return _owned(bed, tuple(ink.region for ink in inked), (*table, bare)), found


@remembered
def _owned(
    bed: Bed, regions: tuple[shapely.MultiPolygon, ...], table: tuple[tuple[int, ...], ...]
) -> Placed:
    """A bed cut by regions. ``table``: the label of what each region (last: none) has on each inset
    (last: beside all)."""
    placed = _cut_into(bed, regions)
    cut = placed.cut
    assert cut.parent is not None
    label = np.array(table)[cut.label, bed.owner[cut.parent]]  # GROUND, -1, is the last of both
    return _labelled(placed, label)


def _labelled(placed: Placed, label: Array) -> Placed:
    """The same cut with other labels."""
    walls, wall_label = region_walls(placed.cut.faces, label)
    return replace(placed, cut=replace(placed.cut, label=label, walls=walls, wall_label=wall_label))


@remembered
def _cut_into(bed: Bed, regions: tuple[shapely.MultiPolygon, ...]) -> Placed:
    return placed_on(bed.sheet, cut_sheet(bed.sheet, regions), bed.footing)
