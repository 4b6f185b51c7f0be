"""The page where proofs are compared: side by side, one over the other by a slider, or by turns."""

from __future__ import annotations

import sys
from typing import Any

from PyQt6.QtCore import QPoint, QRect, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.sidebyside import MOST, in_one_light
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.proofs import as_job, is_present, present
from kilnchisel.core.job.words.differences import differences
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.images import fitting, pixmap_of
from kilnchisel.ui.theme import Theme

NOW = "Now"
WAYS = ("Side by side", "By a slider", "By turns")
SIZE = (960, 600)
TURN_MS = 700
EDGE_PX = 2


class Over(QWidget):
    """One picture over another up to a line that is dragged."""

    moved = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.under: QPixmap | None = None
        self.over: QPixmap | None = None
        self.share = 0.5
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.SplitHCursor)

    def place(self) -> QRect:
        """Where the pictures are."""
        if self.under is None:
            return QRect()
        size = self.under.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRect(QPoint((self.width() - size.width()) // 2, (self.height() - size.height()) // 2), size)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.under is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        place = self.place()
        painter.drawPixmap(place, self.under)
        if self.over is not None:
            edge = place.left() + round(place.width() * self.share)
            painter.setClipRect(QRect(place.left(), place.top(), edge - place.left(), place.height()))
            painter.drawPixmap(place, self.over)
            painter.setClipping(False)
            line = QRect(edge - EDGE_PX // 2, place.top(), EDGE_PX, place.height())
            painter.fillRect(line, QColor(self._theme.clay))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        place = self.place()
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton and place.width():
            self.moved.emit(min(max((event.position().x() - place.left()) / place.width(), 0.0), 1.0))


class ComparePage(QDialog):
    """``chosen``: the numbers of what is compared, the job as it is being the last."""

    def __init__(self, job: Job, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Compare")
        self.resize(1120, 740)
        self.job = job
        now = () if any(is_present(job, k) for k in range(len(job.proofs))) else ((NOW, job),)
        self.states = (*((proof.name, as_job(job, proof)) for proof in job.proofs), *now)
        self.pictures: dict[int, QPixmap] = {}
        self._number, self._turn = 0, 0
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head())
        self._inner = QWidget()
        self._grid = QGridLayout(self._inner)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(12)
        column.addWidget(self._inner, 1)
        self.over = Over(theme)
        self.over.moved.connect(self._slide)
        column.addWidget(self.over, 1)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setValue(500)
        self.slider.setAccessibleName("How much of the first is seen")
        self.slider.valueChanged.connect(self._slid)
        column.addWidget(self.slider)
        self.words = QLabel()
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        column.addLayout(self._foot())
        self._timer = QTimer(self)
        self._timer.setInterval(TURN_MS)
        self._timer.timeout.connect(self._next)
        self.aside = Aside("sideways")
        self.aside.heard.connect(self._hear)
        self._order()

    @property
    def chosen(self) -> list[int]:
        """What is compared."""
        return [number for number, box in enumerate(self.boxes) if box.isChecked()]

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(12)
        self.boxes: list[QCheckBox] = []
        for number, (name, _) in enumerate(self.states):
            box = QCheckBox(name)
            box.setChecked(number < MOST and (len(self.states) <= MOST or number < MOST))
            box.toggled.connect(self._order)
            self.boxes.append(box)
            row.addWidget(box)
        row.addStretch(1)
        self.ways = QButtonGroup(self)
        self.ways.setExclusive(True)
        for number, words in enumerate(WAYS):
            tab = QPushButton(words)
            tab.setObjectName("tab")
            tab.setCheckable(True)
            tab.setAutoDefault(False)
            self.ways.addButton(tab, number)
            row.addWidget(tab)
        first = self.ways.button(0)
        assert first is not None
        first.setChecked(True)
        self.ways.idClicked.connect(self._show)
        return row

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(150)
        row.addWidget(self.bar)
        row.addStretch(1)
        self.fine = QPushButton("As mockups")
        self.fine.setObjectName("link")
        self.fine.setToolTip("Path-traced pictures in the place of the quick ones")
        self.fine.clicked.connect(lambda: self._order(samples=32))
        row.addWidget(self.fine)
        close = QPushButton("Close")
        close.clicked.connect(self.reject)
        row.addWidget(close)
        return row

    def _order(self, *_: object, samples: int = 0) -> None:
        """Have the pictures of what is chosen made."""
        self.pictures = {}
        self._number += 1
        chosen = self.chosen
        try:
            jobs = in_one_light([self.states[k][1] for k in chosen])
        except KilnError as error:
            self.words.setText(str(error))
            self._clear()
            return
        self.bar.setRange(0, len(jobs))
        self.bar.setValue(0)
        self.bar.show()
        self.aside.send("pictures", self._number, jobs, SIZE, samples)
        self._show()

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "picture" and values[0] == self._number:
            self.pictures[self.chosen[values[1]]] = pixmap_of(values[2])
            self.bar.setValue(len(self.pictures))
            self._show()
        elif kind == "done" and values[0] == self._number:
            self.bar.hide()
        elif kind == "failed":
            if values[1]:
                print(values[1], file=sys.stderr)
            self._refuse(values[0])
        elif kind == "ended":
            self._refuse("What draws the pictures has ended: it may have run out of memory.")

    def _refuse(self, sentence: str) -> None:
        self.bar.hide()
        self._timer.stop()
        self.words.setText(sentence)

    def _clear(self) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()

    def _show(self, *_: object) -> None:
        way, chosen = self.ways.checkedId(), self.chosen
        self._inner.setVisible(way == 0)
        self.over.setVisible(way > 0)
        self.slider.setVisible(way == 1)
        self._timer.stop()
        if len(chosen) < 2:
            return
        first = self.states[chosen[0]]
        told = []
        for k in chosen[1:]:
            words = ", ".join(differences(present(first[1]), present(self.states[k][1]))) or "no difference"
            told.append(f"{self.states[k][0]}: {words}")
        self.words.setText(f"From {first[0]}.  " + ".  ".join(told))
        if way == 0:
            self._side_by_side(chosen)
        elif way == 1:
            self.over.over, self.over.under = (self.pictures.get(k) for k in chosen[:2])
            self.over.update()
        else:
            self._turn = 0
            self._next()
            self._timer.start()

    def _side_by_side(self, chosen: list[int]) -> None:
        self._clear()
        across = len(chosen) if len(chosen) < 4 else (len(chosen) + 1) // 2
        rows = -(-len(chosen) // across)
        size = QSize(
            (self._inner.width() - 12 * (across - 1)) // across, self._inner.height() // rows - 34
        ).expandedTo(QSize(120, 80))
        for place, number in enumerate(chosen):
            label = QLabel()
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
            label.setAccessibleName(self.states[number][0])
            picture = self.pictures.get(number)
            if picture is not None:
                label.setPixmap(fitting(picture, size, self.devicePixelRatioF()))
            name = QLabel(self.states[number][0])
            name.setAlignment(Qt.AlignmentFlag.AlignCenter)
            holder = QWidget()
            column = QVBoxLayout(holder)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(4)
            column.addWidget(label, 1)
            column.addWidget(name)
            self._grid.addWidget(holder, place // across, place % across)

    def _slide(self, share: float) -> None:
        if self.ways.checkedId() == 1:
            self.slider.setValue(round(1000 * share))

    def _slid(self, value: int) -> None:
        self.over.share = value / 1000
        self.over.update()

    def _next(self) -> None:
        """The next one in its turn."""
        shown = [number for number in self.chosen if number in self.pictures]
        if not shown:
            return
        number = shown[self._turn % len(shown)]
        self._turn += 1
        self.over.under, self.over.over = self.pictures[number], None
        self.words.setText(self.states[number][0])
        self.over.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.ways.checkedId() == 0:
            self._side_by_side(self.chosen)

    def done(self, result: int) -> None:
        """End what draws for it."""
        self._timer.stop()
        self.aside.end()
        super().done(result)
