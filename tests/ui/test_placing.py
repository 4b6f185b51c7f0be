"""Placing on the object itself: new handles, typing in place, any side by a click, meshes."""

from pathlib import Path
from unittest import mock

import numpy as np
import trimesh
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QAbstractButton

from kilnchisel.core.job.artwork import Badge, Shape
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.tradeplaces import PLACES
from kilnchisel.core.job.wording import Circle, Rows
from kilnchisel.core.shop.readings import readings as readings_of
from kilnchisel.ui.meshes import MeshDialog
from kilnchisel.ui.view.band import on_picture
from tests.ui.harness import WindowTest, inside


class OnTheObject(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.settle()
        self.picture = self.window.picture

    def handle(self, kind):
        return next(handle for handle in self.picture.band.handles if handle.kind == kind)

    def at(self, index=0):
        """The middle of a lettering on the picture."""
        laid = self.picture.drawn.laid[index]
        size = (self.picture.width(), self.picture.height())
        return tuple(on_picture(self.picture.drawn, laid, laid.frame.mean(axis=0)[None], size)[0][0])

    def test_the_bar_below_bends_and_straightens(self):
        bar = self.handle("bend").at
        self.drag(bar, (bar[0], bar[1] - 40))
        self.settle()
        way = self.lettering.content.arrangement
        self.assertIsInstance(way, Circle)
        self.assertEqual(way.heads, "out")
        self.assertIn("bend", self.window.undo_button.toolTip())
        self.window.undo()
        self.assertIsInstance(self.lettering.content.arrangement, Rows)

    def test_the_bar_of_words_that_are_a_shape_by_now_bends_nothing(self):
        bar, shape = self.handle("bend").at, Shape(form=Badge())
        self.window.session.edit(("letterings", 0, "content"), shape)  # the picture still shows the words
        self.drag(bar, (bar[0], bar[1] - 40))
        self.assertEqual(self.lettering.content, shape)

    def test_the_bar_beside_spreads(self):
        before = self.picture.drawn.laid[0].width_mm
        bar = self.handle("spread").at
        self.drag(bar, (bar[0] + 50, bar[1]))
        self.settle()
        self.assertEqual(self.lettering.content.fit.by, "spacing")
        self.assertGreater(self.picture.drawn.laid[0].width_mm, before + 5)

    def test_typing_with_a_caret_on_the_object(self):
        self.mouse(QEvent.Type.MouseButtonDblClick, self.at())
        self.assertIsNotNone(self.picture.caret)
        self.key(self.picture, Qt.Key.Key_End)
        for key in (Qt.Key.Key_Exclam, Qt.Key.Key_1):
            self.key(self.picture, key)
        self.assertEqual(self.lettering.content.text, "Your words!1")
        self.assertEqual(self.window.ticket.open_section, "wording")  # a digit is a letter here
        self.key(self.picture, Qt.Key.Key_Backspace)
        self.key(self.picture, Qt.Key.Key_Home)
        self.key(self.picture, Qt.Key.Key_Delete)
        self.key(self.picture, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.lettering.content.text, "oour words!")
        self.key(self.picture, Qt.Key.Key_Return)
        self.assertEqual(self.lettering.content.text, "o\nour words!")
        self.settle()
        self.key(self.picture, Qt.Key.Key_Escape)
        self.assertIsNone(self.picture.caret)
        self.window.undo()
        self.assertEqual(self.lettering.content.text, "Your words")

    def test_typing_ends_where_something_else_than_words_is_chosen(self):
        self.mouse(QEvent.Type.MouseButtonDblClick, self.at())
        self.window.add_shape()
        self.assertIsNone(self.picture.caret)
        before = self.window.session.job
        self.key(self.picture, Qt.Key.Key_A)
        self.assertIs(self.window.session.job, before)

    def test_the_caret_is_drawn_between_letters(self):
        self.mouse(QEvent.Type.MouseButtonDblClick, self.at())
        self.settle()
        with_caret = self.picture.grab().toImage()
        self.picture.end_typing()
        self.assertNotEqual(with_caret, self.picture.grab().toImage())

    def test_ctrl_click_puts_it_there_and_double_click_adds_one(self):
        x, y = self.at()
        self.mouse(
            QEvent.Type.MouseButtonPress, (x - 60, y + 40), True, Qt.KeyboardModifier.ControlModifier
        )
        self.assertLess(self.lettering.lay.along_mm, -5)
        self.window.undo()
        self.settle()
        laid, size = self.picture.drawn.laid[0], (self.picture.width(), self.picture.height())
        place = on_picture(self.picture.drawn, laid, np.array([[-50.0, -35.0]]), size)[0][0]
        self.mouse(QEvent.Type.MouseButtonDblClick, tuple(place))
        self.assertEqual(len(self.window.session.job.letterings), 2)
        self.assertAlmostEqual(self.lettering.lay.across_mm, -35, delta=0.1)
        self.mouse(QEvent.Type.MouseButtonDblClick, (8.0, 8.0))  # beside the piece: nothing
        self.assertEqual(len(self.window.session.job.letterings), 2)

    def test_a_double_click_before_the_draft_is_on_what_is_seen(self):
        self.new("tumbler")
        self.settle()
        picture = self.window.picture
        laid, size = picture.drawn.laid[0], (picture.width(), picture.height())
        place = on_picture(picture.drawn, laid, laid.middle[None] - (0.0, 30.0), size)[0][0]
        made = self.bodies_made()
        inside().draws = False  # the draft takes a while
        self.window.session.edit(("blank", "top_mm"), 77.75)
        self.mouse(QEvent.Type.MouseButtonDblClick, tuple(place))
        self.assertEqual(len(self.window.session.job.letterings), 2)
        self.assertEqual(made, [])

    def test_a_drag_catches_by_another_lettering_and_shows_it(self):
        first = self.lettering
        second = first.model_copy(update={"lay": Lay(side="front", along_mm=31.3, across_mm=-40)})
        job = self.window.session.job.model_copy(update={"letterings": (first, second)})
        self.window.session.put(job, "two")
        self.settle()
        x, y = self.at(0)
        laid = self.picture.drawn.laid[0]
        size = (self.picture.width(), self.picture.height())
        spots = laid.middle[None] + np.array([[0.0, 0.0], [31.0, 0.0]])
        step = np.diff(on_picture(self.picture.drawn, laid, spots, size)[0], axis=0)[0]
        self.drag((x, y), (x + step[0], y + step[1]), drop=False)
        self.assertEqual(self.lettering.lay.along_mm, 31.3)
        self.assertTrue(self.picture._drag.guides)
        self.mouse(QEvent.Type.MouseButtonRelease, (x + step[0], y + step[1]), False)

    def test_stretch_is_painted_on_request(self):
        self.window.session.start(fresh_job("globe", "MARE NOCTIS"))
        self.settle()
        before = self.picture.grab().toImage()
        self.window.toggle_stretch()
        self.assertNotEqual(before, self.picture.grab().toImage())
        self.window.toggle_stretch()
        self.assertEqual(before, self.picture.grab().toImage())

    def test_line_up_and_between_from_the_ticket(self):
        self.window.session.start(fresh_job("van"))
        self.settle()
        before = self.lettering.lay
        self.window.follow_link("lay.between along")
        self.assertNotEqual(self.lettering.lay.along_mm, before.along_mm)
        self.window.duplicate_lettering()
        self.window.session.edit(("letterings", 1, "lay", "along_mm"), 1500.0)
        menu = self.field("lay", "line up")
        menu.list.actions()[2].trigger()
        places = {item.lay.along_mm for item in self.window.session.job.letterings}
        self.assertEqual(len(places), 1)

    def test_a_print_goes_where_the_trade_puts_it(self):
        self.window.session.start(fresh_job("apparel", "CREW"))
        self.settle()
        menu = self.field("lay", "at place")
        names = [action.text() for action in menu.list.actions()]
        menu.list.actions()[names.index("Left chest")].trigger()
        self.settle()
        readings = {one.key: one.value for one in readings_of(self.window.session.job, 0)}
        self.assertAlmostEqual(readings["collar"], PLACES["left chest"].below, delta=0.02)
        self.assertAlmostEqual(readings["middle"], 100, delta=0.02)
        menu = self.field("lay", "at place")
        menu.list.actions()[names.index("Full back")].trigger()
        self.assertEqual(self.lettering.lay.side, "back")
        self.window.undo()
        self.window.undo()
        self.assertEqual(self.lettering.lay, fresh_job("apparel", "CREW").letterings[0].lay)

    def test_another_size_of_a_garment_is_another_pattern(self):
        self.window.session.start(fresh_job("apparel", "CREW"))
        self.settle()
        wide = self.picture.drawn.laid[0].side.domain.bounds[2]
        self.window.session.edit(("blank", "size"), "XL")
        self.settle()
        self.assertAlmostEqual(self.picture.drawn.laid[0].side.domain.bounds[2] - wide, 50, delta=0.1)

    def test_a_garment_is_laid_flat_from_the_ticket_and_the_setting_goes_along(self):
        """What is seen changes, the letters stay on the cloth, and one step takes both back."""
        self.window.session.start(fresh_job("apparel", "CREW"))
        self.settle()
        before = self.window.session.job
        menu = self.field("blank", "blank.shown")
        names = [action.text() for action in menu.list.actions()]
        self.assertEqual(names, ["Worn", "On a hanger", "Laid flat", "Folded"])
        menu.list.actions()[2].trigger()
        self.settle()
        job = self.window.session.job
        self.assertEqual((job.blank.shown, job.letterings), ("laid flat", before.letterings))
        self.assertGreater(job.setting.camera.tilt_deg, 40)
        self.window.undo()
        self.assertEqual(self.window.session.job, before)


class Meshes(WindowTest):
    def file(self):
        path = Path(self.folder) / "pebble.stl"
        ball = trimesh.creation.icosphere(3, radius=1.0)
        ball.vertices *= (4.0, 3.0, 2.5)
        path.write_bytes(ball.export(file_type="stl"))
        return path

    def test_the_unit_is_asked_and_compared(self):
        dialog = MeshDialog(self.file(), self.window)
        dialog.show()
        self.addCleanup(dialog.deleteLater)
        self.wait(lambda: dialog.file is not None, "the mesh")
        words = [button.accessibleName() for button in dialog.findChildren(QAbstractButton)]
        self.assertTrue(any("about as large as a mug" in name for name in words), words)
        next(b for b in dialog.units.buttons() if b.text() == "cm").click()
        self.click(dialog.take)
        self.assertIsInstance(dialog.blank, Mesh3D)
        np.testing.assert_allclose(dialog.blank.size_mm, (80, 60, 50), rtol=1e-4)

    def test_a_broken_mesh_says_why(self):
        path = Path(self.folder) / "broken.ply"
        path.write_bytes(b"ply\nnothing")
        dialog = MeshDialog(path, self.window)
        dialog.show()
        self.addCleanup(dialog.deleteLater)
        self.wait(lambda: "cannot be read" in dialog.words.text(), "the reason")
        self.assertFalse(dialog.take.isVisible())
        self.click(dialog.stop)

    def test_a_lettering_is_dragged_over_a_mesh(self):
        from kilnchisel.core.blanks.meshfile import mesh_of_file

        blank = mesh_of_file(self.file()).blank(10.0, "z")
        self.window.begin(job_on(blank, "Pebble", "TARN"), None)
        self.window.session.edit(("letterings", 0, "content", "cap_height_mm"), 12.0)
        self.settle()
        picture = self.window.picture
        self.assertEqual(picture.notice, "")
        size = (picture.width(), picture.height())
        laid = picture.drawn.laid[0]
        x, y = on_picture(picture.drawn, laid, laid.frame.mean(axis=0)[None], size)[0][0]
        self.drag((x, y), (x + 30, y - 20))
        self.settle()
        spot = np.array(self.lettering.lay.spot)
        # on the pebble: x²/40² + y²/30² + (z - 25)²/25² = 1
        self.assertAlmostEqual(float((((spot - (0, 0, 25)) / (40, 30, 25)) ** 2).sum()), 1.0, delta=0.02)
        self.assertGreater(spot[0], 2)
        self.key(picture, Qt.Key.Key_Right)
        self.assertGreater(self.lettering.lay.spot[0], spot[0])
        # the section is filled in without unrolling anything in the window's own thread
        with mock.patch("kilnchisel.core.laying.patch.log_map", side_effect=AssertionError("unrolled")):
            self.window.ticket.open_section = None
            self.window.ticket.show_section("lay")
        sides = self.field("lay", "wrap")
        sides.group.button(1).click()
        self.assertEqual(self.lettering.lay.wrap, "project")
        self.settle()
        self.assertEqual(picture.notice, "")
