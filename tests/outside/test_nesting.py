"""Pieces laid on sheets of stock, by shapely: none on another, none beyond the margin, turned as the grain
lets them."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.programs import written
from kilnchisel.core.job.boards import Wall
from kilnchisel.core.job.crafts import Standing
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import job_on
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.nesting import Stock, nested, sheet_written, yield_of


def letters(text="TARNLIGHT"):
    job = job_on(Wall(width_mm=3000, height_mm=900, surface="plaster"), "Wall", text)
    job = change(job, ("letterings", 0, "craft"), Standing(thickness_mm=6))
    return change(job, ("letterings", 0, "content", "cap_height_mm"), 150.0)


def pieces_of(job):
    return [part for work in flat_work(job, Standing) for part in polygons_in(work.region)]


class OnSheets(unittest.TestCase):
    def test_none_lies_on_another_nor_beyond_the_margin(self):
        pieces = pieces_of(letters()) * 2
        for grain in ("none", "along"):
            stock = Stock(700, 500, 12, 6, grain)
            laid = nested(pieces, stock)
            inside = shapely.box(12, 12, 688, 488)
            for sheet in {one.sheet for one in laid}:
                here = [one.region for one in laid if one.sheet == sheet]
                self.assertTrue(all(inside.covers(region) for region in here))
                for k, one in enumerate(here):
                    apart = min((shapely.distance(one, other) for other in here[:k]), default=99.0)
                    self.assertGreaterEqual(apart, 6 - 1e-6)
            self.assertEqual(len(laid), len(pieces))
            for one, piece in zip(laid, pieces, strict=True):
                self.assertAlmostEqual(one.region.area, piece.area, places=6)
                self.assertIn(
                    one.turned_deg, (0.0, 180.0) if grain == "along" else (0.0, 90.0, 180.0, 270.0)
                )

    def test_it_wastes_less_than_boxes_would(self):
        # triangles lie in each other's corners: two in one square of a side's length
        triangle = shapely.Polygon([(0, 0), (100, 0), (0, 100)])
        stock = Stock(360, 240, 5, 2)
        laid = nested([triangle] * 10, stock)
        self.assertEqual({one.sheet for one in laid}, {0})
        self.assertGreater(10 * 100 * 100, (360 - 10) * (240 - 10))  # as boxes they would need more
        self.assertAlmostEqual(yield_of(laid, stock), 10 * 5000 / (360 * 240))

    def test_what_is_too_large_is_refused(self):
        with self.assertRaisesRegex(KilnError, "does not fit on a sheet of 100 mm by 80 mm"):
            nested([shapely.box(0, 0, 90, 90)], Stock(100, 80))
        # what just goes between the margins does, beside it nothing
        (one,) = nested([shapely.box(0, 0, 580, 280)], Stock(600, 300, 10, 8))
        np.testing.assert_allclose(one.region.bounds, (10, 10, 590, 290), atol=1e-9)
        with self.assertRaisesRegex(KilnError, "does not fit"):
            nested([shapely.box(0, 0, 580.1, 280)], Stock(600, 300, 10, 8))
        both = nested([shapely.box(0, 0, 284, 280)] * 2, Stock(600, 300, 10, 8))
        self.assertEqual([one.sheet for one in both], [0, 0])
        with self.assertRaisesRegex(KilnError, "leaves nothing"):
            nested([shapely.box(0, 0, 1, 1)], Stock(20, 20, 10))
        np.testing.assert_allclose(sheet_written("4ft x 8ft"), (1219.2, 2438.4))
        with self.assertRaisesRegex(KilnError, "is no sheet"):
            sheet_written("1220")

    def test_a_program_a_sheet_cuts_every_letter(self):
        job = letters()
        wanted = wanted_from({"sheet": "900x400mm", "gap": "10mm"})
        programs = written(job, wanted.routing)
        self.assertEqual([one.name for one in programs][:1], ["router-sheet-1.nc"])
        closed = 0
        for one in programs:
            self.assertEqual(one.piece.stock[:2], (900, 400))
            ends = one.program.ends[1:][~one.program.rapid]
            self.assertTrue((ends[:, :2] > 0).all() and (ends[:, :2] < (900, 400)).all())
            deepest = {tuple(np.round(way[0, :2], 3)) for op in one.piece.operations for way in op.ways}
            closed += len(deepest)
        rings = sum(1 + len(piece.interiors) for piece in pieces_of(job))
        self.assertGreaterEqual(closed, rings)
        self.assertIn("% used", programs[0].piece.notes[0])


if __name__ == "__main__":
    unittest.main()
