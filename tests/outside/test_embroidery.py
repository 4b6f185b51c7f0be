"""Letters as stitches: lengths and cover against closed forms, the list against the stitches."""

import csv
import io
import unittest
import warnings
from itertools import pairwise
from unittest import mock

import numpy as np
import shapely

from kilnchisel.core.build import laid_of, outline_of, piece_of
from kilnchisel.core.crafts.stitching import LEAST_MM, LONGEST_MM, SATIN_MM, threads_of
from kilnchisel.core.crafts.threads import HIGH_MM, MOST_DRAWN, THREAD_MM
from kilnchisel.core.detail import Detail
from kilnchisel.core.handover.stitchlist import HEAD, Sewn, rows_of, stitch_files
from kilnchisel.core.handover.table import KINDS
from kilnchisel.core.job.artwork import Disc, Rule, Shape
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.bodies import PeakedCap, ToteBag
from kilnchisel.core.job.crafts import Embroidered, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.recipes import sized
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.remembered import STORE
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from tests.outside.test_blanks import job_on, mesh_of

WORDS = "TARNLIGHT OBSERVATORY UNDER A HILL"
FACES = ("cinzel-bold", "pacifico", "league-spartan-bold")


def sewn(content, **craft):
    outline = outline_of(content)
    return outline, [t for layer in threads_of(outline, Embroidered(**craft)) for t in layer]


def lengths(threads):
    return np.concatenate([np.linalg.norm(np.diff(t.points, axis=0), axis=1) for t in threads])


def cover(threads):
    """All that thread lies on."""
    lines = [shapely.LineString(t.points[~t.under]) for t in threads if (~t.under).sum() > 1]
    return shapely.union_all([line.buffer(THREAD_MM / 2) for line in lines])


class Stitches(unittest.TestCase):
    def test_none_is_too_long_or_too_short(self):
        for face in FACES:
            for cap in (6.0, 20.0, 60.0):
                with self.subTest(face=face, cap=cap):
                    words = Wording(text="Crew 8 & Sons", face=ShippedFace(name=face), cap_height_mm=cap)
                    long = lengths(sewn(words)[1])
                    self.assertLessEqual(long.max(), LONGEST_MM + 1e-6)
                    self.assertGreaterEqual(long.min(), LEAST_MM - 1e-6)

    def test_letters_are_covered_and_little_beside_them(self):
        for face in FACES:
            with self.subTest(face=face):
                words = Wording(text="TARN 28", face=ShippedFace(name=face), cap_height_mm=20)
                outline, threads = sewn(words)
                lies = cover(threads)
                inside = shapely.intersection(lies, outline.ink).area / outline.ink.area
                beside = shapely.difference(lies, outline.ink.buffer(0.5)).area / outline.ink.area
                self.assertGreater(inside, 0.93)
                self.assertLess(beside, 0.04)

    def test_a_bar_takes_the_thread_that_its_stitches_add_up_to(self):
        """A bar 60 x 4 mm, satin 0.4 mm apart: every 0.4 mm of its length there and back, each 4.3 mm with
        0.15 mm of pull a side; the way back a little aslant: hypot(4.3, 0.4)."""
        bar = Shape(form=Rule(length_mm=60, line_mm=4, ends="square"))
        _, threads = sewn(bar, underlay=False)
        satin = sum(t.length_mm for t in threads)
        wanted = 60 / 0.4 * (4.3 + np.hypot(4.3, 0.4))
        self.assertAlmostEqual(satin / wanted, 1.0, delta=0.03)

    def test_a_wide_disc_is_filled(self):
        """Rows 0.4 mm apart over a disc: the thread's length is its area over 0.4 mm, and half the girth
        in steps from row to row."""
        disc = Shape(form=Disc(width_mm=30, height_mm=30))
        _, threads = sewn(disc, underlay=False, pull_mm=0.0)
        length = sum(t.length_mm for t in threads)
        self.assertAlmostEqual(length / (np.pi * 15**2 / 0.4), 1.0, delta=0.06)
        self.assertGreater(30, SATIN_MM)

    def test_satin_ends_where_strokes_are_wider_than_seven_millimetres(self):
        """Common practice. Of fill no stitch is longer than 3.6 mm but between sections."""
        for width, satin in ((6.5, True), (8.5, False)):
            _, threads = sewn(Shape(form=Rule(length_mm=70, line_mm=width, ends="square")), underlay=False)
            long = np.median(lengths(threads))
            self.assertEqual(long > 4.0, satin)

    def test_pull_makes_columns_wider(self):
        bar = Shape(form=Rule(length_mm=40, line_mm=3, ends="square"))
        wide = []
        for pull in (0.0, 0.3):
            _, threads = sewn(bar, pull_mm=pull, underlay=False)
            places = np.concatenate([t.points for t in threads])
            wide.append(np.ptp(places[:, 1]))
        self.assertAlmostEqual(wide[0], 3.0, delta=0.05)
        self.assertAlmostEqual(wide[1] - wide[0], 0.6, delta=0.05)

    def test_underlay_lies_within(self):
        words = Wording(text="TARN", face=ShippedFace(name="league-spartan-bold"), cap_height_mm=25)
        outline, threads = sewn(words)
        under = np.concatenate([t.points[t.under] for t in threads])
        self.assertGreater(len(under), 40)
        away = shapely.distance(shapely.points(under), outline.ink)
        self.assertLess(np.percentile(away, 98), 0.3)
        _, bare = sewn(words, underlay=False)
        self.assertLess(sum(t.stitches for t in bare), sum(t.stitches for t in threads))

    def test_denser_takes_more(self):
        words = Wording(text="TARN", cap_height_mm=20)
        counts = [sum(t.stitches for t in sewn(words, density_mm=d)[1]) for d in (0.3, 0.4, 0.6)]
        self.assertEqual(counts, sorted(counts, reverse=True))

    def test_the_shop_s_thread_is_not_scaled_with_letters(self):
        self.assertEqual(sized(Embroidered(), 3.0), Embroidered())


class OnCloth(unittest.TestCase):
    def job(self, text="TARN", cap=18.0):
        return job_on(PeakedCap(), "front", text, cap, Embroidered(), across_mm=40.0)

    def test_thread_stands_on_the_cloth(self):
        job = self.job()
        part = next(p for p in piece_of(job).parts if p.lettering == 0 and p.side)
        side = laid_of(job.blank, job.letterings[0].content, job.letterings[0].lay, detail=Detail.FINE).side
        ground = side.to_body(part.mesh.uv, np.zeros(len(part.mesh.uv)))
        off = np.linalg.norm(part.mesh.points - ground, axis=1)
        self.assertLess(off.max(), HIGH_MM + 0.4)
        self.assertGreater(off.max(), 0.3)
        self.assertEqual(part.role, "thread")

    def test_in_a_solid_it_is_a_pad_as_large_as_its_letters(self):
        mesh, plain = mesh_of(self.job()), mesh_of(job_on(PeakedCap(), "front", ""))
        self.assertTrue(mesh.is_watertight)
        ink = laid_of(
            PeakedCap(), self.job().letterings[0].content, self.job().letterings[0].lay, detail=Detail.FINE
        ).ink
        more = (mesh.volume - plain.volume) / ink.area  # 0.25 mm, less at its round edges
        self.assertTrue(0.15 < more < 0.26, more)

    def test_while_it_moves_a_third_of_the_stitches_is_drawn(self):
        fine, rough = (
            next(p for p in piece_of(self.job(), detail=d).parts if p.lettering == 0 and p.side).mesh
            for d in (Detail.FINE, Detail.ROUGH)
        )
        self.assertLess(len(rough.faces), 0.25 * len(fine.faces))

    def test_of_a_very_large_thing_as_many_are_drawn_as_can_be_seen(self):
        """Its own limit made small: fewer stitches, as much wider, lie on as much of the cloth."""

        def covered():
            STORE.clear()
            mesh = next(p for p in piece_of(self.job()).parts if p.lettering == 0 and p.side).mesh
            x, z = mesh.points[mesh.faces][..., 0], mesh.points[mesh.faces][..., 2]
            doubled = (x[:, 1] - x[:, 0]) * (z[:, 2] - z[:, 0]) - (x[:, 2] - x[:, 0]) * (z[:, 1] - z[:, 0])
            return len(mesh.faces), np.abs(doubled).sum() / 2

        every, whole = covered()
        with mock.patch.dict(MOST_DRAWN, {Detail.FINE: 500}):
            self.addCleanup(STORE.clear)
            few, share = covered()
        self.assertLess(few, 0.5 * every)
        self.assertLess(few, 16 * 500)
        self.assertAlmostEqual(share / whole, 1.0, delta=0.2)

    def test_beside_its_cloth_no_stitch_is_drawn(self):
        """Letters wider than the front of a cap: what is drawn faces out, and the fit is told."""
        job = job_on(PeakedCap(), "front", "TARNLIGHT", 42.0, Embroidered())
        self.assertEqual(next(one.level for one in checks(job, 0) if one.key == "fit"), "failure")
        for detail in (Detail.ROUGH, Detail.FINE):
            with warnings.catch_warnings():
                warnings.simplefilter("error")
                parts = [p for p in piece_of(job, detail=detail).parts if p.role == "thread"]
            normals = np.concatenate([part.mesh.normals for part in parts])
            self.assertGreater(len(normals), 1000)
            np.testing.assert_allclose(np.linalg.norm(normals, axis=1), 1, atol=0.01)

    def test_what_is_read(self):
        found = {r.key: r.value for r in readings(self.job(), 0)}
        laid = laid_of(
            PeakedCap(), self.job().letterings[0].content, self.job().letterings[0].lay, detail=Detail.FINE
        )
        threads = [t for layer in threads_of(laid.outline, Embroidered()) for t in layer]
        self.assertEqual(found["stitches"], sum(t.stitches for t in threads))
        self.assertAlmostEqual(found["thread"] * 1000 / lengths(threads).sum(), 1.0, places=6)

    def test_what_is_checked(self):
        def told(job):
            return " ".join(c.says for c in checks(job, 0) if c.level != "good")

        self.assertIn("low for satin", told(self.job(cap=4.0)))
        self.assertNotIn("satin", told(self.job(cap=14.0)))
        close = change(self.job(), ("letterings", 0, "craft", "density_mm"), 0.27)
        self.assertIn("cut the cloth", told(close))
        far = change(self.job(), ("letterings", 0, "craft", "density_mm"), 0.9)
        self.assertIn("far apart", told(far))
        self.assertIn("are too thin for a satin stitch", told(self.job(cap=6.0)))
        back = job_on(ToteBag(width_mm=900, height_mm=700), "front", "TARN", 190.0, Embroidered())
        self.assertIn("Larger than what a frame holds", told(back))
        self.assertNotIn("frame", told(self.job(cap=14.0)))


class TheList(unittest.TestCase):
    def rows(self, job):
        files, _ = stitch_files(job)
        return {name: list(csv.reader(io.StringIO(data.decode()))) for name, data in files.items()}

    def test_it_holds_every_stitch_in_tenths_of_a_millimetre(self):
        job = job_on(ToteBag(), "front", "TARN", 40.0, Embroidered())
        (name, rows), *more = self.rows(job).items()
        self.assertEqual((name, more, tuple(rows[0])), ("stitches-front.csv", [], HEAD))
        numbers = np.array([[int(x) for x in row[:4]] for row in rows[1:]])
        sewn_ = numbers[:, 2] == 0
        steps = np.linalg.norm(np.diff(numbers[:, :2], axis=0), axis=1)[sewn_[1:]] / 10
        readings_ = {r.key: r.value for r in readings(job, 0)}
        self.assertEqual(sewn_.sum(), readings_["stitches"])
        self.assertAlmostEqual(steps.sum() / 1000 / readings_["thread"], 1.0, delta=0.02)
        self.assertLess(steps.max(), LONGEST_MM + 0.15)
        self.assertEqual(numbers[0, 2:].tolist(), [1, 0])  # there without a stitch, nothing to cut yet
        self.assertEqual(numbers[:, 3].sum() + 1, readings_["cuts"])

    def test_another_colour_is_another_thread_where_it_begins_at_once_too(self):
        line = np.array([[0.0, 0.0], [2.0, 0.0], [4.0, 0.0]])
        for colour, cuts in (("#aa0000", 0), ("#00aa00", 1)):
            rows = rows_of([Sewn("#aa0000", line), Sewn(colour, line[::-1])])
            self.assertEqual(sum(row[3] for row in rows), cuts)
            self.assertEqual(len(rows), 5 + cuts)  # where they are one, they share a place

    def test_colours_follow_each_other(self):
        job = fresh_job("tote bag", "TARN")
        first = change(job, ("letterings", 0, "craft"), Embroidered()).letterings[0]
        second = first.model_copy(update={"finish": first.finish.model_copy(update={"colour": "#b0512f"})})
        lay = second.lay.model_copy(update={"across_mm": -60.0})
        job = job.model_copy(update={"letterings": (first, second.model_copy(update={"lay": lay}))})
        (rows,) = self.rows(job).values()
        colours = [row[4] for row in rows[1:]]
        self.assertEqual(len(dict.fromkeys(colours)), 2)
        self.assertEqual(sum(a != b for a, b in pairwise(colours)), 1)

    def test_only_what_is_embroidered_has_one(self):
        kind = next(kind for kind in KINDS if kind.name == "stitches")
        printed = job_on(Plaque(), "front", "TARN", 10.0, Printed())
        self.assertEqual(kind.missing(printed), "nothing on it is embroidered")
        self.assertEqual(kind.missing(job_on(Plaque(), "front", "TARN", 10.0, Embroidered())), "")
