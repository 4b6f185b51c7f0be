"""Arrays kept in the cache folder: what stays there, and for how long."""

import os
import tempfile
import unittest
from functools import partial
from unittest import mock

import numpy as np

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.kept import kept_arrays
from kilnchisel.core.paths import cache_folder
from kilnchisel.core.picture import draftlight
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.remembered import STORE
from kilnchisel.core.scene import places
from tests.samples import mug_job


def fewer_kept(fewer, shelf, name, make, most):
    """The same shelf with room for fewer of what it is for."""
    return kept_arrays(shelf, name, make, most=min(most, fewer))


class Shelves(unittest.TestCase):
    def setUp(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": folder}))

    def test_those_used_last_stay(self):
        made = []

        def one(name):
            return kept_arrays("tried", name, lambda: made.append(name) or {"x": np.arange(3)}, most=2)

        for number, name in enumerate(("a", "b", "a", "c")):
            one(name)
            os.utime(cache_folder() / "tried" / f"{name}.arrays", (number, number))
        one("a")
        self.assertEqual(made, ["a", "b", "c"])
        one("b")
        self.assertEqual(made, ["a", "b", "c", "b"])

    def test_large_ones_stay_in_their_file(self):
        """As they were, for reading; cut short or damaged they are made again."""
        large = np.random.default_rng(1).random((700, 300))
        kept = {"few": np.arange(5), "large": large, "half": large.astype(np.float16), "last": np.ones(3)}
        made = mock.Mock(return_value=kept)
        kept_arrays("tried", "one", made)
        path = cache_folder() / "tried" / "one.arrays"
        found = kept_arrays("tried", "one", made)
        for name, array in kept.items():
            np.testing.assert_array_equal(found[name], array)
            self.assertEqual(found[name].dtype, array.dtype)
        self.assertFalse(found["large"].flags.writeable)
        whole = path.read_bytes()
        for damaged in (whole[:-8], whole[: len(whole) // 2], whole[:100], b""):
            path.write_bytes(damaged)
            made.reset_mock()
            np.testing.assert_array_equal(kept_arrays("tried", "one", made)["large"], large)
            made.assert_called_once()
        again = kept_arrays("tried", "one", made)
        path.unlink()  # as when too many are kept
        np.testing.assert_array_equal(again["large"], large)

    def test_a_place_stays_however_many_rooms_are_looked_at(self):
        STORE.clear()
        job, draft = fitted(mug_job(), "workshop bench"), Draft()
        read = mock.Mock(wraps=places.gain_mapped)
        few = mock.patch.object(draftlight, "kept_arrays", partial(fewer_kept, 3))
        with mock.patch.object(places, "gain_mapped", read), few:
            for turn in range(5):  # each room that is mirrored is kept too
                seen = change(job, ("setting", "light", "turn_deg"), 7.0 * turn)
                draft.render(scene_of_job(seen, detail=Detail.ROUGH), view_of(seen), (48, 40))
            once = read.call_count
            STORE.clear()
            draft.render(scene_of_job(job, detail=Detail.ROUGH), view_of(job), (48, 40))
        self.assertEqual((once, read.call_count), (1, 1))


if __name__ == "__main__":
    unittest.main()
