"""Subdivision surfaces against splines and closed forms; the van against published measures and as a solid
by a second library."""

import unittest
from itertools import product

import numpy as np
import shapely
import trimesh
from scipy import interpolate

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.net import grid_net
from kilnchisel.core.blanks.vehicles.subdivision import Cage, cage_of, limit, normals_at, refined
from kilnchisel.core.blanks.vehicles.van import shape_of
from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Engraved, Printed
from kilnchisel.core.job.vehicles import Van
from tests.outside.test_blanks import job_on, mesh_of

RNG = np.random.default_rng(11)
SIZES = (
    Van(),
    Van(windows="minibus"),
    Van(length_mm=5900, height_mm=2500, width_mm=2020),
    Van(height_mm=1700, wheel_mm=560, length_mm=3600, width_mm=1500),
    Van(length_mm=9000, height_mm=3500, width_mm=2600, wheel_mm=1000, windows="minibus"),
    Van(height_mm=1300, length_mm=2500, width_mm=1200, wheel_mm=400),
)


def rough_lattice(rows, columns):
    """A level lattice 10 mm wide, its corners put off it at random, (rows, columns, 3)."""
    flat = np.stack([*np.meshgrid(np.arange(columns), np.arange(rows)), np.zeros((rows, columns))], axis=-1)
    return 10.0 * flat + RNG.normal(0, 3, flat.shape)


def spline_at(control, u, v):
    """The uniform bicubic B-spline of a lattice (rows, columns, 3) at (v, u) in steps from its corner."""
    rows, columns = control.shape[:2]
    across = interpolate.BSpline.design_matrix([u], np.arange(-2.0, columns + 2), 3).toarray()[0]
    up = interpolate.BSpline.design_matrix([v], np.arange(-2.0, rows + 2), 3).toarray()[0]
    return np.einsum("r,c,rcx->x", up, across, control)


class Subdivision(unittest.TestCase):
    """Source: Catmull and Clark 1978: where all points have four edges the limit is the uniform bicubic
    B-spline; evaluated by scipy.interpolate.BSpline."""

    def test_the_limit_of_a_lattice_is_a_spline(self):
        control = rough_lattice(7, 8)
        cage = cage_of([(control, 0)])
        fine = refined(refined(cage))
        places = limit(fine)
        for row, column in product((2.0, 2.25, 3.5), (2.75, 3.0, 4.5)):
            away = np.linalg.norm(places - spline_at(control, column, row), axis=1)
            self.assertLess(away.min(), 1e-9)

    def test_a_border_is_a_cubic_spline_of_its_own(self):
        control = rough_lattice(5, 9)
        places = limit(refined(cage_of([(control, 0)])))
        basis = interpolate.BSpline.design_matrix([3.5, 4.0], np.arange(-2.0, 11), 3).toarray()
        for spot in basis @ control[0]:
            self.assertLess(np.linalg.norm(places - spot, axis=1).min(), 1e-9)

    def test_so_is_a_crease(self):
        control = rough_lattice(9, 9)
        parts = [(control[:5], 0), (control[4:], 1)]
        places = limit(refined(refined(cage_of(parts, {(0, 1): np.inf}))))
        basis = interpolate.BSpline.design_matrix([3.25, 4.5], np.arange(-2.0, 11), 3).toarray()
        for spot in basis @ control[4]:
            self.assertLess(np.linalg.norm(places - spot, axis=1).min(), 1e-9)
        plain = limit(refined(refined(cage_of(parts))))
        self.assertGreater(np.linalg.norm(plain - basis[1] @ control[4], axis=1).min(), 0.1)

    def test_a_crease_of_some_steps_grows_softer(self):
        """Source: DeRose, Kass and Truong 1998: sharp for so many steps, smooth after."""
        corner = np.array([[[x, y, 10.0 * abs(y - 2)] for x in range(5)] for y in range(5)], dtype=float)
        corner[..., :2] *= 10
        heights = []
        for sharp in (0.0, 1.0, 2.0, np.inf):
            cage = cage_of([(corner[:3], 0), (corner[2:], 1)], {(0, 1): sharp})
            for _ in range(3):
                cage = refined(cage)
            places = limit(cage)
            middle = np.abs(places[:, :2] - (20, 20)).max(axis=1) < 1e-6
            heights.append(float(places[middle, 2].item()))
        self.assertAlmostEqual(heights[0], 10 / 3, places=9)  # a cubic B-spline: (10 + 4 * 0 + 10) / 6
        self.assertAlmostEqual(heights[1], heights[0] / 2, places=9)
        self.assertAlmostEqual(heights[2], heights[0] / 4, places=9)
        self.assertAlmostEqual(heights[3], 0.0, places=9)

    def test_the_corner_of_a_cube(self):
        """Source: the limit mask (n² v + 4 Σ e + Σ f) / (n (n + 5)) of Halstead, Kass and DeRose 1993 with
        n = 3: of a cube of 24 mm its corner comes to (6, 6, 6); and it stays there however fine."""
        cage = self.cube(24.0)
        np.testing.assert_allclose(limit(cage)[0], (6, 6, 6), atol=1e-12)
        np.testing.assert_allclose(limit(refined(refined(cage)))[0], (6, 6, 6), atol=1e-12)

    def test_normals_look_out(self):
        fine = refined(refined(self.cube(20.0)))
        points = limit(fine)
        out = np.einsum("ij,ij->i", normals_at(points, fine.faces), points - 10)
        self.assertGreater(out.min(), 0)

    def test_more_than_two_faces_at_an_edge(self):
        sheet = np.array([[[0, 0, 0], [1, 0, 0]], [[0, 1, 0], [1, 1, 0]]], dtype=float)
        other, third = sheet * (1, -1, 1), sheet[..., [0, 2, 1]]
        with self.assertRaises(ValueError):
            cage_of([(sheet, 0), (other[::-1], 0), (third, 0)])

    @staticmethod
    def cube(size):
        corners = np.array(list(product((0, 1), repeat=3)), dtype=float) * size
        faces = np.array(
            [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
        )
        return Cage(corners, faces, np.arange(6), np.zeros(12))


class Vans(unittest.TestCase):
    def test_they_are_as_large_as_they_say(self):
        for van in SIZES:
            with self.subTest(van=van):
                body = body_of(van)
                points = np.concatenate(
                    [s.mesh.points for s in body.shells if "mirror" not in s.name and "wiper" not in s.name]
                    + [s.side.to_body(s.net.at, np.zeros(len(s.net.at))) for s in body.sheets]
                )
                size = np.ptp(points, axis=0)
                # a bumper stands a little before the outline, corners are rounded
                self.assertAlmostEqual(size[0] / van.length_mm, 1.0, delta=0.012)
                self.assertAlmostEqual(size[1] / van.width_mm, 1.0, delta=0.012)
                self.assertAlmostEqual(points[:, 2].max() / van.height_mm, 1.0, delta=0.012)
                self.assertAlmostEqual(points[:, 2].min(), 0.0, delta=1.0)

    def test_one_of_a_usual_size_may_go_on_the_road(self):
        """Directive 96/53/EC (from memory): a motor vehicle is at most 12 m long, 2.55 m wide without its
        mirrors, 4 m high. A plate of 520 x 110 mm: common practice in Europe."""
        van = Van()
        self.assertLess(van.length_mm, 12_000)
        self.assertLess(van.width_mm, 2550)
        self.assertLess(van.height_mm, 4000)
        for name in ("nose", "rear"):
            plates = [i.area for i in body_of(van).sheet(name).insets if i.name == "number plate"]
            low_u, low_v, high_u, high_v = plates[0].bounds
            self.assertAlmostEqual(high_u - low_u, 520, delta=0.1)
            self.assertAlmostEqual(high_v - low_v, 110, delta=0.1)

    def test_they_close(self):
        """By trimesh, every solid of every size, plain and lettered."""
        for van in SIZES:
            for craft in (None, Engraved(depth_mm=0.4)):
                with self.subTest(van=van, craft=craft):
                    text = "" if craft is None else "TARN 8"
                    mesh = mesh_of(job_on(van, "left side", text, 180.0, craft, along_mm=300.0))
                    self.assertTrue(mesh.is_watertight)
                    self.assertGreater(mesh.volume, 0)

    def test_both_sides_are_alike(self):
        body = body_of(Van())
        left, right = body.sheet("left side").side, body.sheet("right side").side
        for at in ((900.0, 200.0), (-1200.0, -300.0), (2000.0, 500.0)):
            one = left.to_body(np.array([at]), np.zeros(1))[0]
            other = right.to_body(np.array([(-at[0], at[1])]), np.zeros(1))[0]
            np.testing.assert_allclose(one * (1, -1, 1), other, atol=0.05)

    def test_lettering_stays_where_it_was(self):
        """A side's sheet is x and the height above its middle, as it was when the van was a box bent by a
        formula: width/2 (1 - up²/10 - 0.09 ahead²)."""
        van = Van()
        side = body_of(van).sheet("left side").side
        for u, v in ((1390.0, 230.0), (1390.0, -190.0), (-200.0, 0.0), (600.0, 400.0)):
            x, y, z = side.to_body(np.array([[u, v]]), np.zeros(1))[0]
            self.assertAlmostEqual(x, u)
            self.assertAlmostEqual(z, v + van.height_mm / 2)
            up = np.clip((z / van.height_mm - 0.42) / 0.58, 0, 1)
            ahead = np.clip((-x / van.length_mm - 0.2) / 0.3, 0, 1)
            self.assertAlmostEqual(-y, van.width_mm / 2 * (1 - 0.1 * up**2 - 0.09 * ahead**2), delta=10.0)

    def test_a_longer_or_higher_van_keeps_its_cab(self):
        usual, other = shape_of(Van()), shape_of(Van(length_mm=5400, height_mm=2600))
        nose = [s.at((-0.5, 0.4)) for s in (usual, other)]
        for spot in ((-0.315, 0.17), (-0.307, 0.6), (-0.145, 0.9)):
            one, two = usual.at(spot) - nose[0], other.at(spot) - nose[1]
            np.testing.assert_allclose(two, one * (5400 / 4950, 1.06), rtol=0.1)
        self.assertAlmostEqual(float(other.at((0.5, 1.0))[0]), 2700)
        self.assertAlmostEqual(float(other.at((0.5, 1.0))[1]), 2600)

    def test_sides_read_right_and_face_out(self):
        body = body_of(Van())
        middle = np.array([0.0, 0.0, 1000.0])
        for sheet in body.sheets:
            with self.subTest(sheet.side.name):
                spot = np.array([[0.0, 0.0]])
                along, up, out = sheet.side.frames(spot)[0]
                place = sheet.side.to_body(spot, np.zeros(1))[0]
                self.assertGreater(out @ (place - middle), 0)
                np.testing.assert_allclose(np.cross(along, up), out, atol=1e-6)

    def test_insets_lie_beside_each_other(self):
        for sheet in body_of(Van(windows="minibus")).sheets:
            areas = [inset.area for inset in sheet.insets]
            for number, one in enumerate(areas):
                for other in areas[:number]:
                    self.assertLess(shapely.intersection(one, other).area, 1e-3)

    def test_a_rough_one_is_like_it(self):
        fine, rough = (body_of(Van(), detail=detail) for detail in (Detail.FINE, Detail.ROUGH))
        for one, other in zip(fine.sheets, rough.sheets, strict=True):
            low_u, low_v, high_u, high_v = one.side.domain.buffer(-150).bounds
            spots = grid_net(np.linspace(low_u, high_u, 5), np.linspace(low_v, high_v, 4)).points
            inside = shapely.contains_xy(one.side.domain.buffer(-150), *spots.T)
            if inside.any():
                a, b = (s.side.to_body(spots[inside], np.zeros(inside.sum())) for s in (one, other))
                self.assertLess(np.linalg.norm(a - b, axis=1).max(), 4.0)


class BesideInsets(unittest.TestCase):
    """What is let into a side is made once where letters keep off it, and together with them elsewhere."""

    def test_the_solid_is_the_same_either_way(self):
        near = job_on(
            Van(), "left side", "TARN", 120.0, Engraved(depth_mm=0.5), along_mm=1300.0, across_mm=60
        )
        volumes = [
            trimesh.Trimesh(*solid_of(piece_of(job))[:2]).volume for job in (near, job_on(Van(), text=""))
        ]
        letters = lettering_laid(near, 0).ink
        self.assertAlmostEqual(volumes[1] - volumes[0], 0.5 * letters.area, delta=0.03 * letters.area)

    def test_parts_are_all_there(self):
        names = {
            along: {
                part.name
                for part in piece_of(
                    job_on(Van(), "left side", "TARN", 90.0, Printed(), along_mm=along, across_mm=100)
                ).parts
                if part.side == "left side"
            }
            for along in (1400.0, 380.0, -400.0)  # beside all, over a seam, over the doors' handles
        }
        first = names[1400.0]
        self.assertIn("left side windows", first)
        for other in names.values():
            self.assertEqual(first, other)
