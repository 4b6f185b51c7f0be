"""``kilnchisel set`` and ``kilnchisel fix``: fields by their path, and what checks offer."""

import contextlib
import io
import tempfile
import unittest
from pathlib import Path

from kilnchisel.__main__ import main
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import CutThrough, Engraved, Printed
from kilnchisel.core.job.edits import change, set_field
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.finish import Ink, Plastic, Slate, Wood
from kilnchisel.core.shop.checks import checks
from tests.samples import plaque_job


class Fields(unittest.TestCase):
    def setUp(self):
        self.job = plaque_job("DOME")

    def test_numbers_lengths_words_and_whole_parts(self):
        path = "letterings.1.craft.depth_mm"
        self.assertEqual(set_field(self.job, path, "0.5").letterings[0].craft.depth_mm, 0.5)
        self.assertAlmostEqual(set_field(self.job, path, "1/16 in").letterings[0].craft.depth_mm, 1.5875)
        turned = set_field(self.job, "letterings.1.lay.turn_deg", "45°")
        self.assertEqual(turned.letterings[0].lay.turn_deg, 45.0)
        self.assertEqual(set_field(self.job, "name", "Path slate").name, "Path slate")
        self.assertEqual(set_field(self.job, "finish", '{"kind": "wood"}').finish, Wood())
        self.assertEqual(set_field(self.job, "wear.dirt", "40").wear.dirt, 40.0)
        self.assertTrue(set_field(self.job, "letterings.1.hidden", "true").letterings[0].hidden)

    def test_what_is_not_there_is_said_with_what_is(self):
        for path, words in (
            ("letterings.2.hidden", "from 1 to 1"),
            ("letterings.0.hidden", "from 1 to 1"),
            ("blank.weight", "there is no weight"),
            ("finish.colour.red", "only nothing more"),
        ):
            with self.assertRaisesRegex(KilnError, words):
                set_field(self.job, path, "1")
        with self.assertRaisesRegex(KilnError, "too large"):
            set_field(self.job, "wear.noise", "9")
        with self.assertRaisesRegex(KilnError, "length"):
            set_field(self.job, "blank.thickness_mm", "thick")


class Commands(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.here = Path(folder.name)
        self.file = self.here / "one.kcj"
        save_job(plaque_job("ROAD", craft=CutThrough()), self.file)
        self.out = self.here / "two.kcj"

    def run_kc(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main([str(word) for word in words])
        return status, out.getvalue(), err.getvalue()

    def test_set_several_at_once(self):
        fields = ('finish={"kind": "slate"}', "letterings.1.craft.sink_mm=2 mm", "blank.thickness_mm=12")
        self.assertEqual(self.run_kc("set", self.file, *fields, "-o", self.out)[0], 0)
        job = open_job(self.out)
        self.assertEqual(job.finish, Slate())
        self.assertEqual(job.letterings[0].craft, CutThrough(sink_mm=2))
        self.assertEqual(job.blank.thickness_mm, 12.0)

    def test_a_kind_is_turned_into_another_as_in_the_ticket(self):
        def turned(*fields):
            status, _, err = self.run_kc("set", self.file, *fields, "-o", self.out)
            self.assertEqual(status, 0, err)
            return open_job(self.out)

        job = turned("letterings.1.craft.kind=printed")
        self.assertEqual((job.letterings[0].craft, job.letterings[0].finish), (Printed(), Ink()))
        job = turned("finish.kind=leather", "finish.colour=#aa2211", "finish.kind=plastic")
        self.assertEqual(job.finish, Plastic(colour="#aa2211"))
        way = turned("letterings.1.content.arrangement.kind=circle").letterings[0].content.arrangement
        self.assertEqual(way.kind, "circle")
        self.assertGreater(way.radius_mm, 5)  # as large as the words ask for
        job = turned("blank.kind=mug")
        self.assertEqual((job.blank.kind, job.letterings[0].lay.side), ("mug", "outside"))
        job = turned("setting.ground.kind=grass")
        self.assertEqual(job.setting.ground.kind, "grass")

    def test_a_kind_there_is_not_is_said_with_those_there_are(self):
        for field, words in (
            ("finish.kind=velvet", "no finish “velvet”; there are as the blank, ink, enamel"),
            ("letterings.1.craft.kind=melted", "no craft “melted”; there are printed, pressed"),
            ("blank.kind=pebble", "no blank “pebble”; there are mug, tumbler"),
        ):
            status, _, err = self.run_kc("set", self.file, field, "-o", self.out)
            self.assertEqual(status, 2)
            self.assertIn(words, err)

    def test_a_side_there_is_not_is_said_with_those_there_are(self):
        for fields in (("letterings.1.lay.side=lid",), ("blank.kind=mug", "letterings.1.lay.side=front")):
            status, _, err = self.run_kc("set", self.file, *fields, "-o", self.out)
            self.assertEqual(status, 2, fields)
            self.assertRegex(err, "no side “(lid|front)”; it has “(front” and “back|outside)”")
            self.assertFalse(self.out.exists())
        self.assertEqual(self.run_kc("set", self.file, "letterings.1.lay.side=back", "-o", self.out)[0], 0)
        # one that was there already keeps nobody from mending the rest
        save_job(change(open_job(self.file), ("letterings", 0, "lay", "side"), "lid"), self.file)
        self.assertEqual(self.run_kc("set", self.file, "wear.dirt=4", "-o", self.out)[0], 0)

    def test_a_refused_field_writes_nothing(self):
        status, _, err = self.run_kc("set", self.file, "wear.dirt=400", "-o", self.out)
        self.assertEqual(status, 2)
        self.assertIn("too large", err)
        self.assertFalse(self.out.exists())
        status, _, err = self.run_kc("set", self.file, "wear", "-o", self.out)
        self.assertIn("an equals sign", err)

    def test_fix_lists_and_applies(self):
        status, out, _ = self.run_kc("fix", self.file)
        self.assertEqual(status, 0)
        self.assertIn("islands", out)
        self.assertIn("Bridges", out)
        self.assertEqual(self.run_kc("fix", self.file, "--check", "islands", "-o", self.out)[0], 0)
        job = open_job(self.out)
        self.assertEqual({c.key: c.level for c in checks(job, 0)}["islands"], "good")

    def test_fix_says_what_it_cannot(self):
        status, _, err = self.run_kc("fix", self.file, "--check", "beauty", "-o", self.out)
        self.assertEqual(status, 2)
        self.assertIn("islands", err)
        status, _, err = self.run_kc("fix", self.file, "--lettering", "3")
        self.assertIn("no lettering 3", err)
        save_job(plaque_job("I", craft=Engraved(depth_mm=1)), self.file)
        self.assertEqual(self.run_kc("fix", self.file, "--check", "wall")[0], 2)


if __name__ == "__main__":
    unittest.main()
