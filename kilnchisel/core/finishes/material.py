"""A material: the few numbers and maps both renderers draw from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.infile import let_go

Array = NDArray[Any]

# matte: Lambert. coated: Lambert under a clear GGX coat. metal: GGX with the metal's own colour.
# glass: clear, with a GGX surface; its base is what 10 mm of it let through.
Kind = Literal["matte", "coated", "metal", "glass"]
COAT_SHINE = 0.04  # reflectance of the coat at normal incidence: ((n-1)/(n+1))², n = 1.5
# the radius of a hard edge as it leaves the workshop, on a piece that reaches EDGE_AT_MM from its middle:
# common practice
EDGE_MM: dict[Kind, float] = {"metal": 0.1, "coated": 0.2, "matte": 0.3, "glass": 0.3}
EDGE_AT_MM, EDGE_LEAST, EDGE_MOST = 80.0, 0.05, 0.5
GLASS_IOR = 1.52  # soda-lime glass, CRC Handbook
WATER_IOR = 1.333  # at 20 °C, CRC Handbook
GLASS_KEEPS = 0.25  # a wall of some millimetres keeps 10 mm's tint to this power at each of its faces
POLISHED = 0.015  # roughness below which glass is taken as polished
# of the light that meets frosted film so much is scattered, and of that so much back; common practice: it
# hides what is behind it and lets two thirds of the light in
FILM_SCATTERS, FILM_BACK = 0.8, 0.3
COAT_KEEPS = 0.95  # what the coat leaves of the ground's own reflectance, so that white stays below 1


@dataclass(frozen=True, eq=False)
class Texture:
    """A tileable pair of maps over ``tile_mm`` x ``tile_mm``.

    tint (h, w, 3): factor on the base colour, linear; slope (h, w, 2): dh/du, dh/dv of the relief;
    dull (h, w), 0..1: how far the roughness is from the material's own to its dullest, None where it is
    the same all over. Half or single precision. Row 0 is v = 0. ``mean`` (3,): that of the tint, where it
    is known. Compared by identity.
    """

    tile_mm: float
    tint: Array
    slope: Array
    dull: Array | None = None
    mean: Array | None = None

    @cached_property
    def mean_tint(self) -> Array:
        """Mean of the tint, (3,)."""
        if self.mean is not None:
            return self.mean
        return np.asarray(self.tint.mean(axis=(0, 1), dtype=np.float64))

    def put_away(self) -> None:
        """Whoever has made something else of it needs none of what it has read of its file any more."""
        for part in (self.tint, self.slope, self.dull):
            let_go(part)


@dataclass(frozen=True, eq=False)
class Amount:
    """How much of something there is over a surface: values (h, w) 0..1, row 0 below.

    They lie over the box whose lower left ``corner`` and ``size`` are mm of the surface, and either
    repeat or are nothing outside it. Compared by identity.
    """

    values: Array
    size: tuple[float, float]
    corner: tuple[float, float] = (0.0, 0.0)
    repeats: bool = True


MOST_COVERS = 4


@dataclass(frozen=True)
class Cover:
    """Another material that covers some of a surface."""

    material: Material
    amount: Amount


@dataclass(frozen=True)
class Material:
    """How a surface takes light.

    base: linear RGB, albedo of matte and coated, reflectance at normal incidence of metal.
    alpha: GGX roughness, along the grain; ``across`` that across it, 0 where it is the same; ``dullest``
    the roughness where the texture is dull. grain_deg turns the texture about the surface normal;
    ``round_mm``: after so many mm along u the surface comes round again, 0 where it does not.
    emission: the radiance it sends out itself, the same every way. covers: what lies over parts of it,
    later ones on top, at most MOST_COVERS; their own covers and textures count for nothing. sends_back: the
    share of light that goes back the way it came, square on; less at a slant, by the cosine. ``ior``: of
    glass, how it bends light, and ``before_ior`` what is before it: not air where it is wet. ``film``:
    0..1, how frosted a film on glass is, whose back is the glass itself.
    """

    kind: Kind
    base: tuple[float, float, float]
    alpha: float = 0.3
    texture: Texture | None = None
    grain_deg: float = 0.0
    metal_n: tuple[float, float, float] = (1.0, 1.0, 1.0)
    emission: tuple[float, float, float] = (0.0, 0.0, 0.0)
    across: float = 0.0
    dullest: float = 0.0
    round_mm: float = 0.0
    sends_back: float = 0.0
    covers: tuple[Cover, ...] = ()
    ior: float = GLASS_IOR
    before_ior: float = 1.0
    film: float = 0.0

    @property
    def mean_alpha(self) -> float:
        """One roughness that does for both ways."""
        return float(np.sqrt(self.alpha * self.across)) if self.across > 0 else self.alpha

    @property
    def shines(self) -> bool:
        """Whether it sends out light of its own."""
        return max(self.emission) > 0

    def edge_mm(self, radius_mm: float) -> float:
        """The radius of its hard edges on a piece of this size; none where it shines."""
        if self.shines:
            return 0.0
        worked = EDGE_MM[self.kind] * float(np.sqrt(radius_mm / EDGE_AT_MM))
        return float(np.clip(worked, EDGE_LEAST, EDGE_MOST))

    @property
    def albedo(self) -> Array:
        """Mean diffuse-like reflectance, linear RGB, for light that bounces off."""
        return np.asarray(np.asarray(self.base) * self.tint)

    @property
    def tint(self) -> Any:
        """What its texture makes of its base on average, (3,) or one number."""
        return 1.0 if self.texture is None else self.texture.mean_tint

    def metal_k(self) -> Array:
        """Extinction that, with ``metal_n``, reflects exactly ``base`` at normal incidence.

        From R = ((n-1)² + k²) / ((n+1)² + k²).
        """
        n, r = np.asarray(self.metal_n), np.clip(np.asarray(self.base), 0.0, 0.995)
        squared = (r * (n + 1) ** 2 - (n - 1) ** 2) / (1 - r)
        return np.asarray(np.sqrt(np.maximum(squared, 0.0)))


PLAIN_TILE_MM = 100.0  # of a material without a texture


def texture_matrix(material: Material) -> Array:
    """(2, 2): a row of surface millimetres times it is texture coordinates, grain turned, a tile = 1."""
    tile = PLAIN_TILE_MM if material.texture is None else material.texture.tile_mm
    return _turned_tile(tile, material.grain_deg, material.round_mm)


@lru_cache(maxsize=256)  # asked for each item of each picture
def _turned_tile(tile_mm: float, grain_deg: float, round_mm: float) -> Array:
    turn = np.radians(grain_deg)
    c, s = np.cos(turn), np.sin(turn)
    matrix = np.array([[c, -s], [s, c]]) / tile_mm
    if round_mm > 0:
        # a whole number of tiles both ways, so that the texture meets itself where the surface comes
        # round; a grain that is turned leans a little other than it says for that
        tiles = np.rint(matrix[0] * round_mm)
        if not tiles.any():
            tiles[np.argmax(np.abs(matrix[0]))] = 1.0
        matrix[0] = tiles / round_mm
    matrix.setflags(write=False)
    return np.asarray(matrix)


def texture_uv(uv: Array, material: Material) -> Array:
    """Surface millimetres (n, 2) to texture coordinates (n, 2)."""
    return np.asarray(uv @ texture_matrix(material))


def cover_matrix(amount: Amount, round_mm: float = 0.0) -> Array:
    """(3, 2): a row (u, v, 1) of surface millimetres times it is a place in the amount's box, 0..1; a box
    that repeats does so a whole number of times in ``round_mm``."""
    across, up = 1 / amount.size[0], 1 / amount.size[1]
    if round_mm > 0 and amount.repeats:
        across = max(round(round_mm * across), 1) / round_mm
    return np.array([[across, 0], [0, up], [-amount.corner[0] * across, -amount.corner[1] * up]])
