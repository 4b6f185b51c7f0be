"""Distances from lines against GEOS, which holds each point against each piece."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.lettering.nearness import FEW, distances_to


class Distances(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(20261201)

    def check(self, lines, points):
        self.assertGreater(len(points) * len(shapely.get_coordinates(lines)), FEW)  # by the grid
        wanted = shapely.distance(shapely.points(points), lines)
        np.testing.assert_allclose(distances_to(lines, points), wanted, atol=1e-9)

    def spots(self, low, high, count=3000):
        return self.rng.uniform(low, high, (count, 2))

    def test_rings_with_holes_within_and_far_beside(self):
        rings = shapely.MultiPolygon(
            [shapely.Point(x, y).buffer(9, 40).difference(shapely.Point(x + 1, y).buffer(4, 40))
             for x, y in ((0, 0), (30, 5), (90, -200))]
        )  # fmt: skip
        spots = self.spots(-300, 300)
        self.check(rings.boundary, spots)
        self.assertLess(distances_to(rings.boundary, shapely.get_coordinates(rings)).max(), 1e-9)

    def test_long_slanted_and_level_lines_and_points_of_no_length(self):
        lines = [shapely.LineString(self.rng.uniform(-50, 50, (2, 2))) for _ in range(40)]
        lines += [shapely.LineString([(-50, y), (50, y)]) for y in (-50.0, 0.0, 12.5)]
        lines += [shapely.LineString([(x, -50), (x, 50)]) for x in (-50.0, 33.3)]
        lines += [shapely.LineString([(7, 7), (7, 7), (8, 7)])]
        self.check(shapely.MultiLineString(lines), self.spots(-60, 60))

    def test_one_level_line_and_few_points(self):
        level = shapely.LineString(np.column_stack([np.linspace(0, 100, 60), np.zeros(60)]))
        self.check(level, self.spots(-20, 120))
        np.testing.assert_allclose(distances_to(level, np.array([(50.0, 3.0), (-4.0, 3.0)])), (3.0, 5.0))
        self.assertTrue(np.isinf(distances_to(shapely.LineString(), np.zeros((3, 2)))).all())


if __name__ == "__main__":
    unittest.main()
