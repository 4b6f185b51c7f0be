"""Which cutters get into a region, and what they leave of it."""

from __future__ import annotations

from typing import Any

import shapely

from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.shop.making import CUTTERS_MM
from kilnchisel.core.shop.paths.pocket import rest_of
from kilnchisel.core.shop.paths.tools import Tool
from kilnchisel.core.units import format_length

NARROWEST = 0.98  # of a cutter's width: a stroke so narrow still takes it
MOSTLY = 0.25  # of what one cutter leaves, another leaves no more


LONGEST = 6.0  # of its diameter: no cutter goes deeper (common practice)


def long_enough(flats: tuple[float, ...], deep_mm: float) -> tuple[float, ...]:
    """The flat cutters that go so deep, or the widest there is."""
    return tuple(wide for wide in flats if deep_mm <= LONGEST * wide + 1e-9) or (max(flats),)


def fitting(region: Any, flats: tuple[float, ...]) -> Tool:
    """The widest flat cutter that gets into all of a region's parts, or the narrowest there is."""
    for wide in sorted(flats, reverse=True):
        inner = polygons_in(shapely.buffer(region, -NARROWEST * wide / 2))
        if all(any(i.intersects(part) for i in inner) for part in polygons_in(region)):
            return Tool("flat", wide)
    return Tool("flat", min(flats))


def unreached(name: str, region: Any, tool: Tool, deep_mm: float) -> list[str]:
    """What a flat cutter leaves of a region so deep, in words."""
    rest = rest_of(region, tool)
    if rest.is_empty:
        return []
    left = f"{name}: {rest.area:.2f} mm² in corners and narrow strokes is left"
    for wide in long_enough(CUTTERS_MM, deep_mm):
        if wide < tool.diameter_mm and rest_of(region, Tool("flat", wide)).area < MOSTLY * rest.area:
            return [f"{left}; a cutter of {format_length(wide)} would reach most of it"]
    deep = "" if deep_mm <= LONGEST * min(CUTTERS_MM) else f" that goes {format_length(deep_mm)} deep"
    return [f"{left}, for a finer cutter than any{deep}"]
