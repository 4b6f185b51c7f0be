"""Looking for what nothing refers to any more, in the window's own thread."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from kilnchisel.core.garbage import Garbage

TICK_MS = 150


class Tidying(QObject):
    """While one lives, Python does not look by itself."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.garbage = Garbage()
        self.tick, self.rest = self.garbage.tick, self.garbage.rest
        self._clock = QTimer(self)
        self._clock.timeout.connect(self.tick)
        self._clock.start(TICK_MS)

    def stop(self) -> None:
        """Leave it to Python again."""
        self._clock.stop()
        self.garbage.stop()
