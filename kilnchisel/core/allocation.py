"""How the C library keeps memory that is not used any more: as little as costs no time.

Many threads with many large arrays of all sizes leave holes in its heaps, which it keeps: hundreds of MB
after some minutes. Large arrays are therefore taken from the system and given back to it one by one, and
what is left over is given back now and then. Elsewhere than on Linux nothing is done.
"""

from __future__ import annotations

import contextlib
import ctypes
import time

FEW_HEAPS, BY_ITSELF_FROM = (-8, 2), (-3, 1 << 20)  # M_ARENA_MAX, M_MMAP_THRESHOLD of mallopt(3)
SELDOM_S = 15.0
_last = [0.0]


def settle_allocator() -> None:
    """To be called once, before there are threads."""
    with contextlib.suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        for option, value in (FEW_HEAPS, BY_ITSELF_FROM):
            library.mallopt(option, value)


def give_back() -> None:
    """Give what is not used back to the system, unless that was done a moment ago."""
    now = time.monotonic()
    if now - _last[0] < SELDOM_S:
        return
    _last[0] = now
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
