"""A film is looked at before it is made, and made beside the window."""

from unittest import mock

import numpy as np
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from kilnchisel.core.motion.tracks import TRACKS, Film
from kilnchisel.ui.filmpage import FilmPage
from tests.ui.harness import WindowTest
from tests.waiting import until


class Films(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("mug")

    def wait(self, holds, what):
        until(holds, what, self.app.processEvents)

    def page(self):
        page = FilmPage(self.window.session.job, self.window)
        self.addCleanup(page.deleteLater)
        self.addCleanup(page.done, 0)
        page.show()
        self.wait(lambda: 0 in page.pictures, "the first frame")
        return page

    def choose(self, page, name):
        page.track.setCurrentIndex(list(TRACKS).index(name))
        page.track.activated.emit(page.track.currentIndex())

    def pixels(self, pixmap):
        image = pixmap.toImage().convertToFormat(pixmap.toImage().Format.Format_RGB888)
        bits = image.constBits()
        return np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8).astype(int)

    def test_it_is_scrubbed_run_and_changed(self):
        page = self.page()
        self.assertEqual((page.slider.maximum(), page.time.text()), (149, "0.00 of 6 s"))
        page.slider.setValue(75)
        self.wait(lambda: 75 in page.pictures, "the frame half way")
        off = np.abs(self.pixels(page.pictures[0]) - self.pixels(page.pictures[75]))
        self.assertGreater(int((off > 40).sum()), 2000)  # it is seen from behind
        page.seconds.setText("2")
        page.seconds.editingFinished.emit()
        self.assertEqual(page.slider.maximum(), 49)
        QTest.keyClick(page, Qt.Key.Key_Space)
        here = page.slider.value()
        self.wait(lambda: page.slider.value() != here, "it to run")
        QTest.keyClick(page, Qt.Key.Key_Space)
        self.assertFalse(page.running.runs)
        self.choose(page, "start-up")
        self.assertIn("Nothing on it shines", page.refusal.text())
        self.assertFalse(page.slider.isEnabled())
        self.assertTrue(page.seed.isEnabled())
        self.choose(page, "swing")
        self.assertFalse(page.seed.isEnabled())  # nothing in it comes by chance
        self.assertEqual(page.refusal.text(), "")
        page.seconds.setText("soon")
        page.seconds.editingFinished.emit()
        self.assertIn("is no number of seconds", page.refusal.text())
        page.seconds.setText("3")
        page.seconds.editingFinished.emit()
        page.draft.setChecked(True)
        page.size_.setEditText("300x300")
        page.size_.lineEdit().editingFinished.emit()
        self.wait(lambda: page.pictures, "the frame in its new shape")
        shown = next(iter(page.pictures.values()))
        self.assertEqual(shown.width(), shown.height())
        page.size_.setEditText("320x200")
        self.assertEqual(page.film, Film("swing", 3.0, 25, (320, 200), 0, 1, loop=True))
        page.soft.click()
        page.loop.click()
        self.assertEqual((page.film.ease, page.film.loops), ("soft", False))

    def test_it_is_written_where_it_is_wanted_and_the_window_says_where(self):
        def exec_(page):
            page.draft.setChecked(True)
            page.seconds.setText("0.3")
            page.frames_a_second.setValue(10)
            page.size_.setEditText("96x60")
            page.seed.setValue(4)  # counts in no turntable
            page._take()
            return page.result()

        path = self.folder / "film.gif"
        with (
            mock.patch.object(FilmPage, "exec", exec_),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")),
        ):
            self.window.make_film()
        with Image.open(path) as opened:
            self.assertEqual((opened.size, opened.n_frames), ((96, 60), 3))
        self.assertIn("film.gif", self.window.hint.text())
