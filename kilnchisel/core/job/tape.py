"""Tape that is sewn to an edge with both ends: handles and straps."""

from __future__ import annotations


class Taped:
    """``handle``: how long the tape is seen; ``apart``: between the middles of its ends; ``tape``: how wide
    it is; mm."""

    handle: float
    apart: float
    tape: float

    @property
    def turn(self) -> float:
        """How far above the edge it turns that is laid flat with two folds."""
        return (self.handle - self.apart) / 2
