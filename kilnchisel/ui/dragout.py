"""A picture that is dragged out of the window."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtWidgets import QApplication, QPushButton


class DragHandle(QPushButton):
    """What is dragged from."""

    drag_wanted = pyqtSignal()

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self._pressed: QPoint | None = None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self._pressed = None if event is None else event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or self._pressed is None:
            return
        way = event.position().toPoint() - self._pressed
        if way.manhattanLength() >= QApplication.startDragDistance():
            self._pressed = None
            self.setDown(False)
            self.drag_wanted.emit()


def carried(picture: QImage, name: str) -> QMimeData:
    """What a picture is dragged as: its pixels, and a PNG named after the job; where
    no file can be written, the pixels alone go."""
    carried_ = QMimeData()
    plain = picture.convertToFormat(QImage.Format.Format_RGB32)
    carried_.setImageData(plain)
    folder = Path(tempfile.mkdtemp(prefix="kilnchisel-"))
    path = folder / f"{re.sub(r'[^A-Za-z0-9 _-]+', '-', name).strip() or 'picture'}.png"
    if plain.save(str(path)):
        carried_.setUrls([QUrl.fromLocalFile(str(path))])
    return carried_
