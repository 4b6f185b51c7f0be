"""The window with the workshop's own process: it draws, comes back when it ended, says when it cannot."""

import os
import signal
import threading
from unittest import mock

import numpy as np
from scipy import interpolate
from scipy.interpolate import CloughTocher2DInterpolator

from kilnchisel.core.blanks import surface
from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.job.assets import forget
from kilnchisel.ui import work
from kilnchisel.ui.view.shown import STOPPED
from tests.ui.harness import WindowTest

SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="12mm" height="9mm"><path d="M0 0H12V9Z"/></svg>'


class Apart(WindowTest):
    def open_window(self, demos=None):
        with mock.patch("kilnchisel.ui.view.shown.Workshop", work.Workshop):
            return super().open_window(demos)

    @property
    def pid(self):
        return self.window.picture.workshop._process.pid

    def drawn(self):
        self.wait(self.window.picture.shows_present, "the draft")

    def rename(self, name):
        self.window.session.edit(("name",), name, "name")

    def test_typing_readings_artwork_and_solids_go_through_it(self):
        self.new()
        self.drawn()
        self.assertNotEqual(self.pid, os.getpid())
        self.assertTrue(self.window.picture.drafts.card)
        laid = self.window.picture.drawn.laid[0]
        width = laid.width_mm
        self.window.session.edit(("letterings", 0, "content", "text"), "Your words and more", "words")
        self.drawn()
        self.assertGreater(self.window.picture.drawn.laid[0].width_mm, width)
        self.assertGreater(self.pixels().std(), 5)
        self.wait(lambda: self.window.readings._taken, "the readings")
        band = self.window.picture.band
        self.assertTrue(band.handles)
        # artwork that no folder could keep, and a solid
        drawing = self.folder / "own.svg"
        drawing.write_text(SVG)
        with mock.patch("kilnchisel.core.job.assets.write_whole", side_effect=OSError("no room")):
            self.window.put_artwork(drawing)
        self.addCleanup(forget, self.window.session.job.letterings[-1].content.sha256)
        self.drawn()
        self.assertEqual(self.window.picture.notice, "")
        self.assertEqual(len(self.window.picture.drawn.laid), 2)
        target = self.folder / "a.stl"
        self.window.write_mesh(target)
        self.assertEqual(target.read_bytes(), mesh_bytes(self.window.session.job, target))

    def test_what_a_side_works_out_of_itself_is_not_worked_out_by_the_window(self):
        divided = []

        def noted(own):
            def noting(*values):
                divided.append(threading.current_thread())
                return own(*values)

            return noting

        with (
            mock.patch.object(interpolate, "CloughTocher2DInterpolator", noted(CloughTocher2DInterpolator)),
            mock.patch.object(surface, "triangles_of", noted(surface.triangles_of)),
        ):
            self.new("van")
            self.drawn()
            self.window.session.edit(("blank", "length_mm"), 5100.0)
            self.drawn()
            self.assertTrue(self.window.picture.band.handles)
            picture = self.window.picture
            self.click(picture)
            # at rest the sides without letters are ready for a press too
            self.settle()
            self.wait(lambda: "sides" not in [one.name for one in threading.enumerate()], "its sides")
            letterless = [s for s in sides_at(picture.drawn.order.job.blank).all if s.name == "bonnet"]
            for side in letterless:
                at = np.array(side.domain.representative_point().coords)
                foot, out = side.to_body(at, np.zeros(1)), side.frames(at)[:, 2]
                np.testing.assert_allclose(side.meet(foot + out, -out), at, atol=1e-3)
            self.assertEqual(len(letterless), 1)
        self.assertGreaterEqual(len(divided), 1)
        self.assertNotIn(threading.main_thread(), divided)

    def test_a_process_that_ends_is_started_again_and_the_picture_comes(self):
        self.new()
        self.drawn()
        gone = self.pid
        os.kill(gone, signal.SIGKILL)
        self.rename("Other")
        self.drawn()
        self.assertNotEqual(self.pid, gone)
        self.assertEqual(self.window.picture.notice, "")

    def test_a_draft_that_does_not_come_can_be_stopped(self):
        self.new()
        self.drawn()
        os.kill(self.pid, signal.SIGSTOP)  # at it for ever
        self.rename("Other")
        with mock.patch("kilnchisel.ui.view.shown.LONG_S", 0.5):
            self.wait(self.window.cancel.isVisible, "a way to stop")
        self.assertIn("Drawing the draft, ", self.window.status.text())
        self.click(self.window.cancel)
        self.assertEqual(self.window.picture.notice, STOPPED)
        self.assertFalse(self.window.cancel.isVisible())
        self.rename("Third")
        self.drawn()
        self.assertEqual(self.window.picture.notice, "")

    def test_what_ends_it_again_and_again_is_told(self):
        self.new()
        self.drawn()
        killed = []

        def ends(self, *order):
            killed.append(order[0])
            if self._process is None or not self._process.runs():
                self._start()
            self._process.kill()

        with mock.patch.object(work.Workshop, "send", ends):
            self.rename("Other")
            self.wait(lambda: self.window.picture.notice == work.ENDED, "the sentence")
        self.rename("Third")
        self.wait(lambda: not self.window.picture.notice, "it draws again")
        self.drawn()

    def test_closing_the_window_ends_it(self):
        process = self.window.picture.workshop._process
        self.window.close()
        self.wait(lambda: not process.runs(), "its end")
