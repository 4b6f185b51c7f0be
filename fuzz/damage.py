"""Files with something wrong in them: what is done to their bytes, as hypothesis draws and shrinks it."""

from __future__ import annotations

import re
from dataclasses import dataclass

from hypothesis import strategies as st

NUMBERS = (b"nan", b"inf", b"-1", b"0", b"1e308", b"99999999999999999999", b"-0.0000001", b"1e-308", b"")
SEARCHED = 200_000  # of a file, for numbers that are written out


@dataclass(frozen=True)
class Blow:
    """One thing done to a file: what, where (a share of its length), over how much, with which bytes."""

    how: str
    at: float
    size: int
    data: bytes

    def on(self, whole: bytes) -> bytes:
        """The file after it."""
        if not whole:
            return whole
        at = min(int(self.at * len(whole)), len(whole) - 1)
        end = min(at + min(self.size, max(len(whole) // 4, 1)), len(whole))
        if self.how == "flip":
            return whole[:at] + bytes([whole[at] ^ 1 << self.size % 8]) + whole[at + 1 :]
        if self.how == "cut":
            return whole[:at]
        if self.how == "zero":
            return whole[:at] + bytes(end - at) + whole[end:]
        if self.how == "again":
            return whole[:at] + whole[at:end] * (1 + self.size % 40) + whole[at:]
        if self.how == "other":
            return whole[:at] + self.data + whole[at + len(self.data) :]
        if self.how == "number":
            return _other_number(whole, self.at, NUMBERS[self.size % len(NUMBERS)])
        return whole[:at] + whole[end:]


def _other_number(whole: bytes, at: float, number: bytes) -> bytes:
    """Another number in place of one that is written out."""
    found = list(re.finditer(rb"-?\d+(\.\d+)?", whole[:SEARCHED]))
    if not found:
        return whole
    spot = found[min(int(at * len(found)), len(found) - 1)]
    return whole[: spot.start()] + number + whole[spot.end() :]


BLOWS = st.builds(
    Blow,
    st.sampled_from(("flip", "flip", "flip", "cut", "zero", "again", "other", "number", "out")),
    st.floats(0, 1, exclude_max=True),
    st.integers(1, 400),
    st.binary(min_size=1, max_size=60),
)
DAMAGE = st.one_of(st.lists(BLOWS, min_size=1, max_size=1), st.lists(BLOWS, min_size=1, max_size=12))


def damaged(whole: bytes, blows: list[Blow]) -> bytes:
    """The file after all that was done to it."""
    for blow in blows:
        whole = blow.on(whole)
    return whole
