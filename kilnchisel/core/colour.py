"""Colour: linear light inside, sRGB at the door, measured metal spectra to RGB, the picture curve.

Arrays are float, last axis RGB, linear Rec. 709 primaries unless a name says ``srgb``.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError

Array = NDArray[Any]

# IEC 61966-2-1: linear sRGB (D65) to CIE XYZ
XYZ_FROM_RGB = np.array(
    [
        [0.4123907993, 0.3575843394, 0.1804807884],
        [0.2126390059, 0.7151686788, 0.0721923154],
        [0.0193308187, 0.1191947798, 0.9505321522],
    ]
)
RGB_FROM_XYZ = np.linalg.inv(XYZ_FROM_RGB)
LUMA = XYZ_FROM_RGB[1]
WHITE_XYZ = XYZ_FROM_RGB.sum(axis=1)


def srgb_encode(linear: Array) -> Array:
    """Linear light 0..1 to sRGB 0..1 (IEC 61966-2-1); values outside are clipped."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055)


def srgb_decode(srgb: Array) -> Array:
    """sRGB 0..1 to linear light 0..1 (IEC 61966-2-1)."""
    x = np.clip(srgb, 0.0, 1.0)
    return np.where(x <= 0.04045, x / 12.92, np.power((x + 0.055) / 1.055, 2.4))


def hex_to_linear(text: str) -> tuple[float, float, float]:
    """``#rrggbb`` (sRGB) to linear RGB. Raises KilnError when it is not a colour."""
    digits = text.strip().lstrip("#")
    try:
        if len(digits) != 6:
            raise ValueError
        srgb = np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)]) / 255
    except ValueError:
        raise KilnError(f"“{text}” is not a colour; write it as #rrggbb.") from None
    r, g, b = srgb_decode(srgb)
    return float(r), float(g), float(b)


def linear_to_hex(linear: Array) -> str:
    """Linear RGB to ``#rrggbb``."""
    r, g, b = np.rint(srgb_encode(np.asarray(linear, float)) * 255).astype(int)
    return f"#{r:02x}{g:02x}{b:02x}"


def lab(linear: Array) -> Array:
    """CIELAB (D65 white) of linear RGB, shape (..., 3) -> (..., 3). Source: CIE 15."""
    ratio = (np.asarray(linear, float) @ XYZ_FROM_RGB.T) / WHITE_XYZ
    f = np.where(ratio > (6 / 29) ** 3, np.cbrt(np.maximum(ratio, 0)), ratio * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack(
        [
            116 * f[..., 1] - 16,
            500 * (f[..., 0] - f[..., 1]),
            200 * (f[..., 1] - f[..., 2]),
        ],
        axis=-1,
    )


def linear_of_lab(colour: Array) -> Array:
    """Linear RGB of CIELAB (D65 white), (..., 3) -> (..., 3); may lie outside 0..1. Source: CIE 15."""
    fy = (colour[..., 0] + 16) / 116
    f = np.stack([fy + colour[..., 1] / 500, fy, fy - colour[..., 2] / 200], axis=-1)
    ratio = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29))
    return np.asarray((ratio * WHITE_XYZ) @ RGB_FROM_XYZ.T)


LUMINANCE = np.array([0.2126, 0.7152, 0.0722])  # IEC 61966-2-1, as WCAG 2.x takes it
ENOUGH, LARGE_ENOUGH = 4.5, 3.0  # contrast of letters to be read, of large ones; WCAG 2.x, 1.4.3


def contrast_ratio(one: Array, two: Array) -> float:
    """WCAG 2.x: (L1 + 0.05) / (L2 + 0.05) of two linear RGB colours, the lighter one first."""
    high, low = sorted((float(one @ LUMINANCE), float(two @ LUMINANCE)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def delta_e(first: Array, second: Array) -> Array:
    """Colour difference CIELAB ΔE*76 between two arrays of linear RGB."""
    return np.asarray(np.linalg.norm(lab(first) - lab(second), axis=-1))


# The picture curve: straight up to the shoulder, then an exponential approach to 1. It is applied to
# the largest channel and the others keep their ratio to it, so brightness never changes hue.
SHOULDER = 0.62


# What is far brighter than white pales: its chroma falls and its lightness rises along its own CIELAB hue.
PALE_FROM, PALE_OVER, PALE_MOST, PALE_ROUNDS = 1.2, 9.0, 0.8, 9


def picture_curve(linear: Array, gain: float | Array = 1.0) -> Array:
    """Scene light, times a gain or one (3,) of each channel, to display-linear light 0..1, hue kept.
    Shape (..., 3) -> (..., 3)."""
    light = np.maximum(np.asarray(linear), 0.0) * gain
    peak = light.max(axis=-1, keepdims=True)
    room = 1.0 - SHOULDER
    bent = SHOULDER + room * (1.0 - np.exp(-(np.maximum(peak, SHOULDER) - SHOULDER) / room))
    scale = np.where(peak > SHOULDER, bent / np.maximum(peak, 1e-9), 1.0)
    shown = light * scale
    very = peak[..., 0] > PALE_FROM
    if very.any():
        share = PALE_MOST * (1.0 - np.exp(-(peak[very] - PALE_FROM) / PALE_OVER))
        colour = lab(shown[very])
        lightness = colour[:, :1] + (100.0 - colour[:, :1]) * share
        low, high = np.zeros_like(share), 1 - share
        for _ in range(PALE_ROUNDS):  # the most chroma of this hue that the screen shows at that lightness
            part = (low + high) / 2
            rgb = linear_of_lab(np.hstack([lightness, colour[:, 1:] * part]))
            fits = ((rgb >= -1e-4) & (rgb <= 1 + 1e-4)).all(axis=1, keepdims=True)
            low, high = np.where(fits, part, low), np.where(fits, high, part)
        shown[very] = np.clip(linear_of_lab(np.hstack([lightness, colour[:, 1:] * low])), 0, 1)
    return np.asarray(shown)


MOST_SHOWN = 0.997  # a pixel as bright as this may have been any brighter


def curve_undone(shown: Array) -> Array:
    """The light that the picture curve shows as display-linear light 0..1, before anything pales: shape
    (..., 3) -> (..., 3)."""
    shown = np.asarray(shown)
    peak = shown.max(axis=-1, keepdims=True)
    room = 1.0 - SHOULDER
    over = np.clip(peak, SHOULDER, MOST_SHOWN) - SHOULDER
    light = SHOULDER - room * np.log(1 - over / room)
    return np.asarray(shown * np.where(peak > SHOULDER, light / np.maximum(peak, 1e-9), 1.0))


# linear sRGB to linear Display P3, both of white D65: from their primaries (IEC 61966-2-1, SMPTE RP 431-2)
P3_FROM_RGB = np.array(
    [
        [0.8224619687, 0.1775380313, 0.0],
        [0.0331941989, 0.9668058011, 0.0],
        [0.0170826307, 0.0723974407, 0.9105199286],
    ]
)


BALANCED_K = 5500.0  # light of this colour temperature is shown as white
DAYLIGHT_FROM_K = 5000.0


def chromaticity_of_kelvin(kelvin: float) -> tuple[float, float]:
    """CIE 1931 x, y of light of a colour temperature, 1500 to 15,000 K: a black body's below 5000 K, a
    phase of daylight from there on.

    Black body by the rational fit of Krystek, "An algorithm to calculate correlated colour temperature",
    Color Research & Application 10 (1985); daylight by CIE 15, Illuminant D series.
    """
    t = kelvin
    if t < DAYLIGHT_FROM_K:
        u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (
            1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2
        )
        v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (
            1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2
        )
        return 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    if t <= 7000:
        x = -4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063
    else:
        x = -2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040
    return x, -3 * x**2 + 2.870 * x - 0.275


def light_of_kelvin(kelvin: float) -> Array:
    """Linear RGB (3,) of luminance 1 of light of a colour temperature, white at BALANCED_K."""
    own, white = (_rgb_of(*chromaticity_of_kelvin(t)) for t in (kelvin, BALANCED_K))
    light = np.maximum(own / white, 0.0)
    return np.asarray(light / float(light @ LUMA))


def white_gain(kelvin: float) -> Array:
    """What each channel (3,) is multiplied by for light of a colour temperature to be shown as white."""
    gain = 1 / np.maximum(light_of_kelvin(kelvin), 0.05)
    return np.asarray(gain / float(gain @ LUMA))


def _rgb_of(x: float, y: float) -> Array:
    return np.asarray(np.array([x / y, 1.0, (1 - x - y) / y]) @ RGB_FROM_XYZ.T)


def fresnel_normal(n: Array, k: Array) -> Array:
    """Reflectance at normal incidence from air: ((n-1)² + k²) / ((n+1)² + k²). Fresnel equations."""
    n, k = np.asarray(n, float), np.asarray(k, float)
    return np.asarray(((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2))


def spectrum_to_rgb(wavelength_nm: Array, reflectance: Array) -> Array:
    """Linear RGB of a reflectance spectrum under D65, so that a perfect reflector is (1, 1, 1).

    ``wavelength_nm`` ascending, shape (n,); ``reflectance`` shape (n,). Colour matching functions by
    the multi-lobe fits of Wyman, Sloan and Shirley, "Simple Analytic Approximations to the CIE XYZ
    Color Matching Functions", JCGT 2(2), 2013; D65 table from CIE 15 at 20 nm (from memory).
    """
    grid = np.arange(400.0, 701.0, 5.0)
    power = np.interp(grid, _D65_NM, _D65)
    weights = cie_1931(grid) * power[:, None]
    seen = np.interp(grid, wavelength_nm, reflectance) @ weights
    xyz = seen / weights.sum(axis=0) * WHITE_XYZ
    return np.asarray(xyz @ RGB_FROM_XYZ.T)


_D65_NM = np.arange(400.0, 701.0, 20.0)
_D65 = np.array(
    [82.75, 93.43, 104.86, 117.81, 115.92, 109.35, 104.79, 104.41]
    + [100.0, 95.79, 90.01, 87.70, 83.70, 80.21, 78.28, 71.61]
)


def cie_1931(nm: Array) -> Array:
    """CIE 1931 2° colour matching functions, shape (n,) -> (n, 3). Wyman et al. 2013."""

    def lobe(height: float, centre: float, left: float, right: float) -> Array:
        t = (nm - centre) * np.where(nm < centre, left, right)
        return height * np.exp(-0.5 * t * t)

    x = (
        lobe(0.362, 442.0, 0.0624, 0.0374)
        + lobe(1.056, 599.8, 0.0264, 0.0323)
        + lobe(-0.065, 501.1, 0.0490, 0.0382)
    )
    y = lobe(0.821, 568.8, 0.0213, 0.0247) + lobe(0.286, 530.9, 0.0613, 0.0322)
    z = lobe(1.217, 437.0, 0.0845, 0.0278) + lobe(0.681, 459.0, 0.0385, 0.0725)
    return np.stack([x, y, z], axis=-1)
