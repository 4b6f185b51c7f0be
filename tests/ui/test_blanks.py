"""The Blank, Lay and Finish sections on every kind of object, and the start page's objects."""

import unittest

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS, TITLES
from kilnchisel.core.job.edits import limits
from kilnchisel.core.job.effect import has_effect
from kilnchisel.core.job.formats import PLATE_FORMATS, VAN_FORMATS
from kilnchisel.core.job.fresh import fresh_job, with_blank
from kilnchisel.core.job.traits import detail_word, rim_word, size_of, stances_of
from kilnchisel.core.job.words.sections import sentence
from kilnchisel.ui.ticket.sections import SECTIONS, specs
from kilnchisel.ui.view.stretch import stretch_colour
from kilnchisel.ui.view.typing import typed
from tests.ui.harness import WindowTest


class Specs(unittest.TestCase):
    def test_every_field_of_every_blank_reads_and_takes_its_own_value(self):
        for kind in KINDS:
            job = fresh_job(kind)
            for section in SECTIONS:
                self.assertTrue(sentence(job, section, 0))
                for spec in specs(job, section, 0):
                    value = spec.get(job)
                    if spec.kind in ("length", "angle", "percent", "count", "choice", "switch", "colour"):
                        again = spec.get(spec.put(job, value))
                        same = abs(again - value) < 1e-6 if isinstance(value, float) else again == value
                        self.assertTrue(same, f"{kind} {spec.key}: {value} became {again}")

    def test_a_length_changes_the_blank_or_says_why_not(self):
        for kind in KINDS:
            job = fresh_job(kind)
            for spec in specs(job, "blank", 0):
                if spec.kind != "length":
                    continue
                value = spec.get(job) * 1.03 + 0.1
                try:
                    made = spec.put(job, value)
                except KilnError as error:
                    self.assertGreater(len(str(error)), 20)
                    continue
                self.assertNotEqual(made.blank, job.blank, f"{kind} {spec.key}")

    def test_fields_without_effect_are_hidden(self):
        board = fresh_job("board").blank
        self.assertFalse(has_effect(board, "frame_rise_mm"))
        self.assertTrue(has_effect(board.model_copy(update={"frame_mm": 20.0}), "frame_rise_mm"))
        self.assertFalse(has_effect(board.model_copy(update={"shape": "oval"}), "corner_mm"))
        plate = fresh_job("plate").blank
        self.assertFalse(has_effect(plate.model_copy(update={"holes": "two"}), "apart_up_mm"))

    def test_plate_formats(self):
        job = fresh_job("plate")
        field = next(spec for spec in specs(job, "blank", 0) if spec.key == "blank.format")
        self.assertEqual(field.get(job), "2 to 1")
        for name, (width, height, *_) in PLATE_FORMATS.items():
            made = field.put(job, name)
            self.assertEqual((made.blank.width_mm, made.blank.height_mm), (width, height))
            self.assertEqual(field.get(made), name)

    def test_two_lengths_and_two_heights_of_vans(self):
        job = fresh_job("van")
        field = next(spec for spec in specs(job, "blank", 0) if spec.key == "blank.format")
        self.assertEqual(field.get(job), "short, low")
        for name, sizes in VAN_FORMATS.items():
            made = field.put(job, name)
            self.assertEqual((made.blank.length_mm, made.blank.height_mm), sizes)
            self.assertEqual(field.get(made), name)

    def test_finishes_are_offered_for_the_parts_there_are(self):
        for kind in KINDS:
            job = fresh_job(kind)
            keys = {spec.key for spec in specs(job, "finish", 0)}
            self.assertEqual("rim_finish.kind" in keys, rim_word(job.blank) is not None, kind)
            self.assertEqual("detail_finish.kind" in keys, detail_word(job.blank) is not None, kind)

    def test_another_blank_brings_its_finish_and_setting(self):
        job = fresh_job("mug")
        for kind in KINDS:
            made = with_blank(job, kind)
            self.assertEqual(made.blank.kind, kind)
            self.assertEqual(len(made.letterings), 1)
            wide, high = size_of(made.blank)
            self.assertTrue(wide > 0 and high > 0)
            self.assertTrue(stances_of(made.blank))
        self.assertEqual(with_blank(job, "band").finish.kind, "gold")
        self.assertEqual(with_blank(with_blank(job, "van"), "mug").setting.ground.kind, "oak table")

    def test_limits_are_those_of_the_model(self):
        self.assertEqual(limits(KINDS["van"], "length_mm"), (2500, 9000))


class Typing(unittest.TestCase):
    def press(self, text, caret, key, words="", keys=Qt.KeyboardModifier.NoModifier):
        return typed(text, caret, QKeyEvent(QEvent.Type.KeyPress, key, keys, words))

    def test_keys(self):
        for before, key, words, after in (
            (("ab", 1), Qt.Key.Key_X, "x", ("axb", 2)),
            (("ab", 1), Qt.Key.Key_Backspace, "\b", ("b", 0)),
            (("ab", 0), Qt.Key.Key_Backspace, "\b", ("ab", 0)),
            (("ab", 1), Qt.Key.Key_Delete, "", ("a", 1)),
            (("ab", 0), Qt.Key.Key_Left, "", ("ab", 0)),
            (("ab", 2), Qt.Key.Key_Right, "", ("ab", 2)),
            (("ab\ncd", 4), Qt.Key.Key_Home, "", ("ab\ncd", 3)),
            (("ab\ncd", 0), Qt.Key.Key_End, "", ("ab\ncd", 2)),
            (("abc\nd", 3), Qt.Key.Key_Down, "", ("abc\nd", 5)),
            (("abc\nde", 5), Qt.Key.Key_Up, "", ("abc\nde", 1)),
            (("ab", 1), Qt.Key.Key_Return, "\r", ("a\nb", 2)),
            (("", 0), Qt.Key.Key_unknown, "ø", ("ø", 1)),
        ):
            self.assertEqual(self.press(*before, key, words), after, (before, words))

    def test_commands_are_left_alone(self):
        control = Qt.KeyboardModifier.ControlModifier
        self.assertIsNone(self.press("ab", 1, Qt.Key.Key_Z, "\x1a", control))
        self.assertIsNone(self.press("ab", 1, Qt.Key.Key_F1))

    def test_colours_of_the_stretch(self):
        self.assertEqual(stretch_colour(0.0, 6)[3], 0)
        self.assertGreater(stretch_colour(6, 6)[0], stretch_colour(6, 6)[2])
        self.assertGreater(stretch_colour(-6, 6)[2], stretch_colour(-6, 6)[0])
        self.assertEqual(stretch_colour(99, 6), stretch_colour(12, 6))


class Objects(WindowTest):
    def test_every_object_has_a_button_with_its_picture(self):
        buttons = {
            button.accessibleName(): button
            for button in self.window.start_page.findChildren(QAbstractButton)
        }
        for title in TITLES.values():
            self.assertFalse(buttons[f"New job on: {title}"].icon().isNull(), title)
        self.click(buttons["New job on: Sign board"])
        self.assertEqual(self.window.session.job.blank.kind, "board")
        menu = self.field("blank", "blank.kind").list
        self.assertTrue(all(not action.icon().isNull() for action in menu.actions()))

    def test_a_registration_is_taken_while_it_is_typed_and_taken_back(self):
        self.window.start_new("van")
        self.window.activateWindow()  # again: what told that the van was being made had the keys
        field = self.field("blank", "plates.registration")
        line = field.line
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, "to 18")
        self.assertEqual(self.window.session.job.plates.registration, "TO 18")
        self.assertEqual(line.text(), "TO 18")
        QTest.keyClicks(line, "_")
        self.assertEqual(self.window.session.job.plates.registration, "TO 18")
        self.assertIn(
            "cannot be on a number plate", self.field("blank", "plates.registration").refusal.text()
        )
        QTest.keyClick(line, Qt.Key.Key_Backspace)
        QTest.keyClick(line, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.window.session.job.plates.registration, "AB 12 CDE")

    def test_an_outline_from_a_drawing(self):
        self.window.start_new("board")
        path = self.folder / "leaf.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200">'
            '<path d="M10 100 Q150 -40 290 100 Q150 240 10 100 Z"/></svg>'
        )
        self.window.put_board_outline(path)
        board = self.window.session.job.blank
        self.assertEqual(board.shape, "drawn")
        self.assertAlmostEqual(board.width_mm, 280, delta=0.5)
        self.settle()
        self.assertEqual(self.window.picture.notice, "")
