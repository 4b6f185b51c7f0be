"""How fast and how deep cutters go, by what they cut: common practice for small routers, two flutes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kilnchisel.core.shop.densities import density_of
from kilnchisel.core.shop.paths.tools import Tool

AT_MM = 6.0  # the diameter that chip loads are for
FLUTES = 2
PLUNGE = 1 / 3  # of the feed
SLOWEST, FASTEST = 150.0, 6000.0  # mm a minute


@dataclass(frozen=True)
class Feeds:
    """mm a minute along and down, turns a minute, and mm of depth a pass."""

    along: float
    down: float
    turns: float
    deep_mm: float


@dataclass(frozen=True)
class _Practice:
    turns: float
    chip_mm: float  # a tooth, of a cutter of AT_MM
    deep: float  # of a cutter's diameter a pass


# from the densest that each holds for, g/cm³
FOAM, WOOD, PLASTIC, LIGHT_METAL, STONE, METAL = (
    _Practice(18_000, 0.20, 2.0),
    _Practice(18_000, 0.08, 0.8),
    _Practice(16_000, 0.07, 0.5),
    _Practice(16_000, 0.03, 0.2),
    _Practice(10_000, 0.03, 0.15),
    _Practice(9_000, 0.02, 0.1),
)
BY_DENSITY = ((0.2, FOAM), (1.0, WOOD), (2.0, PLASTIC), (2.75, LIGHT_METAL), (3.5, STONE), (99.0, METAL))
SOFT_METAL = _Practice(16_000, 0.04, 0.2)
BY_KIND = {"stone": STONE, "slate": STONE, "glass": STONE} | dict.fromkeys(
    ("brass", "bronze", "copper", "silver", "gold"), SOFT_METAL
)


DRAWN = Feeds(600.0, 150.0, 0.0, 0.1)  # a diamond that is drawn along, common practice


def feeds_for(finish: Any, tool: Tool) -> Feeds:
    """What a cutter is driven at in a blank of this finish; what does not say what it is of counts as
    plastic."""
    if tool.form == "drag":
        return DRAWN
    density = density_of(finish)
    practice = BY_KIND.get(finish.kind) or (
        PLASTIC if density is None else next(p for most, p in BY_DENSITY if density <= most)
    )
    along = practice.turns * FLUTES * practice.chip_mm * min(tool.diameter_mm / AT_MM, 2.0)
    along = round(min(max(along, SLOWEST), FASTEST))
    return Feeds(along, round(along * PLUNGE), practice.turns, max(practice.deep * tool.diameter_mm, 0.05))
