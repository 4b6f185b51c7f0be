"""Damaged and hostile files of every format, and random jobs: what is read, refused, and what goes wrong.

Each case runs as the program runs it. A failure is an exception that is no refusal, a refusal that shows
what is inside, or a case that takes too long; a reader that dies or is stopped is contained, and counted.
A failure is made as small as it gets before it is told.
"""

from __future__ import annotations

import collections
import re
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import hypothesis
from hypothesis import strategies as st

from fuzz.damage import DAMAGE, Blow, damaged
from fuzz.jobs import RECIPES, Recipe, try_job
from fuzz.samples import samples
from kilnchisel.core.build import outline_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.file import open_job, read_preview
from kilnchisel.core.job.wording import Wording

TOO_LONG_S = 5.0
INNARDS = re.compile(r"object at 0x|Traceback|<_io|<class|maximum recursion|[a-z]Error:|errno")
CONTAINED = ("stops its reader", "was given up", "of memory to read")
BATCH = 200
NAMES = ("read", "refused", "contained", "slow", "failed")


def take(path: Path) -> None:
    """A file read as the program reads it. Raises KilnError where it is refused."""
    from kilnchisel.core.blanks.meshfile import MESH_KINDS, mesh_of_file
    from kilnchisel.core.lettering.content import ARTWORK_ENDINGS, content_of_file
    from kilnchisel.core.lettering.faces import file_face
    from kilnchisel.core.photo.marks import beginning
    from kilnchisel.core.photo.reading import photo_pixels, photo_taken
    from kilnchisel.core.photo.record import record_kept
    from kilnchisel.core.scene.photojob import taken_in

    ending = path.suffix
    if ".photo" in path.name:
        taken = photo_taken(path)
        photo_pixels(taken.sha256, taken.name)
        record_kept(taken_in(taken, beginning("rectangle", taken.size)))
    elif ending == ".kcj":
        read_preview(path)
        outline_of(open_job(path).letterings[0].content)
    elif ending in (".ttf", ".otf", ".woff"):
        outline_of(Wording(text="Hg & 8", face=file_face(path)))
    elif ending in MESH_KINDS:
        file = mesh_of_file(path)
        file.blank(file.likely_mm, file.likely_up)
    elif ending in ARTWORK_ENDINGS:
        content_of_file(path)


def judged(case: Callable[[], Any]) -> tuple[str, str]:
    """How a case went: read, refused, contained, slow or failed, and what was said."""
    begun = time.monotonic()
    try:
        case()
        how, said = "read", ""
    except KilnError as error:
        said = str(error)
        how = "contained" if any(words in said for words in CONTAINED) else "refused"
        if INNARDS.search(said) or "\n" in said.strip() or not said.strip():
            how = "failed"
    except Exception as error:
        how, said = "failed", f"{type(error).__name__}: {error}"[:200]
    if time.monotonic() - begun > TOO_LONG_S:
        how = "slow" if how in ("read", "refused", "contained") else how
    return how, said


class _Failed(Exception):
    """A case that went wrong, of a sort that was not met before."""


@dataclass
class Tried:
    """What was tried so far: how it went by kind, and of each fault the smallest case."""

    counts: dict[str, collections.Counter[str]] = field(
        default_factory=lambda: collections.defaultdict(collections.Counter)
    )
    faults: dict[str, str] = field(default_factory=dict)
    number: int = 0

    def batch(
        self,
        cases: st.SearchStrategy[Any],
        size: int,
        seed: int,
        end: float,
        does: Callable[[Any], tuple[str, str, str]],
    ) -> None:
        """So many cases, or as many as there is time for. ``does`` gives kind, how it went, what was said.
        The first fault of a sort is made small and kept; cases made for that are not counted."""
        met: dict[str, str] = {}

        @hypothesis.seed(seed)
        @hypothesis.settings(
            max_examples=size,
            database=None,
            deadline=None,
            suppress_health_check=list(hypothesis.HealthCheck),
            phases=(hypothesis.Phase.generate, hypothesis.Phase.shrink),
            report_multiple_bugs=False,
            print_blob=False,
        )
        @hypothesis.given(cases)
        def check(case: Any) -> None:
            if time.monotonic() > end:
                return
            kind, how, said = does(case)
            sort = f"{kind} {said.split('(')[0][:60]}"
            if not met:
                self.number += 1
                self.counts[kind][how] += 1
            if how in ("failed", "slow") and sort not in self.faults:
                if how == "slow":  # not made small: each try takes as long again
                    self.faults[sort] = f"{kind}, slow: {said}\n  {case!r}"[:2000]
                    return
                met[sort] = f"{kind}: {said}\n  {case!r}"[:2000]
                raise _Failed(sort)

        try:
            check()
        except _Failed as error:
            self.faults[str(error)] = met[str(error)]

    def table(self) -> list[str]:
        """The counts, in lines."""
        lines = [f"{'':8}" + "".join(f"{name:>11}" for name in NAMES)]
        for kind in sorted(self.counts):
            lines.append(f"{kind:8}" + "".join(f"{self.counts[kind][name]:>11}" for name in NAMES))
        total = [sum(count[name] for count in self.counts.values()) for name in NAMES]
        return [*lines, f"{'all':8}" + "".join(f"{number:>11}" for number in total)]

    def failures(self) -> int:
        """How many cases failed or took too long."""
        return sum(count["failed"] + count["slow"] for count in self.counts.values())


def run(
    seconds: float,
    seed: int,
    tell: Callable[[str], None] = print,
    files: int | None = None,
    jobs: int | None = None,
) -> int:
    """Damaged files for half of the time and random jobs for the other, or so many of each; a table of how
    they went; the number of failures."""
    whole, tried = samples(), Tried()
    kinds = st.tuples(st.sampled_from(sorted(whole)), DAMAGE)
    with tempfile.TemporaryDirectory(prefix="kilnchisel-fuzz-") as folder:

        def file(case: tuple[str, list[Blow]]) -> tuple[str, str, str]:
            kind, blows = case
            path = Path(folder) / f"case{kind}"
            path.write_bytes(damaged(whole[kind], blows))
            return kind, *judged(lambda: take(path))

        def job(recipe: Recipe) -> tuple[str, str, str]:
            return "job", *judged(lambda: try_job(recipe))

        for cases, does, wanted in ((kinds, file, files), (RECIPES, job, jobs)):
            begun, before = time.monotonic(), tried.number
            end = begun + (seconds / 2 if wanted is None else 1e9)
            number = 0
            while time.monotonic() < end and (wanted is None or tried.number - before < wanted):
                number += 1
                left = BATCH if wanted is None else min(BATCH, wanted - (tried.number - before))
                tried.batch(cases, left, seed * 100_003 + number, end, does)  # type: ignore[arg-type]
    for line in (*tried.table(), *tried.faults.values()):
        tell(line)
    return tried.failures()
