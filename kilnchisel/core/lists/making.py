"""All rows of a list checked, and handed over, with a log of what was made, and out of what: one that was
stopped goes on where it was, and what has changed since is made again."""

from __future__ import annotations

import csv
import hashlib
import io
import json
from collections.abc import Callable, Iterator
from itertools import chain
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import packed
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.table import kinds_named
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.engines import Engine, Processes
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import Order, Outcome, checked_listing, listing_of, looked_at
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.lists.working import Answer, Common
from kilnchisel.core.writing import make_folder, write_whole

Stop = Callable[[], bool]

LOG = "made.csv"
UNNAMED: dict[str, Any] = {"file": "", "name": "", "by_hand": ()}
LOGGED = ("row", "name", "fitted", "warnings", "refused", "made of")


def checked(
    job: Job,
    names: Names,
    beside: Path,
    engine: Engine | None = None,
    stop: Stop = lambda: False,
) -> Iterator[Outcome]:
    """All rows, by the engine; in their order here and now without one. ``beside``: the folder that their
    pictures are named from. Raises KilnError."""
    checked_listing(listing_of(job))
    orders = orders_of(job, names, beside)
    if engine is None:
        for order in orders:
            if stop():
                return
            yield looked_at(job, order)[0]
        return
    for answer in engine.each(Common(packed(alone(job)), "check"), orders, stop):
        yield answer.outcome


def made(
    job: Job,
    names: Names,
    beside: Path,
    folder: Path,
    engine: Engine | None = None,
    stop: Stop = lambda: False,
) -> Iterator[Outcome]:
    """Hand every row over into a folder of its own in ``folder``, as they are done; rows that the log there
    has, made of the same, are not made again. Raises KilnError."""
    listing = checked_listing(listing_of(job))
    kinds_named(",".join(listing.kinds))
    wanted_from(dict(listing.choices)).checked()
    # what the list is called, and its rows, changes nothing in what is made of a row
    unnamed = alone(job).model_copy(update={"listing": listing.model_copy(update=UNNAMED)})
    done, alike = logged(folder), _mark(unnamed.model_dump_json())
    marks: dict[int, str] = {}

    def left() -> Iterator[Order]:
        for order in orders_of(job, names, beside):
            mark = marks[order.number] = _mark(alike, order.row, order.by_hand)
            if done.get(order.name) != mark or not (folder / order.name).is_dir():
                yield order

    orders = left()
    first = next(orders, None)
    if first is None:
        return
    engine = engine or Processes(1)
    to = folder if isinstance(engine, Processes) else None
    common = Common(packed(alone(job)), "make", to)
    for answer in engine.each(common, chain([first], orders), stop):
        _kept(folder, answer)
        _log(folder, answer.outcome, marks[answer.outcome.row])
        yield answer.outcome


def alone(job: Job) -> Job:
    """The job without its proofs, and without what was put right by hand: that goes with its row."""
    listing = listing_of(job).model_copy(update={"by_hand": ()})
    return job.model_copy(update={"proofs": (), "listing": listing})


def _kept(folder: Path, answer: Answer) -> None:
    """Files that were handed back, into their row's folder."""
    if answer.files is None:
        return
    place = folder / answer.outcome.name
    make_folder(place)
    for name, data in answer.files.items():
        write_whole(place / name, data)


def _mark(*parts: Any) -> str:
    """Tells what something is made of from what it would be made of now."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:16]


def logged(folder: Path) -> dict[str, str]:
    """The rows that a folder's log has as made, by their names, and what marks what they were made of."""
    try:
        text = (folder / LOG).read_text()
    except OSError:
        return {}
    found = {}
    for row in csv.reader(io.StringIO(text)):
        if len(row) == len(LOGGED):
            made_so = not row[LOGGED.index("refused")]
            found[row[1]] = row[-1] if made_so else ""
    return {name: mark for name, mark in found.items() if mark and name != LOGGED[1]}


def _log(folder: Path, outcome: Outcome, mark: str) -> None:
    """Write down what came of a row, at once."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / LOG
        if not path.exists():
            write_whole(path, (",".join(LOGGED) + "\n").encode())
        line = io.StringIO()
        cells = (
            outcome.row,
            outcome.name,
            "; ".join(outcome.fitted),
            "; ".join(outcome.warnings),
            outcome.refused,
            mark,
        )
        csv.writer(line, lineterminator="\n").writerow(cells)
        with path.open("a") as log:
            log.write(line.getvalue())
    except OSError as error:
        raise KilnError(f"The folder {folder} cannot be written: {error.strerror or error}.") from None
