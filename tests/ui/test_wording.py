"""The Wording section in the real window: groups, letters on the object, lines, artwork, shapes."""

import unittest
from unittest import mock

import numpy as np
from PyQt6.QtTest import QTest

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.wording import Circle, Column, Curve, LineFace, ShippedFace
from kilnchisel.ui.view.band import on_picture
from tests.ui.harness import WindowTest

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="30mm" height="20mm" viewBox="0 0 30 20">'
    '<path d="M0 0H30V20H0Z M8 5V15H22V5Z"/></svg>'
)


class WordingTest(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.ticket = self.window.ticket

    def group(self, name):
        """A group unfolded by a click on its head, once."""
        self.ticket.show_section("wording")
        if name not in self.ticket.open_groups:
            self.click(self.ticket.forms["wording"].fields[f"group.{name}"].button)

    def pick(self, field, words):
        button = next(b for b in field.group.buttons() if b.text() == words)
        self.click(button)

    def spot(self, at):
        """Widget pixels of a place in the chosen outline's own coordinates."""
        drawn, index = self.window.picture.drawn, self.window.session.index
        laid = drawn.laid[index]
        uv = laid.placing.points(np.array([at]))
        return tuple(map(float, on_picture(drawn, laid, uv, self.window.picture._size())[0][0]))


class Groups(WordingTest):
    def test_a_folded_group_says_its_values(self):
        head = self.ticket.forms["wording"].fields["group.letters"]
        self.assertIn("as the face has them", head.words.text())
        self.group("letters")
        self.pick(self.field("wording", ".kerning"), "By eye")
        self.assertEqual(self.lettering.content.kerning, "optical")
        self.assertEqual(self.window.session.history.undo_words, "kerning by eye")
        self.click(self.ticket.forms["wording"].fields["group.letters"].button)
        self.assertIn("kerned by eye", self.ticket.forms["wording"].fields["group.letters"].words.text())
        self.window.undo()
        self.assertEqual(self.lettering.content.kerning, "face")

    def test_fit_to_width(self):
        self.group("fit")
        self.pick(self.field("wording", "fit.by"), "Size")
        self.type(self.field("wording", "fit.width_mm").line, "150")
        self.assertAlmostEqual(lettering_laid(self.window.session.job, 0).outline.width_mm, 150, places=4)
        self.assertFalse(any(k.endswith("cap_height_mm") for k in self.ticket.forms["wording"].fields))

    def test_arrangements(self):
        self.group("arrangement")
        for words, kind in (("Circle", Circle), ("Downward", Column), ("Curve", Curve)):
            self.pick(self.field("wording", "arrangement.kind"), words)
            self.assertIsInstance(self.lettering.content.arrangement, kind)
            self.settle()
        self.assertIn("along a curve", self.ticket.sections["wording"].words.text())

    def test_outline_round_and_stencil(self):
        self.group("outline")
        self.type(self.field("wording", "thicken_mm").line, "0.2")
        self.pick(self.field("wording", "stencil.there"), "Stencil")
        self.assertGreater(self.lettering.content.stencil.bridge_mm, 0.5)
        self.settle()
        self.group("around")
        self.pick(self.field("wording", "backing.there"), "Behind them")
        self.pick(self.field("wording", "contour.there"), "Round them")
        self.settle()
        drawn = self.window.picture.drawn
        self.assertEqual(
            [layer.layer.kind for layer in drawn.laid[0].layers], ["backing", "letters", "contour"]
        )

    def test_a_standard_shows_its_rules(self):
        self.group("rules")
        menu = self.field("wording", ".standard")
        menu.list.actions()[1].trigger()
        self.app.processEvents()
        self.assertEqual(self.lettering.content.standard, "tactile sign")
        self.wait(
            lambda: (
                (taken := self.window.readings._taken)
                and any(check.key == "rule_raised" for check in taken.checks)
            ),
            "the rules among the checks",
        )

    def test_a_face_s_own_alternates(self):
        self.window.use_face(ShippedFace(name="league-spartan"))
        self.window.session.edit(("letterings", 0, "content", "text"), "Quay GR 1", "words")
        self.group("letters")
        before = lettering_laid(self.window.session.job, 0).ink
        tag = next(key for key in self.ticket.forms["wording"].fields if ".alternate.ss" in key)
        self.pick(self.field("wording", tag), "On")
        self.assertEqual(self.lettering.content.features.alternates, (tag.rsplit(".", 1)[-1],))
        self.settle()
        after = lettering_laid(self.window.session.job, 0).ink
        self.assertFalse(after.equals(before))  # an a without its stem, or the like
        self.pick(self.field("wording", tag), "Off")
        self.assertEqual(self.lettering.content.features.alternates, ())

    def test_an_open_path_face_gets_a_pen(self):
        self.window.use_face(LineFace(name="hershey-sans"))
        self.assertGreater(self.lettering.content.pen_mm, 1)
        self.settle()
        self.assertGreater(len(self.window.picture.drawn.laid[0].outline.lines), 3)


class Letters(WordingTest):
    def setUp(self):
        super().setUp()
        self.window.look_square_on()
        self.settle()
        self.group("single")

    def test_a_letter_is_chosen_and_dragged_on_the_object(self):
        text = self.lettering.content.text
        letter = next(x for x in self.window.picture.drawn.laid[0].outline.letters if x.at == 3)
        start = self.spot((letter.region.centroid.x, letter.region.centroid.y))
        per_mm = self.spot((1.0, 0.0))[0] - self.spot((0.0, 0.0))[0]
        self.drag(start, (start[0] + 3 * per_mm, start[1] - 2 * per_mm))
        self.assertEqual(self.window.session.letter, 3)
        (change,) = self.lettering.content.letters
        self.assertEqual(change.at, 3)
        self.assertAlmostEqual(change.kern_mm, 3.0, delta=0.2)
        self.assertAlmostEqual(change.raise_mm, 2.0, delta=0.2)
        self.assertEqual(self.window.session.history.undo_words, f"letter {text[3]} moved")
        self.window.undo()
        self.assertEqual(self.lettering.content.letters, ())

    def test_typed_values_and_colour_of_a_word(self):
        self.click(self.field("wording", "letter.which").group.buttons()[1])
        self.type(self.field("wording", ".turn_deg").line, "12")
        self.assertEqual(self.lettering.content.letters[0].turn_deg, 12)
        finish = self.field("wording", ".finish")
        next(a for a in finish.list.actions() if a.text() == "Enamel").trigger()
        self.app.processEvents()
        self.assertEqual(self.lettering.content.letters[0].finish.kind, "enamel")
        self.type(self.field("wording", ".colour").line, "#aa2211")
        self.assertEqual(self.lettering.content.letters[0].finish.colour, "#aa2211")
        self.pick(self.field("wording", ".scope"), "Row")
        next(a for a in self.field("wording", ".finish").list.actions() if a.text() == "Slate").trigger()
        self.app.processEvents()
        count = len(self.lettering.content.text.split("\n")[0].replace(" ", ""))
        self.assertEqual(len(self.lettering.content.letters), count)
        self.settle()
        self.window.follow_link("letters.plain")
        self.assertEqual(self.lettering.content.letters, ())

    def test_a_value_out_of_range_is_refused_with_the_reason(self):
        before = self.window.session.job
        field = self.field("wording", ".raise_mm")
        self.type(field.line, "9999")
        self.assertIn("the most is 500 mm", field.refusal.text())
        self.assertEqual(self.window.session.job, before)

    def test_folded_again_the_whole_lettering_moves(self):
        self.group("letters")
        self.click(self.ticket.forms["wording"].fields["group.single"].button)
        letter = self.window.picture.drawn.laid[0].outline.letters[0]
        start = self.spot((letter.region.centroid.x, letter.region.centroid.y))
        self.drag(start, (start[0] + 30, start[1]))
        self.assertEqual(self.lettering.content.letters, ())
        self.assertGreater(self.lettering.lay.along_mm, 1)

    def test_typing_keeps_the_letter_where_it_was(self):
        self.type(self.field("wording", ".raise_mm").line, "1.5")
        place = self.lettering.content.letters[0].at
        words = self.field("wording", ".text")
        words.text.setFocus()
        words.text.moveCursor(words.text.textCursor().MoveOperation.Start)
        QTest.keyClicks(words.text, "X")
        self.app.processEvents()
        self.assertEqual(self.lettering.content.letters[0].at, place + 1)


class Lines(WordingTest):
    def test_points_of_a_curve_are_dragged_added_and_removed(self):
        self.group("arrangement")
        self.pick(self.field("wording", "arrangement.kind"), "Curve")
        self.window.look_square_on()
        self.settle()
        points = self.lettering.content.arrangement.points
        handles = [h for h in self.window.picture.band.handles if h.kind == "point"]
        self.assertEqual(len(handles), len(points))
        self.assertTrue(self.window.picture.band.guides)
        start = handles[1].at
        self.drag(start, (start[0], start[1] - 30))
        moved = self.lettering.content.arrangement.points
        self.assertGreater(moved[1][1], points[1][1] + 1)
        self.assertEqual(moved[0], points[0])
        self.window.follow_link("points.add")
        self.assertEqual(len(self.lettering.content.arrangement.points), len(points) + 1)
        self.window.follow_link("points.remove")
        self.assertEqual(len(self.lettering.content.arrangement.points), len(points))

    def test_a_curve_from_a_file(self):
        path = self.folder / "arc.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" viewBox="0 0 90 40">'
            '<path d="M0 40Q45 0 90 40" fill="none" stroke="#000"/></svg>'
        )
        self.group("arrangement")
        self.pick(self.field("wording", "arrangement.kind"), "Slope")
        with mock.patch(
            "kilnchisel.ui.lettering.QFileDialog.getOpenFileName", return_value=(str(path), "")
        ):
            self.window.follow_link("points.import")
        self.assertGreater(len(self.lettering.content.arrangement.points), 8)
        self.settle()


class Several(WordingTest):
    def test_duplicate_order_hide_and_lock(self):
        window = self.window
        window.duplicate_lettering()
        self.assertEqual((len(window.session.job.letterings), window.session.index), (2, 1))
        self.assertLess(self.lettering.lay.across_mm, window.session.job.letterings[0].lay.across_mm)
        second = self.lettering
        window.lower_lettering()
        self.assertEqual((window.session.index, window.session.job.letterings[0]), (0, second))
        window.raise_lettering()
        self.assertEqual(window.session.index, 1)
        self.settle()
        shown = len(window.picture.drawn.laid)
        window.hide_lettering()
        self.settle()
        self.assertEqual(len(window.picture.drawn.laid), shown)
        self.assertIsNone(window.picture.band)
        self.assertIn("hidden", self.ticket.letterings.buttons[1].text())
        window.hide_lettering()
        window.lock_lettering()
        self.settle()
        self.assertIsNone(window.picture.band)
        window.undo()
        self.settle()
        self.assertIsNotNone(window.picture.band)

    def test_the_opposite_side_too_and_by_itself_again(self):
        switch = self.field("lay", "lay.both")
        self.pick(switch, "The same")
        self.assertTrue(self.lettering.lay.both)
        self.settle()
        self.window.follow_link("lay.unlink")
        sides = [item.lay.side for item in self.window.session.job.letterings]
        self.assertEqual(sides, ["front", "back"])
        self.assertFalse(any(item.lay.both for item in self.window.session.job.letterings))

    def test_spread_over_an_angle(self):
        self.new("can")
        self.type(self.field("lay", "spread_deg").line, "200")
        self.settle()
        self.assertAlmostEqual(self.window.picture.drawn.laid[0].degrees, 200, places=2)


class ArtworkIn(WordingTest):
    def test_a_dropped_drawing_becomes_a_lettering(self):
        path = self.folder / "frame.svg"
        path.write_text(SVG)
        self.drop(path)
        self.assertIsInstance(self.lettering.content, Artwork)
        self.assertEqual(self.window.session.history.undo_words, "add frame.svg")
        self.settle()
        self.assertAlmostEqual(self.window.picture.drawn.laid[1].width_mm, 30, places=6)
        width = self.field("wording", "artwork.width")
        self.type(width.line, "45")
        self.assertAlmostEqual(lettering_laid(self.window.session.job, 1).width_mm, 45)
        self.window.follow_link("artwork.true")
        self.assertIsNone(self.lettering.content.width_mm)

    def test_a_broken_drawing_is_told_and_nothing_changes(self):
        path = self.folder / "cut.svg"
        path.write_text(SVG[:60])
        before = self.window.session.job
        self.drop(path)
        self.assertIn("cut.svg", self.window.picture.notice)
        self.assertIs(self.window.session.job, before)

    def test_a_picture_traced_then_printed_in_its_colours(self):
        from PIL import Image

        picture = Image.new("RGB", (80, 60), "white")
        picture.paste((180, 40, 40), (20, 15, 60, 45))
        path = self.folder / "flag.png"
        picture.save(path, dpi=(100, 100))
        self.drop(path)
        self.assertIsInstance(self.lettering.content, Artwork)
        threshold = self.field("wording", ".threshold")
        self.type(threshold.line, "30")
        self.settle()
        self.window.follow_link("artwork.colour")
        self.assertIsInstance(self.lettering.content, Picture)
        self.settle()

    def test_shapes_by_the_ticket(self):
        self.click(self.ticket.letterings.shape)
        self.assertIsInstance(self.lettering.content, Shape)
        for words in ("Ring", "Star", "Rule", "Border", "Badge", "Arrow", "Disc"):
            self.pick(self.field("wording", "shape.kind"), words)
            self.assertEqual(self.lettering.content.form.kind, words.lower())
        self.settle()
        handle = next(h for h in self.window.picture.band.handles if h.kind == "size")
        before = self.lettering.content.form.width_mm
        middle = self.window.picture.rect().center()
        out = (
            handle.at[0] + (handle.at[0] - middle.x()) * 0.5,
            handle.at[1] + (handle.at[1] - middle.y()) * 0.5,
        )
        self.drag(handle.at, out)
        self.assertGreater(self.lettering.content.form.width_mm, before)

    def test_outlines_to_a_file(self):
        path = self.folder / "flat.dxf"
        with mock.patch("kilnchisel.ui.targets.QFileDialog.getSaveFileName", return_value=(str(path), "")):
            self.window.hand_over_outline()
        self.assertTrue(path.read_bytes().startswith(b"  0\nSECTION"))

    def test_a_name_without_an_ending_gets_that_of_the_chosen_kind(self):
        offered = []

        def choose(parent, title, start, kinds):
            offered.extend(kinds.split(";;"))
            return str(self.folder / "flat"), offered[1]

        with mock.patch("kilnchisel.ui.targets.QFileDialog.getSaveFileName", choose):
            self.window.hand_over_outline()
        self.assertEqual(offered, ["SVG (*.svg)", "DXF (*.dxf)"])
        self.assertTrue((self.folder / "flat.dxf").read_bytes().startswith(b"  0\nSECTION"))


if __name__ == "__main__":
    unittest.main()
