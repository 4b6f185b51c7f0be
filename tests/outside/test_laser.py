"""Layers for a laser: its beam's width, what is filled, scored and cut, and out of which sheets, against
areas and distances by shapely, and other readers (ezdxf, Pillow)."""

import io
import unittest

import ezdxf
import numpy as np
import shapely
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.laserfiles import depths, laser_files
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.boards import Wall
from kilnchisel.core.job.crafts import CutThrough, Engraved, Standing
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.wording import LineFace
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.shop.paths.flatwork import flat_work, open_lines
from kilnchisel.core.shop.paths.laser import lasered
from kilnchisel.core.shop.paths.nesting import Stock
from tests.outside.test_parted import plaque


def both(job, craft, text=None, **lay):
    """A job with its lettering once more, by another craft, elsewhere or in other words."""
    first = job.letterings[0]
    content = first.content if text is None else first.content.model_copy(update={"text": text})
    other = {"craft": craft, "lay": first.lay.model_copy(update=lay), "content": content}
    return job.model_copy(update={"letterings": (first, first.model_copy(update=other))})


def filled(sheet):
    """What is burnt by a nonzero rule."""
    return shapely.union_all([shapely.Polygon(ring) for ring in sheet.fill])


class Laser(unittest.TestCase):
    def test_the_beam_is_allowed_for(self):
        job = plaque(CutThrough(), "O")
        hole = flat_work(job, CutThrough)[0].region
        (sheet,) = lasered(job, 0.2)
        inner = min(sheet.cut, key=lambda ring: shapely.Polygon(ring).area)
        rim = max(sheet.cut, key=lambda ring: shapely.Polygon(ring).area)
        # the ways lie half a kerf inside what falls out, and half a kerf outside of the blank
        outer = max((shapely.Polygon(p.exterior) for p in polygons_in(hole)), key=lambda p: p.area)
        way = max((shapely.Polygon(r) for r in sheet.cut if r is not rim), key=lambda p: p.area)
        self.assertAlmostEqual(shapely.hausdorff_distance(way.exterior, outer.exterior), 0.1, delta=0.01)
        self.assertAlmostEqual(np.ptp(rim[:, 0]), job.blank.width_mm + 0.2, delta=0.01)
        self.assertLess(shapely.Polygon(inner).area, shapely.Polygon(rim).area)
        # what comes loose is cut before what is round it
        self.assertTrue(np.array_equal(sheet.cut[-1], rim))

    def test_letters_of_their_own_are_cut_outside(self):
        job = job_on(Wall(), "Wall", "HI")
        job = change(job, ("letterings", 0, "craft"), Standing(thickness_mm=6))
        region = flat_work(job, Standing)[0].region
        (sheet,) = lasered(job, 0.3)
        ways = shapely.union_all([shapely.Polygon(ring) for ring in sheet.cut])
        self.assertAlmostEqual(ways.area, shapely.buffer(region, 0.15, join_style="mitre").area, delta=1e-3)

    def test_areas_are_filled_and_open_lines_scored(self):
        job = plaque(Engraved(depth_mm=0.2), "IT")
        self.assertTrue(lasered(job, 0.1)[0].fill)
        area = flat_work(job, Engraved)[0].region.area / 100
        self.assertEqual(laser_files(job, 0.1)[1], f"front: {area:.2f} cm² filled")
        written = change(job, ("letterings", 0, "content", "face"), LineFace(name="hershey-sans"))
        sheet = lasered(written, 0.1)[0]
        self.assertTrue(sheet.score and not sheet.fill)
        files, words = laser_files(written, 0.1)
        self.assertIn("scored", words)
        document = ezdxf.read(io.StringIO(files["laser-front.dxf"].decode()))
        self.assertEqual({layer.description for layer in document.layers if layer.description}, {"score"})

    def test_depths_are_black_where_it_is_deepest(self):
        job = plaque(Engraved(floor="v", depth_mm=1.5, angle_deg=60.0), "IT")
        data, words = depths(job, "front")
        values = np.asarray(Image.open(io.BytesIO(data))).astype(float)
        self.assertEqual(values.min(), 0)
        self.assertEqual(values.max(), 65535)
        self.assertRegex(words, r"black is 1\.[45]\d* mm deep")

    def test_of_a_round_side_there_is_no_map_of_depths(self):
        job = change(job_on(Mug(), "Mug", "HI"), ("letterings", 0, "craft"), Engraved(floor="v"))
        files, words = laser_files(job, 0.1)
        self.assertEqual(set(files), {"laser-outside.svg", "laser-outside.dxf"})
        self.assertIn("no map of depths of the outside", words)

    def test_a_beam_wider_than_anything_is_refused(self):
        with self.assertRaisesRegex(KilnError, "A beam's kerf goes from 0 to 2 mm"):
            lasered(plaque(CutThrough()), 5.0)

    def test_what_lies_in_a_pocket_is_cut_too(self):
        job = plaque(CutThrough(fill="inlay", depth_mm=2.0, gap_mm=0.1), "HI")
        pocket, inlay = lasered(job, 0.2)
        self.assertTrue(pocket.fill and not pocket.cut)
        region = flat_work(job, CutThrough)[0].region
        wanted = shapely.buffer(shapely.buffer(region, -0.1, quad_segs=16), 0.1, join_style="mitre")
        found = shapely.union_all([shapely.Polygon(ring) for ring in inlay.cut])
        self.assertAlmostEqual(found.area, wanted.area, delta=1e-6)
        files, words = laser_files(job, 0.2)
        self.assertIn("laser-inlay-1.svg", files)
        self.assertIn("inlay 1: out of a sheet 2 mm thick", words)

    def test_nothing_is_burnt_beside_the_piece_nor_under_what_is_over_it(self):
        job = change(plaque(Engraved(depth_mm=0.2), "IIII"), ("letterings", 0, "lay", "along_mm"), 80.0)
        (sheet,) = lasered(job, 0.1)
        self.assertLessEqual(max(ring[:, 0].max() for ring in sheet.fill), job.blank.width_mm / 2)
        self.assertIn("cut off at the edge", sheet.told[0])
        written = change(job, ("letterings", 0, "content", "face"), LineFace(name="hershey-sans"))
        (sheet,) = lasered(written, 0.1)
        self.assertLessEqual(max(line[:, 0].max() for line in sheet.score), job.blank.width_mm / 2)
        # an opening through an engraved letter: nothing of that is left there to be filled
        over = both(plaque(Engraved(depth_mm=0.2), "O"), CutThrough(), "I", along_mm=2.0)
        under, opening = (work.region for work in flat_work(over, Engraved, CutThrough))
        (sheet,) = lasered(over, 0.0)
        self.assertGreater(under.intersection(opening).area, 1.0)
        self.assertAlmostEqual(filled(sheet).intersection(opening).area, 0.0, delta=1e-3)

    def test_letters_of_two_thicknesses_are_cut_from_sheets_of_their_own(self):
        job = change(job_on(Wall(), "Wall", "HI"), ("letterings", 0, "craft"), Standing(thickness_mm=6))
        job = both(job, Standing(thickness_mm=10), "NO", up_mm=200.0)
        rows = lasered(job, 0.2)
        self.assertEqual([(one.name, one.thick_mm) for one in rows], [("letters 1", 6), ("letters 2", 10)])
        sheets = lasered(job, 0.2, Stock(2000, 1000))
        self.assertEqual([(one.name, one.thick_mm) for one in sheets], [("sheet 1", 6), ("sheet 2", 10)])
        self.assertEqual([len(one.cut) for one in sheets], [2, 3])  # the O has a counter
        self.assertIn("2 letters on 1 sheet", sheets[0].told[0])

    def test_holes_are_cut_with_the_panel_they_are_in(self):
        job = both(plaque(CutThrough(), "I"), Standing(thickness_mm=3), "H", along_mm=40.0)
        front = lasered(job, 0.1)[0]
        bare = lasered(job.model_copy(update={"letterings": job.letterings[:1]}), 0.1)[0]
        self.assertGreater(len(front.cut), len(bare.cut))
        self.assertAlmostEqual(np.ptp(front.cut[-1][:, 0]), job.blank.width_mm + 0.1, delta=0.01)

    def test_what_the_beam_closes_is_told(self):
        job = job_on(Wall(), "Wall", "O")
        job = change(job, ("letterings", 0, "craft"), Standing(thickness_mm=6))
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 2.0)
        self.assertEqual(lasered(job, 0.1)[0].told, [])
        self.assertIn("the beam is wider", lasered(job, 2.0)[0].told[0])

    def test_lines_on_a_cone_lie_where_its_flat_pattern_has_their_letters(self):
        job = change(fresh_job("tumbler", "OBSERVATORY"), ("letterings", 0, "craft"), Engraved())
        job = change(job, ("letterings", 0, "content", "face"), LineFace(name="hershey-sans"))
        (work,) = flat_work(job, Engraved)
        lines = [shapely.LineString(line) for line in open_lines(job, work)]
        pen = job.letterings[0].content.pen_mm
        drawn = shapely.union_all([shapely.buffer(line, pen / 2) for line in lines])
        self.assertGreater(drawn.intersection(work.region).area / work.region.area, 0.99)
        self.assertLess(drawn.difference(work.region).area / work.region.area, 0.01)


if __name__ == "__main__":
    unittest.main()
