"""What open land has besides its ground: bays of concrete, and woods where it ends."""

import unittest
from dataclasses import replace

import numpy as np

from kilnchisel.core.build import scene_of_job, square_on_view, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted, home_set
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.picture.refined import Wish
from kilnchisel.core.scene.bays import BAY_MM, JOINT_MM, PLAIN, TONES
from kilnchisel.core.scene.trees import AWAY

SIZE = (96, 60)


def standing(kind="sailing hull", where="hard standing", *, detail=Detail.ROUGH):
    job = fitted(fresh_job(kind, "TARN"), where)
    return job, scene_of_job(job, detail=detail)


def brightness(pixels):
    return np.asarray(pixels)[..., :3].astype(float).mean(axis=2)


class Bays(unittest.TestCase):
    def on_ground(self, scene, name):
        """The middles, the widths and the heights of its rectangles on the ground's own sheet, mm."""
        mesh = next(item.mesh for item in scene.laid if item.name.startswith(name))
        corners = mesh.points.reshape(-1, 4, 3)
        flat = scene.base.sheet_at(corners.reshape(-1, 3)).reshape(-1, 4, 2)
        return flat.mean(axis=1), np.ptp(flat, axis=1), corners[..., 2]

    def test_joints_are_a_bay_apart_and_all_is_flat(self):
        job, scene = standing()
        self.assertEqual(home_set(job.blank), "hard standing")
        middles, wide, high = self.on_ground(scene, "joints")
        for axis in (0, 1):
            along = np.argmax(wide, axis=1) != axis
            apart = np.diff(np.sort(middles[along, axis]))
            np.testing.assert_allclose(apart, BAY_MM, atol=1e-3)
            across = wide[along, axis]
            self.assertTrue((across >= JOINT_MM - 1e-6).all() and (across < 60).all())
        self.assertLess(float(high.max()), 5.0)
        self.assertGreater(float(high.min()), 0.0)

    def test_each_bay_is_there_once_and_about_as_many_are_as_the_ground(self):
        _, scene = standing()
        found = [self.on_ground(scene, f"bays {number}") for number in range(len(TONES))]
        middles = np.concatenate([one[0] for one in found])
        for _, wide, _ in found:
            np.testing.assert_allclose(wide, BAY_MM, atol=1e-3)
        cells = np.floor(middles / BAY_MM).astype(int)
        np.testing.assert_allclose(middles, (cells + 0.5) * BAY_MM, atol=1e-3)
        self.assertEqual(len(np.unique(cells, axis=0)), len(cells))
        whole = (np.ptp(cells[:, 0]) + 1) * (np.ptp(cells[:, 1]) + 1)
        self.assertAlmostEqual(len(cells) / whole, 1 - PLAIN, delta=0.08)

    def test_their_tones_are_the_grounds_and_joints_are_dark(self):
        _, scene = standing()
        ground = scene.base.material.albedo
        for item in scene.laid:
            share = item.material.albedo / ground
            np.testing.assert_allclose(share, share[0], rtol=1e-6)  # of its colour
            if item.name == "joints":
                self.assertLess(share[0], 0.5)
            else:
                self.assertLess(abs(share[0] - 1), 0.11)

    def test_only_ground_in_bays_has_them_and_square_on_does_not(self):
        job, scene = standing()
        self.assertEqual(scene.seen_in(square_on_view(job, 0, 1.6)).laid, ())
        self.assertIs(scene.seen_in(view_of(job)), scene)
        # while lettering moves the ground is the same to the bit: it is not drawn anew
        moved = scene_of_job(change(job, ("letterings", 0, "lay", "along_mm"), 3.0), detail=Detail.ROUGH)
        for one, other in zip((*scene.laid, *scene.trees), (*moved.laid, *moved.trees), strict=True):
            self.assertIs(one.mesh, other.mesh)
        for form in ("open", "flat", "street"):
            other = change(job, ("setting", "ground", "form"), form)
            self.assertEqual(scene_of_job(other, detail=Detail.ROUGH).laid, (), form)


class Woods(unittest.TestCase):
    def test_they_are_all_round_and_low(self):
        for detail in Detail:
            _, scene = standing(detail=detail)
            for item in scene.trees:
                foot, top = item.mesh.points.reshape(2, -1, 3)
                far = np.linalg.norm(foot[:, :2], axis=1) / scene.radius_mm
                self.assertTrue(((far > 0.8 * AWAY) & (far < 1.1 * AWAY)).all())
                self.assertEqual(float(np.abs(foot[:, 2]).max()), 0.0)
                apart = np.abs(np.diff(top[:, 2])) / top[1:, 2]
                self.assertGreater(float(apart.max()), 0.1)  # crown by crown
                up = np.degrees(np.arctan2(top[:, 2], np.linalg.norm(top[:, :2], axis=1)))
                self.assertGreater(float(up.min()), 0.05)
                self.assertLess(float(up.max()), 1.2)
                turn = np.sort(np.arctan2(foot[:-1, 1], foot[:-1, 0]))
                self.assertLess(np.degrees(np.diff(turn).max()), 0.31)
                corners = item.mesh.points[item.mesh.faces]
                out = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                self.assertTrue((np.einsum("ij,ij->i", out, -corners.mean(axis=1)) > 0).all())

    def test_round_a_small_piece_they_reach_up_to_the_horizon_too(self):
        job, scene = standing("board", "open field", detail=Detail.FINE)
        eye = view_of(job).eye
        for item in scene.trees:
            foot, top = item.mesh.points.reshape(2, -1, 3)
            self.assertTrue((top[:, 2] > eye[2]).all())
            far = np.linalg.norm(foot[:, :2] - eye[:2], axis=1)
            self.assertLess(np.degrees(np.arctan2(eye[2], far)).max(), 0.5)

    def test_they_end_open_land_under_a_clear_sky_alone(self):
        job, scene = standing()
        self.assertTrue(scene.trees)
        self.assertEqual(scene.seen_in(square_on_view(job, 0, 1.6)).trees, ())
        for kind, where in (("sailing hull", "quay at dusk"), ("bank", "meadow"), ("van", "kerbside")):
            self.assertEqual(standing(kind, where)[1].trees, (), where)
        for path, value in ((("ground", "kind"), "none"), (("ground", "form"), "flat")):
            other = change(job, ("setting", *path), value)
            self.assertEqual(scene_of_job(other, detail=Detail.ROUGH).trees, ())
        # what hangs has a wall for its ground, whatever the form says
        hung = change(fresh_job("plaque", "OK"), ("setting",), job.setting)
        hung = scene_of_job(change(hung, ("setting", "stance"), "hung"), detail=Detail.ROUGH)
        self.assertEqual((hung.trees, hung.laid), ((), ()))

    def test_both_pictures_have_them_where_the_land_ends(self):
        job, scene = standing("bank", "open field", detail=Detail.FINE)
        view, bare = view_of(job, 1.6), replace(scene, trees=())
        draft = Draft()
        self.addCleanup(draft.close)
        drawn = [brightness(draft.render(one, view, SIZE, detail=Detail.FINE)) for one in (scene, bare)]
        states = (list(Mockup(one).refine(view, SIZE, 4, looks=()))[-1] for one in (scene, bare))
        traced = [brightness(state.pixels) for state in states]
        changed = [np.abs(one - other).max(axis=1) > 6 for one, other in (drawn, traced)]
        for rows in changed:
            self.assertTrue(rows.any())
            self.assertLess(int(rows.sum()), 7)  # a narrow band
        at = [float(np.flatnonzero(rows).mean()) for rows in changed]
        self.assertAlmostEqual(*at, delta=1.5)

    def test_a_picture_without_background_leaves_them_out(self):
        job, scene = standing(detail=Detail.FINE)
        states = Mockup(scene).refine(view_of(job, 1.6), SIZE, 2, looks=(), wish=Wish(transparent=True))
        self.assertLess(float(list(states)[-1].light.alpha[:20, :10].max()), 0.05)


if __name__ == "__main__":
    unittest.main()
