"""What is made ready for a job before the window shows it."""

import unittest
from unittest import mock

from kilnchisel.core.build import prepare, side_of
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.remembered import STORE


class Ready(unittest.TestCase):
    def test_the_sides_of_a_new_piece_are_there(self):
        for kind in ("hull", "van", "wall"):
            with self.subTest(kind):
                STORE.clear()
                job = fresh_job(kind)
                prepare(job)
                with mock.patch("kilnchisel.core.blanks.bodies.body_of", side_effect=AssertionError(kind)):
                    self.assertEqual(
                        side_of(job.blank, job.letterings[0].lay).name, job.letterings[0].lay.side
                    )
