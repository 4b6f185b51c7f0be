"""Convolution by the fast Fourier transform. ``scipy.signal`` has it too, but brings all of ``scipy.stats``
along: half a second of the first picture of what glows."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import fft

Array = NDArray[Any]


def convolved(values: Array, kernel: Array) -> Array:
    """Values (h, w, ...) spread by a kernel (k, l): nought beyond their border, of their own size, the
    kernel's middle (k // 2, l // 2) on each."""
    return _cut(_full(values, kernel), [(size - 1) // 2 for size in kernel.shape], values.shape[:2])


def convolved_within(values: Array, kernel: Array) -> Array:
    """The same where the kernel lies wholly within the values: (h - k + 1, w - l + 1, ...). The kernel must
    be no larger than they are."""
    inner = [high - size + 1 for high, size in zip(values.shape[:2], kernel.shape, strict=True)]
    return _cut(_full(values, kernel), [size - 1 for size in kernel.shape], inner)


def _full(values: Array, kernel: Array) -> Array:
    size = [
        fft.next_fast_len(high + wide - 1, real=True)
        for high, wide in zip(values.shape[:2], kernel.shape, strict=True)
    ]
    spread = fft.rfft2(kernel, size).reshape(size[0], -1, *[1] * (values.ndim - 2))
    return np.asarray(fft.irfft2(fft.rfft2(values, size, axes=(0, 1)) * spread, size, axes=(0, 1)))


def _cut(full: Array, low: list[int], size: Any) -> Array:
    return full[low[0] : low[0] + size[0], low[1] : low[1] + size[1]]
