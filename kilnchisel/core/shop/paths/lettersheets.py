"""Letters that stand, as they are cut out of sheet: each row out of a piece of its own size, or all that
are of one stuff and thickness laid on sheets of stock."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import shapely

from kilnchisel.core.job.crafts import Standing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import as_region, polygons_in
from kilnchisel.core.shop.amounts import finish_worn
from kilnchisel.core.shop.densities import density_of
from kilnchisel.core.shop.paths.flatwork import Work
from kilnchisel.core.shop.paths.nesting import Stock, nested, yield_of


@dataclass(frozen=True, eq=False)
class LetterSheet:
    """Letters out of one sheet: their ``region`` on it, how thick and of what it is; ``work``: the first of
    what they are; ``stock``: the sheet that they lie on, none where it is as large as they are."""

    name: str
    work: Work
    region: shapely.MultiPolygon
    thick_mm: float
    stuff: Any
    stock: Stock | None = None
    notes: tuple[str, ...] = ()


def letter_sheets(job: Job, works: list[Work], stock: Stock | None) -> list[LetterSheet]:
    """The sheets of a job's works that stand. Raises KilnError where a letter is larger than a sheet."""
    return _rows(job, works) if stock is None else _laid(job, works, stock)


def _rows(job: Job, works: list[Work]) -> list[LetterSheet]:
    """Each lettering's letters on a side out of a sheet of their own."""
    found = []
    for index, side in dict.fromkeys((work.index, work.side) for work in works):
        mine = [work for work in works if (work.index, work.side) == (index, side)]
        again = "" if job.letterings[index].lay.side == side else " again"
        region = as_region(part for work in mine for part in polygons_in(work.region))
        name = f"letters {index + 1}{again}"
        found.append(LetterSheet(name, mine[0], region, _thick(mine[0]), _stuff(job, mine[0])))
    return found


def _laid(job: Job, works: list[Work], stock: Stock) -> list[LetterSheet]:
    """All letters of one thickness and stuff laid on sheets of it."""
    groups: dict[tuple[float, str], list[Work]] = {}
    for work in works:
        groups.setdefault((_thick(work), _stuff(job, work).model_dump_json()), []).append(work)
    found: list[LetterSheet] = []
    for (thick, _), mine in groups.items():
        pieces = [part for work in mine for part in polygons_in(work.region)]
        laid = nested(pieces, stock)
        sheets = 1 + max(one.sheet for one in laid)
        share = 100 * yield_of(laid, stock)
        note = f"{len(pieces)} letters on {sheets} sheet{'' if sheets == 1 else 's'}, {share:.0f} % used"
        for sheet in range(sheets):
            region = as_region(
                part for one in laid if one.sheet == sheet for part in polygons_in(one.region)
            )
            notes = (note,) if sheet == 0 else ()
            name, stuff = f"sheet {len(found) + 1}", _stuff(job, mine[0])
            found.append(LetterSheet(name, mine[0], region, thick, stuff, stock, notes))
    return found


def _thick(work: Work) -> float:
    assert isinstance(work.craft, Standing)
    return work.craft.thickness_mm


def _stuff(job: Job, work: Work) -> Any:
    """What the sheet is of that letters are cut from."""
    craft = work.craft
    assert isinstance(craft, Standing)
    finish = finish_worn(job, job.letterings[work.index].finish)
    if density_of(finish) is None:  # paint says nothing of what is under it
        finish = craft.return_finish or finish
    return finish
