"""A process at the other end of two pipes: orders go to it, answers come back.

``spawned``: a program of its own, which loads what it takes. ``forked``: from this one as it is, so that
nothing is loaded twice; only while there are no other threads.
"""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import subprocess
import threading
from collections.abc import Callable, Mapping, Sequence


class Process:
    """One that has been started: its number, and the pipes to it and from it."""

    def __init__(self, pid: int, orders: int, answers: int) -> None:
        self.pid, self.orders, self.answers = pid, orders, answers
        self._ended = self._closed = False
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
        self.close_pipes()

    def close_pipes(self) -> None:
        """Leave it to itself: in a process that was forked, those of others are not its own."""
        if not self._closed:  # another pipe may have the numbers by now
            self._closed = True
            for pipe in (self.orders, self.answers):
                with contextlib.suppress(OSError):
                    os.close(pipe)

    def __del__(self) -> None:
        """One that nobody refers to any more leaves no pipes, and no entry where it has ended."""
        self.close_pipes()
        self._waited(os.WNOHANG)

    def _waited(self, how: int) -> bool:
        with self._lock:
            if not self._ended:
                with contextlib.suppress(ChildProcessError):
                    self._ended = os.waitpid(self.pid, how)[0] == self.pid
            return self._ended


def spawned(arguments: Sequence[str], environment: Mapping[str, str] | None = None) -> Process:
    """A program that takes orders on its standard input. Comes back at once."""
    process = subprocess.Popen(
        arguments,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        bufsize=0,
        env=environment,
    )
    assert process.stdin is not None and process.stdout is not None
    pipes = os.dup(process.stdin.fileno()), os.dup(process.stdout.fileno())
    process.stdin.close()
    process.stdout.close()
    process.returncode = 0  # it is waited for here
    return Process(process.pid, *pipes)


def forked(main: Callable[[], None]) -> Process:
    """A process that has what this one has loaded, and does ``main``."""
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
        try:
            main()
        finally:
            os._exit(0)
    os.close(orders)
    os.close(answers)
    return Process(pid, to_it, from_it)
