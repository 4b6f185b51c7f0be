"""Where the application keeps things on this machine."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
from pathlib import Path

from kilnchisel.core.errors import KilnError

RESOURCES = Path(__file__).resolve().parent.parent / "resources"
_elsewhere: dict[str, Path] = {}  # what for, and the places that could not be used


def cache_folder() -> Path:
    """Things that can be made again: probe answers, unpacked fonts, previews."""
    return _folder("XDG_CACHE_HOME", ".cache")


def state_folder() -> Path:
    """Things worth keeping between starts: autosaves, recent jobs, window state."""
    return _folder("XDG_STATE_HOME", ".local/state")


def kept_elsewhere() -> str:
    """A sentence where what is worth keeping cannot be kept in its place; empty else."""
    folder = state_folder()
    if "state" not in _elsewhere:
        return ""
    place = _elsewhere["state"]
    return f"{place} cannot be written to; recent jobs and kept copies are in {folder} for now."


def _folder(variable: str, fallback: str) -> Path:
    base = os.environ.get(variable)
    root = Path(base) if base else Path.home() / fallback
    if (folder := _made(root)) is not None:
        return folder
    other = _of_this_person() / Path(fallback).name
    if (folder := _made(other)) is None:
        raise KilnError(f"Neither {root} nor {other.parent} can be written to; make room in one of them.")
    _elsewhere[Path(fallback).name] = root
    os.environ[variable] = str(other)  # what is started from here finds it too
    return folder


def _made(root: Path) -> Path | None:
    folder = root / "kilnchisel"
    with contextlib.suppress(OSError):
        # asked for at every edit: to make it would wait for whoever writes there, to look does not
        if not folder.is_dir():
            folder.mkdir(parents=True, exist_ok=True)
        return folder if os.access(folder, os.W_OK) else None
    return None


def _of_this_person() -> Path:
    """A folder among the temporary ones that nobody else may look into."""
    folder = Path(tempfile.gettempdir()) / f"kilnchisel-{os.getuid()}"
    with contextlib.suppress(OSError):
        folder.mkdir(mode=0o700, exist_ok=True)
        state = folder.lstat()
        if not stat.S_ISDIR(state.st_mode) or state.st_uid != os.getuid() or state.st_mode & 0o077:
            return Path(tempfile.mkdtemp(prefix="kilnchisel-"))
    return folder
