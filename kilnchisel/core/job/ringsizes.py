"""Ring sizes: what a band's inner diameter is called in each system."""

from __future__ import annotations

import math

US_BASE_MM, US_STEP_MM = 11.63, 0.8128  # US trade formula: 0.032 in a size
UK_A_MM, UK_STEP_MM = 37.5, 1.25  # BS 6820: inner circumference of size A, and a letter's step
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def iso_size(inner_mm: float) -> float:
    """ISO 8653: the size is the inner circumference in mm."""
    return math.pi * inner_mm


def inner_of_iso(size: float) -> float:
    """The inner diameter of an ISO size, mm."""
    return size / math.pi


def us_size(inner_mm: float) -> float:
    """The US size: d = 11.63 + 0.8128 n."""
    return (inner_mm - US_BASE_MM) / US_STEP_MM


def inner_of_us(size: float) -> float:
    """The inner diameter of a US size, mm."""
    return US_BASE_MM + US_STEP_MM * size


def uk_size(inner_mm: float) -> str:
    """The nearest UK size, a letter or a letter and a half; beyond Z as Z+n, below A as it is."""
    halves = round((math.pi * inner_mm - UK_A_MM) / UK_STEP_MM * 2)
    if halves < 0:
        return "below A"
    whole, half = divmod(halves, 2)
    if whole >= len(LETTERS):
        return f"Z+{whole - len(LETTERS) + 1}"
    return LETTERS[whole] + ("½" if half else "")


def japan_size(inner_mm: float) -> float:
    """The Japanese size: d = (n + 38) / 3."""
    return 3 * inner_mm - 38
