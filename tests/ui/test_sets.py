"""Sets in the ticket: chosen by small pictures of the piece, kept, and their lights."""

import os
import tempfile
import threading
from unittest import mock

import numpy as np
import OpenEXR
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QPushButton

from kilnchisel.core import build
from kilnchisel.core.job.sets import kept_sets, set_of, sets_for
from tests.ui.harness import WindowTest


class WithTiles(WindowTest):
    sharp = True

    def tiles(self):
        self.window.ticket.show_section("setting")
        return self.window.ticket.forms["setting"].fields["setting.set"]


class SetPictures(WithTiles):
    set_pictures = True

    def test_pictures_of_this_piece_come_by_themselves(self):
        # the bench goes on when the test is over and may write one more texture while the folder is removed
        cache = self.enterContext(tempfile.TemporaryDirectory(ignore_cleanup_errors=True))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": cache}))
        self.new()
        two = sets_for(self.window.session.job.blank)[:2]
        with (
            mock.patch("kilnchisel.core.handover.setpictures.sets_for", lambda blank: two),
            mock.patch("kilnchisel.ui.setdesk.RESTS_S", 0.1),
            mock.patch("kilnchisel.ui.setdesk.BEHIND", 0),  # other tests beside it are no person's work
        ):
            made = []
            self.window.sets.made.connect(lambda job, name, pixels: made.append((name, pixels.mean())))
            field = self.tiles()
            empty = field.group.button(0).icon().cacheKey()
            self.wait(lambda: len(made) == 2, "two pictures")
        self.assertEqual([name for name, _ in made], [one.name for one in two])
        self.assertNotEqual(field.group.button(0).icon().cacheKey(), empty)
        shown = field.group.button(0).icon().pixmap(78, 52).toImage()
        self.assertGreater(np.ptp([shown.pixelColor(x, 26).lightness() for x in range(78)]), 40)


class Sets(WithTiles):
    def test_one_click_puts_the_piece_into_a_set_and_one_undo_takes_it_back(self):
        self.new()
        before = self.window.session.job
        field = self.tiles()
        self.assertEqual(field.group.checkedButton().toolTip(), "Table by a window")
        button = field.group.button(1)
        self.click(button)
        self.settle()
        self.assertEqual(set_of(self.window.session.job), "warm grey sweep")
        self.assertTrue(button.isChecked())
        self.assertIn("Warm grey sweep", self.words("setting"))
        self.window.session.undo()
        self.settle()
        self.assertEqual(self.window.session.job, before)
        self.window.session.edit(("setting", "light", "strength"), 61.0, "strength")
        self.settle()
        self.assertIsNone(field.group.checkedButton())

    def words(self, key):
        ticket = self.window.ticket
        ticket.toggle(key)
        said = ticket.sections[key].words.text()
        ticket.toggle(key)
        return said

    def test_pictures_of_a_job_that_has_changed_are_not_shown(self):
        self.new()
        field = self.tiles()
        before = field.group.button(0).icon().cacheKey()
        other = self.window.session.job.model_copy(update={"name": "other"})
        self.window.ticket.show_set_picture(other, "white sweep", np.zeros((20, 30, 3), np.uint8))
        self.assertEqual(field.group.button(0).icon().cacheKey(), before)

    def test_a_setting_is_kept_and_forgotten(self):
        self.new()
        self.click(self.tiles().group.button(0))
        self.window.session.edit(("setting", "ground", "colour"), "#aa3311", "colour")
        self.settle()
        with mock.patch.object(QInputDialog, "getText", return_value=("Red", True)):
            self.window.follow_link("set.keep")
        self.settle()
        self.assertEqual([one.name for one in kept_sets()], ["Red"])
        self.assertEqual(self.tiles().group.checkedButton().text(), "Red")
        with mock.patch.object(QInputDialog, "getText", return_value=("white sweep", True)):
            self.window.follow_link("set.keep")
        self.assertIn("comes with the program", self.window.picture.notice)
        self.window.follow_link("set.forget")
        self.assertEqual(kept_sets(), ())

    def test_a_light_follows_its_highlight(self):
        self.new()
        self.click(self.tiles().group.button(1))
        self.settle()
        before = self.window.session.job
        self.window.follow_link("lamp.place.0")
        picture = self.window.picture
        middle = (picture.width() / 2, picture.height() / 2)
        self.drag(middle, (middle[0] + 12, middle[1] + 6))
        self.settle()
        after = self.window.session.job.setting.light.lamps
        self.assertNotEqual(after[0].turn_deg, before.setting.light.lamps[0].turn_deg)
        self.assertEqual(after[1:], before.setting.light.lamps[1:])
        self.assertIsNone(picture.pointing)
        self.window.session.undo()  # one step, however far it was dragged
        self.assertEqual(self.window.session.job, before)
        self.window.follow_link("camera.focus")
        self.drag(middle, middle)
        self.settle()
        self.assertNotEqual(self.window.session.job.setting.camera.focus_mm, 0.0)
        self.window.follow_link("lamp.place.0")
        self.key(picture, Qt.Key.Key_Escape)
        self.assertIsNone(picture.pointing)

    def test_a_light_is_placed_from_what_came_with_the_draft(self):
        self.new("apron")
        self.settle()
        asked = []  # by whom where the piece is, which takes its whole body
        known = build._ball_of

        def watched(job):
            asked.append(threading.current_thread())
            return known(job)

        self.enterContext(mock.patch.object(build, "_ball_of", watched))
        before = self.window.session.job.setting.light.lamps
        self.window.follow_link("lamp.place.0")
        middle = (self.window.picture.width() / 2, self.window.picture.height() / 2)
        self.drag(middle, (middle[0] + 12, middle[1] + 6))
        self.assertNotEqual(self.window.session.job.setting.light.lamps, before)
        self.settle()
        self.assertTrue(asked)
        self.assertNotIn(threading.main_thread(), asked)

    def test_a_view_is_kept_and_gone_back_to(self):
        self.new()
        self.tiles()
        self.window.ticket.open_group("camera", open_=True)
        with mock.patch.object(QInputDialog, "getText", return_value=("Front", True)):
            self.window.follow_link("camera.keep")
        self.settle()
        seen = self.window.session.job.setting.camera
        self.window.session.edit(("setting", "camera", "turn_deg"), 80.0, "round")
        self.settle()
        menu = self.field("setting", "camera.place").list
        self.assertEqual([action.text() for action in menu.actions()], ["Moved away", "Front"])
        menu.actions()[1].trigger()
        self.settle()
        self.assertEqual(self.window.session.job.setting.camera, seen)
        self.window.follow_link("camera.forget")
        self.assertEqual(self.window.session.job.setting.places, ())

    def test_the_picture_is_copied_as_it_is_shown(self):
        self.new()
        self.settle()
        self.window.copy_picture()
        copied = self.app.clipboard().image()
        shown = self.window.picture.image
        self.assertEqual(copied.size(), shown.size())
        for x, y in ((10, 10), (shown.width() // 2, shown.height() // 2)):
            self.assertEqual(copied.pixelColor(x, y).rgb(), shown.pixelColor(x, y).rgb())
        self.assertIn("Copied", self.window.hint.text())

    def test_lights_are_added_switched_and_removed(self):
        self.new()
        self.tiles()
        self.window.ticket.open_group("lights", open_=True)
        self.window.follow_link("lamp.add")
        self.settle()
        self.assertEqual(len(self.window.session.job.setting.light.lamps), 3)
        kelvin = self.field("setting", "setting.light.lamps.2.kelvin")
        self.type(kelvin.line, "3200 K")
        self.settle()
        self.assertEqual(self.window.session.job.setting.light.lamps[2].kelvin, 3200)
        switch = self.field("setting", "setting.light.lamps.2.on")
        self.click(switch.group.button(1))
        self.settle()
        self.assertFalse(self.window.session.job.setting.light.lamps[2].on)
        self.window.follow_link("lamp.remove.2")
        self.assertEqual(len(self.window.session.job.setting.light.lamps), 2)


class MoreOfIt(WindowTest):
    sharp = True

    def setting(self, *groups):
        ticket = self.window.ticket
        ticket.show_section("setting")
        for group in groups:
            ticket.open_group(group, open_=True)
        self.settle()
        return ticket.forms["setting"].fields

    def test_the_same_piece_again_in_an_arrangement_and_by_hand(self):
        self.new()
        before = self.window.session.job
        field = self.setting("copies")["setting.copies"]
        self.assertEqual(field.spec.get(before), "alone")
        self.window.ticket.forms["setting"].edited.emit(field.spec, "front and back", "")
        self.settle()
        self.assertEqual(len(self.window.session.job.setting.copies), 1)
        self.window.follow_link("copy.add")
        self.window.follow_link("copy.finish.1")
        self.settle()
        copies = self.window.session.job.setting.copies
        self.assertEqual([one.finish is None for one in copies], [True, False])
        self.assertIn("setting.copies.1.finish.kind", self.setting("copies", "copy1"))
        self.window.follow_link("copy.alike.1")
        self.window.follow_link("copy.remove.0")
        self.settle()
        self.assertEqual(len(self.window.session.job.setting.copies), 1)
        for _ in range(5):
            self.window.session.undo()
        self.assertEqual(self.window.session.job, before)

    def test_from_afar_and_back(self):
        self.new()
        near = self.window.session.job.setting.camera
        with mock.patch.object(QInputDialog, "getText", return_value=("12 m", True)):
            self.click(self.window.looks.button(2))
        self.settle()
        camera = self.window.session.job.setting.camera
        self.assertEqual(camera.distance_mm, 12_000)
        self.assertEqual(self.window.looks.checkedButton().text(), "From afar")
        self.click(self.window.looks.button(1))
        self.settle()
        self.assertEqual(self.window.session.job.setting.camera, near)
        self.assertEqual(self.window.looks.checkedButton().text(), "Walk round")
        with mock.patch.object(QInputDialog, "getText", return_value=("", False)):
            self.click(self.window.looks.button(2))
        self.assertEqual(self.window.looks.checkedButton().text(), "Walk round")

    def test_the_picture_is_dragged_out_as_pixels_and_as_a_file(self):
        self.new()
        handed = []

        def take(drag, *_):
            data = drag.mimeData()
            handed.append((data.imageData().width(), data.urls()[0].toLocalFile()))

        self.settle()
        ticket = self.window.ticket
        ticket.show_section("hand-over")
        handle = next(b for b in ticket.handover.findChildren(QPushButton) if "Drag" in b.text())
        with mock.patch("kilnchisel.ui.window.QDrag.exec", take):
            QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=QPoint(10, 8))
            left = Qt.MouseButton.LeftButton
            for x in (12, 90):  # the first step is no drag yet
                at, plain = QPointF(x, 8), Qt.KeyboardModifier.NoModifier
                move = QMouseEvent(QEvent.Type.MouseMove, at, at, Qt.MouseButton.NoButton, left, plain)
                QApplication.sendEvent(handle, move)
        self.assertEqual(len(handed), 1)
        self.assertEqual(handed[0][0], self.window.picture.image.width())
        self.assertEqual(QImage(handed[0][1]).width(), handed[0][0])

    def test_a_place_of_ones_own_is_dropped_on_the_window(self):
        self.new()
        path = self.folder / "sky.exr"
        sky = np.full((32, 64), 0.5, np.float32)
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, dict.fromkeys("RGB", sky)).write(str(path))
        self.window.take_place(path)
        self.settle()
        self.assertEqual(self.window.session.job.setting.light.room.name, "sky.exr")
        self.assertIn("setting.light.room", self.setting("lights"))
        path.write_bytes(b"nothing")
        self.window.take_place(path)
        self.assertIn("neither", self.window.picture.notice)
