"""Blades of grass over land before a camera and on a bank: where they stand, how wide, that they stay."""

import unittest
from dataclasses import replace

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import piece_of, scene_of_job, square_on_view, view_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.scene.grass import (
    LAND_MM,
    LEAST_WIDE_MM,
    MOST_BLADES,
    Before,
    before,
    meadow,
    mixed,
    on_bank,
)

SEEN = Before((0.0, -20_000.0), 1600.0, 90.0, 25.0, 8000.0, 0.0004)
NOWHERE = (0.0, 0.0)


def feet(mesh):
    """Where blades stand, (n, 2): between the two first corners of each."""
    pairs = mesh.faces[np.isclose(mesh.points[mesh.faces[:, :2], 2], -1.0, atol=0.01).all(axis=1)]
    return mesh.points[pairs[:, :2], :2].mean(axis=1)


def of_tens(places):
    return {tuple(one) for one in np.rint(places * 10).astype(int).tolist()}


class Land(unittest.TestCase):
    def test_chance_is_that_of_its_source(self):
        # the first two numbers of SplitMix64 from seed 0, as published with it (from memory)
        step = np.uint64(0x9E3779B97F4A7C15)
        with np.errstate(over="ignore"):
            found = mixed(np.array([step, step + step]))
        self.assertEqual([hex(int(one)) for one in found], ["0xe220a8397b1dcdaf", "0x6e789e6aa1b965f4"])

    def test_they_stand_where_the_camera_looks_and_off_the_piece(self):
        foot = feet(meadow(SEEN, (6000.0, 3000.0)))
        self.assertGreater(len(foot), 10_000)
        away = foot - SEEN.eye
        turn = np.degrees(np.arctan2(away[:, 1], away[:, 0]))
        self.assertLess(float(np.abs(turn - 90).max()), SEEN.half_deg + 0.1)
        far = np.hypot(*away.T)
        self.assertGreater(float(far.min()), 0.88 * SEEN.near_mm)
        self.assertGreater(float(far.max()), 6 * SEEN.near_mm)
        self.assertFalse((np.abs(foot) < (6000.0, 3000.0)).all(axis=1).any())
        # as many as a picture can show, nearer and farther: none of its rows goes without
        counts, _ = np.histogram(np.log(far), 6)
        self.assertGreater(counts.min(), 0.2 * counts.max())

    def test_none_is_finer_than_the_picture_nor_are_there_too_many(self):
        for pixel in (0.0001, 0.0004, 0.002):
            mesh = meadow(replace(SEEN, pixel=pixel), NOWHERE)
            foot = feet(mesh)
            self.assertLess(len(foot), 1.3 * MOST_BLADES)
            self.assertLess(len(mesh.faces), 3.9 * MOST_BLADES)
            pairs = mesh.faces[np.isclose(mesh.points[mesh.faces[:, :2], 2], -1.0, atol=0.01).all(axis=1)]
            ends = mesh.points[pairs[:, :2], :2]
            wide = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
            far = np.linalg.norm(foot - SEEN.eye, axis=1)
            self.assertGreater(float((wide / np.maximum(LEAST_WIDE_MM, pixel * far)).min()), 0.55)

    def test_from_so_far_that_none_is_seen_there_are_none(self):
        self.assertEqual(len(meadow(replace(SEEN, pixel=0.006), NOWHERE).faces), 0)
        # and as far as any is seen they go on
        far = np.linalg.norm(feet(meadow(SEEN, NOWHERE)) - SEEN.eye, axis=1).max()
        self.assertGreater(LAND_MM / (SEEN.pixel * far), 1.2)
        self.assertLess(LAND_MM / (SEEN.pixel * far), 2.5)

    def test_they_are_lit_from_where_they_are_seen(self):
        mesh = meadow(SEEN, NOWHERE)
        eye = np.array([*SEEN.eye, SEEN.high_mm])
        self.assertGreater(float(((eye - mesh.points) * mesh.normals).sum(axis=1).min()), 0.0)

    def test_they_stay_when_the_camera_moves_a_little(self):
        one = of_tens(feet(meadow(SEEN, NOWHERE)))
        other = of_tens(feet(meadow(replace(SEEN, eye=(1000.0, -20_000.0)), NOWHERE)))
        self.assertGreater(len(one & other), 0.75 * len(one))


class InAScene(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.job = fitted(fresh_job("van", "TARN"), "open field")
        cls.scene, cls.view = scene_of_job(cls.job), view_of(cls.job, 1.5)

    def test_views_alike_share_them_and_a_parallel_one_has_none(self):
        shown = self.scene.seen_in(self.view)
        self.assertEqual(shown.base.relief[0], "meadow")
        self.assertGreater(len(shown.base.close_mesh.faces), len(self.scene.base.mesh.faces) + 20_000)
        nudged = replace(self.view, eye=self.view.eye + 1.0)
        self.assertIs(self.scene.seen_in(nudged), shown)
        square = self.scene.seen_in(square_on_view(self.job, 0, 1.5))
        self.assertIsNone(square.base.relief)
        up = replace(self.view, ahead=self.view.up, up=-self.view.ahead)
        self.assertIsNone(before(up, self.scene.base.frame))

    def test_the_draft_shows_them_at_rest_and_not_while_it_moves(self):
        size = (240, 160)
        pictures = {}
        for detail in (Detail.FINE, Detail.ROUGH):
            for grassed in (True, False):
                scene = self.scene if grassed else replace(
                    self.scene, base=replace(self.scene.base, grassed=None)
                )  # fmt: skip
                drawn = Draft().render(scene, self.view, size, detail=detail)[..., :3].astype(float)
                pictures[detail, grassed] = drawn[130:]  # below the van
        fine = np.abs(pictures[Detail.FINE, True] - pictures[Detail.FINE, False])
        self.assertGreater(fine.mean(), 2.0)
        rough = np.abs(pictures[Detail.ROUGH, True] - pictures[Detail.ROUGH, False])
        self.assertLess(rough.mean(), 0.5)
        # and is on the whole as light as without
        means = [pictures[Detail.FINE, grassed].mean() for grassed in (True, False)]
        self.assertLess(abs(means[0] - means[1]), 8.0)


class OnABank(unittest.TestCase):
    def setUp(self):
        self.job = fresh_job("bank", "TARN")

    def test_they_stand_on_its_ground_and_are_no_part_of_it(self):
        side = body_of(self.job.blank).sheets[0].side
        for mesh in on_bank(self.job.blank):
            some = slice(0, 3 * 500)
            uv = mesh.uv[some].reshape(-1, 3, 2)[:, 0]
            foot = side.to_body(uv, np.zeros(len(uv)))
            corners = mesh.points[some].reshape(-1, 3, 3)
            np.testing.assert_allclose(corners[:, :2].mean(axis=1), foot - (0, 0, 1), atol=1e-6)
            self.assertTrue((corners[:, 2, 2] > foot[:, 2] + 10).all())
        scene = scene_of_job(self.job)
        self.assertIn("grass on the slope", [item.name for item in scene.items])
        self.assertIn("grass about it", [item.name for item in scene.grass])
        # what is handed over as a solid has none
        _, faces, _ = solid_of(piece_of(self.job))
        self.assertLess(len(faces), 60_000)
        self.assertGreater(sum(len(item.mesh.faces) for item in scene.items), len(faces) + 10_000)

    def test_one_of_another_finish_or_smooth_has_none(self):
        bare = change(self.job, ("blank", "seed"), 0)
        self.assertNotIn("grass on the slope", [item.name for item in scene_of_job(bare).items])
        rough = scene_of_job(self.job, detail=Detail.ROUGH)
        self.assertNotIn("grass on the slope", [item.name for item in rough.items])
