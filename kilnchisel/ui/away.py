"""Work that takes its time, beside the window: in order and unseen, or waited for with the window alive;
and what only the window can do, in turns.

``Chores`` are done one after the other in a thread of their own and nobody waits for them (keeping a copy
of the work). ``away`` waits: the window goes on drawing, and after half a second says what it is waiting
for, with a way to stop.
"""

from __future__ import annotations

import queue
import sys
import threading
import time
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

from PyQt6.QtCore import QCoreApplication, QEventLoop, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake.gate import stop_reading, told_of
from kilnchisel.core.remembered import known

T = TypeVar("T")

AT_ONCE_S = 0.012  # what is done by then needs no waiting
SAID_MS = 500
TURN_MS = 1  # no time at all would be the same turn


class Stopped(KilnError):
    """The person did not want to wait any longer."""


class Chores(QObject):
    """A thread that does what it is given, in order. ``failed``: a refusal's sentence."""

    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._given: queue.SimpleQueue[Callable[[], None]] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._lock = threading.Lock()
        self._left = 0
        self._all_done = threading.Condition(self._lock)

    def do(self, chore: Callable[[], None]) -> None:
        """Do this after all that was given before."""
        with self._lock:
            self._left += 1
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="chores", daemon=True)
                self._thread.start()
        self._given.put(chore)

    def finish(self, patience_s: float = 30.0) -> None:
        """Come back when everything given so far is done."""
        with self._all_done:
            self._all_done.wait_for(lambda: self._left == 0, timeout=patience_s)

    def _run(self) -> None:
        while True:
            chore = self._given.get()
            try:
                chore()
            except KilnError as error:
                self.failed.emit(str(error))
            except Exception as error:
                sys.excepthook(type(error), error, error.__traceback__)
            finally:
                with self._all_done:
                    self._left -= 1
                    self._all_done.notify_all()


class _Waiting(QDialog):
    """What is waited for, how long it has been, and a way to stop."""

    def __init__(self, words: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("One moment")
        self.setWindowModality(Qt.WindowModality.ApplicationModal)
        self.setMinimumWidth(360)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 16)
        self._said, self._begun = words, time.monotonic()
        self.words = QLabel(f"{words}…")
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.bar = waiting_bar(words)
        column.addWidget(self.bar)
        row = QHBoxLayout()
        row.addStretch(1)
        stop = QPushButton("Stop")
        stop.clicked.connect(self.reject)
        row.addWidget(stop)
        column.addLayout(row)
        clock = QTimer(self)
        clock.timeout.connect(self._tick)
        clock.start(500)
        self._at = ""

    def at(self, share: float | None, words: str) -> None:
        """How far it is, as the bar and in words."""
        self._at = f"\n{words}"
        show_share(self.bar, share)

    def _tick(self) -> None:
        self.words.setText(f"{self._said}… {time.monotonic() - self._begun:.0f} s{self._at}")


def waiting_bar(name: str) -> QProgressBar:
    """A bar for work of which nobody knows yet how far it is."""
    bar = QProgressBar()
    bar.setRange(0, 0)
    bar.setTextVisible(False)
    bar.setAccessibleName(name)
    return bar


def show_share(bar: QProgressBar, share: float | None) -> None:
    """A share of 1 in a bar; None: it only moves."""
    bar.setRange(0, 0 if share is None else 1000)
    if share is not None:
        bar.setValue(round(1000 * share))


def in_turns(parent: QObject, *steps: Callable[[], None]) -> None:
    """Do one step after the other, each in a turn of its own, so that events come through in between."""
    left = list(steps)
    clock = QTimer(parent)

    def turn() -> None:
        step = left.pop(0)
        if not left:
            clock.stop()
            clock.deleteLater()
        step()

    clock.timeout.connect(turn)
    clock.start(TURN_MS)


class Told(QObject):
    """What a thread tells: an object of its own, which that thread holds. A page may be destroyed while its
    thread is telling something; a signal of the page's own would go with it."""

    done = pyqtSignal()
    made = pyqtSignal(object, object)  # what came of it, and a sentence or a number
    at = pyqtSignal(object, str)


def known_or_away(words: str, function: Callable[..., T], *args: Any) -> T:
    """What a remembered ``function`` gives for these arguments: at once where it is known, or ``away``."""
    return function(*args) if known(function, *args) else away(partial(function, *args), words)


def away(
    does: Callable[[], T],
    words: str,
    parent: QWidget | None = None,
    stop: Callable[[], None] = lambda: None,
) -> T:
    """What ``does`` gives or raises, worked out in a thread while the window lives.

    ``words`` say what is being done; what reads a file says how far it is. Raises Stopped when the person
    stops it: what is read for it is ended, ``stop`` is called, and what comes of it later is dropped.
    Where no application runs there is no window to keep alive: it is worked out here.
    """
    if QCoreApplication.instance() is None:
        return does()
    result: dict[str, Any] = {}
    told = Told()

    def run() -> None:
        try:
            with told_of(told.at.emit):
                result["value"] = does()
        except BaseException as error:
            result["error"] = error
        told.done.emit()

    thread = threading.Thread(target=run, name="away", daemon=True)
    loop = QEventLoop()
    told.done.connect(loop.quit)
    thread.start()
    thread.join(AT_ONCE_S)
    if not result:
        QTimer.singleShot(SAID_MS, loop.quit)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    if not result:
        waiting = _Waiting(words, parent)
        told.done.connect(waiting.accept)
        told.at.connect(waiting.at)
        if not result and not waiting.exec() and not result:
            stop_reading(thread.ident)
            stop()
            raise Stopped(f"Stopped: {words[0].lower()}{words[1:]}.")
    if "error" in result:
        raise result["error"]
    return result["value"]  # type: ignore[no-any-return]
