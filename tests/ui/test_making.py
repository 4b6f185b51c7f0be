"""Craft and Finish in the real window: wear, species, fittings, the brush that paints a background away."""

import unittest
from itertools import pairwise
from unittest import mock

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Shape, Stroke
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import SPECIES
from kilnchisel.core.job.words.sections import sentence
from kilnchisel.core.lettering.content import outline_of_content
from kilnchisel.ui.masking import MaskDialog, dialog_for
from kilnchisel.ui.theme import DAY
from tests.outside.test_fields import ramp
from tests.ui.harness import WindowTest


class MakingTest(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")

    def field(self, section, key):
        self.window.ticket.show_section(section)
        self.app.processEvents()
        fields = self.window.ticket.forms[section].fields
        return fields[next(name for name in fields if name.endswith(key))]

    def choose(self, section, key, words):
        menu = self.field(section, key).list
        next(action for action in menu.actions() if action.text() == words).trigger()
        self.app.processEvents()

    def type(self, section, key, text):
        line = self.field(section, key).line
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.app.processEvents()

    @property
    def job(self):
        return self.window.session.job


class Finishes(MakingTest):
    sharp = True

    def test_a_species_sets_its_parameters_and_is_found_again(self):
        self.choose("finish", "letterings.0.finish.kind", "Wood")
        self.choose("finish", "finish.species", "Walnut")
        finish = self.job.letterings[0].finish
        self.assertEqual((finish.colour, finish.ring_mm, finish.pores), SPECIES["walnut"])
        self.assertEqual(self.field("finish", "finish.species").spec.get(self.job), "walnut")
        self.type("finish", "finish.ring_mm", "3 mm")
        self.assertEqual(self.field("finish", "finish.species").spec.get(self.job), "")

    def test_gold_by_the_carat(self):
        self.choose("finish", "letterings.0.finish.kind", "Gold")
        self.assertEqual(self.job.letterings[0].finish.carat, 18.0)
        self.type("finish", "letterings.0.finish.carat", "24 ct")
        self.assertNotIn("letterings.0.finish.alloy", self.window.ticket.forms["finish"].fields)
        self.type("finish", "letterings.0.finish.carat", "14 ct")
        self.assertEqual(self.job.letterings[0].finish.carat, 14.0)
        self.assertIn("letterings.0.finish.alloy", self.window.ticket.forms["finish"].fields)
        self.assertIn("14 ct yellow gold", sentence(self.job, "finish", 0))
        self.type("finish", "letterings.0.finish.carat", "30")
        self.assertTrue(self.field("finish", "finish.carat").refusal.isVisible())
        self.assertEqual(self.job.letterings[0].finish.carat, 14.0)

    def test_wear_is_seen_and_undone(self):
        self.settle()
        before = self.pixels()
        self.type("finish", "wear.scratched", "90")
        self.type("finish", "wear.rubbed", "70 %")
        self.settle()
        worn = self.pixels()
        self.assertGreater((np.abs(worn - before).max(axis=-1) > 8).mean(), 0.002)
        self.assertIn("wear.seed", self.window.ticket.forms["finish"].fields)
        self.window.session.undo()
        self.window.session.undo()
        self.settle()
        self.assertLess((np.abs(self.pixels() - before).max(axis=-1) > 8).mean(), 0.0005)
        self.assertNotIn("wear.seed", self.window.ticket.forms["finish"].fields)

    def test_glass_is_seen_through(self):
        self.settle()
        self.window.session.put(change(self.job, ("finish",), {"kind": "glass"}), "glass")
        self.settle()
        clear = self.pixels()
        frosted = change(self.job, ("finish", "frosted"), 80.0)
        self.window.session.put(frosted, "frosted")
        self.settle()
        self.assertGreater(np.abs(self.pixels() - clear).mean(), 1.0)


class Crafts(MakingTest):
    def test_a_fitting_takes_steel_and_shows_what_it_needs(self):
        self.choose("craft", "craft.kind", "Fitting")
        self.assertEqual(self.job.letterings[0].finish.kind, "stainless")
        fields = self.window.ticket.forms["craft"].fields
        self.assertTrue(any(key.endswith("craft.count") for key in fields))
        self.choose("craft", "craft.form", "Backing panel")
        fields = self.window.ticket.forms["craft"].fields
        self.assertFalse(any(key.endswith("craft.count") for key in fields))
        self.settle()
        self.assertEqual(self.window.picture.notice, "")

    def test_a_drawn_profile_is_typed(self):
        shape = Shape.model_validate({"form": {"kind": "ring", "diameter_mm": 80, "line_mm": 8}})
        self.window.session.put(change(self.job, ("letterings", 0, "content"), shape), "ring")
        self.choose("craft", "craft.kind", "Raised")
        self.choose("craft", "craft.edge", "Moulded line")
        self.choose("craft", "craft.moulding", "Own profile")
        points = self.field("craft", "craft.profile")
        self.assertIn("0 0; 10 100", points.spec.get(self.job))
        put = points.spec.put(self.job, "0 0; 50 100; 100 0")
        self.assertEqual(put.letterings[0].craft.profile, ((0.0, 0.0), (50.0, 100.0), (100.0, 0.0)))
        with self.assertRaisesRegex(KilnError, "pairs of numbers"):
            points.spec.put(self.job, "0 0; fifty")

    def test_stock_is_fitted_by_the_check(self):
        self.new("board")
        self.type("blank", "stock_mm", "20 mm")
        offered = "Fit it to the stock"
        self.wait(
            lambda: any(b.text() == offered for b in self.window.readings.findChildren(QPushButton)),
            "the check",
        )
        button = next(
            b for b in self.window.readings.findChildren(QPushButton) if b.text() == "Fit it to the stock"
        )
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.app.processEvents()
        self.assertLess(self.job.blank.thickness_mm, 20.01)


class Painting(MakingTest):
    def setUp(self):
        super().setUp()
        self.picture = ramp()
        self.dialog = dialog_for(self.picture, DAY)
        self.dialog.resize(640, 560)
        self.dialog.show()
        self.addCleanup(self.dialog.close)
        self.app.processEvents()

    def spot(self, x, y):
        box = self.dialog.canvas.place()
        return QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()).toPoint()

    def drag(self, *places):
        canvas = self.dialog.canvas
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=self.spot(*places[0]))
        for place in places[1:]:
            QTest.mouseMove(canvas, self.spot(*place))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=self.spot(*places[-1]))
        self.app.processEvents()

    def test_strokes_hide_and_bring_back(self):
        self.dialog.brush.setValue(20)
        self.drag((0.2, 0.1), (0.2, 0.5), (0.2, 0.9))
        self.assertEqual(len(self.dialog.strokes), 1)
        self.assertTrue(self.dialog.strokes[0].hides)
        self.assertEqual(self.dialog.strokes[0].wide, 20.0)
        self.assertAlmostEqual(self.dialog.strokes[0].points[0][0], 0.2, delta=0.01)
        QTest.mouseClick(self.dialog.ways.button(1), Qt.MouseButton.LeftButton)
        self.drag((0.2, 0.5), (0.22, 0.5))
        self.assertFalse(self.dialog.strokes[1].hides)
        QTest.keyClick(self.dialog, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.dialog.strokes), 1)
        QTest.mouseClick(self.dialog.all, Qt.MouseButton.LeftButton)
        self.assertEqual(self.dialog.strokes, ())
        QTest.mouseClick(self.dialog.back, Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.dialog.strokes), 1)

    def test_a_stroke_without_end_goes_on_as_the_next_and_no_more_than_can_be_are_taken(self):
        with mock.patch("kilnchisel.ui.masking.MOST_POINTS", 3):
            self.drag(*((0.1 * k, 0.5) for k in range(1, 8)))
        strokes = self.dialog.strokes
        self.assertGreater(len(strokes), 1)
        self.assertEqual([len(one.points) for one in strokes[:-1]], [3] * (len(strokes) - 1))
        for one, after in pairwise(strokes):
            self.assertEqual(one.points[-1], after.points[0])
        self.assertAlmostEqual(strokes[-1].points[-1][0], 0.7, delta=0.01)
        self.assertTrue(self.dialog.full.isHidden())
        with mock.patch("kilnchisel.ui.masking.MOST_STROKES", len(strokes) + 1):
            self.drag((0.2, 0.2), (0.2, 0.4))
            self.drag((0.3, 0.2), (0.3, 0.4))
            self.assertEqual(len(self.dialog.strokes), len(strokes) + 1)
            self.assertFalse(self.dialog.full.isHidden())
            self.dialog.undo()
            self.assertTrue(self.dialog.full.isHidden())

    def test_what_is_hidden_is_veiled_and_the_wheel_sizes_the_brush(self):
        canvas = self.dialog.canvas
        before = canvas.grab().toImage().pixelColor(self.spot(0.5, 0.5))
        self.drag((0.4, 0.5), (0.6, 0.5))
        self.assertNotEqual(canvas.grab().toImage().pixelColor(self.spot(0.5, 0.5)), before)
        spot = QPointF(self.spot(0.5, 0.5))
        turn = QWheelEvent(
            spot,
            spot,
            spot.toPoint(),
            QPointF(0, 120).toPoint(),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(canvas, turn)
        self.assertEqual(self.dialog.brush.value(), 7)

    def test_the_picture_s_region_is_what_is_left(self):
        whole = outline_of_content(self.picture).ink
        stroke = Stroke(points=((0.5, 0.0), (0.5, 1.0)), wide=25.0)
        cut = self.picture.model_copy(update={"strokes": (stroke,)})
        left = outline_of_content(cut).ink
        # a band of a quarter of the width, its round ends beyond the picture
        self.assertAlmostEqual(left.area / whole.area, 0.75, delta=0.01)
        self.assertEqual(len(shapely.get_parts(left)), 2)
        back = Stroke(points=((0.5, 0.0), (0.5, 1.0)), wide=40.0, hides=False)
        again = outline_of_content(self.picture.model_copy(update={"strokes": (stroke, back)})).ink
        self.assertAlmostEqual(again.area, whole.area, delta=1e-3 * whole.area)
        all_ = Stroke(points=((0.5, 0.5),), wide=100.0)
        more = Stroke(points=((0.0, 0.0), (1.0, 1.0), (0.0, 1.0), (1.0, 0.0)), wide=100.0)
        with self.assertRaisesRegex(KilnError, "painted away"):
            outline_of_content(self.picture.model_copy(update={"strokes": (all_, more)}))

    def test_from_the_ticket_and_undone(self):
        self.window.session.put(change(self.job, ("letterings", 0, "content"), self.picture), "picture")
        stroke = Stroke(points=((0.1, 0.1), (0.1, 0.9)), wide=10.0)

        def painted(dialog):
            dialog.canvas.put([stroke])
            return True

        with mock.patch.object(MaskDialog, "exec", painted):
            self.window.follow_link("artwork.mask")
        self.assertEqual(self.job.letterings[0].content.strokes, (stroke,))
        self.assertLess(
            lettering_laid(self.job, 0).ink.area, 0.95 * outline_of_content(self.picture).ink.area
        )
        self.window.session.undo()
        self.assertEqual(self.job.letterings[0].content.strokes, ())


if __name__ == "__main__":
    unittest.main()
