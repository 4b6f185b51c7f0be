"""What a plotter cuts of a job's film: HPGL, SVG and DXF, on a roll of a given width."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, die_cut, flat_work
from kilnchisel.core.shop.paths.knife import Knife, knife_way, weeding_lines
from kilnchisel.core.shop.paths.order import rings_in_order
from kilnchisel.core.shop.paths.rolls import Place, on_roll
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

UNITS_A_MM = 40  # of HPGL: 0.025 mm each


@dataclass(frozen=True, eq=False)
class Cut:
    """Film laid out and cut: its groups with the knife's ways, mm from the roll's corner, x along it."""

    groups: list[Group]
    length_mm: float
    knife: Knife

    @property
    def words(self) -> str:
        """What it takes, in words."""
        cut = sum(length_of(line) for group in self.groups for line in group.lines)
        film = self.length_mm * self.knife.roll_mm / 1e6
        return (
            f"{format_length(self.length_mm)} of a roll {format_length(self.knife.roll_mm)} wide, "
            f"{format_number(film, 2)} m² of film, {format_number(cut / 1000, 2)} m cut"
        )


def cut_film(job: Job, knife: Knife) -> Cut:
    """A job's film as it is cut. Raises KilnError where nothing is printed or it does not fit the roll."""
    works = [replace(work, region=die_cut(work)) for work in flat_work(job, Printed)]
    bounds_of(works)
    # what is on one side keeps its places and goes on as one; too large for the roll, it is cut apart
    sheets = [[w for w in works if w.side == side] for side in dict.fromkeys(w.side for w in works)]
    try:
        return cut_sheets(sheets, knife)
    except KilnError:
        keys = dict.fromkeys((w.index, w.side) for w in works)
        return cut_sheets([[w for w in works if (w.index, w.side) == key] for key in keys], knife)


def cut_sheets(sheets: list[list[Work]], knife: Knife) -> Cut:
    """Film in pieces, each of works that keep their places to each other. Raises KilnError where one does
    not fit the roll."""
    knife.checked()
    edge = knife.box_mm + knife.offset_mm  # the pivot goes round the corners of the box
    inner, gap = knife.roll_mm - 2 * edge, knife.gap_mm + 2 * knife.box_mm
    places, long = on_roll([bounds_of(sheet) for sheet in sheets], inner, gap)
    groups = []
    for sheet, place in zip(sheets, places, strict=True):
        here = Place(place.turned, (place.shift[0] + edge, place.shift[1] + edge))
        regions = [here.of(work.region) for work in sheet]
        for work, region in zip(sheet, regions, strict=True):
            groups.append(Group(work.name, [], [knife_way(ring, knife) for ring in rings_in_order(region)]))
        if box := weeding_lines(shapely.union_all(regions), knife):
            groups.append(Group("weeding", [], [knife_way(line, knife) for line in box]))
    return Cut(groups, long + 2 * edge, knife)


def hpgl_of(cut: Cut) -> bytes:
    """The knife's ways in HPGL, a pen for each group, what weeds last; x runs along the roll."""
    written = ["IN;"]
    for number, group in enumerate(cut.groups, start=1):
        written.append(f"SP{number};")
        for line in group.lines:
            units = np.rint(line * UNITS_A_MM).astype(int)
            units = units[np.append(True, (np.diff(units, axis=0) != 0).any(axis=1))]
            first, rest = units[0], ",".join(map(str, units[1:].ravel().tolist()))
            written.append(f"PU{first[0]},{first[1]};PD{rest};")
    written.append("PU;SP0;")
    return "\n".join(written).encode() + b"\n"


def plotter_files(job: Job, knife: Knife) -> tuple[dict[str, bytes], str]:
    """What a plotter takes, bytes by a file's name, and what it uses, in words. Raises KilnError."""
    return files_of_cut(job.name, cut_film(job, knife))


def files_of_cut(title: str, cut: Cut) -> tuple[dict[str, bytes], str]:
    """Film as it is cut, bytes by a file's name, and what it uses, in words."""
    return {
        "plotter.plt": hpgl_of(cut),
        "plotter.svg": svg_of(title, cut.groups, cut.words),
        "plotter.dxf": dxf_of(title, cut.groups, cut.words),
    }, cut.words
