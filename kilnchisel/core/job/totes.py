"""How large tote bags are, mm: common practice."""

from __future__ import annotations

from dataclasses import dataclass

from kilnchisel.core.job.tape import Taped

TOTE = "tote bag"


@dataclass(frozen=True)
class ToteMeasures(Taped):
    """``wide``, ``high``: laid flat; ``handle``: as long as it is seen, from edge to edge; ``apart``:
    between the middles of its ends; ``tape``: how wide it is; ``sewn``: how far its ends go down."""

    wide: float
    high: float
    handle: float
    apart: float
    tape: float = 30.0
    sewn: float = 34.0

    @property
    def peg(self) -> float:
        """How far above the edge the peg is that it hangs from, at first."""
        return (self.handle - 1.5708 * self.apart) / 2 + self.apart / 2 - 24.0


TOTE_SIZES = {
    "small": ToteMeasures(280, 320, 420, 120),
    "medium": ToteMeasures(380, 420, 600, 150),
    "large": ToteMeasures(480, 440, 660, 180),
}
TOTE_SHOWN = ("hanging", "laid flat")
