"""A real window for tests: shown offscreen, driven by real events, waited for and never slept on."""

from __future__ import annotations

import contextlib
import functools
import importlib
import os
import pickle
import tempfile
import threading
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QMimeData, QObject, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QImage, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from kilnchisel.core.blanks.bodies import made_body
from kilnchisel.core.blanks.body import Body
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.picture.afar import Afar
from kilnchisel.core.sending.things import Receiver
from kilnchisel.core.workshop.aside import Orders
from kilnchisel.core.workshop.bench import Bench
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.setdesk import SetDesk
from kilnchisel.ui.startpage import DemoJob
from kilnchisel.ui.window import Window
from kilnchisel.ui.work import Workshop
from tests.waiting import until

COARSE = 0.4  # of the size of a draft that nobody looks at closely


@functools.cache
def application() -> QApplication:
    """The one Qt application of the test run, kept to its end."""
    found = QApplication.instance()
    return found if isinstance(found, QApplication) else QApplication([])


class Inside(Workshop):
    """The bench in this process, one for all windows of the run: a graphics context costs two seconds each
    time, and what it calls can be replaced. Everything goes over as it does to the process."""

    sharp = True  # drafts have all their pixels
    draws = True  # drafts are made at all

    def _start(self) -> None:
        self._receiver = Receiver()
        self.bench = Bench(lambda answer: self._tell(pickle.loads(pickle.dumps(answer)), self._receiver))

    def send(self, *order: Any) -> None:
        if order[0] == "another job":
            return  # what one test has made is of use to the next
        if order[0] == "draft" and not self.draws:
            return
        if order[0] == "draft" and not self.sharp:
            order = ("draft", replace(order[1], scale=order[1].scale * COARSE))
        self.bench.take(pickle.loads(pickle.dumps(order)))

    def close(self) -> None:
        """A window that closes does not take the bench with it."""
        for desk in (self.bench.mockups, self.bench.drafts):
            desk.slot.rest()
        with contextlib.suppress(TypeError):
            self.heard.disconnect()
        self.bench.mockups.afar.close()
        self.bench.mockups.afar = Afar()


@functools.cache
def inside() -> Inside:
    """The workshop, made at first use."""
    return Inside()


class Beside(Aside):
    """The process that serves a page, in this one and kept for the next page: it takes seconds to start.
    Everything goes over as it does to the process."""

    _going: ClassVar[list[Beside]] = []

    def __init__(self, module: str) -> None:
        QObject.__init__(self)
        self._orders, self._hear = _beside(module, len(self._going))
        self._going.append(self)
        self._hear[:] = [self.heard.emit]

    def send(self, *order: Any) -> None:
        self._orders.take(pickle.loads(pickle.dumps(order)))

    def end(self) -> None:
        """What it is at is none of the next page's."""
        if self in self._going:
            self._going.remove(self)
        self._hear.clear()
        settled = threading.Event()
        self._orders.take(("settle", settled))
        settled.wait()


@functools.cache
def _beside(module: str, _number: int) -> tuple[Orders, list[Callable[[Any], None]]]:
    """What does the orders of a page's first process of this module, its second..., and who hears."""
    room = importlib.import_module(f"kilnchisel.core.workshop.{module}")
    hear: list[Callable[[Any], None]] = []

    def answer(message: Any) -> None:
        for one in tuple(hear):
            one(pickle.loads(pickle.dumps(message)))

    def made(answer: Any, stale: Any) -> dict[str, Any]:
        return {**room._made(answer, stale), "settle": threading.Event.set}

    orders = Orders(made, room.NEWEST, answer)

    def run() -> None:
        while True:
            orders.do_next()

    threading.Thread(target=run, name=module, daemon=True).start()
    return orders, hear


class WindowTest(unittest.TestCase):
    """A fresh window and an own state folder for every test. A fault that the window took fails it."""

    provoked = False  # a test that provokes faults says so
    # one that looks at the pixels of drafts says so: on a software card they are the most work
    sharp = False
    # one that waits for pictures of sets says so: they are made by a process of their own
    set_pictures = False

    def setUp(self) -> None:
        self.app = application()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder / "state")}))
        self.enterContext(mock.patch("kilnchisel.ui.view.shown.Workshop", inside))
        inside().sharp, inside().draws = self.sharp, True
        if not self.set_pictures:
            self.enterContext(mock.patch.object(SetDesk, "_make", lambda *_: None))
        # half the time of a draft at rest on a software card; the core's tests look at its edges
        self.enterContext(mock.patch.dict("kilnchisel.core.picture.draft.SAMPLES", {Detail.FINE: 0}))
        self.window = self.open_window()

    def open_window(self, demos: list[DemoJob] | None = None) -> Window:
        window = Window(demos)
        window.picture.refining = False  # tests that want the mockup say so
        window.resize(1024, 640)
        window.show()
        self.addCleanup(self.close_window, window)
        return window

    def drop(self, path: Path) -> None:
        """Let a file fall on the window."""
        data = QMimeData()  # the event does not keep it
        data.setUrls([QUrl.fromLocalFile(str(path))])
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, left, none)
        self.window.dropEvent(event)
        self.app.processEvents()

    def close_window(self, window: Window) -> None:
        window.session._saved_job = window.session.job
        window.close()
        window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.app.processEvents()
        if not self.provoked:
            self.assertEqual(list(window.guard.faults), [])

    def wait(self, holds: Callable[[], Any], why: str = "") -> None:
        """Let the application run until something holds."""
        until(holds, why or str(holds), self.app.processEvents)

    def settle(self) -> None:
        """Wait until the picture shows the present job at rest."""
        picture = self.window.picture

        def shown() -> bool:
            drawn = picture.drawn
            return (
                drawn is not None
                and drawn.order.job == self.window.session.job
                and drawn.order.detail.fine
                and drawn.order.number == picture._number
            )

        self.wait(shown, "the draft at rest")

    def new(self, kind: str = "mug") -> None:
        """A new job by the start page's button; the picture is not waited for."""
        self.window.start_new(kind)
        self.app.processEvents()

    def bodies_made(self) -> list[threading.Thread]:
        """The threads that make a body from now on, each as it begins one."""
        made: list[threading.Thread] = []

        def watched(blank: Blank, *, detail: Detail) -> Body:
            made.append(threading.current_thread())
            return made_body(blank, detail=detail)

        self.enterContext(mock.patch("kilnchisel.core.blanks.bodies.made_body", watched))
        return made

    def pixels(self) -> Any:
        """What the picture shows, (h, w, 3) int."""
        image = self.window.picture.image.convertToFormat(QImage.Format.Format_RGB888)
        bits = image.constBits()
        rows = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8)
        rows = rows.reshape(image.height(), image.bytesPerLine())[:, : image.width() * 3]
        return rows.reshape(image.height(), image.width(), 3).astype(int)

    # events

    def mouse(
        self,
        kind: QEvent.Type,
        at: tuple[float, float],
        held: bool = True,
        keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        spot = QPointF(*at)
        moving = kind == QEvent.Type.MouseMove
        button = Qt.MouseButton.NoButton if moving else Qt.MouseButton.LeftButton
        buttons = Qt.MouseButton.LeftButton if held else Qt.MouseButton.NoButton
        target = self.window.picture
        event = QMouseEvent(kind, spot, QPointF(target.mapToGlobal(spot.toPoint())), button, buttons, keys)
        QApplication.sendEvent(target, event)
        self.app.processEvents()

    def drag(
        self,
        start: tuple[float, float],
        end: tuple[float, float],
        steps: int = 4,
        keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        drop: bool = True,
    ) -> None:
        self.mouse(QEvent.Type.MouseButtonPress, start, True, keys)
        for number in range(1, steps + 1):
            share = number / steps
            at = (start[0] + (end[0] - start[0]) * share, start[1] + (end[1] - start[1]) * share)
            self.mouse(QEvent.Type.MouseMove, at, True, keys)
        if drop:
            self.mouse(QEvent.Type.MouseButtonRelease, end, False, keys)

    def key(
        self, widget: Any, key: Qt.Key, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        QTest.keyClick(widget, key, keys)
        self.app.processEvents()

    def type(self, line: Any, text: str, enter: bool = True) -> None:
        line.setFocus()
        self.app.processEvents()
        line.selectAll()
        QTest.keyClicks(line, text) if text else QTest.keyClick(line, Qt.Key.Key_Delete)
        if enter:
            QTest.keyClick(line, Qt.Key.Key_Return)
        self.app.processEvents()

    def click(self, widget: Any) -> None:
        QTest.mouseClick(
            widget, Qt.MouseButton.LeftButton, pos=QPoint(widget.width() // 2, widget.height() // 2)
        )
        self.app.processEvents()

    # shortcuts to what tests look at

    @property
    def lettering(self) -> Any:
        return self.window.session.job.letterings[self.window.session.index]

    def field(self, section: str, ending: str) -> Any:
        self.window.ticket.show_section(section)
        self.app.processEvents()
        fields = self.window.ticket.forms[section].fields
        return next(field for key, field in fields.items() if key.endswith(ending))
