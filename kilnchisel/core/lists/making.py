"""All rows of a list checked, and handed over, with a log of what was made, so that one that was stopped
goes on where it was."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import packed
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.table import kinds_named
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.engines import Engine, Processes
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import Outcome, checked_listing, listing_of, looked_at, names_of
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.lists.working import Answer, Common
from kilnchisel.core.writing import make_folder, write_whole

Stop = Callable[[], bool]

LOG = "made.csv"


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
    has are not made again. Raises KilnError."""
    listing = checked_listing(listing_of(job))
    kinds_named(",".join(listing.kinds))
    wanted_from(dict(listing.choices)).checked()
    done = logged(folder)
    called = names_of(names, listing)
    left = tuple(number for number, name in enumerate(called, start=1) if name not in done)
    if not left:
        return
    engine = engine or Processes(1)
    to = folder if isinstance(engine, Processes) else None
    common = Common(packed(alone(job)), "make", to)
    for answer in engine.each(common, orders_of(job, names, beside, left), stop):
        _kept(folder, answer)
        _log(folder, answer.outcome)
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


def logged(folder: Path) -> set[str]:
    """The names of rows that a folder's log has as made."""
    try:
        text = (folder / LOG).read_text()
    except OSError:
        return set()
    return {
        row[1] for row in csv.reader(io.StringIO(text)) if len(row) > 4 and not row[4] and row[0] != "row"
    }


def _log(folder: Path, outcome: Outcome) -> None:
    """Write down what came of a row, at once."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / LOG
        if not path.exists():
            write_whole(path, b"row,name,fitted,warnings,refused\n")
        line = io.StringIO()
        cells = (
            outcome.row,
            outcome.name,
            "; ".join(outcome.fitted),
            "; ".join(outcome.warnings),
            outcome.refused,
        )
        csv.writer(line, lineterminator="\n").writerow(cells)
        with path.open("a") as log:
            log.write(line.getvalue())
    except OSError as error:
        raise KilnError(f"The folder {folder} cannot be written: {error.strerror or error}.") from None
