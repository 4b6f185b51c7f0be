from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtWidgets import QApplication

from kilnchisel.core.build import lowest_tilt, middle_of_job
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.ui.view import rulers
from kilnchisel.ui.view.band import HIT_PX, corners, handle_at, margin_mm, on_picture, sheet_at
from kilnchisel.ui.view.rulers import marks
from tests.ui.harness import WindowTest


class Handling(WindowTest):
    def setUp(self):
        super().setUp()
        self.new()
        self.window.session.edit(("letterings", 0, "content", "text"), "TARN")
        self.settle()
        self.picture = self.window.picture

    def size(self):
        return self.picture.width(), self.picture.height()

    def middle(self):
        laid = self.picture.drawn.laid[0]
        at, _ = on_picture(self.picture.drawn, laid, laid.frame.mean(axis=0)[None], self.size())
        return float(at[0, 0]), float(at[0, 1])

    def handle(self, kind, number=0):
        return [h for h in self.picture.band.handles if h.kind == kind][number].at

    def test_a_drag_moves_by_true_millimetres(self):
        laid = self.picture.drawn.laid[0]
        start = self.middle()
        end = (start[0] + 40, start[1] - 30)
        expected = sheet_at(self.picture.drawn, laid, end, self.size()) - sheet_at(
            self.picture.drawn, laid, start, self.size()
        )
        before = self.lettering.lay
        self.drag(start, end)
        after = self.lettering.lay
        self.assertAlmostEqual(after.along_mm - before.along_mm, expected[0], delta=0.06)
        self.assertAlmostEqual(after.across_mm - before.across_mm, expected[1], delta=0.06)
        self.assertEqual(self.window.session.history.undo_words, "place")
        self.window.undo()
        self.assertEqual(self.lettering.lay, before)

    def test_the_letters_stay_under_the_pointer(self):
        start = self.middle()
        end = (start[0] - 50, start[1] + 20)
        self.drag(start, end)
        self.settle()
        np.testing.assert_allclose(self.middle(), end, atol=1.5)

    def test_a_corner_sizes_and_stays_under_the_pointer(self):
        before = self.lettering.content.cap_height_mm
        start, middle = self.handle("size"), self.middle()
        end = tuple(m + (s - m) * 1.25 for s, m in zip(start, middle, strict=True))
        self.drag(start, end)
        self.assertGreater(self.lettering.content.cap_height_mm, 1.15 * before)
        self.assertIn("capitals", self.window.session.history.undo_words)
        self.settle()
        away = [np.hypot(h.at[0] - end[0], h.at[1] - end[1]) for h in self.picture.band.handles]
        self.assertLess(min(away), 6.0)

    def test_the_stem_turns_and_catches_every_15_degrees(self):
        start, middle = self.handle("turn"), np.array(self.middle())
        arm = np.array(start) - middle

        def swung(degrees):
            c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
            return tuple(middle + (arm[0] * c - arm[1] * s, arm[0] * s + arm[1] * c))

        self.drag(start, swung(-28), drop=False)
        self.assertEqual(self.lettering.lay.turn_deg, 30.0)
        self.mouse(QEvent.Type.MouseMove, swung(-20), True, Qt.KeyboardModifier.ShiftModifier)
        self.assertNotEqual(self.lettering.lay.turn_deg % 15, 0.0)
        self.assertAlmostEqual(self.lettering.lay.turn_deg, 20, delta=5)
        self.mouse(QEvent.Type.MouseButtonRelease, swung(-20), False)

    def test_escape_puts_it_back(self):
        before, steps = self.window.session.job, len(self.window.session.history.steps)
        start = self.middle()
        self.drag(start, (start[0] + 60, start[1]), drop=False)
        self.assertNotEqual(self.window.session.job, before)
        self.key(self.picture, Qt.Key.Key_Escape)
        self.assertEqual(self.window.session.job, before)
        self.assertEqual(len(self.window.session.history.steps), steps)

    def test_handles_are_easy_to_hit(self):
        self.assertGreaterEqual(2 * HIT_PX, 14)
        x, y = self.handle("size")
        self.assertIsNotNone(handle_at(self.picture.band, (x + HIT_PX - 1, y - HIT_PX + 1)))
        self.assertIsNone(handle_at(self.picture.band, (x + 60, y + 60)))

    def test_arrow_keys_nudge_by_a_millimetre_or_a_tenth(self):
        self.picture.setFocus()
        before = self.lettering.lay
        self.key(self.picture, Qt.Key.Key_Right)
        self.key(self.picture, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        after = self.lettering.lay
        self.assertAlmostEqual(after.along_mm - before.along_mm, 1.0)
        self.assertAlmostEqual(after.across_mm - before.across_mm, 0.1)

    def test_dragging_beside_walks_round_and_wheel_comes_nearer(self):
        before = self.window.session.job.setting.camera
        self.drag((30, 60), (130, 90))
        after = self.window.session.job.setting.camera
        self.assertNotEqual(before.turn_deg, after.turn_deg)
        self.assertGreater(after.tilt_deg, before.tilt_deg)
        self.wheel()
        self.assertLess(self.window.session.job.setting.camera.distance_mm, after.distance_mm)
        self.drag((30, 60), (60, 60), keys=Qt.KeyboardModifier.ShiftModifier)
        self.assertNotEqual(self.window.session.job.setting.camera.shift_mm, 0)
        self.window.look_home()
        self.assertEqual(self.window.session.job.setting.camera.shift_mm, 0)

    def wheel(self):
        """A step nearer."""
        event = QWheelEvent(
            QPointF(30, 60),
            QPointF(self.picture.mapToGlobal(QPoint(30, 60))),
            QPoint(),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.picture, event)

    def test_one_does_not_come_into_the_piece(self):
        session = self.window.session
        session.put(fresh_job("hull", "TARN"), "a hull")
        self.settle()
        long, wide, _ = self.picture.drawn.half
        job = change(session.job, ("setting", "camera", "turn_deg"), 0.0)
        session.put(change(job, ("setting", "camera", "tilt_deg"), 0.0), "from the side")
        for _ in range(40):
            self.wheel()
        near = session.job.setting.camera.distance_mm
        self.assertTrue(wide < near < 1.1 * wide, (near, wide))
        self.drag((230, 30), (30, 30))
        camera = session.job.setting.camera
        self.assertEqual(camera.turn_deg, 80.0)
        self.assertGreater(camera.distance_mm, long * np.sin(np.radians(80.0)))
        self.drag((30, 30), (230, 30))
        self.assertEqual(session.job.setting.camera.turn_deg, 0.0)

    def test_one_does_not_walk_below_the_ground(self):
        session = self.window.session
        for _ in range(4):
            self.drag((30, self.picture.height() - 40), (30, 20))
        lowest = session.job.setting.camera.tilt_deg
        self.assertAlmostEqual(lowest, lowest_tilt(session.job, middle_of_job(session.job)), delta=0.06)
        self.drag((30, 60), (30, 90))  # at once up again
        self.assertAlmostEqual(session.job.setting.camera.tilt_deg, lowest + 9.0, delta=1.5)

    def test_one_does_not_walk_behind_the_wall_that_a_piece_hangs_on(self):
        session = self.window.session
        session.put(fresh_job("board", "TARN"), "a board")
        start = session.job.setting.camera.turn_deg
        wide = self.picture.width() - 20
        for a, b in ((wide, 10), (10, wide)):
            for _ in range(3):
                self.drag((a, 8), (b, 8))
            self.assertEqual(abs(session.job.setting.camera.turn_deg), 86.0)
        self.assertNotEqual(session.job.setting.camera.turn_deg, start)

    def test_a_click_chooses_the_lettering_under_it(self):
        self.window.add_lettering()
        self.settle()
        laid = self.picture.drawn.laid
        at = []
        for item in laid:
            left = item.frame[[0, 0, 1, 3]].mean(axis=0)[None]  # away from the handle on the stem
            at.append(on_picture(self.picture.drawn, item, left, self.size())[0][0])
        for index in (0, 1):
            self.mouse(QEvent.Type.MouseButtonPress, tuple(at[index]))
            self.mouse(QEvent.Type.MouseButtonRelease, tuple(at[index]), False)
            self.assertEqual(self.window.session.index, index)

    def test_double_click_on_a_shape_goes_to_its_section(self):
        self.window.add_shape()
        self.window.ticket.toggle("blank")
        self.settle()
        laid = self.picture.drawn.laid[1]
        at = on_picture(self.picture.drawn, laid, laid.middle[None], self.size())[0][0]
        self.mouse(QEvent.Type.MouseButtonDblClick, tuple(at))
        self.assertEqual(self.window.session.index, 1)
        self.assertEqual(self.window.ticket.open_section, "wording")
        self.assertIsNone(self.picture.caret)

    def test_the_band_goes_round_the_side_that_is_seen(self):
        self.window.session.edit(("letterings", 0, "lay", "along_mm"), 132.0)
        self.settle()
        self.assertIsNone(self.picture.band)

    def test_too_deep_is_said_on_the_picture_and_undone(self):
        from kilnchisel.core.job.crafts import Engraved

        self.window.session.edit(("letterings", 0, "craft"), Engraved(depth_mm=5.0), "depth 5 mm")
        self.wait(lambda: "break through" in self.picture.notice, "the notice")
        self.window.undo()
        self.settle()
        self.assertEqual(self.picture.notice, "")


class SquareOn(WindowTest):
    def setUp(self):
        super().setUp()
        self.new()
        self.click(self.window.looks.button(0))
        self.settle()
        self.picture = self.window.picture

    def test_no_perspective_and_rulers_that_measure(self):
        drawn = self.picture.drawn
        self.assertTrue(drawn.view.parallel)
        size = (self.picture.width(), self.picture.height())
        laid = drawn.laid[0]
        up = marks(drawn, laid, 1, size, "mm")
        self.assertGreater(len(up), 10)
        scale = size[1] / 2 / drawn.view.tall
        gaps = np.diff([pixel for _, pixel, _ in up]) / np.diff([mm for mm, _, _ in up])
        np.testing.assert_allclose(np.abs(gaps), scale, rtol=1e-6)
        along = marks(drawn, laid, 0, size, "mm")
        for mm, pixel, _ in along:  # x = R sin(u / R), as seen straight on
            expected = size[0] / 2 + 42 * np.sin(mm / 42) * scale
            self.assertAlmostEqual(pixel, expected, delta=0.01)
        self.assertTrue(all(abs(mm / 5 - round(mm / 5)) < 1e-9 for mm, _, long in along if long))
        self.assertEqual(len(marks(drawn, laid, 1, size, "in")) > 3, True)

    def test_the_sheet_stays_while_the_lettering_is_dragged(self):
        laid = self.picture.drawn.laid[0]
        size = (self.picture.width(), self.picture.height())
        eye = self.picture.drawn.view.eye.tolist()
        at, _ = on_picture(self.picture.drawn, laid, laid.frame.mean(axis=0)[None], size)
        self.drag(tuple(at[0]), (at[0, 0] + 40, at[0, 1]))
        self.settle()
        self.assertEqual(self.picture.drawn.view.eye.tolist(), eye)
        self.assertNotEqual(self.lettering.lay.along_mm, 0)

    def test_rulers_are_painted_once_for_as_long_as_they_are_the_same(self):
        self.picture.repaint()
        with mock.patch("kilnchisel.ui.view.rulers._paint", wraps=rulers._paint) as painted:
            before = self.pixels_of_rulers()
            self.window.session.edit(("letterings", 0, "lay", "across_mm"), 41.0, "moved")
            self.settle()
            self.picture.repaint()
            self.assertEqual(painted.call_count, 0)
            np.testing.assert_array_equal(self.pixels_of_rulers(), before)
            self.window.toggle_inches()
            self.picture.repaint()
            self.assertEqual(painted.call_count, 1)
            self.assertTrue((self.pixels_of_rulers() != before).any())

    def pixels_of_rulers(self):
        """The strip along the upper edge as it is on the screen."""
        image = self.picture.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
        # each row ends with a byte or two that are nobody's
        return rows.reshape(image.height(), image.bytesPerLine())[
            : rulers.THICK, : 3 * image.width()
        ].copy()

    def test_zoom_and_back(self):
        tall = self.picture.drawn.view.tall
        event = QWheelEvent(
            QPointF(30, 60),
            QPointF(self.picture.mapToGlobal(QPoint(30, 60))),
            QPoint(),
            QPoint(0, 360),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.picture, event)
        self.settle()
        self.assertLess(self.picture.drawn.view.tall, tall)
        self.drag((40, 600), (90, 560))
        self.settle()
        self.window.look_home()
        self.settle()
        self.assertAlmostEqual(self.picture.drawn.view.tall, tall)
        self.click(self.window.looks.button(1))
        self.settle()
        self.assertFalse(self.picture.drawn.view.parallel)

    def test_frame_has_room_round_the_ink(self):
        drawn, size = self.picture.drawn, self.picture._size()
        laid = drawn.laid[0]
        frame = corners(laid, margin_mm(drawn, laid, size))
        self.assertLess(frame[0, 0], laid.ink.bounds[0])
        self.assertGreater(frame[2, 1], laid.ink.bounds[3])
        # as far off in the picture, whatever the size of the lettering
        for job in (
            drawn.order.job,
            change(drawn.order.job, ("letterings", 0, "content", "cap_height_mm"), 3.0),
        ):
            self.window.session.put(job, "size")
            self.settle()
            drawn = self.picture.drawn
            laid = drawn.laid[0]
            margin = margin_mm(drawn, laid, size)
            bare, frame = (on_picture(drawn, laid, corners(laid, m), size)[0] for m in (0.0, margin))
            self.assertAlmostEqual(float(np.linalg.norm(frame[0] - bare[0])), 9.0 * 2**0.5, delta=3.5)


class Measuring(WindowTest):
    def test_two_clicks_square_on_give_their_distance(self):
        self.new("plaque")
        self.settle()
        self.window.measure_points()
        self.settle()
        picture = self.window.picture
        laid, size = picture.drawn.laid[0], picture._size()
        wanted = np.array([[-30.0, -20.0], [30.0, 25.0]])
        pixels, _ = on_picture(picture.drawn, laid, wanted, size)
        before = self.window.session.job
        for at in pixels:
            self.mouse(QEvent.Type.MouseButtonPress, tuple(at))
            self.mouse(QEvent.Type.MouseButtonRelease, tuple(at), False)
        far, along, up = (
            float(word.split()[0])
            for word in self.window.hint.text().split(" apart: ")[0:1]
            + self.window.hint.text().split(": ")[1].split(", ")
        )
        self.assertAlmostEqual(far, 75.0, delta=1.0)
        self.assertAlmostEqual(along, 60.0, delta=1.0)
        self.assertAlmostEqual(up, 45.0, delta=1.0)
        self.assertIs(self.window.session.job, before)
        self.key(picture, Qt.Key.Key_Escape)
        self.assertIsNone(picture.points)


class AnotherChosen(WindowTest):
    def test_another_lettering_that_is_chosen_is_looked_at(self):
        self.new("mug")
        session = self.window.session
        second = change(session.job, ("letterings", 0, "lay", "along_mm"), 90.0).letterings[0]
        session.put(with_lettering(session.job, second), "another")
        session.choose(0)
        self.window.look_square_on()
        self.assertEqual(self.window.picture.look.at[0], 0.0)
        session.choose(1)
        self.assertEqual(self.window.picture.look.at[0], 90.0)
        session.edit(("letterings", 1, "lay", "along_mm"), 70.0)  # one that is moved is seen to move
        self.assertEqual(self.window.picture.look.at[0], 90.0)


class Refining(WindowTest):
    sharp = True

    def test_the_mockup_comes_by_itself_and_a_change_stops_it(self):
        # more samples than can be done before the change, however slowly this thread gets on
        many = mock.patch("kilnchisel.ui.view.shown.WINDOW_SAMPLES", 100_000)
        many.start()
        self.addCleanup(many.stop)
        self.window.picture.refining = True
        self.window.start_new("mug")
        heard = []
        self.window.picture.status.connect(lambda words, share: heard.append((words, share)))
        self.window.picture.mockups.refined.connect(
            lambda order, state: heard.append(("state", state.done))
        )
        self.wait(lambda: ("state", 1) in heard, "the first mockup picture")
        self.assertTrue(any(words.startswith("Mockup refining") for words, _ in heard))
        self.assertTrue(self.window.cancel.isVisible())
        stopped = []
        self.window.picture.mockups.stopped.connect(stopped.append)
        self.window.session.edit(("letterings", 0, "content", "cap_height_mm"), 8.0)
        self.window.picture.refining = False
        self.wait(lambda: stopped, "the stop")
        self.settle()
        self.assertFalse(self.window.bar.isVisible())

    def test_while_drafts_come_none_is_said_to_be_missing(self):
        self.new()
        self.settle()
        picture = self.window.picture
        self.window.session.edit(("name",), "Ahead", "name")
        picture._waiting_since = 0.0  # a drag that lasts: the job is always ahead of its drafts
        picture._show_draft(picture.drawn)
        picture._say_drawing()
        self.assertFalse(self.window.cancel.isVisible())

    def test_stop_button(self):
        self.window.picture.refining = True
        self.window.start_new("mug")
        self.wait(lambda: self.window.cancel.isVisible(), "progress")
        self.click(self.window.cancel)
        self.assertFalse(self.window.cancel.isVisible())
        self.assertIn("Stopped", self.window.status.text())

    def test_small_picture_finishes(self):
        self.window.picture.refining = True
        with mock.patch("kilnchisel.ui.view.shown.WINDOW_SAMPLES", 2):
            self.window.start_new("plaque")
            self.wait(lambda: "finished" in self.window.status.text(), "the mockup")
        self.assertEqual(self.window.picture.image.width(), self.window.picture.width())
