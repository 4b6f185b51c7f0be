"""Where the application keeps things on this machine."""

from __future__ import annotations

import os
from pathlib import Path

RESOURCES = Path(__file__).resolve().parent.parent / "resources"


def cache_folder() -> Path:
    """Things that can be made again: probe answers, unpacked fonts, previews."""
    return _folder("XDG_CACHE_HOME", ".cache")


def state_folder() -> Path:
    """Things worth keeping between starts: autosaves, recent jobs, window state."""
    return _folder("XDG_STATE_HOME", ".local/state")


def _folder(variable: str, fallback: str) -> Path:
    base = os.environ.get(variable)
    root = Path(base) if base else Path.home() / fallback
    folder = root / "kilnchisel"
    folder.mkdir(parents=True, exist_ok=True)
    return folder
