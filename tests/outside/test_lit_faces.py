"""Box signs lit from inside: how even their faces are, by an independent sum and in the picture; what film
lets through."""

import unittest

import numpy as np
from scipy import integrate

from kilnchisel.core.blanks.boxsign import box_sign_body
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.litface import evenness, modules_of, pitch_mm
from kilnchisel.core.shop.power import lights_of
from tests.outside.test_blanks import mesh_of
from tests.samples import the_draft


def item_named(scene, name):
    return next(item for item in scene.items if item.name == name)


class Evenness(unittest.TestCase):
    """Source: Lambert's cosine law: a small light that shines by the cosine gives on a face at a depth
    cos⁴ of the angle over its depth squared."""

    def test_by_a_sum_of_its_own(self):
        for pitch, deep in ((50.0, 50.0), (80.0, 40.0), (30.0, 60.0)):
            light = []
            for x, y in ((0.0, 0.0), (pitch / 2, pitch / 2)):
                total = 0.0
                for i in range(-12, 13):
                    for k in range(-12, 13):
                        angle = np.arctan2(np.hypot(i * pitch + x, k * pitch + y), deep)
                        total += np.cos(angle) ** 4 / deep**2
                light.append(total)
            self.assertAlmostEqual(evenness(pitch, deep), min(light) / max(light), places=9)

    def test_close_lights_are_a_lit_plane(self):
        """One beside the other they give what a plane does, everywhere the same: the integral of
        cos⁴/d² over it is pi."""
        total, _ = integrate.quad(lambda r: 2 * np.pi * r * 900.0 / (r * r + 900.0) ** 2, 0, np.inf)
        self.assertAlmostEqual(total, np.pi, places=8)
        self.assertGreater(evenness(10.0, 30.0), 0.999)
        self.assertLess(evenness(90.0, 30.0), 0.2)

    def test_a_shallow_box_is_warned_of_and_mended(self):
        job = change(fresh_job("box sign", "CAFÉ"), ("blank", "depth_mm"), 40.0)
        found = next(check for check in checks(job, 0) if check.key == "evenness")
        self.assertEqual(found.level, "warning")
        mended = found.fix.apply(job)
        again = next(check for check in checks(mended, 0) if check.key == "evenness")
        self.assertEqual(again.level, "good")

    def test_modules_and_watts(self):
        box = BoxSign(shape="rectangle", width_mm=1000, height_mm=500, depth_mm=120)
        sides = [sheet.side.domain.area for sheet in box_sign_body(box, detail=Detail.FINE).sheets]
        self.assertAlmostEqual(modules_of(box), sum(sides) / pitch_mm(box) ** 2, delta=1.0)
        job = fresh_job("box sign", "CAFÉ")
        self.assertEqual([one.what for one in lights_of(job)], ["LED modules"])
        self.assertEqual(lights_of(change(job, ("blank", "brightness"), 0.0)), [])


class Light(unittest.TestCase):
    def setUp(self):
        self.job = fresh_job("box sign", "CAFÉ")

    def test_the_face_shines_in_its_own_colour(self):
        material = item_named(scene_of_job(self.job), "front").material
        sent, base = np.array(material.emission), np.array(material.base)
        self.assertGreater(sent.min(), 0)
        white = item_named(
            scene_of_job(change(self.job, ("finish", "colour"), "#ffffff")), "front"
        ).material
        tint = base / base.max()
        np.testing.assert_allclose(sent, np.array(white.emission) * tint, rtol=1e-6)
        unlit = item_named(scene_of_job(change(self.job, ("blank", "brightness"), 0.0)), "front").material
        self.assertEqual(unlit.emission, (0.0, 0.0, 0.0))

    def test_film_blocks_it_or_lets_it_through(self):
        job = change(self.job, ("letterings", 0, "finish"), Ink(colour="#c01818"))
        scene = scene_of_job(change(job, ("letterings", 0, "craft"), Printed()))
        name = "front lettering 1"
        self.assertEqual(item_named(scene, name).material.emission, (0.0, 0.0, 0.0))
        scene = scene_of_job(change(job, ("letterings", 0, "craft"), Printed(lets_through=True)))
        film, face = item_named(scene, name).material, item_named(scene, "front").material
        np.testing.assert_allclose(film.emission, np.array(face.emission) * film.base, rtol=1e-6)
        self.assertGreater(film.emission[0], 5 * film.emission[2])

    def test_the_picture_shows_it_even(self):
        """Luminance over the face of the quick picture, away from letters: within 3 % of its mean."""
        job = change(fresh_job("box sign", ""), ("blank", "shape"), "rectangle")
        job = change(job, ("setting", "camera", "turn_deg"), 4.0)
        picture = the_draft().render(scene_of_job(job), view_of(job), (320, 200))[..., :3].astype(float)
        middle = picture[80:120, 140:180].mean(axis=2)
        self.assertGreater(middle.mean(), 200)
        self.assertLess(np.ptp(middle) / middle.mean(), 0.03)

    def test_it_closes(self):
        for shape, bracket in (("oval", True), ("rectangle", True), ("oval", False)):
            blank = BoxSign(shape=shape, bracket=bracket)
            job = fresh_job("box sign", "CAFÉ").model_copy(update={"blank": blank})
            self.assertTrue(mesh_of(job).is_watertight)
