"""Film cut by a simulated plotter: the tip of a drag knife worked out as a tractrix, lengths read back from
HPGL. The knife's way about a corner: elementary geometry; a tractrix pulled along a straight line: Huygens'
closed form, distance d exp(-s / d) from it for a small angle."""

from __future__ import annotations

import unittest

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.plotterfiles import cut_film, films_of, hpgl_of, plotter_files
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.shop.amounts import amounts_of
from kilnchisel.core.shop.machines.plotter import read_hpgl, tip_way
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.knife import Knife, knife_way, weeding_lines
from kilnchisel.core.shop.paths.order import rings_in_order
from kilnchisel.core.shop.paths.rolls import on_roll

KNIFE = Knife(offset_mm=0.25, overcut_mm=0.5)
PLAIN = Knife(offset_mm=0.0, overcut_mm=0.0, box_mm=0.0)


def square(size, x=0.0, y=0.0):
    return shapely.box(x, y, x + size, y + size)


def printed(text="Tarn", wide=90.0):
    job = fresh_job("plaque", text)
    for path, value in (
        (("blank", "width_mm"), wide),
        (("letterings", 0, "craft"), Printed()),
    ):
        job = change(job, path, value)
    return job


def of_one_film(job, knife=KNIFE):
    (works,) = films_of(job).values()
    return cut_film(works, knife)


class AKnife(unittest.TestCase):
    def test_its_tip_follows_a_tractrix(self):
        pivot = np.array([(0.0, 0.0), (0.0, 0.001), (3.0, 0.001)])
        tip = tip_way(pivot, 1.0)

        # begun below its pivot, pulled along x: for a small angle it comes to the line as exp(-s)
        def at(x):
            """Half the angle's tangent, and the pivot's way so far."""
            k = int(np.argmax(tip[:, 0] > x))
            down = 0.001 - tip[k, 1]
            return np.tan(np.arcsin(down) / 2), tip[k, 0] + np.sqrt(1 - down**2)

        (first, begun), (last, ended) = at(1.0), at(1.8)
        # tan(angle / 2) falls as exp(-s / d) along the pivot's way
        self.assertAlmostEqual(np.log(first / last), ended - begun, delta=0.03)

    def test_it_cuts_corners_as_they_are(self):
        ring = np.asarray(square(20).exterior.coords)
        with_offset = tip_way(knife_way(ring, KNIFE), KNIFE.offset_mm)
        off = shapely.distance(shapely.points(with_offset), square(20).exterior)
        self.assertLess(off.max(), 0.02)
        for corner in ring[:4]:
            self.assertLess(np.linalg.norm(with_offset - corner, axis=1).min(), 0.02)
        # without going before it and about it, corners come out round
        plain = tip_way(ring, KNIFE.offset_mm)
        self.assertGreater(np.linalg.norm(plain - ring[1], axis=1).min(), 0.05)

    def test_letters_come_out_as_they_are_drawn(self):
        for work in flat_work(printed("Rag&"), Printed):
            outline = work.region.boundary
            for ring in rings_in_order(work.region):
                tip = tip_way(knife_way(ring, KNIFE), KNIFE.offset_mm)
                off = shapely.distance(shapely.points(tip), outline)
                self.assertLess(off.max(), 0.03)
                # all of it is cut, and a little more than once round
                cut = shapely.LineString(tip).buffer(0.05)
                self.assertLess(shapely.LinearRing(ring).difference(cut).length, 0.05)

    def test_it_goes_on_beyond_its_start(self):
        ring = np.asarray(square(10).exterior.coords)
        way = knife_way(ring, Knife(offset_mm=0.0, overcut_mm=0.5))
        self.assertAlmostEqual(np.linalg.norm(np.diff(way, axis=0), axis=1).sum(), 40.5, delta=1e-9)

    def test_what_is_inside_comes_first(self):
        ring = square(40) - square(20, 10, 10)
        both = shapely.MultiPolygon([ring, square(6, 17, 17), square(5, 100, 0)])
        order = [shapely.Polygon(one).area for one in rings_in_order(both)]
        self.assertLess(order.index(36), order.index(400))
        self.assertLess(order.index(400), order.index(1600))
        self.assertIn(25, order)


class OnARoll(unittest.TestCase):
    def test_pieces_do_not_overlap_and_lie_on_it(self):
        rng = np.random.default_rng(5)
        boxes = [(0.0, 0.0, float(w), float(h)) for w, h in rng.uniform(20, 250, (24, 2))]
        places, length = on_roll(boxes, 300.0, 4.0)
        laid = [place.of(shapely.box(*box)) for place, box in zip(places, boxes, strict=True)]
        for k, one in enumerate(laid):
            left, low, right, high = one.bounds
            self.assertTrue(left > -1e-9 and low > -1e-9 and high < 300 + 1e-9 and right < length + 1e-9)
            for other in laid[:k]:
                self.assertGreater(one.distance(other), 4.0 - 1e-6)
        self.assertGreater(sum(one.area for one in laid) / (300 * length), 0.5)
        with self.assertRaisesRegex(KilnError, "take a wider one"):
            on_roll([(0, 0, 400, 500)], 300.0, 4.0)
        self.assertTrue(on_roll([(0, 0, 200, 400)], 300.0, 4.0)[0][0].turned)

    def test_weeding(self):
        lines = weeding_lines(square(50), Knife(box_mm=8.0, weeding_mm=20.0))
        self.assertAlmostEqual(shapely.Polygon(lines[-1]).area, 66.0**2)
        for line in lines[:-1]:
            self.assertGreaterEqual(shapely.LineString(line).distance(square(50)), 2.0 - 0.02)
        self.assertEqual(weeding_lines(square(50), Knife(box_mm=0.0)), [])


class TheFile(unittest.TestCase):
    def test_hpgl_is_read_back_to_the_same_lengths(self):
        job = printed()
        cut = of_one_film(job)
        read = read_hpgl(hpgl_of(cut))
        lengths = [
            np.linalg.norm(np.diff(line, axis=0), axis=1).sum()
            for group in cut.groups
            for line in group.lines
        ]
        self.assertEqual(len(read.lines), len(lengths))
        self.assertAlmostEqual(read.cut_mm / sum(lengths), 1, delta=0.004)
        for _, line in read.lines:
            self.assertTrue((line >= -1e-9).all() and (line[:, 1] <= KNIFE.roll_mm).all())
        self.assertLessEqual(max(line[:, 0].max() for _, line in read.lines), cut.length_mm + 0.5)
        data, words = plotter_files(job, KNIFE)
        self.assertEqual(set(data), {"plotter.plt", "plotter.svg", "plotter.dxf"})
        self.assertIn("m² of film", words)

    def test_each_colour_is_cut_of_a_film_of_its_own(self):
        job = printed()
        one = job.letterings[0]
        red = {"finish": Ink(colour="#aa2211"), "lay": one.lay.model_copy(update={"along_mm": 30.0})}
        job = job.model_copy(update={"letterings": (one, one.model_copy(update=red))})
        films = films_of(job)
        self.assertEqual(len(films), 2)
        data, words = plotter_files(job, KNIFE)
        self.assertEqual(len(data), 6)
        for film, works in films.items():
            name = "plotter-" + film.replace(" ", "-")
            self.assertIn(film + ": ", words)
            read = read_hpgl(data[f"{name}.plt"])
            alone = cut_film(works, KNIFE)
            self.assertEqual(len(read.lines), sum(len(group.lines) for group in alone.groups))
            self.assertIn(f"{name}.dxf", data)
        # the sheet that a shop works by has the same two
        told = [amount.what for amount in amounts_of(job) if amount.what.startswith("film, ")]
        self.assertEqual({words.removeprefix("film, ") for words in told}, set(films))

    def test_what_overlaps_of_one_film_is_welded(self):
        job = printed("o")
        one = job.letterings[0]
        (alone,) = films_of(job).values()
        left, _, right, _ = alone[0].region.bounds
        over = one.lay.model_copy(update={"along_mm": one.lay.along_mm + 0.5 * (right - left)})
        job = job.model_copy(update={"letterings": (one, one.model_copy(update={"lay": over}))})
        ((work,),) = films_of(job).values()
        apart = [
            shapely.union_all([w.region for w in flat_work(job, Printed) if w.index == k]) for k in (0, 1)
        ]
        self.assertGreater(shapely.intersection(*apart).area, 0.1)
        self.assertAlmostEqual(work.region.area, shapely.union_all(apart).area, places=6)
        rings = [line for group in cut_film([work], PLAIN).groups for line in group.lines]
        crossing = [
            shapely.LineString(a).crosses(shapely.LineString(b)) for a in rings for b in rings if a is not b
        ]
        self.assertFalse(any(crossing))

    def test_film_with_a_carrier_is_cut_round_it(self):
        job = change(printed("oo"), ("letterings", 0, "craft"), Printed(carrier_mm=4.0))
        groups = [group for group in of_one_film(job).groups if group.name != "weeding"]
        self.assertEqual(sum(len(group.lines) for group in groups), 1)  # no counters

    def test_too_wide_for_the_roll_it_is_cut_apart_or_refused(self):
        job = printed(wide=400.0)
        one = job.letterings[0]
        far = [
            one.model_copy(update={"lay": one.lay.model_copy(update={"along_mm": x})})
            for x in (-150.0, 150.0)
        ]
        far_apart = job.model_copy(update={"letterings": tuple(far)})
        narrow = Knife(roll_mm=80.0)
        self.assertLess(of_one_film(far_apart, narrow).length_mm, 450)  # one after the other
        with self.assertRaisesRegex(KilnError, "does not fit on a roll"):
            of_one_film(far_apart, Knife(roll_mm=25.0))
        with self.assertRaisesRegex(KilnError, "roll goes from"):
            of_one_film(job, Knife(roll_mm=5.0))

    def test_what_is_no_file_of_a_plotter_is_a_sentence(self):
        for data, says in (
            (b"IN;PD1;", "a number too few"),
            (b"IN;ZZ3;", "ZZ is not known"),
            (b"IN;PU1,x;", "a number too few"),
            (b"\x00\xff", "no instruction"),
        ):
            with self.subTest(data=data), self.assertRaisesRegex(KilnError, says):
                read_hpgl(data)
        relative = read_hpgl(b"IN;SP1;PU400,0;PR;PD0,400,400,0;PU;")
        np.testing.assert_allclose(relative.lines[0][1], [(10, 0), (10, 10), (20, 10)])


if __name__ == "__main__":
    unittest.main()
