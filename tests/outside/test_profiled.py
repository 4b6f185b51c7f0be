"""Letters of profiled sheet: their section by its formula, as solids by a second library, their frames."""

import unittest

import numpy as np
import trimesh

from kilnchisel.core.blanks.mesh import join, welded
from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.fields import Profiled
from kilnchisel.core.crafts.upright import _frame
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Standing
from tests.outside.test_blanks import job_on, mesh_of

PLAQUE = Plaque(width_mm=1200, height_mm=600, thickness_mm=20)


def plate_of(**craft):
    """A standing letter I of 400 mm, 60 mm thick, as a trimesh, and its outline."""
    made = Standing(thickness_mm=60, standoff_mm=0, pins=False, **craft)
    job = job_on(PLAQUE, "front", "I", 400.0, made)
    parts = [part for part in piece_of(job).parts if part.lettering == 0]
    whole = join([part.mesh for part in parts])
    points, faces = welded(whole.points, whole.faces)
    return trimesh.Trimesh(points, faces, process=False), lettering_laid(job, 0).ink


class Sections(unittest.TestCase):
    """Source: closed forms: a wave goes by the cosine, a trapezoid by straight lines; both leave half of
    their depth on average. Corrugated sheet of 76 x 18 mm: common practice."""

    def test_the_wave_and_the_trapezoid(self):
        x = np.linspace(-200, 200, 801)
        points = np.stack([x, np.full(len(x), 37.0)], axis=1)
        wave = Profiled("wave", 76.0, 18.0, 90.0, 1e5).heights(points)
        np.testing.assert_allclose(wave, -9 + 9 * np.cos(2 * np.pi * x / 76), atol=1e-9)
        boxes = Profiled("trapezoid", 80.0, 20.0, 90.0, 1e5).heights(points)
        for place, high in ((0, 0), (10, 0), (20, -10), (30, -20), (40, -20), (60, -10), (80, 0)):
            self.assertAlmostEqual(float(np.interp(place, x, boxes)), high, places=6)

    def test_ribs_run_as_they_are_turned(self):
        for turn in (0.0, 30.0, 90.0):
            along = np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn))])
            points = np.linspace(-300, 300, 50)[:, None] * along
            self.assertLess(np.ptp(Profiled("wave", 76.0, 18.0, turn, 1e5).heights(points)), 1e-9)

    def test_half_the_depth_is_missing(self):
        flat, ink = plate_of()
        for face in ("wave", "trapezoid"):
            made, _ = plate_of(face=face, pitch_mm=20.0, profile_mm=12.0, profile_deg=0.0)
            self.assertTrue(made.is_watertight)
            self.assertAlmostEqual(flat.volume - made.volume, 6.0 * ink.area, delta=0.06 * 6.0 * ink.area)

    def test_the_section_is_seen_at_the_edges(self):
        made, _ = plate_of(face="wave", pitch_mm=40.0, profile_mm=16.0, profile_deg=0.0)
        # the outermost points of the front, beside each other along the letter's left edge
        left = made.vertices[:, 0].min()
        edge = made.vertices[np.abs(made.vertices[:, 0] - left) < 0.01]
        front = edge[edge[:, 1] < -30.0]
        self.assertAlmostEqual(np.ptp(front[:, 1]), 16.0, delta=0.6)

    def test_letters_close_on_banks_and_walls(self):
        upright = Standing(upright=True, thickness_mm=90, standoff_mm=100, face="trapezoid", held="frame")
        job = job_on(Bank(stones=0, bushes=0), "slope", "TARN", 900.0, upright)
        self.assertTrue(mesh_of(job).is_watertight)
        job = job_on(PLAQUE, "front", "TARN", 200.0, Standing(face="wave", light="both"))
        self.assertTrue(mesh_of(job).is_watertight)


class Frames(unittest.TestCase):
    def test_they_are_as_wide_as_each_letter_and_reach_into_the_ground(self):
        craft = Standing(upright=True, thickness_mm=60, standoff_mm=120, held="frame")
        job = job_on(Bank(seed=3, stones=0, bushes=0), "slope", "TW", 900.0, craft)
        parts = piece_of(job).parts
        for number in (1, 2):
            letter = next(p for p in parts if p.name.endswith(f"letter {number}"))
            posts = [p.mesh.points for p in parts if f"letter {number} post" in p.name]
            self.assertEqual(len(posts), 6)  # two uprights, two struts, two rails
            wide = np.ptp(letter.mesh.points[:, 0])
            held = np.concatenate(posts)
            self.assertGreater(np.ptp(held[:, 0]), 0.75 * wide)
            self.assertLess(np.ptp(held[:, 0]), wide)
            self.assertLess(held[:, 2].min(), letter.mesh.points[:, 2].min() - 120)

    def test_a_narrow_letter_has_one_upright(self):
        craft = Standing(upright=True, thickness_mm=60, standoff_mm=120, held="frame")
        self.assertEqual(len(_frame(np.zeros(3), np.array([1.0, 0, 0]), (-30.0, 30.0), 900.0, craft)), 2)
