"""One row of a list: its picture, what is to be known of it, and its words, size and place put right."""

from __future__ import annotations

import json
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lists.outcomes import Outcome
from kilnchisel.core.units import format_length, parse_length
from kilnchisel.ui.images import fitting, pixmap_of

WIDE, PICTURE_TALL = 300, 200
LENGTHS = (
    ("Capitals", "content", "cap_height_mm"),
    ("Along", "lay", "along_mm"),
    ("Up", "lay", "across_mm"),
)
WORDS = "text"
NOTHING = "Choose a row to look at it."


class RowByHand(QWidget):
    """``put``: a row's number and the fields that are put right in it, each a path and a value."""

    put = pyqtSignal(int, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.number = 0
        self._letterings: tuple[tuple[int, Any, Any], ...] = ()
        self._shown = 0  # which of them the fields are of
        self._fields: dict[str, str] = {}
        self._pixmap: QPixmap | None = None
        self.setFixedWidth(WIDE)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.picture = QLabel(NOTHING)
        self.picture.setObjectName("small")
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setFixedHeight(PICTURE_TALL)
        self.picture.setAccessibleName("The row's picture")
        column.addWidget(self.picture)
        self.name = QLabel()
        self.name.setObjectName("title")
        self.name.setWordWrap(True)
        column.addWidget(self.name)
        self.told = QLabel()
        self.told.setObjectName("warning")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.fitted = QLabel()
        self.fitted.setObjectName("small")
        self.fitted.setWordWrap(True)
        column.addWidget(self.fitted)
        column.addWidget(self._form())
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        column.addWidget(self.refusal)
        column.addStretch(1)
        self.form.setVisible(False)

    def _form(self) -> QWidget:
        self.form = QWidget()
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 6, 0, 0)
        grid.setVerticalSpacing(4)
        self.which = QComboBox()
        self.which.setAccessibleName("Lettering")
        self.which.activated.connect(self._take_lettering)
        grid.addWidget(self.which, 0, 0, 1, 2)
        label = QLabel("Words")
        label.setObjectName("small")
        grid.addWidget(label, 1, 0, Qt.AlignmentFlag.AlignTop)
        self.words = QPlainTextEdit()
        self.words.setFixedHeight(54)
        self.words.setTabChangesFocus(True)
        self.words.setAccessibleName("Words of this row")
        grid.addWidget(self.words, 1, 1)
        self.lengths: dict[str, QLineEdit] = {}
        for row, (words, _, name) in enumerate(LENGTHS, start=2):
            label = QLabel(words)
            label.setObjectName("small")
            field = QLineEdit()
            field.setAccessibleName(f"{words} of this row")
            field.returnPressed.connect(self.keep)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
            self.lengths[name] = field
        self.right = QPushButton("Keep for this row")
        self.right.setObjectName("link")
        self.right.setAutoDefault(False)
        self.right.clicked.connect(self.keep)
        grid.addWidget(self.right, 6, 1)
        self.back = QPushButton("As the list has it")
        self.back.setObjectName("link")
        self.back.setAutoDefault(False)
        self.back.clicked.connect(self._as_listed)
        grid.addWidget(self.back, 7, 1)
        return self.form

    def wait_for(self, number: int, name: str) -> None:
        """Another row is chosen; nothing of it is known yet. What was typed for the one before is kept."""
        refused = ""
        if number != self.number:
            if not self.keep():
                refused = f"{self.name.text()}: {self.refusal.text()}"
            self._show_none("Looking…")
        self.number = number
        self.name.setText(name)
        self.refusal.setText(refused)

    def leave(self) -> None:
        """No row is chosen any more; what was typed for the last one is kept."""
        self.keep()
        self._show_none(NOTHING)
        self.number = 0
        self.name.setText("")
        self.refusal.setText("")

    def _show_none(self, words: str) -> None:
        self._letterings, self._fields, self._pixmap = (), {}, None
        self.picture.setText(words)
        self.form.setVisible(False)
        self.told.setText("")
        self.fitted.setText("")

    def show_row(
        self,
        outcome: Outcome,
        letterings: tuple[tuple[int, Any, Any], ...],
        fields: dict[str, str],
        pixels: Any,
    ) -> None:
        """What came of it. ``fields``: what is put right in it so far."""
        typed = self._typed()  # since it was shown last: nobody's words go while they are typed
        self._letterings, self._fields = letterings, fields
        self.told.setText("\n".join(filter(None, (outcome.refused, *outcome.warnings))))
        self.told.setObjectName("refusal" if outcome.refused else "warning")
        self.told.setStyleSheet("")  # by its new name
        self.fitted.setText("\n".join(outcome.fitted))
        self._pixmap = None if pixels is None else pixmap_of(pixels)
        if self._pixmap is None:
            self.picture.setText("It cannot be made.")
        self._show_picture()
        chosen = self.which.currentIndex()
        self.which.clear()
        self.which.addItems([f"Lettering {index + 1}" for index, _, _ in letterings])
        self.which.setCurrentIndex(max(min(chosen, len(letterings) - 1), 0))
        self.which.setVisible(len(letterings) > 1)
        self.form.setVisible(bool(letterings) or bool(fields))
        self.back.setVisible(bool(fields))
        self._show_fields()
        if self._shown == chosen:
            self._type(typed)

    def _take_lettering(self, chosen: int) -> None:
        """Another lettering of the row: what was typed for the one before is kept first."""
        if not self.keep():
            self.which.setCurrentIndex(self._shown)
            return
        self.which.setCurrentIndex(chosen)
        self._show_fields()

    def _show_fields(self) -> None:
        self._shown = self.which.currentIndex()
        if self._letterings:
            self._type(self._listed())

    def _listed(self) -> dict[str, str]:
        """What the fields show of the lettering that is chosen, as the job of the row has it."""
        _, content, lay = self._letterings[self._shown]
        parts = {"content": content, "lay": lay}
        lengths = {name: format_length(getattr(parts[part], name)) for _, part, name in LENGTHS}
        return {WORDS: content.text, **lengths}

    def _typed(self) -> dict[str, str]:
        """What is in the fields that the job of the row does not have."""
        if not self._letterings:
            return {}
        there = {WORDS: self.words.toPlainText(), **{name: at.text() for name, at in self.lengths.items()}}
        listed = self._listed()
        return {name: text for name, text in there.items() if text != listed[name]}

    def _type(self, texts: dict[str, str]) -> None:
        for name, text in texts.items():
            if name == WORDS:
                self.words.setPlainText(text)
            else:
                self.lengths[name].setText(text)

    def keep(self) -> bool:
        """Keep what was changed for this row; False where it is refused, which is told."""
        typed = self._typed()
        if not typed:
            return True
        index, fields = self._letterings[self._shown][0], dict(self._fields)
        if WORDS in typed:
            fields[f"letterings.{index + 1}.content.text"] = json.dumps(typed[WORDS], ensure_ascii=False)
        for words, part, name in LENGTHS:
            if name not in typed:
                continue
            try:
                value = parse_length(typed[name])
            except KilnError as error:
                self.refusal.setText(f"{words}: {error}")
                return False
            fields[f"letterings.{index + 1}.{part}.{name}"] = f"{value:g}"
        self.refusal.setText("")
        if fields != self._fields:
            self.put.emit(self.number, tuple(fields.items()))
        if self.refusal.text():  # by who keeps it
            return False
        self._fields = fields
        return True

    def _as_listed(self) -> None:
        self._fields = {}
        self._show_fields()
        self.put.emit(self.number, ())

    def _show_picture(self) -> None:
        if self._pixmap is not None:
            self.picture.setPixmap(fitting(self._pixmap, self.picture.size(), self.devicePixelRatioF()))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._show_picture()
