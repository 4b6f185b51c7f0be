import unittest

import numpy as np
import shapely

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.job.edits import change
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.placing import centred
from kilnchisel.core.shop.readings import measured, readings
from tests.samples import engraved_mug, mug_job, plaque_job


def lay(job, **values):
    for name, value in values.items():
        job = change(job, ("letterings", 0, "lay", name), value)
    return job


def by_key(things):
    return {thing.key: thing for thing in things}


class Measures(unittest.TestCase):
    def test_width_round_is_arc_length(self):
        item = lettering_laid(mug_job("TARNLIGHT", cap_height_mm=9), 0)
        self.assertAlmostEqual(item.width_mm, item.outline.width_mm, places=9)
        self.assertAlmostEqual(item.degrees, np.degrees(item.width_mm / 42), places=9)
        self.assertAlmostEqual(item.space.tail_mm, np.pi * 84 - item.width_mm, places=9)

    def test_room_to_every_edge_of_a_plaque(self):
        item = lettering_laid(lay(plaque_job("DOME"), along_mm=10, across_mm=-5), 0)
        low_u, low_v, high_u, high_v = item.side.domain.bounds
        left, bottom, right, top = item.ink.bounds
        room = item.space
        np.testing.assert_allclose(
            (room.left_mm, room.right_mm, room.below_mm, room.above_mm),
            (left - low_u, high_u - right, bottom - low_v, high_v - top),
        )
        self.assertEqual(room.outside_mm, 0)

    def test_a_turn_swaps_width_and_height(self):
        plain, turned = (lettering_laid(lay(plaque_job("DOME"), turn_deg=t), 0) for t in (0, 90))
        self.assertAlmostEqual(plain.width_mm, turned.height_mm, places=6)

    def test_going_round_more_than_once_comes_back(self):
        period = np.pi * 84
        near, far = (lettering_laid(lay(mug_job(), along_mm=u), 0) for u in (5.0, 5.0 + period))
        self.assertAlmostEqual(near.ink.bounds[0], far.ink.bounds[0], places=6)

    def test_amount_into_the_zone_is_what_a_move_cures(self):
        job = lay(mug_job("TARNLIGHT", cap_height_mm=9), along_mm=-45)
        amount = lettering_laid(job, 0).space.zones[0].reaches_in_mm
        self.assertGreater(amount, 1)
        short = lettering_laid(lay(job, along_mm=-45 + amount - 0.05), 0).space.zones[0]
        clear = lettering_laid(lay(job, along_mm=-45 + amount + 0.05), 0).space.zones[0]
        self.assertGreater(short.reaches_in_mm, 0)
        self.assertEqual(clear.reaches_in_mm, 0)

    def test_amount_beyond_an_oval_s_edge(self):
        job = lay(plaque_job("I", shape="oval"), along_mm=97.0)
        item = lettering_laid(job, 0)
        self.assertGreater(item.space.outside_mm, 0)
        corners = shapely.points(shapely.get_coordinates(item.ink))
        far = max(item.side.domain.distance(corner) for corner in corners)
        self.assertAlmostEqual(item.space.outside_mm, far, places=6)


class Readings(unittest.TestCase):
    def test_a_mug_reads_round_a_plaque_reads_edges(self):
        on_mug, on_plaque = by_key(readings(mug_job(), 0)), by_key(readings(plaque_job(), 0))
        self.assertIn("degrees", on_mug)
        self.assertIn("to_handle", on_mug)
        self.assertNotIn("degrees", on_plaque)
        self.assertIn("left", on_plaque)
        self.assertEqual(on_plaque["relief"].label, "Below surface")
        self.assertTrue(on_mug["degrees"].shown.endswith("°"))
        self.assertTrue(on_mug["width"].shown.endswith(" mm"))

    def test_measured_is_plain_data(self):
        import json

        data = json.loads(
            json.dumps(measured(mug_job("A&B", face={"kind": "shipped", "name": "national-park"})))
        )
        letters = data["letterings"][0]
        self.assertEqual(letters["checks"][0]["level"], "failure")
        self.assertIn("“&”", letters["checks"][0]["says"])
        self.assertIn("degrees_deg", letters["readings"])

    def test_only_the_words_are_there(self):
        self.assertEqual([r.key for r in readings(mug_job(" "), 0)], ["cap_height"])
        self.assertEqual(checks(mug_job(" "), 0)[0].key, "empty")


class Checks(unittest.TestCase):
    def level(self, job, key):
        return by_key(checks(job, 0))[key].level

    def test_all_good_on_a_fresh_job(self):
        for job in (mug_job(), plaque_job()):
            self.assertEqual({c.level for c in checks(job, 0)}, {"good"}, checks(job, 0))

    def test_each_fix_mends_its_check(self):
        cases = {
            "letters": mug_job("A&B", face={"kind": "shipped", "name": "national-park"}),
            "fit": lay(plaque_job("DOME"), along_mm=80.0),
            "clear_handle": lay(mug_job("TARN"), along_mm=-66.0),
            "tail": mug_job("ROUND AND ROUND THE HILL AGAIN", cap_height_mm=14),
            "strokes": mug_job(
                "hairline", cap_height_mm=3, face={"kind": "shipped", "name": "great-vibes"}
            ),
            "wall": engraved_mug("DEEP", 2.8),
        }
        for key, job in cases.items():
            with self.subTest(key):
                check = by_key(checks(job, 0))[key]
                self.assertIn(check.level, ("warning", "failure"))
                self.assertIsNotNone(check.fix)
                after = by_key(checks(check.fix.apply(job), 0))
                self.assertEqual(after[key].level if key in after else "good", "good")

    def test_too_tall_shrinks_to_fit(self):
        job = mug_job("TALL", cap_height_mm=120)
        check = by_key(checks(job, 0))["fit"]
        self.assertIn("Fit it", check.fix.label)
        self.assertEqual(self.level(check.fix.apply(job), "fit"), "good")

    def test_amounts_are_said_in_mm(self):
        check = by_key(checks(lay(plaque_job("DOME"), along_mm=80.0), 0))["fit"]
        self.assertGreater(check.amount_mm, 0)
        self.assertIn(f"{check.amount_mm:.2f}".rstrip("0").rstrip("."), check.says)

    def test_rules_of_thumb_name_their_source(self):
        thin = mug_job("hairline", cap_height_mm=3, face={"kind": "shipped", "name": "great-vibes"})
        self.assertEqual(by_key(checks(thin, 0))["strokes"].source, "common practice")

    def test_centred_by_one_action(self):
        for job in (lay(mug_job(), along_mm=40, across_mm=10), lay(plaque_job(), along_mm=9, across_mm=3)):
            item = lettering_laid(centred(job, 0), 0)
            _, low, _, high = item.ink.bounds
            _, side_low, _, side_high = item.side.domain.bounds
            self.assertAlmostEqual((low + high) / 2, (side_low + side_high) / 2, delta=1e-3)
            self.assertAlmostEqual(item.ink.bounds[0], -item.ink.bounds[2], delta=1e-6)
