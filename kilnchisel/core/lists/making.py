"""All rows of a list checked, and handed over: in processes, with a log of what was made, so that one that
was stopped goes on where it was."""

from __future__ import annotations

import csv
import io
import multiprocessing
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.lists.filling import Fit, filled, words_of
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.shop.checks import warned
from kilnchisel.core.writing import write_whole

Stop = Callable[[], bool]

LOG = "made.csv"
TRIES = 3  # a row whose process ends is tried so often
AHEAD = 4  # rows to a process that wait
LONGEST_NAME = 80


@dataclass(frozen=True)
class Plan:
    """How rows are made. ``name``: of what a row gives, with {columns}; ``fit``, ``most_mm``: what is too
    wide; ``kinds``: what is handed over of each; ``values``: how, by the names of its choices."""

    name: str = ""
    fit: Fit = "none"
    most_mm: float = 0.0
    kinds: tuple[str, ...] = ()
    values: tuple[tuple[str, str], ...] = ()

    def checked(self) -> Plan:
        """The same, if it can be done. Raises KilnError."""
        if self.fit != "none" and self.most_mm <= 0:
            raise KilnError("Say how wide it may be: --most 80mm")
        return self


@dataclass(frozen=True)
class Outcome:
    """What came of a row: its number from 1, its name, what was done so that it fits, what checks warn of,
    and why it cannot be made."""

    row: int
    name: str
    fitted: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    refused: str = ""

    @property
    def good(self) -> bool:
        return not (self.warnings or self.refused)


def name_of(names: Names, row: int, plan: Plan) -> str:
    """What a row's files are called: letters, digits, spaces, each row another. Raises KilnError."""
    wide = len(str(len(names.rows)))
    values = names.row(row) | {"row": str(row + 1).zfill(wide)}
    text = words_of(plan.name, values) if plan.name else f"{values['row']} {names.rows[row][0]}"
    plain = " ".join("".join(c if c.isalnum() or c in "-_. " else " " for c in text).split()).strip(".")
    return plain[:LONGEST_NAME].strip() or values["row"]


def names_of(names: Names, plan: Plan) -> list[str]:
    """All rows' names. Raises KilnError where two are the same."""
    found = [name_of(names, row, plan) for row in range(len(names.rows))]
    seen: dict[str, int] = {}
    for row, name in enumerate(found):
        if name.casefold() in seen:
            first = seen[name.casefold()] + 1
            raise KilnError(
                f"Rows {first} and {row + 1} would both be called “{name}”; use {{row}} in the name."
            )
        seen[name.casefold()] = row
    return found


def looked_at(
    job: Job, row: Mapping[str, str], number: int, name: str, plan: Plan
) -> tuple[Outcome, Job | None]:
    """A row in its job, checked; no job where it cannot be made."""
    try:
        made = filled(job, dict(row), number, plan.fit, plan.most_mm)
        told = tuple(f"{one_line(item)[:30]}: {check.says}" for item, check in warned(made.job))
    except KilnError as error:
        return Outcome(number, name, refused=str(error)), None
    still = tuple(words for words in made.told if "still wider" in words)
    return Outcome(number, name, made.told, tuple(dict.fromkeys((*still, *told)))), made.job


def checked(job: Job, names: Names, plan: Plan, stop: Stop = lambda: False) -> Iterator[Outcome]:
    """All rows one after the other. Raises KilnError."""
    plan.checked()
    for row, name in enumerate(names_of(names, plan)):
        if stop():
            return
        yield looked_at(job, names.row(row), row + 1, name, plan)[0]


def made(
    job: Job,
    names: Names,
    folder: Path,
    plan: Plan,
    processes: int = 1,
    stop: Stop = lambda: False,
) -> Iterator[Outcome]:
    """Hand every row over into a folder of its own in ``folder``, as they are done; rows that the log there
    has are not made again. A process that ends is replaced, and its rows are made by others. Raises
    KilnError."""
    plan.checked()
    called = names_of(names, plan)
    done = logged(folder)
    left = [row for row in range(len(names.rows)) if called[row] not in done]
    tries = dict.fromkeys(left, 0)
    context = multiprocessing.get_context("spawn")
    while left and not stop():
        running: dict[Future[Outcome], int] = {}
        waiting = list(left)
        with ProcessPoolExecutor(processes, mp_context=context) as pool:
            try:
                while (waiting or running) and not stop():
                    while waiting and len(running) < processes * AHEAD:
                        row = waiting.pop(0)
                        order = (job, names.row(row), row + 1, called[row], plan, folder / called[row])
                        running[pool.submit(_made, *order)] = row
                    ended, _ = wait(running, return_when=FIRST_COMPLETED)
                    for one in ended:
                        row = running[one]
                        outcome = one.result()
                        del running[one]
                        left.remove(row)
                        _log(folder, outcome)
                        yield outcome
            except BrokenProcessPool:
                for row in running.values():
                    tries[row] += 1
                for row in [row for row in left if tries[row] >= TRIES]:
                    left.remove(row)
                    outcome = Outcome(row + 1, called[row], refused="What makes it has ended each time.")
                    _log(folder, outcome)
                    yield outcome
            pool.shutdown(wait=False, cancel_futures=True)


def _made(job: Job, row: dict[str, str], number: int, name: str, plan: Plan, folder: Path) -> Outcome:
    """One row, in whichever process."""
    from kilnchisel.core.handover.presets import wanted_from
    from kilnchisel.core.handover.table import hand_over, kinds_named

    outcome, one = looked_at(job, row, number, name, plan)
    if one is None:
        return outcome
    try:
        hand_over(one, folder, kinds_named(",".join(plan.kinds)), wanted_from(dict(plan.values)))
    except KilnError as error:
        return Outcome(number, name, outcome.fitted, outcome.warnings, str(error))
    return outcome


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


def worst_first(outcomes: Sequence[Outcome]) -> list[Outcome]:
    """What cannot be made, then what checks warn of, then the rest, each in the list's order."""
    return sorted(outcomes, key=lambda one: (one.good, not one.refused, one.row))
