"""How large a picture may be drawn while something moves, so that it comes in time."""

from __future__ import annotations

LEAST, MOST = 0.25, 1.0  # of the full size along each side
STEP = 0.05  # of few sizes the card keeps what it draws on
GREATEST_STEP = 1.25


class FrameBudget:
    """The size at which pictures take as long as they may, found from how long the last ones took."""

    def __init__(self, wanted_s: float, first: float) -> None:
        """``wanted_s``: how long a picture may take; ``first``: the size to begin with, of the full one."""
        self.wanted_s = wanted_s
        self._scale = first

    @property
    def scale(self) -> float:
        """How large the next picture may be, of the full size."""
        return round(self._scale / STEP) * STEP

    def took(self, scale: float, seconds: float) -> None:
        """A picture at ``scale`` took so long. Its time goes with its pixels, but for a part that does not,
        so that steps are held small."""
        step = (self.wanted_s / max(seconds, 1e-4)) ** 0.5
        step = min(max(step, 1 / GREATEST_STEP), GREATEST_STEP)
        near = self._scale if abs(scale - self.scale) < STEP / 2 else scale
        self._scale = min(max(near * step, LEAST), MOST)
