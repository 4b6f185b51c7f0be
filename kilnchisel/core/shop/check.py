"""A verdict, and the change that would mend what it finds."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial
from typing import Literal

from kilnchisel.core.job.edits import Fix, change

Level = Literal["good", "warning", "failure"]


@dataclass(frozen=True)
class Check:
    """A verdict in a sentence. ``amount_mm``: by how much, where that can be said. ``decides``: the part of
    the lettering whose values it hangs on ("lay"), where no one change would mend it."""

    key: str
    level: Level
    says: str
    source: str = ""
    amount_mm: float | None = None
    fix: Fix | None = None
    decides: str = ""


def set_to(index: int, label: str, path: tuple[str | int, ...], value: object) -> Fix:
    """The fix that gives a field of a lettering another value."""
    return Fix(label, partial(change, path=("letterings", index, *path), value=value))


def rounded_down(value: float) -> float:
    """To a tenth, or below 1 to a hundredth."""
    return math.floor(value * 10) / 10 if value >= 1 else math.floor(value * 100) / 100
