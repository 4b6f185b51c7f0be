"""What a machine makes once, at set-up: everything that would keep a person waiting the first time."""

import contextlib
import io
import os
import tempfile
import unittest
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from unittest import mock

from kilnchisel.__main__ import main
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover import readiness
from kilnchisel.core.handover.readiness import Step, make_ready, steps, take
from kilnchisel.core.job.blank import TITLES
from kilnchisel.core.job.setups import SETS
from kilnchisel.core.remembered import STORE


class Ready(unittest.TestCase):
    def test_every_kind_and_every_set_is_made_ready_once(self):
        found = steps()
        self.assertEqual({step.kind for step in found}, set(TITLES))
        self.assertEqual({step.set_name for step in found}, set(SETS))
        self.assertEqual(len({(step.kind, step.set_name) for step in found}), len(found))
        self.assertEqual([step.kind for step in found if step.mockup], ["mug"])

    def test_a_step_keeps_what_its_picture_needs(self):
        """The second time nothing is made: all is read."""
        step = Step("signet", "weathered planks")
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, XDG_CACHE_HOME=folder):
            STORE.clear()
            take(step)
            kept = sorted(path.relative_to(folder).as_posix() for path in Path(folder).rglob("*.arrays"))
            shelves = {name.split("/")[-2] for name in kept}
            self.assertLessEqual({"places", "textures", "rooms"}, shelves)
            STORE.clear()
            with mock.patch("kilnchisel.core.kept._write", side_effect=AssertionError("made again")):
                take(step)
        STORE.clear()

    def test_what_cannot_be_drawn_holds_nothing_up(self):
        """Each step is told as it is done; without OpenGL nothing is made, and that is said."""
        with mock.patch.dict(os.environ, GLCONTEXT_DEVICE_INDEX="99"):
            found = list(make_ready((Step("can", "white sweep"),), processes=1))
        ((step, said),) = found
        self.assertEqual(step, Step("can", "white sweep"))
        self.assertIn("OpenGL", said)

    def test_the_command_counts(self):
        """And says at its end what could not be made, and why."""
        some = (Step("can", "white sweep"), Step("cap", "white sweep"))
        for sentences, last in (
            (("", ""), "Ready."),
            (("", "No card."), "Ready, but for 1 of 2: No card."),
            (("No card.", "No card."), "Ready, but for 2 of 2: No card."),
        ):
            out = io.StringIO()
            with (
                mock.patch.object(readiness, "steps", return_value=some),
                mock.patch.object(readiness, "make_ready", return_value=zip(some, sentences, strict=True)),
                contextlib.redirect_stdout(out),
            ):
                self.assertEqual(main(["ready"]), 0)
            self.assertEqual(
                [line.strip() for line in out.getvalue().splitlines()],
                ["1 of 2: can, white sweep", "2 of 2: cap, white sweep", last],
            )

    def test_an_ended_process_is_told(self):
        with (
            mock.patch.object(readiness, "as_completed", side_effect=BrokenProcessPool),
            self.assertRaisesRegex(KilnError, "made when it is needed"),
        ):
            list(make_ready((Step("can", "white sweep"),), processes=1))
