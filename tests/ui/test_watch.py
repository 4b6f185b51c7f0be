"""A router is watched at its work: any time of its run, in the job's picture and from above."""

from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from kilnchisel.core.job.crafts import CutThrough, Engraved
from kilnchisel.core.job.edits import change
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.ui.handover.watch import FULL, WatchPage
from tests.ui.harness import WindowTest
from tests.waiting import until


class Watching(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.session = self.window.session

    def page(self, craft=None, how=None):
        job = change(self.session.job, ("letterings", 0, "craft"), craft or Engraved(depth_mm=0.4))
        page = WatchPage(job, how or Routing(flats_mm=(1.0,)), self.window)
        self.addCleanup(page.deleteLater)
        self.addCleanup(page.done, 0)
        page.resize(500, 420)
        page.show()
        self.wait(lambda: page.seen is not None and page.seen.order.number == page._number, "a picture")
        return page

    def wait(self, holds, what):
        until(holds, what, self.app.processEvents)

    def moved(self, page, share):
        """The page with its slider elsewhere, and what it shows then."""
        page.slider.setValue(round(FULL * share))
        self.wait(lambda: page.seen.order.number == page._number, "the stock at another time")
        return page.seen

    def test_the_stock_at_any_time_is_seen_in_the_picture_and_from_above(self):
        page = self.page()
        (one,) = page.programs
        self.assertEqual(page.told.text(), "Done.")
        begin = self.moved(page, 0.0).pixels.astype(int)
        self.assertEqual(page.told.text(), "The stock as it is.")
        self.assertIn(f"of {page.time.text().split(' of ')[1]}", page.time.text())
        # what is cut is seen: more of it later, none of it taken back on going back
        half = self.moved(page, 0.5).pixels.astype(int)
        self.assertRegex(page.told.text(), r"^flat 1 mm at X [\d.]+, Y [\d.]+, Z -?[\d.]+ mm, line [\d,]+$")
        done = self.moved(page, 1.0).pixels.astype(int)
        few, many = (int((np.abs(now - begin).max(axis=2) > 12).sum()) for now in (half, done))
        self.assertGreater(few, 20)
        self.assertGreater(many, few)
        again = self.moved(page, 0.0).pixels.astype(int)
        self.assertLess(np.abs(again - begin).mean(), 0.05)
        page.above.click()
        self.wait(lambda: page.seen.order.above and page.seen.order.number == page._number, "from above")
        self.assertEqual(page.seen.pixels.shape[2], 3)
        self.assertAlmostEqual(
            page.seen.pixels.shape[1] / page.seen.pixels.shape[0], one.stock[0] / one.stock[1], delta=0.02
        )

        self.runs(page)

    def runs(self, page):
        """It runs by the space bar, and pauses."""
        page.slider.setValue(FULL)
        QTest.keyClick(page, Qt.Key.Key_Space)
        self.assertEqual((page.button.text(), page.slider.value()), ("Pause", 0))
        self.wait(lambda: page.slider.value() > 0, "it to run")
        QTest.keyClick(page, Qt.Key.Key_Space)
        self.assertEqual(page.button.text(), "Run")
        self.assertFalse(page.running.runs)
        page.speed.setCurrentIndex(page.speed.count() - 1)
        page.slider.setValue(FULL - 1)
        page.button.click()
        self.wait(lambda: page.slider.value() == FULL, "its end")
        self.assertEqual(page.button.text(), "Run")

    def test_each_piece_of_stock_has_its_program(self):
        page = self.page(CutThrough(fill="inlay", depth_mm=1.0))
        self.assertEqual([one.name for one in page.programs], ["front", "inlay 1"])
        page.which.setCurrentIndex(1)
        page.which.activated.emit(1)
        self.wait(lambda: page.seen.order.program == 1, "the inlay")
        self.assertFalse(page.above.isEnabled())  # it is in no picture
        self.assertTrue(page.seen.order.above)
        self.assertIn("by 1 mm", page.found.text())

    def test_what_cannot_be_is_said_and_its_process_ends_with_the_page(self):
        page = WatchPage(self.session.job, Routing(flats_mm=(0.01,)), self.window)
        self.addCleanup(page.deleteLater)
        self.wait(lambda: "cutter" in page.told.text() and page.bar.isHidden(), "a refusal")
        self.assertFalse(page.button.isEnabled())
        process = page.aside.process
        process.kill()
        self.wait(lambda: "has ended" in page.told.text(), "that it has ended")
        again = WatchPage(self.session.job, Routing(), self.window)
        self.addCleanup(again.deleteLater)
        process = again.aside.process
        again.done(0)
        self.wait(lambda: not process.runs(), "its process to end")

    def test_where_a_router_has_nothing_to_do_the_window_says_so(self):
        self.new("mug")
        with mock.patch.object(WatchPage, "exec") as shown:
            self.window.watch_router()
            self.assertIn(
                "There is nothing for a router", self.window.hint.text() + self.window.picture.notice
            )
            shown.assert_not_called()
            self.new("plaque")
            self.window.watch_router()
            shown.assert_called_once()
