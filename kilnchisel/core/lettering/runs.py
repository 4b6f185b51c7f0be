"""A row of mixed scripts split into runs of one direction and one script, from left to right.

Direction by UAX #9, scripts by UAX #24: common and inherited characters take the script of the letter
before them, or of the first letter after.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from fontTools import unicodedata as scripts

from kilnchisel.core.lettering.bidi import levels, visual_order

SHARED = frozenset({"Zyyy", "Zinh", "Zzzz"})
JOINED = frozenset({"Arab", "Syrc", "Mong", "Nkoo", "Mand", "Phag", "Rohg", "Adlm"})
BASES = {"by the words": None, "left to right": 0, "right to left": 1}


@dataclass(frozen=True)
class Run:
    """Characters ``start`` to ``end`` of a row: direction and script (ISO 15924)."""

    start: int
    end: int
    level: int
    script: str

    @property
    def rightward(self) -> bool:
        return self.level % 2 == 0

    @property
    def joined(self) -> bool:
        """Letters hang together: they cannot be spaced."""
        return self.script in JOINED


@lru_cache(maxsize=1024)
def runs_of(text: str, direction: str = "by the words") -> tuple[Run, ...]:
    """The runs of a row in visual order. Characters the algorithm removes are left out."""
    if text.isascii() and direction != "right to left":
        return (Run(0, len(text), 0, "Latn"),) if text else ()
    level, _ = levels(text, BASES[direction])
    script = scripts_of(text)
    runs: list[Run] = []
    for i, here in enumerate(level):
        if here is None:
            continue
        last = runs[-1] if runs else None
        if last and last.end == i and last.level == here and last.script == script[i]:
            runs[-1] = Run(last.start, i + 1, here, script[i])
        else:
            runs.append(Run(i, i + 1, here, script[i]))
    return tuple(runs[i] for i in visual_order([run.level for run in runs]))


def scripts_of(text: str) -> list[str]:
    """The script of each character, shared ones resolved."""
    own = [scripts.script(c) for c in text]
    present = next((s for s in own if s not in SHARED), "Latn")
    for i, script in enumerate(own):
        if script in SHARED:
            own[i] = present
        else:
            present = script
    return own
