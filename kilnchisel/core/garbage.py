"""Looking for what nothing refers to any more: in one thread, a little at a time.

Left to itself Python looks whenever some thread has made many objects, in that thread and through all
there are. Every thread stands still meanwhile, up to 0.3 s, and things would end in threads that are not
theirs. Here young objects are looked through often, all others seldom, and those that were still in use
then are left alone for good.
"""

from __future__ import annotations

import gc
import time

YOUNG = 3_000  # new objects before the youngest are looked through
MIDDLING = 3  # such rounds before those that outlived one are
SELDOM_S = 20.0  # between two times through all that is not left alone


class Garbage:
    """While one is used, Python does not look by itself."""

    def __init__(self) -> None:
        gc.disable()
        gc.freeze()  # what was made for the start stays
        self._last = time.monotonic()

    def tick(self) -> None:
        """Look as far as it is time for."""
        young, middling, _ = gc.get_count()
        if middling >= MIDDLING:
            gc.collect(1)
        elif young >= YOUNG:
            gc.collect(0)

    def rest(self) -> None:
        """Nobody is waiting: look through all, unless that was done a moment ago."""
        if time.monotonic() - self._last < SELDOM_S:
            return
        gc.collect()
        gc.freeze()
        self._last = time.monotonic()

    def stop(self) -> None:
        """Leave it to Python again."""
        gc.unfreeze()
        gc.enable()
