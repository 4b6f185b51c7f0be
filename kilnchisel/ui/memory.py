"""What the application remembers between starts: recent jobs, the window's place, choices."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.paths import state_folder
from kilnchisel.core.writing import write_whole

MOST_RECENT = 8


def _file() -> Path:
    return state_folder() / "memory.json"


def recall(key: str, fallback: Any = None) -> Any:
    """A remembered value, or ``fallback``."""
    return _all().get(key, fallback)


def remember(key: str, value: Any) -> None:
    """Keep a JSON value. Failing to (a full disk) is not worth stopping anyone's work."""
    values = _all()
    values[key] = value
    with contextlib.suppress(KilnError):
        write_whole(_file(), json.dumps(values, indent=1).encode())


def _all() -> dict[str, Any]:
    try:
        values = json.loads(_file().read_text())
    except (OSError, ValueError):
        return {}
    return values if isinstance(values, dict) else {}


def recent_jobs() -> list[Path]:
    """Jobs opened or saved lately that are still there, newest first."""
    return [Path(p) for p in recall("recent", []) if isinstance(p, str) and Path(p).is_file()]


def add_recent(path: Path) -> None:
    """Put a job at the head of the recent ones."""
    kept = [str(p) for p in recent_jobs() if p != path.resolve()]
    remember("recent", [str(path.resolve()), *kept][:MOST_RECENT])
