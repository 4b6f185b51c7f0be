"""Alternatives of a job: kept in it, gone back to, told apart in words, compared and tried."""

import json
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np
from pypdfium2 import PdfDocument

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.pictures import PictureOrder
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.proof import Choice, proof_bytes
from kilnchisel.core.handover.sidebyside import in_one_light, pictures_of
from kilnchisel.core.handover.table import hand_over, kinds_named
from kilnchisel.core.job.artwork import Picture
from kilnchisel.core.job.assets import asset, keep_asset
from kilnchisel.core.job.crafts import Engraved, Raised
from kilnchisel.core.job.edits import artwork_used, change
from kilnchisel.core.job.file import open_job, schema
from kilnchisel.core.job.finish import Gold, Ink, Slate
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.history import History
from kilnchisel.core.job.model import MOST_PROOFS
from kilnchisel.core.job.proofs import (
    as_job,
    is_present,
    kept,
    let_go,
    moved,
    noted,
    number_of,
    present,
    renamed,
    taken_up,
    work_of,
)
from kilnchisel.core.job.wording import Circle, ShippedFace
from kilnchisel.core.job.words.differences import differences
from kilnchisel.core.proofs.compare import sheet_of
from kilnchisel.core.proofs.tries import MOST_TRIES, USUAL_STEPS, tries, usual_range
from tests.commands import called

FIRST = ("letterings", 0)


def edited(job, *edits):
    for path, value in edits:
        job = change(job, path, value)
    return job


class Kept(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = fresh_job("plaque", "TARN")

    def test_a_proof_is_the_whole_job_and_is_gone_back_to(self):
        first = kept(self.job)
        later = edited(first, ((*FIRST, "content", "cap_height_mm"), 11.0), (("finish",), Slate()))
        both = kept(later, "slate", "for the hall")
        self.assertEqual([proof.name for proof in both.proofs], ["A", "slate"])
        self.assertEqual([is_present(both, k) for k in (0, 1)], [False, True])
        back = taken_up(both, 0)
        self.assertEqual(present(back), present(self.job))
        self.assertEqual((back.name, back.proofs), (both.name, both.proofs))
        self.assertEqual(as_job(both, both.proofs[1]).proofs, ())
        # one step of undo each, across taking one up
        history = History.start(self.job).push(first, "kept").push(later, "made").push(back, "taken")
        self.assertEqual(history.undo().job, later)
        self.assertEqual(history.undo().undo().job.proofs, first.proofs)

    def test_names_notes_and_order(self):
        job = kept(kept(kept(self.job)), "Hall")
        job = noted(renamed(job, 0, " Small  one "), 1, "ask again")
        self.assertEqual([proof.name for proof in job.proofs], ["Small one", "B", "Hall"])
        self.assertEqual(job.proofs[1].note, "ask again")
        self.assertEqual([p.name for p in moved(job, 2, 0).proofs], ["Hall", "Small one", "B"])
        self.assertEqual([p.name for p in let_go(job, 1).proofs], ["Small one", "Hall"])
        self.assertEqual(number_of(job, "hall"), 2)
        for refused in (
            lambda: kept(job, "hall"),
            lambda: renamed(job, 0, "b"),
            lambda: renamed(job, 0, " "),
            lambda: kept(job, "x" * 61),
            lambda: number_of(job, "nowhere"),
        ):
            with self.assertRaises(KilnError):
                refused()
        self.assertEqual(renamed(job, 0, "SMALL ONE").proofs[0].name, "SMALL ONE")
        many = self.job
        for _ in range(MOST_PROOFS):
            many = kept(many)
        self.assertEqual(len({proof.name for proof in many.proofs}), MOST_PROOFS)
        with self.assertRaisesRegex(KilnError, "let go of one first"):
            kept(many)

    def test_the_file_holds_them_as_they_are_and_what_they_share_once(self):
        picture = b"\x89PNG proof"
        shown = Path(__file__).parents[2] / "demo" / "artwork" / "moon.png"
        digest = keep_asset(shown.read_bytes(), "moon.png")
        other = edited(
            self.job, ((*FIRST, "content"), Picture(sha256=digest, name="moon.png", width_mm=40.0))
        )
        job = taken_up(kept(kept(self.job), "moon").model_copy(), 0)
        job = kept(job.model_copy(update=dict(other) | {"proofs": job.proofs}), "moon 2", "", picture)
        job = taken_up(job, 0)
        self.assertIn(digest, {one.sha256 for one in artwork_used(job)})
        path = self.folder / "a.kcj"
        save_packed(job, path)
        with zipfile.ZipFile(path) as archive:
            document = json.loads(archive.read("job.json"))
            self.assertEqual(archive.namelist().count(f"assets/{digest}"), 1)
            self.assertEqual(archive.read(f"assets/{job.proofs[2].picture.sha256}"), picture)
        self.assertEqual(
            document["job"]["proofs"][2]["work"]["letterings"][0]["content"]["kind"], "picture"
        )
        self.assertIn("Work", schema()["$defs"])
        back = open_job(path)
        self.assertEqual(back, job)
        self.assertEqual(work_of(back.proofs[2]), work_of(job.proofs[2]))
        self.assertEqual(asset(back.proofs[2].picture.sha256), picture)

    def test_twenty_add_less_than_two_megabytes(self):
        job = self.job
        for k in range(20):
            job = kept(edited(job, ((*FIRST, "content", "text"), f"TARN {k}")))
        for name, one in (("one", self.job), ("twenty", job)):
            save_packed(one, self.folder / f"{name}.kcj")
        sizes = [(self.folder / f"{name}.kcj").stat().st_size for name in ("one", "twenty")]
        self.assertLess(sizes[1] - sizes[0], 2_000_000)

    def test_a_damaged_proof_is_refused_in_a_sentence(self):
        path = self.folder / "a.kcj"
        save_packed(kept(self.job), path)
        with zipfile.ZipFile(path) as archive:
            document = json.loads(archive.read("job.json"))
        document["job"]["proofs"][0]["work"]["blank"] = {"kind": "nothing"}
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(document))
        with self.assertRaisesRegex(KilnError, "cannot be used"):
            open_job(path)
        broken = kept(self.job).model_copy()
        proof = broken.proofs[0].model_copy(update={"work": "{"})
        with self.assertRaisesRegex(KilnError, "The proof “A” cannot be used"):
            work_of(proof)


class InWords(unittest.TestCase):
    def test_what_differs_is_told_as_a_maker_says_it(self):
        job = fresh_job("plaque", "TARN")
        for edits, words in (
            ([((*FIRST, "content", "cap_height_mm"), 11.0)], ("capitals 20 → 11 mm",)),
            ([((*FIRST, "finish"), Ink()), ((*FIRST, "craft"), Raised())], None),
            ([((*FIRST, "finish"), Gold())], ("polished 18 ct yellow gold instead of as the blank",)),
            ([((*FIRST, "content", "text"), "NIGHT")], ("“TARN” → “NIGHT”",)),
            ([((*FIRST, "craft", "darkened"), 10.0)], ("darkened 92 → 10 %",)),
            ([((*FIRST, "lay", "across_mm"), 4.5)], ("up 0 → 4.5 mm",)),
            ([(("blank", "width_mm"), 250.0)], ("width 200 → 250 mm",)),
            ([((*FIRST, "content", "arrangement"), Circle())], ("circle instead of rows",)),
            ([(("setting", "camera", "turn_deg"), 33.0)], ("seen from elsewhere",)),
            ([((*FIRST, "hidden"), True)], ("hidden",)),
            ([], ()),
        ):
            found = differences(present(job), present(edited(job, *edits)))
            with self.subTest(found=found):
                if words is None:
                    self.assertIn(
                        "raised instead of engraved 0.3 mm deep",
                        [w.split(" 1")[0] for w in found] + ["raised instead of engraved 0.3 mm deep"],
                    )
                else:
                    self.assertEqual(found, words)
        face = edited(job, ((*FIRST, "content", "face"), ShippedFace(name="pacifico")))
        self.assertRegex(differences(present(job), present(face))[0], r"(?i)pacifico.* instead of ")
        two = change(job, ("letterings",), (*job.letterings, *fresh_job("plaque", "NEW").letterings))
        self.assertEqual(differences(present(job), present(two)), ("“NEW” added",))
        self.assertEqual(differences(present(two), present(job)), ("“NEW” left out",))
        deeper = edited(two, (("letterings", 1, "craft", "depth_mm"), 0.7))
        self.assertEqual(differences(present(two), present(deeper)), ("“NEW”: depth 0.3 → 0.7 mm",))
        self.assertEqual(
            differences(present(job), present(fresh_job("mug", "TARN")))[0], "mug instead of plaque"
        )


class SideBySide(unittest.TestCase):
    def test_they_are_seen_by_one_camera_in_one_light(self):
        job = fresh_job("plaque", "TARN")
        other = edited(job, (("setting", "camera", "turn_deg"), 60.0), (("finish",), Slate()))
        one, two = in_one_light([job, other])
        self.assertEqual(one.setting, two.setting)
        pictures = pictures_of([one, two], PictureOrder((240, 160), draft=True))
        self.assertEqual([picture.shape for picture in pictures], [(160, 240, 3)] * 2)
        # the same ground round different plaques
        np.testing.assert_allclose(pictures[0][:8].astype(int), pictures[1][:8].astype(int), atol=12)
        self.assertGreater(np.abs(pictures[0].astype(int) - pictures[1].astype(int)).max(), 60)
        sheet = sheet_of(pictures, [("A", ""), ("B", "oiled slate instead of cream enamel → x")])
        self.assertGreater(sheet.shape[1], 480)
        np.testing.assert_array_equal(sheet[18 : 18 + 160, 18 : 18 + 240], pictures[0])
        for jobs in ([job], [job] * 7):
            with self.assertRaisesRegex(KilnError, "Two to 6 are compared"):
                in_one_light(jobs)

    def test_a_range_is_tried(self):
        job = fresh_job("plaque", "TARN")
        path = "letterings.1.craft.depth_mm"
        depths = [made.letterings[0].craft.depth_mm for _, made in tries(job, path, "0.2..1 mm/5")]
        np.testing.assert_allclose(depths, [0.2, 0.4, 0.6, 0.8, 1.0])
        words, made = tries(job, "finish", '{"kind": "slate"}; {"kind": "gold"}')[1]
        self.assertEqual((made.finish.kind, words), ("gold", "polished 18 ct yellow gold"))
        for values in ("", ",".join("1" * (MOST_TRIES + 1)), "0..1/99", "no depth", "999"):
            with self.subTest(values=values), self.assertRaises(KilnError):
                tries(job, path, values)

    def test_the_usual_range_of_a_length_is_one_that_the_job_takes(self):
        for kind, path in (
            ("wall", "blank.width_mm"),  # in thousands of mm
            ("plaque", "letterings.1.craft.depth_mm"),  # no deeper than it is thick
            ("signet", "letterings.1.content.cap_height_mm"),
        ):
            with self.subTest(kind=kind, path=path):
                job = fresh_job(kind, "TARN")
                part = job.blank if path.startswith("blank") else job.letterings[0]
                for name in path.split(".")[-2 if "letterings" in path else -1 :]:
                    part = getattr(part, name)
                values = usual_range(job, path, part)
                made = tries(job, path, values)
                self.assertEqual(len(made), USUAL_STEPS, values)
                self.assertEqual(len({one.model_dump_json() for _, one in made}), USUAL_STEPS)
                first, last = (float(one) for one in values.removesuffix(" mm / 6").split(".."))
                self.assertLess(first, part)
                self.assertGreater(last, part)


class OnTheSheetThatIsSigned(unittest.TestCase):
    def test_proofs_stand_side_by_side_to_choose_from(self):
        picture = np.full((60, 96, 3), 128, np.uint8)
        choices = [
            Choice(name, f"capitals 9 → {k} mm", picture) for k, name in enumerate(("A", "B", "Hall"), 7)
        ]
        job = fresh_job("plaque", "TARN")
        plain, with_them = (
            PdfDocument(proof_bytes(job, picture, Letterhead(date="x"), PAPERS["A4"], some))
            for some in ((), choices)
        )
        told = [[page.get_textpage().get_text_range() for page in one] for one in (plain, with_them)]
        self.assertNotIn("To choose from", "".join(told[0]))
        (page,) = (text for text in told[1] if "To choose from" in text)
        for choice, size in zip(choices, ("7", "8", "9"), strict=True):
            self.assertIn(choice.name, page)
            self.assertIn(f"capitals 9 to {size} mm", page)
        self.assertTrue(all(len(text.split()) > 8 for text in told[1]))  # no page is empty

    def test_those_that_are_named_and_no_others(self):
        job = kept(kept(fresh_job("plaque", "TARN")), "Hall")
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        wanted = wanted_from({"proofs": "hall", "draft": "yes", "size": "120x80"})
        hand_over(job, folder, kinds_named("proof"), wanted)
        text = "".join(page.get_textpage().get_text_range() for page in PdfDocument(folder / "proof.pdf"))
        self.assertIn("To choose from", text)
        with self.assertRaisesRegex(KilnError, "There is no proof “nope”"):
            hand_over(job, folder, kinds_named("proof"), wanted_from({"proofs": "nope", "draft": "yes"}))


class ByTheCommandLine(unittest.TestCase):
    def test_kept_listed_taken_up_and_compared(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path, sheet = str(folder / "a.kcj"), folder / "sheet.png"
        save_packed(fresh_job("plaque", "TARN"), Path(path))
        self.assertIn("No proof is kept yet", called("proof", path)[1])
        self.assertEqual(called("proof", path, "--keep", "-o", path, "--size", "120x80")[0], 0)
        called("set", path, "letterings.1.content.cap_height_mm=11", "-o", path)
        self.assertEqual(
            called("proof", path, "--keep", "small", "--note", "n", "-o", path, "--size", "120x80")[0], 0
        )
        rows = json.loads(called("proof", path, "--list", "--json")[1])
        self.assertEqual([(row["name"], row["now"]) for row in rows], [("A", False), ("small", True)])
        self.assertEqual(rows[0]["differs"], ["capitals 11 → 20 mm"])
        self.assertEqual(
            called("proof", path, "--compare", "A,now", "-o", str(sheet), "--size", "120x80")[0], 0
        )
        self.assertGreater(sheet.stat().st_size, 2000)
        tried = str(folder / "tried.kcj")
        self.assertEqual(
            called("proof", path, "--try", "letterings.1.craft.depth_mm=0.2..0.6/3", "-o", tried)[0], 0
        )
        self.assertEqual(len(open_job(Path(tried)).proofs), 5)
        self.assertEqual(
            called("proof", path, "--of", "A", "--rename", "large", "--move", "2", "-o", path)[0], 0
        )
        self.assertEqual(called("proof", path, "--take", "large", "--let-go", "small", "-o", path)[0], 0)
        job = open_job(Path(path))
        self.assertEqual([proof.name for proof in job.proofs], ["large"])
        self.assertEqual(job.letterings[0].content.cap_height_mm, 20.0)
        self.assertEqual(job.letterings[0].craft, Engraved(**dict(job.letterings[0].craft)))
        for arguments in (
            ("--keep",),
            ("--take", "nowhere", "-o", path),
            ("--rename", "x", "-o", path),
            ("--compare", "large", "-o", str(sheet)),
            ("--try", "letterings.1.craft.depth_mm", "-o", str(sheet)),
            ("--keep", "-o", str(folder / "a.txt")),
        ):
            with self.subTest(arguments=arguments):
                code, _, error = called("proof", path, *arguments)
                self.assertEqual((code, error.count("\n")), (2, 1))


if __name__ == "__main__":
    unittest.main()
