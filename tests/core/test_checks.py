"""Checks of a lettering: each says what is wrong where it is, and nothing where it is not."""

import unittest

from kilnchisel.core.job.edits import change
from kilnchisel.core.shop.checks import checks
from tests.samples import plaque_job


def told(job, key):
    return [check for check in checks(job, 0) if check.key == key]


class Outlines(unittest.TestCase):
    def test_corners_that_cannot_be_rounded_so_far_are_told(self):
        job = change(plaque_job("TARN"), ("letterings", 0, "content", "cap_height_mm"), 20.0)
        path = ("letterings", 0, "content", "round_mm")
        self.assertEqual(told(change(job, path, 0.1), "rounding"), [])
        (check,) = told(change(job, path, 15.0), "rounding")
        self.assertEqual(check.level, "warning")
        self.assertGreater(check.amount_mm, 5.0)  # strokes are some 3 mm wide

    def test_strokes_thinned_until_they_break_are_told_with_half_of_it_as_the_fix(self):
        job = change(plaque_job("TARN"), ("letterings", 0, "content", "cap_height_mm"), 20.0)
        path = ("letterings", 0, "content", "thicken_mm")
        self.assertEqual(told(change(job, path, -0.05), "thinning"), [])
        found = [(much, told(change(job, path, -much), "thinning")) for much in (0.4, 0.6, 0.8, 1.0, 1.2)]
        much, (check,) = next((much, checks_) for much, checks_ in found if checks_)
        self.assertEqual(check.level, "failure")
        mended = check.fix.apply(change(job, path, -much))
        self.assertAlmostEqual(mended.letterings[0].content.thicken_mm, -much / 2)


if __name__ == "__main__":
    unittest.main()
