import os
import pickle
import subprocess
import sys
import unittest
import warnings

from pydantic import ValidationError

from demo.jobs import ALL
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Mug, Plaque
from kilnchisel.core.job.crafts import Engraved, Printed, Raised
from kilnchisel.core.job.edits import change, field_label, limits, read, with_lettering, without_lettering
from kilnchisel.core.job.finish import AsBlank, Brass, Ink
from kilnchisel.core.job.fresh import first_lettering, new_lettering
from kilnchisel.core.job.history import History
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.finishes import colour_word, finish_words
from kilnchisel.core.job.words.sections import edit_words, sentence
from tests.samples import mug_job, plaque_job


class Values(unittest.TestCase):
    def test_a_hash_that_is_known_changes_nothing_else(self):
        for stem in ("night-crew-mug", "shuttle-van", "bank-letters"):
            plain, asked = (ALL[stem]() for _ in range(2))
            known = hash(asked)
            with self.subTest(stem), warnings.catch_warnings():
                warnings.simplefilter("error")
                self.assertEqual(asked, plain)
                self.assertEqual(asked.model_dump(), plain.model_dump())
                self.assertEqual(asked.model_dump_json(), plain.model_dump_json())
                self.assertEqual(repr(asked), repr(plain))
                self.assertEqual(pickle.dumps(asked), pickle.dumps(plain))
            self.assertEqual(hash(plain), known)
            other = asked.model_copy(update={"name": "Another"})
            self.assertEqual(hash(other), hash(plain.model_copy(update={"name": "Another"})))
            self.assertNotEqual(hash(other), known)
            self.assertEqual(hash(other.model_copy(update={"name": plain.name})), known)
            deep = change(asked, ("letterings", 0, "lay", "along_mm"), 12.5)
            self.assertEqual(
                hash(deep), hash(change(ALL[stem](), ("letterings", 0, "lay", "along_mm"), 12.5))
            )

    def test_in_another_process_it_is_worked_out_anew(self):
        job = ALL["night-crew-mug"]()
        hash(job)
        told = "import pickle, sys; print(hash(pickle.load(sys.stdin.buffer)), hash('KC'))"
        found = set()
        for seed in ("1", "2"):
            made = subprocess.run(
                [sys.executable, "-c", told],
                input=pickle.dumps(job),
                env={**os.environ, "PYTHONHASHSEED": seed},
                capture_output=True,
                check=True,
            )
            found.add(made.stdout.split()[0])
        self.assertEqual(len(found), 2)

    def test_default_mug_is_84_by_84(self):
        self.assertEqual((Mug().diameter_mm, Mug().height_mm), (84.0, 84.0))

    def test_equal_jobs_hash_alike_and_serve_as_keys(self):
        first, second = mug_job(), mug_job()
        self.assertEqual(first, second)
        self.assertEqual(hash(first), hash(second))
        self.assertNotEqual(hash(first), hash(mug_job("OTHER")))

    def test_frozen(self):
        with self.assertRaises(ValidationError):
            mug_job().name = "x"

    def test_change_replaces_one_value_and_leaves_the_old_job(self):
        job = mug_job()
        other = change(job, ("letterings", 0, "content", "cap_height_mm"), 5.5)
        self.assertEqual(read(other, ("letterings", 0, "content", "cap_height_mm")), 5.5)
        self.assertNotEqual(job, other)
        self.assertEqual(other.letterings[0].lay, job.letterings[0].lay)

    def test_refusals_say_limit_and_unit(self):
        cases = (
            (mug_job(), ("blank", "diameter_mm"), 900, "the most is 160 mm"),
            (mug_job(), ("blank", "height_mm"), 2, "the least is 40 mm"),
            (mug_job(), ("letterings", 0, "lay", "turn_deg"), 999, "the most is 360°"),
            (mug_job(), ("letterings", 0, "content", "cap_height_mm"), float("nan"), "Cap height"),
            (mug_job(), ("blank", "rim_mm"), 1.6, "at least 2.2 mm"),
            (plaque_job(), ("blank", "edge_round_mm"), 9, "18 mm thick"),
            (plaque_job(), ("blank", "corner_mm"), 90, "at most 60 mm"),
            (mug_job(), ("finish",), "gold leaf", "finish"),
        )
        for job, path, value, words in cases:
            with self.subTest(path=path), self.assertRaises(KilnError) as caught:
                change(job, path, value)
            self.assertIn(words.lower(), str(caught.exception).lower())

    def test_pointed_oval_is_explained(self):
        with self.assertRaises(KilnError) as caught:
            Plaque(shape="oval", width_mm=200, height_mm=20, edge_round_mm=2)
        self.assertIn("too pointed", str(caught.exception))

    def test_unknown_fields_survive_edits(self):
        data = mug_job().model_dump(mode="json")
        data["blank"]["glaze_code"] = "T-9"
        data["later"] = {"a": 1}
        job = change(Job.model_validate(data), ("name",), "Renamed")
        kept = change(job, ("blank", "height_mm"), 90).model_dump(mode="json")
        self.assertEqual(kept["later"], {"a": 1})
        self.assertEqual(kept["blank"]["glaze_code"], "T-9")

    def test_limits_of_a_field(self):
        self.assertEqual(limits(Wording, "cap_height_mm"), (0.2, 3000))
        self.assertEqual(limits(Mug, "handle"), (None, None))
        self.assertEqual(field_label("cap_height_mm"), ("Cap height", " mm"))


class Letterings(unittest.TestCase):
    def test_first_lettering_suits_the_blank(self):
        self.assertIsInstance(first_lettering(Plaque(), "A").craft, Engraved)
        self.assertIsInstance(first_lettering(Mug(), "A").craft, Printed)
        self.assertEqual(first_lettering(Plaque(), "A").lay.side, "front")

    def test_next_lettering_goes_below_the_last(self):
        job = mug_job("ONE\nTWO")
        added = new_lettering(job, "THREE")
        self.assertLess(added.lay.across_mm, job.letterings[0].lay.across_mm)
        self.assertEqual(added.content.face, job.letterings[0].content.face)

    def test_add_and_remove(self):
        job = with_lettering(mug_job("A"), first_lettering(Mug(), "B"), at=0)
        self.assertEqual([item.content.text for item in job.letterings], ["B", "A"])
        self.assertEqual(without_lettering(job, 0).letterings[0].content.text, "A")


class Undo(unittest.TestCase):
    def setUp(self):
        self.job = mug_job()
        self.history = History.start(self.job)

    def step(self, cap, merge=""):
        job = change(self.history.job, ("letterings", 0, "content", "cap_height_mm"), cap)
        self.history = self.history.push(job, f"cap {cap}", merge)

    def cap(self):
        return self.history.job.letterings[0].content.cap_height_mm

    def test_named_steps_there_and_back(self):
        self.step(5.0)
        self.step(6.0)
        self.assertEqual(self.history.undo_words, "cap 6.0")
        self.history = self.history.undo()
        self.assertEqual((self.cap(), self.history.redo_words), (5.0, "cap 6.0"))
        self.history = self.history.redo()
        self.assertEqual(self.cap(), 6.0)
        self.assertIs(self.history.redo().job, self.history.job)

    def test_a_drag_is_one_step(self):
        for cap in (5.0, 5.1, 5.2):
            self.step(cap, "drag")
        self.history = self.history.seal()
        self.step(5.3, "drag")
        self.assertEqual(len(self.history.steps), 3)
        self.history = self.history.undo()
        self.assertEqual(self.cap(), 5.2)
        self.assertEqual(self.history.undo().job, self.job)

    def test_a_new_step_drops_the_future(self):
        self.step(5.0)
        self.history = self.history.undo()
        self.step(7.0)
        self.assertIsNone(self.history.redo_words)

    def test_nothing_changed_is_no_step(self):
        self.assertIs(self.history.push(mug_job(), "same"), self.history)

    def test_the_past_has_an_end(self):
        for number in range(520):
            self.step(5 + number / 100)
        self.assertEqual(len(self.history.steps), 500)


class Words(unittest.TestCase):
    def test_sections_read_like_an_order(self):
        job = mug_job("TARNLIGHT\nhill")
        self.assertEqual(sentence(job, "blank", 0), "Mug, 84 × 84 mm, handle at -90°")
        self.assertIn("TARNLIGHT / hill", sentence(job, "wording", 0))
        self.assertEqual(sentence(job, "craft", 0), "Printed, 0.02 mm film")
        self.assertEqual(sentence(Job(), "craft", None), "No lettering yet")
        self.assertIn("edge", sentence(plaque_job(), "finish", 0))
        self.assertIn("Daylight", sentence(job, "setting", 0))
        plaque = plaque_job()
        self.assertEqual(sentence(plaque, "lay", 0), "Front, in the middle")
        moved = change(plaque, ("letterings", 0, "lay", "across_mm"), -31.0)
        self.assertEqual(sentence(moved, "lay", 0), "Front, 31 mm below the middle")
        moved = change(moved, ("letterings", 0, "lay", "along_mm"), 4.0)
        self.assertEqual(sentence(moved, "lay", 0), "Front, 4 mm right of and 31 mm below the middle")

    def test_crafts_and_finishes(self):
        self.assertEqual(
            craft_words(Engraved(depth_mm=0.3, darkened=60)), "Engraved 0.3 mm deep, darkened 60 %"
        )
        self.assertEqual(craft_words(Raised(height_mm=0.8)), "Raised 0.8 mm")
        self.assertEqual(finish_words(Brass(polish="brushed")), "brushed brass")
        self.assertEqual(finish_words(AsBlank()), "as the blank")
        self.assertEqual(finish_words(Ink(colour="#1d2a4d")), "midnight ink")
        self.assertEqual(colour_word("#ffffff"), "white")

    def test_edit_words(self):
        self.assertEqual(edit_words(("craft", "depth_mm"), 0.3), "depth 0.3 mm")
        self.assertEqual(edit_words(("blank", "handle"), False), "handle off")
