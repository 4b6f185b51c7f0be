"""One design and a list: rows a second checked, drawn and made into solids, by one process and by two."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figure import Figure
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.listing import Listing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.engines import Processes
from kilnchisel.core.lists.making import checked, made
from kilnchisel.core.lists.outcomes import Outcome
from kilnchisel.core.lists.rows import Names

ROWS, CHECKED = 24, 1200
MANY, MOST_S = 10_000, 180.0
FIRST = 4  # rows after which the processes have started


def _names(count: int) -> Names:
    chance = random.Random(3)
    letters = "abcdefghiklmnoprstuvz"

    def word() -> str:
        return "".join(chance.choices(letters, k=chance.randint(3, 9))).title()

    rows = tuple((f"{word()} {word()}",) for _ in range(count))
    return Names(("name",), rows, "")


def _mug(**listing: object) -> Job:
    job = change(fresh_job("mug", "{name}"), ("letterings", 0, "craft"), Engraved())
    return job.model_copy(update={"listing": Listing(fit="rows", most_mm=70.0, **listing)})


def _rate(rows: Iterator[Outcome], first: int) -> tuple[float, float]:
    """Rows a second once the processes have started, and the share of it that the rows themselves took."""
    began, spent, count = 0.0, 0.0, 0
    for number, outcome in enumerate(rows, start=1):
        if number == first:
            began = time.perf_counter()
        elif number > first:
            spent += outcome.seconds
            count += 1
    took = time.perf_counter() - began
    return count / took, spent / took


def run() -> Iterator[Figure | str]:
    """Rates with the start of the processes left out, and what is spent beside the rows."""
    here = Path()
    for count in (1, 2):
        rate, busy = _rate(checked(_mug(), _names(CHECKED), here, Processes(count)), CHECKED // 4)
        words = f"{count} process{'es' if count > 1 else ''}"
        yield Figure(f"rows checked a second, {words}", rate, "", MANY / MOST_S, at_least=True)
        yield Figure(f"  spent beside the rows, {words}", 100 * max(1 - busy / count, 0.0), "%", 10.0)
    draft = {"kinds": ("picture",), "choices": (("draft", "yes"), ("size", "600x400"))}
    for name, how in (
        ("draft pictures, 600x400", draft),
        ("engraved solids of a mug", {"kinds": ("solid",)}),
    ):
        for count in (1, 2):
            with tempfile.TemporaryDirectory() as folder:
                rows = made(_mug(**how), _names(ROWS), here, Path(folder), Processes(count))
                rate, busy = _rate(rows, FIRST * count)
            words = f"{count} process{'es' if count > 1 else ''}"
            yield f"{name}, rows a second, {words}: {rate:.2f}"
            yield Figure(f"  spent beside the rows, {words}", 100 * max(1 - busy / count, 0.0), "%", 10.0)
