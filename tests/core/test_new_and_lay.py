"""The command line begins jobs and places letterings, as the window does."""

import tempfile
import unittest
from pathlib import Path

import trimesh

from kilnchisel.__main__ import PLACINGS
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.shop.placing import between, centred
from tests.commands import called


class NewAndLay(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = self.folder / "job.kcj"

    def test_a_job_on_every_kind(self):
        status, listed, _ = called("new", "--list")
        self.assertEqual(status, 0)
        for kind in KINDS:
            self.assertIn(kind, listed)
            self.assertEqual(called("new", kind, "-o", self.job, "--text", "TARN")[0], 0)
            job = open_job(self.job)
            self.assertEqual((job.blank.kind, job.letterings[0].content.text), (kind, "TARN"))

    def test_a_job_on_a_mesh_keeps_the_mesh(self):
        mesh = self.folder / "block.ply"
        mesh.write_bytes(trimesh.creation.box((2, 3, 4)).export(file_type="ply"))
        status, _, errors = called("new", mesh, "-o", self.job, "--unit", "cm", "--up", "z")
        self.assertEqual((status, errors), (0, ""))
        mesh.unlink()
        self.assertEqual(open_job(self.job).blank.size_mm, (20.0, 30.0, 40.0))
        status, measured, _ = called("measure", self.job)
        self.assertEqual(status, 0)
        self.assertIn("Capital height", measured)

    def test_placing_is_that_of_the_window(self):
        job = fresh_job("van", "TARN")
        job = change(job, ("letterings", 0, "lay"), Lay(side="left side", along_mm=1200, across_mm=77))
        save_job(job, self.job)
        for what, wanted in (
            ("centre", centred(job, 0)),
            ("between-along", between(job, 0, "along")),
        ):
            placed = self.folder / "placed.kcj"
            self.assertEqual(called("lay", self.job, "-o", placed, "--do", what)[0], 0)
            self.assertEqual(open_job(placed), wanted)
        self.assertIn("line-up-left", PLACINGS)

    def test_refusals_are_sentences(self):
        save_job(fresh_job("mug"), self.job)
        for arguments, words in (
            (("new", "kettle", "-o", self.job), "no kind “kettle”"),
            (("new", "mug"), "where to"),
            (("new", self.folder / "gone.stl", "-o", self.job), "There is no file"),
            (("lay", self.job, "-o", self.job, "--lettering", "3", "--do", "centre"), "no lettering 3"),
            (("lay", self.job, "-o", self.job, "--do", "spread-up"), "three letterings"),
        ):
            status, _, errors = called(*arguments)
            self.assertEqual(status, 2)
            self.assertIn(words, errors)


if __name__ == "__main__":
    unittest.main()
