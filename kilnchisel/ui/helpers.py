"""Threads that libraries start for their own work: they stand back behind the window's own thread.

Threads that run Python do not: whoever holds the interpreter's lock and is not let on to a processor holds
up the window as well.
"""

from __future__ import annotations

import contextlib
import os
import threading
from pathlib import Path


class Helpers:
    """What a piece of work starts besides Python's threads, from when this was made until ``settle``."""

    def __init__(self, behind: int) -> None:
        """``behind``: how far they are to stand back (nice)."""
        self._behind = behind
        self._before = _tasks()

    def settle(self) -> None:
        """Put those back that have come since."""
        own = {thread.native_id for thread in threading.enumerate()}
        now = _tasks()
        for task in now - self._before - own:
            with contextlib.suppress(OSError, AttributeError):
                os.setpriority(os.PRIO_PROCESS, task, self._behind)
        self._before = now


def _tasks() -> set[int]:
    with contextlib.suppress(OSError):  # elsewhere than on Linux nothing is done
        return {int(path.name) for path in Path("/proc/self/task").iterdir()}
    return set()
