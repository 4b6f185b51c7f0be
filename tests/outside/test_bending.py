"""A bender's plan: bends of known lines, lengths against the solid glass, what is seen from behind; holes,
light, amounts and rates of the work sheet."""

import io
import itertools
import math
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import ezdxf
import numpy as np
import pypdfium2

from kilnchisel.core.build import lays_of, lettering_laid, piece_of
from kilnchisel.core.crafts.tubes import Run
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.bendingplan import bending_files, plan_of
from kilnchisel.core.handover.holetemplate import template_files, template_of
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.paper.marks import Line, Words
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.worksheet import worksheet_bytes
from kilnchisel.core.job.artwork import Ring, Shape
from kilnchisel.core.job.boards import Wall
from kilnchisel.core.job.crafts import Embroidered, Engraved, Standing, Tube, WovenPatch
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Brass
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.lettering import Repeat
from kilnchisel.core.shop.amounts import Amount, Rates, amounts_of, hours_written, read_rates
from kilnchisel.core.shop.bender import ELECTRODE_MM, PAIR_M, bendings_of, bends_of, transformers_of
from kilnchisel.core.shop.holes import drilled
from kilnchisel.core.shop.power import RESERVE, lights_of, supplies_w
from kilnchisel.core.shop.readings import SUMMED, readings
from tests.outside.test_tubes import neon


def arc(radius, degrees, steps=60):
    """A line of an arc to the left, with a straight of 80 mm at each end, in front at 40 mm."""
    turn = np.radians(np.linspace(0, degrees, steps))
    round_it = radius * np.stack([np.sin(turn), 1 - np.cos(turn)], axis=1)
    way = np.array([np.cos(turn[-1]), np.sin(turn[-1])])
    flat = np.concatenate([[[-80.0, 0.0]], round_it, [round_it[-1] + 80 * way]])
    return np.column_stack([flat, np.full(len(flat), 40.0)])


class Bends(unittest.TestCase):
    def test_an_arc_is_one_bend_of_its_radius_and_angle(self):
        for radius, degrees in ((30.0, 90.0), (60.0, 180.0), (120.0, 45.0)):
            path = arc(radius, degrees)
            (bend,) = bends_of(Run(path, np.ones(len(path), bool)), Tube())
            with self.subTest(radius=radius):
                self.assertAlmostEqual(bend.angle_deg, degrees, delta=0.5)
                self.assertAlmostEqual(bend.radius_mm, radius, delta=0.03 * radius)
                self.assertAlmostEqual(bend.at_mm, 80 + radius * math.radians(degrees) / 2, delta=1.0)
                self.assertEqual(bend.way, "right")  # to the left in front is to the right from behind

    def test_two_radii_are_two_bends(self):
        first, second = arc(30.0, 90.0), arc(120.0, 60.0)
        turned = second[:, [1, 0]] * (-1, 1)
        last = first[-2, :2]
        joined = np.concatenate([first[:-1, :2], turned[2:] + last])
        path = np.column_stack([joined, np.full(len(joined), 40.0)])
        bends = bends_of(Run(path, np.ones(len(path), bool)), Tube())
        self.assertEqual(len(bends), 2)
        self.assertAlmostEqual(bends[0].radius_mm, 30, delta=3)
        self.assertAlmostEqual(bends[1].radius_mm, 120, delta=12)

    def test_all_turning_of_a_real_sign_is_in_its_bends(self):
        (bending,) = bendings_of(neon("Night", cap=200))
        for tube in bending.tubes:
            lit, path = tube.run.lit, tube.run.path
            edges = [0, *(np.flatnonzero(lit[1:] != lit[:-1]) + 1), len(lit)]
            stretches = [path[a:b, :2] for a, b in itertools.pairwise(edges) if lit[a] and b - a > 2]
            net = 0.0
            for stretch in stretches:
                steps = np.diff(stretch, axis=0)
                way = np.degrees(np.unwrap(np.arctan2(steps[:, 1], steps[:, 0])))
                net += way[-1] - way[0]
            signs = {"right": 1, "left": -1}
            told = sum(signs.get(b.way, 0) * b.angle_deg for b in tube.bends)
            # what turns less than 8° in a stretch is no bend by itself
            self.assertAlmostEqual(told, net, delta=12.0 * len(stretches))
            self.assertTrue(all(b.end_mm <= tube.length_mm + 1e-6 for b in tube.bends))
            starts = [b.start_mm for b in tube.bends]
            self.assertEqual(starts, sorted(starts))
            self.assertGreater(len(tube.bends), 2)

    def test_its_ends_go_back_by_a_quarter_turn(self):
        job = change(neon(), ("letterings", 0, "content"), Shape(form=Ring(diameter_mm=320, line_mm=20)))
        (bending,) = bendings_of(job)
        (tube,) = bending.tubes
        for bend in (tube.bends[0], tube.bends[-1]):
            self.assertEqual(bend.way, "back")
            self.assertAlmostEqual(bend.angle_deg, 90, delta=5)
        turned = sum(b.angle_deg for b in tube.bends[1:-1])
        self.assertAlmostEqual(turned, 360 - math.degrees(1.2 * 12 / 150), delta=12)


class Lengths(unittest.TestCase):
    def test_the_length_is_that_of_the_solid_glass(self):
        # volume of a bar of 32 sides over the area of its section, by the divergence theorem
        job = neon("Hi", blockout=False, supports=False, tube_mm=10)
        (bending,) = bendings_of(job)
        glass = sum(p.mesh.volume_mm3 for p in piece_of(job).parts if p.role == "tube")
        section = 0.5 * 32 * 5**2 * math.sin(2 * math.pi / 32)
        long = sum(tube.length_mm for tube in bending.tubes)
        self.assertAlmostEqual(glass / section / long, 1, delta=0.01)
        for tube in bending.tubes:
            self.assertAlmostEqual(tube.glass_mm - tube.length_mm, 2 * ELECTRODE_MM)

    def test_what_runs_behind_is_painted_out(self):
        (bending,) = bendings_of(neon("Hi"))
        (clear,) = bendings_of(neon("Hi", blockout=False))
        self.assertGreater(sum(t.blocked_mm for t in bending.tubes), 50)
        self.assertEqual(sum(t.blocked_mm for t in clear.tubes), 0)
        for tube in bending.tubes:
            self.assertLess(tube.blocked_mm, tube.length_mm)

    def test_a_transformer_lights_what_it_is_given(self):
        # by the chart, from memory: 15 kV light 10.7 m of 12 mm neon; electrodes count as a foot
        (bending,) = bendings_of(neon("Hi", tube_mm=12))
        (one,) = transformers_of(bending.tubes)
        metres = sum(t.length_mm / 1000 + PAIR_M for t in bending.tubes)
        self.assertAlmostEqual(one.metres, metres)
        self.assertGreaterEqual(one.count * 10.7 * one.kilovolts / 15, metres - 1e-9)
        self.assertEqual(one.fill, "neon")
        (blue,) = bendings_of(neon("Hi", tube_mm=12, colour="turquoise"))
        self.assertEqual(transformers_of(blue.tubes)[0].fill, "mercury")

    def test_where_glass_has_no_room_beside_it_both_ends_are_taken_back(self):
        # a corner that glass cannot be bent round: both stretches go back, beside each other
        job = neon("V", cap=200, bend=6.0)
        laid, craft = lettering_laid(job, 0), job.letterings[0].craft
        (bending,) = bendings_of(job)
        ends = [t.run.path[k, :2] for t in bending.tubes for k in (0, -1)]
        self.assertFalse(laid.ink.is_empty)
        near = [float(np.linalg.norm(a - b)) for i, a in enumerate(ends) for b in ends[:i]]
        self.assertTrue(all(gap > craft.tube_mm for gap in near), near)


class Plan(unittest.TestCase):
    def test_it_is_seen_from_behind_at_true_size(self):
        job = neon("Hi")
        (bending,) = bendings_of(job)
        left, _, right, _ = plan_of(bending).box()
        ways = np.concatenate([t.run.path[:, :2] for t in bending.tubes])
        self.assertLess(left, -ways[:, 0].max() + 1)
        self.assertGreater(right, -ways[:, 0].min() - 1)
        self.assertLess(right - left, np.ptp(ways[:, 0]) + 80)

    def test_every_tube_and_bend_has_its_number_on_the_plan_and_in_the_lists(self):
        job = neon("Hi")
        (bending,) = bendings_of(job)
        drawing = plan_of(bending)
        numbers = [m.text for m in drawing.layers["numbers"] if isinstance(m, Words) and not m.bold]
        wanted = [str(k) for tube in bending.tubes for k in range(1, len(tube.bends) + 1)]
        self.assertEqual(sorted(numbers), sorted(wanted))
        files, words = bending_files(job, PAPERS["A4"])
        self.assertEqual(set(files), {"bending.pdf", "bending-whole.pdf", "bending.dxf"})
        told = "\n".join(
            p.get_textpage().get_text_range() for p in pypdfium2.PdfDocument(files["bending.pdf"])
        )
        for tube in bending.tubes:
            self.assertIn(f"Tube {tube.number}: Hi", told)
            self.assertIn(f"{tube.glass_mm:.0f}", told)
        self.assertIn("transformer", told)
        self.assertIn(f"{len(bending.tubes)} tube", words)
        document = ezdxf.read(io.StringIO(files["bending.dxf"].decode()))
        texts = {e.dxf.text for e in document.modelspace().query("TEXT")}
        self.assertTrue(set(wanted) <= texts)

    def test_what_is_of_no_tube_is_told(self):
        job = fresh_job("plaque", "A")
        self.assertEqual(bendings_of(job), [])


def standing(**craft):
    job = job_on(Wall(width_mm=2000, height_mm=900, surface="plaster"), "Letters", "HILL")
    job = change(job, ("letterings", 0, "content", "cap_height_mm"), 200.0)
    return change(job, ("letterings", 0, "craft"), Standing(**craft))


class Shop(unittest.TestCase):
    def test_holes_are_where_pins_are(self):
        job = standing()
        (one,) = drilled(job)
        side = one.laid[0][1].side
        pins = np.concatenate([p.mesh.points for p in piece_of(job).parts if p.role == "support"])
        for hole in one.holes:
            foot = side.to_body(np.array([hole.at]), np.zeros(1))[0]
            self.assertEqual(hole.what, "pin")
            # a pin's own middle or its rim, of 3 mm radius, is where it is drilled
            self.assertLess(float(np.linalg.norm(pins - foot, axis=1).min()), 3.01)
            self.assertEqual(hole.diameter_mm, 6.0)
        self.assertGreaterEqual(len(one.holes), 2 * 4)
        files, words = template_files(job, PAPERS["A3"])
        self.assertEqual(set(files), {"holes.pdf", "holes-whole.pdf", "holes.dxf"})
        self.assertIn(f"{len(one.holes)} of 6 mm for pins", words)
        document = ezdxf.read(io.StringIO(files["holes.dxf"].decode()))
        texts = [e.dxf.text for e in document.modelspace().query("TEXT")]
        self.assertIn("LEVEL", texts)

    def test_a_template_for_a_cone_lies_as_it_is_rolled_round_it(self):
        job = change(fresh_job("tumbler", "I         I"), ("letterings", 0, "craft"), Standing())
        (one,) = drilled(job)
        side = one.laid[0][1].side
        spots = np.array([hole.at for hole in one.holes])
        body = side.to_body(spots, np.zeros(len(spots)))
        drawing = template_of(job, one)
        rounds = [mark for mark in drawing.layers["holes"] if isinstance(mark, Line) and mark.closed]
        found = np.array([mark.points[:-1].mean(axis=0) for mark in rounds])
        # from the apex a cone's surface is a sector: two places are a chord of it apart, by the angle
        # between them times the sine of its half angle
        far = np.hypot(body[:, 0], body[:, 1]) / abs(side.taper)
        angle = np.arctan2(body[:, 0], -body[:, 1]) * abs(side.taper)
        flat = far[:, None] * np.stack([np.sin(angle), np.cos(angle)], axis=1)
        apart, wanted = (np.linalg.norm(places[1:] - places[0], axis=1) for places in (found, flat))
        self.assertGreater(wanted.max(), 30.0)
        np.testing.assert_allclose(apart, wanted, atol=0.02)

    def test_light_is_by_length_and_area_with_a_reserve(self):
        (halo,) = lights_of(standing(light="halo", standoff_mm=30))
        self.assertAlmostEqual(halo.watts / halo.amount, 9.6)
        (face,) = lights_of(standing(light="face", thickness_mm=60))
        area = lettering_laid(standing(), 0).ink.area / 1e6
        self.assertEqual(face.amount, math.ceil(area * 120))
        for watts in (5.0, 70.0, 900.0):
            self.assertGreaterEqual(sum(supplies_w(watts)), RESERVE * watts)
        self.assertEqual(lights_of(fresh_job("plaque", "A")), [])

    def test_a_plate_weighs_what_its_volume_does(self):
        # CuZn37, 8.44 g/cm³, a handbook's
        job = change(fresh_job("plaque", "IT"), ("finish",), Brass())
        job = change(job, ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
        (plate,) = (a for a in amounts_of(job) if a.weight_g)
        blank = job.blank
        most = blank.width_mm * blank.height_mm * blank.thickness_mm / 1000
        self.assertLess(plate.number, most)
        self.assertGreater(plate.number, 0.9 * most)
        self.assertAlmostEqual(plate.weight_g, 8.44 * plate.number, places=6)

    def test_what_is_on_both_sides_and_again_is_counted_so_often(self):
        """Film, letter faces, thread: by arithmetic twice and three times what one takes."""

        def told(job):
            return {one.what: one.number for one in amounts_of(job) if one.unit in ("m", "m²")}

        van, cap = fresh_job("van", "TARN"), fresh_job("peaked cap", "TARN")
        cap = change(cap, ("letterings", 0, "craft"), Embroidered())
        for job in (van, cap, standing(light="halo", standoff_mm=30)):
            for lay, times in ((("both",), 2.0), (("repeat",), 3.0)):
                many = change(job, ("letterings", 0, "lay", *lay), Repeat(times=3) if times == 3 else True)
                if len(lays_of(many, 0)) * len(lettering_laid(many, 0).placing.copies) < times:
                    continue  # it has no other side
                once, often = told(job), told(many)
                self.assertEqual(set(once), set(often))
                self.assertTrue(once)
                for what in once:
                    self.assertAlmostEqual(often[what] / once[what], times, delta=0.02, msg=(what, lay))
                one, all_ = (
                    {reading.key: reading.value for reading in readings(item, 0)} for item in (job, many)
                )
                for key in SUMMED:
                    self.assertEqual(key in one, key in all_)
                    if key in one:
                        self.assertAlmostEqual(all_[key] / one[key], times, delta=0.02, msg=(key, lay))
        sewn = {reading.key: reading.value for reading in readings(cap, 0)}
        self.assertAlmostEqual(
            sum(n for what, n in told(cap).items() if "thread" in what), sewn["thread"], 6
        )

    def test_what_comes_whole_is_one_piece(self):
        """Nobody counts what a van or a shirt is made of."""
        for kind, words in (
            ("van", "panel van"),
            ("apparel", "t-shirt"),
            ("peaked cap", "cap"),
            ("mug", "mug"),
            ("box sign", "box sign"),
        ):
            job = fresh_job(kind, "TARN")
            first, *rest = amounts_of(job)
            self.assertEqual((first.what, first.number, first.unit), (words, 1.0, ""))
            self.assertEqual([one for one in rest if one.unit == "cm³" or one.weight_g], [], kind)
        sewn = amounts_of(change(fresh_job("apparel", "TARN"), ("letterings", 0, "craft"), Embroidered()))
        self.assertEqual([one.unit for one in sewn], ["", "m"])
        patched = amounts_of(change(fresh_job("apparel", "TARN"), ("letterings", 0, "craft"), WovenPatch()))
        self.assertEqual([(one.what, one.number) for one in patched[1:]], [("woven patch", 1.0)])

    def test_prices_add_up_and_what_has_none_is_said(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        rates = folder / "rates.csv"
        rates.write_text("what,price,unit\ncurrency,€,\nbrushed brass,0.31,cm³\n")
        known = read_rates(rates)
        self.assertAlmostEqual(known.price(Amount("Brushed brass", 10.0, "cm³")), 3.1)
        self.assertIsNone(known.price(Amount("film", 1.0, "m²")))
        with self.assertRaisesRegex(KilnError, "The rate of “brushed brass” is by cm³"):
            known.price(Amount("brushed brass", 1.0, "m"))
        job = change(fresh_job("plaque", "IT"), ("finish",), Brass(polish="brushed"))
        job = change(job, ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
        data = worksheet_bytes(job, [], Letterhead(date="x"), PAPERS["A4"], known)
        told = "\n".join(p.get_textpage().get_text_range() for p in pypdfium2.PdfDocument(data))
        plate = next(a for a in amounts_of(job) if a.weight_g)
        self.assertIn(f"Together {plate.number * 0.31:.2f} €", told)
        work = hours_written("design 1.5h, painting 45 min; carving 2,5 hours")
        self.assertEqual(
            [(one.what, one.number) for one in work],
            [("design", 1.5), ("painting", 0.75), ("carving", 2.5)],
        )
        rates.write_text("what,price,unit\nwork,40,h\npainting,60,h\nhour,48,h\n")
        known = read_rates(rates)
        self.assertEqual([known.price(one) for one in work], [60.0, 45.0, 100.0])
        self.assertEqual(known.price(Amount("hour", 2.0, "h")), 96.0)
        self.assertIsNone(Rates().price(work[0]))
        for text in ("painting", "1h", "x 0h", "x 99999h"):
            with self.subTest(text=text), self.assertRaises(KilnError):
                hours_written(text)
        rates.write_text("what,price\nbrass,cheap\n")
        with self.assertRaisesRegex(KilnError, "Row 2 of rates.csv is no rate"):
            read_rates(rates)
        self.assertEqual(Rates().price(Amount("x", 1, "m")), None)


if __name__ == "__main__":
    unittest.main()
