"""The process of the bench. It ends with the program that started it.

``ahead``: forked from a program that has loaded what the bench takes and has no threads yet. ``started``:
from any other, ``python -m kilnchisel.core.workshop.process``.
"""

from __future__ import annotations

import os
import sys
import threading
from typing import Any, NoReturn

from kilnchisel.core.allocation import settle_allocator
from kilnchisel.core.garbage import Garbage
from kilnchisel.core.intake import gate
from kilnchisel.core.sending.process import Process, forked, spawned
from kilnchisel.core.sending.wire import sent, taken, way_back

BEHIND = 4  # nice: the window comes first


def started() -> Process:
    """A process that loads what it takes by itself. Comes back at once."""
    return spawned([sys.executable, "-m", "kilnchisel.core.workshop.process"])


def ahead() -> Process:
    """A process that has what this one has loaded. Only while there are no other threads."""
    import kilnchisel.core.picture.draft
    import kilnchisel.core.workshop.bench  # noqa: F401

    return forked(_as_fork)


def _as_fork() -> NoReturn:
    gate.start_anew()
    main()


def main() -> NoReturn:
    """Take orders until the pipe ends."""
    os.nice(BEHIND)
    settle_allocator()
    answers = way_back()
    one_at_a_time = threading.Lock()

    def answer(message: tuple[Any, ...]) -> None:
        with one_at_a_time:
            sent(answers, message)

    gate.end_idle_readers()
    from kilnchisel.core.workshop.bench import Bench

    bench = Bench(answer, Garbage())
    while True:
        try:
            order = taken(0)
        except BaseException:  # the program has ended, or this process is to
            bench.mockups.afar.close()
            gate.close()
            os._exit(0)  # whatever is being drawn: nobody wants it
        bench.take(order)


if __name__ == "__main__":
    main()
