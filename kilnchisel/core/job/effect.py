"""Which of a blank's values change anything as the others are."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def has_effect(blank: Any, name: str, finish: Any = None) -> bool:
    """Whether a field of a blank changes anything as the others are. ``finish``: what it is of, where that
    is known: what is in a closed vessel is seen through glass alone."""
    shut = finish is not None and finish.kind != "glass" and blank.kind in ("jar", "bottle")
    if shut and name in ("filled", "contents_colour", "contents_clear"):
        return False
    needs: dict[str, Callable[[Any], Any]] = {
        "keep_mm": lambda b: b.stock_mm,
        "handle_deg": lambda b: b.handle,
        "corner_mm": lambda b: getattr(b, "shape", "") != "oval",
        "frame_rise_mm": lambda b: b.frame_mm > 0,
        "line_in_mm": lambda b: b.line_mm > 0,
        "line_rise_mm": lambda b: b.line_mm > 0,
        "points": lambda b: False,
        "hole_mm": lambda b: b.holes != "none",
        "slot_mm": lambda b: b.holes != "none",
        "apart_mm": lambda b: b.holes != "none",
        "apart_up_mm": lambda b: b.holes == "four",
        "rim_in_mm": lambda b: b.rim_mm > 0,
        "rim_rise_mm": lambda b: b.rim_mm > 0,
        "contents_colour": lambda b: b.filled > 0,
        "contents_clear": lambda b: b.filled > 0,
        "stones": lambda b: b.seed > 0,
        "bushes": lambda b: b.seed > 0,
        "reach_mm": lambda b: b.bracket,
        "light_colour": lambda b: b.brightness > 0,
        "bond": _of_brick,
        "brick_mm": _of_brick,
        "course_mm": _of_brick,
        "board_mm": lambda b: getattr(b, "surface", "boards") == "boards",
        "joint_mm": lambda b: getattr(b, "surface", "brick") != "plaster",
        "joint_deep_mm": lambda b: getattr(b, "surface", "brick") != "plaster",
        "window_mm": lambda b: getattr(b, "window_rows", 1) > 0,
        "window_high_mm": lambda b: getattr(b, "window_rows", 1) > 0,
        "window_every_mm": lambda b: getattr(b, "window_rows", 1) > 0,
    }
    if blank.kind == "mesh":
        return name in ("unit_mm", "up", "turn_deg")
    return name not in needs or bool(needs[name](blank))


def _of_brick(blank: Any) -> bool:
    return getattr(blank, "surface", "brick") == "brick"
