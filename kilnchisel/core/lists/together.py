"""All rows of a list on the same sheets or roll: labels to be printed, film to be cut, plates out of stock
by one program to a sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.paper.marks import Block, Mark, Page, Placing, Words
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import SMALL_MM
from kilnchisel.core.handover.plotterfiles import cut_sheets, files_of_cuts, films_of
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.printsheet import BLEED_MM, MARGIN_MM, Sheet, marks_round, sheets_of
from kilnchisel.core.handover.programs import program_of
from kilnchisel.core.handover.table import Wanted
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import Order, Outcome, checked_listing, listing_of, looked_at
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.shop.machines.router import route, time_of
from kilnchisel.core.shop.machines.rs274 import read_program
from kilnchisel.core.shop.paths.flatwork import Work
from kilnchisel.core.shop.paths.plainwork import moved_by
from kilnchisel.core.shop.paths.routerwork import Routed, by_tool
from kilnchisel.core.shop.paths.routing import routed
from kilnchisel.core.shop.paths.shelves import Bed, shelved
from kilnchisel.core.units import format_length, format_number
from kilnchisel.core.writing import make_folder, write_whole

Stop = Callable[[], bool]
Progress = Callable[[float], None]

MOST_TOGETHER = 2000
TOLD = "together.txt"
TROUBLES = 3  # that are told of a program


@dataclass
class _Laid:
    """What is gathered of the rows."""

    labels: list[tuple[str, Sheet]] = field(default_factory=list)
    film: dict[str, list[list[Work]]] = field(default_factory=dict)  # by what it is called
    plates: list[tuple[str, Routed]] = field(default_factory=list)


def together(
    job: Job,
    names: Names,
    beside: Path,
    folder: Path,
    bed: Bed,
    stop: Stop = lambda: False,
    progress: Progress = lambda share: None,
) -> tuple[list[Path], list[Outcome]]:
    """Write what the job's list says is handed over (sheet, plotter, router) for all rows together; a row
    that cannot be made is left out and told. Nothing when stopped. Raises KilnError."""
    listing = checked_listing(listing_of(job))
    unknown = [kind for kind in listing.kinds if kind not in KINDS]
    if unknown:
        raise KilnError(f"“{unknown[0]}” is not laid together; what is: {', '.join(KINDS)}.")
    if len(names.rows) > MOST_TOGETHER:
        raise KilnError(f"{MOST_TOGETHER} rows are laid together at most; part the list.")
    wanted = wanted_from(dict(listing.choices))
    wanted.checked()
    laid, outcomes = _Laid(), []
    for order in orders_of(job, names, beside):
        if stop():
            return [], []
        outcomes.append(_taken(job, order, listing.kinds, wanted, laid))
        progress(0.8 * len(outcomes) / len(names.rows))
    left_out = [one for one in outcomes if one.refused]
    if len(left_out) == len(outcomes):
        raise KilnError(f"No row can be made: {left_out[0].refused}")
    data: dict[str, bytes] = {}
    told = []
    for kind in listing.kinds:
        made, words = KINDS[kind][1](job, laid, bed, wanted)
        data |= made
        told += [f"{kind}: {words[0]}", *words[1:]]
    told += [f"row {one.row} ({one.name}) is left out: {one.refused}" for one in left_out]
    data[TOLD] = ("\n".join([job.name, "", *told]) + "\n").encode()
    make_folder(folder)
    for name, content in data.items():
        write_whole(folder / name, content)
    progress(1.0)
    return [folder / name for name in data], outcomes


def _taken(job: Job, order: Order, kinds: tuple[str, ...], wanted: Wanted, laid: _Laid) -> Outcome:
    """A row checked, and what of it is laid out."""
    outcome, row = looked_at(job, order)
    if row is None:
        return outcome
    mine = _Laid()
    try:
        for kind in kinds:
            KINDS[kind][0](row, order.name, wanted, mine)
    except KilnError as error:
        return replace(outcome, refused=str(error))
    laid.labels += mine.labels
    for film, sheets in mine.film.items():
        laid.film.setdefault(film, []).extend(sheets)
    laid.plates += mine.plates
    return outcome


def _labels_of(row: Job, name: str, wanted: Wanted, laid: _Laid) -> None:
    laid.labels += [(name, sheet) for sheet in sheets_of(row)]


def _film_of(row: Job, name: str, wanted: Wanted, laid: _Laid) -> None:
    for film, works in films_of(row).items():
        named = [replace(work, name=f"{name} {work.name}") for work in works]
        sides = dict.fromkeys(work.side for work in works)
        laid.film.setdefault(film, []).extend([w for w in named if w.side == side] for side in sides)


def _plates_of(row: Job, name: str, wanted: Wanted, laid: _Laid) -> None:
    for piece in routed(row, replace(wanted.routing, blank=True, sheet=None)):
        if piece.rotary is not None:
            raise KilnError("What is cut round an axis is not laid on a sheet.")
        laid.plates.append((name, piece))


def _labels(job: Job, laid: _Laid, bed: Bed, wanted: Wanted) -> tuple[dict[str, bytes], list[str]]:
    """Pages with the labels of all rows, each with its bleed, its cut line and its name below."""
    bed = replace(bed, margin_mm=max(bed.margin_mm, MARGIN_MM + BLEED_MM))
    foot = SMALL_MM * 1.6
    boxes = []
    for _, sheet in laid.labels:
        left, low, right, high = sheet.trim
        boxes.append((right - left + 2 * BLEED_MM, high - low + 2 * BLEED_MM + foot))
    spots, used = shelved(boxes, bed)
    pages = []
    for number, tall in enumerate(used):
        tall = tall if bed.tall_mm is None else bed.tall_mm
        blocks: list[Block] = []
        for (name, sheet), spot in zip(laid.labels, spots, strict=True):
            if spot.sheet != number:
                continue
            left, low, _, _ = sheet.trim
            to = Placing(shift=(spot.x + BLEED_MM - left, spot.y + BLEED_MM + foot - low))
            cut = tuple(mark.moved(to) for mark in sheet.lines.layers["cut line"])
            caption: tuple[Mark, ...] = (Words((spot.x, spot.y + 0.4), name, SMALL_MM),)
            blocks.append(Block("Figure", (*sheet.inks.marks(to), *cut), said=f"{name}: {sheet.words}."))
            blocks.append(Block("P", caption))
        edge = bed.margin_mm
        trim = (edge, edge, bed.wide_mm - edge, tall - edge)
        blocks.append(Block("", tuple(marks_round(trim))))
        pages.append(Page(bed.wide_mm, tall, tuple(blocks), trim, BLEED_MM))
    return {"labels.pdf": pdf_of(f"{job.name}, labels", pages)}, [
        f"{_count(len(laid.labels), 'label')} on {_counted(pages, bed)}"
    ]


def _film(job: Job, laid: _Laid, bed: Bed, wanted: Wanted) -> tuple[dict[str, bytes], list[str]]:
    """Film for all rows on one roll of each colour."""
    if bed.tall_mm is not None:
        raise KilnError("Film is cut from a roll: write how wide it is, 610mm.")
    knife = replace(wanted.knife, roll_mm=bed.wide_mm, gap_mm=bed.gap_mm).checked()
    cuts = {film: cut_sheets(sheets, knife) for film, sheets in laid.film.items()}
    return files_of_cuts(f"{job.name}, all rows", cuts)


def _plates(job: Job, laid: _Laid, bed: Bed, wanted: Wanted) -> tuple[dict[str, bytes], list[str]]:
    """Plates out of sheets as thick as they are, a program for each, tried on the simulated router."""
    if bed.tall_mm is None:
        raise KilnError("Plates are cut from sheets: write how wide and how tall one is, 600x300mm.")
    groups: dict[tuple[float, str], list[tuple[str, Routed]]] = {}
    for name, piece in laid.plates:
        key = round(piece.stock[2], 3), piece.finish.model_dump_json()
        groups.setdefault(key, []).append((name, piece))
    data: dict[str, bytes] = {}
    told = []
    for (thick, _), plates in groups.items():
        spots, used = shelved([(piece.stock[0], piece.stock[1]) for _, piece in plates], bed)
        for number in range(len(used)):
            mine = [one for one, spot in zip(plates, spots, strict=True) if spot.sheet == number]
            here = [spot for spot in spots if spot.sheet == number]
            sheet = on_one_sheet(
                mine, [(spot.x, spot.y) for spot in here], bed, thick, f"sheet {len(data) + 1}"
            )
            name = f"{sheet.name.replace(' ', '-')}.nc"
            data[name] = program_of(f"{job.name}, {sheet.name}", sheet, wanted.routing)
            told.append(f"{name}: {_count(len(mine), 'plate')}, {_tried(data[name], name, sheet)}")
            told += [f"  {plate}: {words}" for plate, piece in mine for words in piece.left]
    size = f"{format_length(bed.wide_mm)} by {format_length(bed.tall_mm)}"
    return data, [f"{_count(len(data), 'sheet')} of {size}", *told]


def on_one_sheet(
    plates: list[tuple[str, Routed]],
    corners: list[tuple[float, float]],
    bed: Bed,
    thick_mm: float,
    name: str,
) -> Routed:
    """Plates on one sheet, all that one cutter does at a time; each is cut out last."""
    assert bed.tall_mm is not None
    operations = []
    for (_, piece), (x, y) in zip(plates, corners, strict=True):
        operations += moved_by(piece.operations, (x, y, 0.0))
    stock = bed.wide_mm, bed.tall_mm, thick_mm
    return Routed(name, None, stock, (0.0, 0.0), by_tool(operations), [], plates[0][1].finish)


def _tried(data: bytes, name: str, sheet: Routed) -> str:
    """A program as a machine reads it, run through the simulated router."""
    program = read_program(data, name)
    done = route(program, sheet.stock)
    assert done is not None
    found = [f"line {trouble.line}: {trouble.says}" for trouble in done.troubles[:TROUBLES]]
    return "; ".join([f"{format_number(time_of(program) / 60, 0)} min", *found])


def _counted(pages: list[Page], bed: Bed) -> str:
    if bed.tall_mm is None:
        long = format_length(sum(page.tall_mm for page in pages))
        return f"{long} of {bed.words}"
    return _count(len(pages), "sheet") + bed.words.removeprefix("a sheet")


def _count(number: int, what: str) -> str:
    return f"{number} {what}" if number == 1 else f"{number} {what}s"


KINDS: dict[str, tuple[Callable[..., None], Callable[..., Any]]] = {
    "sheet": (_labels_of, _labels),
    "plotter": (_film_of, _film),
    "router": (_plates_of, _plates),
}
