"""Files written whole or not at all."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
import time
from pathlib import Path

from kilnchisel.core.errors import KilnError

LEFT_OVER_S = 3600.0  # no write lasts so long


def write_whole(path: Path, data: bytes) -> None:
    """Write all or nothing: a temporary file of its own name beside the target, brought to the disk, then
    renamed, and the folder brought to the disk. A link is followed to its file. Raises KilnError."""
    try:
        target = path.resolve()
        if target.exists() and not stat.S_ISREG(target.stat().st_mode):
            raise KilnError(f"{path} is a folder, a device or a pipe, not a file that can be written.")
        prefix = f".{target.name[:100]}.part-"
        _sweep(target.parent, prefix)
        handle, name = tempfile.mkstemp(prefix=prefix, dir=target.parent)
        temporary = Path(name)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            temporary.chmod(stat.S_IMODE(target.stat().st_mode) if target.exists() else 0o644)
            temporary.replace(target)
        except BaseException:
            temporary.unlink(missing_ok=True)
            raise
        _sync_folder(target.parent)
    except (OSError, RuntimeError) as error:
        reason = getattr(error, "strerror", None) or "its links lead nowhere"
        raise KilnError(f"{path} could not be written: {reason}.") from None
    except ValueError:
        raise KilnError("A file name cannot hold such characters.") from None


def _sweep(folder: Path, prefix: str) -> None:
    """Drop what a write of the same file left when it was ended in the middle, long ago."""
    with contextlib.suppress(OSError), os.scandir(folder) as entries:
        old = time.time() - LEFT_OVER_S
        for entry in entries:
            if entry.name.startswith(prefix) and entry.stat(follow_symlinks=False).st_mtime < old:
                Path(entry.path).unlink(missing_ok=True)


def _sync_folder(folder: Path) -> None:
    """Bring a rename to the disk, where the system lets it."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def make_folder(path: Path) -> None:
    """Make a folder, and those it lies in, where they are not there. Raises KilnError."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise KilnError(f"The folder {path} cannot be made: {error.strerror or error}.") from None
