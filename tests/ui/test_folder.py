"""All that a job can be handed over as: chosen on its page, kept for the next job, put into one folder."""

import threading
import time
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.options import OPTIONS
from kilnchisel.core.handover.presets import presets, wanted_from
from kilnchisel.core.job.crafts import Engraved, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.ui.folder import Handing
from kilnchisel.ui.handover.page import HandOverPage
from kilnchisel.ui.memory import recall
from tests.ui.harness import WindowTest


class IntoAFolder(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.session = self.window.session
        self.made = change(self.session.job, ("letterings", 0, "craft"), Engraved(floor="v", depth_mm=1.0))
        self.session.put(self.made, "engraved")
        self.settle()

    def page(self, job=None):
        page = HandOverPage(job or self.session.job, QPixmap(40, 30), self.window.theme, self.window)
        self.addCleanup(page.deleteLater)
        page.show()
        return page

    def tick(self, page, *names):
        for name, card in page.cards.items():
            if card.box.isChecked() is not (name in names):
                card.box.click()

    def test_what_is_ticked_is_written_and_remembered(self):
        chosen = []

        def exec_(page):
            chosen.append(page)
            self.tick(page, "laser", "picture")  # what is said of these stays for another time
            page.fields["kerf"].setText("0.2mm")
            page.fields["samples"].setText("64")
            self.tick(page, "outline", "router")
            page.fields["tabs"].setText("2")
            page.button.click()
            return page.result()

        with (
            mock.patch.object(HandOverPage, "exec", exec_),
            mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.folder)),
        ):
            self.window.ticket.show_section("hand-over")
            self.settle()
            self.window.ticket.handover.all_wanted.emit()
        self.assertEqual(chosen[0].names, ("outline", "router"))
        written = self.folder / self.session.job.name
        names = sorted(path.name for path in written.iterdir())
        self.assertEqual(
            names,
            ["contents.txt", "outline.dxf", "outline.svg", "router-front-as-cut.png", "router-front.nc"],
        )
        self.assertIn("5 files written into", self.window.hint.text() + self.window.picture.notice)
        self.assertEqual(recall("handed over"), ["outline", "router"])
        again = self.page()
        self.assertEqual(again.names, ("outline", "router"))
        self.assertEqual(again.values, {"tabs": "2", "kerf": "0.2mm", "samples": "64"})
        again.choose(())
        self.assertFalse(again.button.isEnabled())

    def test_what_a_job_can_give_is_its_own(self):
        engraved = self.page()
        self.assertFalse(engraved.cards["plotter"].box.isEnabled())
        self.assertIn("Nothing on it is printed", engraved.cards["plotter"].words.text())
        printed = self.page(change(self.made, ("letterings", 0, "craft"), Printed()))
        self.assertTrue(printed.cards["plotter"].box.isEnabled())
        self.assertTrue(printed.cards["router"].box.isEnabled())  # its blank
        self.assertFalse(self.page(fresh_job("mug", "HI")).cards["router"].box.isEnabled())

    def test_only_what_counts_for_what_is_ticked_is_shown(self):
        page = self.page()
        page.choose(("laser",))
        shown = {name for name, field in page.fields.items() if field.isVisible()}
        self.assertEqual(shown, {"kerf", "sheet", "margin", "gap", "grain"})
        page.choose(("proof",))
        shown = {name for name, field in page.fields.items() if field.isVisible()}
        wanted = {"size", "samples", "draft", "paper", "heading", "logo", "revision", "date", "proofs"}
        self.assertEqual(shown, wanted)

    def test_what_is_asked_for_first_is_reached_first_by_the_tab_key(self):
        page = self.page()
        page.choose(("proof",))
        page.choose(("proof", "laser"))  # what it asks for stands above
        names = [option.name for option in OPTIONS if option.name in page.fields]
        reached, field = [names[0]], page.fields[names[0]]
        while len(reached) < len(names):
            field = field.nextInFocusChain()
            reached += [name for name, one in page.fields.items() if one is field]
        self.assertEqual(reached, names)

    def test_what_was_typed_for_what_is_not_ticked_now_is_kept(self):
        page = self.page()
        page.choose(("laser",))
        page.fields["kerf"].setText("0.2 mm")
        page.choose(("picture",))
        page._remember()
        again = self.page()
        self.assertNotIn("kerf", again.fields)
        self.assertEqual(again.values, {"kerf": "0.2 mm"})
        again.choose(("laser",))
        self.assertEqual(again.fields["kerf"].text(), "0.2 mm")

    def test_a_click_anywhere_on_a_card_ticks_it(self):
        page = self.page()
        page.choose(())
        QTest.mouseClick(page.cards["solid"].picture, Qt.MouseButton.LeftButton)
        self.assertEqual(page.names, ("solid",))
        QTest.mouseClick(page.cards["plotter"].picture, Qt.MouseButton.LeftButton)
        self.assertEqual(page.names, ("solid",))

    def test_small_pictures_are_drawn_beside_the_window(self):
        page = self.page()
        end = time.monotonic() + 20
        cards = page.cards.values()
        while any(card.picture.pixmap().isNull() for card in cards) and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.01)
        pictures = [card.picture.pixmap().toImage() for card in page.cards.values()]
        self.assertFalse(any(picture.isNull() for picture in pictures))
        looks = {bytes(picture.constBits().asarray(picture.sizeInBytes())) for picture in pictures}
        self.assertGreater(len(looks), 8)

    def test_what_cannot_be_is_told_on_the_page(self):
        page = self.page()
        page.choose(("laser",))
        field = page.fields["kerf"]
        assert isinstance(field, QLineEdit)
        field.setText("9 mm")
        page.button.click()
        self.assertTrue(page.isVisible())
        self.assertIn("A beam's kerf goes from 0 to 2 mm", page.refusal.text())
        field.setText("0.2 mm")
        self.assertEqual(page.refusal.text(), "")
        self.assertAlmostEqual(wanted_from(page.values).kerf_mm, 0.2)

    def test_a_preset_is_kept_taken_and_let_go(self):
        page = self.page()
        page.choose(("maps", "laser"))
        page.fields["maps"].setCurrentText("exr")
        with mock.patch.object(QInputDialog, "getText", return_value=("For the renderer", True)):
            page._keep()
        self.assertEqual(presets()["For the renderer"].kinds, ("maps", "laser"))
        page.choose(("picture",))
        page.fields["maps"].setCurrentText("png")
        page.preset.setCurrentText("For the renderer")
        page._take_preset()
        self.assertEqual(page.names, ("maps", "laser"))
        self.assertEqual(page.values, {"maps": "exr"})
        page._let_go()
        self.assertEqual(presets(), {})

    def test_stopped_it_writes_nothing_and_a_refusal_is_told(self):
        handing, out = Handing(), self.folder / "out"
        threading.Timer(0.4, handing.stop).start()
        with self.assertRaises(KilnError):
            handing.write(self.made, ["-o", str(out), "--only", "picture", "--samples", "4000"])
        self.assertFalse(out.exists())
        with self.assertRaisesRegex(KilnError, "Film for a plotter cannot be handed over"):
            Handing().write(self.made, ["-o", str(out), "--only", "plotter"])
        paths = Handing().write(self.made, ["-o", str(out), "--only", "outline"])
        self.assertEqual({path.name for path in paths}, {"outline.svg", "outline.dxf", "contents.txt"})
        self.assertTrue(all(Path(path).is_file() for path in paths))
