"""Files that a job holds by their content: artwork and pictures, under their SHA-256 digest.

They are kept in memory and in the cache folder; a job file packs those it uses.
"""

from __future__ import annotations

import contextlib
import hashlib
import re
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.paths import cache_folder
from kilnchisel.core.writing import write_whole

LARGEST = 512 * 2**20
DIGEST = re.compile(r"^[0-9a-f]{64}$")
_held: dict[str, bytes] = {}
_only_here: set[str] = set()  # what the cache folder could not take


def keep_asset(data: bytes, name: str = "the file") -> str:
    """Take a file's bytes in; returns their digest. Raises KilnError when there are too many."""
    if len(data) > LARGEST:
        raise KilnError(
            f"{name} is {len(data) / 2**20:.0f} MB; at most {LARGEST // 2**20} MB can be taken in."
        )
    digest = hashlib.sha256(data).hexdigest()
    if digest not in _held:
        _held[digest] = data
        # where it cannot be kept it is in memory, and in the job file once that is saved
        try:
            path = cache_folder() / "assets" / digest
            path.parent.mkdir(exist_ok=True)
            if not path.exists():
                write_whole(path, data)
        except (OSError, KilnError):
            _only_here.add(digest)
    return digest


def keep_referred(digest: str, path: Path, beside: Path | None = None) -> None:
    """Take in a file that a job refers to, from where it lay or, of the same name, from a folder. Raises
    KilnError where neither is that file."""
    for place in (path, *(() if beside is None else (beside / path.name,))):
        with contextlib.suppress(KilnError):
            data = gate.bytes_of(place, LARGEST, "photo")
            if hashlib.sha256(data).hexdigest() == digest:
                keep_asset(data, place.name)
                return
    raise KilnError(
        f"{path.name} is not at {path.parent} any more, or not the same; put it there, or choose it anew."
    )


def only_here() -> dict[str, bytes]:
    """What another process does not find in the cache folder, by digest."""
    return {digest: _held[digest] for digest in _only_here}


def forget(digest: str) -> None:
    """Drop a kept file, here and in the cache folder."""
    _held.pop(digest, None)
    _only_here.discard(digest)
    if DIGEST.match(digest):
        with contextlib.suppress(OSError):
            (cache_folder() / "assets" / digest).unlink(missing_ok=True)


def asset(digest: str, name: str = "The artwork") -> bytes:
    """The bytes of a kept file. Raises KilnError when they are lost."""
    if digest in _held:
        return _held[digest]
    if DIGEST.match(digest):
        with contextlib.suppress(OSError):
            data = (cache_folder() / "assets" / digest).read_bytes()
            if hashlib.sha256(data).hexdigest() == digest:
                _held[digest] = data
                return data
    raise KilnError(f"{name or 'The artwork'} is not in this job any more; put the file in again.")
