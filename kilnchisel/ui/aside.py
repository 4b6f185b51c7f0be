"""A page's side of a process of its own: orders go to it, answers come back as a signal."""

from __future__ import annotations

import contextlib
import threading
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from kilnchisel.core.sending.process import Process
from kilnchisel.core.sending.wire import sent, taken
from kilnchisel.core.workshop import aside


class Aside(QObject):
    """Runs a module of the workshop until ``end``. ``heard``: what it answers; ("ended",) where it has
    ended by itself.

    No page is its parent, which would destroy it while its thread tells what it has heard: it lives until
    that thread has ended."""

    heard = pyqtSignal(object)

    def __init__(self, module: str) -> None:
        super().__init__()
        self.process: Process | None = aside.started(module)
        threading.Thread(target=self._listen, args=(self.process,), name=module, daemon=True).start()

    def send(self, *order: Any) -> None:
        """Order something; comes back at once."""
        if self.process is not None:
            with contextlib.suppress(OSError):  # that it has ended is heard
                sent(self.process.orders, order)

    def end(self) -> None:
        """Nothing more is wanted of it."""
        process, self.process = self.process, None
        if process is not None:
            process.kill()

    def _listen(self, process: Process) -> None:
        while True:
            try:
                answer = taken(process.answers)
            except (EOFError, OSError):
                break
            if self.process is process:  # a page that has ended it wants nothing more
                self.heard.emit(answer)
        process.end()
        if self.process is process:
            self.heard.emit(("ended",))
