"""The folds of cloth from its light and dark, and how what is printed on it follows them.

Both are closed forms on a grid, by Fourier transforms. Light: for slopes that are not steep, a matt surface
is lighter by its slope towards the light (Pentland, "Linear Shape From Shading", IJCV 4, 1990). Following:
the sheet moves within itself so that it is stretched as little as the bent surface allows (a thin plate
without resistance across: von Karman's strains).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.later import ndimage

Array = NDArray[Any]

FINE, SLOW = 0.07, 1.0  # of the width of a fold: what is finer is weave, what is wider is the place's light
EVEN = 0.06  # of the light: differences that do not count as the edge of a fold
MOST = 0.6  # of its logarithm: what is more is no fold but another thing
UNSEEN = 0.08  # the share of slopes across the light that is made up for, of those along it


def heights_of_light(light: Array, step_mm: float, wide_mm: float, from_deg: float) -> Array:
    """Heights (h, w), mm, of cloth that is as light as this: (h, w), a row up with each index, ``step_mm``
    apart. ``wide_mm``: a fold, from valley to valley. The light comes from ``from_deg`` (0 from the right,
    90 from above) at 45 degrees; at a steeper or lower one all heights have another factor."""
    cells = wide_mm / step_mm
    logs = np.log(np.maximum(light, 1e-4))
    smooth = _kept_edges(logs, max(FINE * cells, 0.6))
    slow = ndimage.gaussian_filter(logs, SLOW * cells, mode="nearest")
    lighter = np.clip(smooth - slow, -MOST, MOST)
    fx, fy = _waves(lighter.shape, step_mm)
    turn = np.radians(from_deg)
    along = fx * np.cos(turn) + fy * np.sin(turn)
    # what rises towards the light turns away from it and is darker
    filter_ = -np.conj(1j * along) / (along**2 + UNSEEN * (fx**2 + fy**2) + 1e-12)
    return _back(np.fft.rfft2(_mirrored(lighter)) * filter_, lighter.shape)


def _kept_edges(values: Array, spread: float) -> Array:
    """Smoothed, but not over differences of more than what is even (a guided filter by itself)."""
    box = 2 * max(round(1.5 * spread), 1) + 1
    mean = ndimage.uniform_filter(values, box, mode="nearest")
    spare = np.maximum(ndimage.uniform_filter(values * values, box, mode="nearest") - mean * mean, 0)
    slope = spare / (spare + EVEN * EVEN)
    flat = ndimage.uniform_filter(mean * (1 - slope), box, mode="nearest")
    return np.asarray(ndimage.uniform_filter(slope, box, mode="nearest") * values + flat)


def followed(heights: Array, step_mm: float) -> Array:
    """How far from each point of a surface what lies on it would be were it flat: (h, w, 2), mm to the
    right and up, about the middle. ``heights`` (h, w), mm, a row up with each index.

    With E the strain that the surface asks for (from its metric 1 + s s', s its slopes: the root of that
    less 1, exact for a fold), the shift w of least stretch solves div(sym grad w) = div E; of a wave k that
    is w = -2i (1 - k k'/2k²) E k / k². The mean of E is a plain stretch.
    """
    up, right = np.gradient(heights, step_mm)
    steep = right**2 + up**2
    share = (np.sqrt(1 + steep) - 1) / np.maximum(steep, 1e-12)
    exx, exy, eyy = share * right * right, share * right * up, share * up * up
    mean = np.array([[exx.mean(), exy.mean()], [exy.mean(), eyy.mean()]])
    shape = heights.shape
    kx, ky = _waves(shape, step_mm)
    # a picture mirrored to the left and right turns the sign of what runs across
    sxx, syy = (np.fft.rfft2(_mirrored(e - e.mean())) for e in (exx, eyy))
    sxy = np.fft.rfft2(_mirrored(exy - exy.mean(), odd=True))
    k2 = kx**2 + ky**2 + 1e-18
    ax, ay = sxx * kx + sxy * ky, sxy * kx + syy * ky
    dot = (ax * kx + ay * ky) / (2 * k2)
    wx, wy = -2j * (ax - kx * dot) / k2, -2j * (ay - ky * dot) / k2
    wx[0, 0] = wy[0, 0] = 0
    rows, columns = np.indices(shape)
    x = (columns - (shape[1] - 1) / 2) * step_mm
    y = (rows - (shape[0] - 1) / 2) * step_mm
    moved = np.stack(
        [
            _back(wx, shape) + mean[0, 0] * x + mean[0, 1] * y,
            _back(wy, shape) + mean[1, 0] * x + mean[1, 1] * y,
        ],
        axis=-1,
    )
    return np.asarray(moved - moved[shape[0] // 2, shape[1] // 2])


def _mirrored(values: Array, *, odd: bool = False) -> Array:
    """A grid with its mirror pictures beside and above it, so that it goes on without a step; ``odd``: each
    of them with the other sign."""
    sign = -1.0 if odd else 1.0
    wide = np.concatenate([values, sign * values[:, ::-1]], axis=1)
    return np.concatenate([wide, sign * wide[::-1]], axis=0)


def _waves(shape: tuple[int, ...], step_mm: float) -> tuple[Array, Array]:
    """The wave numbers of a mirrored grid, to the right and up, per mm."""
    fy = 2 * np.pi * np.fft.fftfreq(2 * shape[0], step_mm)[:, None]
    fx = 2 * np.pi * np.fft.rfftfreq(2 * shape[1], step_mm)[None, :]
    return np.broadcast_arrays(fx, fy)  # type: ignore[return-value]


def _back(waves: Array, shape: tuple[int, ...]) -> Array:
    whole = np.fft.irfft2(waves, s=(2 * shape[0], 2 * shape[1]))
    return np.asarray(whole[: shape[0], : shape[1]])
