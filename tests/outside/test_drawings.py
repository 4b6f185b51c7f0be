"""Drawings against other programs' pictures of them: resvg for SVG, PDFium's own renderer for PDF, and
areas by hand for DXF."""

import io
import math
import unittest
from pathlib import Path

import ezdxf
import numpy as np
import pikepdf
import pypdfium2
import resvg_py
import shapely
from PIL import Image
from reportlab.lib.colors import Color, white
from reportlab.pdfbase.pdfmetrics import registerFont
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

import kilnchisel
from kilnchisel.core.lettering.content import words_in
from kilnchisel.core.lettering.drawings.reading import read_drawing
from kilnchisel.core.lettering.reshaping import pen_along
from tests.each import each, spread

PX = 400  # of a side; a drawing is 100 of its units wide and high
EDGE = 0.004  # of all pixels: those that an edge goes through
FONTS = [str(path) for path in (Path(kilnchisel.__file__).parent / "resources").rglob("*.?tf")]

HEAD = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100" {}>{}</svg>'
)
BOX = '<rect x="10" y="10" width="50" height="30" {}/>'
SVGS = {path.stem: path for path in sorted((Path(__file__).parent / "drawings").glob("*.svg"))}


def covered(drawing, step, high):
    """What a drawing covers of a sheet, (PX, PX), its first row above."""
    y, x = np.mgrid[:PX, :PX] + 0.5
    lines = [pen_along(line.points, line.pen) for line in drawing.lines]
    return shapely.contains_xy(shapely.union_all([drawing.region, *lines]), x * step, high - y * step)


@spread
class Svg(unittest.TestCase):
    """Source: resvg 0.48, a renderer of SVG in another language."""

    def read(self, body):
        return read_drawing(HEAD.format("", body).encode(), "svg", "a.svg", 1, words_in)

    def rendered(self, svg):
        out = resvg_py.svg_to_bytes(
            svg_string=svg,
            background="white",
            width=PX,
            height=PX,
            dpi=96,
            skip_system_fonts=True,
            font_files=FONTS,
        )
        return np.asarray(Image.open(io.BytesIO(bytes(out))).convert("RGB")).min(axis=2) < 128

    @each(SVGS)
    def test_as_it_is_rendered(self, name):
        svg = SVGS[name].read_text()
        drawing = read_drawing(svg.encode(), "svg", "a.svg", 1, words_in)
        wanted, found = self.rendered(svg), covered(drawing, 100 / PX, 0.0)
        self.assertGreater(wanted.mean(), 0.005)
        self.assertLess((wanted != found).mean(), EDGE)
        self.assertEqual(drawing.notes, ())

    def test_the_sheet_s_own_shape(self):
        """How a viewBox is brought to a width and a height of another shape."""
        for how in ("", 'preserveAspectRatio="none"', 'preserveAspectRatio="xMaxYMin slice"'):
            svg = HEAD.format(how, '<circle cx="50" cy="50" r="40"/>')
            svg = svg.replace('width="100mm" height="100mm"', 'width="80mm" height="40mm"')
            left, low, right, high = read_drawing(svg.encode(), "svg", "a.svg", 1, words_in).bounds
            out = resvg_py.svg_to_bytes(svg_string=svg, background="white", dpi=96, zoom=2)
            seen = np.asarray(Image.open(io.BytesIO(bytes(out))).convert("L")) < 128
            with self.subTest(how=how):
                wide = np.flatnonzero(seen.any(axis=0))
                self.assertAlmostEqual(right - left, (np.ptp(wide) + 1) * 25.4 / 192, delta=0.3)
                if "slice" not in how:
                    tall = np.flatnonzero(seen.any(axis=1))
                    self.assertAlmostEqual(high - low, (np.ptp(tall) + 1) * 25.4 / 192, delta=0.3)

    def test_a_pen_that_does_not_grow(self):
        # SVG 2, 13.10: as wide as said in px of the screen; a unit is 1 mm here
        pen = 'stroke="#000" stroke-width="4" vector-effect="non-scaling-stroke"'
        (line,) = self.read(f'<g transform="scale(2)"><path d="M5 10H40" {pen}/></g>').lines
        self.assertAlmostEqual(line.pen.width, 4 * 25.4 / 96)

    def test_what_is_not_drawn_as_it_is_is_told(self):
        lower = '<rect x="10" y="60" width="50" height="30"/>'
        grey = '<mask id="m"><rect width="99" height="99" fill="#ccc"/></mask>'
        for body, words in (
            ('<pattern id="p" width=".1" height=".1"/>' + BOX.format('fill="url(#p)"'), "pattern"),
            ('<filter id="f"/>' + BOX.format('filter="url(#f)"'), "shadows"),
            (lower + '<use href="other.svg#a"/>', "another file"),
            (lower + '<image width="9" height="9" href="a.png"/>', "picture inside"),
            (
                lower + '<text font-family="Pacifico"><textPath href="#p">on</textPath></text>',
                "along a path",
            ),
            (lower + "<foreignObject/>", "text box"),
            (grey + BOX.format('mask="url(#m)"'), "soft mask"),
        ):
            with self.subTest(words=words):
                self.assertIn(words, " ".join(self.read(body).notes))

    def test_what_holds_itself_ends(self):
        for body in (
            '<g id="a"><use href="#a"/><rect width="9" height="9"/></g>',
            '<clipPath id="c" clip-path="url(#c)"><rect width="9" height="9"/></clipPath>'
            '<rect width="20" height="20" clip-path="url(#c)"/>',
            '<linearGradient id="g" href="#g"/><rect width="9" height="9"/>',
            '<marker id="m"><path d="M0 0H1" stroke="#000" marker-end="url(#m)"/></marker>'
            '<path d="M0 0H9" stroke="#000" marker-end="url(#m)"/>',
        ):
            self.assertGreater(np.ptp(self.read(body).bounds), 0)


def _clip(c):
    path = c.beginPath()
    path.rect(0, 0, 30, 100)
    c.clipPath(path, stroke=0, fill=0)


def _clipped(c):
    _clip(c)
    c.rect(10, 10, 50, 30, fill=1, stroke=0)


def _clipped_form(c):
    c.beginForm("f")
    _clipped(c)
    c.endForm()
    c.translate(20, 10)
    c.doForm("f")


def _dashed(c):
    c.setDash(10, 6)
    c.setLineWidth(4)
    c.line(10, 50, 90, 50)
    c.rect(20, 60, 50, 30, fill=0, stroke=1)


def _clear(c):
    c.setFillAlpha(0)
    c.rect(10, 10, 50, 30, fill=1, stroke=0)
    c.setFillAlpha(1)
    c.rect(10, 60, 50, 30, fill=1, stroke=0)


def _running(c):
    path = c.beginPath()
    path.circle(50, 50, 30)
    c.clipPath(path, stroke=0, fill=0)
    c.linearGradient(0, 0, 100, 0, (Color(0.4, 0, 0), Color(0, 0, 0.4)))


def _stretched(c):
    c.scale(2, 0.5)
    c.setLineWidth(8)
    c.rect(5, 20, 30, 100, fill=0, stroke=1)


def _paper(c):
    c.rect(10, 10, 80, 80, fill=1, stroke=0)
    c.setFillColor(white)
    c.circle(50, 50, 20, fill=1, stroke=0)
    c.setFillColorCMYK(0, 0, 0, 0)
    c.circle(20, 20, 8, fill=1, stroke=0)


def _forms_in_forms(c):
    c.beginForm("a")
    c.rect(0, 0, 20, 10, fill=1, stroke=0)
    c.endForm()
    c.beginForm("b")
    c.translate(10, 10)
    c.doForm("a")
    c.endForm()
    c.translate(20, 20)
    c.scale(2, 2)
    c.doForm("b")


def _words(c):
    c.setFont("Own", 20)
    c.drawString(5, 20, "Dome 8")
    c.rotate(20)
    c.setFont("Own", 14)
    c.drawString(20, 40, "\u00e4 & \u00d8")


def _words_in_a_form(c):
    c.beginForm("f")
    c.setFont("Own", 14)
    c.drawString(2, 2, "Tarn")
    c.endForm()
    c.translate(20, 30)
    c.rotate(20)
    c.scale(1.5, 1)
    c.doForm("f")


def _words_clipped(c):
    _clip(c)
    c.setFont("Own", 30)
    c.drawString(5, 50, "Tarn")


def _words_of_paper(c):
    c.rect(10, 30, 80, 60, fill=1, stroke=0)
    c.setFillColor(white)
    c.setFont("Own", 24)
    c.drawString(15, 50, "Tarn")


def _words_squeezed(c):
    text = c.beginText(5, 50)
    text.setFont("Own", 20)
    text.setHorizScale(60)
    text.setCharSpace(3)
    text.setRise(5)
    text.textOut("TARN 8")
    c.drawText(text)


def _words_that_are_not_seen(c):
    c.rect(60, 60, 20, 20, fill=1, stroke=0)
    text = c.beginText(5, 20)
    text.setFont("Own", 20)
    text.setTextRenderMode(3)
    text.textOut("TARN 8")
    c.drawText(text)


PDFS = {
    "words": _words,
    "words in a form": _words_in_a_form,
    "words clipped": _words_clipped,
    "words of paper": _words_of_paper,
    "words squeezed": _words_squeezed,
    "words not seen": _words_that_are_not_seen,
    "clip": _clipped,
    "clip of a form": _clipped_form,
    "dashes": _dashed,
    "clear": _clear,
    "colours that run": _running,
    "pen that is stretched": _stretched,
    "paper": _paper,
    "forms in forms": _forms_in_forms,
}


@spread
class Pdf(unittest.TestCase):
    """Source: the library's own picture of the page; what is read of it is its objects."""

    @classmethod
    def setUpClass(cls):
        registerFont(TTFont("Own", next(path for path in FONTS if path.endswith("Pacifico-Regular.ttf"))))

    def made(self, draw):
        buffer = io.BytesIO()
        canvas = Canvas(buffer, pagesize=(100, 100))
        draw(canvas)
        canvas.showPage()
        canvas.save()
        return buffer.getvalue()

    def compare(self, data, *, turned=False):
        page = pypdfium2.PdfDocument(data)[0]
        wanted = page.render(scale=PX / 100).to_numpy()[..., :3].min(axis=2) < 128
        point = 25.4 / 72
        drawing = read_drawing(data, "pdf", "a.pdf", 1, words_in)
        high = 0.0 if turned else 100 * point  # a quarter clockwise the sheet lies below its corner
        self.assertGreater(wanted.mean(), 0.005)
        self.assertLess((wanted != covered(drawing, 100 * point / PX, high)).mean(), EDGE)
        return drawing

    @each(PDFS)
    def test_as_it_is_rendered(self, name):
        self.assertEqual(self.compare(self.made(PDFS[name])).notes, ())

    def test_words_whose_letters_are_not_known_are_left_out_and_told(self):
        def lines(c):
            _clear(c)
            text = c.beginText(5, 20)
            text.setFont("Own", 30)
            text.setTextRenderMode(1)
            text.textOut("TARN")
            c.drawText(text)

        drawing = read_drawing(self.made(lines), "pdf", "a.pdf", 1, words_in)
        self.assertEqual(len(drawing.region.geoms), 1)
        self.assertIn("letters' outlines are left out", drawing.notes[0])

    def test_a_face_that_stands_in_is_told(self):
        def draw(c):
            c.setFont("Helvetica", 20)
            c.drawString(5, 50, "TARN")

        self.assertIn("does not hold Helvetica", self.compare(self.made(draw)).notes[0])

    def changed(self, data, change):
        with pikepdf.open(io.BytesIO(data)) as document:
            change(document)
            buffer = io.BytesIO()
            document.save(buffer)
        return buffer.getvalue()

    def test_a_page_that_is_turned(self):
        def turn(document):
            document.pages[0].Rotate = 90

        self.compare(self.changed(self.made(_clipped), turn), turned=True)

    def test_layers_that_are_off_are_left_out_and_named(self):
        def layered(document):
            off, on = (
                document.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name=name))
                for name in ("Guides", "Letters")
            )
            page = document.pages[0]
            page.Resources.Properties = pikepdf.Dictionary(MC0=off, MC1=on)
            page.Contents = document.make_stream(
                b"/OC /MC0 BDC 10 10 20 20 re f EMC /OC /MC1 BDC 50 50 20 20 re f EMC"
            )
            document.Root.OCProperties = pikepdf.Dictionary(
                OCGs=[off, on], D=pikepdf.Dictionary(OFF=[off], ON=[on], Order=[off, on])
            )

        drawing = self.compare(self.changed(self.made(_clipped), layered))
        self.assertEqual(drawing.notes, ("Layers that are not shown are left out: Guides.",))


SQUARE = ((0, 0), (10, 0), (10, 10), (0, 10))


def _hatched(d, m):
    m.add_lwpolyline(SQUARE, close=True)
    m.add_hatch(color=1).paths.add_polyline_path(SQUARE, is_closed=True)


def _hatched_with_a_hole(d, m):
    hatch = m.add_hatch(color=1)
    hatch.paths.add_polyline_path(SQUARE, is_closed=True)
    hatch.paths.add_polyline_path(((3, 3), (7, 3), (7, 7), (3, 7)), is_closed=True, flags=16)


def _hatched_twice(d, m):
    for _ in range(2):
        m.add_hatch(color=1).paths.add_polyline_path(SQUARE, is_closed=True)


def _circle_twice(d, m):
    m.add_circle((0, 0), 5)
    m.add_circle((0, 0), 5)


def _lines_twice(d, m):
    for _ in range(2):
        for a, b in zip(SQUARE, SQUARE[1:] + SQUARE[:1], strict=True):
            m.add_line(a, b)


def _outline_there_and_back(d, m):
    m.add_lwpolyline(SQUARE, close=True)
    m.add_lwpolyline((SQUARE[2], SQUARE[1], SQUARE[0], SQUARE[3]), close=True)


def _hidden(d, m):
    d.layers.add("Off").off()
    d.layers.add("Frozen").freeze()
    m.add_circle((0, 0), 5)
    for number, layer in enumerate(("Off", "Frozen")):
        m.add_circle((50 + number, 0), 5, dxfattribs={"layer": layer})
    m.add_circle((90, 0), 5, dxfattribs={"invisible": 1})
    block = d.blocks.new("B")
    block.add_circle((0, 0), 9)
    m.add_blockref("B", (0, 0), dxfattribs={"layer": "Off"})


def _rows_of_a_block(d, m):
    d.blocks.new("B").add_circle((0, 0), 2)
    rows = {"column_count": 3, "row_count": 2, "column_spacing": 10, "row_spacing": 10}
    m.add_blockref("B", (0, 0), dxfattribs=rows)


def _ring(d, m):
    m.add_circle((0, 0), 10)
    m.add_circle((0, 0), 5)


DXFS = {
    "hatched": (_hatched, 100.0),
    "hatched with a hole": (_hatched_with_a_hole, 84.0),
    "hatched twice": (_hatched_twice, 100.0),
    "circle twice": (_circle_twice, 25 * math.pi),
    "lines twice": (_lines_twice, 100.0),
    "outline there and back": (_outline_there_and_back, 100.0),
    "hidden": (_hidden, 25 * math.pi),
    "rows of a block": (_rows_of_a_block, 6 * 4 * math.pi),
    "ring": (_ring, 75 * math.pi),
}


@spread
class Dxf(unittest.TestCase):
    """Source: areas by hand."""

    def read(self, draw):
        document = ezdxf.new("R2010", units=4)
        draw(document, document.modelspace())
        buffer = io.StringIO()
        document.write(buffer)
        return read_drawing(buffer.getvalue().encode(), "dxf", "a.dxf", 1, words_in)

    @each(DXFS)
    def test_as_large_as_it_is(self, name):
        draw, area = DXFS[name]
        drawing = self.read(draw)
        self.assertAlmostEqual(drawing.region.area / area, 1.0, delta=2e-3)
        self.assertEqual(drawing.lines, ())
        told = ("Layers that are off or frozen are left out: Frozen, Off.",) if name == "hidden" else ()
        self.assertEqual(drawing.notes, told)

    def test_ends_that_hardly_miss_each_other_meet_and_others_do_not(self):
        for gap, lines in ((0.0, 0), (0.001, 0), (0.02, 4)):

            def draw(d, m, gap=gap):
                for a, b in zip(SQUARE, SQUARE[1:] + SQUARE[:1], strict=True):
                    m.add_line(a, (b[0], b[1] + gap))

            drawing = self.read(draw)
            with self.subTest(gap=gap):
                self.assertEqual(len(drawing.lines), lines)
                self.assertAlmostEqual(drawing.region.area, 0.0 if lines else 100.0, delta=0.05)
                told = ("Ends of lines that hardly miss each other are joined.",) if gap == 0.001 else ()
                self.assertEqual(drawing.notes, told)

    def test_wide_polylines_keep_their_width(self):
        def draw(d, m):
            m.add_lwpolyline([(0, 0, 2, 2), (50, 0, 2, 2)], format="xyse")
            m.add_lwpolyline(SQUARE, close=True, dxfattribs={"const_width": 1})

        drawing = self.read(draw)
        (line,) = drawing.lines
        self.assertEqual(line.pen.width, 2.0)
        self.assertAlmostEqual(drawing.region.area, 11**2 - 9**2)

    def test_words_stand_by_their_point(self):
        for how, put, middle in (
            ({"halign": 1, "align_point": (50, 0)}, (0, 0), 50.0),
            ({"halign": 2, "align_point": (50, 0)}, (0, 0), None),
            ({}, (50, 0), None),
        ):

            def draw(d, m, how=how, put=put):
                d.styles.new("S", dxfattribs={"font": "Pacifico"})
                m.add_text("TARN", height=10, dxfattribs={"style": "S", "insert": put, **how})

            left, low, right, high = self.read(draw).bounds
            with self.subTest(how=how):
                self.assertAlmostEqual(high - max(low, 0.0), 10.0, delta=2.5)
                near = (left + right) / 2 if middle else right if how else left
                self.assertAlmostEqual(near, 50.0, delta=2.5)

        def block(d, m):
            d.styles.new("S", dxfattribs={"font": "Pacifico"})
            how = {"style": "S", "char_height": 10, "attachment_point": 5, "insert": (30, 20)}
            m.add_mtext("TARN", dxfattribs=how)

        left, low, right, high = self.read(block).bounds
        np.testing.assert_allclose([(left + right) / 2, (low + high) / 2], [30, 20], atol=1.5)


if __name__ == "__main__":
    unittest.main()
