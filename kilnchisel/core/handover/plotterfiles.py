"""What a plotter cuts of a job's film: HPGL, SVG and DXF, on a roll of a given width for each colour."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.plans import named_for
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, length_of, polygons_in
from kilnchisel.core.shop.amounts import film_words
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


def films_of(job: Job) -> dict[str, list[Work]]:
    """A job's film by its colour in words, each cut from a roll of its own: what is cut of it, welded where
    it overlaps. Raises KilnError where nothing is printed."""
    works = flat_work(job, Printed)
    bounds_of(works)
    films: dict[str, list[Work]] = {}
    for work in works:
        films.setdefault(_film_of(job, work), []).append(replace(work, region=die_cut(work)))
    return {film: _welded(mine) for film, mine in films.items()}


def _film_of(job: Job, work: Work) -> str:
    """What its film is called. What is on a carrier is printed on that, in whatever colours."""
    assert isinstance(work.craft, Printed)
    if work.craft.carrier_mm > 0:
        return f"printed on {work.craft.carrier_colour.lstrip('#')}"
    return film_words(job, job.letterings[work.index], work.layer.layer)


def _welded(works: list[Work]) -> list[Work]:
    """Works of one film with what overlaps on a side in one: no cut goes across another."""
    found: list[Work] = []
    for work in works:
        over = [one for one in found if one.side == work.side and _overlap(one, work)]
        found = [one for one in found if one not in over]
        whole = shapely.union_all([*(one.region for one in over), work.region])
        name = " + ".join([*(one.name for one in over), work.name])
        found.append(replace(over[0] if over else work, name=name, region=as_region(polygons_in(whole))))
    return found


def _overlap(one: Work, other: Work) -> bool:
    return bool(shapely.intersects(one.region, other.region)) and not shapely.touches(
        one.region, other.region
    )


def cut_film(works: list[Work], knife: Knife) -> Cut:
    """One film as it is cut. Raises KilnError where it does not fit the roll."""
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
    """What a plotter takes, bytes by a file's name, each film by itself, and what it uses, in words. Raises
    KilnError."""
    cuts = {film: cut_film(works, knife) for film, works in films_of(job).items()}
    made, words = files_of_cuts(job.name, cuts)
    return made, "; ".join(words)


def files_of_cuts(title: str, cuts: dict[str, Cut]) -> tuple[dict[str, bytes], list[str]]:
    """Films as they are cut, by their names: bytes by a file's name, and what is used of each, in words."""
    made: dict[str, bytes] = {}
    told = []
    for film, cut in cuts.items():
        name = named_for("plotter", re.sub(r"[^\w]+", "-", film).strip("-"), cuts)
        words = f"{film}: {cut.words}"
        told.append(words)
        made[f"{name}.plt"] = hpgl_of(cut)
        made[f"{name}.svg"] = svg_of(title, cut.groups, words)
        made[f"{name}.dxf"] = dxf_of(title, cut.groups, words)
    return made, told
