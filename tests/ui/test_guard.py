"""What goes wrong inside does not end the window, and nobody waits for ever."""

import contextlib
import io
import subprocess
import sys
import threading
import unittest
from unittest import mock

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QDialog, QPushButton

from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import report_of
from kilnchisel.core.intake import gate
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.lettering.content import content_of_file
from kilnchisel.ui.away import Chores, Stopped, away
from kilnchisel.ui.meshes import MeshDialog
from kilnchisel.ui.session import rescues
from tests.ui.harness import WindowTest


class Caught(WindowTest):
    provoked = True

    def setUp(self):
        super().setUp()
        self.new()
        self.enterContext(contextlib.redirect_stderr(io.StringIO()))

    def _in_a_slot(self, error):
        def slot():
            raise error

        QTimer.singleShot(0, slot)

    def test_a_fault_in_a_slot_is_told_with_a_report_and_the_work_is_kept(self):
        self.window.session.edit(("name",), "Kept", "name")
        self._in_a_slot(IndexError("boom"))
        self.wait(lambda: "IndexError" in self.window.picture.notice, "the sentence")
        self.assertFalse(self.window.report_button.isHidden())
        self.window.session.chores.finish()
        with mock.patch("kilnchisel.ui.session._running", return_value=False):
            self.assertEqual([rescue.name for rescue in rescues()], ["Kept"])
        self.click(self.window.report_button)
        report = QApplication.clipboard().text()
        self.assertIn("IndexError: boom", report)
        self.assertIn("Kiln Chisel", report)
        self.assertTrue(self.window.report_button.isHidden())

    def test_a_refusal_in_a_slot_is_a_sentence_only(self):
        self._in_a_slot(KilnError("That is too much."))
        self.wait(lambda: self.window.picture.notice == "That is too much.", "the sentence")
        self.assertTrue(self.window.report_button.isHidden())

    def test_a_fault_in_another_thread_and_in_drawing(self):
        threading.Thread(target=lambda: [][3]).start()
        self.wait(lambda: "IndexError" in self.window.picture.notice, "that of the thread")
        with mock.patch("kilnchisel.core.workshop.bench.scene_of_job", side_effect=ZeroDivisionError("no")):
            self.window.session.edit(("name",), "Other", "name")
            self.wait(lambda: "ZeroDivisionError" in self.window.picture.notice, "that of the draft")
        self.window.picture.tell("")
        self.window.session.edit(("name",), "Third", "name")
        self.wait(lambda: not self.window.picture.notice, "it goes on drawing")

    def test_the_same_fault_is_told_once(self):
        for _ in range(3):
            self._in_a_slot(IndexError("again"))
        self.wait(lambda: self.window.guard.faults and max(self.window.guard.faults.values()) == 3, "three")
        self.assertEqual(len(self.window.guard.faults), 1)

    def test_a_report_names_no_words_of_the_job(self):
        try:
            raise ValueError("x" * 5000)
        except ValueError as error:
            report = report_of(error)
        self.assertLess(len(report), 2000)
        self.assertNotIn(self.window.session.job.letterings[0].content.text, report)

    def test_a_mesh_that_breaks_its_reader_is_told_in_the_dialog(self):
        path = self.folder / "a.stl"
        path.write_bytes(b"solid x")
        with mock.patch("kilnchisel.ui.meshes.mesh_of_file", side_effect=RuntimeError("inside")):
            dialog = MeshDialog(path, self.window)
            self.wait(lambda: dialog.stop.text() == "Close", "the sentence in the dialog")
        self.assertIn("Something went wrong", dialog.words.text())
        dialog.close()

    def test_stop_in_the_mesh_dialog_ends_its_reading(self):
        def reads(path):
            return gate.read("tests.core.test_strangers:hangs", path.name)

        with mock.patch("kilnchisel.ui.meshes.mesh_of_file", reads):
            dialog = MeshDialog(self.folder / "a.stl", self.window)
            self.wait(lambda: gate._busy, "the reading")
            self.click(dialog.stop)
            self.wait(lambda: not gate._busy, "its end")
        self.assertIsNone(dialog.blank)

    def test_return_saves_rather_than_drops(self):
        self.window.session.edit(("name",), "Other", "name")

        def answer():
            dialog = QApplication.activeModalWidget()
            if not isinstance(dialog, QDialog):
                QTimer.singleShot(10, answer)
                return
            buttons = dialog.findChildren(QPushButton)
            self.found = [button.text() for button in buttons if button.isDefault()]
            self.focus = dialog.focusWidget().text()
            dialog.reject()

        QTimer.singleShot(10, answer)
        self.assertEqual(self.window.ask_unsaved(), "stay")
        self.assertEqual((self.found, self.focus), (["Save"], "Save"))


class Beside(WindowTest):
    def test_what_is_waited_for_comes_back_or_raises(self):
        self.assertEqual(away(lambda: 5, "Counting"), 5)
        waiting = threading.Event()
        QTimer.singleShot(60, waiting.set)
        self.assertTrue(away(lambda: waiting.wait(20), "Waiting"))
        with self.assertRaisesRegex(KilnError, "no"):
            away(lambda: (_ for _ in ()).throw(KilnError("no")), "Failing")

    def test_without_an_application_it_is_worked_out_here(self):
        code = (
            "import threading; from kilnchisel.ui.away import AT_ONCE_S, away\n"
            "away(lambda: threading.Event().wait(AT_ONCE_S * 2), 'Waiting')\n"
            "print(away(threading.current_thread, 'Asking').name)"
        )
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
        self.assertEqual((told.stdout, told.stderr), ("MainThread\n", ""))

    def test_it_shows_how_far_a_file_is(self):
        seen = []

        def look():
            dialog = QApplication.activeModalWidget()
            if dialog is not None:
                seen.append((dialog.words.text(), dialog.bar.maximum(), dialog.bar.value()))

        clock = QTimer()
        clock.timeout.connect(look)
        clock.start(50)
        away(lambda: gate.read("tests.core.test_strangers:tells", "x", 12), "Reading x", self.window)
        self.assertTrue(any("step" in words for words, _, _ in seen), seen)
        values = [value for _, most, value in seen if most]
        self.assertGreater(len(set(values)), 2)
        self.assertEqual(values, sorted(values))

    def test_artwork_is_read_beside_the_window(self):
        self.new()
        path = self.folder / "a.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>'
        )
        threads = []

        def reads(given):
            threads.append(threading.current_thread())
            return content_of_file(given)

        with mock.patch("kilnchisel.ui.lettering.content_of_file", reads):
            self.window.put_artwork(path)
        self.assertEqual(len(self.window.session.job.letterings), 2)
        self.assertNotEqual(threads, [threading.main_thread()])

    def test_it_can_be_stopped(self):
        waiting, stopped = threading.Event(), []

        def press():
            dialog = QApplication.activeModalWidget()
            if dialog is None:
                QTimer.singleShot(20, press)
                return
            dialog.findChild(QPushButton).click()

        QTimer.singleShot(20, press)
        with self.assertRaises(Stopped):
            away(lambda: waiting.wait(30), "Waiting", self.window, lambda: stopped.append(True))
        waiting.set()
        self.assertEqual(stopped, [True])

    def test_a_solid_is_made_beside_the_window_and_a_refused_one_told(self):
        self.new()
        path = self.folder / "a.stl"
        self.window.write_mesh(path)
        self.assertGreater(path.stat().st_size, 10_000)
        self.window.write_mesh(self.folder / "a.step")
        self.assertIn(".stl", self.window.picture.notice)

    def test_a_lettering_taken_away_under_the_pointer(self):
        self.new("plaque")
        self.settle()
        middle = (self.window.picture.width() / 2, self.window.picture.height() / 2)
        self.window.session.put(fresh_job("plaque").model_copy(update={"letterings": ()}), "none left")
        from PyQt6.QtCore import QEvent

        self.mouse(QEvent.Type.MouseButtonPress, middle)
        self.mouse(QEvent.Type.MouseMove, (middle[0] + 9, middle[1]))
        self.mouse(QEvent.Type.MouseButtonRelease, middle, False)
        self.mouse(QEvent.Type.MouseButtonDblClick, middle)
        self.assertEqual(self.window.guard.faults, {})


class Order(unittest.TestCase):
    def test_chores_are_done_in_order(self):
        done, chores = [], Chores()
        for number in range(20):
            chores.do(lambda n=number: done.append(n))
        chores.finish()
        self.assertEqual(done, list(range(20)))
