"""A picture that is dragged out of the window."""

from __future__ import annotations

import contextlib
import re
import shutil
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtWidgets import QApplication, QPushButton

from kilnchisel.core.paths import cache_folder


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


KEPT_S = 86_400.0  # whoever it was dropped on has read it by then


def _fresh_folder() -> Path:
    """A folder for one file; those of days before are removed."""
    shelf = cache_folder() / "dragged"
    shelf.mkdir(parents=True, exist_ok=True)
    for old in shelf.iterdir():
        if time.time() - old.stat().st_mtime > KEPT_S:
            shutil.rmtree(old, ignore_errors=True)
    return Path(tempfile.mkdtemp(dir=shelf))


def carried(picture: QImage, name: str) -> QMimeData:
    """What a picture is dragged as: its pixels, and a PNG named after the job; where no file can be
    written, the pixels alone go."""
    carried_ = QMimeData()
    plain = picture.convertToFormat(QImage.Format.Format_RGB32)
    carried_.setImageData(plain)
    named = re.sub(r"[^A-Za-z0-9 _-]+", "-", name).strip() or "picture"
    with contextlib.suppress(OSError):
        path = _fresh_folder() / f"{named}.png"
        if plain.save(str(path)):
            carried_.setUrls([QUrl.fromLocalFile(str(path))])
    return carried_
