"""Lettering rules against the figures of the standards they come from (all from memory, clause named)."""

import unittest

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.job.crafts import Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.wording import Contour, LineFace, ShippedFace
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.standards import rules_for
from tests.samples import plaque_job

INCH = 25.4


def job_of(text, standard, face="league-spartan", craft=None, **wording):
    job = plaque_job(text, craft=craft or Raised(height_mm=1.0), width_mm=2000, height_mm=600)
    values = {"face": ShippedFace(name=face), "standard": standard, **wording}
    for name, value in values.items():
        job = change(job, ("letterings", 0, "content", name), value)
    return job


def verdicts(job):
    return {rule.key: rule.holds for rule in rules_for(job.letterings[0], lettering_laid(job, 0))}


class Tactile(unittest.TestCase):
    """ADA 2010 Standards, 703.2: raised characters."""

    def good(self, **more):
        return verdicts(job_of("ROOM", "tactile sign", cap_height_mm=20.0, letter_spacing_mm=3.0, **more))

    def test_a_sign_that_keeps_every_rule(self):
        self.assertEqual(set(self.good().values()), {True}, self.good())

    def test_each_rule_by_itself(self):
        broken = {
            "raised": {"craft": Raised(height_mm=INCH / 32 - 0.01)},
            "case": {"text": "Room"},
            "sans": {"face": "roboto-slab"},
            "upright": {"slant_deg": 8.0},
            "height": {"cap_height_mm": 0.625 * INCH - 0.1},
            "gap": {"letter_spacing_mm": 0.0},
            "wide_gap": {"letter_spacing_mm": 18.0},
            "stroke": {"face": "league-spartan-bold"},
            "o_width": {"width": 40.0},
        }
        for key, changed in broken.items():
            values = {"text": "ROOM", "cap_height_mm": 20.0, "letter_spacing_mm": 3.0, **changed}
            text = values.pop("text")
            with self.subTest(rule=key):
                self.assertFalse(verdicts(job_of(text, "tactile sign", **values))[key])

    def test_limits_are_the_standards(self):
        edge = INCH / 32
        for height, holds in ((edge, True), (edge - 1e-3, False)):
            self.assertEqual(
                verdicts(job_of("A", "tactile sign", craft=Raised(height_mm=height)))["raised"], holds
            )
        for cap, holds in ((2 * INCH, True), (2 * INCH + 0.01, False)):
            self.assertEqual(verdicts(job_of("A", "tactile sign", cap_height_mm=cap))["height"], holds)

    def test_row_spacing_and_border(self):
        for spacing, holds in ((134.0, False), (135.0, True), (170.0, True), (171.0, False)):
            found = verdicts(job_of("A\nB", "tactile sign", row_spacing=spacing))
            self.assertEqual(found["rows"], holds)
        near = verdicts(job_of("A", "tactile sign", contour=Contour(distance_mm=9.4)))
        self.assertFalse(near["border"])

    def test_rules_that_do_not_apply_are_not_shown(self):
        one = verdicts(job_of("A", "tactile sign"))
        self.assertNotIn("rows", one)
        self.assertNotIn("gap", one)
        self.assertNotIn("border", one)
        self.assertEqual(verdicts(job_of("A", "none")), {})


class Others(unittest.TestCase):
    def test_exit_sign(self):
        # NFPA 101, 7.10.6.1: 6 in high, 3/4 in stroke, 2 in wide but for the I, 3/8 in apart
        good = verdicts(
            job_of("EXIT", "exit sign", "league-spartan-bold", cap_height_mm=165.0, letter_spacing_mm=12.0)
        )
        self.assertEqual(set(good.values()), {True}, good)
        small = verdicts(job_of("EXIT", "exit sign", "league-spartan-bold", cap_height_mm=150.0))
        self.assertFalse(small["height"])
        thin = verdicts(job_of("EXIT", "exit sign", "league-spartan", cap_height_mm=160.0))
        self.assertFalse(thin["stroke"])

    def test_iso_3098_type_b(self):
        # ISO 3098-1 type B: stroke h/10; sizes 1.8 to 20; rows 13h/10 at least
        face = LineFace(name="hershey-sans")
        for pen, holds in ((1.0, True), (0.7, False)):
            job = job_of("SHAFT", "ISO 3098 type B", cap_height_mm=10.0, pen_mm=pen)
            found = verdicts(change(job, ("letterings", 0, "content", "face"), face))
            self.assertEqual(found["stroke"], holds)
            self.assertTrue(found["height"])
        self.assertFalse(verdicts(job_of("SHAFT", "ISO 3098 type B", cap_height_mm=11.0))["height"])

    def test_iso_3098_type_a(self):
        # ISO 3098-1 type A: stroke h/14, small letters 10h/14; rows of capitals 17h/14 at least
        for pen, holds in ((1.0, True), (1.4, False)):  # the second is that of type B
            job = job_of("SHAFT", "ISO 3098 type A", cap_height_mm=14.0, pen_mm=pen)
            found = verdicts(
                change(job, ("letterings", 0, "content", "face"), LineFace(name="hershey-sans"))
            )
            self.assertEqual(found["stroke"], holds)
        for kind, spacing, holds in (
            ("A", 121.0, False),
            ("A", 122.0, True),
            ("B", 129.0, False),
            ("B", 130.0, True),
        ):
            found = verdicts(job_of("A\nB", f"ISO 3098 type {kind}", row_spacing=spacing))
            self.assertEqual(found["rows"], holds, f"{kind} {spacing}")

    def test_number_plate_boat_and_aircraft(self):
        # UK SI 2001/561: 79 mm high, 14 mm stroke, 11 mm apart; 33 CFR 173.27: 3 in; 14 CFR 45.29: 12 in
        self.assertTrue(verdicts(job_of("AB12", "UK number plate", cap_height_mm=79.0))["height"])
        self.assertFalse(verdicts(job_of("AB12", "UK number plate", cap_height_mm=70.0))["height"])
        self.assertFalse(verdicts(job_of("AB12", "boat number", cap_height_mm=3 * INCH - 0.1))["height"])
        self.assertTrue(verdicts(job_of("AB12", "boat number", cap_height_mm=3 * INCH))["height"])
        self.assertTrue(verdicts(job_of("NX", "aircraft mark", cap_height_mm=12 * INCH))["height"])

    def test_rules_come_with_their_source_in_the_checks(self):
        found = [c for c in checks(job_of("Room", "tactile sign"), 0) if c.key.startswith("rule_")]
        self.assertIn("ADA 2010, 703.2.2", {check.source for check in found})
        self.assertEqual({c.level for c in found if c.key == "rule_case"}, {"failure"})


if __name__ == "__main__":
    unittest.main()
