"""How stock lies to the piece that is cut from it: what a program says of that in its comments, and what
is read from them again."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

NUMBER = r"(-?[\d.]+)"
SIDE = re.compile(
    rf"SIDE (.+) TOP {NUMBER}(?: MARGIN {NUMBER})? mm(?: INLAYS {NUMBER} deg)?", re.IGNORECASE
)
ROTARY = re.compile(
    rf"ROTARY A DIAMETER {NUMBER} FROM {NUMBER} mm(?: INSIDE TILT {NUMBER} deg)?", re.IGNORECASE
)
TURNED = re.compile(rf"TURNED {NUMBER} {NUMBER} mm", re.IGNORECASE)


@dataclass(frozen=True)
class Turning:
    """A piece that turns about A. ``radius_mm``: at which its sheet is true round; ``left_mm``: the u of
    that at A 0; ``tilt_deg``: how far the cutter leans from a radius towards the open end, of a side that
    is read from inside; 0: it is cut from outside. ``profile``: what it is turned to before, places along
    the axis and how high it is there, mm from its top; none where it is as high all along."""

    radius_mm: float
    left_mm: float
    tilt_deg: float = 0.0
    profile: tuple[tuple[float, float], ...] = ()

    @property
    def inside(self) -> bool:
        return self.tilt_deg > 0


@dataclass(frozen=True)
class Setup:
    """``side``: the one that is cut; ``top_mm``: how far the stock's top is above it; ``margin_mm``: how
    far the stock goes beyond its sheet, all round; ``inlay_deg``: of the V cutter that makes pockets of
    inlays, from flank to flank, 0 where they are upright."""

    side: str = ""
    top_mm: float = 0.0
    margin_mm: float = 0.0
    inlay_deg: float = 0.0
    turning: Turning | None = None

    def comments(self) -> list[str]:
        """What a program says of it."""
        margin = f" MARGIN {self.margin_mm:.3f}" if self.margin_mm else ""
        inlays = f" INLAYS {self.inlay_deg:g} deg" if self.inlay_deg else ""
        told = [f"SIDE {self.side} TOP {self.top_mm:.3f}{margin} mm{inlays}"]
        if (turn := self.turning) is not None:
            tilt = f" INSIDE TILT {turn.tilt_deg:g} deg" if turn.inside else ""
            told.append(f"ROTARY A DIAMETER {2 * turn.radius_mm:.4f} FROM {turn.left_mm:.4f} mm{tilt}")
            told += [f"TURNED {x:.3f} {z:.3f} mm" for x, z in turn.profile]
        return told


def setup_told(comment: str, known: Setup | None) -> Setup | None:
    """What is known of the setup once a comment is read; as it was where that says nothing of it. Raises
    ValueError for a number that is none."""
    if found := SIDE.fullmatch(comment):
        top, margin, inlay = (float(value or 0) for value in found.groups()[1:])
        return replace(known or Setup(), side=found[1], top_mm=top, margin_mm=margin, inlay_deg=inlay)
    if found := ROTARY.fullmatch(comment):
        across, left, tilt = (float(value or 0) for value in found.groups())
        return replace(known or Setup(), turning=Turning(across / 2, left, tilt))
    if (found := TURNED.fullmatch(comment)) and known is not None and known.turning is not None:
        spot = float(found[1]), float(found[2])
        turning = replace(known.turning, profile=(*known.turning.profile, spot))
        return replace(known, turning=turning)
    return known
