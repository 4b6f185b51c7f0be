"""A job put into a photo in the window: taken in, marked, moved about, lit, hidden, taken out again."""

from functools import partial
from unittest import mock

import numpy as np
from PIL import Image
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from kilnchisel.core.build import on_photo_of, scene_of_job, view_of
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.photo.cleared import shown_pixels
from kilnchisel.core.photo.marks import beginning, marks_of
from kilnchisel.core.photo.masks import mask_pixels
from kilnchisel.core.photo.reading import photo_pixels
from kilnchisel.core.picture.budget import FrameBudget
from kilnchisel.ui.standsbefore import StandsBefore, TakenAway
from kilnchisel.ui.view.groundmarks import ground_marks, height_at
from kilnchisel.ui.view.photomarks import in_photo_px, on_widget
from tests.core.test_photo import picture
from tests.ui.harness import WindowTest


class InAPhoto(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.session = self.window.session
        self.path = self.folder / "lawn.png"
        Image.fromarray(picture((960, 640))).save(self.path)

    def take(self):
        chosen = (str(self.path), "")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=chosen):
            self.window.into_photo()
        self.settle()
        return self.photo

    @property
    def photo(self):
        return self.session.job.setting.photo

    @property
    def size(self):
        return self.window.picture.width(), self.window.picture.height()

    def mark(self, number):
        x, y = on_widget(self.photo, np.array(marks_of(self.photo.told)), self.size)[number]
        return float(x), float(y)

    def test_taken_in_and_undone_in_one_step(self):
        before = self.session.job
        photo = self.take()
        self.assertEqual((photo.width_px, photo.height_px, photo.name), (960, 640, "lawn.png"))
        self.assertIn("photo", self.window.ticket.open_groups)
        self.assertEqual(self.window.ticket.handover.typed_size, "960x640")
        # what is seen above is the photo's sky, to its tone
        shown = self.pixels()
        spot = on_widget(photo, np.array([[100.0, 60.0]]), self.size)[0] / self.size
        x, y = (spot * shown.shape[1::-1]).astype(int)
        np.testing.assert_allclose(shown[y, x], (150, 180, 220), atol=9)
        self.assertLess(shown[3, shown.shape[1] // 2].max(), 40)  # beside the photo it is dark
        fields = self.window.ticket.forms["setting"].fields
        self.assertFalse([key for key in fields if key.startswith(("setting.camera", "setting.ground"))])
        self.session.undo()
        self.settle()
        self.assertEqual(self.session.job, before)

    def test_a_mark_is_dragged_and_the_camera_follows(self):
        self.take()
        view = view_of(self.session.job)
        start = self.mark(0)
        shown = self.window.picture
        in_time = mock.patch.object(FrameBudget, "scale", new_callable=mock.PropertyMock, return_value=0.35)
        with in_time, mock.patch.object(shown, "_ask", wraps=shown._ask) as asked:
            self.drag(start, (start[0], start[1] + 20), keys=Qt.KeyboardModifier.ShiftModifier, drop=False)
        # so large as can be drawn in time
        self.assertEqual({call.args[0] for call in asked.call_args_list}, {0.35})
        self.mouse(QEvent.Type.MouseButtonRelease, (start[0], start[1] + 20), False)
        self.assertAlmostEqual(self.mark(0)[1], start[1] + 20, delta=1)
        self.assertNotEqual(view_of(self.session.job).up.tolist(), view.up.tolist())
        self.settle()
        self.session.undo()
        self.assertAlmostEqual(self.mark(0)[1], start[1], delta=0.1)
        # where it would tell nothing it stays at the last good place
        below = self.mark(2)
        self.drag(below, (below[0], self.mark(0)[1] - 60), steps=30)
        self.assertEqual(view_of(self.session.job).eye[2] > 0, True)

    def test_a_mark_catches_on_what_is_in_the_photo(self):
        photo = self.take()
        corner = photo_spot = (480.0, 160.0)  # of the post
        near = on_widget(photo, np.array([photo_spot]), self.size)[0]
        start = self.mark(0)
        self.drag(start, (near[0] + 3, near[1] - 4), drop=False)
        np.testing.assert_allclose(marks_of(self.photo.told)[0], corner, atol=0.7)
        self.mouse(
            QEvent.Type.MouseMove, (near[0] + 3, near[1] - 4), keys=Qt.KeyboardModifier.ShiftModifier
        )
        self.assertGreater(np.abs(np.array(marks_of(self.photo.told)[0]) - corner).max(), 3)
        self.mouse(QEvent.Type.MouseButtonRelease, (near[0], near[1]), False)

    def line(self, link, start, end, drop=True):
        """A line over photo pixels, for a link of the ticket."""
        self.window.follow_link(link)
        ends = on_widget(self.photo, np.array([start, end], float), self.size)
        self.drag(tuple(ends[0]), tuple(ends[1]), drop=drop)

    def test_lines_over_the_photo_tell_its_light(self):
        self.take()
        before = self.session.job
        self.line("photo.sun", (500, 560), (700, 540))
        self.assertEqual(self.session.job.setting.light.lamps[0].kind, "sun")
        sun = self.session.job.setting.light.lamps[0]
        np.testing.assert_allclose(self.photo.shadow, [(500, 560), (700, 540)], atol=0.5)
        self.assertIsNone(self.window.picture.line)
        self.line("photo.white", (200, 100), (200, 500))
        told = self.session.job.setting.light
        self.assertEqual(told.lamps[0].turn_deg, sun.turn_deg)  # the sun is not forgotten
        self.assertNotEqual(told.lamps[0].strength, sun.strength)
        self.session.undo()
        self.session.undo()
        self.assertEqual(self.session.job, before)
        self.line("photo.sun", (500, 100), (700, 90))  # in the sky
        self.assertIn("on the ground", self.window.hint.text() + self.window.picture.notice)
        self.assertEqual(self.session.job, before)

    def test_lettering_on_cloth_is_shown_its_folds_and_pulled(self):
        self.take()
        told = beginning("rectangle", (960, 640)).model_copy(update={"width_mm": 300, "height_mm": 150})
        for path, value in (
            (("letterings", 0, "craft"), Printed()),
            (("letterings", 0, "finish"), Ink(colour="#101020")),
            (("setting", "photo", "told"), told),
        ):
            self.session.put(change(self.session.job, path, value), path[-1])
        spec = self.field("setting", "photo.cloth").spec
        self.session.put(spec.put(self.session.job, "cloth"), "cloth")
        self.settle()
        self.assertEqual(self.photo.shown, "lettering")
        middle = np.array(in_photo_px(self.photo, self.lettering_middle(), self.size))
        self.line("folds.wide", middle - (30, 0), middle + (30, 0))
        wide = self.photo.folds.wide_mm
        self.line("folds.wide", middle - (60, 0), middle + (60, 0))
        self.assertAlmostEqual(self.photo.folds.wide_mm / wide, 2, delta=0.1)
        self.line("folds.light", middle, middle + (80, 0))
        self.assertAlmostEqual(self.photo.folds.light_deg, 0, delta=12)
        self.settle()
        before = self.pixels()
        self.line("folds.pull", middle, middle + (0, -40))
        self.settle()
        self.assertEqual(len(self.photo.folds.pulls), 1)
        self.assertGreater((np.abs(self.pixels() - before).max(axis=2) > 30).sum(), 40)
        self.assertIsNotNone(self.window.picture.line)  # another may follow
        self.key(self.window.picture, Qt.Key.Key_Escape)
        self.assertIsNone(self.window.picture.line)
        self.window.follow_link("folds.unpull")
        self.assertEqual(self.photo.folds.pulls, ())
        self.session.put(spec.put(self.session.job, "flat"), "flat")
        self.assertIsNone(self.photo.folds)

    def test_several_pieces_are_taken_in_hand_by_turns(self):
        self.take()
        first = self.session.job
        self.window.follow_link("photo.another")
        self.settle()
        self.assertEqual(len(self.session.job.others), 1)
        self.session.put(change(self.session.job, ("blank", "width_mm"), 77.0), "width")
        spec = self.field("setting", "photo.piece").spec
        self.assertEqual([number for number, _ in spec.options], [0, 1])
        self.session.put(spec.put(self.session.job, 1), "in hand")
        self.settle()
        self.assertEqual(self.session.job.blank, first.blank)
        self.assertEqual(self.session.job.others[0].blank.width_mm, 77.0)
        both = self.pixels()
        self.window.follow_link("photo.alone")
        self.settle()
        self.assertEqual((self.session.job.blank.width_mm, self.session.job.others), (77.0, ()))
        self.assertGreater((np.abs(self.pixels() - both).max(axis=2) > 20).sum(), 200)
        self.session.undo()
        self.settle()
        np.testing.assert_allclose(self.pixels(), both, atol=3)
        path = self.folder / "mug.kcj"
        save_packed(fresh_job("mug", "Tea"), path)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.window.follow_link("photo.beside")
        self.settle()
        self.assertEqual((self.session.job.blank.kind, len(self.session.job.others)), ("mug", 2))

    def lettering_middle(self):
        """Where on the widget the lettering is seen."""
        drawn = self.window.picture.drawn
        scene = scene_of_job(self.session.job)
        points = np.concatenate([i.mesh.points for i in scene.items if "lettering" in i.mask])
        spots = points @ scene.stance[:3, :3].T + scene.stance[:3, 3]
        seen = drawn.view.project(spots, self.size)[:, :2]
        return tuple((seen.min(axis=0) + seen.max(axis=0)) / 2)

    def test_the_ground_is_shaped_by_dragging_its_heights(self):
        self.new("bank")
        self.session.put(change(self.session.job, ("blank", "width_mm"), 6000.0), "width")
        self.take()
        self.window.follow_link("ground.shape")
        self.settle()
        before = self.session.job
        number = 7  # the middle of the back row
        start = tuple(map(float, ground_marks(before, self.size)[number]))
        self.assertEqual(height_at(before, start, self.size), number)
        self.drag(start, (start[0], start[1] - 24))
        self.settle()
        heights = self.session.job.blank.heights
        self.assertGreater(heights[1][2], 50)
        self.assertEqual([h for row in heights for h in row if h], [heights[1][2]])
        # it is where it was dragged to, and what is far from it is where it was
        now = ground_marks(self.session.job, self.size)
        np.testing.assert_allclose(now[number], (start[0], start[1] - 24), atol=1.0)
        np.testing.assert_allclose(now[0], ground_marks(before, self.size)[0], atol=0.5)
        self.session.undo()
        self.assertEqual(self.session.job, before)
        self.window.follow_link("ground.level")
        self.assertEqual(self.session.job.blank.heights, ())
        self.assertEqual(len(ground_marks(self.session.job, self.size)), 0)

    def test_the_photo_as_it_came_while_a_key_is_held(self):
        photo = self.take()
        picture = self.window.picture
        x, y = on_widget(photo, np.array([[490.0, 400.0]]), self.size)[0]

        def grabbed():
            return picture.grab().toImage().pixelColor(round(x), round(y)).getRgb()[:3]

        QTest.keyPress(picture, Qt.Key.Key_B)
        np.testing.assert_allclose(grabbed(), photo_pixels(photo.sha256, photo.name)[400, 490], atol=6)
        marks = [round(v) for v in self.mark(0)]
        at = picture.grab().toImage().pixelColor(*marks).getRgb()[:3]
        QTest.keyRelease(picture, Qt.Key.Key_B)
        self.assertNotEqual(picture.grab().toImage().pixelColor(*marks).getRgb()[:3], at)

    def test_a_press_without_marks_moves_the_piece_over_the_ground(self):
        self.take()
        self.window.ticket.open_group("photo", open_=False)
        before = self.photo
        spot = on_widget(before, np.array([before.told.below]), self.size)[0]
        start = float(spot[0]) + 90, float(spot[1]) + 10
        self.drag(start, (start[0] + 50, start[1]))
        after = self.photo
        self.assertGreater(after.beside_mm, before.beside_mm)
        # what was under the pointer is under it still
        turn = on_photo_of(self.session.job).plane
        self.assertEqual(after.above_mm, before.above_mm)
        self.assertIsNotNone(turn)
        self.session.undo()
        self.assertEqual(self.photo, before)

    def test_the_camera_is_the_photo_s(self):
        self.take()
        camera = self.session.job.setting.camera
        spot = QPointF(40, 40)
        wheel = QWheelEvent(
            spot,
            spot,
            QPoint(0, 0),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.window.picture, wheel)
        self.assertIn("seen from where its photo was taken", self.window.picture.notice)
        self.window.look_from_afar()
        self.window.look_home()
        self.assertEqual(self.session.job.setting.camera, camera)

    def test_another_way_of_telling_it_begins_with_marks_of_its_own(self):
        self.take()
        for kind, count in (("rectangle", 4), ("lines", 10), ("rims", 6), ("horizon", 3)):
            spec = self.field("setting", "told.kind").spec
            self.session.put(spec.put(self.session.job, kind), "told")
            self.settle()
            self.assertEqual(len(marks_of(self.photo.told)), count)
            self.assertEqual(self.window.picture.notice, "")

    def test_hidden_behind_a_mask_and_taken_out(self):
        self.take()
        mask = self.folder / "mask.png"
        Image.fromarray(np.pad(np.full((640, 300), 255, np.uint8), ((0, 0), (660, 0)))).save(mask)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(mask), "")):
            self.window.follow_link("photo.mask")
        self.assertIsNotNone(self.photo.before)
        self.settle()
        self.window.follow_link("photo.unmask")
        self.assertIsNone(self.photo.before)
        self.window.follow_link("photo.light")
        self.window.follow_link("photo.out")
        self.assertIsNone(self.photo)
        self.settle()
        self.assertEqual(self.window.picture.notice, "")

    def stroke(self, canvas, *spots):
        """A brush drawn over photo pixels."""
        box = canvas.place()
        at = [
            QPoint(round(box.x() + x / 960 * box.width()), round(box.y() + y / 640 * box.height()))
            for x, y in spots
        ]
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at[0])
        for one in at[1:]:
            QTest.mouseMove(canvas, one)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at[-1])

    def test_what_is_painted_over_is_taken_away(self):
        photo = self.take()
        before = photo_pixels(photo.sha256, photo.name)
        post = (slice(200, 400), slice(482, 498))
        dialog = TakenAway(photo, self.window.theme, self.window)
        self.addCleanup(dialog.close)
        dialog.show()
        dialog.brush.setValue(6)
        self.stroke(dialog.canvas, (490, 150), (490, 636))
        strokes = dialog.strokes
        with mock.patch.object(TakenAway, "exec", lambda made: made.canvas.put(list(strokes)) or True):
            self.window.follow_link("photo.fill")
        shown = shown_pixels(self.photo)
        # the post is gone, and what is far from it is as it was
        self.assertGreater(np.abs(shown[post].astype(int) - before[post]).mean(), 30)
        np.testing.assert_array_equal(shown[:, :400], before[:, :400])
        self.settle()
        box = self.photo, self.size
        x, y = (on_widget(box[0], np.array([[490.0, 300.0]]), box[1])[0] / self.size).tolist()
        seen = self.pixels()
        at = seen[int(y * seen.shape[0]), int(x * seen.shape[1])]
        np.testing.assert_allclose(at, shown[300, 490], atol=9)
        # opened again it has its strokes; without any nothing is taken away
        again = TakenAway(self.photo, self.window.theme, self.window)
        self.assertEqual(len(again.brushes), 1)
        again.close()
        with mock.patch.object(TakenAway, "exec", lambda made: made.canvas.put([]) or True):
            self.window.follow_link("photo.fill")
        self.assertIsNone(self.photo.cleared)
        self.session.undo()
        self.assertIsNotNone(self.photo.cleared)
        self.window.follow_link("photo.unfill")
        self.assertIsNone(self.photo.cleared)

    def test_its_file_is_referred_to_or_held(self):
        self.take()
        other = self.folder / "other.png"
        Image.fromarray(picture((960, 640))[::-1]).save(other)
        for path, refers in ((other, ""), (self.path, str(self.path.resolve()))):
            with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
                self.window.follow_link("photo.refer")
            self.assertEqual(self.photo.path, refers)
            self.assertIn("or not the same", self.window.hint.text() + self.window.picture.notice)
        self.window.follow_link("photo.hold")
        self.assertEqual(self.photo.path, "")

    def test_painted_over_it_grows_to_its_edges(self):
        photo = self.take()
        dialog = StandsBefore(photo, self.window.theme, self.window)
        self.addCleanup(dialog.close)
        dialog.show()
        canvas, stroke = dialog.canvas, partial(self.stroke, dialog.canvas)
        dialog.brush.setValue(1)
        stroke((490, 250), (490, 600))  # down the post
        self.assertIsNone(canvas.grown)
        self.click(dialog.ways.button(1))
        stroke((100, 100), (850, 110))
        stroke((100, 500), (400, 560))
        stroke((600, 560), (850, 500))
        self.wait(lambda: canvas.grown is not None, "what grows")
        strokes = len(dialog.strokes)
        dialog.undo()
        self.assertEqual(len(dialog.strokes), strokes - 1)
        with mock.patch.object(StandsBefore, "exec", lambda made: made.canvas.put(dialog.strokes) or True):
            self.window.follow_link("photo.strokes")
        mask = self.photo.before
        self.assertEqual(len(mask.strokes), strokes - 1)
        amount = mask_pixels(mask) > 127
        truth = np.zeros(amount.shape, bool)
        truth[160:630, 480:500] = True
        self.assertGreater((amount & truth).sum() / (amount | truth).sum(), 0.9)
        # opened again it has its strokes
        again = StandsBefore(self.photo, self.window.theme, self.window)
        self.assertEqual([one.before for one in again.brushes], [one.before for one in mask.strokes])
        np.testing.assert_allclose(again.brushes[0].points, mask.strokes[0].points, atol=0.2)
        again.close()

    def test_a_photo_that_cannot_be_read_is_told_and_nothing_is_lost(self):
        before = self.session.job
        self.path.write_bytes(b"no photo")
        chosen = (str(self.path), "")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=chosen):
            self.window.into_photo()
        self.assertIn("damaged, cut short", self.window.hint.text() + self.window.picture.notice)
        self.assertEqual(self.session.job, before)

    def test_widget_and_photo_pixels_there_and_back(self):
        self.take()
        spot = (123.0, 456.0)
        x, y = on_widget(self.photo, np.array([spot]), self.size)[0]
        np.testing.assert_allclose(in_photo_px(self.photo, (x, y), self.size), spot, atol=1e-9)
