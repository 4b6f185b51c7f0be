"""All rows of a list on one sheet: where they lie by shapely, what a sheet's program cuts against each
plate's own program (both on the simulated router), a page's ink by PDFium, film by the lengths of its
outlines, and the PDF to approve by pikepdf and PDFium."""

import itertools
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2
import shapely

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.plotterfiles import cut_sheets
from kilnchisel.core.handover.printsheet import BLEED_MM, sheets_of
from kilnchisel.core.handover.programs import program_of, written
from kilnchisel.core.job.crafts import Engraved, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.listing import Listing
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import looked_at
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.lists.together import on_one_sheet, together
from kilnchisel.core.shop.machines.router import route
from kilnchisel.core.shop.machines.rs274 import read_program
from kilnchisel.core.shop.paths.flatwork import die_cut, flat_work
from kilnchisel.core.shop.paths.knife import Knife
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.shop.paths.shelves import Bed, bed_written, shelved
from tests.commands import called

CELL = 0.25
NAMES = Names(("name",), (("Oda",), ("Ras Vern",), ("Mun",), ("Pip",)), "")


def plate(craft, wide=60.0, **listing):
    job = fresh_job("plaque", "{name}")
    for path, value in (
        (("blank", "width_mm"), wide),
        (("blank", "height_mm"), 30.0),
        (("blank", "edge_round_mm"), 0.5),
        (("blank", "thickness_mm"), 2.0),
        (("letterings", 0, "content", "cap_height_mm"), 9.0),
        (("letterings", 0, "craft"), craft),
    ):
        job = change(job, path, value)
    return job.model_copy(update={"listing": Listing(**listing)})


def rows_of(job, names=NAMES):
    return [looked_at(job, order)[1] for order in orders_of(job, names, Path())]


class Laid(unittest.TestCase):
    def test_boxes_lie_in_rows_apart_and_within_in_the_order_they_come(self):
        chance = np.random.default_rng(4)
        sizes = [tuple(size) for size in chance.uniform((20, 10), (90, 60), (70, 2)).tolist()]
        for bed in (Bed(300.0, 200.0, 12.0, 5.0), Bed(250.0, None, 8.0, 3.0)):
            spots, used = shelved(sizes, bed)
            read = [
                (spot.sheet, -round(spot.y + size[1], 6), spot.x)
                for spot, size in zip(spots, sizes, strict=True)
            ]
            self.assertEqual(read, sorted(read))
            for sheet, tall in enumerate(used):
                tall = bed.tall_mm or tall
                boxes = [
                    shapely.box(spot.x, spot.y, spot.x + size[0], spot.y + size[1])
                    for spot, size in zip(spots, sizes, strict=True)
                    if spot.sheet == sheet
                ]
                room = shapely.box(
                    bed.margin_mm, bed.margin_mm, bed.wide_mm - bed.margin_mm, tall - bed.margin_mm
                ).buffer(1e-6)
                self.assertTrue(all(room.contains(box) for box in boxes))
                for k, box in enumerate(boxes):
                    near = min((box.distance(other) for other in boxes[k + 1 :]), default=np.inf)
                    self.assertGreater(near, bed.gap_mm - 1e-6)
        self.assertEqual(len(shelved(sizes, Bed(250.0, None, 8.0, 3.0))[1]), 1)

    def test_what_does_not_fit_and_what_is_no_sheet_is_said(self):
        with self.assertRaisesRegex(KilnError, "does not fit on a sheet of 300 mm by 200 mm"):
            shelved([(20, 20), (290, 20)], Bed(300.0, 200.0))
        self.assertEqual(bed_written("330 mm", "5mm", "2mm"), Bed(330.0, None, 5.0, 2.0))
        self.assertAlmostEqual(bed_written("2ft x 1ft").wide_mm, 609.6)
        for words in ("wide", "3mm", "100x", "600x300x2"):
            with self.subTest(words=words), self.assertRaises(KilnError):
                bed_written(words)
        with self.assertRaises(KilnError):
            bed_written("100x60mm", margin="30mm")


class Plates(unittest.TestCase):
    def test_a_sheet_is_cut_as_each_plate_is_by_its_own_program(self):
        how = Routing(flats_mm=(3.0, 1.0), blank=True)
        rows = rows_of(plate(Engraved(floor="flat", depth_mm=0.4)))[:2]
        alone = [written(row, how)[0] for row in rows]
        wide, tall, thick = alone[0].piece.stock
        bed = Bed(2 * wide + 30.0, tall + 20.0)
        corners = [(10.0, 10.0), (10.0 + 4 * round((wide + 10) / 4), 10.0)]
        plates = [(str(k), one.piece) for k, one in enumerate(alone)]
        sheet = on_one_sheet(plates, corners, bed, thick, "sheet 1")
        tools = [operation.tool for operation in sheet.operations]
        changes = sum(a != b for a, b in itertools.pairwise(tools))
        single = [operation.tool for operation in alone[0].piece.operations]
        self.assertEqual(changes, sum(a != b for a, b in itertools.pairwise(single)))
        program = read_program(program_of("t", sheet, how), "t.nc")
        whole = route(program, sheet.stock, cell_mm=CELL).heights.values
        for (x, y), one in zip(corners, alone, strict=True):
            own = route(one.program, one.piece.stock, cell_mm=CELL).heights.values
            row, column = round(y / CELL), round(x / CELL)
            there = whole[row : row + own.shape[0], column : column + own.shape[1]]
            self.assertLess(np.mean(np.abs(there - own) > 0.01), 2e-3)
        self.assertEqual(route(program, sheet.stock, cell_mm=CELL).troubles, [])


class Together(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_labels_are_all_there_at_their_size(self):
        job = plate(Printed(carrier_mm=3.0), kinds=("sheet",))
        bed = Bed(200.0, None, 20.0, 6.0)
        paths, outcomes = together(job, NAMES, Path(), self.folder, bed)
        self.assertEqual([path.name for path in paths], ["labels.pdf", "together.txt"])
        self.assertEqual(len(outcomes), 4)
        opened = pypdfium2.PdfDocument(self.folder / "labels.pdf")
        self.assertEqual(len(opened), 1)
        page = opened[0]
        self.assertAlmostEqual(page.get_width() * 25.4 / 72, 200.0, delta=0.01)
        text = page.get_textpage().get_text_bounded()
        for name in ("1 Oda", "2 Ras Vern", "3 Mun", "4 Pip"):
            self.assertIn(name, text)
        dots = 4.0  # a mm
        drawn = np.asarray(page.render(scale=dots * 25.4 / 72).to_pil().convert("L"))
        area = 0.0
        for row in rows_of(job):
            (sheet,) = sheets_of(row)
            cut = shapely.union_all([die_cut(work) for work in flat_work(row, Printed)])
            area += cut.buffer(BLEED_MM).area
            self.assertGreater(sheet.trim[2] - sheet.trim[0], 10)
        # the page's middle: marks and names apart
        inked = (drawn[:, round(18 * dots) : -round(18 * dots)] < 250).sum() / dots**2
        self.assertAlmostEqual(inked / area, 1.0, delta=0.06)

    def test_film_of_all_rows_is_cut_once_each(self):
        job = plate(Printed(), kinds=("plotter",))
        rows = rows_of(job)
        sheets = [flat_work(row, Printed) for row in rows]
        cut = cut_sheets(sheets, Knife(offset_mm=0.0, overcut_mm=0.0, weeding_mm=0.0, roll_mm=300.0))
        ways = sum(
            length_of(line) for group in cut.groups if group.name != "weeding" for line in group.lines
        )
        wanted = sum(work.region.length for sheet in sheets for work in sheet)
        self.assertAlmostEqual(ways / wanted, 1.0, delta=2e-3)
        paths, _ = together(job, NAMES, Path(), self.folder, Bed(300.0))
        told = (self.folder / "together.txt").read_text()
        self.assertIn("of a roll 300 mm wide", told)
        self.assertEqual({path.suffix for path in paths}, {".plt", ".svg", ".dxf", ".txt"})

    def test_what_cannot_be_laid_is_said_and_a_bad_row_is_left_out(self):
        job = plate(Engraved(floor="flat", depth_mm=0.4), kinds=("router",))
        names = Names(("name", "blank.width_mm"), (("Oda", "60"), ("Ras", "wide"), ("Mun", "70")), "")
        with self.assertRaisesRegex(KilnError, "Plates are cut from sheets"):
            together(job, names, Path(), self.folder, Bed(300.0))
        paths, outcomes = together(job, names, Path(), self.folder, Bed(300.0, 200.0))
        self.assertEqual([path.name for path in paths], ["sheet-1.nc", "together.txt"])
        self.assertEqual([bool(one.refused) for one in outcomes], [False, True, False])
        told = (self.folder / "together.txt").read_text()
        self.assertIn("2 plates", told)
        self.assertIn("row 2 (2 Ras) is left out", told)
        for kinds, words in ((("mesh",), "is not laid together"), (("sheet",), "No row can be made")):
            with self.subTest(kinds=kinds), self.assertRaisesRegex(KilnError, words):
                bad = job.model_copy(update={"listing": Listing(kinds=kinds)})
                together(bad, names, Path(), self.folder / "b", Bed(300.0, 200.0))
        self.assertFalse((self.folder / "b").exists())

    def test_the_pdf_to_approve_has_every_row_and_is_read_aloud(self):
        from kilnchisel.core.handover.packing import save_packed

        path, names = self.folder / "a.kcj", self.folder / "a.csv"
        save_packed(plate(Engraved()), path)
        names.write_text("name,blank.width_mm\nOda,60\nRas,wide\nMun,70\nPip,65\n")
        out = self.folder / "all.pdf"
        code, said, error = called("list", path, names, "-o", out, "--with", "paper=Letter")
        self.assertEqual((code, error), (0, ""))
        self.assertIn("4 rows", said)
        page = pypdfium2.PdfDocument(out)[0]
        text = page.get_textpage().get_text_bounded()
        for words in ("1 Oda", "3 Mun", "4 Pip", "4 rows in the order of the list", "Signature"):
            self.assertIn(words, text)
        with pikepdf.open(out) as opened:
            pictures = list(opened.pages[0].get_images().values())
            self.assertEqual(len(pictures), 3)  # that of row 2 cannot be made
            self.assertTrue(opened.Root.MarkInfo.Marked)
            picture = pikepdf.PdfImage(pictures[0]).as_pil_image()
            self.assertGreater(np.asarray(picture.convert("L")).std(), 5)
        code, _, error = called("list", path, names, "-o", self.folder / "on", "--on", "wide")
        self.assertEqual((code, error.count("\n")), (2, 1))
