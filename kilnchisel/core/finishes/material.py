"""A material: the few numbers and maps both renderers draw from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]

# matte: Lambert. coated: Lambert under a clear GGX coat. metal: GGX with the metal's own colour.
Kind = Literal["matte", "coated", "metal"]
COAT_SHINE = 0.04  # reflectance of the coat at normal incidence: ((n-1)/(n+1))², n = 1.5
COAT_KEEPS = 0.95  # what the coat leaves of the ground's own reflectance, so that white stays below 1


@dataclass(frozen=True, eq=False)
class Texture:
    """A tileable pair of maps over ``tile_mm`` x ``tile_mm``.

    tint (h, w, 3): factor on the base colour, linear; slope (h, w, 2): dh/du, dh/dv of the relief.
    Row 0 is v = 0. Compared by identity.
    """

    tile_mm: float
    tint: Array
    slope: Array

    @cached_property
    def mean_tint(self) -> Array:
        """Mean of the tint, (3,)."""
        return np.asarray(self.tint.mean(axis=(0, 1), dtype=np.float64))


@dataclass(frozen=True)
class Material:
    """How a surface takes light.

    base: linear RGB, albedo of matte and coated, reflectance at normal incidence of metal.
    alpha: GGX roughness. grain_deg turns the texture about the surface normal. emission: the radiance
    it sends out itself, the same every way.
    """

    kind: Kind
    base: tuple[float, float, float]
    alpha: float = 0.3
    texture: Texture | None = None
    grain_deg: float = 0.0
    metal_n: tuple[float, float, float] = (1.0, 1.0, 1.0)
    emission: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def shines(self) -> bool:
        """Whether it sends out light of its own."""
        return max(self.emission) > 0

    @property
    def albedo(self) -> Array:
        """Mean diffuse-like reflectance, linear RGB, for light that bounces off."""
        tint = 1.0 if self.texture is None else self.texture.mean_tint
        return np.asarray(self.base) * tint

    def metal_k(self) -> Array:
        """Extinction that, with ``metal_n``, reflects exactly ``base`` at normal incidence.

        From R = ((n-1)² + k²) / ((n+1)² + k²).
        """
        n, r = np.asarray(self.metal_n), np.clip(np.asarray(self.base), 0.0, 0.995)
        squared = (r * (n + 1) ** 2 - (n - 1) ** 2) / (1 - r)
        return np.asarray(np.sqrt(np.maximum(squared, 0.0)))


def texture_uv(uv: Array, material: Material) -> Array:
    """Surface millimetres (n, 2) to texture coordinates (n, 2), grain turned, one tile = 1."""
    if material.texture is None:
        return uv / 100.0
    turn = np.radians(material.grain_deg)
    c, s = np.cos(turn), np.sin(turn)
    return np.asarray(uv @ np.array([[c, -s], [s, c]]) / material.texture.tile_mm)
