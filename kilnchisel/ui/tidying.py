"""Looking for what nothing refers to any more: in the window's own thread, a little at a time.

Left to itself Python looks whenever some thread has made many objects, in that thread and through all
there are. Every thread stands still meanwhile, up to 0.3 s, and widgets would end in threads that are not
theirs. Here young objects are looked through often, all others seldom, and those that were still in use
then are left alone for good.
"""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, QTimer

TICK_MS = 150
YOUNG = 3_000  # new objects before the youngest are looked through
MIDDLING = 3  # such rounds before those that outlived one are
SELDOM_S = 20.0  # between two times through all that is not left alone


class Tidying(QObject):
    """While one lives, Python does not look by itself."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # what was made for the start stays
        self._last = time.monotonic()
        self._clock = QTimer(self)
        self._clock.timeout.connect(self.tick)
        self._clock.start(TICK_MS)

    def tick(self) -> None:
        """Look as far as it is time for."""
        young, middling, _ = gc.get_count()
        if middling >= MIDDLING:
            gc.collect(1)
        elif young >= YOUNG:
            gc.collect(0)

    def rest(self) -> None:
        """The person is not doing anything: look through all, unless that was done a moment ago."""
        if time.monotonic() - self._last < SELDOM_S:
            return
        gc.collect()
        gc.freeze()
        self._last = time.monotonic()

    def stop(self) -> None:
        """Leave it to Python again."""
        self._clock.stop()
        gc.unfreeze()
        gc.enable()
