"""Every finish makes a material, looks like no other, and tells its colour."""

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np

from kilnchisel.core.build import scene_of_job
from kilnchisel.core.colour import delta_e
from kilnchisel.core.finishes import textures
from kilnchisel.core.finishes.finish import darkened, lit_face, material_of, tube_material
from kilnchisel.core.finishes.material import Amount, cover_matrix, texture_matrix
from kilnchisel.core.finishes.metals import CONSTANTS, metal_colour
from kilnchisel.core.job.crafts import Standing, Tube
from kilnchisel.core.job.finish import Brass, Gold, Paint, SurfaceFinish
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.turning import in_finish
from kilnchisel.core.job.words.finishes import finish_words
from kilnchisel.core.kinds import named


class Finishes(unittest.TestCase):
    def test_all_that_is_offered_can_be_made(self):
        for kind, made in named(SurfaceFinish).items():
            material = material_of(made())
            self.assertTrue(0 < material.alpha <= 1, kind)
            self.assertTrue(all(0 <= c <= 1 for c in material.base), kind)
            self.assertTrue(finish_words(made()))

    def test_metals_can_be_told_apart(self):
        for one, other in itertools.combinations(CONSTANTS, 2):
            apart = float(delta_e(np.array(metal_colour(one)), np.array(metal_colour(other))))
            self.assertGreater(apart, 2.5, f"{one} {other}")

    def test_reflectance_against_handbook_figures(self):
        # luminous reflectance at normal incidence, CRC Handbook and makers' tables, from memory
        for metal, low, high in (
            ("silver", 0.93, 0.99),
            ("aluminium", 0.88, 0.93),
            ("copper", 0.55, 0.72),
            ("gold", 0.70, 0.85),
            ("chrome", 0.50, 0.70),
            ("titanium", 0.42, 0.60),
        ):
            share = float(np.array(metal_colour(metal)) @ (0.2126, 0.7152, 0.0722))
            self.assertTrue(low <= share <= high, f"{metal} {share:.3f}")

    def test_every_polish_changes_the_shine(self):
        alphas = [
            material_of(Brass(polish=p)).mean_alpha for p in ("polished", "satin", "brushed", "blasted")
        ]
        self.assertEqual(alphas, sorted(alphas))
        self.assertEqual(len(set(alphas)), 4)

    def test_colour_is_kept_from_one_to_the_next(self):
        red = Paint(colour="#aa2211")
        self.assertEqual(in_finish(red, "leather").colour, "#aa2211")
        self.assertEqual(in_finish(in_finish(red, "leather"), "plastic").colour, "#aa2211")

    def test_textures_come_round_without_a_seam(self):
        for texture in (textures.pebbled(), textures.granite()):
            tint = texture.tint[..., 0].astype(float)
            inside = np.abs(np.diff(tint, axis=1)).mean()
            seam = np.abs(tint[:, 0] - tint[:, -1]).mean()
            self.assertLess(seam, 1.3 * inside)
            self.assertAlmostEqual(float(tint.mean()), 1.0, delta=0.12)

    def test_round_a_body_a_texture_meets_itself(self):
        for around in (57.0, 251.0, 942.0):
            for grain in (0.0, 90.0, 35.0):
                made = replace(material_of(Brass(polish="brushed", grain_deg=grain)), round_mm=around)
                matrix = texture_matrix(made)
                ends = np.array([[-around / 2, 7.0], [around / 2, 7.0]]) @ matrix
                tiles = ends[1] - ends[0]
                np.testing.assert_allclose(tiles, np.rint(tiles), atol=1e-9)
                self.assertTrue(tiles.any())
                if around > 900:  # a grain as it says, within a degree, where there is room for tiles
                    found = np.degrees(np.arctan2(-matrix[0, 1], matrix[0, 0]))
                    self.assertAlmostEqual(found, grain, delta=1.5)
        mug = Job(finish=Brass(polish="brushed"))
        rounds = {item.name: item.material.round_mm for item in scene_of_job(mug).items}
        self.assertAlmostEqual(rounds["outside"], math.pi * mug.blank.diameter_mm, places=6)
        self.assertAlmostEqual(rounds["inside"], rounds["inner round"], places=6)
        repeated = Amount(np.ones((2, 2)), (70.0, 70.0))
        self.assertAlmostEqual(float(cover_matrix(repeated, 251.0)[0, 0] * 251) % 1, 0.0, places=9)

    def test_light_comes_through_in_the_face_s_own_colour(self):
        face = lit_face(
            material_of(Paint(colour="#ff0000")), Standing(light="face", light_colour="cold white")
        )
        self.assertTrue(face.shines)
        self.assertGreater(face.emission[0], 20 * face.emission[1] + 1e-6)
        self.assertFalse(tube_material(Tube(lit=False)).shines)
        self.assertLess(max(darkened(material_of(Gold()), 100).base), 0.2)


if __name__ == "__main__":
    unittest.main()
