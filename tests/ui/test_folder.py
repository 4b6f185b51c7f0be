"""What is chosen of a job's hand-over, written into one folder by the window."""

import threading
from pathlib import Path
from unittest import mock

from PyQt6.QtWidgets import QFileDialog

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Engraved, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.ui.folder import Handing
from kilnchisel.ui.memory import recall
from tests.ui.harness import WindowTest


class IntoAFolder(WindowTest):
    def setUp(self):
        super().setUp()
        self.new("plaque")
        self.session = self.window.session
        self.made = change(self.session.job, ("letterings", 0, "craft"), Engraved(floor="v", depth_mm=1.0))
        self.session.put(self.made, "engraved")
        self.window.ticket.show_section("hand-over")
        self.settle()

    @property
    def kinds(self):
        return self.window.ticket.handover.kinds

    def tick(self, *names):
        for name, box in self.kinds.boxes.items():
            if box.isChecked() is not (name in names):
                box.click()

    def test_what_is_ticked_is_written_and_remembered(self):
        self.assertFalse(self.kinds.boxes["plotter"].isEnabled())
        self.tick("outline", "router")
        self.assertEqual(self.kinds.chosen(), ("outline", "router"))
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.folder)):
            self.click(self.kinds.button)
        written = self.folder / self.session.job.name
        names = sorted(path.name for path in written.iterdir())
        self.assertEqual(names, ["contents.txt", "outline.dxf", "outline.svg", "router-front.nc"])
        self.assertIn("4 files written into", self.window.hint.text() + self.window.picture.notice)
        self.assertEqual(recall("handed over"), ["outline", "router"])
        self.tick()
        self.assertFalse(self.kinds.button.isEnabled())

    def test_what_the_job_can_give_follows_it(self):
        self.session.put(change(self.made, ("letterings", 0, "craft"), Printed()), "printed")
        self.settle()
        self.assertTrue(self.kinds.boxes["plotter"].isEnabled())
        self.assertFalse(self.kinds.boxes["router"].isEnabled())
        self.session.undo()
        self.settle()
        self.assertTrue(self.kinds.boxes["router"].isEnabled())

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
