"""Paper: PDF read and drawn by other libraries (pikepdf; PDFium), its sizes measured, its structure
asked."""

import io
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pikepdf
import pypdfium2
import shapely
from PIL import Image

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.paper.dimensions import Dimension, drawn, placed
from kilnchisel.core.handover.paper.marks import (
    Area,
    Block,
    Drawing,
    Line,
    Page,
    Spot,
    Words,
    circle,
    rectangle,
)
from kilnchisel.core.handover.paper.pdf import pdf_of, width_of
from kilnchisel.core.handover.paper.sheets import PAPERS, Sheets, broken, paper_named
from kilnchisel.core.handover.paper.tiles import tiled, whole
from kilnchisel.core.handover.proof import proof_bytes
from kilnchisel.core.handover.sideviews import side_views
from kilnchisel.core.job.boards import Board
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job, job_on

MM_A_POINT = 25.4 / 72
GREY = np.full((40, 64, 3), 128, np.uint8)


def drawn_by_another(data, page=0, dots_an_inch=600):
    """A page as PDFium draws it, grey (h, w), and mm a pixel."""
    made = pypdfium2.PdfDocument(data)[page].render(scale=dots_an_inch / 72, grayscale=True)
    return np.asarray(made.to_pil().convert("L")), 25.4 / dots_an_inch


def words_of(data):
    return "\n".join(page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(data))


class Sizes(unittest.TestCase):
    def test_a_hundred_mm_are_a_hundred(self):
        drawing = Drawing()
        drawing.add("x", Line(np.array([[0.0, 0.0], [500.0, 330.0]]), 0.2))
        for name in ("A4", "Letter"):
            data = pdf_of("x", tiled(drawing, PAPERS[name], "x"))
            dark, mm = drawn_by_another(data)
            low = dark[-round(25 / mm) : -round(8 / mm)]  # the foot of the page
            row = low[int(np.argmin(low.mean(axis=1)))] < 128
            ink = np.flatnonzero(row)
            # the line's round ends are half its width of 0.25 mm longer on both sides
            self.assertAlmostEqual((ink[-1] - ink[0] + 1) * mm, 100.25, delta=0.1)

    def test_what_is_drawn_is_on_its_pages_once_and_true_to_size(self):
        drawing = Drawing()
        drawing.add("x", Area((rectangle(0, 0, 420, 250),), "#000000"))
        pages = tiled(drawing, PAPERS["A4"], "x")
        inked = 0.0
        for page in pages:
            area = [m for block in page.blocks for m in block.marks if isinstance(m, Area)]
            inked += sum(shapely.Polygon(ring).area for mark in area for ring in mark.rings)
        self.assertGreater(inked, 420 * 250)  # and the overlaps twice
        one = whole(drawing, "x")
        dark, mm = drawn_by_another(pdf_of("x", [one]), dots_an_inch=150)
        self.assertAlmostEqual((dark < 60).sum() * mm * mm, 420 * 250, delta=0.004 * 420 * 250)

    def test_papers_are_those_of_the_standards(self):
        # ISO 216; ANSI/ASME Y14.1 for A size, 8.5 by 11 in
        self.assertEqual((PAPERS["A4"].wide_mm, PAPERS["A4"].tall_mm), (210, 297))
        self.assertEqual((PAPERS["A3"].wide_mm, PAPERS["A3"].tall_mm), (297, 420))
        self.assertAlmostEqual(PAPERS["Letter"].wide_mm, 8.5 * 25.4)
        self.assertAlmostEqual(PAPERS["Letter"].tall_mm, 11 * 25.4)
        self.assertIs(paper_named(" a3 "), PAPERS["A3"])
        with self.assertRaisesRegex(KilnError, "“B5” is no paper here"):
            paper_named("B5")

    def test_more_pages_than_anyone_would_print_are_refused(self):
        drawing = Drawing()
        drawing.add("x", Line(np.array([[0.0, 0.0], [9000.0, 4000.0]])))
        with self.assertRaisesRegex(KilnError, "takes .* pages; choose a larger paper"):
            tiled(drawing, PAPERS["A4"], "x")


class Structure(unittest.TestCase):
    def setUp(self):
        marks = (Words((20, 250), "Wörter, real ones", 4.0, bold=True),)
        figure = Block(
            "Figure", (Area((circle((60, 100), 20),), Spot("Cut line", "#b5502b")),), said="A disc."
        )
        page = Page(210, 297, (Block("H1", marks), figure, Block("", (Line(np.array([[0, 0], [9, 9]])),))))
        trimmed = Page(300, 200, (), trim=(20.0, 30.0, 280.0, 170.0), bleed_mm=3.0)
        self.data = pdf_of("A title", [page, trimmed])
        self.pdf = self.enterContext(pikepdf.open(io.BytesIO(self.data)))

    def test_it_is_tagged_and_has_words_that_can_be_found(self):
        # ISO 32000-1, 14.7: the tree of structure, and for each page whose its marked contents are
        root = self.pdf.Root
        self.assertTrue(root.MarkInfo.Marked)
        self.assertEqual(str(root.Lang), "en")
        document = root.StructTreeRoot.K[0]
        kinds = [str(element.S) for element in document.K]
        self.assertEqual(kinds, ["/H1", "/Figure"])
        self.assertEqual(str(document.K[1].Alt), "A disc.")
        owners = root.StructTreeRoot.ParentTree.Nums[1]
        self.assertEqual([str(one.S) for one in owners], kinds)
        self.assertIn("Wörter, real ones", words_of(self.data))
        self.assertEqual(str(self.pdf.docinfo.Title), "A title")

    def test_boxes_are_where_it_is_trimmed_and_bleeds(self):
        page = self.pdf.pages[1]
        trim, bleed = ([float(v) * MM_A_POINT for v in box] for box in (page.TrimBox, page.BleedBox))
        np.testing.assert_allclose(trim, [20, 30, 280, 170], atol=0.001)
        np.testing.assert_allclose(bleed, [17, 27, 283, 173], atol=0.001)

    def test_typefaces_are_embedded_and_named_colours_have_their_plate(self):
        resources = self.pdf.pages[0].Resources
        for font in resources.Font.values():
            name = str(font.BaseFont)
            if "Commissioner" in name:
                self.assertIn("/FontFile2", font.FontDescriptor.keys())
                self.assertIn("/ToUnicode", font.keys())
        spaces = [space for space in resources.ColorSpace.values() if str(space[0]) == "/Separation"]
        self.assertEqual([str(space[1]) for space in spaces], ["/Cut line"])

    def test_the_same_pages_are_the_same_bytes(self):
        page = Page(100, 100, (Block("P", (Words((9, 9), "again"),)),))
        self.assertEqual(pdf_of("x", [page]), pdf_of("x", [page]))

    def test_words_that_the_typeface_lacks_are_drawn_and_said(self):
        block = Block("P", (Words((10, 50), "שלום", 6.0),))
        data = pdf_of("x", [Page(80, 80, (block,))])
        dark, mm = drawn_by_another(data, dots_an_inch=150)
        wide = np.ptp(np.flatnonzero((dark < 128).any(axis=0))) * mm
        self.assertAlmostEqual(wide, width_of("שלום", 6.0), delta=0.5)
        with pikepdf.open(io.BytesIO(data)) as pdf:
            self.assertEqual(str(pdf.Root.StructTreeRoot.K[0].K[0].Alt), "שלום")


class Columns(unittest.TestCase):
    def test_lines_are_broken_where_they_fit_and_nothing_is_lost(self):
        text = "one line of words and ADONAUDAMPFSCHIFFAHRTSGESELLSCHAFTSKAPITAENSMUETZE that is too long"
        lines = broken(text, 40, 3.2)
        self.assertTrue(all(width_of(line, 3.2) <= 40 for line in lines))
        self.assertEqual("".join(lines).replace(" ", ""), text.replace(" ", ""))

    def test_a_table_goes_on_with_its_heads_on_the_next_page(self):
        sheets = Sheets(PAPERS["A4"], "foot")
        rows = [(str(k), f"row {k}") for k in range(120)]
        sheets.table(("No.", "What"), rows, (1, 4))
        data = pdf_of("x", sheets.done())
        told = words_of(data)
        pages = len(pypdfium2.PdfDocument(data))
        self.assertGreater(pages, 1)
        self.assertEqual(told.count("No."), pages)
        for k in range(120):
            self.assertIn(f"row {k}", told)
        for number, page in enumerate(sheets.pages, start=1):
            for block in page.blocks:
                low = min((m.at[1] for m in block.marks if isinstance(m, Words)), default=99)
                self.assertGreaterEqual(low, 11.9, number)


class Measures(unittest.TestCase):
    """Dimension lines find places of their own."""

    def test_none_crosses_another(self):
        box = (0.0, 0.0, 160.0, 100.0)
        spans = ((0, 160), (20, 140), (0, 20), (45, 110), (0, 45), (60, 70))
        asked = [Dimension("across", a, b, (40.0, 40.0), f"{b - a:g}") for a, b in spans]
        asked += [
            Dimension("up", a, b, (30.0, 30.0), f"{b - a:g}") for a, b in ((0, 100), (30, 60), (0, 30))
        ]
        places = placed(asked, box)
        self.assertEqual(len(places), len(asked))
        lines = [
            shapely.LineString(mark.points)
            for mark in drawn(places, box)
            if isinstance(mark, Line) and not mark.dash
        ]
        inside = shapely.box(*box)
        for k, one in enumerate(lines):
            for other in lines[:k]:
                spot = shapely.intersection(one, other)
                if not spot.is_empty and not inside.intersects(spot):
                    self.assertTrue(
                        one.touches(other) or spot.length > 0 or _at_an_end(spot, one, other), spot
                    )

    def test_equal_ones_are_there_once_and_the_shorter_nearer(self):
        asked = [Dimension("across", 0, 90, (0, 0), "90")] * 2 + [Dimension("across", 30, 60, (0, 0), "30")]
        places = {p.dimension.figure: p for p in placed(asked, (0, 0, 90, 50))}
        self.assertEqual(len(places), 2)
        self.assertLess(places["30"].level, places["90"].level)


def _at_an_end(spot, one, other):
    """Whether two lines meet where an extension line passes its own dimension line by its overhang."""
    ends = [shapely.Point(p) for line in (one, other) for p in line.coords]
    return min(shapely.distance(spot, end) for end in ends) < 4.3


class Proofs(unittest.TestCase):
    def test_a_proof_says_what_is_made_and_of_which_size(self):
        job = job_on(Board(width_mm=760, height_mm=480), "Trail sign", "TARN PATH")
        head = Letterhead("Fenwick & Daughters\n4 Quarry Lane", revision="C", date="2026-11-28")
        told = words_of(proof_bytes(job, GREY, head, PAPERS["A4"]))
        for words in ("Fenwick & Daughters", "4 Quarry Lane", "Revision C", "2026-11-28", "Trail sign"):
            self.assertIn(words, told)
        for words in ("760", "480", "TARN PATH", "Signature", "Make it as shown", "sRGB #"):
            self.assertIn(words, told)

    def test_what_a_check_warns_of_is_in_it_and_what_is_hidden_is_not(self):
        job = change(fresh_job("plaque", "MUCH TOO LONG FOR A PLATE"), ("name",), "x")
        told = words_of(proof_bytes(job, GREY, Letterhead(), PAPERS["Letter"]))
        self.assertNotIn("Nothing is warned of", told)
        hidden = change(job, ("letterings", 0, "hidden"), True)
        told = words_of(proof_bytes(hidden, GREY, Letterhead(), PAPERS["Letter"]))
        self.assertNotIn("MUCH TOO LONG", told)

    def test_the_whole_board_is_measured_with_its_rounded_edge(self):
        job = job_on(Board(width_mm=760, height_mm=480, dome_mm=34), "x", "A")
        (view,) = side_views(job)
        figures = {(d.axis, d.figure) for d in view.dimensions}
        self.assertIn(("across", "760"), figures)
        self.assertIn(("up", "480"), figures)

    def test_lengths_on_a_cone_are_those_of_its_surface(self):
        # a cone's sheet is true at one height only: elsewhere by the radius there (elementary geometry)
        job = change(fresh_job("tumbler", "OAK"), ("letterings", 0, "lay", "across_mm"), 45.0)
        (view,) = side_views(job)
        laid = lettering_laid(job, 0)
        left, low, right, high = laid.ink.bounds
        radius = laid.side.profile.at(np.array([(low + high) / 2, laid.side.domain.bounds[1]]))[0]
        wide = (right - left) / laid.side.reference_mm * radius[0]
        self.assertGreater(wide / (right - left), 1.08)
        figures = {(d.axis, float(d.figure)) for d in view.dimensions}
        self.assertIn(("across", round(wide, 1)), figures)
        self.assertIn(("across", round(2 * np.pi * radius[1], 1)), figures)
        self.assertIn(("up", round(laid.outline.cap_height_mm, 1)), figures)

    def test_a_logo_is_shown_and_a_broken_one_refused(self):
        folder = Path(self.enterContext(TemporaryDirectory()))
        Image.new("RGBA", (300, 100), (200, 30, 30, 255)).save(folder / "logo.png")
        (folder / "broken.png").write_bytes(b"\x89PNG no picture")
        Letterhead(logo=folder / "logo.png").checked()
        with self.assertRaisesRegex(KilnError, "broken.png is not a picture that can be read"):
            Letterhead(logo=folder / "broken.png").checked()
        with self.assertRaisesRegex(KilnError, "too long"):
            Letterhead(revision="A" * 30).checked()
        job = fresh_job("plaque", "A")
        with_logo = proof_bytes(job, GREY, Letterhead("Us", folder / "logo.png"), PAPERS["A4"])
        with pikepdf.open(io.BytesIO(with_logo)) as pdf:
            pictures = [image for page in pdf.pages for image in page.images.values()]
        self.assertEqual(len(pictures), 2)


if __name__ == "__main__":
    unittest.main()
