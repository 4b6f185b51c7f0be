"""The mockup's process: the same picture, things sent once, and an end that ends nothing else."""

import gc
import pickle
import time
import unittest
from dataclasses import replace

import numpy as np

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Amount, Texture
from kilnchisel.core.infile import Place
from kilnchisel.core.job.edits import change
from kilnchisel.core.picture.afar import Afar
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.sending.things import Receiver, Sender
from tests.samples import mug_job

SIZE = (60, 48)


class Bytes(unittest.TestCase):
    """What goes over, without a process."""

    def setUp(self):
        self.scene = replace(scene_of_job(mug_job("TARN")), proxy=None)
        self.sender, self.receiver = Sender(Texture, Amount, kept=2), Receiver()

    def over(self, scene):
        parts = self.sender.parts(scene)
        size = len(parts.body) + sum(len(data) for _, data in parts.things)
        # what stays in its file is told by where it is: it counts as all that is there for that
        size += sum(one.array().nbytes if isinstance(one, Place) else one.nbytes for _, one in parts.arrays)
        return self.receiver.value(pickle.loads(pickle.dumps(parts))), size, len(parts.gone)

    def test_a_scene_comes_over_whole(self):
        there, _, _ = self.over(self.scene)
        self.assertEqual([i.name for i in there.items], [i.name for i in self.scene.items])
        for here, item in zip(self.scene.items, there.items, strict=True):
            np.testing.assert_array_equal(here.mesh.points, item.mesh.points)
            np.testing.assert_array_equal(here.mesh.faces, item.mesh.faces)
        np.testing.assert_array_equal(there.room.radiance, self.scene.room.radiance)
        np.testing.assert_array_equal(
            there.base.material.texture.slope, self.scene.base.material.texture.slope
        )

    def test_what_is_there_already_is_only_named_and_is_the_same_thing(self):
        first, whole, _ = self.over(self.scene)
        moved = replace(self.scene, radius_mm=1.0)
        second, less, _ = self.over(moved)
        self.assertLess(less, whole / 10)
        self.assertIs(second.base.material.texture, first.base.material.texture)
        self.assertIsInstance(first.base.material.texture, Texture)
        self.assertEqual(second.radius_mm, 1.0)

    def test_what_is_gone_here_goes_there(self):
        large = np.zeros((200, 200, 3), np.float32)
        self.over(replace(self.scene, middle=large))
        held = len(self.receiver.things)
        del large
        gc.collect()
        _, _, gone = self.over(self.scene)
        self.assertEqual(gone, 1)
        self.assertEqual(len(self.receiver.things), held - 1)

    def test_what_the_last_values_did_not_hold_goes_too_and_comes_again(self):
        large = np.zeros((200, 200, 3), np.float32)
        with_it = replace(self.scene, middle=large)
        self.over(with_it)
        held = len(self.receiver.things)
        self.over(self.scene)
        self.assertEqual(len(self.receiver.things), held)  # one of the last two did
        self.over(self.scene)
        self.over(self.scene)
        self.assertLess(len(self.receiver.things), held)
        again, size, _ = self.over(with_it)
        self.assertGreater(size, large.nbytes)
        np.testing.assert_array_equal(again.middle, large)


class Elsewhere(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.afar = Afar()
        cls.addClassCleanup(cls.afar.close)
        cls.job = mug_job("TARN")
        cls.scene, cls.view = scene_of_job(cls.job), view_of(cls.job, SIZE[0] / SIZE[1])

    def test_the_picture_is_that_of_this_process(self):
        heard = []
        states = list(self.afar.refine(self.scene, self.view, SIZE, 4, progress=heard.append))
        here = list(Mockup(self.scene).refine(self.view, SIZE, 4))
        self.assertEqual([(s.done, s.wanted) for s in states], [(s.done, s.wanted) for s in here])
        for far, near in zip(states, here, strict=True):
            self.assertLessEqual(int(np.abs(far.pixels.astype(int) - near.pixels).max()), 2)
        self.assertEqual(heard[-1], 1.0)

    def test_it_stops_when_it_is_not_wanted_and_goes_on_with_the_next(self):
        wish = time.monotonic() + 0.5
        states = list(
            self.afar.refine(
                self.scene, self.view, (400, 320), 4096, lambda: time.monotonic() > wish, looks=()
            )
        )
        self.assertEqual(states, [])
        other = change(self.job, ("letterings", 0, "content", "text"), "HILL")
        self.assertEqual(len(list(self.afar.refine(scene_of_job(other), self.view, SIZE, 1))), 1)

    def test_a_listener_that_goes_away_stops_it(self):
        states = self.afar.refine(self.scene, self.view, SIZE, 4096)
        self.assertEqual(next(states).done, 1)
        states.close()
        begun = time.monotonic()
        self.assertEqual(next(self.afar.refine(self.scene, self.view, SIZE, 2)).done, 1)
        self.assertLess(time.monotonic() - begun, 20)

    def test_its_end_is_a_sentence_and_the_next_picture_comes(self):
        list(self.afar.refine(self.scene, self.view, SIZE, 1))
        self.afar._process.kill()
        with self.assertRaisesRegex(KilnError, "has ended"):
            list(self.afar.refine(self.scene, self.view, SIZE, 1))
        self.assertEqual(len(list(self.afar.refine(self.scene, self.view, SIZE, 1))), 1)

    def test_a_fault_there_comes_here_as_one(self):
        broken = replace(self.scene, base="no ground")
        with self.assertRaisesRegex(RuntimeError, "AttributeError"):
            list(self.afar.refine(broken, self.view, SIZE, 1))
        self.assertEqual(len(list(self.afar.refine(self.scene, self.view, SIZE, 1))), 1)


if __name__ == "__main__":
    unittest.main()
