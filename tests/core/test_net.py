"""Nets and what cuts them: areas are kept, borders stay, thin faces and near misses do not tear them."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.blanks.mesh import (
    among,
    border_edges,
    compacted,
    distinct,
    doubled_areas,
    open_edges,
)
from kilnchisel.core.blanks.meshfile import cleaned, divided
from kilnchisel.core.blanks.net import Net, closely, grid_net, gridded, net_over
from kilnchisel.core.blanks.outlines import arched, drawn, oval, rectangle, rounded, shield, subdivided
from kilnchisel.core.crafts.sheet import GROUND, cut_net
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.laying.patch import on_plane


def area_of(points, faces):
    return doubled_areas(points, faces) / 2


class Spots(unittest.TestCase):
    def test_a_spot_comes_onto_the_plane_of_its_triangle_the_nearest_way(self):
        plane = np.array([[0.0, 0.0, 1.0], [2.0, 0.0, 2.0], [0.0, 3.0, 1.0]])  # z = 1 + x / 2
        normal = np.array([-0.5, 0.0, 1.0]) / np.sqrt(1.25)
        on_it = np.array([0.6, 0.7, 1.3])
        np.testing.assert_allclose(on_plane(on_it + 0.8 * normal, plane), on_it, atol=1e-12)


class Rows(unittest.TestCase):
    def test_distinct_rows_as_numpy_finds_them(self):
        rng = np.random.default_rng(5)
        for rows in (
            rng.integers(-4, 4, (5000, 3)),
            np.round(rng.normal(size=(3000, 2)), 1),
            np.zeros((1, 3)),
            np.empty((0, 3), dtype=np.int64),
        ):
            first, kind = distinct(rows)
            unique, index, inverse = np.unique(rows, axis=0, return_index=True, return_inverse=True)
            np.testing.assert_array_equal(first, index)
            np.testing.assert_array_equal(kind, inverse.reshape(-1))
            np.testing.assert_array_equal(rows[first], unique)


class Nets(unittest.TestCase):
    def test_a_net_covers_its_area_and_keeps_its_rings(self):
        ring = closely(oval(120, 80, detail=Detail.FINE)[0], 6.0)
        hole = closely(np.array([[-10.0, -8], [-10, 8], [10, 8], [10, -8]]), 6.0)
        area = shapely.Polygon(ring, [hole])
        net = net_over(area, 6.0)
        self.assertAlmostEqual(area_of(net.points, net.faces).sum(), area.area, places=6)
        self.assertTrue((area_of(net.points, net.faces) > 0).all())
        self.assertEqual(len(border_edges(net.faces)), len(ring) + len(hole))
        edges = net.points[np.sort(net.faces[:, :2], axis=1)]
        self.assertLess(np.linalg.norm(edges[:, 0] - edges[:, 1], axis=1).max(), 12.0)

    def test_a_grid_net_keeps_its_exact_places(self):
        u, v = np.linspace(-np.pi, np.pi, 13), np.linspace(0, 1 / 3, 4)
        net = grid_net(u, v)
        np.testing.assert_array_equal(np.unique(net.at[:, 0]), u)
        np.testing.assert_allclose(net.points, net.at, atol=5.1e-7)
        np.testing.assert_array_equal(gridded(net.points), net.points)

    def test_outlines_apart_and_within_each_other(self):
        # each is parted for itself: a ring round a disc, whose own faces it encloses, and one far off
        net = grid_net(np.linspace(-40, 40, 81), np.linspace(-30, 30, 61))
        spots = [shapely.Point(x, y) for x, y in ((-8.03, 0.07), (22.04, 3.11))]
        ring = shapely.difference(spots[0].buffer(14.0), spots[0].buffer(11.0))
        regions = [
            shapely.MultiPolygon([ring]),
            shapely.MultiPolygon([spots[0].buffer(0.7)]),
            shapely.MultiPolygon([spots[1].buffer(4.0)]),
        ]
        for snapped in (True, False):
            points, faces, label, _ = cut_net(net, regions, snapped=snapped)
            area = area_of(points, faces)
            self.assertAlmostEqual(area.sum(), 80 * 60, places=4)
            for number, region in enumerate(regions):
                self.assertAlmostEqual(area[label == number].sum(), region.area, delta=1e-4)
            self.assertEqual(open_edges(faces), open_edges(net.faces))

    def test_cut_by_a_disc(self):
        net = grid_net(np.linspace(-20, 20, 31), np.linspace(-15, 15, 22))
        disc = shapely.MultiPolygon([shapely.Point(3.3, 2.1).buffer(7.0, quad_segs=40)])
        for snapped in (True, False):
            points, faces, label, parent = cut_net(net, [disc], snapped=snapped)
            areas = area_of(points, faces)
            self.assertAlmostEqual(areas.sum(), 40 * 30, places=4)
            self.assertAlmostEqual(areas[label == 0].sum(), disc.area, places=4)
            self.assertAlmostEqual(areas[label == GROUND].sum(), 1200 - disc.area, places=4)
            self.assertEqual(open_edges(faces), open_edges(net.faces))
            np.testing.assert_array_equal(points[: len(net.points)], net.at)
            # every piece lies in the face it is said to be from
            middles = points[faces].mean(axis=1)
            inside = shapely.dwithin(net.triangles[parent], shapely.points(middles), 1e-5)
            self.assertTrue(inside.all())

    def test_what_runs_along_the_lines_does_not_tear_it(self):
        net = grid_net(np.linspace(0, 10, 11), np.linspace(0, 10, 11))
        for off in (0.0, 1e-7, 3e-7, 1e-6, 4e-6):
            box = shapely.MultiPolygon([shapely.box(2 + off, 3, 6, 7 - off)])
            points, faces, label, _ = cut_net(net, [box])
            self.assertEqual(open_edges(faces), open_edges(net.faces), off)
            self.assertAlmostEqual(area_of(points, faces)[label == 0].sum(), 16, delta=1e-4)

    def test_a_net_with_thin_faces_is_cut_again(self):
        net = grid_net(np.linspace(0, 10, 5), np.linspace(0, 10, 5))
        rng = np.random.default_rng(11)
        for _ in range(12):
            x, y, turn = rng.uniform(3, 7), rng.uniform(3, 7), rng.uniform(0, np.pi)
            star = shapely.Point(x, y).buffer(2.2, quad_segs=3)
            star = shapely.affinity.rotate(star, turn, use_radians=True)
            points, faces, _, _ = cut_net(net, [shapely.MultiPolygon([star])])
            self.assertEqual(open_edges(faces), open_edges(net.faces))
            net = Net(gridded(points), faces)
        self.assertAlmostEqual(area_of(net.points, net.faces).sum(), 100, delta=1e-3)


class Outlines(unittest.TestCase):
    def test_every_outline_has_its_size_and_turns_one_way(self):
        square = np.array([[0.0, 0], [4, 0], [4, 2], [2, 1.2], [0, 2]])
        for make in (
            lambda detail: oval(300, 200, detail=detail),
            lambda detail: rectangle(300, 200, 20, detail=detail),
            lambda detail: arched(300, 200, 12, detail=detail),
            lambda detail: shield(300, 200, 8, detail=detail),
            lambda detail: drawn(square, 300, 200, 4, detail=detail),
        ):
            for detail in Detail:
                points, normals = make(detail)
                area = shapely.Polygon(points)
                self.assertTrue(area.is_valid)
                self.assertTrue(shapely.is_ccw(area.exterior))
                # round corners take a little off outlines that end in a point
                np.testing.assert_allclose(np.ptp(points, axis=0), (300, 200), rtol=0.04)
                outside = points + 0.3 * normals
                self.assertFalse(shapely.contains_xy(area, *outside.T).any())

    def test_corners_are_as_round_as_asked(self):
        points, _ = rounded(np.array([[0.0, 0], [50, 0], [50, 30], [0, 30]]), 6.0, detail=Detail.FINE)
        wanted = 50 * 30 - (4 - np.pi) * 36
        self.assertAlmostEqual(shapely.Polygon(points).area / wanted, 1.0, delta=1e-3)
        with self.assertRaises(KilnError):
            rounded(np.array([[0.0, 0], [50, 0], [50, 3], [0, 3]]), 6.0, detail=Detail.FINE)

    def test_subdivided_keeps_the_outline(self):
        ring = rectangle(100, 60, 5, detail=Detail.FINE)
        points, normals = subdivided(ring, 4.0)
        self.assertAlmostEqual(shapely.Polygon(points).area, shapely.Polygon(ring[0]).area, places=6)
        step = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1)
        self.assertLess(step.max(), 4.0 + 1e-9)
        self.assertEqual(len(points), len(normals))


class Cleaning(unittest.TestCase):
    def test_doubled_degenerate_and_loose_things_go(self):
        points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, 0], [9, 9, 9]])
        faces = np.array([[0, 2, 1], [4, 1, 3], [0, 3, 2], [1, 2, 3], [1, 2, 3], [0, 4, 1]])
        made = cleaned(points, faces, np.zeros(6, dtype=int), ("body",), None)
        self.assertEqual(open_edges(made[1]), 0)
        self.assertEqual(made[6], 0)
        said = " ".join(made[5])
        self.assertIn("1 doubled", said)
        self.assertIn("1 triangles without area", said)
        self.assertNotIn(9.0, made[0])

    def test_bad_numbers_and_nothing_are_refused(self):
        faces, part = np.array([[0, 1, 2]]), np.zeros(1, dtype=int)
        for points, said in (
            (np.array([[0.0, 0, 0], [1, 0, 0], [np.nan, 1, 0]]), "no numbers"),
            (np.zeros((3, 3)), "one place"),
            (np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0]]), ""),
        ):
            if said:
                with self.assertRaises(KilnError) as caught:
                    cleaned(points, faces, part, ("body",), None)
                self.assertIn(said, str(caught.exception))

    def test_long_edges_are_divided_without_tearing(self):
        points = np.array([[0.0, 0, 0], [8, 0, 0], [0, 5, 0], [0, 0, 3]])
        faces = np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]])
        fine, made, parent = divided(points, faces, 1.1)
        self.assertEqual(open_edges(made), 0)
        np.testing.assert_array_equal(fine[:4], points)
        edges = np.concatenate([made[:, [0, 1]], made[:, [1, 2]], made[:, [2, 0]]])
        self.assertLessEqual(np.linalg.norm(fine[edges[:, 0]] - fine[edges[:, 1]], axis=1).max(), 1.1)
        for number in range(4):
            a, b, c = (fine[made[parent == number][:, i]] for i in range(3))
            whole = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
            p, q, r = points[faces[number]]
            self.assertAlmostEqual(whole, np.linalg.norm(np.cross(q - p, r - p)), places=9)

    def test_small_tools(self):
        np.testing.assert_array_equal(among(np.array([3, 9, 4]), np.array([4, 1, 3])), [True, False, True])
        self.assertFalse(among(np.array([1]), np.array([], dtype=int)).any())
        used, faces = compacted(np.array([[2, 7, 5], [7, 9, 5]]), 11)
        np.testing.assert_array_equal(used, [2, 5, 7, 9])
        np.testing.assert_array_equal(used[faces], [[2, 7, 5], [7, 9, 5]])


if __name__ == "__main__":
    unittest.main()
