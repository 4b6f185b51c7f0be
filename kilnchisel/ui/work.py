"""The window's side of the workshop: orders go to it, its answers come back as signals.

It is a process of its own: what draws never holds up the window, and may end alone.
"""

from __future__ import annotations

import contextlib
import queue
import sys
import threading
from collections.abc import Sequence
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.build import laid_elsewhere
from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import Elsewhere
from kilnchisel.core.job.assets import only_here
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.model import Job
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.laying.zones import zones_of
from kilnchisel.core.remembered import known
from kilnchisel.core.sending.process import Process
from kilnchisel.core.sending.things import Receiver
from kilnchisel.core.sending.wire import sent, taken
from kilnchisel.core.workshop import process as workshop
from kilnchisel.core.workshop.orders import DraftOrder, Drawn, MockupOrder, SolidOrder, Taken

Array = NDArray[Any]

ENDED = (
    "What draws the picture has ended: it may have run out of memory. It starts again with the next "
    "change; your work is kept."
)
_ahead: list[Process] = []


def ahead() -> None:
    """Start the process for the first workshop there will be, before there is a window or any thread."""
    if not _ahead:
        _ahead.append(workshop.ahead())


class Workshop(QObject):
    """The process, and what comes from it. To be used from the window's thread."""

    card: str | None = None  # what draws
    _ready: Sequence[Side] = ()  # of the last draft
    heard = pyqtSignal(object)  # an answer of the bench, what it is made of put together; or ("ended",)

    def __init__(self) -> None:
        super().__init__()
        self._process: Process | None = None
        self._orders: queue.SimpleQueue[tuple[Any, ...] | None] = queue.SimpleQueue()
        self._given: set[str] = set()  # files of jobs that it would not find by itself
        self._start()

    def _start(self) -> None:
        self._process = _ahead.pop() if _ahead else workshop.started()
        self._orders = queue.SimpleQueue()
        self._given = set()
        what = (self._process, self._orders)
        threading.Thread(target=self._listen, args=what, name="workshop", daemon=True).start()

    def send(self, *order: Any) -> None:
        """Order something; comes back at once. A process that has ended is started again."""
        if self._process is None or not self._process.runs():
            self._start()
        files = {digest: data for digest, data in only_here().items() if digest not in self._given}
        if files:
            self._given |= files.keys()
            self._orders.put(("keep", list(files.values())))
        self._orders.put(order)

    def end(self) -> None:
        """End the process with all that it is at; the next order starts one."""
        if self._process is not None:
            self._process.kill()

    def close(self) -> None:
        """End the process for good."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()

    def _listen(self, process: Process, orders: queue.SimpleQueue[tuple[Any, ...] | None]) -> None:
        writer = threading.Thread(target=_write, args=(process, orders), name="orders", daemon=True)
        writer.start()
        receiver = Receiver()
        while True:
            try:
                answer = taken(process.answers)
                self._tell(answer, receiver)
            except (EOFError, OSError):
                break
            except Exception as error:  # what comes cannot be used: as if it had ended
                sys.excepthook(type(error), error, error.__traceback__)
                break
        orders.put(None)
        writer.join()  # before its pipe is closed
        process.end()
        if process is self._process:  # not closed by the window
            self._emit(("ended",))

    def _tell(self, answer: tuple[Any, ...], receiver: Receiver) -> None:
        if answer[0] == "card":
            self.card = answer[1]
        if answer[0] == "drawn":
            kind, number, parts, *rest = answer
            value = receiver.value(parts)
            self._make_ready(value[0])
            answer = (kind, number, value, *rest)
        self._emit(answer)

    def _make_ready(self, laid: tuple[Laid, ...]) -> None:
        """What sides that are new here work out of themselves when they are first asked for a place, or
        where a press meets them, here and not in the window's thread: a vehicle's skin is divided into
        triangles, a cloth's net placed, what is kept clear cut into parts (90 ms and more)."""
        for one in laid:
            if not any(one.side is old for old in self._ready):
                _pressed(one.side, one.frame[:1])
                for zone in zones_of(one.side):
                    _ = zone.boxes
        self._ready = [one.side for one in laid]

    def _emit(self, answer: tuple[Any, ...]) -> None:
        with contextlib.suppress(RuntimeError):  # the window has gone meanwhile
            self.heard.emit(answer)


def _pressed(side: Side, at: Array) -> None:
    """Meet a side with a ray at a place on its sheet, (1, 2): what it takes for that is made then."""
    foot, out = side.to_body(at, np.zeros(1)), side.frames(at)[:, 2]
    side.meet(foot + out, -out)


def _all_pressed(blank: Blank) -> None:
    """Meet each side of a blank."""
    for side in sides_at(blank).all:
        _pressed(side, np.array(side.domain.representative_point().coords))


def _write(process: Process, orders: queue.SimpleQueue[tuple[Any, ...] | None]) -> None:
    """Send what is ordered; where it is not taken at once, nobody but this thread waits."""
    with contextlib.suppress(OSError):  # the process has ended: that is heard
        while (order := orders.get()) is not None:
            sent(process.orders, order)


class _Desk(QObject):
    """Orders that are under way, by number. ``failed``: a sentence, and the order's number."""

    failed = pyqtSignal(str, int)
    what = ""

    def __init__(self, workshop: Workshop) -> None:
        super().__init__()
        self._workshop = workshop
        self._orders: dict[int, Any] = {}
        self._answered = self._again = -1
        workshop.heard.connect(self._hear)

    def ask(self, order: Any) -> None:
        """Order it; of orders that wait only the newest is served."""
        self._orders[order.number] = order
        self._workshop.send(self.what, order)

    def _order(self, number: int) -> Any:
        """The order of an answer, if it is still known; those before it will get none any more."""
        for older in [n for n in self._orders if n < number]:
            del self._orders[older]
        return self._orders.get(number)

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "ended":
            self._once_more(max(self._orders, default=-1))
        elif kind == "failed" and values[0] == self.what:
            _, number, sentence, report = values
            if self._order(number) is not None:
                self._answered = number
                self.failed.emit(sentence, number)
            if report:
                fault = Elsewhere(sentence, report)
                sys.excepthook(Elsewhere, fault, None)

    def _once_more(self, number: int) -> None:
        """The process has ended. What it was at is tried again once: it may have been the process, or what
        was asked of it."""
        if number <= self._answered:
            return
        if number != self._again:
            self._again = number
            self._workshop.send(self.what, self._orders[number])
        else:
            self._answered = number
            self.failed.emit(ENDED, number)


class DraftDesk(_Desk):
    """Has drafts drawn and readings taken."""

    drawn = pyqtSignal(object)
    taken = pyqtSignal(object)
    what = "draft"
    _looked: Blank | None = None  # what a press on it takes is made

    @property
    def card(self) -> str | None:
        """What draws; None while nothing does."""
        return self._workshop.card

    def forget(self) -> None:
        """Another job comes: nothing that was made for the present one need be kept."""
        self._workshop.send("another job")

    def stop(self) -> None:
        """Give up what is being drawn."""
        self._orders.clear()
        self._workshop.end()

    def _hear(self, answer: tuple[Any, ...]) -> None:
        super()._hear(answer)
        kind, *values = answer
        if kind in ("drawn", "taken"):
            order: DraftOrder | None = self._order(values[0])
            if order is None:
                return
            self._answered = order.number
            if kind == "drawn":
                (laid, sides), pixels, view, stance, middle, half, seconds = values[1:]
                laid_elsewhere(order.job, laid, sides, detail=order.detail)
                self._press_ahead(order)
                self.drawn.emit(Drawn(order, pixels, view, stance, middle, half, laid, seconds))
            elif order.index is not None:
                self.taken.emit(Taken(order.job, order.index, *values[1:]))

    def _press_ahead(self, order: DraftOrder) -> None:
        """A press may meet any side of the blank, also one without letters: what they take for that is made
        beside the window once the blank is at rest (a vehicle's: 90 ms and more)."""
        blank = order.job.blank
        if order.detail.fine and blank != self._looked and known(sides_at, blank):
            self._looked = blank
            threading.Thread(target=_all_pressed, args=(blank,), name="sides", daemon=True).start()


class MockupDesk(_Desk):
    """Has mockups refined, for the window or for a file."""

    refined = pyqtSignal(object, object)  # order, Refined
    progress = pyqtSignal(float, float, int)  # share done, seconds left, number
    stopped = pyqtSignal(int)
    what = "mockup"

    def ahead(self) -> None:
        """Start what a mockup takes before one is wanted."""
        self._workshop.send("ahead")

    def withdraw(self, number: int) -> None:
        """None is wanted; ``number`` is above every order so far."""
        if self._orders:
            self._orders.clear()
            self._workshop.send("no mockup", number)

    def _hear(self, answer: tuple[Any, ...]) -> None:
        super()._hear(answer)
        kind, *values = answer
        if kind not in ("refined", "progress", "stopped"):
            return
        order: MockupOrder | None = self._order(values[0])
        if kind == "stopped":
            self.stopped.emit(values[0])
        elif order is not None and kind == "refined":
            state = values[1]
            self._answered = order.number if state.done >= state.wanted else self._answered
            self.refined.emit(order, state)
        elif order is not None:
            self.progress.emit(values[1], values[2], values[0])


class SolidDesk(_Desk):
    """Has solids made, one at a time."""

    what = "solid"

    def __init__(self, workshop: Workshop) -> None:
        super().__init__(workshop)
        self._number = 0
        self._wanted: Future[bytes] = Future()
        self.failed.connect(self._fail)

    def solid(self, job: Job, path: Path) -> Future[bytes]:
        """The piece as a file of the path's kind, once it is made; or a KilnError."""
        self._wanted.cancel()
        self._wanted = Future()
        self._number += 1
        self.ask(SolidOrder(job, path.name, self._number))
        return self._wanted

    def withdraw(self) -> None:
        """It is not wanted any more."""
        self._wanted.cancel()
        self._number += 1
        self._orders.clear()
        self._workshop.send("no solid", self._number)

    def _hear(self, answer: tuple[Any, ...]) -> None:
        super()._hear(answer)
        kind, *values = answer
        if kind == "made" and values[0] == self._number and self._order(values[0]) is not None:
            self._answered = values[0]
            self._wanted.set_result(values[1])

    def _fail(self, sentence: str, number: int) -> None:
        if number == self._number:
            self._wanted.set_exception(KilnError(sentence))
