"""Arrays that stay in their files, to be read only: they are there at once, what is not looked at costs
nothing, and all processes share them."""

from __future__ import annotations

import mmap
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True)
class Place:
    """Where an array is: in which file, of which kind, from which byte on, and its shape."""

    path: str
    kind: str
    first: int
    shape: tuple[int, ...]

    def array(self) -> Array:
        """It. Raises OSError or ValueError where the file is not as it was."""
        with Path(self.path).open("rb") as file:
            return array_in(file, np.dtype(self.kind), self.first, self.shape)


def array_in(file: BinaryIO, kind: Any, first: int, shape: tuple[int, ...]) -> Array:
    """The array that lies in an open file so. Raises ValueError where that ends before it. The file may be
    replaced, but must not be changed."""
    return np.asarray(np.memmap(file, kind, "r", first, shape))


def place_of(array: Array) -> Place | None:
    """Where an array is that is all of one that lies in a file, which is still there; None for others."""
    whole = _whole(array)
    if whole is None or whole.filename is None or not Path(whole.filename).exists():
        return None
    alike = whole.shape == array.shape and whole.dtype == array.dtype and whole.strides == array.strides
    if not alike or whole.ctypes.data != array.ctypes.data:
        return None
    return Place(str(whole.filename), array.dtype.str, whole.offset, array.shape)


def let_go(array: Array | None) -> None:
    """What has been read of an array that lies in a file need not be held: it is read again when it is
    looked at. Nothing for others."""
    whole = None if array is None else _whole(array)
    if whole is not None and isinstance(whole.base, mmap.mmap) and hasattr(mmap, "MADV_DONTNEED"):
        whole.base.madvise(mmap.MADV_DONTNEED)


def _whole(array: Array) -> Any:
    """All of the array in a file that one is of."""
    one: Any = array
    while isinstance(one, np.ndarray):
        if isinstance(one, np.memmap) and isinstance(one.base, mmap.mmap):
            return one
        one = one.base
    return None
