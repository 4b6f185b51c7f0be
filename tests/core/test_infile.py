"""Arrays that stay in their files: found again by where they are, sent by that, and let go of."""

import pickle
import tempfile
import unittest
from pathlib import Path

import numpy as np

from kilnchisel.core.infile import Place, array_in, let_go, place_of
from kilnchisel.core.sending.things import Receiver, Sender


def held_mb():
    """What this process holds of files."""
    rows = Path("/proc/self/smaps_rollup").read_text().splitlines()
    return next(int(row.split()[1]) for row in rows if row.startswith("Pss_File:")) / 1024


class InTheirFiles(unittest.TestCase):
    def setUp(self):
        self.path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "some"
        self.values = np.random.default_rng(2).random((900, 500, 3)).astype(np.float32)
        self.path.write_bytes(b"head" * 4 + self.values.tobytes())
        with self.path.open("rb") as file:
            self.array = array_in(file, self.values.dtype, 16, self.values.shape)

    def test_they_are_found_by_where_they_are(self):
        np.testing.assert_array_equal(self.array, self.values)
        place = pickle.loads(pickle.dumps(place_of(self.array)))
        self.assertEqual(place, Place(str(self.path), "<f4", 16, (900, 500, 3)))
        np.testing.assert_array_equal(place.array(), self.values)
        for other in (self.array[1:], self.array[::2], self.array[..., 0], self.array.T, self.values):
            self.assertIsNone(place_of(other))
        self.path.unlink()
        self.assertIsNone(place_of(self.array))
        np.testing.assert_array_equal(self.array, self.values)  # as long as it is held
        with self.assertRaises(OSError):
            place.array()

    def test_a_file_cut_short_is_refused(self):
        self.path.write_bytes(self.path.read_bytes()[:-4])
        with self.path.open("rb") as file, self.assertRaises(ValueError):
            array_in(file, self.values.dtype, 16, self.values.shape)

    def test_they_go_over_by_their_place(self):
        sender, receiver = Sender(kept=3), Receiver()
        parts = sender.parts({"one": self.array, "other": self.values})
        self.assertLess(len(pickle.dumps(parts)), 1.1 * self.values.nbytes)
        sent = receiver.value(pickle.loads(pickle.dumps(parts)))
        for array in sent.values():
            np.testing.assert_array_equal(array, self.values)
        self.assertFalse(sent["one"].flags.writeable)
        again = receiver.value(sender.parts([self.array, self.values]))
        self.assertIs(again[0], sent["one"])

    def test_what_has_been_read_is_let_go_of(self):
        large = np.ones((40, 2**20), np.uint8)
        self.path.write_bytes(large.tobytes())
        with self.path.open("rb") as file:
            array = array_in(file, large.dtype, 0, large.shape)
        del large
        before = held_mb()
        self.assertEqual(int(array.sum()), 40 * 2**20)
        self.assertGreater(held_mb() - before, 20)
        let_go(array[3:])
        self.assertLess(held_mb() - before, 10)
        self.assertEqual(int(array[:, 0].sum()), 40)
        let_go(None)
        let_go(self.values)
