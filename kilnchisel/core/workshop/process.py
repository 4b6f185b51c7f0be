"""The process of the bench. It ends with the program that started it.

``forked``: from a program that has loaded what the bench takes and has no threads yet, so that nothing is
loaded twice. ``started``: from any other, ``python -m kilnchisel.core.workshop.process``.
"""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import subprocess
import sys
import threading
from typing import Any, NoReturn

from kilnchisel.core.allocation import settle_allocator
from kilnchisel.core.garbage import Garbage
from kilnchisel.core.intake import gate
from kilnchisel.core.sending.wire import sent, taken, way_back

READER_S = 20.0  # what reads files for it is not kept longer
BEHIND = 4  # nice: the window comes first


class Process:
    """One that has been started: its number, and the pipes to it and from it."""

    def __init__(self, pid: int, orders: int, answers: int) -> None:
        self.pid, self.orders, self.answers = pid, orders, answers
        self._ended = False
        self._lock = threading.Lock()

    def runs(self) -> bool:
        """Whether it is still there."""
        return not self._waited(os.WNOHANG)

    def kill(self) -> None:
        """End it at once."""
        with contextlib.suppress(ProcessLookupError):
            if not self._ended:
                os.kill(self.pid, signal.SIGKILL)

    def end(self) -> None:
        """End it, wait for that, and close the pipes."""
        self.kill()
        self._waited(0)
        for pipe in (self.orders, self.answers):
            with contextlib.suppress(OSError):
                os.close(pipe)

    def _waited(self, how: int) -> bool:
        with self._lock:
            if not self._ended:
                with contextlib.suppress(ChildProcessError):
                    self._ended = os.waitpid(self.pid, how)[0] == self.pid
            return self._ended


def started() -> Process:
    """A process that loads what it takes by itself. Comes back at once."""
    process = subprocess.Popen(
        [sys.executable, "-m", "kilnchisel.core.workshop.process"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        bufsize=0,
    )
    assert process.stdin is not None and process.stdout is not None
    pipes = os.dup(process.stdin.fileno()), os.dup(process.stdout.fileno())
    process.stdin.close()
    process.stdout.close()
    process.returncode = 0  # it is waited for here
    return Process(process.pid, *pipes)


def forked() -> Process:
    """A process that has what this one has loaded. Only while there are no other threads."""
    import kilnchisel.core.picture.draft
    import kilnchisel.core.workshop.bench  # noqa: F401

    gc.collect()
    gc.freeze()  # what both have stays where it is
    (orders, to_it), (from_it, answers) = os.pipe(), os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(to_it)
        os.close(from_it)
        os.dup2(orders, 0)
        os.dup2(answers, 1)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        gate.start_anew()
        main()
    os.close(orders)
    os.close(answers)
    return Process(pid, to_it, from_it)


def main() -> NoReturn:
    """Take orders until the pipe ends."""
    os.nice(BEHIND)
    settle_allocator()
    answers = way_back()
    one_at_a_time = threading.Lock()

    def answer(message: tuple[Any, ...]) -> None:
        with one_at_a_time:
            sent(answers, message)

    gate.keep_readers(READER_S)
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
