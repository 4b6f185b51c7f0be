"""The page where a router is watched at its work: the stock at any time, in the picture of its job or from
above. What works that out is a process of its own, which ends with the page."""

from __future__ import annotations

import sys
from typing import Any

from PyQt6.QtCore import QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.units import format_length, format_number
from kilnchisel.core.workshop.orders import Seen, Told, WatchOrder
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.images import fitting, pixmap_of
from kilnchisel.ui.runbar import RunBar

TURN_MS = 100  # between two pictures of a run
SPEEDS = (1, 10, 60, 300, 1800)  # times as fast as the machine
RUN_S = 40.0  # about what a whole run takes at the speed that is chosen at first
FULL = 10_000  # of the slider


class WatchPage(QDialog):
    """A job's router programs as they run."""

    def __init__(self, job: Job, how: Routing, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Watch it being cut")
        self.resize(980, 760)
        self.programs: tuple[Told, ...] = ()
        self.seen: Seen | None = None
        self._number = 0
        self._waits = False  # for a picture that was ordered
        self._wanted: WatchOrder | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head(job))
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setMinimumSize(320, 220)
        self.picture.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        self.picture.setAccessibleName("The stock as it is cut")
        column.addWidget(self.picture, 1)
        self.bar = QProgressBar()
        self.bar.setRange(0, 0)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        column.addWidget(self.bar)
        column.addLayout(self._run())
        self.told = QLabel("Working out the ways of the cutters…")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.found = QLabel()
        self.found.setObjectName("small")
        self.found.setWordWrap(True)
        column.addWidget(self.found)
        self._show_ready(ready=False)
        self.aside = Aside("watched")
        self.aside.heard.connect(self._hear)
        self.aside.send("open", job, how)

    def _head(self, job: Job) -> QHBoxLayout:
        row = QHBoxLayout()
        title = QLabel(f"Watch it being cut: {job.name}")
        title.setObjectName("heading")
        row.addWidget(title)
        row.addStretch(1)
        self.above = QCheckBox("From above")
        self.above.setToolTip("The stock alone, the cutter a ring; quicker")
        self.above.toggled.connect(self._ask)
        row.addWidget(self.above)
        self.which = QComboBox()
        self.which.setAccessibleName("Program")
        self.which.setMinimumWidth(160)
        self.which.activated.connect(self._take_program)
        row.addWidget(self.which)
        return row

    def _run(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.running = RunBar("Time of the run", self._step, lambda: self._waits, over=False)
        self.running.every(TURN_MS)
        self.button, self.slider, self.time = self.running.button, self.running.slider, self.running.time
        self.button.setObjectName("primary")
        self.slider.setRange(0, FULL)
        self.slider.setPageStep(FULL // 20)
        self.slider.setSingleStep(FULL // 200)
        self.running.moved.connect(self._ask)
        row.addWidget(self.running, 1)
        self.speed = QComboBox()
        self.speed.setAccessibleName("Times as fast as the machine")
        self.speed.addItems([f"{speed} × as fast" for speed in SPEEDS])
        row.addWidget(self.speed)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        row.addWidget(close)
        return row

    def _show_ready(self, *, ready: bool) -> None:
        for widget in (self.button, self.slider, self.speed, self.above, self.which):
            widget.setEnabled(ready)
        self.bar.setVisible(not ready)

    def _step(self) -> int:
        """How far it goes at a turn, by the speed that is chosen."""
        step = SPEEDS[self.speed.currentIndex()] * TURN_MS / 1000
        return max(round(FULL * step / self._program().seconds), 1)

    def _program(self) -> Told:
        return self.programs[max(self.which.currentIndex(), 0)]

    def _take_program(self) -> None:
        self.running.pause()
        one = self._program()
        self.above.setEnabled(one.pictured)
        wanted = one.seconds / RUN_S
        nearest = min(range(len(SPEEDS)), key=lambda k: abs(SPEEDS[k] - wanted))
        self.speed.setCurrentIndex(nearest)
        wide, tall, thick = (format_length(size) for size in one.stock)
        words = [f"Stock {wide} by {tall} by {thick}; {', '.join(one.tools)}", *one.found]
        self.found.setText(". ".join(word[:1].upper() + word[1:] for word in words) + ".")
        with QSignalBlocker(self.slider):
            self.slider.setValue(FULL)
        self._ask()

    def _ask(self) -> None:
        """Order the stock at the time that is chosen; the newest order only waits."""
        if not self.programs:
            return
        one = self._program()
        seconds = one.seconds * self.slider.value() / FULL
        self.time.setText(f"{_clock(seconds)} of {_clock(one.seconds)}")
        self._number += 1
        ratio = self.devicePixelRatioF()
        size = max(int(self.picture.width() * ratio), 64), max(int(self.picture.height() * ratio), 64)
        above = self.above.isChecked() or not one.pictured
        self._wanted = WatchOrder(self._number, max(self.which.currentIndex(), 0), seconds, size, above)
        self._send()

    def _send(self) -> None:
        if self._waits or self._wanted is None:
            return
        order, self._wanted, self._waits = self._wanted, None, True
        self.aside.send("at", order)

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "working":
            words, share = values
            self.told.setText(f"{words}…")
            self.bar.setRange(0, 100 if share else 0)
            self.bar.setValue(round(100 * share))
        elif kind == "programs":
            self._take_programs(values[0])
        elif kind == "seen":
            self._waits = False
            self._show(values[0])
            self._send()
        elif kind == "failed":
            sentence, report = values
            if report:
                print(report, file=sys.stderr)
            self._fail(sentence)
        elif kind == "ended":
            self._fail("What works it out has ended: it may have run out of memory.")

    def _take_programs(self, programs: tuple[Told, ...]) -> None:
        self.programs = programs
        for one in programs:
            self.which.addItem(f"{one.name}, {_clock(one.seconds)}")
        self._show_ready(ready=True)
        self.button.setFocus()
        self._take_program()

    def _show(self, seen: Seen) -> None:
        self.seen = seen
        pixmap, ratio = pixmap_of(seen.pixels), self.devicePixelRatioF()
        pixmap.setDevicePixelRatio(ratio)
        if seen.order.above:
            pixmap = fitting(pixmap, QSize(*seen.order.size) / ratio, ratio)
        self.picture.setPixmap(pixmap)
        x, y, z = (format_number(value, 2) for value in seen.tip)
        turned = " round" if self._program().turned else ""
        at = f"{seen.tool} at X {x}, Y {y}{turned}, Z {z} mm, line {seen.line:,}"
        self.told.setText(
            at if seen.tool else ("Done." if seen.order.seconds > 0 else "The stock as it is.")
        )

    def _fail(self, sentence: str) -> None:
        self.running.pause()
        self._waits = False
        self._show_ready(ready=False)
        self.bar.hide()
        self.told.setText(sentence)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if not self.running.takes(event):
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._ask()

    def done(self, result: int) -> None:
        """End what works for it."""
        self._end()
        super().done(result)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._end()
        super().closeEvent(event)

    def _end(self) -> None:
        self.running.pause()
        self.aside.end()


def _clock(seconds: float) -> str:
    """A time as it is said."""
    minutes, rest = divmod(round(seconds), 60)
    if minutes < 60:
        return f"{minutes}:{rest:02d} min"
    return f"{minutes // 60}:{minutes % 60:02d} h"
