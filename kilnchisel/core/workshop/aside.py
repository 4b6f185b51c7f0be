"""A process beside the workshop that serves one page of the window, and ends with it.

Orders are ("name", ...): each is done by the function of that name. Of orders of a kind that is ``newest``
only the last one waits. What goes wrong is answered as ("failed", sentence, report of a fault or "").
"""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable, Mapping
from typing import Any, NoReturn

from kilnchisel.core.allocation import settle_allocator
from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import report_of, sentence_of
from kilnchisel.core.sending.process import Process, spawned
from kilnchisel.core.sending.wire import sent, taken, way_back

BEHIND = 4  # nice: the window comes first
Answer = Callable[[tuple[Any, ...]], None]
Stale = Callable[[], bool]  # whether a newer order waits than the one that is being done


def started(module: str) -> Process:
    """A process that runs a module of the workshop. Comes back at once."""
    return spawned([sys.executable, "-m", f"kilnchisel.core.workshop.{module}"])


def serve(made: Callable[[Answer, Stale], Mapping[str, Callable[..., None]]], newest: str) -> NoReturn:
    """Take orders until the pipe ends."""
    os.nice(BEHIND)
    settle_allocator()
    answers = way_back()
    one_at_a_time = threading.Lock()
    waiting: list[tuple[Any, ...]] = []
    ready = threading.Condition()

    def answer(message: tuple[Any, ...]) -> None:
        with one_at_a_time:
            sent(answers, message)

    def listen() -> None:
        while True:
            try:
                order = taken(0)
            except BaseException:  # the page is closed, or the program has ended
                os._exit(0)
            with ready:
                waiting[:] = [one for one in waiting if one[0] != newest or order[0] != newest] + [order]
                ready.notify()

    threading.Thread(target=listen, name="orders", daemon=True).start()
    does = made(answer, lambda: any(one[0] == newest for one in waiting))
    while True:
        with ready:
            while not waiting:
                ready.wait()
            kind, *values = waiting.pop(0)
        try:
            does[kind](*values)
        except KilnError as error:
            answer(("failed", str(error), ""))
        except Exception as error:
            answer(("failed", sentence_of(error), report_of(error)))
