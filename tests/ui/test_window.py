import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from unittest import mock

from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QDialog, QLabel, QLineEdit, QPlainTextEdit

from kilnchisel.core.job.file import open_job, read_preview, save_job
from kilnchisel.core.job.wording import ShippedFace
from kilnchisel.core.lettering.faces import face_path
from kilnchisel.ui.commands import COMMANDS, GESTURES
from kilnchisel.ui.keyspage import AboutPage, KeysPage
from kilnchisel.ui.memory import recall, recent_jobs
from kilnchisel.ui.session import keep_copy, rescues
from kilnchisel.ui.start import shown
from kilnchisel.ui.startpage import DemoJob
from kilnchisel.ui.targets import with_ending
from kilnchisel.ui.window import Window
from tests.samples import mug_job
from tests.ui.harness import WindowTest, inside


class Files(WindowTest):
    def test_save_open_and_recent(self):
        self.new()
        self.settle()
        path = self.folder / "mine.kcj"
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getSaveFileName", return_value=(str(path), "")):
            QTest.keyClick(self.window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(open_job(path), self.window.session.job)
        self.assertIsNotNone(read_preview(path))
        self.assertFalse(self.window.session.unsaved)
        self.assertIn("saved", self.window.saved.text())
        self.assertEqual(recent_jobs(), [path])
        self.window.session.edit(("name",), "Changed")
        self.assertTrue(self.window.session.unsaved)
        self.assertTrue(self.window.save_job())
        self.assertEqual(open_job(path).name, "Changed")

    def test_a_name_without_ending_gets_one(self):
        self.new()
        with mock.patch(
            "PyQt6.QtWidgets.QFileDialog.getSaveFileName", return_value=(str(self.folder / "x"), "")
        ):
            self.window.save_job_as()
        self.assertTrue((self.folder / "x.kcj").is_file())

    def save_as(self, *names):
        """Save under the first name; where that is refused, the next one is typed."""
        choose = mock.Mock(side_effect=[(str(self.folder / name) if name else "", "") for name in names])
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getSaveFileName", choose):
            return self.window.save_job_as()

    def test_what_gets_its_ending_from_the_program_is_written_over_by_leave_only(self):
        """The dialog asks about the name as it was typed, without the ending."""
        self.new()
        kept = self.folder / "x.kcj"
        kept.write_bytes(b"somebody's work")
        with mock.patch("kilnchisel.ui.targets.written_over", return_value=False) as asked:
            self.assertFalse(self.save_as("x", ""))
            self.assertEqual(kept.read_bytes(), b"somebody's work")
            self.assertTrue(self.save_as("x", "y"))
        self.assertEqual([call.args[1] for call in asked.call_args_list], [kept, kept])
        self.assertTrue((self.folder / "y.kcj").is_file())
        with mock.patch("kilnchisel.ui.targets.QDialog.exec", lambda dialog: dialog.accept() or 1):
            self.assertTrue(self.save_as("x"))
        self.assertEqual(open_job(kept), self.window.session.job)
        self.assertTrue(self.save_as("x.kcj"))  # the dialog has asked

    def test_a_name_with_a_number_in_it_gets_its_ending(self):
        self.new()
        self.assertTrue(self.save_as("Ring v1.2"))
        self.assertTrue((self.folder / "Ring v1.2.kcj").is_file())
        for name, endings, chosen, ending in (
            ("neon 4.5 mm", (".svg", ".dxf"), "DXF (*.dxf)", ".dxf"),
            ("neon", (".mp4", ".gif"), "", ".mp4"),
            ("neon.", (".mp4", ".gif"), "", "mp4"),
            ("neon.GIF", (".mp4", ".gif"), "", ""),
            ("neon.bmp", (".mp4", ".gif"), "", ""),  # what writes it says what it knows
        ):
            self.assertEqual(with_ending(Path(name), endings, chosen).name, name + ending)

    def test_a_broken_file_leaves_the_open_job(self):
        self.new()
        job = self.window.session.job
        bad = self.folder / "bad.kcj"
        bad.write_bytes(b"PK nonsense")
        self.window.open_path(bad)
        self.assertEqual(self.window.session.job, job)
        self.assertIn("bad.kcj", self.window.picture.notice)

    def test_saving_where_nothing_can_be_written(self):
        self.new()
        self.assertFalse(self.window._save(self.folder / "no such folder" / "a.kcj"))
        self.assertIn("could not be written", self.window.picture.notice)
        self.assertTrue(self.window.session.unsaved or self.window.session.path is None)

    def test_unsaved_changes_are_asked_about(self):
        self.new()
        path = self.folder / "a.kcj"
        self.window.session.save(path)
        self.window.session.edit(("name",), "Changed")
        with mock.patch.object(Window, "ask_unsaved", return_value="stay") as asked:
            self.assertFalse(self.window.close())
            self.assertEqual(asked.call_count, 1)
            self.assertTrue(self.window.isVisible())
        with mock.patch.object(Window, "ask_unsaved", return_value="save"):
            self.window.new_job()
        self.assertEqual(open_job(path).name, "Changed")
        self.assertEqual(self.window.pages.currentIndex(), 0)

    def test_dropping_a_job_or_a_font(self):
        self.new()
        job = self.folder / "dropped.kcj"
        save_job(mug_job("DROPPED"), job)
        for path in (job, face_path(ShippedFace(name="bebas-neue"))):
            self.window.session._saved_job = self.window.session.job
            self.drop(path)
        self.assertEqual(self.lettering.content.text, "DROPPED")
        self.assertTrue(self.lettering.content.face.path.endswith("BebasNeue-Bold.otf"))
        self.window.add_shape()
        before = self.window.session.job
        self.drop(path)
        self.assertIs(self.window.session.job, before)
        self.assertIn("choose a lettering of words", self.window.picture.notice)

    def test_a_refusal_goes_after_a_while_and_takes_no_later_one_with_it(self):
        self.new()
        with mock.patch("kilnchisel.ui.window.TOLD_MS", 60_000):
            self.window.tell("The first.")
        with mock.patch("kilnchisel.ui.window.TOLD_MS", 1):
            self.window.tell("The second.")
        self.assertEqual(self.window.picture.notice, "The second.")
        self.wait(lambda: not self.window.picture.notice, "the second to go")
        self.window.tell("The third.")
        self.window.picture.tell("Another of the picture's own.")
        self.window._untell()
        self.assertEqual(self.window.picture.notice, "Another of the picture's own.")

    def test_what_needs_an_object_is_not_taken_where_there_is_none(self):
        """Nor put on what is open behind the page, where nobody sees it."""
        drawing = self.folder / "frame.svg"
        drawing.write_text('<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"/>')
        before = self.window.session.job
        for path in (drawing, face_path(ShippedFace(name="bebas-neue"))):
            self.drop(path)
            self.assertIs(self.window.session.job, before)
            self.assertIn(path.name, self.window.start_page.told.text())
            self.assertTrue(self.window.start_page.told.isVisible())


class Rescue(WindowTest):
    PROGRAM = """
import sys
from PyQt6.QtWidgets import QApplication
app = QApplication([])
from kilnchisel.ui.window import Window
window = Window()
window.picture.refining = False
window.show()
window.start_new("mug")
window.session.edit(("name",), "Half done")
from PyQt6.QtCore import QTimer
def keep():
    window.session.autosave()
    window.session.chores.finish()
    print("ready", flush=True)
QTimer.singleShot(200, keep)
app.exec()
"""

    def test_work_survives_a_kill(self):
        process = subprocess.Popen([sys.executable, "-c", self.PROGRAM], stdout=subprocess.PIPE, text=True)
        self.assertEqual(process.stdout.readline().strip(), "ready")
        process.send_signal(signal.SIGKILL)
        process.wait()
        process.stdout.close()
        self.assertEqual([r.name for r in rescues()], ["Half done"])
        self.window.start_page.refresh()
        words = " ".join(label.text() for label in self.window.start_page.findChildren(QLabel))
        self.assertIn("Half done", words)
        self.window.take_rescue(rescues()[0])
        self.assertEqual(self.window.session.job.name, "Half done")
        self.assertTrue(self.window.session.unsaved)
        self.window.session.chores.finish()
        self.assertEqual(rescues(), [])

    def test_a_copy_is_never_without_what_finds_it(self):
        copy, note = self.folder / "a.kcj", self.folder / "a.json"
        found = []
        with mock.patch("kilnchisel.ui.session.save_packed", lambda *_: found.append(note.exists())):
            keep_copy(mug_job("TARN"), copy, note, {"name": "a"})
        self.assertEqual(found, [True])

    def test_autosave_comes_by_itself_and_goes_with_saving(self):
        self.new()
        self.window.session.edit(("name",), "Kept")
        folder = Path(os.environ["XDG_STATE_HOME"]) / "kilnchisel" / "autosave"
        self.wait(lambda: list(folder.glob("*.kcj")), "the autosave")
        note = json.loads(next(folder.glob("*.json")).read_text())
        self.assertEqual(note["name"], "Kept")
        self.assertEqual(rescues(), [])  # this session is still running
        self.window.session.save(self.folder / "a.kcj")
        self.window.session.chores.finish()
        self.assertEqual(list(folder.iterdir()), [])

    def test_work_of_a_process_whose_number_another_has_now_is_found(self):
        """As after the machine was started anew."""
        folder = Path(os.environ["XDG_STATE_HOME"]) / "kilnchisel" / "autosave"
        folder.mkdir(parents=True, exist_ok=True)
        for name, life, found in (("a", "an older machine 17", True), ("b", "", False)):
            about = {"pid": os.getppid(), "life": life, "original": None, "name": name, "when": 1.0}
            keep_copy(mug_job("TARN"), folder / f"{name}.kcj", folder / f"{name}.json", about)
            self.assertEqual(name in [one.name for one in rescues()], found, name)


class StartPage(WindowTest):
    def test_demo_jobs_open_as_own_jobs(self):
        from demo.jobs import ALL, FOLDER, titles

        demos = [DemoJob(name, FOLDER / f"{stem}.kcj") for stem, name in titles().items()]
        self.window = self.open_window(demos)
        buttons = self.window.start_page.findChildren(QAbstractButton)
        cards = [b for b in buttons if b.accessibleName().startswith("Open ")]
        self.assertEqual(len(cards), len(ALL))
        self.wait(lambda: all(not card.icon().isNull() for card in cards), "the pictures of all cards")
        for number, (card, make) in enumerate(zip(cards, ALL.values(), strict=True)):
            self.window.session._saved_job = self.window.session.job
            inside().draws = number % 5 == 0  # of the others no one looks at the draft
            self.click(card)
            self.assertEqual(self.window.session.job, make())
            self.assertIsNone(self.window.session.path)
            if number % 5 == 0:
                self.wait(lambda: self.window.picture.image is not None, "the draft")
                self.assertEqual(self.window.picture.notice, "")

    def test_recent_jobs_are_offered(self):
        path = self.folder / "Gift counter.kcj"
        save_job(mug_job(), path)
        self.window.open_path(path)
        self.window.new_job()
        words = [label.text() for label in self.window.start_page.findChildren(QLabel)]
        self.assertIn("Gift counter", words)


class Starting(WindowTest):
    def start(self, path):
        window = shown(path)
        self.addCleanup(self.close_window, window)
        return window

    def test_with_a_job_the_start_page_is_made_when_it_is_asked_for(self):
        path = self.folder / "a.kcj"
        save_job(mug_job("TARN"), path)
        window = self.start(path)
        self.assertEqual(window.session.job, mug_job("TARN"))
        self.assertFalse(window.start_page.findChildren(QAbstractButton))
        window.new_job()
        self.assertGreater(len(window.start_page.findChildren(QAbstractButton)), 10)

    def test_a_job_that_cannot_be_opened_leads_to_the_start_page(self):
        with mock.patch("kilnchisel.ui.window.QDialog.exec") as told:
            window = self.start(self.folder / "gone.kcj")
        told.assert_called_once()
        self.assertTrue(window.start_page.isVisible())
        self.assertGreater(len(window.start_page.findChildren(QAbstractButton)), 10)


class Undoing(WindowTest):
    def test_nothing_of_the_job_before_stays_in_sight(self):
        self.new("mug")
        self.settle()
        self.wait(lambda: self.window.readings._taken is not None, "readings")
        self.window.start_new("plaque")
        self.assertIsNone(self.window.picture.image)
        self.assertIsNone(self.window.readings._taken)
        self.settle()
        self.assertEqual(self.window.picture.drawn.order.job.blank.kind, "plaque")

    def test_named_steps_by_key(self):
        self.new()
        self.window.session.edit(("blank", "height_mm"), 95.0)
        self.assertEqual(self.window.undo_button.text(), "Undo: height 95 mm")
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.window.session.job.blank.height_mm, 84.0)
        self.assertEqual(self.window.redo_button.text(), "Redo: height 95 mm")
        self.click(self.window.redo_button)
        self.assertEqual(self.window.session.job.blank.height_mm, 95.0)

    def test_centre_and_fixes(self):
        self.new()
        self.window.session.edit(("letterings", 0, "lay", "along_mm"), 55.0)
        self.window.centre_lettering()
        self.assertEqual(self.lettering.lay.along_mm, 0.0)
        self.window.session.edit(("letterings", 0, "content", "cap_height_mm"), 130.0)
        panel = self.window.readings

        def fixes():
            buttons = panel.findChildren(QAbstractButton)
            return [b for b in buttons if "Fit it" in b.text() and b.isVisible()]

        self.wait(fixes, "the offered fix")
        self.click(fixes()[0])
        self.assertLess(self.lettering.content.cap_height_mm, 130.0)

    def test_rename(self):
        self.new()
        self.type(self.window.name, "Gift mug")
        self.assertEqual(self.window.session.job.name, "Gift mug")
        self.type(self.window.name, "  ")
        self.assertEqual(self.window.name.text(), "Gift mug")


class Panels(WindowTest):
    def figures(self):
        return [
            label.text()
            for label in self.window.readings.findChildren(QLabel)
            if label.objectName() == "figure"
        ]

    def test_readings_follow_and_missing_letters_are_named(self):
        self.new()
        self.wait(self.figures, "readings")
        self.window.session.edit(("letterings", 0, "content", "face"), ShippedFace(name="national-park"))
        self.window.session.edit(("letterings", 0, "content", "text"), "A & B")

        def named():
            labels = self.window.readings.findChildren(QLabel)
            return any("“&”" in label.text() for label in labels if label.isVisible())

        self.wait(named, "the missing letter")
        self.window.toggle_inches()
        self.assertTrue(any(text.endswith(" in") for text in self.figures()))

    def test_what_is_being_measured_is_said_in_the_other_theme_too(self):
        self.window.readings.begin()
        self.window.toggle_evening()
        self.wait(self.window.updatesEnabled, "the last step")
        words = [label.text() for label in self.window.readings.findChildren(QLabel)]
        self.assertIn("Measuring…", words)

    def test_evening_is_remembered(self):
        self.new()
        day = self.window.grab().toImage().pixelColor(10, 400).lightness()
        self.window.toggle_evening()
        self.wait(self.window.updatesEnabled, "the last step")
        evening = self.window.grab().toImage().pixelColor(10, 400).lightness()
        self.assertLess(evening, day - 100)
        self.assertEqual(recall("theme"), "evening")
        self.assertEqual(Window().theme.name, "evening")

    def test_about_names_what_draws(self):
        self.new()
        shown = []
        with mock.patch.object(AboutPage, "exec", lambda page: shown.append(page)):
            self.window.show_about()
        words = [label.text() for label in shown[0].findChildren(QLabel)]
        self.assertTrue(any(self.window.picture.drafts.card in text for text in words), words)

    def test_on_the_start_page_nothing_is_done_to_a_job_that_is_not_seen(self):
        before = self.window.session.job
        self.window.activateWindow()
        self.app.processEvents()
        QTest.keyClick(self.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.assertIn("lettered first", self.window.start_page.told.text())
        with mock.patch.object(QDialog, "exec", side_effect=AssertionError("a page opened")):
            for command in COMMANDS:
                if not command.anywhere:
                    self.window.do(command)
        self.assertIs(self.window.session.job, before)
        self.assertEqual(self.window.hint.text(), "")

    def test_every_command_has_its_method_and_its_line(self):
        page = KeysPage(self.window)
        words = {label.text() for label in page.findChildren(QLabel)}
        for command in COMMANDS:
            self.assertTrue(callable(getattr(self.window, command.does)))
            if command.keys:
                self.assertIn(command.words.rstrip("…"), words)
        self.assertTrue(all(gesture in words for gesture, _ in GESTURES))
        keys = [c.keys for c in COMMANDS if c.keys]
        self.assertEqual(len(keys), len(set(keys)))
        menu = [action.text() for action in self.window.make_menu().actions() if action.text()]
        self.assertEqual(menu, [c.words for c in COMMANDS if c.in_menu])

    def test_every_control_has_a_name_and_is_reached_by_tab(self):
        self.new()
        for section in ("blank", "wording", "lay", "craft", "finish", "setting", "hand-over"):
            self.window.ticket.show_section(section)
            self.app.processEvents()
            for kind in (QAbstractButton, QLineEdit, QPlainTextEdit, QComboBox):
                for widget in self.window.findChildren(kind):
                    if not widget.isVisible() or widget.objectName().startswith("qt_"):
                        continue
                    inner = isinstance(widget.parent(), QComboBox)
                    named = widget.accessibleName() or getattr(widget, "text", lambda: "")() or inner
                    self.assertTrue(named, f"{section}: {widget}")
                    if widget.isEnabled():
                        self.assertTrue(
                            widget.focusPolicy() & Qt.FocusPolicy.TabFocus, f"{section}: {widget}"
                        )

    def test_small_and_large_windows(self):
        self.new()
        for size in ((1024, 700), (1920, 1100)):
            self.window.resize(*size)
            self.settle()
            self.assertEqual((self.window.width(), self.window.height()), size)
            self.assertGreater(self.window.picture.width(), 400)


class HandOver(WindowTest):
    def test_picture_to_a_file_with_progress(self):
        self.new("plaque")
        path = self.folder / "out.png"
        heard = []
        self.window.picture.mockups.progress.connect(lambda share, left, number: heard.append(share))
        self.window.ticket.handover.samples = 2
        job = self.window.session.job
        self.window.make_picture(path, (160, 100))
        self.window.session.edit(("name",), "Edited meanwhile")
        self.window.session.edit(("letterings", 0, "content", "text"), "OTHER")
        self.assertEqual(self.window.picture_order.job, job)
        self.wait(path.exists, "the file")
        self.wait(lambda: self.window.picture_order is None, "the end")
        with Image.open(path) as image:
            self.assertEqual(image.size, (160, 100))
        self.assertEqual(heard[-1], 1.0)

    def test_a_stopped_picture_leaves_no_file(self):
        self.new("plaque")
        path = self.folder / "out.png"
        self.window.make_picture(path, (1200, 900))
        self.wait(lambda: self.window.cancel.isVisible(), "progress")
        self.click(self.window.cancel)
        self.settle()
        self.assertFalse(path.exists())
        self.assertIn("no file was written", self.window.hint.text())

    def test_a_size_that_cannot_be(self):
        self.new()
        self.window.ticket.show_section("hand-over")
        boxes = self.hand_over_boxes()
        boxes["Picture size, pixels"].setEditText("big")
        self.window.hand_over_picture()
        said = [x.text() for x in self.window.ticket.handover.findChildren(QLabel) if x.isVisible()]
        self.assertTrue(any("not a picture size" in words for words in said), said)

    def hand_over_boxes(self):
        boxes = self.window.ticket.handover.findChildren(QComboBox)
        return {box.accessibleName(): box for box in boxes}

    def test_what_is_chosen_stays_when_the_section_is_folded_or_dressed_anew(self):
        self.new()
        self.window.ticket.show_section("hand-over")
        boxes = self.hand_over_boxes()
        boxes["Picture size, pixels"].setEditText("640 x 400")
        boxes["Quality, samples a pixel"].setCurrentIndex(0)
        boxes["How outlines are written"].setCurrentIndex(2)
        for _ in range(2):
            self.window.toggle_evening()
            self.assertEqual(self.hand_over_boxes(), {})  # made anew in the theme that comes
            self.wait(self.hand_over_boxes, "the fields in the other theme")
        handover = self.window.ticket.handover
        self.assertEqual(
            (handover.typed_size, handover.samples, handover.order.lines), ("640 x 400", 64, True)
        )
        boxes = self.hand_over_boxes()
        self.assertEqual(boxes["Picture size, pixels"].currentText(), "640 x 400")
        self.assertEqual(boxes["Quality, samples a pixel"].currentText(), "Quick, 64 samples")
        self.assertEqual(boxes["How outlines are written"].currentText(), "Centre lines")

    def test_solid_to_a_file(self):
        self.new("plaque")
        path = self.folder / "out.stl"
        with mock.patch(
            "PyQt6.QtWidgets.QFileDialog.getSaveFileName", return_value=(str(path), "STL (*.stl)")
        ):
            self.window.hand_over_mesh()
        self.assertGreater(path.stat().st_size, 5000)
