"""A thread that serves the newest request only: what waits is overwritten by what comes."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from typing import Any

Failed = Callable[[Exception, int], None]  # what went wrong, and the request's number


class Slot:
    """Requests have a rising ``number``."""

    def __init__(
        self,
        serve: Callable[[Any], None],
        name: str,
        failed: Failed,
        prepare: Callable[[], None] | None = None,
    ) -> None:
        """``failed`` is told, in the thread, what ``serve`` raised."""
        self._serve = serve
        self._prepare = prepare
        self._failed = failed
        self._wanted: Any = None
        self._ready = threading.Condition()
        self._open = True
        self._busy = False
        self.newest = 0
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    @property
    def thread(self) -> int | None:
        """The ident of the thread that serves."""
        return self._thread.ident

    def ask(self, order: Any) -> None:
        """Replace whatever waits by ``order``; what runs hears of it through ``stale``."""
        with self._ready:
            self.newest = order.number
            self._wanted = order
            self._ready.notify()

    def withdraw(self, number: int) -> None:
        """Nothing is wanted; ``number`` is above every request so far."""
        with self._ready:
            self.newest = number
            self._wanted = None

    def stale(self, order: Any) -> bool:
        """Whether something newer is wanted, or nothing any more."""
        return not self._open or self.newest != order.number

    def idle(self) -> bool:
        """Whether nothing waits."""
        return self._wanted is None

    def close(self) -> None:
        """End the thread when what runs has ended."""
        with self._ready:
            self._open = False
            self._wanted = None
            self._ready.notify()
        self._thread.join(timeout=20)

    def rest(self) -> None:
        """Withdraw what waits, and come back when what runs has ended."""
        self.withdraw(self.newest + 1)
        with self._ready:
            self._ready.wait_for(lambda: not self._busy, timeout=20)

    def _run(self) -> None:
        if self._prepare is not None:
            with contextlib.suppress(Exception):  # the first request meets the same trouble and tells it
                self._prepare()
        while True:
            with self._ready:
                while self._open and self._wanted is None:
                    self._ready.wait()
                if not self._open:
                    return
                order, self._wanted = self._wanted, None
                self._busy = True
            try:
                self._serve(order)
            except Exception as error:
                self._failed(error, order.number)
            finally:
                with self._ready:
                    self._busy = False
                    self._ready.notify_all()
