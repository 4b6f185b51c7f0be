"""Over a pipe: pickles with their length; large arrays beside them as they lie, where both sides say so."""

from __future__ import annotations

import os
import pickle
import select
import struct
import time
from typing import Any

HEAD = struct.Struct("<Q")


class Late(Exception):
    """Nothing came in time."""


def way_back() -> int:
    """In a process that answers on what it prints to: that pipe, kept for answers from now on."""
    answers = os.dup(1)
    nowhere = os.open(os.devnull, os.O_RDWR)
    os.dup2(nowhere, 1)  # what libraries print is not an answer
    os.close(nowhere)
    return answers


def packed(value: Any) -> bytes:
    """A value as it is sent."""
    body = pickle.dumps(value, protocol=5)
    return HEAD.pack(len(body)) + body


def written(handle: int, view: bytes | memoryview) -> None:
    """All of it to a pipe. Raises OSError where nobody reads it any more."""
    view = memoryview(view)
    while view:
        view = view[os.write(handle, view[: 1 << 20]) :]


def received(handle: int, deadline: float | None = None) -> Any:
    """The next value from a pipe. Raises EOFError at its end, Late past the deadline (monotonic)."""
    (size,) = HEAD.unpack(_exactly(handle, HEAD.size, deadline))
    return pickle.loads(_exactly(handle, size, deadline))


def _exactly(handle: int, size: int, deadline: float | None) -> bytes:
    parts, left = [], size
    while left:
        if deadline is not None:
            wait = deadline - time.monotonic()
            if wait <= 0 or not select.select([handle], [], [], wait)[0]:
                raise Late
        part = os.read(handle, min(left, 1 << 20))
        if not part:
            raise EOFError
        parts.append(part)
        left -= len(part)
    return b"".join(parts)


SIZES = struct.Struct("<QI")


def sent(handle: int, value: Any) -> None:
    """A value to a pipe, its arrays as they lie in memory: for ``taken`` on the other side."""
    buffers: list[pickle.PickleBuffer] = []
    body = pickle.dumps(value, protocol=5, buffer_callback=buffers.append)
    views = [buffer.raw() for buffer in buffers]
    sizes = struct.pack(f"<{len(views)}Q", *(view.nbytes for view in views))
    written(handle, SIZES.pack(len(body), len(views)) + sizes + body)
    for view in views:
        written(handle, view)


def taken(handle: int) -> Any:
    """The next value from a pipe that was ``sent``. Raises EOFError at its end."""
    size, count = SIZES.unpack(_exactly(handle, SIZES.size, None))
    sizes = struct.unpack(f"<{count}Q", _exactly(handle, 8 * count, None))
    body = _exactly(handle, size, None)
    return pickle.loads(body, buffers=[as_it_lies(handle, size) for size in sizes])


def as_it_lies(handle: int, size: int) -> bytearray:
    """So many bytes from a pipe, in memory of their own. Raises EOFError at its end."""
    room = bytearray(size)
    view = memoryview(room)
    while view:
        count = os.readv(handle, [view[: 1 << 20]])
        if count == 0:
            raise EOFError
        view = view[count:]
    return room
