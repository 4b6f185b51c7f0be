"""How letters stand: spacing, fitting, arrangements, single letters, outline changes."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change, letter_change, retyped, scaled, with_letter
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.wording import (
    Backing,
    Circle,
    Column,
    Contour,
    Curve,
    Features,
    Fit,
    LetterChange,
    LineFace,
    ShippedFace,
    Slope,
    Stencil,
    Wording,
)
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.lettering.measures import counters_of, smallest_gap_mm
from kilnchisel.core.lettering.outline import make_outline
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.lettering.runs import runs_of
from tests.samples import mug_job


def drawn(text="TARN", face="league-spartan-bold", cap_height_mm=10.0, **more):
    return make_outline(
        Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap_height_mm, **more)
    )


class Spacing(unittest.TestCase):
    def test_kerning_can_be_left_out_or_done_by_eye(self):
        face, none, eye = (
            drawn("AVAVA", "eb-garamond", kerning=kind).width_mm for kind in ("face", "none", "optical")
        )
        self.assertLess(face, none - 1)
        self.assertLess(eye, none - 1)

    def test_optical_gaps_are_alike(self):
        # the white between two letters, measured on the finished outlines in bands, deep white cut off
        spread = {}
        for kind in ("none", "optical"):
            outline = drawn("HAVTOH", kerning=kind)
            white = []
            for one, two in zip(outline.letters[:-1], outline.letters[1:], strict=True):
                gaps = []
                for y in np.linspace(-4.9, 4.9, 40):
                    band = shapely.box(-500, y, 500, y + 0.01)
                    a, b = one.region & band, two.region & band
                    gaps.append(np.inf if a.is_empty or b.is_empty else b.bounds[0] - a.bounds[2])
                gaps = np.array(gaps)
                white.append(np.minimum(gaps, gaps.min() + 1.6).mean())
            spread[kind] = np.ptp(white)
        self.assertLess(spread["optical"], 0.35)
        self.assertLess(spread["optical"], 0.35 * spread["none"])

    def test_one_pair_is_kerned_by_hand(self):
        plain = drawn("TARN", align="left")
        tucked = drawn("TARN", align="left", letters=(LetterChange(at=1, kern_mm=-1.5),))
        before = [letter.region.bounds[0] for letter in plain.letters]
        after = [letter.region.bounds[0] for letter in tucked.letters]
        shift = np.array(after) - np.array(before)
        shift -= shift[0]
        np.testing.assert_allclose(shift, [0, -1.5, -1.5, -1.5], atol=1e-9)

    def test_single_letters_raised_turned_and_sized(self):
        plain = drawn("HHH", align="left")
        changed = drawn(
            "HHH",
            align="left",
            letters=(LetterChange(at=1, raise_mm=2, size=50), LetterChange(at=2, turn_deg=90)),
        )
        low, high = changed.letters[1].region.bounds[1::2]
        base = plain.letters[1].region.bounds[1]
        self.assertAlmostEqual(low, base + 2.0, places=9)
        self.assertAlmostEqual(high - low, 5.0, places=9)
        a, b = plain.letters[2].region.bounds, changed.letters[2].region.bounds
        self.assertAlmostEqual(b[2] - b[0], a[3] - a[1], places=9)

    def test_width_and_slant(self):
        plain, wide, lean = drawn("HIH"), drawn("HIH", width=120), drawn("HIH", slant_deg=20)
        self.assertAlmostEqual(wide.width_mm, 1.2 * plain.width_mm, places=9)
        self.assertAlmostEqual(lean.width_mm - plain.width_mm, 10 * np.tan(np.radians(20)), places=6)
        self.assertAlmostEqual(lean.ink.area, plain.ink.area, places=6)

    def test_fit_is_exact_by_every_means(self):
        for by in ("size", "spacing", "width"):
            for text in ("TARNLIGHT\nhill", "gj", "a b"):
                outline = drawn(text, fit=Fit(by=by, width_mm=83.7), slant_deg=8, thicken_mm=0.15)
                self.assertAlmostEqual(outline.width_mm, 83.7, delta=1e-4, msg=f"{by} {text}")
        self.assertNotEqual(drawn("AB", fit=Fit(by="size", width_mm=50)).cap_height_mm, 10)
        with self.assertRaisesRegex(KilnError, "cannot be brought to 50 mm by spacing"):
            drawn("I", fit=Fit(by="spacing", width_mm=50))

    def test_features_of_the_face(self):
        plain = drawn("Dome 1931", "eb-garamond")
        for features in (
            Features(small_capitals=True),
            Features(figures="lining"),
            Features(figures="old style"),
        ):
            other = drawn("Dome 1931", "eb-garamond", features=features)
            glyphs = [[letter.glyph for letter in o.letters] for o in (plain, other)]
            if features.figures != "old style":  # this face's own figures are old style already
                self.assertNotEqual(*glyphs)
        self.assertLess(
            len(drawn("office", "league-spartan").letters),
            len(drawn("office", "league-spartan", features=Features(ligatures=False)).letters),
        )
        apart = drawn("office", "league-spartan", letters=(LetterChange(at=2, raise_mm=1),))
        self.assertEqual(len(apart.letters), len("office"))


class Scripts(unittest.TestCase):
    def test_runs_of_mixed_scripts(self):
        runs = runs_of("Tarn مرصد 12")
        self.assertEqual((runs[0].script, runs[0].rightward), ("Latn", True))
        self.assertIn(("Arab", False), [(run.script, run.rightward) for run in runs])
        self.assertEqual(sorted(i for run in runs for i in range(run.start, run.end)), list(range(12)))

    def test_arabic_letters_join_and_are_not_spaced(self):
        tight, spaced = (drawn("مرصد", "amiri-bold", letter_spacing_mm=gap) for gap in (0.0, 3.0))
        self.assertAlmostEqual(tight.width_mm, spaced.width_mm, places=6)
        alone = sum(drawn(c, "amiri-bold").width_mm for c in "مرصد")
        self.assertLess(tight.width_mm, alone)

    def test_hebrew_reads_from_the_right(self):
        outline = drawn("אב", "frank-ruhl")
        first = next(letter for letter in outline.letters if letter.at == 0)
        second = next(letter for letter in outline.letters if letter.at == 1)
        self.assertGreater(first.region.bounds[0], second.region.bounds[2] - 1)

    def test_a_mark_stays_with_its_letter(self):
        outline = drawn("e\u0301a", "eb-garamond", letter_spacing_mm=4)
        accented = [letter.region for letter in outline.letters if letter.at in (0, 1)]
        whole = shapely.union_all(accented).bounds
        self.assertLess(whole[2] - whole[0], 7)


class Arrangements(unittest.TestCase):
    def test_a_column_centres_each_letter_on_its_own_width(self):
        outline = drawn("WIM", arrangement=Column(), row_spacing=150)
        middles = [(letter.region.bounds[0] + letter.region.bounds[2]) / 2 for letter in outline.letters]
        np.testing.assert_allclose(middles, 0, atol=1e-9)
        lows = [letter.region.bounds[1] for letter in outline.letters]
        np.testing.assert_allclose(np.diff(lows), -15, atol=0.2)

    def test_second_row_under_the_circle_reads_from_left_to_right(self):
        outline = drawn("OVER\nUNDER", arrangement=Circle(radius_mm=40, second_under=True))
        under = [letter for letter in outline.letters if letter.row == 1]
        x = [letter.region.centroid.x for letter in under]
        self.assertEqual(x, sorted(x))
        self.assertTrue(all(letter.region.centroid.y < 0 for letter in under))
        reach = [np.linalg.norm(shapely.get_coordinates(letter.region), axis=1) for letter in under]
        self.assertAlmostEqual(max(r.max() for r in reach), 50, delta=0.6)

    def test_a_circle_too_small_is_refused(self):
        with self.assertRaisesRegex(KilnError, "no room for 3 rows"):
            drawn("A\nB\nC", arrangement=Circle(radius_mm=20))

    def test_slope_keeps_letters_upright_with_their_feet_on_it(self):
        outline = drawn("HHHH", arrangement=Slope(points=((-50, 0), (50, 25))))
        for letter, stand in zip(outline.letters, outline.stands, strict=True):
            self.assertAlmostEqual(letter.region.bounds[1], stand.anchor[0] * 0.25 + 12.5, places=6)

    def test_curve_turns_letters_along_it(self):
        outline = drawn("HH", arrangement=Curve(points=((-30, 0), (0, 0), (0, -30)), smooth=False))
        turns = [np.degrees(np.arctan2(s.turn[1, 0], s.turn[0, 0])) for s in outline.stands]
        self.assertAlmostEqual(turns[0], 0)
        self.assertAlmostEqual(turns[1], -90)


class OutlineChanges(unittest.TestCase):
    def test_thicker_and_thinner(self):
        plain, thick, thin = (drawn("HIT", thicken_mm=by) for by in (0, 0.3, -0.3))
        self.assertAlmostEqual(thick.width_mm - plain.width_mm, 0.6, places=6)
        self.assertGreater(thick.ink.area, plain.ink.area)
        self.assertAlmostEqual(plain.width_mm - thin.width_mm, 0.6, places=6)

    def test_rounded_corners_keep_strokes_and_say_what_was_kept(self):
        sharp, soft = drawn("HE8"), drawn("HE8", round_mm=0.4)
        self.assertEqual(soft.rounded_mm, 0.4)
        self.assertLess(soft.ink.area, sharp.ink.area)
        self.assertEqual(len(polygons_in(soft.ink)), len(polygons_in(sharp.ink)))
        much = drawn("HE8", round_mm=20)
        self.assertLess(much.rounded_mm, 20)
        self.assertEqual(len(polygons_in(much.ink)), len(polygons_in(sharp.ink)))

    def test_contour_and_backing_are_layers_round_the_letters(self):
        outline = drawn(
            "OX", contour=Contour(distance_mm=1, line_mm=0.5, second_mm=0.4, gap_mm=0.3), backing=Backing()
        )
        kinds = [layer.kind for layer in outline.layers]
        self.assertEqual(kinds, ["backing", "letters", "contour"])
        for i, one in enumerate(outline.layers):
            for other in outline.layers[i + 1 :]:
                self.assertLess(one.region.intersection(other.region).area, 1e-9)
        gap = outline.layers[1].region.distance(outline.layers[2].region)
        self.assertAlmostEqual(gap, 1.0, delta=0.01)

    def test_stencil_leaves_no_island(self):
        for face in ("league-spartan-bold", "eb-garamond", "roboto-slab"):
            for bridges in (1, 2):
                outline = drawn("ABDOPQR&@ 04689 aebdgopq", face, stencil=Stencil(bridges=bridges))
                self.assertIsNone(counters_of(outline), f"{face} {bridges}")
        one, two = (drawn("O", stencil=Stencil(bridges=n)).ink.area for n in (1, 2))
        self.assertLess(two, one)

    def test_letters_of_their_own_finish_are_a_layer(self):
        red = Ink(colour="#aa0000")
        outline = drawn("TARN", letters=(LetterChange(at=1, finish=red), LetterChange(at=3, finish=red)))
        self.assertEqual([layer.finish for layer in outline.layers], [None, red])
        self.assertEqual(len(polygons_in(outline.layers[1].region)), 2)

    def test_overlapping_letters_weld_and_keep_their_counters(self):
        outline = drawn("OO", "league-spartan-bold", letter_spacing_mm=-2.5)
        self.assertEqual(len(polygons_in(outline.ink)), 1)
        self.assertEqual(len(outline.letters), 2)
        self.assertEqual(sum(len(part.interiors) for part in polygons_in(outline.ink)), 2)

    def test_slivers_between_a_letters_contours_are_no_counters(self):
        # the contours of this face's Y overlap and leave a hole far below the flattening
        self.assertIsNone(counters_of(drawn("Y", "cinzel-bold")))

    def test_gap_and_counters(self):
        outline = drawn("II", letter_spacing_mm=2)
        left, right = (letter.region.bounds for letter in outline.letters)
        self.assertAlmostEqual(smallest_gap_mm(outline), right[0] - left[2], places=9)
        self.assertEqual(counters_of(drawn("B8AO")).count, 6)


class Lines(unittest.TestCase):
    def test_open_path_faces_draw_with_a_pen(self):
        for name in ("hershey-sans", "allure", "nixish"):
            outline = make_outline(
                Wording(text="Orion 8", face=LineFace(name=name), cap_height_mm=12, pen_mm=1.0)
            )
            self.assertFalse(outline.missing)
            self.assertAlmostEqual(load_face(LineFace(name=name)).cap_height, 662, delta=120)
            length = sum(np.linalg.norm(np.diff(line, axis=0), axis=1).sum() for line in outline.lines)
            self.assertLess(outline.ink.area, length * 1.0 + 12)

    def test_corners_are_bent_or_parted(self):
        plain, bent = (
            make_outline(
                Wording(
                    text="LV", face=LineFace(name="hershey-sans"), cap_height_mm=40, pen_mm=2, bend_mm=bend
                )
            )
            for bend in (0.0, 6.0)
        )
        self.assertGreater(len(bent.lines), len(plain.lines) - 1)
        from kilnchisel.core.lettering.bending import tightest_bend

        self.assertGreater(min(tightest_bend(line) for line in bent.lines), 5.7)

    def test_centre_lines_stay_within_the_letters(self):
        outline = drawn("TARNSBK", "league-spartan", cap_height_mm=20, drawn="centre lines", pen_mm=0.2)
        whole = drawn("TARNSBK", "league-spartan", cap_height_mm=20)
        left = outline.ink.bounds[0] - whole.ink.bounds[0]
        moved = shapely.transform(outline.ink, lambda p: p - (left - 1.2, 0))
        self.assertLess(shapely.difference(moved, whole.ink.buffer(1.4)).area, 0.05)


class Edits(unittest.TestCase):
    def test_retyping_keeps_single_letters_where_they_belong(self):
        wording = Wording(
            text="HILL TOP", letters=(LetterChange(at=1, kern_mm=1), LetterChange(at=6, turn_deg=5))
        )
        longer = retyped(wording, "HILLY TOP")
        self.assertEqual([change.at for change in longer.letters], [1, 7])
        shorter = retyped(wording, "HILL")
        self.assertEqual([change.at for change in shorter.letters], [1])

    def test_a_change_that_changes_nothing_is_dropped(self):
        wording = with_letter(Wording(text="AB"), LetterChange(at=1, kern_mm=1))
        self.assertEqual(letter_change(wording, 1).kern_mm, 1)
        self.assertEqual(with_letter(wording, LetterChange(at=1)).letters, ())

    def test_a_copy_with_changed_fields_is_checked_as_it_enters_a_job(self):
        job = mug_job("TARN")
        with self.assertRaisesRegex(KilnError, "Cap height .* is too small"):
            change(job, ("letterings", 0, "content"), scaled(job.letterings[0].content, 0.001, 0))

    def test_a_circle_grows_with_its_words(self):
        large = scaled(Wording(arrangement=Circle(radius_mm=30), cap_height_mm=5), 2.0, 0)
        self.assertEqual((large.cap_height_mm, large.arrangement.radius_mm), (10, 60))


if __name__ == "__main__":
    unittest.main()
