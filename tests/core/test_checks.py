"""Checks of a lettering: each says what is wrong where it is, and nothing where it is not."""

import unittest

from kilnchisel.core.job.artwork import Disc, Shape
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.finish import AsBlank, Ink, Paint
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import LineFace, Wording
from kilnchisel.core.shop.check import rounded_down
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.placing import AIR_MM, least_step
from kilnchisel.core.shop.readings import readings
from tests.samples import plaque_job


def told(job, key):
    return [check for check in checks(job, 0) if check.key == key]


class StraightOn(unittest.TestCase):
    def test_letters_that_fall_beside_what_is_seen_are_told_with_what_mends_it(self):
        job = change(fresh_job("mug", "TARN"), ("letterings", 0, "lay", "wrap"), "project")
        self.assertEqual(told(job, "unreached"), [])
        wide = change(job, ("letterings", 0, "content", "text"), "TARNLIGHT OBSERVATORY")
        (check,) = told(wide, "unreached")
        self.assertEqual(check.level, "failure")
        self.assertRegex(check.says, r"^Straight on from here, \d+(\.\d)? % of the letters fall on nothing")
        mended = check.fix.apply(wide)
        self.assertEqual((mended.letterings[0].lay.wrap, told(mended, "unreached")), ("follow", []))


class Outlines(unittest.TestCase):
    def test_corners_that_cannot_be_rounded_so_far_are_told(self):
        job = change(plaque_job("TARN"), ("letterings", 0, "content", "cap_height_mm"), 20.0)
        path = ("letterings", 0, "content", "round_mm")
        self.assertEqual(told(change(job, path, 0.1), "rounding"), [])
        (check,) = told(change(job, path, 15.0), "rounding")
        self.assertEqual(check.level, "warning")
        self.assertGreater(check.amount_mm, 5.0)  # strokes are some 3 mm wide

    def test_strokes_thinned_until_they_break_are_told_with_half_of_it_as_the_fix(self):
        job = change(plaque_job("TARN"), ("letterings", 0, "content", "cap_height_mm"), 20.0)
        path = ("letterings", 0, "content", "thicken_mm")
        self.assertEqual(told(change(job, path, -0.05), "thinning"), [])
        found = [(much, told(change(job, path, -much), "thinning")) for much in (0.4, 0.6, 0.8, 1.0, 1.2)]
        much, (check,) = next((much, checks_) for much, checks_ in found if checks_)
        self.assertEqual(check.level, "failure")
        mended = check.fix.apply(change(job, path, -much))
        self.assertAlmostEqual(mended.letterings[0].content.thicken_mm, -much / 2)

    def test_a_bend_that_is_too_tight_is_mended_by_its_fix(self):
        job = plaque_job("SO", width_mm=400, height_mm=200)
        for field, value in (
            ("cap_height_mm", 12.0),
            ("face", LineFace(name="hershey-sans")),
            ("bend_mm", 4.0),
        ):
            job = change(job, ("letterings", 0, "content", field), value)
        (check,) = told(job, "bend")
        self.assertEqual(check.level, "warning")
        mended = check.fix.apply(job)
        self.assertGreater(mended.letterings[0].content.cap_height_mm, 12.0)
        self.assertEqual(told(mended, "bend"), [])


class Grounds(unittest.TestCase):
    def contrast(self, along_mm):
        """Of dark letters on a pale plaque, a dark disc of 60 mm lying below in the middle."""
        ink = Ink(colour="#101010")
        disc = Lettering(
            content=Shape(form=Disc(width_mm=60, height_mm=60)), lay=Lay(side="front"), finish=ink
        )
        words = Lettering(
            content=Wording(text="IIII", cap_height_mm=10.0),
            lay=Lay(side="front", along_mm=along_mm),
            finish=ink,
        )
        job = Job(blank=Plaque(width_mm=300, height_mm=200), finish=Paint(colour="#f4f4f4"))
        job = with_lettering(with_lettering(job, disc), words)
        return next(one.value for one in readings(job, 1) if one.key == "contrast")

    def test_letters_stand_on_what_lies_below_most_of_them(self):
        self.assertLess(self.contrast(0.0), 1.05)  # dark on the dark disc
        self.assertGreater(self.contrast(100.0), 10.0)  # beside it
        self.assertGreater(self.contrast(33.0), 10.0)  # a little of them on it

    def test_an_engraving_has_a_contrast_where_it_is_darkened(self):
        """Bare grooves are as pale as their ground: their contrast is shade, and not told."""
        job = Job(blank=Plaque(), finish=Paint(colour="#f4f4f4"))
        words = Lettering(content=Wording(text="II"), lay=Lay(side="front"), finish=AsBlank())
        found = []
        for darkened in (0.0, 90.0):
            engraved = words.model_copy(update={"craft": Engraved(depth_mm=0.5, darkened=darkened)})
            told_ = readings(with_lettering(job, engraved), 0)
            found.append([one.value for one in told_ if one.key == "contrast"])
        self.assertEqual(found[0], [])
        self.assertGreater(found[1][0], 3.0)


class Rounding(unittest.TestCase):
    def test_what_may_be_at_most_is_rounded_down_to_what_can_be_told_apart(self):
        for value, rounded in ((2.37, 2.3), (1.0, 1.0), (0.2379, 0.23), (0.009, 0.0)):
            self.assertAlmostEqual(rounded_down(value), rounded, places=9)


class Steps(unittest.TestCase):
    def test_the_shortest_step_off_a_zone_stays_within_its_limits(self):
        # a box of 4 x 2 over a zone of 10 x 2: up or down is shorter than sideways
        zone, box = (-5.0, -1.0, 5.0, 1.0), (-2.0, -0.4, 2.0, 1.6)
        wide = (-20.0, -20.0, 20.0, 20.0)
        across, up = least_step(box, [zone], wide)
        self.assertEqual(across, 0.0)
        self.assertAlmostEqual(up, 1.4, delta=2 * AIR_MM)
        # no room above: down; no room below either: sideways
        _, up = least_step(box, [zone], (-20.0, -20.0, 20.0, 2.4))
        self.assertAlmostEqual(up, -2.6, delta=2 * AIR_MM)
        across, up = least_step(box, [zone], (-20.0, -2.4, 20.0, 2.4))
        self.assertEqual(up, 0.0)
        self.assertAlmostEqual(abs(across), 7.0, delta=2 * AIR_MM)
        self.assertIsNone(least_step(box, [zone], (-6.0, -2.4, 6.0, 2.4)))


if __name__ == "__main__":
    unittest.main()
