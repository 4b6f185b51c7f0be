"""The page where a range is tried: faces, colours or sizes as a sheet of small pictures; one click takes or
keeps one."""

from __future__ import annotations

import sys
from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import field_label
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.shipped import SHIPPED
from kilnchisel.core.proofs.tries import tries, usual_range
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.images import filling, pixmap_of

PICTURE = QSize(228, 148)
SIZE = (464, 300)
COLOURS = "#1d2a4d, #a8341f, #1f5a3c, #c08a1e, #26241f, #f4efe2"
FACES = 12


@dataclass(frozen=True)
class Field:
    """What can be tried: its path as it is written, its words, values to begin with."""

    path: str
    words: str
    values: str


def fields_of(job: Job, index: int | None) -> list[Field]:
    """What of a job and its chosen lettering a range can be tried in."""
    found: list[Field] = []
    if index is not None:
        lettering, at = job.letterings[index], f"letterings.{index + 1}"
        if isinstance(lettering.content, Wording):
            faces = ", ".join(list(SHIPPED)[:FACES])
            found.append(Field(f"{at}.content.face", "Typefaces", faces))
            high = lettering.content.cap_height_mm
            found += _length(job, f"{at}.content.cap_height_mm", "Capital height", high)
        else:
            found += _numbers(job, f"{at}.content", lettering.content)
        if hasattr(lettering.finish, "colour"):
            found.append(Field(f"{at}.finish.colour", "Colour of the letters", COLOURS))
        found += _numbers(job, f"{at}.craft", lettering.craft)
    if hasattr(job.finish, "colour"):
        found.append(Field("finish.colour", "Colour of the blank", COLOURS))
    found += _numbers(job, "blank", job.blank)
    return found


def _numbers(job: Job, path: str, part: Any) -> list[Field]:
    """The lengths of a part of a job, from less to more than they are."""
    found = []
    for name in type(part).model_fields:
        value = getattr(part, name)
        if name.endswith("_mm") and isinstance(value, float) and value > 0:
            found += _length(job, f"{path}.{name}", field_label(name)[0], value)
    return found


def _length(job: Job, path: str, words: str, value: float) -> list[Field]:
    """A length, from less to more than it is; nothing where the job takes no other."""
    values = usual_range(job, path, value)
    return [Field(path, words, values)] if values else []


class Trial(QToolButton):
    """One of what is tried."""

    def __init__(self, words: str) -> None:
        super().__init__()
        self.setObjectName("proof")
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setIconSize(PICTURE)
        self.setText(self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, PICTURE.width()))
        self.setToolTip(words)
        self.setAccessibleName(words)
        self.setFixedSize(PICTURE.width() + 14, PICTURE.height() + 36)


class TryPage(QDialog):
    """``taken``: the job that is to be worked on; ``kept``: one that is to be a proof, with its picture."""

    taken = pyqtSignal(object, str)
    kept = pyqtSignal(object, object)

    def __init__(self, job: Job, index: int | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Try a range")
        self.resize(1080, 740)
        self.job = job
        self.fields = fields_of(job, index)
        self._index = index
        self.made: list[tuple[str, Job]] = []
        self.trials: list[Trial] = []
        self._pixels: dict[int, Any] = {}
        self._number = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head())
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self._grid.setSpacing(10)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        column.addWidget(area, 1)
        column.addLayout(self._foot())
        self.aside = Aside("sideways")
        self.aside.heard.connect(self._hear)
        self._take_field()

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        self.which = QComboBox()
        self.which.setAccessibleName("What is tried")
        self.which.addItems([field.words for field in self.fields])
        self.which.activated.connect(self._take_field)
        row.addWidget(self.which)
        self.values = QLineEdit()
        self.values.setAccessibleName("Values")
        self.values.setToolTip("With commas between, or from one to another in steps: 0.2..1 mm / 5")
        self.values.returnPressed.connect(self.try_them)
        row.addWidget(self.values, 1)
        button = QPushButton("Try them")
        button.setObjectName("primary")
        button.setDefault(True)
        button.clicked.connect(self.try_them)
        row.addWidget(button)
        return row

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        hint = QLabel("A click takes one up; with Ctrl it is kept as a proof.")
        hint.setObjectName("small")
        row.addWidget(hint)
        self.close_up = QCheckBox("The lettering fills the picture")
        self.close_up.setEnabled(self._index is not None)
        self.close_up.toggled.connect(lambda _: self.try_them())
        row.addWidget(self.close_up)
        row.addStretch(1)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        row.addWidget(close)
        return row

    def _take_field(self) -> None:
        if self.fields:
            self.values.setText(self.fields[self.which.currentIndex()].values)
            self.try_them()

    def try_them(self) -> None:
        """Have the pictures of the values made that are typed."""
        self.refusal.hide()
        if not self.fields:
            return
        try:
            self.made = tries(self.job, self.fields[self.which.currentIndex()].path, self.values.text())
        except KilnError as error:
            self.refusal.setText(str(error))
            self.refusal.show()
            return
        for trial in self.trials:
            self._grid.removeWidget(trial)
            trial.deleteLater()
        self.trials = [Trial(words) for words, _ in self.made]
        self._pixels = {}
        for number, trial in enumerate(self.trials):
            trial.clicked.connect(partial(self._chosen, number))
        self._lay_out()
        self._number += 1
        close = self._index if self.close_up.isChecked() else None
        self.aside.send("pictures", self._number, [job for _, job in self.made], SIZE, 0, close)

    def _lay_out(self) -> None:
        across = max((self.width() - 60) // (PICTURE.width() + 24), 1)
        for number, trial in enumerate(self.trials):
            self._grid.addWidget(trial, number // across, number % across)
        self._grid.setRowStretch(len(self.trials) // across + 1, 1)
        self._grid.setColumnStretch(across, 1)

    def _chosen(self, number: int) -> None:
        words, job = self.made[number]
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier:
            self.kept.emit(job, self._pixels.get(number))
            self.trials[number].setText("kept")
            return
        self.taken.emit(job, words)
        self.accept()

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "picture" and values[0] == self._number:
            number, pixels = values[1], values[2]
            self._pixels[number] = pixels
            picture = filling(pixmap_of(pixels), PICTURE, self.devicePixelRatioF())
            self.trials[number].setIcon(QIcon(picture))
        elif kind == "failed":
            if values[1]:
                print(values[1], file=sys.stderr)
            self.refusal.setText(values[0])
            self.refusal.show()
        elif kind == "ended":
            self.refusal.setText("What draws the pictures has ended: it may have run out of memory.")
            self.refusal.show()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def done(self, result: int) -> None:
        """End what draws for it."""
        self.aside.end()
        super().done(result)
