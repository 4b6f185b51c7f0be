"""In which order a cutter goes its ways, and with what."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.shop.making import CUTTERS_MM
from kilnchisel.core.shop.paths.order import in_short_order, rings_in_order
from kilnchisel.core.shop.paths.reach import fitting, unreached
from kilnchisel.core.shop.paths.tools import Tool, tool_written


def square(x, y, half=2.0):
    return shapely.box(x - half, y - half, x + half, y + half)


class Order(unittest.TestCase):
    def test_what_is_near_is_next(self):
        ways = rings_in_order(shapely.MultiPolygon([square(-25, 0), square(10, 0), square(30, 0)]))
        self.assertEqual([round(float(way[:, 0].mean()) / 10) for way in ways], [1, 3, -2])

    def test_what_lies_within_is_cut_before_what_is_round_it(self):
        ring = shapely.difference(square(0, 0, 20), square(0, 0, 10))
        wide = [float(np.ptp(way[:, 0])) for way in rings_in_order(shapely.union(ring, square(3, 0)))]
        self.assertEqual(wide, [4.0, 20.0, 40.0])

    def test_a_way_is_begun_at_its_nearer_end(self):
        ways = [np.array([[30.0, 0], [12.0, 0]]), np.array([[10.0, 0], [1.0, 0]])]
        self.assertEqual([way[:, 0].tolist() for way in in_short_order(ways)], [[1.0, 10.0], [12.0, 30.0]])


class Reach(unittest.TestCase):
    def test_the_widest_cutter_that_gets_in_is_taken(self):
        strip = shapely.box(0, 0, 40, 4)
        self.assertEqual(fitting(strip, (2.0, 3.0, 6.0)).diameter_mm, 3.0)
        self.assertEqual(fitting(strip, (6.0, 8.0)).diameter_mm, 6.0)

    def test_a_finer_cutter_is_named_that_reaches_most_of_what_is_left(self):
        # of a square's corners a cutter leaves (4 - π) r²: one half as wide leaves a quarter of it
        (told,) = unreached("pocket", square(0, 0, 20), Tool("flat", 9.0), 3.0)
        wide = max(one for one in CUTTERS_MM if one < 4.5)
        self.assertIn(f"a cutter of {wide:g} mm would reach most of it", told)
        self.assertAlmostEqual(float(told.split()[1]), (4 - np.pi) * 4.5**2, delta=0.05)


class Cutters(unittest.TestCase):
    def test_a_holder_is_above_what_cuts(self):
        tool = tool_written("flat 6mm flute 20mm holder 40mm out 35mm")
        self.assertEqual((tool.flute_mm, tool.holder_mm, tool.out_mm), (20.0, 40.0, 35.0))
        with self.assertRaisesRegex(KilnError, "farther than the flute is long"):
            tool_written("flat 6mm flute 20mm holder 40mm out 15mm")


if __name__ == "__main__":
    unittest.main()
