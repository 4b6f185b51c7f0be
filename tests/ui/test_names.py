"""A list of names beside the job: laid, checked, looked at, put right, and handed over by the window."""

import json
from pathlib import Path
from unittest import mock

import pikepdf
from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.wording import Wording
from kilnchisel.ui.folder import VALUES
from kilnchisel.ui.memory import remember
from kilnchisel.ui.names.page import APPROVE, EACH, TOGETHER, NamesPage, place_of
from kilnchisel.ui.names.rows import CHECKS, FIT, NAME
from tests.ui.harness import Beside, WindowTest
from tests.waiting import until

PUT = (("letterings.1.lay.across_mm", "3"),)
CREW = Path(__file__).parents[2] / "demo" / "lists" / "crew.csv"
ROWS = "name,duty\nOda Vern,Keeper\nMaximiliana Featherstonehaugh,Dome\nPip,Cook\nѦ Yus,Clerk\n"


class WithAList(WindowTest):
    apart = False  # its rows are checked by processes of their own

    def setUp(self):
        super().setUp()
        # a process more takes longer to start than these few rows; tests/core/test_lists.py has two
        self.enterContext(mock.patch("kilnchisel.ui.names.desk.PROCESSES", 1))
        if not self.apart:
            self.enterContext(mock.patch("kilnchisel.ui.names.page.Aside", Beside))
        self.new("plaque")
        self.window.session.edit(("letterings", 0, "content", "text"), "{name}")
        self.list = self.folder / "few.csv"
        self.list.write_text(ROWS)

    def wait(self, holds, what):
        until(holds, what, self.app.processEvents)

    def page(self, path=None):
        page = NamesPage(self.window.session.job, path or self.list, self.window.theme, self.window)
        self.addCleanup(page.deleteLater)
        self.addCleanup(page.done, 0)
        page.show()
        return page

    def checked(self, page):
        self.wait(lambda: len(page.rows.outcomes) == len(page.rows.order), "all rows checked")
        self.wait(lambda: "to look at" in page.state.text(), "it to be said")

    def cell(self, page, row, column):
        return page.rows.data(page.rows.index(row, column), Qt.ItemDataRole.DisplayRole)

    def head(self, page, column):
        across = Qt.Orientation.Horizontal
        return page.rows.headerData(column, across, Qt.ItemDataRole.DisplayRole)

    def choose(self, page, number):
        page.table.selectRow(page.rows.order.index(number))
        self.wait(lambda: page.by_hand.form.isVisible(), "the row looked at")


class Apart(WithAList):
    apart = True

    def test_rows_are_checked_and_those_to_be_looked_at_come_first(self):
        page = self.page(CREW)
        self.checked(page)
        self.assertIn("40 rows, UTF-8", page.told.text())
        self.assertEqual([self.head(page, column) for column in (NAME, CHECKS)], ["Name", "Checks"])

        def bad():
            return [not page.rows.outcomes[number].good for number in page.rows.order]

        self.wait(lambda: any(bad()) and bad() == sorted(bad(), reverse=True), "them in order")
        self.wait(lambda: page.rows.pictures, "a picture")
        first = page.rows.order[0]
        self.assertIn(page.rows.outcomes[first].warnings[0], self.cell(page, 0, CHECKS))

    def test_what_its_thread_tells_by_outlives_the_page(self):
        """A page may be destroyed while its thread is telling what it heard."""
        page = NamesPage(self.window.session.job, self.list, self.window.theme, self.window)
        checking, ended = page.checking, page.checking.process
        page.done(0)
        sip.delete(page)
        self.assertFalse(sip.isdeleted(checking))
        self.wait(lambda: not ended.runs(), "its process to end")


class Names(WithAList):
    def test_what_is_too_wide_fits_as_it_is_said(self):
        page = self.page()
        self.checked(page)
        page.fit.setCurrentIndex(2)
        page.fit.activated.emit(2)
        self.assertIn("how wide", page.refusal.text())
        page.most.setText("wide")
        page.most.editingFinished.emit()
        self.assertIn("is not a length", page.refusal.text())
        page.most.setText("120 mm")
        page.most.editingFinished.emit()
        self.assertEqual((page.refusal.text(), page.listing.fit, page.listing.most_mm), ("", "rows", 120.0))
        self.checked(page)
        self.assertIn("in two rows", self.cell(page, page.rows.order.index(2), FIT))
        page.called.setText("{surname}")
        page.called.editingFinished.emit()
        self.assertIn("There is no column “surname”", page.refusal.text())
        self.assertFalse(page.buttons[EACH].isEnabled())

    def test_a_row_is_put_right_and_keeps_it(self):
        page = self.page()
        self.checked(page)
        self.choose(page, 2)
        self.assertEqual(page.by_hand.words.toPlainText(), "Maximiliana Featherstonehaugh")
        page.by_hand.words.setPlainText("M. Feather")
        page.by_hand.lengths["cap_height_mm"].setText("nine")
        QTest.mouseClick(page.by_hand.right, Qt.MouseButton.LeftButton)
        self.assertIn("Capitals", page.by_hand.refusal.text())
        page.by_hand.lengths["cap_height_mm"].setText("9 mm")
        QTest.mouseClick(page.by_hand.right, Qt.MouseButton.LeftButton)
        self.wait(lambda: "by hand" in page.by_hand.fitted.text(), "the row as it is now")
        self.assertIn("by hand", self.cell(page, page.rows.order.index(2), FIT))
        (one,) = page.listing.by_hand
        self.assertEqual(one.cells, ("Maximiliana Featherstonehaugh", "Dome"))
        text, cap = dict(one.fields).values()
        self.assertEqual((json.loads(text), float(cap)), ("M. Feather", 9.0))
        self.assertTrue(page.by_hand.back.isVisible())
        QTest.mouseClick(page.by_hand.back, Qt.MouseButton.LeftButton)
        self.wait(lambda: "by hand" not in page.by_hand.fitted.text(), "the row as it is listed")
        self.assertEqual(page.listing.by_hand, ())

    def test_what_was_typed_for_a_row_is_kept_when_it_is_left(self):
        page = self.page()
        self.checked(page)
        self.choose(page, 3)
        page.by_hand.lengths["cap_height_mm"].setText("nine")
        self.choose(page, 2)
        self.assertIn("Row 3: 3 Pip: Capitals: “nine”", page.by_hand.refusal.text())
        page.by_hand.words.setPlainText("M. Feather")
        page.put_right(2, (("letterings.1.lay.along_mm", "1"),))  # it is looked at again while one types
        self.wait(lambda: "by hand" in page.by_hand.fitted.text(), "the row as it is now")
        self.assertEqual(page.by_hand.words.toPlainText(), "M. Feather")
        self.choose(page, 1)
        (one,) = page.listing.by_hand
        self.assertEqual(one.cells[0], "Maximiliana Featherstonehaugh")
        kept = {"letterings.1.lay.along_mm": "1", "letterings.1.content.text": '"M. Feather"'}
        self.assertEqual(dict(one.fields), kept)
        page.by_hand.lengths["along_mm"].setText("2 mm")
        other = self.folder / "other.csv"
        other.write_text("name,duty\nNobody,Cook\n")
        page.take_list(other)
        self.assertEqual([len(one.fields) for one in page.listing.by_hand], [2, 1])
        self.assertEqual((page.by_hand.number, page.by_hand.form.isVisible()), (0, False))
        self.checked(page)
        self.choose(page, 1)
        page.by_hand.words.setPlainText("Someone")
        page.accept()
        self.assertEqual(page.listing.by_hand[-1].cells[0], "Nobody")

    def test_it_is_kept_with_the_job_and_undone(self):
        def exec_(page):
            page.listing = page.listing.put_right(page.names.rows[0], PUT)
            return 0

        with mock.patch.object(NamesPage, "exec", exec_):
            self.drop(self.list)
        listing = self.window.session.job.listing
        self.assertEqual((listing.file, len(listing.by_hand)), ("few.csv", 1))
        path = self.folder / "job.kcj"
        self.window.session.path = path
        self.assertTrue(self.window.save_job())
        self.assertEqual(open_job(path).listing, listing)
        self.window.undo()
        self.assertIsNone(self.window.session.job.listing)
        self.assertEqual(place_of("few.csv"), self.list.resolve())
        self.list.rename(self.folder / "other.csv")
        self.assertEqual((place_of("few.csv"), place_of("other.csv")), (None, None))  # never chosen

    def handed_over(self, what, target, *kinds):
        def exec_(page):
            for action in page.kinds.menu().actions():
                action.setChecked(action.data() in kinds)
            page.wanted = what
            return 1

        remember(VALUES, {"kerf": "0.2mm", "paper": "A3", "scallop": "0.1mm"})  # for other kinds
        with (
            mock.patch.object(NamesPage, "exec", exec_),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")),
            mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(target)),
            mock.patch.object(QInputDialog, "getText", return_value=("600x900mm", True)),
        ):
            self.drop(self.list)
        self.assertIn(f"Written into {target}", self.window.hint.text())

    def test_each_row_into_a_folder_of_its_own(self):
        out = self.folder / "each"
        self.handed_over(EACH, out, "outline")
        self.assertTrue((out / "2 Maximiliana Featherstonehaugh" / "outline.svg").is_file())
        self.assertEqual(len(list(out.glob("*/outline.dxf"))), 4)
        self.assertEqual(self.window.session.job.listing.kinds, ("outline",))

    def test_one_pdf_of_all(self):
        path = self.folder / "all.pdf"
        self.handed_over(APPROVE, path)
        with pikepdf.open(path) as opened:
            self.assertEqual(len(opened.pages), 1)
            wide, tall = (float(opened.pages[0].mediabox[k]) * 25.4 / 72 for k in (2, 3))
        self.assertEqual({round(wide), round(tall)}, {297, 420})  # A3, as it is remembered

    def test_all_together_on_sheets(self):
        self.window.session.edit(("letterings", 0, "craft"), Printed())
        out = self.folder / "sheets"
        self.handed_over(TOGETHER, out, "sheet")
        self.assertTrue((out / "labels.pdf").is_file())
        self.assertIsInstance(self.window.session.job.letterings[0].content, Wording)

    def test_what_cannot_be_read_is_said_and_the_rest_stays(self):
        page = self.page()
        self.checked(page)
        bad = self.folder / "bad.csv"
        bad.write_text("name\n")
        page.take_list(bad)
        self.assertIn("no rows below its header", page.refusal.text())
        self.assertEqual((page.path, len(page.rows.order)), (self.list, 4))
        self.window.session.edit(("letterings", 0, "content", "text"), "Fixed")
        page = self.page()
        self.assertIn("write {name}, {duty} among its words", page.refusal.text())
        self.assertFalse(any(button.isEnabled() for button in page.buttons.values()))
