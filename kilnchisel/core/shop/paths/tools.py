"""Cutters, and what each leaves: the height of its edge above its tip."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import format_number, parse_angle, parse_length

Array = NDArray[Any]
Form = Literal["flat", "ball", "v", "drag"]
SPACED_UNIT = re.compile(r"(?<=\d) (?=[a-z°\"″])")  # "6 mm" is "6mm"
ABOVE = ("flute", "shank", "holder", "out")
UPPER = re.compile(rf" ({'|'.join(ABOVE)}) ([0-9.,/]+[a-z\"]*)")
WRITTEN = re.compile(
    r"(flat|ball|v|drag) ?([0-9.,/]+[a-z\"°]*)(?: ([0-9.,/]+[a-z\"]*))?(?: ([0-9.,/]+[a-z\"]*))?"
)


@dataclass(frozen=True)
class Tool:
    """A cutter; "drag" is a diamond's point that is drawn along and does not turn. ``diameter_mm``: of what
    turns at its widest, or of the line that is drawn; ``angle_deg``: of a V, from flank to flank;
    ``tip_mm``: the flat of its tip, across; ``flute_mm``: how long it cuts, 0: longer than anything is
    deep; ``shank_mm``: how wide it is above that, 0: as wide as it cuts; ``holder_mm``: how wide what holds
    it is, ``out_mm`` above its tip; 0: that is out of the way."""

    form: Form
    diameter_mm: float
    angle_deg: float = 0.0
    tip_mm: float = 0.0
    flute_mm: float = 0.0
    shank_mm: float = 0.0
    holder_mm: float = 0.0
    out_mm: float = 0.0

    @property
    def radius_mm(self) -> float:
        return self.diameter_mm / 2

    @property
    def slope(self) -> float:
        """How fast the flank of a V rises: height over distance from its axis."""
        return float(1 / np.tan(np.radians(self.angle_deg) / 2))

    def edge(self, away: Array) -> Array:
        """How high its edge is above its tip at distances from its axis, mm; inf beyond it."""
        within = away <= self.radius_mm + 1e-9
        if self.form == "ball":
            radius = self.radius_mm
            height = radius - np.sqrt(np.maximum(radius**2 - away**2, 0.0))
        elif self.form == "v":
            height = np.maximum(away - self.tip_mm / 2, 0.0) * self.slope
        else:
            height = np.zeros_like(away)
        return np.where(within, height, np.inf)

    def reach(self, depth_mm: float) -> float:
        """How far from its axis it cuts when its tip is so deep, mm."""
        if self.form == "v":
            return min(self.tip_mm / 2 + depth_mm / self.slope, self.radius_mm)
        if self.form == "ball" and depth_mm < self.radius_mm:
            return float(np.sqrt(2 * self.radius_mm * depth_mm - depth_mm**2))
        return self.radius_mm

    @property
    def ascii(self) -> str:
        """The same in letters that a program may have."""
        return self.words.replace("°", "deg").replace(" mm", "mm")

    @property
    def words(self) -> str:
        """What it is called, as ``tool_written`` reads it."""
        if self.form == "v":
            tip = f" {format_number(self.tip_mm, 3)} mm" if self.tip_mm else ""
            cuts = f"v {format_number(self.angle_deg, 2)}° {format_number(self.diameter_mm, 3)} mm{tip}"
        else:
            cuts = f"{self.form} {format_number(self.diameter_mm, 3)} mm"
        above = ((name, getattr(self, f"{name}_mm")) for name in ABOVE)
        return " ".join([cuts, *(f"{name} {format_number(size, 3)} mm" for name, size in above if size)])


V_MM = 12.7  # of a V cutter, across: common


def v_tool(angle_deg: float, depth_mm: float) -> Tool:
    """A V cutter that is wide enough for a depth."""
    tool = Tool("v", V_MM, angle_deg)
    return replace(tool, diameter_mm=max(V_MM, 2 * depth_mm / tool.slope))


def tool_written(text: str) -> Tool:
    """A cutter from "flat 6mm", "ball 3mm" or "v 60° 12mm 0.1mm" (angle, diameter, flat of the tip), and
    what is above what cuts: "flat 3mm flute 12mm shank 6mm holder 40mm out 35mm". Raises KilnError."""
    close = SPACED_UNIT.sub("", " ".join(text.lower().split()))
    above = {f"{one[1]}_mm": parse_length(one[2]) for one in UPPER.finditer(close)}
    found = WRITTEN.fullmatch(UPPER.sub("", close))
    if found is None:
        raise KilnError(f"“{text[:40]}” is no cutter; write it as flat 6mm, ball 3mm or v 60° 12mm.")
    form, first, second, third = found.groups()
    if form == "v":
        if second is None:
            raise KilnError("A V cutter has an angle and a diameter: v 60° 12mm.")
        angle = parse_angle(first.removesuffix("deg"))
        if not 5 <= angle <= 170:
            raise KilnError("A V cutter's angle goes from 5° to 170°.")
        return _checked(Tool("v", parse_length(second), angle, parse_length(third or "0"), **above))
    plain: dict[str, Form] = {"ball": "ball", "drag": "drag"}
    return _checked(Tool(plain.get(form, "flat"), parse_length(first), **above))


def _checked(tool: Tool) -> Tool:
    if not 0.05 <= tool.diameter_mm <= 200:
        raise KilnError("A cutter's diameter goes from 0.05 to 200 mm.")
    if not 0 <= tool.tip_mm < tool.diameter_mm:
        raise KilnError("The flat of a V cutter's tip is narrower than the cutter.")
    if bool(tool.holder_mm) != bool(tool.out_mm):
        raise KilnError("A holder is so wide, and so far above the tip: holder 40mm out 35mm.")
    if tool.shank_mm and not tool.flute_mm:
        raise KilnError("A shank begins where a cutter ends: flute 12mm shank 6mm.")
    if tool.out_mm and tool.out_mm < tool.flute_mm:
        raise KilnError("A holder is above what cuts: it is out farther than the flute is long.")
    return tool
