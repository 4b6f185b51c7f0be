"""What a draft at rest mirrors of the piece and its ground, and shows through glass."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from demo.jobs import JOBS
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import delta_e, srgb_decode
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Band, Jar
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Glass, Gold, Paint
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.picture import card
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.gather import lets_through
from kilnchisel.core.picture.ggx import share_table
from kilnchisel.core.picture.mirrorpass import _slight
from kilnchisel.core.picture.rays import RAYS, lobes
from tests.samples import mocked, the_draft

SIZE = (240, 192)


class Lobes(unittest.TestCase):
    def test_they_throw_what_the_table_says(self):
        # the weights' mean is the share of uniform light that comes back, found by another way of sampling
        table = share_table().sum(axis=2)
        for row, column in ((12, 28), (20, 16), (26, 8), (16, 31)):
            cosine, rough = (column + 0.5) / 32, ((row + 0.5) / 32) ** 2
            count = 4000
            normals = np.tile([0.0, 0.0, 1.0], (count, 1))
            eyes = np.tile([np.sqrt(1 - cosine**2), 0.0, cosine], (count, 1))
            grains = np.tile([0.0, 1.0, 0.0], (count, 1))
            alike = np.full(count, rough)
            turns = np.random.default_rng(3).random((count, 2))
            ways, weights = lobes(normals, normals, grains, eyes, alike, alike, turns)
            self.assertEqual(ways.shape, (count * RAYS, 3))
            self.assertAlmostEqual(weights.mean(), table[row, column], delta=0.015)

    def test_across_a_grain_they_are_wide_and_along_it_narrow(self):
        count = 500
        normals = np.tile([0.0, 0.0, 1.0], (count, 1))
        grains = np.tile([0.0, 1.0, 0.0], (count, 1))
        turns = np.random.default_rng(3).random((count, 2))
        ways, _ = lobes(normals, normals, grains, normals, np.full(count, 0.05), np.full(count, 0.4), turns)
        self.assertGreater(ways[:, 1].std(), 4 * ways[:, 0].std())


class Mirrors(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.draft = the_draft()
        job = fitted(change(fresh_job("band"), ("blank",), Band(size_mm=18.0)), "black acrylic")
        cls.job = change(job, ("finish",), Gold(polish="satin"))
        cls.scene, cls.view = scene_of_job(cls.job), replace(view_of(cls.job), opening_mm=0.0)
        cls.there = cls.draft.coverage(cls.scene, cls.view, SIZE)

    def differs(self, pixels, from_, where):
        return delta_e(srgb_decode(pixels / 255), srgb_decode(from_ / 255))[where].mean()

    def test_a_ring_is_mirrored_in_itself_and_in_acrylic_as_in_the_mockup(self):
        fine = self.draft.render(self.scene, self.view, SIZE)[..., :3]
        rough = self.draft.render(self.scene, self.view, SIZE, detail=Detail.ROUGH)[..., :3]
        mock = mocked(self.scene, self.view, SIZE)
        self.assertLess(self.differs(fine, mock, self.there), 0.8 * self.differs(rough, mock, self.there))
        # on the ground before it: its mirror image, of gold
        rows = np.nonzero(self.there.any(axis=1))[0]
        below = np.zeros_like(self.there)
        below[rows.max() + 3 : rows.max() + 18, 90:150] = True
        below &= ~self.there
        self.assertLess(self.differs(fine, mock, below), 0.6 * self.differs(rough, mock, below))
        warm = fine[below].astype(float)
        self.assertGreater((warm[:, 0] - warm[:, 2]).mean(), 6)

    def test_a_mirror_is_made_once_for_a_picture(self):
        self.draft.render(self.scene, self.view, SIZE)
        first = {part: mirror for part, (_, mirror) in self.draft._mirrors._last.items()}
        one = self.draft.render(self.scene, self.view, SIZE)
        again = {part: mirror for part, (_, mirror) in self.draft._mirrors._last.items()}
        self.assertEqual(first, again)
        self.assertIn("still", first)
        np.testing.assert_array_equal(one, self.draft.render(self.scene, self.view, SIZE))

    def test_a_card_that_holds_few_meshes_draws_the_same(self):
        wanted = self.draft.render(self.scene, self.view, SIZE)
        with mock.patch.multiple(card, KEPT_MESHES=1, KEPT_MESH_BYTES=0, FEW_MESHES=1):
            np.testing.assert_array_equal(Draft().render(self.scene, self.view, SIZE), wanted)

    def test_another_ground_shows_in_the_ring(self):
        red = change(
            self.job,
            ("setting", "ground"),
            self.job.setting.ground.model_copy(update={"kind": "paper", "colour": "#c01010"}),
        )
        red = change(red, ("setting", "light"), self.job.setting.light)
        pixels = self.draft.render(scene_of_job(red), self.view, SIZE)[..., :3].astype(float)
        here = self.draft.render(self.scene, self.view, SIZE)[..., :3].astype(float)
        rows = np.nonzero(self.there.any(axis=1))[0]
        lower = self.there.copy()
        lower[: rows.max() - 12] = False
        redder = (pixels[..., 0] - pixels[..., 1]) - (here[..., 0] - here[..., 1])
        self.assertGreater(redder[lower].mean(), 4)

    def test_what_is_matt_mirrors_nothing(self):
        matt = change(self.job, ("finish",), Paint(gloss=0.0))
        matt = change(matt, ("rim_finish",), Paint(gloss=0.0))  # the inside, which stays too
        matt = fitted(matt, "felt bench top")
        draft = Draft()
        draft.render(scene_of_job(matt), self.view, SIZE)
        self.assertNotIn("still", draft._mirrors._last)


class Narrow(unittest.TestCase):
    def test_what_is_met_here_and_there_only_is_told_from_what_is_seen_whole(self):
        """A plain with an edge one pixel wide in pieces, and a ridge three pixels wide all along."""
        facing = np.tile([0.0, 0.0, 1.0], (20, 30, 1))
        slope = np.array([0.0, -0.7071, 0.7071])
        facing[5, 3:8] = facing[5, 14:20] = slope
        facing[12:15] = slope
        wanted = np.zeros((20, 30), bool)
        wanted[5, 3:8] = wanted[5, 14:20] = True
        np.testing.assert_array_equal(_slight(facing, np.ones((20, 30), int)), wanted)


class ThroughGlass(unittest.TestCase):
    def test_a_jar_bends_what_is_behind_it_as_the_mockup_does(self):
        job = change(fresh_job("jar"), ("blank",), Jar())
        job = change(job, ("finish",), Glass(colour="#ffe9b0", frosted=0.0))
        job = job.model_copy(update={"letterings": ()})
        job = fitted(job, "white sweep")
        scene, view = scene_of_job(job), replace(view_of(job), opening_mm=0.0)
        draft = the_draft()
        mock = mocked(scene, view, SIZE, samples=20)
        there = draft.coverage(scene, view, SIZE)

        def off(detail):
            pixels = draft.render(scene, view, SIZE, detail=detail)[..., :3]
            return delta_e(srgb_decode(pixels / 255), srgb_decode(mock / 255))[there].mean()

        self.assertLess(off(Detail.FINE), 0.75 * off(Detail.ROUGH))

    def test_what_is_in_a_jar_colours_its_shadow_at_rest_as_while_it_moves(self):
        job = JOBS["honey-jar"]()
        moving, rest = (lets_through(scene_of_job(job, detail=one)) for one in (Detail.ROUGH, Detail.FINE))
        np.testing.assert_array_equal(moving, rest)
        self.assertGreater(rest[0], 4 * rest[2])  # honey lets little blue through

    def test_a_window_mirrors_the_street_over_its_room_as_the_mockup_does(self):
        job = change(fresh_job("window", "OPEN"), ("letterings", 0, "finish"), Glass(frosted=75.0))
        scene, view = scene_of_job(job), view_of(job)
        mock = srgb_decode(mocked(scene, view, SIZE, samples=20) / 255)
        drawn = srgb_decode(the_draft().render(scene, view, SIZE, detail=Detail.FINE)[..., :3] / 255)
        off = delta_e(drawn, mock)
        # the pane, and the letters of frosted film on it
        for mask, most in (("pane", 8.5), ("lettering", 9.0)):
            seen = [item for item in scene.items if item.side == "outside"]
            only = tuple(item for item in seen if item.mask.startswith(mask))
            there = the_draft().coverage(replace(scene, items=only), view, SIZE)
            self.assertGreater(there.sum(), 100)
            self.assertLess(off[there].mean(), most, mask)

    def test_a_filled_tumbler_shows_the_table_and_the_place_behind_it_as_the_mockup_does(self):
        job = change(fresh_job("tumbler"), ("finish",), Glass(colour="#f4f8f4", frosted=0.0))
        job = change(job, ("blank", "filled"), 60.0).model_copy(update={"letterings": ()})
        job = change(fitted(job, "weathered planks"), ("setting", "camera", "tilt_deg"), 8.0)
        scene, view = scene_of_job(job), replace(view_of(job), opening_mm=0.0)
        self.assertIsNotNone(scene.base.material.texture)
        mock = srgb_decode(mocked(scene, view, SIZE, samples=20) / 255)
        drawn = srgb_decode(the_draft().render(scene, view, SIZE, detail=Detail.FINE)[..., :3] / 255)
        there = the_draft().coverage(scene, view, SIZE)
        self.assertLess(delta_e(drawn, mock)[there].mean(), 9.5)


if __name__ == "__main__":
    unittest.main()
