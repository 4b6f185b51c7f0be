"""Work that goes on beside other work, on a core that is idle else: there is one more hand for it.

Whoever wants what it gives, and finds that it has not been begun, does it themself: nobody waits for work
that waits behind other work.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache
from typing import Generic, TypeVar

T = TypeVar("T")


@cache
def _hand() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(1, thread_name_prefix="beside")


class Beside(Generic[T]):
    """One piece of work, begun when it is made. What it raises is raised where it is asked for."""

    def __init__(self, work: Callable[[], T]) -> None:
        self._work = work
        self._done: Future[T] = _hand().submit(work)
        self._lock = threading.Lock()

    def get(self) -> T:
        """What it gives; waits for it."""
        self.finish()
        return self._done.result()

    def finish(self) -> None:
        """Do it, or wait until it is done."""
        with self._lock:
            if self._done.cancel():
                self._done = Future()
                try:
                    self._done.set_result(self._work())
                except BaseException as error:  # as the other hand would keep it
                    self._done.set_exception(error)
        self._done.exception()


def all_of(works: Sequence[Callable[[], T]]) -> list[T]:
    """What each gives, some done beside the others. Raises what the first of them raises that does."""
    begun = [Beside(work) for work in works]
    for one in reversed(begun):  # the other hand takes them from the front
        one.finish()
    return [one.get() for one in begun]
