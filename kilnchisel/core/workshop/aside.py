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


Made = Callable[[Answer, Stale], Mapping[str, Callable[..., None]]]


class Orders:
    """Orders that are done one after the other; of those of the kind ``newest`` only the last one waits."""

    def __init__(self, made: Made, newest: str, answer: Answer) -> None:
        self._newest, self._answer = newest, answer
        self._waiting: list[tuple[Any, ...]] = []
        self._ready = threading.Condition()
        self._does = made(answer, lambda: any(one[0] == newest for one in self._waiting))

    def take(self, order: tuple[Any, ...]) -> None:
        """One more; comes back at once."""
        with self._ready:
            left = [one for one in self._waiting if one[0] != self._newest or order[0] != self._newest]
            self._waiting[:] = [*left, order]
            self._ready.notify()

    def do_next(self) -> None:
        """Wait for one, and do it."""
        with self._ready:
            while not self._waiting:
                self._ready.wait()
            kind, *values = self._waiting.pop(0)
        try:
            self._does[kind](*values)
        except KilnError as error:
            self._answer(("failed", str(error), ""))
        except Exception as error:
            self._answer(("failed", sentence_of(error), report_of(error)))


def serve(made: Made, newest: str) -> NoReturn:
    """Take orders until the pipe ends."""
    os.nice(BEHIND)
    settle_allocator()
    answers = way_back()
    one_at_a_time = threading.Lock()

    def answer(message: tuple[Any, ...]) -> None:
        with one_at_a_time:
            sent(answers, message)

    orders = Orders(made, newest, answer)

    def listen() -> None:
        while True:
            try:
                orders.take(taken(0))
            except BaseException:  # the page is closed, or the program has ended
                os._exit(0)

    threading.Thread(target=listen, name="orders", daemon=True).start()
    while True:
        orders.do_next()
