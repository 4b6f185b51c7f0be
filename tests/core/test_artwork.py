"""Drawings and pictures taken in as lettering, simple shapes, and the flat lettering written out."""

import io
import tempfile
import unittest
from pathlib import Path

import ezdxf
import numpy as np
import shapely
from PIL import Image, ImageDraw

from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.outlines import OutlineOrder, outlined_sides, write_outline
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job import assets
from kilnchisel.core.job.artwork import (
    Arrow,
    Artwork,
    Badge,
    Border,
    Disc,
    Picture,
    Ring,
    Rule,
    Shape,
    Star,
)
from kilnchisel.core.job.blank import Tumbler
from kilnchisel.core.job.crafts import Raised
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import added_content, first_lettering
from kilnchisel.core.job.lettering import Repeat
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import ShippedFace
from kilnchisel.core.lettering.content import (
    artwork_size,
    content_of_file,
    curve_of_file,
    outline_of_content,
    picture_of_artwork,
    words_in,
)
from kilnchisel.core.lettering.drawings.reading import read_drawing
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from tests.commands import called
from tests.samples import mug_job, plaque_job

SVG = """<svg xmlns="http://www.w3.org/2000/svg" {root}>{body}</svg>"""


class Folder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def file(self, name, data):
        path = self.folder / name
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
        return path

    def svg(self, body, root='width="40mm" height="20mm" viewBox="0 0 80 40"', name="a.svg"):
        return self.file(name, SVG.format(root=root, body=body))

    def png(self, draw, size=(200, 100), mode="L", ground=255, name="a.png", **more):
        picture = Image.new(mode, size, ground)
        draw(ImageDraw.Draw(picture))
        buffer = io.BytesIO()
        picture.save(buffer, "PNG", **more)
        return self.file(name, buffer.getvalue())


class Drawings(Folder):
    def test_lines_that_meet_at_their_ends_make_a_shape_and_others_do_not(self):
        corners = [(0.0, 0.0), (40.0, 0.0), (40.0, 30.0), (0.0, 30.0)]
        for closed in (True, False):
            drawing = ezdxf.new(units=4)
            for a, b in zip(corners, corners[1:] + corners[:1] if closed else corners[1:], strict=False):
                drawing.modelspace().add_line(a, b)
            path = self.folder / "lines.dxf"
            drawing.saveas(path)
            found = read_drawing(path.read_bytes(), "dxf", path.name, 1, lambda *_: None)
            self.assertAlmostEqual(found.region.area, 1200.0 if closed else 0.0)
            self.assertEqual([len(line.points) for line in found.lines], [] if closed else [4])

    def region(self, body, **more):
        return outline_of_content(content_of_file(self.svg(body, **more)))

    def test_true_size_from_the_files_units(self):
        body = '<rect x="10" y="10" width="60" height="20"/>'
        outline = self.region(body)
        np.testing.assert_allclose(outline.bounds, (-15, -5, 15, 5), atol=1e-9)
        inches = self.region(body, root='width="2in" viewBox="0 0 80 40"', name="b.svg")
        self.assertAlmostEqual(inches.width_mm, 60 * 50.8 / 80)

    def test_without_units_it_is_asked_for(self):
        content = content_of_file(self.svg('<rect width="60" height="20"/>', root='viewBox="0 0 80 40"'))
        self.assertFalse(artwork_size(content).stated)
        job = added_content(plaque_job(), content)
        said = [check.key for check in checks(job, 1)]
        self.assertIn("unit", said)
        job = change(job, ("letterings", 1, "content", "unit_mm"), 0.5)
        self.assertAlmostEqual(lettering_laid(job, 1).width_mm, 30)
        self.assertNotIn("unit", [check.key for check in checks(job, 1)])

    def test_text_without_a_place_begins_at_the_origin(self):
        text, rest = ' font-size="9">HI</text>', '<rect x="40" y="30" width="20" height="5"/>'
        placed = self.region(f'<text x="0" y="0"{text}{rest}').ink
        for number, where in enumerate(("", 'x="0"', 'y="0"')):
            found = self.region(f"<text {where}{text}{rest}", name=f"{number}.svg").ink
            self.assertTrue(found.equals_exact(placed, 1e-9))

    def test_fill_rule_and_holes(self):
        d = "M0 0H40V40H0Z M10 10H30V30H10Z"
        nonzero = self.region(f'<path d="{d}"/>').ink.area
        even = self.region(f'<path fill-rule="evenodd" d="{d}"/>', name="b.svg").ink.area
        self.assertAlmostEqual(nonzero, 1600 / 4)
        self.assertAlmostEqual(even, 1200 / 4)

    def test_upright_and_not_mirrored(self):
        # an L: the foot is at the lower right
        outline = self.region('<path d="M0 0H10V30H30V40H0Z"/>')
        self.assertTrue(shapely.contains_xy(outline.ink, outline.bounds[2] - 1, outline.bounds[1] + 1))
        self.assertFalse(shapely.contains_xy(outline.ink, outline.bounds[2] - 1, outline.bounds[3] - 1))

    def test_strokes_become_outlines_and_open_lines_stay_lines(self):
        closed = self.region('<circle cx="20" cy="20" r="16" fill="none" stroke="#000" stroke-width="4"/>')
        self.assertAlmostEqual(closed.ink.area, np.pi * (18**2 - 14**2) / 4, delta=0.4)
        self.assertEqual(len(closed.lines), 0)
        opened = self.region(
            '<path d="M0 20H40" fill="none" stroke="#000" stroke-width="4"/>', name="b.svg"
        )
        self.assertEqual(len(opened.lines), 1)
        self.assertAlmostEqual(opened.ink.area, 20 * 2, delta=0.03)
        left_out = content_of_file(self.folder / "b.svg").model_copy(update={"lines": "left out"})
        with self.assertRaisesRegex(KilnError, "open lines only"):
            outline_of_content(left_out)

    def test_ends_and_corners_of_lines_are_as_the_file_says(self):
        # source: SVG 2, 13.5: butt ends and mitred corners where nothing is said
        bent = '<path d="M10 10H30V30" fill="none" stroke="#000" stroke-width="4" {}/>'
        plain = 2 * 20 * 4.0  # of two arms, each to the middle of the corner; scaled to half below
        for more, added in (
            ("", 4.0),  # the corner's outer square, less what the arms cover twice
            ('stroke-linejoin="round"', np.pi),
            ('stroke-linejoin="bevel"', 2.0),
            ('stroke-linecap="round"', 4.0 + 4 * np.pi),
            ('stroke-linecap="square"', 4.0 + 16.0),
            ('style="stroke-linecap:round"', 4.0 + 4 * np.pi),
        ):
            with self.subTest(more=more):
                inside = -4.0  # the square in the corner's inside is covered twice
                area = self.region(bent.format(more)).ink.area * 4
                self.assertAlmostEqual(area, plain + inside + added, delta=0.15)

    def test_a_mitre_longer_than_its_limit_is_a_bevel(self):
        # source: SVG 2, 13.5.5: mitre length / width = 1 / sin(theta / 2); 5.76 at a corner of 20 degrees
        half, arm, corner = 2.0, 30.0, np.radians(20)
        up = arm * np.array([np.cos(corner), np.sin(corner)])
        kite = half**2 / np.tan(corner / 2)  # covered twice inside, and the mitre's own area
        bevel = half**2 * np.sin(corner) / 2
        side = np.hypot(*(up - (arm, 0)))
        for more, tip in (
            ("", bevel),
            ('stroke-miterlimit="5.7"', bevel),
            ('stroke-miterlimit="5.8"', kite),
            ('style="stroke-miterlimit:8"', kite),
            ('stroke-miterlimit="0.5"', bevel),
        ):
            with self.subTest(more=more):
                way = f"M{5 + arm} 5H5L{5 + up[0]} {5 + up[1]}"
                pen = f'fill="none" stroke="#000" stroke-width="4" {more}'
                open_ = self.region(f'<path d="{way}" {pen}/>').ink.area * 4
                self.assertAlmostEqual(open_, 2 * arm * 2 * half - kite + tip, delta=0.1)
                drawn = self.region(f'<path d="{way}Z" {pen}/>', name="c.svg").ink.area * 4
                around = (2 * arm + side) * 2 * half  # its two other corners are mitred
                self.assertAlmostEqual(drawn, around - kite + tip, delta=0.1)

    def test_white_covers_what_lies_under_it(self):
        body = '<rect width="40" height="40"/><circle cx="20" cy="20" r="10" fill="#fff"/>'
        self.assertAlmostEqual(self.region(body).ink.area, (1600 - np.pi * 100) / 4, delta=0.05)

    def test_transforms_and_groups(self):
        turned = '<rect width="10" height="5" transform="rotate(90)"/>'
        body = f'<g transform="translate(5 5) scale(2)">{turned}</g>'
        outline = self.region(body)
        self.assertAlmostEqual(outline.width_mm, 5)
        self.assertAlmostEqual(outline.height_mm, 10)

    def test_text_is_set_in_its_font_or_named(self):
        here = self.region('<text x="0" y="30" font-family="Pacifico" font-size="20">Dome</text>')
        self.assertGreater(here.ink.area, 5)
        self.assertFalse(here.notes)
        missing = self.region(
            '<rect width="9" height="9"/><text y="30" font-family="Nosuch Face">Dome</text>', name="b.svg"
        )
        self.assertIn("Nosuch Face", missing.notes[0])
        job = added_content(plaque_job(), content_of_file(self.folder / "b.svg"))
        self.assertIn("Nosuch Face", " ".join(check.says for check in checks(job, 1)))

    def test_text_begins_where_it_is_put_on_its_baseline(self):
        # H stands on the baseline, its stem a side bearing away from where the words begin
        left, low, _, high = words_in("HI", "League Spartan", 100.0).region.bounds
        face = load_face(ShippedFace(name="league-spartan"))
        self.assertAlmostEqual(low, 0.0, delta=0.05)
        self.assertAlmostEqual(high, 100 * face.cap_height / face.units_per_em, delta=0.05)
        self.assertTrue(2 < left < 15, left)
        wide = [words_in(words, "League Spartan", 100.0).region.bounds for words in ("H", "HHHHHHHH")]
        self.assertAlmostEqual(wide[0][0], wide[1][0], delta=0.05)

    def test_broken_files_say_what_is_wrong(self):
        for name, data, words in (
            ("cut.svg", b"<svg xmlns='http://www.w3.org/2000/svg'><path d='M0", "not a whole SVG"),
            ("other.svg", b"<html></html>", "not an SVG"),
            ("none.svg", SVG.format(root="", body="").encode(), "draws nothing"),
            ("cut.dxf", b"0\nSECTION\n2\nENT", "cut.dxf"),
            ("cut.pdf", b"%PDF-1.4 and no more", "not a PDF"),
            ("cut.png", b"\x89PNG\r\n\x1a\n and no more", "not a picture"),
            ("odd.xyz", b"", "not a kind of artwork"),
        ):
            with self.assertRaisesRegex(KilnError, words, msg=name):
                content_of_file(self.file(name, data))
        with self.assertRaises(KilnError):
            content_of_file(self.folder / "gone.svg")

    def test_a_curve_is_taken_from_a_drawing(self):
        path = self.svg('<path d="M80 0 C60 40 20 40 0 0" fill="none" stroke="#000"/>')
        curve = curve_of_file(path)
        self.assertAlmostEqual(curve.points[0][0], -20, places=2)
        self.assertLess(curve.points[len(curve.points) // 2][1], 0)


class Pictures(Folder):
    def test_dark_light_and_opaque(self):
        dark = content_of_file(self.png(lambda d: d.rectangle([50, 25, 149, 74], fill=0), dpi=(254, 254)))
        self.assertEqual(dark.ink, "dark")
        outline = outline_of_content(dark)
        self.assertAlmostEqual(outline.width_mm, 10.0, delta=0.05)
        light = content_of_file(
            self.png(lambda d: d.ellipse([80, 30, 119, 69], fill=255), ground=0, name="b.png")
        )
        self.assertEqual(light.ink, "light")
        clear = content_of_file(
            self.png(
                lambda d: d.rectangle([0, 0, 99, 99], fill=(255, 255, 255, 255)),
                mode="RGBA",
                ground=(0, 0, 0, 0),
                name="c.png",
            )
        )
        self.assertEqual(clear.ink, "opaque")
        self.assertEqual(len(outline_of_content(clear).ink.geoms), 1)

    def test_threshold_decides(self):
        def draw(d):
            d.rectangle([20, 20, 79, 79], fill=0)
            d.rectangle([120, 20, 179, 79], fill=150)

        content = content_of_file(self.png(draw))
        for threshold, parts in ((60, 1), (20, 2)):
            outline = outline_of_content(content.model_copy(update={"threshold": float(threshold)}))
            self.assertEqual(len(outline.ink.geoms), parts)

    def test_holes_and_islands_in_them(self):
        def draw(d):
            for k, fill in enumerate((0, 255, 0)):
                d.ellipse([10 + 15 * k, 10 + 15 * k, 189 - 15 * k, 189 - 15 * k], fill=fill)

        outline = outline_of_content(content_of_file(self.png(draw, size=(200, 200))))
        self.assertEqual(sorted(len(part.interiors) for part in outline.ink.geoms), [0, 1])

    def test_colour_artwork_keeps_its_pixels_and_size(self):
        def draw(d):
            d.rectangle([0, 0, 49, 99], fill=(200, 30, 30, 255))
            d.rectangle([50, 0, 149, 99], fill=(30, 30, 200, 255))

        content = content_of_file(self.png(draw, mode="RGBA", ground=(0, 0, 0, 0)))
        picture = picture_of_artwork(content).model_copy(update={"width_mm": 40.0})
        outline = outline_of_content(picture)
        self.assertAlmostEqual(outline.width_mm, 30, delta=0.1)
        raster = outline.layers[0].raster
        self.assertEqual(raster.pixels.shape, (100, 200, 3))
        self.assertGreater(raster.pixels[50, 20, 0], raster.pixels[50, 20, 2])
        job = added_content(mug_job(), picture)
        part = next(part for part in piece_of(job).parts if part.lettering == 1)
        # mm of its pixels from their lower left: the right quarter of the picture is clear
        np.testing.assert_allclose(part.mesh.uv.min(axis=0), (0, 0), atol=0.2)
        np.testing.assert_allclose(part.mesh.uv.max(axis=0), (30, 20), atol=0.2)
        said = {check.key: check for check in checks(job, 1)}
        self.assertIn("127 pixels", said["fineness"].says)
        smaller = said["fineness"].fix.apply(job)
        self.assertNotIn("fineness", [check.key for check in checks(smaller, 1)])
        self.assertIn("fineness", [reading.key for reading in readings(job, 1)])

    def test_a_picture_without_clear_parts_is_printed_as_its_rectangle(self):
        def draw(d):
            d.rectangle([20, 20, 99, 59], fill=(200, 30, 30))

        content = content_of_file(self.png(draw, mode="RGB", ground=(250, 240, 220)))
        picture = picture_of_artwork(content).model_copy(update={"width_mm": 50.0})
        outline = outline_of_content(picture)
        np.testing.assert_allclose(outline.ink.bounds, (-25.0, -12.5, 25.0, 12.5), atol=1e-9)
        self.assertAlmostEqual(outline.ink.area, 1250.0)

    def test_a_picture_too_large_is_refused_before_it_is_read(self):
        with self.assertRaisesRegex(KilnError, "million"):
            wide = Image.new("1", (40_000, 4_000))
            buffer = io.BytesIO()
            wide.save(buffer, "PNG")
            content_of_file(self.file("wide.png", buffer.getvalue()))


class Shapes(unittest.TestCase):
    def test_every_shape_has_the_size_it_says(self):
        for form, size in (
            (Disc(width_mm=30, height_mm=20), (30, 20)),
            (Ring(diameter_mm=50, line_mm=3), (50, 50)),
            (Rule(length_mm=80, line_mm=2), (80, 2)),
            (Rule(length_mm=80, line_mm=2, ends="round"), (80, 2)),
            (Border(width_mm=90, height_mm=50), (90, 50)),
            (Border(width_mm=90, height_mm=50, corners="hollow"), (90, 50)),
            (Border(width_mm=90, height_mm=50, corners="cut"), (90, 50)),
            (Badge(form="oval", width_mm=60, height_mm=40), (60, 40)),
            (Badge(form="shield", width_mm=60, height_mm=70), (60, 70)),
            (Badge(form="scooped", width_mm=60, height_mm=40), (60, 40)),
            (Arrow(length_mm=60, shaft_mm=5, head_mm=18), (60, 18)),
        ):
            outline = outline_of_content(Shape(form=form))
            with self.subTest(form=form):
                self.assertAlmostEqual(outline.width_mm, size[0], delta=0.011)
                self.assertAlmostEqual(outline.height_mm, size[1], delta=0.011)
                self.assertTrue(outline.ink.is_valid)
        ring = outline_of_content(Shape(form=Ring(diameter_mm=50, line_mm=3))).ink
        self.assertAlmostEqual(ring.area, np.pi * (25**2 - 22**2), delta=0.6)
        star = outline_of_content(Shape(form=Star(points=5, diameter_mm=20))).ink
        self.assertEqual(shapely.get_num_coordinates(star) - 1, 10)

    def test_impossible_shapes_are_refused(self):
        for form in (Ring, Border, Arrow):
            with self.assertRaises(KilnError):
                form(**{"line_mm": 500.0} if form is not Arrow else {"shaft_mm": 30.0})


class Making(Folder):
    def test_artwork_and_shapes_make_closed_solids(self):
        body = '<path d="M0 0H40V40H0Z M10 10V30H30V10Z"/><circle cx="60" cy="20" r="12"/>'
        job = added_content(mug_job(), content_of_file(self.svg(body)))
        job = added_content(job, Shape(form=Star(diameter_mm=15)))
        for index in (1, 2):
            job = change(job, ("letterings", index, "craft"), Raised(height_mm=0.7))
        job = change(job, ("letterings", 2, "lay", "along_mm"), 60.0)
        points, faces, _ = solid_of(piece_of(job))
        self.assertGreater(len(faces), 1000)
        self.assertTrue(np.isfinite(points).all())

    def test_a_job_packs_its_artwork(self):
        content = content_of_file(self.svg('<rect width="60" height="20"/>'))
        job = added_content(plaque_job(), content)
        path = self.folder / "job.kcj"
        save_packed(job, path)
        # as on another machine: neither the memory nor the cache knows the file
        held = assets._held.pop(content.sha256)
        kept = assets.cache_folder() / "assets" / content.sha256
        kept.unlink()
        with self.assertRaisesRegex(KilnError, "not in this job any more"):
            assets.asset(content.sha256, "a.svg")
        again = open_job(path)
        self.assertEqual(again, job)
        self.assertEqual(assets.asset(content.sha256), held)

    def test_repeated_round_and_along(self):
        job = change(mug_job("ONE"), ("letterings", 0, "lay", "repeat"), Repeat(times=3))
        laid = lettering_laid(job, 0)
        once = lettering_laid(mug_job("ONE"), 0)
        self.assertAlmostEqual(laid.ink.area, 3 * once.ink.area, places=6)
        self.assertAlmostEqual(laid.width_mm, once.width_mm + 2 / 3 * laid.side.period, places=6)
        filled = change(mug_job("ONE"), ("letterings", 0, "lay", "repeat"), Repeat(fill=True, gap_mm=4))
        count = len(lettering_laid(filled, 0).placing.copies)
        self.assertEqual(count, int(laid.side.period // (once.width_mm + 4)))
        solid_of(piece_of(filled))
        flat = change(plaque_job("I"), ("letterings", 0, "lay", "repeat"), Repeat(times=4, gap_mm=5))
        step = np.diff([copy[1][0] for copy in lettering_laid(flat, 0).placing.copies])
        np.testing.assert_allclose(step, lettering_laid(plaque_job("I"), 0).width_mm + 5)


class Outlines(Folder):
    def test_svg_reads_back_unchanged(self):
        job = plaque_job("Dome 8")
        for order in (OutlineOrder(), OutlineOrder(letters=True)):
            path = self.folder / "flat.svg"
            write_outline(job, path, order)
            back = outline_of_content(content_of_file(path))
            laid = lettering_laid(job, 0)
            self.assertAlmostEqual(back.ink.area, laid.ink.area, places=3)
            self.assertAlmostEqual(back.width_mm, laid.width_mm, places=4)
            self.assertEqual(len(back.ink.geoms), len(laid.ink.geoms))

    def test_dxf_reads_back_unchanged(self):
        job = plaque_job("Dome 8")
        path = self.folder / "flat.dxf"
        write_outline(job, path)
        back = outline_of_content(content_of_file(path))
        laid = lettering_laid(job, 0)
        self.assertAlmostEqual(back.ink.area, laid.ink.area, places=6)
        moved = shapely.transform(
            back.ink, lambda p: p + (np.array(laid.ink.bounds[:2]) - np.array(back.ink.bounds[:2]))
        )
        self.assertLess(shapely.hausdorff_distance(moved, laid.ink), 1e-5)

    def test_letters_and_lines_are_written_as_they_are_made(self):
        # reshaped, repeated, and bent round a cone, letter by letter and as centre lines alike
        job = change(plaque_job("IHI"), ("letterings", 0, "content", "thicken_mm"), 0.4)
        job = change(job, ("letterings", 0, "lay", "repeat"), Repeat(times=2, gap_mm=4))
        path = self.folder / "flat.svg"
        write_outline(job, path, OutlineOrder(letters=True))
        laid = lettering_laid(job, 0)
        back = outline_of_content(content_of_file(path))
        self.assertAlmostEqual(back.ink.area, laid.ink.area, places=3)
        self.assertAlmostEqual(back.width_mm, laid.width_mm, places=4)
        cup = Job(blank=Tumbler(), letterings=(first_lettering(Tumbler(), "IHI"),))
        for name, value in (("drawn", "centre lines"), ("pen_mm", 0.5)):
            cup = change(cup, ("letterings", 0, "content", name), value)
        cup = change(cup, ("letterings", 0, "lay", "cone"), "unrolled")
        laid = lettering_laid(cup, 0)
        path = self.folder / "lines.dxf"
        write_outline(cup, path, OutlineOrder(lines=True))
        lines = outline_of_content(content_of_file(path)).lines
        self.assertEqual(len(lines), len(laid.outline.lines))
        points = np.concatenate(lines)
        # laid as a flat sheet is, it comes off flat as it was; the pen's width is all that the ink has more
        wide = np.ptp(points[:, 0]) + 0.5
        self.assertAlmostEqual(wide, laid.outline.width_mm, delta=0.03)

    def test_refusals(self):
        with self.assertRaisesRegex(KilnError, "end in .svg or .dxf"):
            write_outline(plaque_job(), self.folder / "a.eps")
        with self.assertRaisesRegex(KilnError, "no lettering 7"):
            write_outline(plaque_job(), self.folder / "a.svg", OutlineOrder(index=6))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_what_is_on_other_sides_is_told_and_has_its_own_file(self):
        job = plaque_job("FRONT")
        job = with_lettering(job, first_lettering(job.blank, "BOTH"))
        job = with_lettering(job, first_lettering(job.blank, "HIDDEN"))
        job = with_lettering(job, first_lettering(job.blank, "BACK"))
        for path, value in (
            ((1, "lay", "both"), True),
            ((2, "hidden"), True),
            ((3, "lay", "side"), "back"),
        ):
            job = change(job, ("letterings", *path), value)
        self.assertEqual(outlined_sides(job), ["front", "back"])
        told = {}
        for side in (None, "front", "back"):
            path = self.folder / "sides.svg"
            words = write_outline(job, path, OutlineOrder(side=side))
            held = path.read_text()
            told[side] = (
                words,
                {name for name in ("1 FRONT", "2 BOTH", "3 HIDDEN", "4 BACK") if name in held},
            )
        self.assertEqual(told[None][1], {"1 FRONT", "2 BOTH"})
        self.assertEqual(told["front"][1], {"1 FRONT", "2 BOTH"})
        self.assertEqual(told["back"][1], {"2 BOTH", "4 BACK"})
        self.assertTrue(told[None][0].endswith("front only, without “BOTH” (back), “BACK” (back)"))
        self.assertNotIn("without", told["back"][0])
        with self.assertRaisesRegex(KilnError, "no lettering on the side “lid”; there is on front, back"):
            write_outline(job, self.folder / "a.svg", OutlineOrder(side="lid"))
        save_packed(job, self.folder / "a.kcj")
        called("hand-over", self.folder / "a.kcj", "-o", self.folder / "all", "--only", "outline")
        self.assertEqual(
            sorted(path.name for path in (self.folder / "all").glob("outline*")),
            ["outline-back.dxf", "outline-back.svg", "outline-front.dxf", "outline-front.svg"],
        )


class Values(unittest.TestCase):
    def test_artwork_and_pictures_are_told_apart(self):
        self.assertEqual(Artwork(sha256="0" * 64).kind, "artwork")
        self.assertEqual(Picture(sha256="0" * 64).kind, "picture")


if __name__ == "__main__":
    unittest.main()
