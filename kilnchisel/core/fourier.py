"""Convolution by the fast Fourier transform. ``scipy.signal`` has it too, but brings all of ``scipy.stats``
along: half a second of the first picture of what glows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import fft

Array = NDArray[Any]


def convolved(values: Array, kernel: Array) -> Array:
    """Values (h, w) spread by a kernel (k, l): nought beyond their border, of their own size, the middle
    of the kernel, (k - 1) // 2 and (l - 1) // 2, on each."""
    return _cut(_full(values, kernel), [(size - 1) // 2 for size in kernel.shape], values.shape)


def convolved_within(values: Array, kernel: Array) -> Array:
    """The same where the kernel lies wholly within the values: (h - k + 1, w - l + 1). The kernel must be
    no larger than they are."""
    inner = [high - size + 1 for high, size in zip(values.shape, kernel.shape, strict=True)]
    return _cut(_full(values, kernel), [size - 1 for size in kernel.shape], inner)


def _full(values: Array, kernel: Array) -> Array:
    size = [
        fft.next_fast_len(high + wide - 1, real=True)
        for high, wide in zip(values.shape, kernel.shape, strict=True)
    ]
    return np.asarray(fft.irfft2(fft.rfft2(values, size) * fft.rfft2(kernel, size), size))


def _cut(full: Array, low: Sequence[int], size: Sequence[int]) -> Array:
    return full[low[0] : low[0] + size[0], low[1] : low[1] + size[1]]
