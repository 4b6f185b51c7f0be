"""Light paths against the path integrator of the general tracing library that scenes are loaded into."""

import unittest

import numpy as np

from demo.jobs import JOBS
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.picture.tracing import SAFE, Slice, TracedScene, variant_name

SIZE, SAMPLES = (64, 48), 192


def loaded(stem):
    job = JOBS[stem]()
    return TracedScene(scene_of_job(job)), view_of(job, SIZE[0] / SIZE[1])


@unittest.skipIf(variant_name() == SAFE, "where rays are traced one by one the library's own are used")
class Paths(unittest.TestCase):
    def test_they_bring_what_the_library_s_own_bring(self):
        # lights that are looked through; tubes that are seen
        for stem in ("night-crew-mug", "night-cafe-neon"):
            scene, view = loaded(stem)
            part = Slice(view, SIZE, (0, SIZE[1]), SAMPLES, 3)
            ours, theirs = (
                np.minimum(draw(part) / SAMPLES, 3.0) for draw in (scene.light, scene._filmed_light)
            )
            with self.subTest(job=stem):
                self.assertAlmostEqual(float(ours[..., 3].mean()), float(theirs[..., 3].mean()), delta=0.01)
                one, other = (x[..., :3].reshape(6, 8, 8, 8, 3).mean(axis=(1, 3)) for x in (ours, theirs))
                off = np.abs(one - other) / (other + 0.05)
                self.assertLess(off.max(), 0.2)
                self.assertLess(off.mean(), 0.025)

    def test_the_guides_come_with_them(self):
        scene, view = loaded("night-crew-mug")
        part = Slice(view, SIZE, (0, SIZE[1]), 4, 3)
        both = scene.seen(part)
        np.testing.assert_allclose(both[..., :4], scene.light(part), atol=1e-4)
        np.testing.assert_allclose(both[..., 4:], scene.guides(part), atol=1e-3)


if __name__ == "__main__":
    unittest.main()
