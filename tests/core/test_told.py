"""Nothing is left out, ignored or lost without a word: keys, readings, checks, artwork, broken jobs."""

import json
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np

from kilnchisel.core.build import piece_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job import assets
from kilnchisel.core.job.edits import change, set_field, unknown_keys, with_lettering
from kilnchisel.core.job.file import open_job, read_preview, save_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.lettering.content import content_of_file
from kilnchisel.core.lettering.measures import smallest_gap_mm
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import ENDINGS, Reading, measured, readings
from tests.core.test_handover import called
from tests.each import each, spread
from tests.samples import mug_job, plaque_job

DEMO = Path(__file__).parents[2] / "demo"


def keyed(job):
    return {check.key: check for check in checks(job, 0)}


class Keys(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_a_key_that_does_not_exist_is_refused_inside_json_too(self):
        job = mug_job()
        for field, value in (
            ("letterings.1.lay.repeat", '{"count": 3}'),
            ("letterings.1.craft", '{"kind": "engraved", "dept_mm": 1}'),
            ("letterings.1.content.letters", '[{"at": 0, "kernn_mm": 1}]'),
            ("letterings.²", "1"),
            ("letterings.999999999999999999999", "1"),
        ):
            with self.subTest(field), self.assertRaises(KilnError):
                set_field(job, field, value)
        made = set_field(job, "letterings.1.lay.repeat", '{"times": 3}')
        self.assertEqual(made.letterings[0].lay.repeat.times, 3)

    def test_those_of_a_file_are_kept_and_told(self):
        path = self.folder / "a.kcj"
        save_job(mug_job(), path)
        with zipfile.ZipFile(path) as archive:
            document = json.loads(archive.read("job.json"))
        document["job"]["letterings"][0]["lay"]["hover_mm"] = 3
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(document))
        self.assertEqual(list(unknown_keys(open_job(path))), ["letterings.1.lay.hover_mm"])
        other = self.folder / "b.kcj"
        status, _, said = called("set", path, "letterings.1.lay.turn_deg=5", "-o", other)
        self.assertEqual(status, 0)
        self.assertIn("letterings.1.lay.hover_mm", said)
        self.assertEqual(list(unknown_keys(open_job(other))), ["letterings.1.lay.hover_mm"])

    def test_one_lettering_too_many_is_a_sentence(self):
        job = mug_job("I")
        many = change(job, ("letterings",), job.letterings * 200)
        with self.assertRaisesRegex(KilnError, "the most is 200"):
            with_lettering(many, job.letterings[0])


class TooMuch(unittest.TestCase):
    def test_limits_are_told_with_their_number(self):
        job = plaque_job("TARN")
        text, craft = "letterings.1.content.text", "letterings.1.craft"
        frame = '{"kind": "shape", "form": {"kind": "frame", "points": [[0, 0], [9, 0]]}}'
        for path, value, words in (
            (text, "A" * 5000, "most is 4,000"),
            (text, '"' + "A\\n" * 400 + '"', "401 rows; the most is 300"),
            (text, "a" + "\u0301" * 40, "more than 12 marks"),
            ("letterings.1.content", frame, "three points or more"),
        ):
            with self.subTest(value[:12]), self.assertRaisesRegex(KilnError, words):
                set_field(job, path, value)
        wall = fresh_job("wall", "TARN")
        disc = '{"kind": "shape", "form": {"kind": "disc", "width_mm": 1500, "height_mm": 1500}}'
        wall = set_field(wall, "letterings.1.content", disc)
        fine = '{"kind": "carved", "texture": "chips", "cell_mm": 0.3, "depth_mm": 0.1}'
        with self.assertRaisesRegex(KilnError, "million points"):
            piece_of(set_field(wall, craft, fine))

    def test_standing_letters_of_any_thickness(self):
        job = set_field(
            fresh_job("wall", "I"), "letterings.1.craft", '{"kind": "standing", "thickness_mm": 400}'
        )
        deep = max(np.ptp(part.mesh.points[:, 1]) for part in piece_of(job).parts if part.lettering == 0)
        self.assertAlmostEqual(deep, 400, delta=1e-6)


@spread
class Measured(unittest.TestCase):
    @each(path.stem for path in sorted(DEMO.glob("*.kcj")))
    def test_as_json_demo_job(self, stem):
        told = json.dumps(measured(open_job(DEMO / f"{stem}.kcj")))
        self.assertNotIn("NaN", told)
        self.assertNotIn("Infinity", told)

    def test_every_unit_has_an_ending(self):
        job = change(plaque_job("TARN"), ("finish",), {"kind": "brass"})
        self.assertEqual(
            {reading.unit for reading in readings(job, 0)} - set(ENDINGS),
            set(),
        )
        told = measured(job)["letterings"][0]["readings"]
        self.assertIn("volume_cm3", told)
        self.assertIn("weight_g", told)

    def test_small_values_are_not_nought(self):
        self.assertEqual(Reading("v", "", 0.00347, "cm³").shown, "0.0035 cm³")
        job = set_field(fresh_job("signet", "A"), "letterings.1.content.cap_height_mm", "0.8")
        job = set_field(job, "letterings.1.craft", '{"kind": "engraved", "depth_mm": 0.1}')
        self.assertGreater(measured(job)["letterings"][0]["readings"]["volume_cm3"], 0)

    def test_parts_of_a_letter_that_touch_have_no_gap(self):
        from dataclasses import replace

        import shapely

        from kilnchisel.core.build import lettering_laid

        outline = lettering_laid(plaque_job("I"), 0).outline
        for apart, wanted in ((4e-4, None), (0.05, 0.05)):
            parts = shapely.MultiPolygon([shapely.box(0, 0, 3, 10), shapely.box(3 + apart, 0, 5, 10)])
            layer = replace(outline.layers[0], region=parts)
            drawn = replace(outline, layers=(layer,), ink=parts)
            gap = smallest_gap_mm(drawn)
            self.assertEqual(gap if gap is None else round(gap, 6), wanted)

    def test_glass_and_chrome_weigh_something(self):
        for kind, density in (("glass", 2.5), ("chrome", 8.44)):
            job = change(plaque_job("TARN"), ("finish",), {"kind": kind})
            told = measured(job)["letterings"][0]["readings"]
            self.assertAlmostEqual(told["weight_g"] / told["volume_cm3"], density, delta=0.01)


class Distance(unittest.TestCase):
    def test_between_two_places_on_the_command_line(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        save_job(plaque_job("TARN"), folder / "a.kcj")
        status, said, _ = called("measure", folder / "a.kcj", "--between", "-30,-20", "30,25 mm")
        self.assertEqual((status, said.strip()), (0, "75 mm apart: 60 mm along, 45 mm up"))
        status, _, error = called("measure", folder / "a.kcj", "--between", "3", "4")
        self.assertEqual((status, len(error.splitlines())), (2, 1))


class Checked(unittest.TestCase):
    def test_a_thin_wall_between_engraved_letters(self):
        job = set_field(plaque_job("HH"), "letterings.1.content.letter_spacing_mm", "0")
        gap = next(r.value for r in readings(job, 0) if r.key == "smallest_gap")
        close = set_field(job, "letterings.1.content.letter_spacing_mm", str(round(0.05 - gap, 3)))
        found = keyed(close)["walls"]
        self.assertEqual(found.level, "warning")
        self.assertNotIn("walls", keyed(found.fix.apply(close)))
        self.assertNotIn("walls", keyed(job))

    def test_openings_in_a_round_body_are_told_before_picture_and_solid_refuse_them(self):
        job = set_field(mug_job("O"), "letterings.1.craft", '{"kind": "cut through"}')
        self.assertEqual(keyed(job)["made"].level, "failure")
        flat = set_field(plaque_job("I"), "letterings.1.craft", '{"kind": "cut through"}')
        self.assertNotIn("made", keyed(flat))

    def test_lamps_and_grille_of_the_van_are_kept_clear(self):
        job = fresh_job("van", "TARNLIGHT")
        for side, zones in (("nose", {"lamps", "grille"}), ("rear", {"lamps", "windows"})):
            there = set_field(job, "letterings.1.lay.side", side)
            keys = {key for key in keyed(there) if key.startswith("clear_")}
            self.assertTrue({f"clear_{zone}" for zone in zones} <= keys)


class Artwork(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        drawing = self.folder / "mark.svg"
        drawing.write_text(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">'
            f"<!-- {self.id()} --><path d='M0 0H9V9H0Z'/></svg>"
        )
        job = plaque_job("TARN")
        lettering = job.letterings[0].model_copy(update={"content": content_of_file(drawing)})
        self.job = with_lettering(job, lettering)
        self.path = self.folder / "a.kcj"
        save_packed(self.job, self.path)

    def test_a_recipe_leaves_the_artwork_in_the_job(self):
        status, _, said = called("recipe", self.path, "--use", "Gold foil stamp", "-o", self.path)
        self.assertEqual((status, said), (0, ""))
        digest = self.job.letterings[1].content.sha256
        with zipfile.ZipFile(self.path) as archive:
            self.assertIn(f"assets/{digest}", archive.namelist())

    def test_a_job_whose_artwork_is_lost_can_be_saved(self):
        digest = self.job.letterings[1].content.sha256
        assets.forget(digest)
        other = self.folder / "b.kcj"
        save_packed(self.job, other)
        self.assertEqual(open_job(other), self.job)


class BrokenFiles(unittest.TestCase):
    def test_one_bit_anywhere_is_a_sentence_or_no_harm(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        whole, path = folder / "a.kcj", folder / "b.kcj"
        save_job(mug_job("TARN"), whole, preview_png=b"\x89PNG" + bytes(200))
        data = whole.read_bytes()
        for place in range(0, len(data), 7):
            broken = bytearray(data)
            broken[place] ^= 1 << (place % 8)
            path.write_bytes(broken)
            read_preview(path)
            try:
                open_job(path)
            except KilnError as error:
                self.assertNotIn("object at", str(error))

    def test_old_signets_keep_their_letters_where_they_were(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "a.kcj"
        job = set_field(fresh_job("signet", "A"), "letterings.1.lay.side", "outside")
        save_job(set_field(job, "letterings.1.lay.along_mm", "30"), path)
        with zipfile.ZipFile(path) as archive:
            document = json.loads(archive.read("job.json"))
        document["version"] = 5
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(document))
        half = 3.14159265 * (job.blank.inner_mm / 2 + job.blank.thickness_mm)
        self.assertAlmostEqual(open_job(path).letterings[0].lay.along_mm, 30 - half, delta=1e-3)
