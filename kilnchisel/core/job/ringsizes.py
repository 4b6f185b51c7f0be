"""Ring sizes: what a band's inner diameter is called in each system."""

from __future__ import annotations

import math
import re

from kilnchisel.core.errors import KilnError

US_BASE_MM, US_STEP_MM = 11.63, 0.8128  # US trade formula: 0.032 in a size
UK_A_MM, UK_STEP_MM = 37.5, 1.25  # BS 6820: inner circumference of size A, and a letter's step
UK = re.compile(r"([A-Z])(?:\+(\d))?(½|1/2|\.5)?")
SIZE = re.compile(r"(EU|ISO|US|UK|JP)?\s*(\S+)")
LEAST_ISO = 40.0
LEAST_INNER_MM, MOST_INNER_MM = 10.0, 30.0
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


def inner_of_uk(size: str) -> float:
    """The inner diameter of a UK size, a letter, a letter and a half (N½, N1/2, N.5), or Z+1 and so on, mm.
    Raises KilnError."""
    found = UK.fullmatch(size.strip().upper())
    if found is None:
        raise KilnError(f"“{size[:20]}” is no UK ring size; it is a letter, as N or N½.")
    steps = LETTERS.index(found[1]) + int(found[2] or 0) + (0.5 if found[3] else 0.0)
    return (UK_A_MM + UK_STEP_MM * steps) / math.pi


def inner_of_japan(size: float) -> float:
    """The inner diameter of a Japanese size, mm."""
    return (size + 38) / 3


def inner_of_size(text: str) -> float:
    """The inner diameter, mm, of a size as it is written: EU 54 or ISO 54, US 7, UK N, JP 14. A bare letter
    is British; a bare number from 40 on is a circumference (ISO). Raises KilnError."""
    found = SIZE.fullmatch(text.strip().upper())
    system, size = (found[1] or "", found[2]) if found is not None else ("", "")
    if system == "UK" or (not system and size[:1].isalpha()):
        return inner_of_uk(size)
    try:
        number = float(size.replace(",", "."))
    except ValueError:
        number = -1.0
    if system in ("EU", "ISO") or (not system and number >= LEAST_ISO):
        inner = inner_of_iso(number)
    elif system in ("US", "JP"):
        inner = inner_of_us(number) if system == "US" else inner_of_japan(number)
    else:
        inner = 0.0
    if number < 0 or not LEAST_INNER_MM <= inner <= MOST_INNER_MM:
        raise KilnError(f"“{text[:20]}” is no ring size; write EU 54, US 7, UK N or JP 14.")
    return inner


def japan_size(inner_mm: float) -> float:
    """The Japanese size: d = (n + 38) / 3."""
    return 3 * inner_mm - 38
