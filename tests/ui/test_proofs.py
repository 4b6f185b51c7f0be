"""Proofs in the window: kept in the strip, taken up, named, put in order; compared; a range tried."""

from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from kilnchisel.core.job.finish import Slate
from kilnchisel.ui.proofs.comparepage import ComparePage
from kilnchisel.ui.proofs.trypage import TryPage
from tests.ui.harness import WindowTest
from tests.waiting import until


def edges(pixels):
    """How much of a picture is edges."""
    grey = pixels.astype(float).mean(axis=2)
    return float((np.abs(np.diff(grey, axis=1)) > 12).mean())


class InTheStrip(WindowTest):
    def setUp(self):
        super().setUp()
        for page in ("comparepage", "trypage"):  # pictures of a third of the size tell as much
            self.enterContext(mock.patch(f"kilnchisel.ui.proofs.{page}.SIZE", (320, 200)))
        self.new("plaque")
        self.settle()
        self.session, self.strip = self.window.session, self.window.proofs

    def wait(self, holds, what):
        until(holds, what, self.app.processEvents)

    def two(self):
        """Two proofs, the second of slate; the job is as the second."""
        self.window.keep_proof()
        self.session.edit(("finish",), Slate())
        self.settle()
        self.window.keep_proof()

    def names(self):
        return [proof.name for proof in self.session.job.proofs]

    def test_kept_taken_up_and_undone(self):
        self.assertTrue(self.strip.isHidden())
        self.two()
        self.assertFalse(self.strip.isHidden())
        self.assertEqual([card.isChecked() for card in self.strip.cards], [False, True])
        self.assertFalse(self.strip.cards[0].icon().isNull())
        self.click(self.strip.cards[0])
        self.assertEqual(self.session.job.finish.kind, "enamel")
        self.assertEqual(self.names(), ["A", "B"])
        self.assertEqual([card.isChecked() for card in self.strip.cards], [True, False])
        self.assertEqual(self.session.history.undo_words, "proof A taken up")
        self.window.undo()
        self.assertEqual(self.session.job.finish.kind, "slate")
        self.window.undo()
        self.assertEqual(self.names(), ["A"])
        self.window.redo()
        with mock.patch("kilnchisel.core.job.proofs.MOST_PROOFS", 1):
            self.strip.keep_wanted.emit()  # the button
        self.assertIn("let go of one first", self.window.hint.text())
        # changed by hand it is as none of them
        self.session.edit(("blank", "width_mm"), 210.0)
        self.assertEqual([card.isChecked() for card in self.strip.cards], [False, False])

    def test_what_differs_is_told_where_the_pointer_rests(self):
        self.two()
        card = self.strip.cards[0]
        with mock.patch("kilnchisel.ui.proofs.strip.QToolTip.showText") as shown:
            QApplication.sendEvent(card, QHelpEvent(QEvent.Type.ToolTip, QPoint(5, 5), QPoint(5, 5)))
        self.assertRegex(shown.call_args[0][1], "^cream enamel instead of .*slate$")
        self.assertEqual(self.strip.words_of(1), "As the job is now")

    def test_named_noted_moved_and_let_go_by_keys_and_menu(self):
        self.two()
        with mock.patch.object(QInputDialog, "getText", return_value=("For the hall", True)):
            QTest.keyClick(self.strip.cards[0], Qt.Key.Key_F2)
        with mock.patch.object(QInputDialog, "getMultiLineText", return_value=("larger?", True)):
            self.strip.cards[0].menu_of().actions()[1].trigger()
        self.assertEqual(self.session.job.proofs[0].note, "larger?")
        self.assertTrue(self.strip.words_of(0).startswith("larger?\n"))
        QTest.keyClick(self.strip.cards[0], Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.names(), ["B", "For the hall"])
        self.strip.cards[1].menu_of().actions()[2].trigger()
        self.assertEqual(self.names(), ["For the hall", "B"])
        with mock.patch.object(QInputDialog, "getText", return_value=("b", True)):
            QTest.keyClick(self.strip.cards[0], Qt.Key.Key_F2)
        self.assertIn("There is a proof “b” already", self.window.hint.text())
        QTest.keyClick(self.strip.cards[0], Qt.Key.Key_Delete)
        self.assertEqual(self.names(), ["B"])
        self.window.undo()
        self.assertEqual(self.names(), ["For the hall", "B"])

    def compare(self):
        page = ComparePage(self.session.job, self.window.theme, self.window)
        self.addCleanup(page.deleteLater)
        self.addCleanup(page.done, 0)
        page.show()
        self.wait(lambda: len(page.pictures) == len(page.chosen), "the pictures")
        return page

    def test_compared_side_by_side_by_a_slider_and_by_turns(self):
        self.two()
        self.session.edit(("blank", "width_mm"), 230.0)
        page = self.compare()
        self.assertEqual([name for name, _ in page.states], ["A", "B", "Now"])
        self.assertIn("width 200 → 230 mm", page.words.text())
        labels = [w for w in page._inner.findChildren(type(page.words)) if w.accessibleName()]
        self.assertEqual([label.accessibleName() for label in labels], ["A", "B", "Now"])
        self.assertTrue(all(not label.pixmap().isNull() for label in labels))
        page.ways.button(1).click()
        self.assertTrue(page.over.isVisible())
        before = self.seen(page.over)
        place = page.over.place()
        QTest.mouseClick(
            page.over, Qt.MouseButton.LeftButton, pos=QPoint(place.left() + 4, place.center().y())
        )
        self.assertLess(page.slider.value(), 30)
        self.assertGreater(int((np.abs(self.seen(page.over) - before) > 20).sum()), 500)
        page.boxes[1].click()
        self.wait(lambda: len(page.pictures) == 2, "the pictures of two")
        page.ways.button(2).click()
        first = page.words.text()
        self.wait(lambda: page.words.text() != first, "the other one's turn")
        page.boxes[0].click()
        self.assertIn("Two to 6 are compared", page.words.text())

    def seen(self, widget):
        image = widget.grab().toImage()
        bits = image.constBits()
        return np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8).astype(int)

    def test_there_is_something_to_compare_or_it_is_said(self):
        self.window.compare_proofs()
        self.assertIn("Keep a proof first", self.window.hint.text())
        self.window.keep_proof()
        self.window.compare_proofs()  # the job is as its only proof
        self.assertIn("Keep a proof first", self.window.hint.text())

    def tried(self, does):
        """The page that tries, opened by the window's command, with something done on it."""

        def exec_(page):
            self.addCleanup(page.deleteLater)
            page.show()
            does(page)
            page.done(0)
            return 0

        with mock.patch.object(TryPage, "exec", exec_):
            self.window.try_range()

    def test_a_range_is_tried_and_one_is_kept_and_one_taken_up(self):
        def does(page):
            page.which.setCurrentIndex([field.words for field in page.fields].index("Depth"))
            page.which.activated.emit(page.which.currentIndex())
            page.values.setText("0.2..1 mm / 3")
            QTest.keyClick(page.values, Qt.Key.Key_Return)
            self.assertEqual(
                [words for words, _ in page.made], ["depth 0.2 mm", "depth 0.6 mm", "depth 1 mm"]
            )
            self.wait(lambda: len(page._pixels) == 3, "the pictures")
            self.assertFalse(page.trials[2].icon().isNull())
            before = page._pixels[2]
            page.close_up.click()
            self.wait(lambda: len(page._pixels) == 3, "the pictures from near")
            self.assertGreater(edges(page._pixels[2]), 1.5 * edges(before))  # letters are larger
            with mock.patch.object(
                QApplication, "keyboardModifiers", return_value=Qt.KeyboardModifier.ControlModifier
            ):
                page.trials[1].click()
            page.values.setText("no depth")
            QTest.keyClick(page.values, Qt.Key.Key_Return)
            self.assertTrue(page.refusal.isVisible())
            page.trials[2].click()

        self.tried(does)
        job = self.session.job
        self.assertEqual(job.letterings[0].craft.depth_mm, 1.0)
        self.assertEqual(self.names(), ["A"])
        self.strip.take(0)
        self.assertEqual(self.session.job.letterings[0].craft.depth_mm, 0.6)
