"""Arrays that take long to make, kept in the cache folder from one start to the next."""

from __future__ import annotations

import contextlib
import hashlib
import math
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.infile import array_in
from kilnchisel.core.paths import cache_folder

Arrays = dict[str, NDArray[Any]]

ENDING = ".arrays"
IN_FILE_FROM = 1 << 20  # bytes


def kept_arrays(shelf: str, name: str, make: Callable[[], Arrays], most: int = 200) -> Arrays:
    """The arrays of this name, read back, or made and kept. ``shelf``: the folder they are kept in, of
    which the ``most`` that were used last stay: what takes long to make is to share none with what is made
    at every turn. Half-precision arrays come back as they are."""
    folder = cache_folder() / shelf
    path = folder / f"{name}{ENDING}"
    found = _read(path)
    if found is None:
        found = make()
        _write(path, found, most)
    return found


def read_kept(shelf: str, name: str) -> Arrays | None:
    """The arrays of this name, if they are kept."""
    return _read(cache_folder() / shelf / f"{name}{ENDING}")


def digest_of(*arrays: NDArray[Any]) -> str:
    """A name for what is made from these arrays and nothing else."""
    found = hashlib.blake2b(digest_size=12)
    for array in arrays:
        found.update(np.ascontiguousarray(array).data)
    return found.hexdigest()


def _read(path: Path) -> Arrays | None:
    try:
        # arrays one after the other: an archive would be summed up at each start
        with path.open("rb") as file:
            names = np.load(file, allow_pickle=False)
            found = {str(name): _array_in(file) for name in names}
        os.utime(path)  # used now
    except (OSError, KeyError, ValueError, EOFError):
        return None  # not there or cut short: it is made again
    return found


def _array_in(file: BinaryIO) -> NDArray[Any]:
    """The array that comes next; a large one stays in its file, which is replaced, never changed."""
    begun = file.tell()
    version = np.lib.format.read_magic(file)
    read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
    shape, columns_first, kind = read(file)
    size = math.prod(shape) * kind.itemsize
    if size < IN_FILE_FROM or columns_first or kind.hasobject:
        file.seek(begun)
        return np.asarray(np.load(file, allow_pickle=False))
    at = file.tell()
    found = array_in(file, kind, at, shape)
    file.seek(at + size)
    return found


def _write(path: Path, arrays: Arrays, most: int) -> None:
    part = path.with_suffix(f".{os.getpid()}.tmp")
    with contextlib.suppress(OSError):  # a full disk costs time at the next start, nothing else
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            with part.open("wb") as file:
                for array in (np.array(list(arrays)), *arrays.values()):
                    np.save(file, array, allow_pickle=False)
            part.replace(path)
        finally:
            part.unlink(missing_ok=True)
        for old in path.parent.glob("*.npz"):  # as they were kept before
            old.unlink(missing_ok=True)
        kept = sorted(path.parent.glob(f"*{ENDING}"), key=lambda one: one.stat().st_mtime)
        for old in kept[:-most]:
            old.unlink(missing_ok=True)
