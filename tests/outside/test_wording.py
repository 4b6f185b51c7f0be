"""Scripts, bidi, circles, offsets, vector files and tracing, against standards and other libraries."""

import math
import tempfile
import unittest
from pathlib import Path

import manifold3d
import numpy as np
import shapely
import trimesh
from fontTools.pens.areaPen import AreaPen
from fontTools.svgLib import SVGPath
from PIL import Image, ImageDraw, ImageFont
from PyQt6.QtGui import QFont, QFontDatabase, QTextLayout, QTextOption

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.colour import contrast_ratio, hex_to_linear
from kilnchisel.core.handover.outlines import write_outline
from kilnchisel.core.job.wording import Circle, ShippedFace, Wording
from kilnchisel.core.lettering.bending import bent_lines, tightest_bend
from kilnchisel.core.lettering.bidi import bracket_table, levels, levels_of, visual_order
from kilnchisel.core.lettering.faces import face_path, load_face
from kilnchisel.core.lettering.glyphs import glyph_lines, glyph_region
from kilnchisel.core.lettering.openpaths import smoothed
from kilnchisel.core.lettering.outline import make_outline
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.lettering.reshaping import offset
from kilnchisel.core.lettering.shaping import shape_row
from kilnchisel.core.lettering.tracing import darkness, traced
from kilnchisel.core.shop.legibility import legible_m
from tests.samples import plaque_job
from tests.ui.harness import application

DATA = Path(__file__).parent / "data"


class Bidi(unittest.TestCase):
    """Source: Unicode Character Database 15.0, samples of BidiTest.txt and BidiCharacterTest.txt."""

    def check(self, result, wanted_levels, wanted_order, message):
        shown = ["x" if level is None else str(level) for level in result]
        self.assertEqual(shown, wanted_levels, message)
        kept = [i for i, level in enumerate(result) if level is not None]
        order = [kept[i] for i in visual_order([result[i] for i in kept])]
        self.assertEqual(order, wanted_order, message)

    def test_cases_by_class(self):
        count, wanted, order = 0, [], []
        for line in (DATA / "bidi-classes.txt").read_text().splitlines():
            if line.startswith("@Levels:"):
                wanted = line.split(":")[1].split()
            elif line.startswith("@Reorder:"):
                order = [int(x) for x in line.split(":")[1].split()]
            elif line and line[0] not in "#@":
                classes, bits = line.split(";")
                for bit, base in ((1, None), (2, 0), (4, 1)):
                    if int(bits, 16) & bit:
                        count += 1
                        self.check(levels_of(classes.split(), base)[0], wanted, order, line)
        self.assertGreater(count, 2000)

    def test_cases_by_character(self):
        count = 0
        for line in (DATA / "bidi-characters.txt").read_text().splitlines():
            if not line or line[0] == "#":
                continue
            characters, direction, paragraph, wanted, order = line.split(";")
            text = "".join(chr(int(x, 16)) for x in characters.split())
            result, base = levels(text, {"0": 0, "1": 1, "2": None}[direction])
            self.assertEqual(base, int(paragraph))
            self.check(result, wanted.split(), [int(x) for x in order.split()], line)
            count += 1
        self.assertGreater(count, 800)

    def test_brackets(self):
        # UAX #9, BidiBrackets.txt: 64 pairs in version 15; three of them, from memory
        self.assertEqual(len(bracket_table()), 128)
        for pair in ("()", "［］", "⟨⟩"):
            self.assertEqual(bracket_table()[pair[0]][1], True)
            self.assertEqual(bracket_table()[pair[1]][1], False)


class OtherShaper(unittest.TestCase):
    """Source: Qt's text layout, which splits runs and orders them by code of its own."""

    STRINGS = (
        ("eb-garamond", ("Tarnlight", "AVATAR To", "office fjord", "Café Ångström", "1931 & 1932")),
        ("eb-garamond", ("Αστεροσκοπείο", "Νύχτα", "ουρανός φως")),
        ("eb-garamond", ("Обсерватория", "Ночное небо", "Звезда")),
        ("amiri-bold", ("مرصد", "سماء الليل", "قبة السماء", "نجوم")),
        ("frank-ruhl", ("מצפה", "שמי הלילה", "כוכבים")),
        ("biz-gothic", ("星の夜", "ほしぞら", "ヨルノホシ")),
    )

    @classmethod
    def setUpClass(cls):
        application()

    def laid_by_qt(self, text, face):
        number = QFontDatabase.addApplicationFont(str(face_path(face)))
        family = QFontDatabase.applicationFontFamilies(number)[0]
        style = QFontDatabase.styles(family)
        font = QFontDatabase.font(family, style[0], 10) if style else QFont(family)
        font.setPixelSize(int(load_face(face).units_per_em))
        font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
        font.setStyleStrategy(QFont.StyleStrategy.NoFontMerging)
        layout = QTextLayout(text, font)
        option = QTextOption()
        option.setUseDesignMetrics(True)
        layout.setTextOption(option)
        layout.beginLayout()
        line = layout.createLine()
        layout.endLayout()
        placed = []
        for run in layout.glyphRuns():
            for glyph, at in zip(run.glyphIndexes(), run.positions(), strict=True):
                placed.append((round(at.x()), glyph))
        self.assertTrue(line.isValid())
        return sorted(placed)

    def test_twenty_strings_in_six_scripts(self):
        count = 0
        for name, texts in self.STRINGS:
            face = ShippedFace(name=name)
            for text in texts:
                row = shape_row(load_face(face), text)
                ours, x = [], 0.0
                for cluster in row.clusters:
                    ours += [(round(x + glyph.x), glyph.glyph) for glyph in cluster.glyphs]
                    x += cluster.advance
                theirs = self.laid_by_qt(text, face)
                with self.subTest(text=text):
                    self.assertEqual([glyph for _, glyph in sorted(ours)], [glyph for _, glyph in theirs])
                    places = [np.array([at for at, _ in row]) for row in (sorted(ours), theirs)]
                    np.testing.assert_allclose(places[0] - places[0][0], places[1] - places[1][0], atol=3)
                count += 1
        self.assertGreaterEqual(count, 20)


class CircleText(unittest.TestCase):
    """Source: chord = 2 R sin(s / 2R) for an arc s of radius R."""

    def test_chords_and_arcs_of_the_baseline(self):
        for heads, radius in (("out", 35.0), ("in", 35.0), ("out", 120.0)):
            wording = Wording(text="NIGHT SKY", cap_height_mm=6, letter_spacing_mm=0.7)
            straight = make_outline(wording).stands
            bent = make_outline(
                wording.model_copy(update={"arrangement": Circle(radius_mm=radius, heads=heads)})
            ).stands
            for one, two in zip(range(len(bent) - 1), range(1, len(bent)), strict=True):
                arc = straight[two].anchor[0] - straight[one].anchor[0]
                chord = np.linalg.norm(bent[two].anchor - bent[one].anchor)
                self.assertAlmostEqual(chord, 2 * radius * math.sin(arc / (2 * radius)), places=9)
            radii = [np.linalg.norm(stand.anchor) for stand in bent]
            np.testing.assert_allclose(radii, radius)

    def test_middle_at_the_asked_angle(self):
        for degrees in (0.0, 90.0, -45.0):
            outline = make_outline(
                Wording(text="HHH", arrangement=Circle(radius_mm=50, centre_deg=degrees), cap_height_mm=5)
            )
            middle = outline.stands[1].anchor
            self.assertAlmostEqual(math.degrees(math.atan2(middle[0], middle[1])), degrees, places=6)


class Offsets(unittest.TestCase):
    def test_against_a_second_geometry_library(self):
        # manifold3d's offset (Clipper2) of the same letters
        ink = make_outline(Wording(text="RS8", cap_height_mm=20)).ink
        section = manifold3d.CrossSection(rings_of(ink), manifold3d.FillRule.NonZero)
        for distance in (0.4, -0.3, 1.5):
            other = section.offset(distance, manifold3d.JoinType.Round, 2.0, 400)
            self.assertAlmostEqual(offset(ink, distance).area / other.area(), 1.0, delta=5e-4)

    def test_steiner_formula_of_a_convex_shape(self):
        # area of the parallel body: A + P d + pi d^2
        shape = shapely.MultiPolygon([shapely.Polygon([(0, 0), (40, 0), (52, 20), (20, 35)])])
        for distance in (0.5, 3.0, 12.0):
            wanted = shape.area + shape.length * distance + math.pi * distance**2
            self.assertAlmostEqual(offset(shape, distance).area / wanted, 1.0, delta=2e-4)


class VectorFiles(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = plaque_job("RS8")
        self.ink = lettering_laid(self.job, 0).ink

    def test_svg_by_another_reader(self):
        # fontTools' SVG reader and area pen
        path = self.folder / "flat.svg"
        write_outline(self.job, path)
        pen = AreaPen(None)
        SVGPath(str(path)).draw(pen)
        self.assertAlmostEqual(abs(pen.value), self.ink.area, delta=1e-3)

    def test_dxf_by_another_reader(self):
        # trimesh's DXF reader
        path = self.folder / "flat.dxf"
        write_outline(self.job, path)
        drawing = trimesh.load_path(str(path))
        rings = [shapely.Polygon(drawing.vertices[entity.points]) for entity in drawing.entities]
        area = 0.0
        for ring in rings:
            inside = sum(other.contains(ring) for other in rings if other is not ring)
            area += ring.area if inside % 2 == 0 else -ring.area
        self.assertAlmostEqual(area, self.ink.area, delta=1e-4)
        self.assertEqual(drawing.units, "millimeters")


class CentreLines(unittest.TestCase):
    """How many ends a letter's strokes have, counted by eye on sans capitals (from memory)."""

    LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
    ENDS = dict(zip(LETTERS, map(int, "20203324224222012223222432"), strict=True))

    def test_stroke_ends_of_the_sans_alphabet(self):
        for name in ("league-spartan", "quicksand-bold"):
            face = load_face(ShippedFace(name=name))
            found = {
                c: sum(sum(line.free) for line in glyph_lines(face, face.font.get_nominal_glyph(ord(c))))
                for c in self.ENDS
            }
            self.assertEqual(found, self.ENDS, name)

    def test_an_o_is_one_round_loop(self):
        face = load_face(ShippedFace(name="league-spartan"))
        (line,) = glyph_lines(face, face.font.get_nominal_glyph(ord("O")))
        self.assertTrue(line.closed)
        middle = line.points[:-1].mean(axis=0)
        radii = np.linalg.norm(line.points - middle, axis=1)
        self.assertLess(np.ptp(radii), 0.08 * radii.mean())  # the face's O is a little oval
        self.assertGreater(tightest_bend(line.points[::4]), 0.6 * radii.mean())  # and has no corner


class Traced(unittest.TestCase):
    def test_a_known_outline_within_half_a_pixel(self):
        # the same glyph filled by FreeType (through Pillow) and traced again, 600 px to the em; it is drawn
        # eight times as large, as FreeType moves outlines to whole pixels
        size, larger = 600, 8
        # (a taper thinner than a pixel cannot be known, so no face with such tips)
        for name, letter in (
            ("eb-garamond", "g"),
            ("pacifico", "g"),
            ("league-spartan-bold", "8"),
            ("roboto-slab", "E"),
        ):
            face = load_face(ShippedFace(name=name))
            font = ImageFont.truetype(str(face.path), size * larger, layout_engine=ImageFont.Layout.BASIC)
            picture = Image.new("L", (900 * larger, 1100 * larger), 255)
            spot = (200 * larger, 800 * larger)
            ImageDraw.Draw(picture).text(spot, letter, font=font, fill=0, anchor="ls")
            picture = picture.reduce(larger)
            found = traced(darkness(picture, "dark"), 0.5, 0.5)
            glyph = face.font.get_nominal_glyph(ord(letter))
            true = shapely.transform(
                glyph_region(face, glyph, face.units_per_em / 20_000),
                lambda p, s=size / face.units_per_em: p * s + (200, 300),
            )
            points = shapely.points(shapely.get_coordinates(found))
            off = shapely.distance(points, true.boundary)
            self.assertLess(off.max(), 0.5, f"{name} {letter}")
            self.assertAlmostEqual(found.area / true.area, 1.0, delta=0.004)
            back = shapely.distance(shapely.points(shapely.get_coordinates(true)), found.boundary)
            self.assertLess(np.quantile(back, 0.85), 0.62)  # corners of the outline, cut by the pixels

    def test_more_smoothing_leaves_less_of_the_steps_of_pixels(self):
        # a disc's outline turns once round; what it turns more is steps
        y, x = np.mgrid[:400, :400] - 200.0
        disc = (np.hypot(x, y) < 120).astype(np.float32)
        turned = []
        for smooth in (0.1, 0.4, 1.0):
            way = np.diff(shapely.get_coordinates(traced(disc, 0.5, smooth).geoms[0].exterior), axis=0)
            angle = np.arctan2(way[:, 1], way[:, 0])
            turned.append(np.abs((np.diff(angle) + np.pi) % (2 * np.pi) - np.pi).sum() / (2 * np.pi))
        self.assertGreater(turned[0], 1.2 * turned[1])
        self.assertGreater(turned[1], 1.2 * turned[2])


class Figures(unittest.TestCase):
    def test_contrast(self):
        # WCAG 2.x; #777777 on white is 4.478 to 1 by the packages wcag-contrast-ratio and wcag-contrast
        ratio = contrast_ratio(np.array(hex_to_linear("#777777")), np.ones(3))
        self.assertAlmostEqual(ratio, 4.478089, places=5)
        self.assertAlmostEqual(contrast_ratio(np.zeros(3), np.ones(3)), 21.0)

    def test_legibility_index(self):
        # MUTCD 2009, 2A.13: 30 ft of distance for each inch of letter height
        self.assertAlmostEqual(legible_m(6 * 25.4), 180 * 0.3048)


class RoundedCorners(unittest.TestCase):
    def test_every_corner_is_turned_on_an_arc_that_touches_both_ways(self):
        # the circle that touches both ways of a corner of turn a: r tan(a / 2) from it
        line = np.array([[0.0, 0], [100, 0], [100, 100], [170, 170]])
        (bent,) = bent_lines(line, 10.0)
        turned = 45.0
        reach = 10.0 * math.tan(math.radians(turned) / 2)
        for corner, out, tangent in ((1, (-1.0, 1.0), 10.0), (2, (1.0, 0.0), reach)):
            away = np.linalg.norm(bent - line[corner], axis=1)
            arc = bent[away < tangent - 1e-6]
            self.assertGreater(len(arc), 3)
            middle = line[corner] + np.array(out) * 10.0 - (0.0, reach * (corner == 2))
            np.testing.assert_allclose(np.linalg.norm(arc - middle, axis=1), 10.0, atol=0.02)


class SmoothedLines(unittest.TestCase):
    """Letters of lines are drawn through few points: those of a circle give that circle (elementary
    geometry), corners and straights stay what they are."""

    def test_points_of_an_arc_give_the_arc(self):
        for first, last in ((0, 360), (20, 250)):
            with self.subTest(degrees=last - first):
                turn = np.radians(np.linspace(first, last, 13))
                line = smoothed(30 * np.stack([np.cos(turn), np.sin(turn)], axis=1))
                self.assertEqual(len(line), 12 * 8 + 1)
                away = np.abs(np.hypot(*line.T) - 30)
                inner = away if last == 360 else away[8:-8]  # an open end has no circle through it
                self.assertLess(inner.max(), 0.02)
                self.assertLess(away.max(), 0.8)

    def test_corners_and_straights_stay(self):
        for line in (
            np.array([[0.0, 0], [10, 0], [10, 10]]),
            np.array([[0.0, 0], [10, 0], [10, 10], [0, 10], [0, 0]]),
            np.array([[0.0, 0], [4, 7], [8, 0], [12, 7], [16, 0]]),
        ):
            np.testing.assert_allclose(smoothed(line), line)
        turn = np.radians(np.linspace(-90, 90, 7))
        bow = 5 * np.stack([np.cos(turn), 1 + np.sin(turn)], axis=1)
        line = smoothed(np.concatenate([[[-80.0, 0]], bow, [[-80.0, 10]]]))
        np.testing.assert_allclose(line[:2], [(-80, 0), (0, 0)], atol=1e-9)  # a long straight into a bow
        np.testing.assert_allclose(line[-2:], [(0, 10), (-80, 10)], atol=1e-9)
        round_ = line[1:-1]
        self.assertLess(np.abs(np.hypot(round_[:, 0], round_[:, 1] - 5) - 5).max(), 0.02)


if __name__ == "__main__":
    unittest.main()
