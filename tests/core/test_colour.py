import unittest

import numpy as np

from kilnchisel.core.colour import (
    LUMA,
    PALE_FROM,
    SHOULDER,
    delta_e,
    hex_to_linear,
    lab,
    linear_to_hex,
    picture_curve,
    srgb_decode,
    srgb_encode,
)
from kilnchisel.core.errors import KilnError


class Hex(unittest.TestCase):
    def test_round_trip(self):
        for text in ("#000000", "#ffffff", "#1f2f57", "#b0512f"):
            self.assertEqual(linear_to_hex(hex_to_linear(text)), text)

    def test_not_a_colour(self):
        for text in ("#12", "red", "#gggggg", ""):
            with self.assertRaises(KilnError):
                hex_to_linear(text)

    def test_encode_inverts_decode(self):
        x = np.linspace(0, 1, 1001)
        np.testing.assert_allclose(srgb_encode(srgb_decode(x)), x, atol=1e-7)


class PictureCurve(unittest.TestCase):
    def test_straight_below_the_shoulder(self):
        light = np.array([[0.1, 0.3, SHOULDER]])
        np.testing.assert_allclose(picture_curve(light), light)

    def test_brightness_never_changes_hue(self):
        green = np.array([0.2, 1.0, 0.4])
        shown = picture_curve(green * np.array([[0.1], [0.7], [1.0], [PALE_FROM]]))
        ratios = shown / shown[:, 1:2]
        np.testing.assert_allclose(ratios, np.tile(ratios[0], (4, 1)), rtol=1e-9)
        # far brighter it pales, along its own hue
        for strength in (2.0, 10.0, 1000.0):
            pale = picture_curve(green * strength)
            hues = [np.degrees(np.arctan2(*lab(colour)[[2, 1]])) for colour in (shown[2], pale)]
            self.assertAlmostEqual(hues[0], hues[1], delta=1.0)
            self.assertLessEqual(pale.max(), 1.0)

    def test_monotone_and_exposure_is_a_factor(self):
        ramp = np.repeat(np.linspace(0, 4, 200)[:, None], 3, axis=1)
        shown = picture_curve(ramp)[:, 0]
        self.assertTrue((np.diff(shown) > 0).all())
        np.testing.assert_allclose(picture_curve(ramp, 2.0), picture_curve(ramp * 2))

    def test_difference_of_equal_colours_is_zero(self):
        colours = np.random.default_rng(1).random((20, 3))
        np.testing.assert_allclose(delta_e(colours, colours), 0)
        self.assertAlmostEqual(float(np.ones(3) @ LUMA), 1.0, places=6)
