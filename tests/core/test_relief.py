"""Grounds that are no plane: bricks stand out of joints where their picture has them, grass has blades."""

import unittest

import numpy as np

from kilnchisel.core.build import scene_of_job
from kilnchisel.core.finishes.textures import bricks
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.job.setting import Ground
from kilnchisel.core.scene.grass import MOST_BLADES, grown
from kilnchisel.core.scene.grounds import HANG_GAP_MM
from kilnchisel.core.scene.relief import MOST_BRICKS, SET_BACK_MM, bricked


class Bricks(unittest.TestCase):
    def test_faces_are_where_the_picture_of_them_is(self):
        mesh = bricked(500.0)
        texture = bricks()
        size = len(texture.tint)
        level = np.abs(mesh.normals[:, 2] - 1) < 1e-9
        at = np.floor(mesh.points[level, :2] / texture.tile_mm * size).astype(int) % size
        red = texture.tint[at[:, 1], at[:, 0]]
        self.assertGreater(float((red[:, 0] > 1.3 * red[:, 2]).mean()), 0.98)  # brick, not lime

    def test_joints_of_ten_mm_lie_back(self):
        mesh = bricked(500.0)
        level = np.abs(mesh.normals[:, 2] - 1) < 1e-9
        faces = mesh.points[level].reshape(-1, 4, 3)
        wide, tall = np.ptp(faces, axis=1)[:, 0].mean(), np.ptp(faces, axis=1)[:, 1].mean()
        self.assertAlmostEqual(wide, 215 - 2 * 3.5, delta=1.5)
        self.assertAlmostEqual(tall, 65 - 2 * 3.5, delta=1.5)
        self.assertAlmostEqual(float(faces[:, :, 2].mean()), 0.0, delta=1.0)
        self.assertGreater(float(faces[:, :, 2].std()), 0.5)  # each is its own

    def test_a_wall_hangs_the_piece_in_front_of_it(self):
        job = fitted(fresh_job("plaque"), "brick wall by day")
        base = scene_of_job(job).base
        assert base is not None
        near = base.close_mesh.points @ base.normal - base.point @ base.normal
        self.assertAlmostEqual(float(near[:181].max()), -SET_BACK_MM, places=6)  # the plane of the joints
        self.assertLess(float(near.max()), HANG_GAP_MM)  # no brick comes through what hangs there
        self.assertIs(base.close_mesh, scene_of_job(change(job, ("wear", "dirt"), 9.0)).base.close_mesh)
        self.assertLessEqual(len(bricked(60_000.0).points) / 24, 1.2 * MOST_BRICKS)

    def test_other_grounds_have_none(self):
        base = scene_of_job(fitted(fresh_job("plaque"), "render wall by day")).base
        assert base is not None
        self.assertIsNone(base.relief)


class Grass(unittest.TestCase):
    def test_blades_stand_round_the_piece_and_not_in_it(self):
        mesh = grown(80.0, (40.0, 30.0))
        feet = mesh.points.reshape(-1, 5, 3)[:, :2].mean(axis=1)
        self.assertFalse(((np.abs(feet[:, 0]) < 40) & (np.abs(feet[:, 1]) < 30)).any())
        self.assertGreater(len(feet), 1500)
        high = mesh.points.reshape(-1, 5, 3)[:, 4, 2]
        self.assertTrue(10 < np.median(high) < 35)
        self.assertLessEqual(len(grown(1400.0, (0.0, 0.0)).points) / 5, MOST_BLADES)

    def test_they_come_with_open_turf_alone(self):
        job = fresh_job("mug")
        for form, wanted in (("open", "blades"), ("flat", None)):
            turf = change(job, ("setting", "ground"), Ground(kind="grass", form=form))
            base = scene_of_job(turf).base
            assert base is not None
            self.assertEqual(None if base.relief is None else base.relief[0], wanted)


if __name__ == "__main__":
    unittest.main()
