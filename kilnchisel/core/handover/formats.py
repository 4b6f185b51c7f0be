"""Which format a file is wanted in: its ending says so."""

from __future__ import annotations

from pathlib import Path
from typing import TypeVar

from kilnchisel.core.errors import KilnError

T = TypeVar("T")


def format_of(path: Path, formats: dict[str, T]) -> T:
    """What writes the file, by its ending. Raises KilnError naming the endings there are."""
    made = formats.get(path.suffix.lower())
    if made is None:
        *others, last = formats
        named = f"{', '.join(others)} or {last}" if others else last
        raise KilnError(f"“{path.name}” should end in {named} to say which format is wanted.")
    return made
