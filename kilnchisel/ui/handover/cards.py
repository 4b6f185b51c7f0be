"""A card for a kind of hand-over: a small picture of this job as it, a box to tick, what it gives or why
not."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPixmap
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from kilnchisel.core.handover.table import Kind

PICTURE = QSize(92, 66)


class Card(QFrame):
    """A click anywhere on it ticks it."""

    ticked = pyqtSignal()

    def __init__(self, kind: Kind, missing: str) -> None:
        super().__init__()
        self.kind = kind
        self.setObjectName("kind")
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 8, 10, 8)
        row.setSpacing(10)
        self.picture = QLabel()
        self.picture.setFixedSize(PICTURE)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row.addWidget(self.picture)
        column = QVBoxLayout()
        column.setSpacing(2)
        self.box = QCheckBox(kind.title)
        self.box.setAccessibleName(kind.title)
        self.box.setEnabled(not missing)
        self.box.toggled.connect(self._changed)
        self.words = QLabel(f"{missing[0].upper()}{missing[1:]}." if missing else kind.formats)
        self.words.setObjectName("small")
        self.words.setWordWrap(True)
        column.addWidget(self.box)
        column.addWidget(self.words)
        column.addStretch(1)
        row.addLayout(column, 1)
        self.setEnabled(not missing)

    def show_picture(self, pixmap: QPixmap) -> None:
        """The small picture; of what cannot be given, pale."""
        self.picture.setPixmap(pixmap)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and self.box.isEnabled():
            self.box.setFocus()
            self.box.toggle()

    def _changed(self) -> None:
        self.setProperty("chosen", self.box.isChecked())
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)
        self.ticked.emit()


def heading(text: str) -> QWidget:
    """The heading of a group of cards."""
    label = QLabel(text)
    label.setObjectName("title")
    return label
