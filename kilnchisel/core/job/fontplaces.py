"""Where on this machine opened fonts lie: jobs name a font by what it is, not by where it was."""

from __future__ import annotations

import contextlib
import hashlib
import json
import stat
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.paths import state_folder
from kilnchisel.core.writing import write_whole

MOST = 2000
LARGEST_FONT = 64 * 2**20
OUTLINE_FONT_ENDINGS = (".ttf", ".otf", ".ttc", ".otc", ".woff", ".woff2")
FONT_ENDINGS = (*OUTLINE_FONT_ENDINGS, ".svg")  # the last holds open paths


def remember_place(sha256: str, path: Path) -> None:
    """The font of this content lies here. Failing to keep that is not worth stopping anyone's work."""
    places = _places()
    if places.get(sha256) == str(path):
        return
    places.pop(sha256, None)
    places[sha256] = str(path)
    kept = dict(list(places.items())[-MOST:])
    with contextlib.suppress(KilnError):
        write_whole(_file(), json.dumps(kept).encode())


def place_of(sha256: str, said: str = "") -> Path | None:
    """Where a font of this content lies: where it was last opened, or where the job says, if it is that
    font. Nothing else is read for a job's sake."""
    for place in (_places().get(sha256), said):
        if place and _is(Path(place), sha256):
            return Path(place)
    return None


def _is(path: Path, sha256: str) -> bool:
    if not path.is_absolute() or path.suffix.lower() not in FONT_ENDINGS:
        return False
    try:
        state = path.stat()
        if not stat.S_ISREG(state.st_mode) or state.st_size > LARGEST_FONT:
            return False
        return hashlib.sha256(path.read_bytes()).hexdigest() == sha256
    except (OSError, ValueError):
        return False


def _file() -> Path:
    return state_folder() / "font-places.json"


def _places() -> dict[str, str]:
    try:
        values = json.loads(_file().read_text())
    except (OSError, ValueError):
        return {}
    return {k: v for k, v in values.items() if isinstance(v, str)} if isinstance(values, dict) else {}
