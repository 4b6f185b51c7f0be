"""Several pieces in one photo: taken in hand by turns, the nearer before the farther, kept with the job."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.artwork import Picture
from kilnchisel.core.job.assets import asset, forget, keep_asset
from kilnchisel.core.job.company import alone, laid_aside, with_another, without_other
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import artwork_used, change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.finish import Ink, Paint
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import MOST_OTHERS
from kilnchisel.core.job.photo import Rectangle
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.onphoto import between_places
from kilnchisel.core.scene.photojob import another_piece, in_photo, out_of_photo, piece_in_hand, taken_in
from tests.commands import called
from tests.samples import the_draft

SIZE, SMALL = (300, 200), (150, 100)
WALL = Rectangle(
    corners=((30.0, 170.0), (270.0, 170.0), (270.0, 30.0), (30.0, 30.0)), width_mm=240.0, height_mm=140.0
)
RED, BLUE = "#c81e1e", "#1e1ec8"


def board(colour, beside, beyond):
    """A painted board of 90 x 90 mm in the photo."""
    job = fresh_job("plaque", "H")
    job = change(job, ("blank", "width_mm"), 90.0)
    job = change(job, ("blank", "height_mm"), 90.0)
    job = change(job, ("setting", "stance"), "hung")
    job = change(job, ("finish",), Paint(colour=colour))
    job = change(job, ("letterings", 0, "finish"), Ink(colour=colour))
    return job, {"beside_mm": beside, "beyond_mm": beyond}


class InAFolder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.path = self.folder / "wall.png"
        Image.fromarray(np.full((SIZE[1], SIZE[0], 3), 150, np.uint8)).save(self.path)
        self.taken = photo_taken(self.path)

    def job(self, colour=RED, beside=0.0, beyond=0.0, told=WALL):
        job, where = board(colour, beside, beyond)
        return in_photo(job, taken_in(self.taken, told, soft=0.0, **where))


class InOnePhoto(InAFolder):
    def two(self):
        """A red board in hand, and a blue one 60 mm nearer, to the right of it and over its half."""
        red, blue = self.job(), self.job(BLUE, beside=45.0, beyond=-60.0)
        return with_another(red, laid_aside(blue))

    def test_taken_in_hand_and_put_back_it_is_the_same(self):
        job = self.two()
        other = piece_in_hand(job, 1)
        self.assertEqual(other.finish.colour, BLUE)
        self.assertEqual(other.setting.photo.beside_mm, 45.0)
        self.assertEqual(other.others[0].finish.colour, RED)
        self.assertEqual(piece_in_hand(other, 1), job)
        self.assertEqual(without_other(job, 1).others, ())
        for number in (0, 2):
            with self.assertRaisesRegex(KilnError, f"no other piece {number}"):
                piece_in_hand(job, number)

    def test_the_nearer_stands_before_the_farther_whichever_is_in_hand(self):
        pictures = {}
        for name, job in (("red", self.two()), ("blue", piece_in_hand(self.two(), 1))):
            scene, view = scene_of_job(job), view_of(job, 1.5)
            *_, made = Mockup(scene).refine(view, SIZE, 6, looks=())
            for how, pixels in (("m", made.pixels), ("d", the_draft().render(scene, view, SIZE)[..., :3])):
                pictures[name, how] = pixels.astype(int)
        for (name, how), pixels in pictures.items():
            with self.subTest(in_hand=name, made=how):
                red, blue = (
                    (pixels[..., k] - pixels[..., 2 - k] > 60) & (pixels[..., k] > 90) for k in (0, 2)
                )
                self.assertGreater(red.sum(), 1500)
                self.assertGreater(blue.sum(), 3000)
                # of two squares of one size, the nearer is whole
                self.assertGreater(blue.sum(), 1.5 * red.sum())
                rows, columns = np.nonzero(blue)
                box = blue[rows.min() + 3 : rows.max() - 2, columns.min() + 3 : columns.max() - 2]
                self.assertGreater(box.mean(), 0.97)
        # what is seen is the same, whichever is in hand
        for how in "md":
            off = np.abs(pictures["red", how] - pictures["blue", how]).max(axis=2)
            self.assertLess((off > 40).mean(), 0.02)

    def test_looks_on_the_way_tell_that_they_are_not_the_last(self):
        job = self.two()
        shares = []
        made = list(
            Mockup(scene_of_job(job)).refine(
                view_of(job, 1.5), SMALL, 5, looks=(2,), progress=shares.append
            )
        )
        self.assertEqual({one.wanted for one in made}, {5})
        self.assertEqual([one.done for one in made][-1], 5)
        self.assertEqual(shares, sorted(shares))
        # a change of what is in hand does not have the others traced again
        lettered = change(job, ("letterings", 0, "content", "text"), "I")
        shares.clear()
        list(Mockup(scene_of_job(lettered)).refine(view_of(job, 1.5), SMALL, 5, progress=shares.append))
        self.assertGreaterEqual(shares[0], 0.5)

    def test_each_is_told_by_its_own_and_lit_from_one_sun(self):
        job = self.job()
        turned = WALL.model_copy(
            update={"corners": ((60.0, 165.0), (200.0, 185.0), (205.0, 20.0), (55.0, 40.0))}
        )
        two = with_another(job, laid_aside(self.job(BLUE, told=turned)))
        other = piece_in_hand(two, 1)
        by = between_places(two.setting.photo, other.setting.photo)
        self.assertGreater(abs(by), 10)
        turn = other.setting.light.turn_deg - two.setting.light.turn_deg
        self.assertAlmostEqual((turn - by + 180) % 360 - 180, 0, delta=1e-6)
        self.assertEqual(other.setting.photo.told, turned)
        # as company it is seen where it is when it is in hand
        one, alone_ = scene_of_job(two).company[0], scene_of_job(alone(two, two.others[0]))
        np.testing.assert_allclose(one.view(1.5).eye, view_of(other, 1.5).eye)
        self.assertEqual(len(one.scene.items), len(alone_.items))

    def test_the_same_again_and_the_piece_of_another_job(self):
        job = self.job()
        again = another_piece(job)
        self.assertGreater(again.setting.photo.beside_mm, 90)
        self.assertEqual(again.others[0].stands.beside_mm, 0)
        mug = fresh_job("mug", "Tea")
        with_mug = another_piece(job, mug)
        self.assertEqual((with_mug.blank, with_mug.letterings), (mug.blank, mug.letterings))
        self.assertEqual(with_mug.setting.photo.told, WALL)
        there = another_piece(job, self.job(BLUE, beside=77.0))
        self.assertEqual(there.setting.photo.beside_mm, 77.0)
        with self.assertRaisesRegex(KilnError, "stands in none"):
            another_piece(mug)
        full = job
        for _ in range(MOST_OTHERS):
            full = another_piece(full)
        with self.assertRaisesRegex(KilnError, "more are not shown"):
            another_piece(full)

    def test_one_that_cannot_be_made_is_named(self):
        bad = self.two()
        sides = change(piece_in_hand(bad, 1), ("letterings", 0, "lay", "side"), "nowhere")
        with self.assertRaisesRegex(KilnError, "Another piece in the photo, “H” on the .*nowhere"):
            scene_of_job(piece_in_hand(sides, 1))

    def test_they_are_kept_with_the_job_with_all_they_need(self):
        made = np.zeros((8, 8, 3), np.uint8)
        stamp = self.folder / "stamp.png"
        Image.fromarray(made).save(stamp)
        digest = keep_asset(stamp.read_bytes(), "stamp.png")
        other = self.job(BLUE, beside=45.0)
        picture = Picture(sha256=digest, name="stamp.png")
        letter = other.letterings[0].model_copy(update={"content": picture, "craft": Printed()})
        other = other.model_copy(update={"letterings": (letter,)})
        job = with_another(self.job(), laid_aside(other))
        self.assertIn(digest, {one.sha256 for one in artwork_used(job)})
        path = self.folder / "two.kcj"
        save_packed(job, path)
        forget(digest)
        opened = open_job(path)
        self.assertEqual(opened, job)
        self.assertEqual(asset(digest, "stamp.png"), stamp.read_bytes())

    def test_out_of_the_photo_they_wait_and_another_photo_tells_of_them(self):
        out = out_of_photo(self.two())
        self.assertEqual(len(out.others), 1)
        self.assertEqual(scene_of_job(out).company, ())
        second = self.folder / "second.png"
        Image.fromarray(np.full((100, 150, 3), 99, np.uint8)).save(second)
        told = WALL.model_copy(
            update={"corners": ((15.0, 85.0), (135.0, 85.0), (135.0, 15.0), (15.0, 15.0))}
        )
        again = in_photo(out, taken_in(photo_taken(second), told))
        self.assertEqual(again.others[0].stands.told, told)
        self.assertEqual(again.others[0].stands.beside_mm, 45.0)


class ByCommand(InAFolder):
    def setUp(self):
        super().setUp()
        self.red, self.blue, self.made = (self.folder / f"{n}.kcj" for n in ("red", "blue", "made"))
        save_packed(self.job(), self.red)
        save_packed(self.job(BLUE, beside=45.0), self.blue)

    def test_put_together_taken_in_hand_and_dropped(self):
        def photo(*more):
            return called("photo", *more, "-o", str(self.made))

        self.assertEqual(photo(str(self.red), "--also", str(self.blue))[0], 0)
        job = open_job(self.made)
        self.assertEqual((job.finish.colour, len(job.others)), (BLUE, 1))
        self.assertEqual(photo(str(self.made), "--in-hand", "1")[0], 0)
        self.assertEqual(open_job(self.made).finish.colour, RED)
        status, _, errors = photo(str(self.made), "--in-hand", "3")
        self.assertEqual(status, 2)
        self.assertIn("no other piece 3", errors)
        _, said, _ = called("measure", str(self.made))
        self.assertIn("Other piece 1 in the photo:", said)
        _, said, _ = called("measure", str(self.made), "--json")
        self.assertEqual(len(json.loads(said)["others"]), 1)
        _, _, errors = called("mesh", str(self.made), "-o", str(self.folder / "a.stl"))
        self.assertIn("of the piece in hand; another is in the photo", errors)
        self.assertEqual(photo(str(self.made), "--drop", "1")[0], 0)
        self.assertEqual(open_job(self.made).others, ())


if __name__ == "__main__":
    unittest.main()
