"""What goes over the pipe between the program and the process that reads: pickles with their length."""

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
