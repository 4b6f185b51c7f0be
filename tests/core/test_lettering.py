import string
import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.wording import FileFace, ShippedFace, Wording
from kilnchisel.core.lettering.faces import SHIPPED, face_path, file_face, load_face
from kilnchisel.core.lettering.glyphs import glyph_region, tolerance_units
from kilnchisel.core.lettering.outline import make_outline
from kilnchisel.core.lettering.polygons import fill_nonzero, rings_of, signed_area, weld
from kilnchisel.core.lettering.shaping import shape_row
from kilnchisel.core.lettering.strokes import stroke_range_mm, stroke_widths


def outline(text, face="cinzel-bold", **more):
    return make_outline(Wording(text=text, face=ShippedFace(name=face), **more))


class Faces(unittest.TestCase):
    def test_every_shipped_face_sets_a_word(self):
        words = {"amiri-bold": "مرصد", "frank-ruhl": "מצפה", "biz-gothic": "カフェ"}
        for name in SHIPPED:
            with self.subTest(name):
                drawn = outline(words.get(name, "Tarn"), name)
                self.assertEqual(drawn.missing, ())
                self.assertGreater(drawn.ink.area, 0)
                self.assertTrue((face_path(ShippedFace(name=name)).parent / "LICENSE.txt").is_file())

    def test_unusable_files_are_refused_with_the_reason(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        good = face_path(ShippedFace(name="cinzel")).read_bytes()
        cases = {
            "empty.ttf": b"",
            "words.ttf": b"hello",
            "short.ttf": good[:2000],
            "garbled.ttf": good[:300] + bytes(len(good) - 300),
        }
        for name, data in cases.items():
            path = folder / name
            path.write_bytes(data)
            with self.subTest(name), self.assertRaises(KilnError) as caught:
                file_face(path)
            self.assertIn(name, str(caught.exception))
        with self.assertRaises(KilnError):
            load_face(FileFace(path=str(folder / "gone.ttf")))
        with self.assertRaises(KilnError):
            load_face(ShippedFace(name="nothing"))

    def test_a_font_file_from_where_it_lies(self):
        face = file_face(face_path(ShippedFace(name="quicksand-bold")))
        drawn = make_outline(Wording(text="Dome", face=face))
        self.assertEqual(drawn.missing, ())
        self.assertEqual(len(face.sha256), 64)


class Missing(unittest.TestCase):
    def test_a_letter_the_face_lacks(self):
        self.assertEqual(outline("A&B&C", "national-park").missing, ("&",))

    def test_a_letter_the_face_promises_and_draws_blank(self):
        self.assertEqual(set(outline("Łódź č", "special-elite").missing) & {"Ł", "č"}, {"Ł", "č"})

    def test_spaces_are_not_missing(self):
        self.assertEqual(outline("A B\u00a0C\tD").missing, ())


class Sizes(unittest.TestCase):
    def test_capitals_are_as_high_as_asked(self):
        for face in ("cinzel-bold", "pacifico", "bebas-neue", "league-spartan"):
            for cap in (0.5, 9.0, 250.0):
                drawn = outline("H", face, cap_height_mm=cap)
                high = drawn.bounds[3] - drawn.baselines_mm()[0]
                self.assertAlmostEqual(high, cap, delta=0.003 * cap, msg=f"{face} {cap}")

    def test_spacing_is_added_between_letters_only(self):
        plain, spaced = (
            outline("ABCD", cap_height_mm=10),
            outline("ABCD", cap_height_mm=10, letter_spacing_mm=2),
        )
        self.assertAlmostEqual(spaced.width_mm - plain.width_mm, 6.0, places=6)
        self.assertAlmostEqual(spaced.advance_mm() - plain.advance_mm(), 6.0, places=6)

    def test_spaced_letters_do_not_join_in_ligatures(self):
        face = load_face(ShippedFace(name="league-spartan"))
        joined, apart = shape_row(face, "ffi"), shape_row(face, "ffi", spaced=True)
        self.assertLess(len(joined.clusters), 3)
        self.assertEqual(len(apart.clusters), 3)

    def test_rows_stand_as_asked(self):
        drawn = outline("H\nH\nH", cap_height_mm=10, row_spacing=170)
        baselines = drawn.baselines_mm()
        np.testing.assert_allclose(np.diff(baselines), -17.0)
        self.assertAlmostEqual((baselines[0] + 10 + baselines[2]) / 2, 0.0)

    def test_alignment_is_flush_on_the_ink(self):
        for align, side in (("left", 0), ("right", 2)):
            drawn = outline("WIDE ROW\nI", align=align)
            edges = [
                shapely.union_all([x.region for x in drawn.letters if x.row == row]).bounds[side]
                for row in (0, 1)
            ]
            self.assertAlmostEqual(edges[0], edges[1], places=6)
        left, _, right, _ = outline("WIDE\nI").bounds
        self.assertAlmostEqual(left, -right, places=6)

    def test_nothing_to_draw(self):
        for text in ("", " ", "\n\n"):
            drawn = outline(text)
            self.assertTrue(drawn.ink.is_empty)
            self.assertEqual(drawn.bounds, (0.0, 0.0, 0.0, 0.0))
            self.assertIsNone(stroke_range_mm(drawn))

    def test_flattening_stays_within_its_tolerance(self):
        face = load_face(ShippedFace(name="pacifico"))
        glyph = face.font.get_nominal_glyph(ord("O"))
        fine = glyph_region(face, glyph, tolerance_units(face, 9.0) / 64)
        for cap in (9.0, 100.0):
            tolerance = tolerance_units(face, cap)
            rough = glyph_region(face, glyph, tolerance)
            self.assertLessEqual(
                shapely.hausdorff_distance(rough.boundary, fine.boundary), 1.02 * tolerance
            )
            self.assertLessEqual(tolerance * cap / face.cap_height, 0.02 + 1e-9)

    def test_a_letter_has_the_same_holes_at_every_size(self):
        """Contours that overlap leave slivers between them, which large letters would be cut with."""
        for name in SHIPPED:
            face = load_face(ShippedFace(name=name))
            for character in string.ascii_letters + string.digits + "&$@€":
                glyph = face.font.get_nominal_glyph(ord(character))
                if glyph is None:
                    continue
                counts = set()
                for cap in (4.0, 2000.0):
                    ink = glyph_region(face, glyph, tolerance_units(face, cap))
                    holes = [hole for part in ink.geoms for hole in part.interiors]
                    counts.add(len(holes))
                    for hole in holes:
                        self.assertGreater(2 * shapely.Polygon(hole).area / hole.length, 1.0, name)
                self.assertEqual(len(counts), 1, f"{name} {character}")


class Filling(unittest.TestCase):
    square = np.array([[0, 0], [4, 0], [4, 4], [0, 4.0]])

    def test_overlaps_are_ink_and_not_holes(self):
        both = fill_nonzero([self.square, self.square + 2])
        self.assertAlmostEqual(both.area, 28.0)
        self.assertEqual(len(both.geoms), 1)

    def test_a_clockwise_ring_is_a_counter(self):
        hole = self.square[::-1] * 0.5 + 1
        ring = fill_nonzero([self.square, hole])
        self.assertAlmostEqual(ring.area, 12.0)
        self.assertEqual([np.sign(signed_area(r)) for r in rings_of(ring)], [1, -1])

    def test_weld_leaves_what_stands_alone_to_the_bit(self):
        alone = shapely.MultiPolygon([shapely.Polygon(self.square + 100)])
        pair = [shapely.MultiPolygon([shapely.Polygon(self.square + d)]) for d in (0, 2)]
        welded = weld([*pair, alone])
        self.assertAlmostEqual(welded.area, 28 + 16)
        self.assertTrue(any(part.equals_exact(alone.geoms[0], 0) for part in welded.geoms))

    def test_joined_script_is_one_piece(self):
        self.assertEqual(len(outline("moon", "pacifico").ink.geoms), 1)


class Strokes(unittest.TestCase):
    def test_width_of_plain_shapes(self):
        bar = shapely.MultiPolygon([shapely.box(0, 0, 30, 2)])
        self.assertAlmostEqual(stroke_widths(bar, 0.2)[0], 2.0, delta=0.03)
        ring = shapely.MultiPolygon(
            [shapely.Point(0, 0).buffer(10, 64).difference(shapely.Point(0, 0).buffer(8.5, 64))]
        )
        self.assertAlmostEqual(stroke_widths(ring, 0.2)[0], 1.5, delta=0.05)
        elbow = shapely.MultiPolygon([shapely.box(0, 0, 30, 3).union(shapely.box(0, 0, 5, 30))])
        self.assertAlmostEqual(stroke_widths(elbow, 0.2)[0], 3.0, delta=0.05)

    def test_a_corner_is_not_a_stroke(self):
        wedge = shapely.MultiPolygon([shapely.Polygon([(0, 0), (20, 0), (10, 15)])])
        widths = stroke_widths(wedge, 0.2)
        width = None if widths is None else widths[0]
        self.assertTrue(width is None or width > 3)

    def test_in_proportion_to_the_size(self):
        small, large = (
            stroke_range_mm(outline("HALT", "routed-gothic", cap_height_mm=c))[0] for c in (5, 10)
        )
        self.assertAlmostEqual(large / small, 2.0, places=6)
        self.assertAlmostEqual(large, 1.28, delta=0.08)
