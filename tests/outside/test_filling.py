"""What is taken away of a photo, against the same photo in which it never was; its equations against closed
forms; and against a general library's own inpainting."""

import functools
import unittest
from unittest import mock

import cv2
import numpy as np
from scipy import ndimage

from kilnchisel.core.errors import KilnError
from kilnchisel.core.photo.filling import _membrane, filling
from kilnchisel.core.photo.searching import field_over

SIZE = (300, 420)  # rows, columns
PRINT = (slice(95, 205), slice(130, 290))
RED = (200, 30, 30)


@functools.cache
def cloth(tall=SIZE[0], wide=SIZE[1]):
    """Woven cloth with folds in uneven light, with the grain of a camera, (h, w, 3) uint8."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:tall, :wide] * (SIZE[0] / tall)
    folds = np.zeros_like(x)
    for angle, length, phase in ((0.3, 70, 0.2), (0.5, 110, 1.0), (0.15, 45, 2.0), (-0.4, 160, 0.5)):
        along = x * np.cos(angle) + y * np.sin(angle) + 9 * np.sin(y / 60 + phase)
        folds += 0.1 * np.sin(2 * np.pi * along / length + phase) ** 3
    light = 0.55 + 0.25 * x / SIZE[1] - 0.15 * y / SIZE[0]
    weave = 0.02 * np.sin(2 * np.pi * x / 3.1) * np.sin(2 * np.pi * y / 3.3)
    grey = np.clip(light * (1 + folds) + weave, 0, 1)[..., None] * (0.9, 0.85, 0.8)
    seen = ndimage.gaussian_filter(grey, (0.6, 0.6, 0)) + rng.normal(0, 0.008, (tall, wide, 3))
    return np.rint(np.clip(seen, 0, 1) * 255).astype(np.uint8)


@functools.cache
def taken_away():
    """Cloth with a print on it, where that is, the field, and the cloth without the print."""
    printed, hole = cloth().copy(), np.zeros(SIZE, bool)
    hole[PRINT] = True
    printed[hole] = RED
    field = field_over(printed, hole)
    return printed, hole, field, filling(printed, hole, field).of(printed)


def spread(pixels, low, high):
    """Of what is between two sizes, pixels, within the print."""
    grey = pixels.astype(float).mean(axis=2)
    kept = grey if low == 0 else ndimage.gaussian_filter(grey, low)
    return (kept - ndimage.gaussian_filter(grey, high))[PRINT][5:-5, 5:-5].std()


class Cloth(unittest.TestCase):
    def test_weave_and_folds_go_on(self):
        printed, hole, _, made = taken_away()
        true = cloth()
        usual = cv2.inpaint(printed, hole.astype(np.uint8), 5, cv2.INPAINT_TELEA)
        weave, folds = (spread(made, *band) / spread(true, *band) for band in ((0, 2), (2, 20)))
        self.assertGreater(weave, 0.85)
        self.assertLess(weave, 1.15)
        self.assertGreater(folds, 0.7)
        self.assertLess(folds, 1.3)
        self.assertGreater(weave, spread(usual, 0, 2) / spread(true, 0, 2) + 0.2)
        off, worse = (np.sqrt(((one.astype(float) - true)[hole] ** 2).mean()) for one in (made, usual))
        self.assertLess(off, worse)

    def test_nothing_of_the_print_is_left_and_nothing_else_changes(self):
        printed, hole, field, made = taken_away()
        np.testing.assert_array_equal(made[~hole], printed[~hole])
        inside = made[hole].astype(int)
        self.assertLess(np.abs(inside[:, 0] - inside[:, 1]).max(), 60)  # of red it is 170
        self.assertFalse(hole[field[hole][:, 0], field[hole][:, 1]].any())

    def test_no_edge_is_seen_where_it_was(self):
        _, hole, _, made = taken_away()
        grey = ndimage.gaussian_filter(made.astype(float).mean(axis=2), 1.0)
        steep = np.hypot(*np.gradient(grey))
        edge = hole & ~ndimage.binary_erosion(hole, iterations=2)
        beside = ndimage.binary_dilation(hole, iterations=30) & ~ndimage.binary_dilation(hole, iterations=6)
        self.assertLess(steep[edge].mean(), 1.35 * steep[beside].mean())

    def test_the_whole_photo_is_filled_as_what_was_seen_of_it(self):
        _, hole, field, made = taken_away()
        whole = cloth(2 * SIZE[0], 2 * SIZE[1])
        large = np.repeat(np.repeat(hole, 2, axis=0), 2, axis=1)
        whole = np.where(large[..., None], np.array(RED, np.uint8), whole)
        seen = cv2.resize(whole, SIZE[::-1], interpolation=cv2.INTER_AREA)
        result = filling(seen, hole, field).of(whole)
        np.testing.assert_array_equal(result[~large], whole[~large])
        small = cv2.resize(result, SIZE[::-1], interpolation=cv2.INTER_AREA).astype(float)
        off = ndimage.gaussian_filter(small - filling(seen, hole, field).of(seen), (3, 3, 0))[hole]
        self.assertLess(np.abs(off).mean(), 2.0)
        self.assertGreater(np.abs(small - made)[hole].mean(), 0)  # it has pixels of its own

    def test_nothing_is_copied_from_another_thing(self):
        """Beside the cloth a floor, of its mean tone but rough, and another of another hue."""
        printed, hole, _, _ = taken_away()
        rng = np.random.default_rng(9)
        for floor in (
            np.full((SIZE[0], 90, 3), (120, 113, 106)) + rng.normal(0, 30, (SIZE[0], 90, 1)),
            np.full((SIZE[0], 90, 3), (150, 110, 60)) + rng.normal(0, 2, (SIZE[0], 90, 1)),
        ):
            pixels = printed.copy()
            pixels[:, 330:] = np.clip(floor, 0, 255).astype(np.uint8)
            field = field_over(pixels, hole)
            self.assertLess((field[hole][:, 1] >= 330).mean(), 0.002)

    def test_a_large_one_is_sought_smaller_and_still_filled(self):
        with mock.patch("kilnchisel.core.photo.searching.SEARCHED", 2000):
            printed, hole, _, _ = taken_away()
            made = filling(printed, hole, field_over(printed, hole)).of(printed)
        inside = made[hole].astype(int)
        self.assertLess(np.abs(inside[:, 0] - inside[:, 1]).max(), 60)
        self.assertGreater(spread(made, 0, 2) / spread(cloth(), 0, 2), 0.8)


class Bounds(unittest.TestCase):
    def test_it_can_be_stopped_and_says_how_far_it_is(self):
        printed, hole, _, _ = taken_away()
        heard = []

        def step(share):
            heard.append(share)
            if share > 0.3:
                raise InterruptedError

        with self.assertRaises(InterruptedError):
            field_over(printed, hole, step)
        self.assertEqual(heard, sorted(heard))
        self.assertLess(heard[-1], 0.6)

    def test_too_little_left_is_a_sentence(self):
        pixels = np.zeros((40, 40, 3), np.uint8)
        hole = np.ones((40, 40), bool)
        hole[:6] = False
        with self.assertRaisesRegex(KilnError, "Mark less of it"):
            field_over(pixels, hole)

    def test_nothing_marked_changes_nothing(self):
        field = field_over(cloth(), np.zeros(SIZE, bool))
        np.testing.assert_array_equal(field, np.moveaxis(np.indices(SIZE), 0, -1))

    def test_a_thing_among_others_does_not_bleed(self):
        """Half black, half white: what is filled across the border is black or white, not in between."""
        pixels = np.zeros((160, 200, 3), np.uint8)
        pixels[:, 100:] = 255
        hole = np.zeros((160, 200), bool)
        hole[60:100, 85:115] = True
        marked = np.where(hole[..., None], np.array(RED, np.uint8), pixels)
        made = filling(marked, hole, field_over(marked, hole)).of(marked)
        wrong = np.abs(made.astype(int) - pixels).max(axis=2)[hole]
        self.assertLess((wrong > 60).mean(), 0.08)


class Membranes(unittest.TestCase):
    def test_laplace_and_poisson_of_functions_that_solve_them(self):
        y, x = np.mgrid[:40, :50].astype(float)
        inside = np.zeros((40, 50), bool)
        inside[8:30, 10:41] = True
        inside[20:26, 10:15] = False  # of no plain shape
        harmonic = (x * x - y * y)[..., None]
        hollow = np.where(inside[..., None], 0.0, harmonic)
        np.testing.assert_allclose(_membrane(hollow, inside), harmonic, atol=1e-8)
        # of x² the five-point Laplacian is 2 everywhere
        bowl = (x * x)[..., None]
        found = _membrane(np.where(inside[..., None], 0.0, bowl), inside, np.full((40, 50, 1), -2.0))
        np.testing.assert_allclose(found, bowl, atol=1e-8)
