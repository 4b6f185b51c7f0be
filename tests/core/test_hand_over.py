"""What a job can be handed over as: the table, one folder, all of it or nothing, by the command line."""

import json
import re
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover import table
from kilnchisel.core.handover.mapfiles import FORMS, NORMALS, SIZES, MapOrder
from kilnchisel.core.handover.options import OPTIONS
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.presets import Preset, keep_preset, presets, wanted_from
from kilnchisel.core.handover.table import KINDS, Wanted, hand_over, kinds_named
from kilnchisel.core.job.crafts import CutThrough, Engraved, Printed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.shop.paths.routerwork import CHANGES
from tests.commands import called

QUICK = Wanted((96, 64), 2, draft=True, maps=MapOrder("1k"))


def engraved(text="IT"):
    job = fresh_job("plaque", text)
    return change(job, ("letterings", 0, "craft"), Engraved(floor="v", depth_mm=2.0))


class HandedOver(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "out"

    def test_all_that_a_job_can_give_is_in_its_folder(self):
        job = engraved()
        kinds = tuple(kind for kind in KINDS if not kind.missing(job) and kind.name != "cut-out")
        self.assertEqual(
            [k.name for k in kinds],
            [
                "picture",
                "proof",
                "solid",
                "textured",
                "maps",
                "outline",
                "router",
                "laser",
                "print",
                "work-sheet",
            ],
        )
        shares = []
        paths = hand_over(job, self.folder, kinds, QUICK, progress=shares.append)
        self.assertEqual(sorted(paths), sorted(self.folder.iterdir()))
        self.assertTrue(all(path.stat().st_size for path in paths))
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1)
        contents = (self.folder / "contents.txt").read_text()
        for path in paths:
            self.assertTrue(path.name == "contents.txt" or path.name in contents)
        self.assertIn("v 60° 12.7 mm", contents)

    def test_an_obj_has_its_materials_beside_it(self):
        hand_over(engraved(), self.folder, kinds_named("solid"), QUICK)
        names = set(re.findall(r"^newmtl (.+)$", (self.folder / "piece.mtl").read_text(), re.MULTILINE))
        obj = (self.folder / "piece.obj").read_text()
        self.assertIn("mtllib piece.mtl", obj)
        used = set(re.findall(r"^usemtl (.+)$", obj, re.MULTILINE))
        self.assertTrue(used and used <= names)
        self.assertEqual(used, set(re.findall(r"^g (.+)$", obj, re.MULTILINE)))

    def test_what_is_missing_is_told(self):
        printed = change(fresh_job("plaque", "A"), ("letterings", 0, "craft"), Printed())
        missing = {kind.name: kind.missing(printed) for kind in KINDS}
        self.assertEqual(missing["plotter"], "")
        self.assertEqual(missing["router"], "")  # its blank, cut out of a sheet
        cup = change(fresh_job("mug", "A"), ("letterings", 0, "craft"), Printed())
        self.assertIn("nothing on it is cut", {k.name: k.missing(cup) for k in KINDS}["router"])
        bare = printed.model_copy(update={"letterings": ()})
        self.assertIn("nothing is lettered", {k.name: k.missing(bare) for k in KINDS}["outline"])
        bent = change(fresh_job("bracelet", "A"), ("letterings", 0, "craft"), Raised())
        self.assertIn("on no flat side", {k.name: k.missing(bent) for k in KINDS}["router"])
        with self.assertRaisesRegex(KilnError, "Programs for a router cannot be handed over"):
            hand_over(cup, self.folder, kinds_named("plotter,router"), QUICK)
        self.assertFalse(self.folder.exists())
        with self.assertRaisesRegex(KilnError, "“plans” is not handed over; what is: picture"):
            kinds_named("plans")

    def test_nothing_is_written_where_one_fails_or_it_is_stopped(self):
        with (
            mock.patch.object(table, "router_files", side_effect=KilnError("no")),
            self.assertRaisesRegex(KilnError, "no"),
        ):
            hand_over(engraved(), self.folder, kinds_named("solid,router"), QUICK)
        self.assertFalse(self.folder.exists())
        self.assertEqual(hand_over(engraved(), self.folder, kinds_named("solid"), QUICK, lambda: True), [])
        self.assertFalse(self.folder.exists())
        self.folder.write_text("a file")
        with self.assertRaisesRegex(KilnError, "cannot be made"):
            hand_over(engraved(), self.folder, kinds_named("outline"), QUICK)

    def test_what_is_chosen_is_one_table(self):
        """The table of choices loads nothing: what there is to choose from is said again in it."""
        known = {option.name: option.known for option in OPTIONS if option.known}
        self.assertEqual(known["map-size"], tuple(SIZES))
        self.assertEqual(known["maps"], tuple(FORMS))
        self.assertEqual(known["normals"], NORMALS)
        self.assertEqual(known["paper"], tuple(PAPERS))
        self.assertEqual(known["change"], CHANGES)
        kinds = {kind.name for kind in KINDS}
        for option in OPTIONS:
            self.assertTrue(set(option.kinds) <= kinds, option.name)
        self.assertEqual(wanted_from({}), Wanted())
        for name, value, says in (
            ("samples", "none", "is no number for samples"),
            ("size", "large", "size"),
            ("paper", "B5", "is no choice for paper"),
            ("roll", "wide", "wide"),
            ("logo", "nowhere.png", "nowhere.png"),
            ("rates", "nowhere.csv", "nowhere.csv"),
        ):
            with self.subTest(name=name), self.assertRaisesRegex(KilnError, says):
                wanted_from({name: value})

    def test_presets_are_kept_by_name(self):
        self.enterContext(mock.patch.dict("os.environ", {"XDG_STATE_HOME": str(self.folder)}))
        job = self.folder.with_suffix(".kcj")
        save_packed(change(engraved("Vega"), ("letterings", 0, "craft"), CutThrough()), job)
        out = self.folder.parent / "made"
        said = called("hand-over", job, "-o", out, "--only", "laser", "--kerf", "0.3mm", "--keep", "Mine")
        self.assertEqual(said[0], 0)
        self.assertEqual(presets()["Mine"], Preset(("laser",), {"kerf": "0.3mm"}))
        again = self.folder.parent / "again"
        self.assertEqual(called("hand-over", job, "-o", again, "--preset", "Mine")[0], 0)
        self.assertIn("kerf 0.3 mm", (again / "contents.txt").read_text())
        status, _, errors = called("hand-over", job, "-o", again, "--preset", "Yours")
        self.assertEqual((status, "there is: Mine" in errors), (2, True))
        with self.assertRaisesRegex(KilnError, "needs a name"):
            keep_preset("  ", Preset((), {}))
        keep_preset("Mine", None)
        self.assertEqual(presets(), {})

    def test_by_the_command_line(self):
        job = self.folder.with_suffix(".kcj")
        save_packed(engraved("Vega"), job)
        _, said, _ = called("hand-over", job, "--list")
        self.assertRegex(said, "router +Programs for a router +RS-274\n")
        self.assertRegex(said, r"plotter .*\(not: nothing on it is printed\)")
        _, said, _ = called("hand-over", job, "--list", "--json")
        self.assertEqual([row["name"] for row in json.loads(said)], [kind.name for kind in KINDS])
        status, said, errors = called("hand-over", job, "-o", self.folder, "--only", "outline,router")
        self.assertEqual((status, errors), (0, ""))
        program = self.folder / "router-front.nc"
        self.assertIn(str(program), said.splitlines())
        status, said, _ = called("cut", program, "--against", job, "--json", "--cell", "0.15mm")
        told = json.loads(said)
        self.assertEqual((status, told["troubles"]), (0, []))
        self.assertAlmostEqual(told["removed_mm3"] / told["against"]["wanted_mm3"], 1, delta=0.03)
        _, said, _ = called("cut", program, "--stock", "200x150x9", "--cell", "0.5")
        self.assertIn("mm³ cut away", said)
        left = self.folder / "left.png"
        self.assertEqual(called("cut", program, "--cell", "0.2", "-o", left)[0], 0)
        pixels = np.asarray(Image.open(left)).astype(int)
        self.assertEqual(pixels.shape[:2], (580, 980))  # 196 by 116 mm
        plain, where = pixels[5, 5], np.abs(pixels - pixels[5, 5]).max(axis=2) > 30
        self.assertTrue(where[200:400, 200:800].any() and not where[:100].any() and plain.min() > 60)
        self.assertEqual(called("cut", program, "-o", left.with_suffix(".bmp"))[0], 2)
        for arguments, says in (
            (("hand-over", job), "Say which folder"),
            (("hand-over", job, "-o", self.folder, "--only", "bread"), "is not handed over"),
            (("hand-over", job, "-o", self.folder, "--flats", "0mm"), "diameter goes from"),
            (("hand-over", job, "-o", self.folder, "--only", "router", "--flats", ""), "“”"),
            (("cut", program, "--stock", "20x30"), "is no stock"),
            (("cut", program, "--tool", "flat"), "names no cutter"),
            (("cut", self.folder / "none.nc"), "none.nc"),
        ):
            with self.subTest(arguments=arguments):
                status, _, errors = called(*arguments)
                self.assertEqual(status, 2)
                self.assertIn(says, errors)


if __name__ == "__main__":
    unittest.main()
