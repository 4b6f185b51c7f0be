"""Cloth that is worn, hung, laid flat or folded: what that changes, and what it leaves."""

import tempfile
import unittest
from itertools import product
from pathlib import Path

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import LUMA, picture_curve, srgb_decode
from kilnchisel.core.job.bodies import Apparel, Apron, ToteBag
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import job_on, with_shown
from kilnchisel.core.job.garments import SHOWN, SIZES, TABLE
from kilnchisel.core.job.sets import home_set, named, set_of, sets_for
from kilnchisel.core.job.traits import stances_of
from kilnchisel.core.job.words.blanks import blank_words
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.placing import at_place
from tests.commands import called
from tests.samples import the_draft


def shirt(shown="worn", text="OK"):
    return job_on(Apparel(shown=shown), "Shirt", text)


class Otherwise(unittest.TestCase):
    def test_each_way_stands_in_a_set_that_suits_it(self):
        for shown, stance in (
            ("worn", "worn"),
            ("on a hanger", "hung"),
            ("laid flat", "lying"),
            ("folded", "lying"),
        ):
            with self.subTest(shown):
                job = with_shown(shirt(), shown=shown)
                self.assertEqual(stances_of(job.blank), (stance,))
                self.assertIsNotNone(set_of(job))
                manners = {one.manner for one in sets_for(job.blank)} - {"night", "any"}
                wanted = {"worn": {"worn"}, "hung": {"wall"}}.get(stance, {"table", "open"})
                self.assertLessEqual(manners, wanted)
                self.assertIn(shown, blank_words(job.blank))

    def test_what_is_spread_out_opens_on_a_table_whatever_its_size(self):
        for garment in TABLE:
            for size, shown in product(SIZES, ("laid flat", "folded")):
                with self.subTest(garment=garment, size=size, shown=shown):
                    blank = Apparel(garment=garment, size=size, shown=shown)
                    self.assertEqual(named(home_set(blank)).manner, "table")

    def test_letters_stay_where_they_are_on_the_cloth(self):
        job = at_place(shirt(), 0, "left chest")
        for shown in ("on a hanger", "laid flat"):
            self.assertEqual(with_shown(job, shown=shown).letterings, job.letterings)

    def test_another_garment_is_shown_as_the_one_before(self):
        job = with_shown(shirt("folded"), garment="hooded sweatshirt")
        self.assertEqual((job.blank.garment, job.blank.shown), ("hooded sweatshirt", "folded"))
        self.assertEqual(stances_of(job.blank), ("lying",))

    def test_a_size_changes_no_setting_of_ones_own(self):
        job = with_shown(shirt(), size="XL")
        self.assertEqual(job.blank.size, "XL")
        self.assertEqual(set_of(job), set_of(shirt()))

    def test_the_lowest_place_of_what_lies_is_on_the_ground(self):
        for blank in (
            Apparel(shown="laid flat"),
            Apparel(shown="folded"),
            ToteBag(shown="laid flat"),
            Apron(shown="laid flat"),
        ):
            with self.subTest(blank):
                job = job_on(blank, "Flat", "OK")
                body = body_of(blank)
                matrix = stance_of(job)
                low = min(
                    float((shell.mesh.points @ matrix[:3, :3].T + matrix[:3, 3])[:, 2].min())
                    for shell in body.shells
                )
                self.assertGreater(low, -4.0)
                self.assertLess(low, 4.0)

    def test_what_is_folded_away_is_told(self):
        job = shirt("folded", "OK")
        self.assertFalse([one for one in checks(job, 0) if "folded" in one.says and one.level != "good"])
        moved = job.letterings[0].lay.model_copy(update={"across_mm": -200.0})
        hidden = job.model_copy(
            update={"letterings": (job.letterings[0].model_copy(update={"lay": moved}),)}
        )
        told = [one for one in checks(hidden, 0) if "folded" in one.says and one.level != "good"]
        self.assertEqual([one.level for one in told], ["failure"])
        for garment, sides in (
            ("t-shirt", ("back", "left sleeve")),
            ("hooded sweatshirt", ("pouch", "right sleeve")),
        ):
            for side in sides:  # on these nothing is seen
                blank = Apparel(garment=garment, shown="folded")
                job = job_on(blank, "Shirt", "OK")
                lettering = job.letterings[0]
                middle = body_of(blank).sheet(side).side.domain.centroid
                at = {"side": side, "along_mm": middle.x, "across_mm": middle.y}
                lay = lettering.lay.model_copy(update=at)
                job = job.model_copy(update={"letterings": (lettering.model_copy(update={"lay": lay}),)})
                told = [one for one in checks(job, 0) if "folded" in one.says]
                self.assertEqual([one.level for one in told], ["failure"], side)

    def test_older_files_are_worn(self):
        self.assertEqual(Apparel.model_validate({"garment": "sweatshirt"}).shown, "worn")


class ByTheCommandLine(unittest.TestCase):
    def test_how_it_is_shown_changes_the_setting_too(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.kcj"
            self.assertEqual(called("new", "apparel", "-o", str(path), "--text", "OK")[0], 0)
            self.assertEqual(called("set", str(path), "blank.shown=laid flat", "-o", str(path))[0], 0)
            job = open_job(path)
            self.assertEqual(job.blank.shown, "laid flat")
            self.assertGreater(job.setting.camera.tilt_deg, 40)
            code, _, words = called("set", str(path), "blank.garment=hooded sweatshirt", "-o", str(path))
            self.assertEqual(code, 0, words)
            self.assertEqual(open_job(path).blank.shown, "laid flat")
            code, _, words = called("set", str(path), "blank.shown=crumpled", "-o", str(path))
            self.assertNotEqual(code, 0)
            self.assertIn("folded", words)
            self.assertEqual(open_job(path).blank.shown, "laid flat")


class Drawn(unittest.TestCase):
    def test_a_hood_that_is_laid_up_has_no_black_holes_in_the_draft(self):
        """Where the coarse cloth runs over its true place nothing is seen; what is beside it is."""
        size = (200, 150)
        job = job_on(Apparel(garment="hooded sweatshirt", shown="folded"), "Hood", "OK")
        scene, view = scene_of_job(job), view_of(job, size[0] / size[1])
        draft = srgb_decode(the_draft().render(scene, view, size)[..., :3] / 255) @ LUMA
        mockup = np.clip(picture_curve(Mockup(scene).linear(view, size, 16)), 0, 1) @ LUMA
        piece = mockup < 0.12  # midnight cloth on a pale table
        self.assertGreater(piece.mean(), 0.1)
        self.assertLess((draft[piece] < 0.3 * mockup[piece]).mean(), 0.006)


class Hung(unittest.TestCase):
    def test_a_hanger_is_seen_and_a_bag_has_its_peg(self):
        names = {shell.name for shell in body_of(Apparel(shown="on a hanger")).shells}
        self.assertLessEqual({"hanger", "hook", "peg"}, names)
        self.assertIn("peg", {shell.name for shell in body_of(ToteBag()).shells})
        self.assertNotIn("peg", {shell.name for shell in body_of(ToteBag(shown="laid flat")).shells})

    def test_every_way_is_offered_for_what_it_is_made_for(self):
        for garment in TABLE:
            for shown in SHOWN:
                with self.subTest(garment=garment, shown=shown):
                    points = body_of(Apparel(garment=garment, shown=shown)).sheets[0].net.at
                    self.assertTrue(np.isfinite(points).all())


if __name__ == "__main__":
    unittest.main()
