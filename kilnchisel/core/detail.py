"""How much detail something is worked out with: one name for it on every floor."""

from __future__ import annotations

from enum import Enum


class Detail(Enum):
    """FINE: as it is made, measured and seen at rest. ROUGH: as far as it can be seen while something
    moves, or matters where light is gathered."""

    FINE = "fine"
    ROUGH = "rough"

    __hash__ = object.__hash__  # there is one of each: by place, not by name at every look-up

    @property
    def fine(self) -> bool:
        return self is Detail.FINE

    @property
    def rough(self) -> bool:
        return self is Detail.ROUGH
