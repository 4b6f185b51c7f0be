import shutil
import threading
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QHelpEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QToolTip

from kilnchisel.core.detail import Detail
from kilnchisel.core.job.finish import AsBlank, Ink
from kilnchisel.core.job.wording import FileFace, ShippedFace
from kilnchisel.core.lettering.faces import face_path
from kilnchisel.ui.memory import recall
from kilnchisel.ui.ticket.faces import FaceChooser
from kilnchisel.ui.ticket.sections import SECTIONS
from tests.ui.harness import WindowTest, inside


class Sections(WindowTest):
    def test_folded_sections_are_sentences_and_one_click_unfolds(self):
        self.new()
        ticket = self.window.ticket
        self.assertIn("Mug, 84 × 84 mm", ticket.sections["blank"].words.text())
        self.click(ticket.sections["blank"].head)
        self.assertEqual(ticket.open_section, "blank")
        self.assertTrue(ticket.sections["blank"].body.isVisible())
        self.assertFalse(ticket.sections["wording"].body.isVisible())
        self.click(ticket.sections["blank"].head)
        self.assertIsNone(ticket.open_section)

    def test_digits_open_sections(self):
        self.new()
        self.window.picture.setFocus()
        for number, key in enumerate(SECTIONS, start=1):
            self.window.ticket.open_section = None
            QTest.keyClick(self.window.picture, Qt.Key(Qt.Key.Key_0 + number))
            self.assertEqual(self.window.ticket.open_section, key)

    def test_every_field_of_every_craft_changes_what_is_seen(self):
        from kilnchisel.core.build import piece_of, scene_of_job
        from kilnchisel.core.job.edits import change
        from kilnchisel.core.job.turning import CRAFTS, with_craft
        from kilnchisel.ui.ticket.craft import craft_specs
        from kilnchisel.ui.ticket.craftfields import FLOORS, LETTER_EDGES
        from tests.outside.test_fields import ramp

        def look(job):
            scene = scene_of_job(job, detail=Detail.ROUGH)  # its edges are not eased
            lamps = 0.0 if scene.lamps is None else float(scene.lamps.radiance.sum())
            meshes = [part.mesh.points for part in piece_of(job).parts]
            return (
                lamps,
                [(len(points), float(points.sum())) for points in meshes],
                [item.material for item in scene.items],
            )

        self.new("plaque")
        base = change(self.window.session.job, ("blank", "thickness_mm"), 20.0)
        base = change(base, ("letterings", 0, "content", "text"), "R")
        base = change(base, ("letterings", 0, "content", "cap_height_mm"), 24.0)
        base = change(base, ("letterings", 0, "lay", "across_mm"), 0.0)
        jobs = []
        for kind in CRAFTS:
            job = base
            if kind == "relief":
                job = change(job, ("letterings", 0, "content"), ramp())
            jobs.append(with_craft(job, 0, kind))
        raised, cut = with_craft(base, 0, "raised"), with_craft(base, 0, "engraved")
        jobs += [change(raised, ("letterings", 0, "craft", "edge"), edge) for edge, _ in LETTER_EDGES]
        jobs += [change(cut, ("letterings", 0, "craft", "floor"), floor) for floor, _ in FLOORS]
        jobs.append(change(cut, ("letterings", 0, "craft", "glow"), 100.0))
        # what only a long lettering, or a looser tube, would show
        silent = {"longest_mm", "bend", "seed"}
        grown = {"length": 1.3, "percent": 0.7, "times": 1.4}
        for job in jobs:
            seen = look(job)
            for spec in craft_specs(job, ("letterings", 0)):
                field = spec.key.rsplit(".", 1)[-1]
                if spec.kind == "link" or field in silent or field in ("recipe", "kind"):
                    continue
                value = spec.get(job)
                if spec.kind in ("choice", "switch", "menu"):
                    value = next(v for v, _ in spec.options if v != value)
                elif spec.kind == "colour":
                    value = "#20a010"
                elif spec.kind == "angle":
                    value += 7
                elif spec.kind == "count":
                    value += 2
                elif field == "fillet_mm":
                    value *= 0.6  # at most the depth counts
                else:
                    value = value * grown[spec.kind] if value else 5.0
                with self.subTest(craft=job.letterings[0].craft, field=field):
                    self.assertNotEqual(look(spec.put(job, value)), seen)

    def test_each_craft_by_its_menu(self):
        self.new("plaque")
        self.window.session.edit(("letterings", 0, "content", "text"), "R", "words")
        menu = self.field("craft", "craft.kind").list
        names = [action.text() for action in menu.actions()]
        relief = names.index("Relief")  # it needs a picture
        for number in (n for n in range(len(names)) if n != relief):
            self.field("craft", "craft.kind").list.actions()[number].trigger()
            self.app.processEvents()
            self.settle()
            self.assertEqual(self.window.picture.notice, "", self.lettering.craft.kind)
        self.field("craft", "craft.kind").list.actions()[relief].trigger()
        self.wait(lambda: "made from a picture" in self.window.picture.notice, "the notice")
        self.window.session.undo()
        self.settle()
        self.assertEqual(self.window.picture.notice, "")

    def test_a_recipe_from_the_menu_and_one_kept(self):
        self.new("plaque")
        self.field("craft", "craft.kind").list.actions()[1].trigger()
        self.app.processEvents()
        menu = self.field("craft", "craft.recipe").list
        gold = next(action for action in menu.actions() if action.text() == "Gold foil stamp")
        gold.trigger()
        self.app.processEvents()
        self.assertEqual(self.lettering.finish.kind, "gold")
        with mock.patch("kilnchisel.ui.lettering.QInputDialog.getText", return_value=("Ours", True)):
            self.window.follow_link("craft.keep")
        names = [action.text() for action in self.field("craft", "craft.recipe").list.actions()]
        self.assertIn("Ours", names)

    def test_what_has_no_effect_is_not_shown(self):
        self.new()
        blank = self.window.ticket
        self.field("blank", "handle_deg")
        self.click(self.field("blank", "handle").group.button(1))
        self.assertFalse(self.window.session.job.blank.handle)
        self.assertNotIn("blank.handle_deg", blank.forms["blank"].fields)
        self.assertFalse(any(k.endswith("align") for k in blank.forms["wording"].fields))

    def test_lay_of_a_changed_blank_waits_for_its_sides(self):
        made = self.bodies_made()
        self.new("tumbler")
        self.window.ticket.show_section("lay")
        self.settle()
        forms = self.window.ticket.forms["lay"]
        cone = next(key for key in forms.fields if key.endswith("cone"))
        made.clear()
        foot = self.window.session.job.blank.foot_mm
        self.window.session.edit(("blank", "top_mm"), foot)  # a wall without a taper
        self.assertIn(cone, forms.fields)
        self.wait(lambda: cone not in forms.fields, "Lay of the sides that have come")
        self.window.session.undo()
        self.settle()
        self.assertIn(cone, forms.fields)
        self.assertTrue(made)
        self.assertNotIn(threading.main_thread(), made)

    def test_lay_that_is_opened_before_the_draft_waits_for_it(self):
        made = self.bodies_made()
        inside().draws = False  # a draft that takes its time
        self.new("tumbler")
        self.window.session.edit(("blank", "top_mm"), 77.25)  # as nobody has made it yet
        ticket = self.window.ticket
        ticket.show_section("lay")
        self.assertEqual(ticket.forms["lay"].fields, {})
        inside().draws = True
        self.window.picture.refresh()
        self.assertTrue(ticket.sections["lay"].body.isVisible())
        self.wait(lambda: ticket.forms["lay"].fields, "Lay of the sides that have come")
        self.assertTrue(made)
        self.assertNotIn(threading.main_thread(), made)
        ticket.toggle("lay")
        with mock.patch("kilnchisel.ui.ticket.ticket.sides_known", lambda blank: False):
            ticket.toggle("lay")  # no draft is on its way: they are asked for here
        self.assertTrue(ticket.forms["lay"].fields)


class Numbers(WindowTest):
    def setUp(self):
        super().setUp()
        self.new()
        self.cap = self.field("wording", "cap_height_mm")

    def value(self):
        return self.lettering.content.cap_height_mm

    def test_units_and_sums(self):
        for typed, mm in (("12", 12.0), ("3/8 in", 9.525), ("1,5 cm", 15.0), ("20/2 - 1", 9.0)):
            self.type(self.cap.line, typed)
            self.assertAlmostEqual(self.value(), mm)
        self.assertEqual(self.cap.line.text(), "9 mm")

    def test_a_refused_value_says_why_and_changes_nothing(self):
        before = self.window.session.job
        for typed, words in (
            ("99999", "the most is 3000 mm"),
            ("soup", "not a length"),
            ("", "not a length"),
        ):
            self.type(self.cap.line, typed)
            self.assertIn(words, self.cap.refusal.text())
            self.assertTrue(self.cap.refusal.isVisible())
            self.assertEqual(self.window.session.job, before)
            self.cap.put_back()
        self.type(self.cap.line, "10")
        self.assertFalse(self.cap.refusal.isVisible())

    def wheel(self, keys=Qt.KeyboardModifier.NoModifier):
        line = self.cap.line
        event = QWheelEvent(
            QPointF(5, 5),
            QPointF(line.mapToGlobal(QPoint(5, 5))),
            QPoint(),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            keys,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(line, event)
        self.app.processEvents()

    def test_wheel_and_arrow_keys_step_and_are_one_undo(self):
        self.type(self.cap.line, "10")
        self.wheel()
        self.wheel()
        self.key(self.cap.line, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.value(), 11.05)
        self.window.undo()
        self.assertAlmostEqual(self.value(), 10.0)

    def test_wheel_elsewhere_scrolls_and_does_not_edit(self):
        before = self.value()
        self.window.picture.setFocus()
        self.wheel()
        self.assertEqual(self.value(), before)

    def test_escape_forgets_what_was_typed(self):
        self.type(self.cap.line, "77", enter=False)
        self.key(self.cap.line, Qt.Key.Key_Escape)
        self.assertNotIn("77", self.cap.line.text())

    def rest_on(self, widget):
        """Let the pointer rest on it; what is told then."""
        with mock.patch.object(QToolTip, "showText"):
            QApplication.sendEvent(widget, QHelpEvent(QEvent.Type.ToolTip, QPoint(5, 5), QPoint(5, 5)))
        return widget.toolTip()

    def test_the_range_is_told_in_the_unit_that_is_shown(self):
        self.assertIn("0.2 mm to 3000 mm", self.rest_on(self.cap.line))
        self.window.toggle_inches()
        self.assertIn("0.008 in to 118.11 in", self.rest_on(self.cap.line))

    def test_inches(self):
        self.type(self.cap.line, "12.7")
        self.window.toggle_inches()
        self.assertEqual(self.field("wording", "cap_height_mm").line.text(), "0.5 in")
        self.type(self.cap.line, "1")
        self.assertAlmostEqual(self.value(), 25.4)


class Choices(WindowTest):
    def test_craft_brings_its_fields_and_its_finish(self):
        self.new()
        self.assertIsInstance(self.lettering.finish, Ink)
        self.field("craft", "craft.kind").list.actions()[2].trigger()
        self.app.processEvents()
        self.assertEqual(self.lettering.craft.kind, "engraved")
        self.assertIsInstance(self.lettering.finish, AsBlank)
        self.type(self.field("craft", "depth_mm").line, "0.5")
        self.assertEqual(self.lettering.craft.depth_mm, 0.5)
        self.assertIn("depth 0.5", self.window.undo_button.text())

    def test_another_blank_takes_the_words_along(self):
        self.new()
        self.field("blank", "blank.kind").list.actions()[6].trigger()
        self.app.processEvents()
        job = self.window.session.job
        self.assertEqual((job.blank.kind, job.letterings[0].lay.side), ("plaque", "front"))
        self.settle()
        self.assertEqual(self.window.picture.notice, "")

    def test_colour_typed_and_refused(self):
        self.new()
        field = self.field("craft", "colour")
        self.type(field.line, "#aa3311")
        self.assertEqual(self.lettering.finish.colour, "#aa3311")
        self.type(field.line, "rot")
        self.assertIn("not a colour", field.refusal.text())
        self.type(field.line, "AA3311")  # the one that it is: nothing is wrong any more
        self.assertEqual((field.refusal.text(), field.line.text()), ("", "#aa3311"))
        self.assertEqual(self.lettering.finish.colour, "#aa3311")

    def test_round_in_degrees_is_along_in_mm(self):
        self.new()
        self.type(self.field("lay", "along_deg").line, "90")
        self.assertAlmostEqual(self.lettering.lay.along_mm, 42 * 3.14159265 / 2, places=4)


class Typing(WindowTest):
    def test_words_while_typing_are_one_step(self):
        self.new()
        text = self.field("wording", "text").text
        text.setFocus()
        text.selectAll()
        QTest.keyClicks(text, "DOME")
        QTest.keyClick(text, Qt.Key.Key_Return)
        QTest.keyClicks(text, "path")
        self.assertEqual(self.lettering.content.text, "DOME\npath")
        self.assertIn("content.align", " ".join(self.window.ticket.forms["wording"].fields))
        QTest.keyClick(text, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.lettering.content.text, "Your words")
        self.assertEqual(text.toPlainText(), "Your words")

    def test_a_pause_or_leaving_ends_the_step(self):
        from unittest import mock

        with mock.patch("kilnchisel.ui.ticket.fields.PHRASE_MS", 20):
            self.new()
            text = self.field("wording", "text").text
        text.selectAll()
        QTest.keyClicks(text, "DOME")
        self.wait(lambda: self.window.session.history.sealed, "the pause")
        QTest.keyClicks(text, " PATH")
        self.window.undo()
        self.assertEqual(self.lettering.content.text, "DOME")

    def test_an_ampersand_is_shown_as_it_is(self):
        self.new()
        self.window.session.edit(("letterings", 0, "content", "text"), "SALT & TAR")
        self.assertIn("SALT && TAR", self.window.ticket.letterings.buttons[0].text())

    def test_letterings_are_added_chosen_and_removed(self):
        self.new()
        self.click(self.window.ticket.letterings.add)
        self.assertEqual((len(self.window.session.job.letterings), self.window.session.index), (2, 1))
        self.click(self.window.ticket.letterings.buttons[0])
        self.assertEqual(self.window.session.index, 0)
        self.click(self.window.ticket.letterings.remove)
        self.click(self.window.ticket.letterings.remove)
        self.assertIsNone(self.window.session.index)
        self.assertIn("No lettering", self.window.ticket.sections["craft"].words.text())
        self.window.undo()
        self.assertEqual(len(self.window.session.job.letterings), 1)


class Typefaces(WindowTest):
    def chooser(self):
        chooser = FaceChooser("Dome path", ShippedFace(name="pacifico"), self.window.theme, self.window)
        self.addCleanup(chooser.close)
        chooser.show()
        self.wait(lambda: any(row.specimen is not None for row in chooser.model.rows), "specimens")
        return chooser

    def test_specimens_search_and_choice(self):
        chooser = self.chooser()
        self.assertEqual(chooser.current().name, "Pacifico")
        QTest.keyClicks(chooser.search, "script formal")
        self.assertTrue(0 < chooser.filter.rowCount() < 5)
        chooser.list.setCurrentIndex(chooser.filter.index(0, 0))
        self.wait(lambda: chooser.current().specimen is not None, "the specimen of what is seen")
        self.click(chooser.take)
        self.assertIsInstance(chooser.face, ShippedFace)
        self.assertIn(f"shipped:{chooser.face.name}", recall("recent_faces", []))

    def test_favourites_and_folders(self):
        folder = self.folder / "fonts"
        folder.mkdir()
        for name in ("bebas-neue", "roboto-slab"):
            shutil.copy(face_path(ShippedFace(name=name)), folder / f"{name}.otf")
        (folder / "broken.ttf").write_bytes(b"OTTO and nothing else")
        chooser = self.chooser()
        chooser.add_folder(folder)
        self.wait(lambda: sum(row.kind == "own" for row in chooser.model.rows) == 3, "the folder's fonts")
        trouble = next(row for row in chooser.model.rows if row.use == "broken.ttf")
        self.assertTrue(trouble.trouble)
        self.click(chooser.kinds.button(3))
        self.assertEqual(chooser.filter.rowCount(), 3)
        QTest.keyClicks(chooser.search, "bebas")
        self.click(chooser.favourite)
        self.click(chooser.kinds.button(1))
        self.assertEqual(chooser.filter.rowCount(), 1)
        again = self.chooser()
        self.click(again.kinds.button(1))
        self.wait(lambda: again.filter.rowCount() == 1, "the favourite of last time")

    def test_a_font_file_and_a_broken_one(self):
        chooser = self.chooser()
        broken = self.folder / "broken.ttf"
        broken.write_bytes(b"nothing like a font")
        chooser.open_file(broken)
        self.assertIsNone(chooser.face)
        self.assertIn("broken.ttf", chooser.refusal.text())
        mine = self.folder / "mine.otf"
        shutil.copy(face_path(ShippedFace(name="bebas-neue")), mine)
        chooser.open_file(mine)
        self.assertIsInstance(chooser.face, FileFace)
        self.new()
        self.window.use_face(chooser.face)
        self.settle()
        self.assertEqual(Path(self.lettering.content.face.path), mine)

    def test_a_font_that_went_away_is_named_on_the_picture(self):
        self.new()
        self.window.session.edit(
            ("letterings", 0, "content", "face"), FileFace(path=str(self.folder / "gone.ttf")), "face"
        )
        self.wait(lambda: "gone.ttf" in self.window.picture.notice, "the notice")
        self.window.undo()
        self.settle()
        self.assertEqual(self.window.picture.notice, "")


if __name__ == "__main__":
    unittest.main()
