"""Lengths and angles as people type them: "3/8 in", "12,5 mm", "84/2 - 1".

Everything inside the program is millimetres and degrees; this is the door.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from kilnchisel.core.errors import KilnError

if TYPE_CHECKING:
    from numpy.typing import NDArray

MM_PER_INCH = 25.4  # exact, by definition of the international inch (1959)
POINT_MM = MM_PER_INCH / 72

LENGTH_FACTORS = {
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "in": MM_PER_INCH,
    '"': MM_PER_INCH,
    "″": MM_PER_INCH,
    "ft": 12 * MM_PER_INCH,
    "pt": POINT_MM,
    "µm": 0.001,
    "um": 0.001,
}
ANGLE_FACTORS = {"°": 1.0, "º": 1.0, "deg": 1.0, "turn": 360.0}
PLAIN_FACTORS = {"%": 1.0}

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d*)?|\.\d+)"
    r"|(?P<unit>mm|cm|µm|um|turn|deg|in|ft|pt|m|%|[\"″°º])"
    r"|(?P<sign>[-+*/()×÷−]))"
)
_MIXED = re.compile(r"(\d+)\s+(\d+)\s*/\s*(\d+)")


@dataclass(frozen=True)
class _Quantity:
    value: float
    factor: float | None  # None while it is a bare number


Degrees = TypeVar("Degrees", float, "NDArray[Any]")


def within_turn(deg: Degrees) -> Degrees:
    """The same way round, from -180 to 180 degrees."""
    return (deg + 180) % 360 - 180


def parse_length(text: str, default_unit: str = "mm") -> float:
    """Millimetres from typed text; a bare number is in ``default_unit``.

    Raises KilnError with a sentence when the text is not a length.
    """
    return _parse(text, LENGTH_FACTORS, default_unit, "a length such as 12.5 mm or 3/8 in")


def parse_angle(text: str) -> float:
    """Degrees from typed text. Raises KilnError."""
    return _parse(text, ANGLE_FACTORS, "°", "an angle such as 45°")


def parse_plain(text: str) -> float:
    """A bare number or a percentage, as written. Raises KilnError."""
    return _parse(text, PLAIN_FACTORS, "%", "a number such as 120")


def format_number(value: float, decimals: int = 2) -> str:
    """Shortest figure with at most ``decimals`` places and no negative zero."""
    text = f"{value:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def format_length(mm: float, unit: str = "mm", decimals: int = 2) -> str:
    """A length with its unit, e.g. ``12.5 mm``."""
    return f"{format_number(mm / LENGTH_FACTORS[unit], decimals)} {unit}"


def format_angle(degrees: float, decimals: int = 1) -> str:
    """An angle with its sign, e.g. ``116.5°``."""
    return f"{format_number(degrees, decimals)}°"


def _parse(text: str, factors: dict[str, float], default_unit: str, wanted: str) -> float:
    refusal = KilnError(f"“{text.strip()}” is not {wanted}.")
    tidy = re.sub(r"(?<=\d),(?=\d)", ".", text.strip())
    tidy = _MIXED.sub(r"(\1+\2/\3)", tidy)
    tokens = _tokens(tidy, refusal)
    if not tokens:
        raise refusal
    reader = _Reader(tokens, factors, factors[default_unit], refusal)
    quantity = reader.sum()
    if reader.peek() is not None:
        raise refusal
    value = quantity.value * (factors[default_unit] if quantity.factor is None else quantity.factor)
    if not abs(value) < 1e9:
        raise refusal
    return value


def _tokens(text: str, refusal: KilnError) -> list[tuple[str, str]]:
    found = []
    at = 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            raise refusal
        found.append((match.lastgroup, match.group(match.lastgroup)))
        at = match.end()
        while at < len(text) and text[at].isspace():
            at += 1
    return found


class _Reader:
    """Recursive descent over the four operations; values carry the unit they were written in."""

    def __init__(
        self,
        tokens: list[tuple[str, str]],
        factors: dict[str, float],
        default_factor: float,
        refusal: KilnError,
    ) -> None:
        self.tokens, self.factors, self.refusal = tokens, factors, refusal
        self.default_factor = default_factor
        self.at = 0

    def peek(self) -> tuple[str, str] | None:
        return self.tokens[self.at] if self.at < len(self.tokens) else None

    def take(self) -> tuple[str, str]:
        token = self.peek()
        if token is None:
            raise self.refusal
        self.at += 1
        return token

    def sum(self) -> _Quantity:
        left = self.product()
        while (token := self.peek()) and token[1] in "+-−":
            self.take()
            right = self.product()
            sign = 1 if token[1] == "+" else -1
            left = self._add(left, right, sign)
        return left

    def _add(self, left: _Quantity, right: _Quantity, sign: int) -> _Quantity:
        if left.factor is None and right.factor is None:
            return _Quantity(left.value + sign * right.value, None)
        total = self._absolute(left) + sign * self._absolute(right)
        return _Quantity(total, 1.0)

    def _absolute(self, quantity: _Quantity) -> float:
        factor = self.default_factor if quantity.factor is None else quantity.factor
        return quantity.value * factor

    def product(self) -> _Quantity:
        left = self.signed()
        while (token := self.peek()) and token[1] in "*/×÷":
            self.take()
            right = self.signed()
            left = self._times(left, right) if token[1] in "*×" else self._over(left, right)
        return left

    def _times(self, left: _Quantity, right: _Quantity) -> _Quantity:
        if left.factor is not None and right.factor is not None:
            raise self.refusal
        factor = left.factor if left.factor is not None else right.factor
        return _Quantity(left.value * right.value, factor)

    def _over(self, left: _Quantity, right: _Quantity) -> _Quantity:
        if right.value == 0:
            raise self.refusal
        if left.factor is not None and right.factor is not None:
            ratio = left.value * left.factor / (right.value * right.factor)
            return _Quantity(ratio, None)
        factor = left.factor if left.factor is not None else right.factor
        return _Quantity(left.value / right.value, factor)  # "3/8 in" is three eighths of an inch

    def signed(self) -> _Quantity:
        token = self.peek()
        if token and token[1] in ("-", "−", "+"):
            self.take()
            inner = self.signed()
            return inner if token[1] == "+" else _Quantity(-inner.value, inner.factor)
        return self.atom()

    def atom(self) -> _Quantity:
        kind, text = self.take()
        if kind == "number":
            quantity = _Quantity(float(text), None)
        elif text == "(":
            quantity = self.sum()
            if self.take()[1] != ")":
                raise self.refusal
        else:
            raise self.refusal
        token = self.peek()
        if token and token[0] == "unit":
            self.take()
            if token[1] not in self.factors or quantity.factor is not None:
                raise self.refusal
            return _Quantity(quantity.value, self.factors[token[1]])
        return quantity
