import unittest

import numpy as np
import shapely

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.joinery import Parts
from kilnchisel.core.blanks.mesh import (
    Mesh,
    edges_of,
    grid,
    join,
    open_edges,
    quartered,
    welded,
    with_short_edges,
)
from kilnchisel.core.blanks.mug import foot_round, wall_top
from kilnchisel.core.blanks.sides import principal_stretches
from kilnchisel.core.build import piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS, Mug, Plaque
from kilnchisel.core.job.model import Job

MUGS = (
    Mug(),
    Mug(handle=False),
    Mug(diameter_mm=40, height_mm=40, wall_mm=1.2, rim_mm=1.5),
    Mug(diameter_mm=160, height_mm=220, wall_mm=8, rim_mm=12),
    Mug(handle_deg=37, rim_mm=5),
)
PLAQUES = (
    Plaque(),
    Plaque(shape="oval"),
    Plaque(corner_mm=0),
    Plaque(thickness_mm=4, edge_round_mm=2),
    Plaque(width_mm=60, height_mm=60, corner_mm=30),
    Plaque(shape="oval", width_mm=90, height_mm=200),
    Plaque(width_mm=1200, height_mm=800, thickness_mm=20, edge_round_mm=0.05),
)


class Solids(unittest.TestCase):
    def test_every_blank_closes_and_has_its_size(self):
        for blank in (*MUGS, *PLAQUES):
            with self.subTest(blank=blank):
                points, faces, label = solid_of(piece_of(Job(blank=blank)))
                self.assertEqual(open_edges(faces), 0)
                self.assertEqual(len(label), len(faces))
                size = points.max(axis=0) - points.min(axis=0)
                self.assertAlmostEqual(size[2], blank.height_mm, delta=0.03)
                if isinstance(blank, Plaque):
                    self.assertAlmostEqual(size[0], blank.width_mm, delta=0.03)
                    self.assertAlmostEqual(size[1], blank.thickness_mm, delta=0.03)

    def test_plaque_volume_by_formula(self):
        # a plate with nearly sharp edges: area of the rounded rectangle or ellipse times thickness
        plate = Plaque(width_mm=100, height_mm=60, thickness_mm=10, edge_round_mm=0.05, corner_mm=10)
        points, faces, _ = solid_of(piece_of(Job(blank=plate)))
        volume = Mesh(points, points, points[:, :2], faces).volume_mm3
        area = 100 * 60 - (4 - np.pi) * 10**2
        self.assertAlmostEqual(volume / (area * 10), 1.0, delta=3e-4)
        oval = Plaque(shape="oval", width_mm=100, height_mm=60, thickness_mm=10, edge_round_mm=0.05)
        points, faces, _ = solid_of(piece_of(Job(blank=oval)))
        volume = Mesh(points, points, points[:, :2], faces).volume_mm3
        self.assertAlmostEqual(volume / (np.pi * 50 * 30 * 10), 1.0, delta=1e-3)

    def test_mug_holds_what_its_wall_leaves(self):
        mug = Mug(handle=False)
        points, faces, _ = solid_of(piece_of(Job(blank=mug)))
        volume = Mesh(points, points, points[:, :2], faces).volume_mm3
        outer = np.pi * 42**2 * 84
        self.assertLess(volume, 0.2 * outer)
        self.assertGreater(volume, 0.05 * outer)


class Sides(unittest.TestCase):
    def sides(self):
        for blank in (Mug(), Plaque(), Plaque(shape="oval")):
            for sheet in body_of(blank).sheets:
                yield sheet.side

    def samples(self, side, count=50):
        low_u, low_v, high_u, high_v = side.domain.bounds
        rng = np.random.default_rng(3)
        return rng.uniform((low_u, low_v), (high_u, high_v), (count, 2))

    def test_frames_are_right_handed_and_face_outward(self):
        for side in self.sides():
            uv = self.samples(side)
            frames = side.frames(uv)
            np.testing.assert_allclose(
                frames @ frames.transpose(0, 2, 1), np.tile(np.eye(3), (50, 1, 1)), atol=1e-12
            )
            np.testing.assert_allclose(np.linalg.det(frames), 1.0)
            lifted = side.to_body(uv, np.full(50, 0.7)) - side.to_body(uv, np.zeros(50))
            np.testing.assert_allclose(lifted, 0.7 * frames[:, 2], atol=1e-12)

    def test_u_runs_to_the_readers_right(self):
        for side in self.sides():
            uv = self.samples(side, 5)
            step = side.to_body(uv + (1e-4, 0), np.zeros(5)) - side.to_body(uv, np.zeros(5))
            normal = side.frames(uv)[:, 2]
            readers_right = np.cross([0, 0, 1.0], normal)
            self.assertTrue((np.einsum("ij,ij->i", step, readers_right) > 0).all(), side.name)

    def test_true_size_everywhere(self):
        for side in self.sides():
            uv = self.samples(side)
            for axis in (0, 1):
                step = np.eye(2)[axis] * 1e-3
                length = np.linalg.norm(
                    side.to_body(uv + step, np.zeros(50)) - side.to_body(uv, np.zeros(50)), axis=1
                )
                np.testing.assert_allclose(length / 1e-3, 1.0, rtol=1e-6)
            np.testing.assert_allclose(principal_stretches(side.jacobian(uv)), 1.0)

    def test_rays_meet_where_they_were_aimed(self):
        for side in self.sides():
            uv = self.samples(side)
            points, normals = side.to_body(uv, np.zeros(50)), side.frames(uv)[:, 2]
            eyes = points + 300 * normals + np.random.default_rng(4).normal(0, 20, (50, 3))
            ways = points - eyes
            ways /= np.linalg.norm(ways, axis=1, keepdims=True)
            np.testing.assert_allclose(side.meet(eyes, ways), uv, atol=1e-6)
            self.assertTrue(np.isnan(side.meet(eyes, -ways)).all())

    def test_a_mug_s_sheet_goes_once_round(self):
        side = body_of(Mug()).sheet("outside").side
        self.assertAlmostEqual(side.period, np.pi * 84)
        self.assertAlmostEqual(side.degrees(side.period / 4), 90.0)
        ends = side.to_body(np.array([[-side.period / 2, 40], [side.period / 2, 40]]), np.zeros(2))
        np.testing.assert_allclose(ends[0], ends[1], atol=1e-9)

    def test_the_handle_is_kept_clear_where_it_is(self):
        for degrees in (-90, 0, 135):
            mug = Mug(handle_deg=degrees)
            body = body_of(mug)
            zone = body.sheet("outside").side.clear[0]
            u = (np.radians(degrees)) * 42
            self.assertTrue(shapely.contains_xy(zone.area, u, 45))
            handle = next(s for s in body.shells if s.solid == "handle").mesh.points.mean(axis=0)
            self.assertAlmostEqual(np.degrees(np.arctan2(handle[0], -handle[1])), degrees, delta=0.5)
        self.assertEqual(body_of(Mug(handle=False)).sheet("outside").side.clear, ())

    def test_what_sides_are_is_known_of_the_rough_body(self):
        """The window asks it while a blank is being changed, and cannot wait for the fine one."""
        for kind in KINDS.values():
            fine, rough = (body_of(kind(), detail=detail).sides for detail in (Detail.FINE, Detail.ROUGH))
            told = [
                [
                    (s.name, type(s), s.period, s.taper, bool(s.clear), all_.opposite(s.name))
                    for s in all_.all
                ]
                for all_ in (fine, rough)
            ]
            self.assertEqual(*told)

    def test_unknown_side_names_the_sides(self):
        with self.assertRaises(KilnError) as caught:
            body_of(Plaque()).sheet("inside")
        self.assertIn("“front” and “back”", str(caught.exception))

    def test_the_wall_lies_between_foot_and_rim(self):
        for mug in MUGS:
            self.assertLess(foot_round(mug), wall_top(mug))
            self.assertLess(wall_top(mug), mug.height_mm)


class Meshes(unittest.TestCase):
    def test_grid_turns_its_faces_to_its_normals(self):
        x, y = np.meshgrid([0.0, 1, 2], [0.0, 1])
        flat = np.stack([x, y, 0 * x], axis=-1)
        for way in (1.0, -1.0):
            normals = np.broadcast_to([0, 0, way], flat.shape)
            mesh = grid(flat, normals, flat[..., :2])
            a, b, c = (mesh.points[mesh.faces[:, i]] for i in range(3))
            self.assertTrue((np.sign(np.cross(b - a, c - a)[:, 2]) == way).all())

    def test_quartered_it_is_the_same_body(self):
        wall = Parts(Detail.ROUGH).wall((0, 0, 0), (900, 40, 2500))
        self.assertEqual(len(wall.faces), 12 * 4**3)  # 2500 mm in eight
        again = quartered(wall)
        self.assertEqual(open_edges(welded(again.points, again.faces)[1]), 0)
        self.assertAlmostEqual(again.volume_mm3 / (900 * 40 * 2500), 1.0, places=9)
        np.testing.assert_allclose(np.linalg.norm(again.normals, axis=1), 1.0)

    def test_with_short_edges_it_is_the_same_body(self):
        wide, deep, tall = 2600.0, 70.0, 90.0
        bar = Parts(Detail.FINE).box((0, 0, 0), (wide, deep, tall))
        for longest in (3000.0, 1400.0, 500.0, 60.0):  # none, one, two and all edges of a triangle
            again = with_short_edges(bar, longest)
            edges = again.points[edges_of(again.faces)]
            self.assertLessEqual(np.linalg.norm(edges[:, 0] - edges[:, 1], axis=1).max(), longest)
            self.assertEqual(open_edges(welded(again.points, again.faces)[1]), 0)
            self.assertAlmostEqual(again.volume_mm3 / bar.volume_mm3, 1.0, places=9)
        self.assertIs(with_short_edges(bar, 3000.0), bar)

    def test_join_and_weld(self):
        x, y = np.meshgrid([0.0, 1], [0.0, 1])
        flat = np.stack([x, y, 0 * x], axis=-1)
        one = grid(flat, np.broadcast_to([0, 0, 1.0], flat.shape), flat[..., :2])
        two = one.moved(np.array([[1, 0, 0, 1], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]]))
        both = join([one, two])
        points, faces = welded(both.points, both.faces)
        self.assertEqual((len(both.points), len(points), len(faces)), (8, 6, 4))
        self.assertEqual(open_edges(faces), 6)
