"""How much a GGX surface reflects in all, tabled for the draft.

For Schlick's Fresnel term the reflectance of uniform light is F0 * scale + bias; both depend on the
angle of view and the roughness only (the split sum of
Karis, SIGGRAPH 2013 course on physically based shading, from memory; separable Smith shadowing, as in the
path tracer).
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

SIZE = 32
SAMPLES = 512


@cache
def share_table() -> Array:
    """(SIZE, SIZE, 2) float32: scale and bias; columns by cosine of view, rows by sqrt(alpha), at the
    middles of SIZE equal steps of 0..1."""
    steps = (np.arange(SIZE) + 0.5) / SIZE
    cosine, rough = np.meshgrid(steps, steps)
    alpha = rough[..., None] ** 2
    number = np.arange(SAMPLES)
    first, second = (number + 0.5) / SAMPLES, (number * 0.6180339887498949) % 1.0
    half_cos = np.sqrt((1 - first) / (1 + (alpha**2 - 1) * first))
    half_sin = np.sqrt(np.maximum(1 - half_cos**2, 0))
    half_x = half_sin * np.cos(2 * np.pi * second)
    view_cos = cosine[..., None]
    view_sin = np.sqrt(1 - view_cos**2)
    meet = np.maximum(view_sin * half_x + view_cos * half_cos, 1e-6)
    light_cos = 2 * meet * half_cos - view_cos
    seen = light_cos > 0
    light_cos = np.where(seen, light_cos, 1.0)

    def smith(c: Array) -> Array:
        return np.asarray(2 * c / (c + np.sqrt(alpha**2 + (1 - alpha**2) * c**2)))

    weight = np.where(seen, smith(view_cos) * smith(light_cos) * meet / (half_cos * view_cos), 0.0)
    schlick = (1 - meet) ** 5
    table = np.stack([((1 - schlick) * weight).mean(axis=-1), (schlick * weight).mean(axis=-1)], -1)
    return table.astype(np.float32)
