"""The size of a picture while something moves, against cards that take their time by a known law."""

import unittest

from kilnchisel.core.picture.budget import LEAST, MOST, FrameBudget


def settled(fixed: float, full: float, wanted: float, frames: int = 40) -> tuple[float, float]:
    """The size that a card comes to which takes ``fixed`` s and ``full`` s more for a picture of full size,
    and the time a picture takes then."""
    budget = FrameBudget(wanted, 0.4)
    for _ in range(frames):
        budget.took(budget.scale, fixed + full * budget.scale**2)
    return budget.scale, fixed + full * budget.scale**2


class Budget(unittest.TestCase):
    def test_a_slow_card_draws_smaller_until_it_is_in_time(self):
        scale, seconds = settled(0.008, 0.1, 0.025)
        self.assertAlmostEqual(scale, 0.4, delta=0.051)  # 0.008 + 0.1 s² = 0.025 at 0.41
        self.assertLess(seconds, 0.031)
        scale, seconds = settled(0.008, 0.2, 0.025)
        self.assertLess(scale, 0.35)
        self.assertLess(seconds, 0.031)

    def test_a_quick_card_draws_at_full_size_and_a_hopeless_one_stays_readable(self):
        self.assertEqual(settled(0.001, 0.004, 0.025)[0], MOST)
        self.assertEqual(settled(0.2, 0.5, 0.025)[0], LEAST)

    def test_it_comes_to_rest(self):
        budget = FrameBudget(0.025, 0.4)
        sizes = []
        for _ in range(60):
            sizes.append(budget.scale)
            budget.took(budget.scale, 0.008 + 0.13 * budget.scale**2)
        self.assertLessEqual(len(set(sizes[30:])), 2)  # between two neighbours at most


if __name__ == "__main__":
    unittest.main()
