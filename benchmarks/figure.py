"""One measured figure and what it is held against."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Figure:
    """``value`` in ``unit``; good when it is at most (or, ``at_least``, at least) the yardstick."""

    what: str
    value: float
    unit: str
    yardstick: float
    at_least: bool = False

    def __str__(self) -> str:
        good = self.value >= self.yardstick if self.at_least else self.value <= self.yardstick
        sign = ">=" if self.at_least else "<="
        mark = "reached" if good else "MISSED"
        return (
            f"{self.what:<58}{self.value:9.2f} {self.unit:<4} {sign} {self.yardstick:g}"
            f"   ratio {self.value / self.yardstick:5.2f}   {mark}"
        )


def spread(what: str, seconds: list[float], median_ms: float, p95_ms: float | None) -> list[Figure]:
    """Median and 95th percentile of timings."""
    ms = np.array(seconds) * 1000
    figures = [Figure(f"{what}, median of {len(ms)}", float(np.median(ms)), "ms", median_ms)]
    if p95_ms is not None:
        figures.append(Figure(f"{what}, 95th percentile", float(np.percentile(ms, 95)), "ms", p95_ms))
    return figures
