"""Convolution by the Fourier transform against the direct sums of scipy.signal."""

import unittest

import numpy as np
from scipy import signal

from kilnchisel.core.fourier import convolved, convolved_within

SIZES = (
    ((40, 33), (7, 9)),
    ((5, 8), (11, 11)),
    ((24, 24), (24, 3)),
    ((10, 10), (4, 6)),
    ((9, 12), (9, 12)),
)


class Convolved(unittest.TestCase):
    def test_of_the_size_of_the_values(self):
        rng = np.random.default_rng(3)
        for size, wide in SIZES:
            with self.subTest(size=size, wide=wide):
                values, kernel = rng.random(size), rng.random(wide)
                direct = signal.convolve(values, kernel, "same", "direct")
                np.testing.assert_allclose(convolved(values, kernel), direct, atol=1e-12)

    def test_where_it_lies_wholly_within(self):
        rng = np.random.default_rng(4)
        for size, wide in SIZES:
            if wide <= size:
                with self.subTest(size=size, wide=wide):
                    values, kernel = rng.random(size), rng.random(wide)
                    direct = signal.convolve(values, kernel, "valid", "direct")
                    np.testing.assert_allclose(convolved_within(values, kernel), direct, atol=1e-12)


if __name__ == "__main__":
    unittest.main()
