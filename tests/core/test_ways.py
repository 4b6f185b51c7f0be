"""In which order a cutter goes its ways, and with what."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.finish import Wood
from kilnchisel.core.shop.making import CUTTERS_MM
from kilnchisel.core.shop.paths.order import in_short_order, rings_in_order
from kilnchisel.core.shop.paths.reach import fitting, unreached
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.shop.paths.shaping import Wanted, shaped_to
from kilnchisel.core.shop.paths.surface import Heights
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


class Shaping(unittest.TestCase):
    def operations(self, height, balls=(6.0, 2.0)):
        """What is done to a square of 40 mm, its heights a function of the way from its middle line."""

        def wanted_at(cell):
            count = int(40 / cell)
            x = -20 + (np.arange(count) + 0.5) * cell
            return Wanted(Heights(np.tile(height(np.abs(x)), (count, 1)), (-20.0, -20.0), cell))

        how = Routing(flats_mm=(6.0,), balls_mm=balls, scallop_mm=0.02)
        made = shaped_to("it", wanted_at, balls, Wood(), how)
        return [(one.name, one.tool.diameter_mm) for one in made]

    def test_what_one_ball_reaches_is_left_alone_by_the_next(self):
        dish = self.operations(lambda x: -2.0 + (50 - np.sqrt(50**2 - x**2)) * (2.0 / 4.2))
        self.assertEqual(dish, [("rough it", 6.0), ("relief it", 6.0)])

    def test_what_is_narrow_and_steep_is_left_to_the_finest(self):
        groove = self.operations(lambda x: np.clip(2.5 * (x - 1.2), -3.0, 0.0))
        self.assertEqual([one for one in groove if one[0].startswith("detail")], [("detail it", 2.0)])
        self.assertEqual([one for one in groove if one[0].startswith("steep")], [("steep it", 2.0)])

    def test_what_is_shallow_is_not_roughed(self):
        self.assertEqual(self.operations(lambda x: np.full(len(x), -0.4), (6.0,))[0][0], "relief it")


class Cutters(unittest.TestCase):
    def test_a_holder_is_above_what_cuts(self):
        tool = tool_written("flat 6mm flute 20mm holder 40mm out 35mm")
        self.assertEqual((tool.flute_mm, tool.holder_mm, tool.out_mm), (20.0, 40.0, 35.0))
        with self.assertRaisesRegex(KilnError, "farther than the flute is long"):
            tool_written("flat 6mm flute 20mm holder 40mm out 15mm")


if __name__ == "__main__":
    unittest.main()
