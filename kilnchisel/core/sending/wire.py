"""Over a pipe: pickles with their length, and beside them their arrays as they lie in memory."""

from __future__ import annotations

import os
import pickle
import select
import struct
import time
from typing import Any

HEAD = struct.Struct("<QI")  # bytes of the pickle, and how many arrays follow it
PIECE = 1 << 20


class Late(Exception):
    """Nothing came in time."""


def way_back() -> int:
    """In a process that answers on what it prints to: that pipe, kept for answers from now on."""
    answers = os.dup(1)
    nowhere = os.open(os.devnull, os.O_RDWR)
    os.dup2(nowhere, 1)  # what libraries print is not an answer
    os.close(nowhere)
    return answers


def sent(handle: int, value: Any) -> None:
    """A value to a pipe, for ``taken`` on the other side. Raises OSError where nobody reads it any more."""
    buffers: list[pickle.PickleBuffer] = []
    body = pickle.dumps(value, protocol=5, buffer_callback=buffers.append)
    views = [buffer.raw() for buffer in buffers]
    sizes = struct.pack(f"<{len(views)}Q", *(view.nbytes for view in views))
    head = memoryview(HEAD.pack(len(body), len(views)) + sizes + body)
    for left in (head, *views):
        while left:
            left = left[os.write(handle, left[:PIECE]) :]


def taken(handle: int, deadline: float | None = None) -> Any:
    """The next value from a pipe. Raises EOFError at its end, Late past the deadline (monotonic)."""
    size, count = HEAD.unpack(_exactly(handle, HEAD.size, deadline))
    sizes = struct.unpack(f"<{count}Q", _exactly(handle, 8 * count, deadline))
    body = _exactly(handle, size, deadline)
    return pickle.loads(body, buffers=[_exactly(handle, size, deadline) for size in sizes])


def _exactly(handle: int, size: int, deadline: float | None) -> bytearray:
    """So many bytes, in memory of their own."""
    room = bytearray(size)
    left = memoryview(room)
    while left:
        if deadline is not None:
            wait = deadline - time.monotonic()
            if wait <= 0 or not select.select([handle], [], [], wait)[0]:
                raise Late
        count = os.readv(handle, [left[:PIECE]])
        if count == 0:
            raise EOFError
        left = left[count:]
    return room
