import itertools
import math
import unittest

import numpy as np
import shapely

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bending import bend_of, bent_round, can_bend
from kilnchisel.core.job.blank import KINDS, Mug
from kilnchisel.core.job.boards import BoxSign, Wall
from kilnchisel.core.job.bodies import Apparel
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import first_lettering, fresh_job, job_on
from kilnchisel.core.job.garments import collar_of, folded_size, measures_of
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.tradeplaces import PLACES
from kilnchisel.core.job.vehicles import Van
from kilnchisel.core.job.wording import Circle, Rows
from kilnchisel.core.laying.picking import spot_under
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.placing import (
    at_place,
    between,
    centred,
    clear_of_zones,
    companions,
    gap_round,
    least_step,
    lined_up,
    nudged,
    spread_out,
)
from kilnchisel.core.shop.readings import readings


def rows_on_plaque(*places):
    job = fresh_job("plaque", "ONE")
    first = job.letterings[0]
    items = tuple(
        first.model_copy(update={"lay": Lay(side="front", along_mm=u, across_mm=v)}) for u, v in places
    )
    return change(job, ("letterings",), items)


def box(job, index):
    return lettering_laid(job, index).ink.bounds


class OnGarments(unittest.TestCase):
    """Where the trade puts a print: common practice, mm from the collar and the middle."""

    def test_places_are_measured_from_collar_and_middle(self):
        for size in ("XS", "M", "3XL"):
            job = job_on(Apparel(size=size), "Shirt", "OK")
            m = measures_of("t-shirt", size)
            for name, place in PLACES.items():
                made = at_place(job, 0, name)
                laid = lettering_laid(made, 0)
                left, low, _, high = laid.ink.bounds
                self.assertEqual(laid.side.name, place.side)
                self.assertAlmostEqual((left + laid.ink.bounds[2]) / 2, place.along, delta=0.02)
                if place.below is not None:
                    self.assertAlmostEqual(collar_of(m, place.side) - high, place.below, delta=0.02)
                else:
                    self.assertAlmostEqual(low - laid.side.domain.bounds[1], place.above, delta=0.02)

    def test_the_left_chest_is_the_wearers(self):
        job = at_place(job_on(Apparel(), "Shirt", "OK"), 0, "left chest")
        laid = lettering_laid(job, 0)
        place = laid.side.to_body(np.array([[laid.lay.along_mm, laid.lay.across_mm]]), np.zeros(1))[0]
        self.assertGreater(place[0], 50)  # on the right of who stands before it
        self.assertLess(place[1], 0)

    def test_only_a_garment_has_them(self):
        with self.assertRaisesRegex(KilnError, "a place on a garment"):
            at_place(fresh_job("mug", "OK"), 0, "nape")


class Company(unittest.TestCase):
    def test_edges_and_middles_line_up_with_the_chosen_one(self):
        job = rows_on_plaque((-20, 30), (11, 0), (3, -30))
        longer = job.letterings[1].content.model_copy(update={"text": "LONGER"})
        job = change(job, ("letterings", 1, "content"), longer)
        for edge, place in (
            ("left", lambda b: b[0]),
            ("middle", lambda b: b[0] + b[2]),
            ("right", lambda b: b[2]),
            ("top", lambda b: b[3]),
            ("level", lambda b: b[1] + b[3]),
            ("bottom", lambda b: b[1]),
        ):
            made = lined_up(job, 0, edge)
            self.assertEqual(made.letterings[0], job.letterings[0])
            for index in (1, 2):
                self.assertAlmostEqual(place(box(made, index)), place(box(job, 0)), delta=2e-3)

    def test_equal_gaps_between_the_outermost(self):
        job = spread_out(rows_on_plaque((0, 40), (0, 31), (0, -12), (0, -40)), 0, "up")
        boxes = sorted((box(job, i) for i in range(4)), key=lambda b: b[1])
        gaps = [upper[1] - lower[3] for lower, upper in itertools.pairwise(boxes)]
        np.testing.assert_allclose(gaps, gaps[0], atol=3e-3)
        self.assertEqual(job.letterings[0].lay.across_mm, 40)
        with self.assertRaises(KilnError):
            spread_out(rows_on_plaque((0, 10), (0, -10)), 0, "up")

    def test_hidden_locked_and_other_sides_are_left_alone(self):
        job = rows_on_plaque((0, 30), (5, 0), (9, -30))
        job = change(job, ("letterings", 1, "locked"), True)
        job = change(job, ("letterings", 2, "lay", "side"), "back")
        self.assertEqual(companions(job, 0), (0,))
        self.assertEqual(lined_up(job, 0, "left"), job)


class Zones(unittest.TestCase):
    def van(self, along, across, text="TARN"):
        job = job_on(Van(windows="minibus"), "van", text)
        lay = Lay(side="left side", along_mm=along, across_mm=across)
        job = change(job, ("letterings", 0, "lay"), lay)
        return change(job, ("letterings", 0, "content", "cap_height_mm"), 60.0)

    def test_half_way_between_two_zones(self):
        job = self.van(300.0, -100.0)
        laid = lettering_laid(job, 0)
        low, high = gap_round(laid, "along")
        made = between(job, 0, "along")
        left, _, right, _ = box(made, 0)
        self.assertAlmostEqual((left + right) / 2, (low + high) / 2, delta=2e-3)
        self.assertLess(high - low, laid.side.domain.bounds[2] - laid.side.domain.bounds[0])

    def test_moved_off_every_zone_by_the_least(self):
        job = self.van(700.0, 480.0)  # over a window
        before = {c.key: c for c in checks(job, 0)}
        self.assertEqual(before["clear_windows"].level, "warning")
        made = before["clear_windows"].fix.apply(job)
        self.assertEqual(made, clear_of_zones(job, 0))
        after = {c.key: c.level for c in checks(made, 0)}
        self.assertEqual((after["clear_windows"], after["clear_door seams"]), ("good", "good"))

    def test_what_is_in_the_way_on_the_other_side_alone_is_told(self):
        """A coach has its door on one side: what is on both sides lies over it there."""
        job = change(fresh_job("coach", "TARN"), ("letterings", 0, "lay", "side"), "left side")
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 150.0)
        job = change(job, ("letterings", 0, "lay", "across_mm"), -600.0)

        def told(job, side):
            return [
                check.says for check in checks(job, 0) if check.says.startswith(f"On the {side}: runs ")
            ]

        found = []
        for along in (-5200.0, -4900.0, 4900.0, 5200.0):
            one = change(job, ("letterings", 0, "lay", "along_mm"), along)
            self.assertEqual(told(one, "right side"), [])
            found += told(change(one, ("letterings", 0, "lay", "both"), True), "right side")
        self.assertTrue(any("door" in says for says in found), found)

    def test_within_a_frame_it_is_clear_and_a_little_over_it_a_little_in(self):
        blank = BoxSign(shape="rectangle")
        job = job_on(blank, "sign", "CAFÉ")
        lay = Lay(side="front", along_mm=0.0, across_mm=0.0)
        job = change(job, ("letterings", 0, "lay"), lay)
        self.assertEqual({c.key: c.level for c in checks(job, 0)}["clear_frame"], "good")
        low, high = gap_round(lettering_laid(job, 0), "along")
        wide = blank.width_mm - 2 * (blank.edge_mm + blank.frame_mm)
        self.assertAlmostEqual(high - low, wide, delta=1.5)
        room = high - box(job, 0)[2]
        job = change(job, ("letterings", 0, "lay", "along_mm"), room + 4.0)
        check = {c.key: c for c in checks(job, 0)}["clear_frame"]
        self.assertAlmostEqual(check.amount_mm, 4.0, delta=0.3)
        made = check.fix.apply(job)
        self.assertAlmostEqual(made.letterings[0].lay.along_mm, room, delta=0.4)
        self.assertEqual({c.key: c.level for c in checks(made, 0)}["clear_frame"], "good")

    def test_over_the_fold_of_a_folded_shirt(self):
        job = job_on(Apparel(garment="sweatshirt", shown="folded"), "shirt", "TARNLIGHT")
        job = at_place(job, 0, "full front")
        inked = change(job, ("letterings", 0, "content", "cap_height_mm"), 10.0)
        low, high = gap_round(lettering_laid(inked, 0), "along")
        self.assertAlmostEqual(high - low, folded_size(measures_of("sweatshirt", "M"))[0], delta=50.0)
        job = change(inked, ("letterings", 0, "lay", "along_mm"), high - box(inked, 0)[2] + 3.0)
        check = {c.key: c for c in checks(job, 0)}["clear_folded part"]
        self.assertAlmostEqual(check.amount_mm, 3.0, delta=0.2)
        clear = check.fix.apply(job)
        self.assertEqual({c.key: c.level for c in checks(clear, 0)}["clear_folded part"], "good")

    def test_the_least_step_is_the_least(self):
        # by trying a fine lattice of places
        rng = np.random.default_rng(5)
        for _ in range(30):
            zones = []
            for _ in range(4):
                left, low = rng.uniform(0, 80, 2)
                zones.append((left, low, left + rng.uniform(5, 25), low + rng.uniform(5, 25)))
            one = (40.0, 40.0, 52.0, 46.0)
            step = least_step(one, zones, (0.0, 0.0, 100.0, 100.0))
            best = math.inf
            for u in np.arange(0, 88.01, 1.0):
                for v in np.arange(0, 94.01, 1.0):
                    if all(u >= z[2] or u + 12 <= z[0] or v >= z[3] or v + 6 <= z[1] for z in zones):
                        best = min(best, math.hypot(u - 40, v - 40))
            self.assertLess(math.hypot(*step), best + 0.08)

    def test_the_seam_is_opposite_and_can_be_moved(self):
        job = fresh_job("can", "LABEL")
        laid = lettering_laid(job, 0)
        self.assertAlmostEqual(laid.seam_mm, laid.side.period / 2)
        self.assertGreater(laid.space.seam_mm, 0)
        across = change(job, ("letterings", 0, "lay", "seam_deg"), 0.0)
        self.assertLess(lettering_laid(across, 0).space.seam_mm, 0)
        self.assertIn("seam", [check.key for check in checks(across, 0)])
        self.assertNotIn("seam", [check.key for check in checks(job, 0)])

    def test_the_gap_to_the_seam_is_that_on_the_nearer_side(self):
        job = fresh_job("can", "LABEL")
        laid = lettering_laid(job, 0)
        left, _, right, _ = laid.ink.bounds
        for at, gap in ((left - 5, 5), (right + 5, 5), (left + 2, -2), (right - 3, -3)):
            turn = round(at / laid.side.period * 360, 3)
            moved = change(job, ("letterings", 0, "lay", "seam_deg"), turn)
            self.assertAlmostEqual(lettering_laid(moved, 0).space.seam_mm, gap, delta=0.01)
            # and the same seam seen from the other side of it
            along = change(moved, ("letterings", 0, "lay", "along_mm"), laid.side.period / 2 - 1)
            self.assertAlmostEqual(lettering_laid(along, 0).space.seam_mm, gap, delta=0.01)

    def test_a_seam_between_two_of_a_lettering_that_goes_round_again_is_crossed_by_none(self):
        job = fresh_job("mug", "TARN")
        wide = lettering_laid(job, 0).ink.bounds
        again = change(job, ("letterings", 0, "lay", "repeat"), {"times": 3})
        laid = lettering_laid(again, 0)  # the seam is half way between the second and the third
        gap = laid.side.period / 6 - (wide[2] - wide[0]) / 2
        self.assertAlmostEqual(laid.space.seam_mm, gap, delta=0.01)
        self.assertNotIn("seam", [check.key for check in checks(again, 0)])
        both = change(job, ("letterings", 0, "lay", "both"), True)  # the other is over it
        self.assertAlmostEqual(lettering_laid(both, 0).space.seam_mm, wide[0], delta=0.01)
        self.assertIn("seam", [check.key for check in checks(both, 0)])

    def test_how_many_letters_fit(self):
        for words in ("LABEL", "LA"):
            job = fresh_job("can", words)
            laid = lettering_laid(job, 0)
            count = next(r.value for r in readings(job, 0) if r.key == "would_fit")
            advance = laid.width_mm / len(words)
            self.assertAlmostEqual(count * advance, laid.side.period, delta=1.1 * advance)


class Bending(unittest.TestCase):
    def test_the_sagitta_is_what_was_asked_for_and_the_middle_stays(self):
        item = first_lettering(Mug(handle=False), "BENT ROW")
        job = change(Job(blank=Mug(handle=False)), ("letterings",), (item,))
        length = lettering_laid(job, 0).outline.width_mm
        self.assertTrue(can_bend(item))
        for sagitta in (4.0, -3.0, 0.3 * length):
            made = bent_round(item, length, sagitta)
            self.assertIsInstance(made.content.arrangement, Circle)
            self.assertAlmostEqual(bend_of(made, length), sagitta, delta=0.02 * abs(sagitta) + 0.05)
            back = bent_round(made, length, 0.0)
            self.assertIsInstance(back.content.arrangement, Rows)
            self.assertAlmostEqual(back.lay.across_mm, item.lay.across_mm, delta=0.02)
        for wide in (26_000.0, 60_000.0):  # letters on a lawn, and a hillside: kept by the file as it is
            made = bent_round(item, wide, 0.008 * wide)
            self.assertAlmostEqual(bend_of(made, wide) / wide, 0.008, delta=0.0002)
            self.assertEqual(Lettering.model_validate(made.model_dump()), made)
            self.assertIsInstance(bent_round(item, wide, 0.003 * wide).content.arrangement, Rows)
        huge = bent_round(item, 90_000.0, 0.0041 * 90_000.0)
        self.assertIsInstance(huge.content.arrangement, Rows)
        for wide in (1.9, 0.4):  # letters inside a ring: no arc is tighter than half a millimetre
            made = bent_round(item, wide, 0.4 * wide)
            self.assertEqual(made.content.arrangement.radius_mm, 0.5)
        up, down = (
            lettering_laid(change(job, ("letterings",), (bent_round(item, length, s),)), 0) for s in (6, -6)
        )
        # the ends of an arch are lower than its middle, those of a hanging row higher
        for laid, sign in ((up, 1), (down, -1)):
            ends = [letter.region.centroid.y for letter in laid.outline.letters]
            self.assertGreater(sign * (ends[3] - ends[0]), 0)


class Picking(unittest.TestCase):
    def test_a_hallmark_goes_inside_beside_the_inscription(self):
        for kind in ("band", "signet"):
            job = at_place(fresh_job(kind, "750"), 0, "hallmark")
            lay, side = job.letterings[0].lay, lettering_laid(job, 0).side
            self.assertEqual(lay.side, "inside")
            self.assertAlmostEqual(lay.along_mm, side.period / 4, places=2)
        with self.assertRaises(KilnError):
            at_place(fresh_job("apparel", "OK"), 0, "hallmark")
        with self.assertRaises(KilnError):
            at_place(fresh_job("band", "OK"), 0, "left chest")

    def test_a_ray_at_a_side_finds_that_place(self):
        rng = np.random.default_rng(2)
        for kind in KINDS:
            body = body_of(KINDS[kind]())
            for sheet in body.sheets:
                side = sheet.side
                low_u, low_v, high_u, high_v = side.domain.bounds
                centre = np.array([[(low_u + high_u) / 2, (low_v + high_v) / 2]])
                uv = centre + rng.uniform(-0.05, 0.05, 2) * (high_u - low_u, high_v - low_v)
                if not shapely.contains_xy(side.domain, *uv[0]):  # a wall with an opening in its middle
                    uv = shapely.get_coordinates(side.domain.representative_point())
                point, frame = side.to_body(uv, np.zeros(1))[0], side.frames(uv)[0]
                # from off the facets that rays are cast at, which on rough ground are centimetres beside it
                off = 0.05 if kind != "bank" else 100.0
                spot = spot_under(KINDS[kind](), point + off * frame[2], -frame[2])
                self.assertIsNotNone(spot, f"{kind} {side.name}")
                self.assertEqual(spot.side, side.name, kind)
                self.assertAlmostEqual(spot.along_mm, uv[0, 0], delta=0.02)
                self.assertAlmostEqual(spot.across_mm, uv[0, 1], delta=0.02)
        self.assertIsNone(spot_under(Mug(), np.array([0, -500.0, 500]), np.array([0, -1.0, 0])))

    def test_a_side_is_not_met_from_behind(self):
        way = np.array([0.28, 0.96, 0.0])
        spot = np.array([0.0, 0.0, 60.0])
        self.assertEqual(spot_under(Wall(), spot - 900 * way, way).side, "front")
        self.assertIsNone(spot_under(Wall(), spot + 900 * way, -way))

    def test_centred_and_nudged(self):
        job = nudged(centred(fresh_job("book"), 0), 0, 1.0, -0.1)
        left, low, right, high = box(job, 0)
        bounds = lettering_laid(job, 0).side.domain.bounds
        self.assertAlmostEqual((left + right) / 2 - (bounds[0] + bounds[2]) / 2, 1.0, delta=2e-3)
        self.assertAlmostEqual((low + high) / 2 - (bounds[1] + bounds[3]) / 2, -0.1, delta=2e-3)


if __name__ == "__main__":
    unittest.main()
