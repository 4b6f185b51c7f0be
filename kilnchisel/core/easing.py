"""From nothing to all of it without a corner at either end: the cubic that rises with no slope there."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


def smooth_step(values: Array, low: float = 0.0, high: float = 1.0) -> Array:
    """0 below ``low``, 1 above ``high``, a smooth rise between; of the shape of ``values``."""
    share = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(share * share * (3 - 2 * share))


def eased(share: float) -> float:
    """The same of one number between 0 and 1."""
    share = min(max(share, 0.0), 1.0)
    return share * share * (3 - 2 * share)
