"""Optical constants of the metals on offer, and their colour."""

from __future__ import annotations

from functools import cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import fresnel_normal, spectrum_to_rgb

Array = NDArray[Any]
Metal = Literal[
    "brass",
    "stainless",
    "gold",
    "silver",
    "copper",
    "bronze",
    "aluminium",
    "chrome",
    "titanium",
]

# wavelength nm, n, k. Brass: 70/30 to 63/37, after published ellipsometry, from memory, good to about
# 0.03 in reflectance. Stainless: 18-8 (type 304), after Karlsson and Ribbing 1982, from memory, same.
CONSTANTS: dict[Metal, Array] = {
    "brass": np.array(
        [
            [400, 1.44, 1.80],
            [450, 1.30, 1.95],
            [500, 0.90, 2.20],
            [546, 0.55, 2.70],
            [589, 0.46, 3.20],
            [650, 0.44, 3.80],
            [700, 0.45, 4.20],
        ]
    ),
    # Gold and silver: after Johnson and Christy 1972, from memory
    "gold": np.array(
        [
            [400, 1.66, 1.96],
            [450, 1.50, 1.88],
            [496, 1.04, 1.83],
            [521, 0.62, 2.08],
            [549, 0.43, 2.46],
            [582, 0.29, 2.86],
            [617, 0.21, 3.27],
            [660, 0.14, 3.70],
            [700, 0.13, 4.06],
        ]
    ),
    "silver": np.array(
        [
            [400, 0.05, 2.10],
            [451, 0.04, 2.66],
            [496, 0.05, 3.09],
            [549, 0.06, 3.59],
            [617, 0.05, 4.15],
            [700, 0.04, 4.80],
        ]
    ),
    # Copper: after Johnson and Christy 1972; aluminium: Rakic 1995; chromium and titanium: Johnson and
    # Christy 1974; all from memory, good to about 0.03 in reflectance
    "copper": np.array(
        [
            [400, 1.18, 2.21],
            [450, 1.17, 2.40],
            [500, 1.13, 2.56],
            [550, 1.03, 2.58],
            [575, 0.72, 2.60],
            [600, 0.30, 3.20],
            [650, 0.22, 3.75],
            [700, 0.21, 4.20],
        ]
    ),
    "aluminium": np.array(
        [[400, 0.49, 4.86], [500, 0.77, 6.08], [600, 1.20, 7.26], [650, 1.47, 7.79], [700, 1.83, 8.31]]
    ),
    "chrome": np.array(
        [
            [400, 1.50, 3.00],
            [450, 2.00, 3.25],
            [500, 2.60, 3.35],
            [550, 3.10, 3.35],
            [600, 3.20, 3.30],
            [700, 3.20, 3.40],
        ]
    ),
    "titanium": np.array([[400, 1.60, 2.20], [500, 1.80, 2.50], [600, 2.05, 2.85], [700, 2.30, 3.15]]),
    # tin bronze, 8 % tin: between copper and a grey metal; common practice
    "bronze": np.array(
        [
            [400, 1.30, 1.95],
            [450, 1.28, 2.10],
            [500, 1.10, 2.32],
            [550, 0.76, 2.58],
            [589, 0.58, 2.95],
            [650, 0.52, 3.40],
            [700, 0.50, 3.80],
        ]
    ),
    "stainless": np.array([[400, 1.45, 2.75], [500, 1.90, 3.20], [600, 2.30, 3.60], [700, 2.60, 4.00]]),
}


MOST = 0.99
PRIMARIES = (611.0, 549.0, 465.0)  # nm, near the display's red, green and blue


@cache
def metal_colour(metal: Metal) -> tuple[float, float, float]:
    """Reflectance at normal incidence, linear RGB under D65."""
    nm, n, k = CONSTANTS[metal].T
    fine = np.arange(400.0, 701.0, 5.0)
    return _held(spectrum_to_rgb(fine, fresnel_normal(np.interp(fine, nm, n), np.interp(fine, nm, k))))


@cache
def metal_index(metal: Metal) -> tuple[float, float, float]:
    """Refractive index near the red, green and blue primaries (611, 549, 465 nm)."""
    return _at_primaries(CONSTANTS[metal])


# of gold's companions; palladium whitens. n and k: after Johnson and Christy 1974, from memory, good to
# about 0.04 in reflectance
PALLADIUM = np.array(
    [[400, 1.25, 2.75], [450, 1.38, 3.12], [500, 1.50, 3.45], [600, 1.75, 4.08], [700, 1.93, 4.68]]
)
DENSITY = {"gold": 19.3, "silver": 10.49, "copper": 8.96, "palladium": 12.02}  # g/cm³, CRC, from memory
ALLOYS: dict[str, dict[str, float]] = {  # what is not gold, by mass; common practice of goldsmiths
    "yellow": {"silver": 0.6, "copper": 0.4},
    "red": {"silver": 0.1, "copper": 0.9},
    "white": {"palladium": 0.8, "silver": 0.2},
}


@cache
def _gold_constants(carat: float, alloy: str) -> Array:
    """n and k of a gold alloy, (m, 3) by wavelength: its metals' permittivities, mixed by volume."""
    volume = _gold_volumes(carat, alloy)
    whole = sum(volume.values())
    nm = np.arange(400.0, 701.0, 5.0)
    mixed = np.zeros(len(nm), dtype=complex)
    for metal, part in volume.items():
        table = PALLADIUM if metal == "palladium" else CONSTANTS[metal]  # type: ignore[index]
        index = np.interp(nm, table[:, 0], table[:, 1]) + 1j * np.interp(nm, table[:, 0], table[:, 2])
        mixed += part / whole * index**2
    index = np.sqrt(mixed)
    return np.stack([nm, index.real, index.imag], axis=1)


def _gold_volumes(carat: float, alloy: str) -> dict[str, float]:
    """The volumes of the metals in a gram of a gold alloy, cm³."""
    share = min(carat, 24.0) / 24
    mass = {"gold": share} | {metal: (1 - share) * part for metal, part in ALLOYS[alloy].items()}
    return {metal: m / DENSITY[metal] for metal, m in mass.items()}


def gold_density(carat: float, alloy: str) -> float:
    """The density of a gold alloy, g/cm³, by the mixture rule."""
    return 1 / sum(_gold_volumes(carat, alloy).values())


@cache
def gold_colour(carat: float, alloy: str) -> tuple[float, float, float]:
    """Reflectance of a gold alloy at normal incidence, linear RGB under D65; 24 carats is fine gold."""
    if carat >= 24:
        return metal_colour("gold")
    nm, n, k = _gold_constants(carat, alloy).T
    return _held(spectrum_to_rgb(nm, fresnel_normal(n, k)))


@cache
def gold_index(carat: float, alloy: str) -> tuple[float, float, float]:
    """Refractive index of a gold alloy near the primaries."""
    return metal_index("gold") if carat >= 24 else _at_primaries(_gold_constants(carat, alloy))


def _held(rgb: Array) -> tuple[float, float, float]:
    # gold is redder than the display's colours go: held to what a surface can return
    r, g, b = (float(np.clip(c, 0.0, MOST)) for c in rgb)
    return r, g, b


def _at_primaries(table: Array) -> tuple[float, float, float]:
    r, g, b = np.interp(PRIMARIES, table[:, 0], table[:, 1])
    return float(r), float(g), float(b)
