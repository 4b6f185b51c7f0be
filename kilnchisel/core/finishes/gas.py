"""The colour of light from tubes: gas discharges from their lines, coatings by chromaticity.

Line positions: NIST ASD (air, nm). Relative intensities: CRC Handbook of Chemistry and Physics, from
memory; what a tube emits depends on current and pressure as well. Colours of coatings are common
practice: makers' cards differ.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA, RGB_FROM_XYZ, cie_1931, hex_to_linear, light_of_kelvin
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.crafts import CutThrough, Engraved, Standing, Tube

Array = NDArray[Any]

NEON = (
    (540.056, 200),
    (585.249, 2000),
    (588.190, 1000),
    (594.483, 1000),
    (597.553, 600),
    (603.000, 1000),
    (607.434, 1000),
    (609.616, 1000),
    (614.306, 1000),
    (616.359, 1000),
    (621.728, 1000),
    (626.650, 1000),
    (630.479, 400),
    (633.443, 1000),
    (638.299, 1000),
    (640.225, 2000),
    (650.653, 1500),
    (653.288, 600),
    (659.895, 1000),
    (667.828, 1000),
    (671.704, 500),
    (692.947, 700),
    (703.241, 1600),
)
# mercury with argon to start it: the mercury lines are what is seen
MERCURY = (
    (404.656, 1800),
    (407.783, 150),
    (435.833, 4000),
    (546.075, 1100),
    (576.961, 240),
    (579.067, 280),
)
# chromaticity x, y (CIE 1931) of coated tubes and filtered glass: common practice
COATED = {
    "ruby": (0.690, 0.305),
    "orange": (0.600, 0.385),
    "gold": (0.545, 0.440),
    "lemon": (0.445, 0.495),
    "green": (0.265, 0.590),
    "turquoise": (0.205, 0.375),
    "sky blue": (0.185, 0.205),
    "violet": (0.235, 0.120),
    "rose": (0.425, 0.290),
    "warm white": (0.440, 0.403),
    "cold white": (0.313, 0.329),
}
FROM_LINES = {"neon red": NEON, "argon blue": MERCURY}


def line_xyz(lines: tuple[tuple[float, float], ...]) -> Array:
    """CIE XYZ of spectral lines (nm, relative power), Y = 1."""
    nm, power = np.array(lines, dtype=float).T
    xyz = power @ cie_1931(nm)
    return np.asarray(xyz / xyz[1])


@cache
def tube_rgb(colour: str, own: str = "#ffffff") -> tuple[float, float, float]:
    """Linear RGB of a tube's light, its brightest channel 1.

    Light outside what a screen shows is brought to its edge towards white of the same luminance, which
    keeps its hue.
    """
    if colour == "own":
        rgb = np.array(hex_to_linear(own))
    else:
        if colour in FROM_LINES:
            xyz = line_xyz(FROM_LINES[colour])
        else:
            x, y = COATED[colour]
            xyz = np.array([x / y, 1.0, (1 - x - y) / y])
        rgb = RGB_FROM_XYZ @ xyz
        low = float(rgb.min())
        if low < 0:
            white = float(rgb @ LUMA)
            rgb = rgb + (white - rgb) * (-low / (white - low))
    r, g, b = rgb / max(float(rgb.max()), 1e-9)
    return float(r), float(g), float(b)


BRIGHT = 10.0  # radiance of a tube at 100 %, white paper in good light being 1


LED_KELVIN = {"warm white": 3000.0, "neutral white": 4300.0, "cold white": 6500.0}  # common practice
FACE_BRIGHT = 2.2  # the same for a lit face
STRIP_BRIGHT = 60.0  # and for a thin strip of light that nobody looks into


def tube_radiance(craft: Tube) -> Array:
    """Radiance of the lit tube, linear RGB, (3,)."""
    return np.array(tube_rgb(craft.colour, craft.own_colour)) * BRIGHT * craft.brightness / 100


def strip_radiance(craft: Standing) -> Array:
    """Radiance of the strip behind standing letters, linear RGB, (3,)."""
    return np.array(tube_rgb(craft.light_colour, craft.own_colour)) * STRIP_BRIGHT * craft.brightness / 100


def face_radiance(craft: Standing | CutThrough | BoxSign) -> Array:
    """Radiance of a lit face or of a panel of light, linear RGB, (3,)."""
    if isinstance(craft, BoxSign):
        colour = light_of_kelvin(LED_KELVIN[craft.light_colour])
    else:
        colour = np.array(tube_rgb(craft.light_colour, craft.own_colour))
    return np.asarray(colour * FACE_BRIGHT * craft.brightness / 100)


def fill_radiance(craft: Engraved) -> Array:
    """Radiance of light that fills an engraving, linear RGB, (3,)."""
    return np.array(tube_rgb(craft.glow_colour, craft.own_colour)) * FACE_BRIGHT * craft.glow / 100


def lamp_radiance(craft: Tube | Standing) -> Array:
    """Radiance of what shines of a lettering, linear RGB, (3,)."""
    return tube_radiance(craft) if isinstance(craft, Tube) else strip_radiance(craft)
