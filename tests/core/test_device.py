"""Which device draws, on machines that are made up, and what the program says of it."""

import contextlib
import io
import os
import unittest
from unittest import mock

from kilnchisel.__main__ import main
from kilnchisel.core.errors import KilnError
from kilnchisel.core.picture.about import about
from kilnchisel.core.picture.device import context, in_software, name_of


class Drawn:
    def __init__(self, name):
        self.info = {"GL_RENDERER": name}
        self.released = False

    def release(self):
        self.released = True


class Devices(unittest.TestCase):
    def choose(self, *names):
        """The context chosen on a machine with these devices, and all that were made."""
        made = []

        def create(require, backend, device_index=0):
            if device_index >= len(names):
                raise ValueError(f"no requested device index {device_index}")
            made.append(Drawn(names[device_index]))
            return made[-1]

        with mock.patch("moderngl.create_standalone_context", side_effect=create):
            return context(), made

    def test_a_card_is_used_wherever_it_stands_in_the_list(self):
        for names in (
            ("Hill 500",),
            ("llvmpipe (LLVM 15)", "Hill 500"),
            ("Hill", "llvmpipe"),
        ):
            chosen, made = self.choose(*names)
            self.assertIn("Hill", name_of(chosen))
            self.assertEqual([one.released for one in made if one is not chosen], [True] * (len(made) - 1))

    def test_without_a_card_the_first_in_software_is_kept(self):
        chosen, made = self.choose("llvmpipe (LLVM 15)", "softpipe")
        self.assertEqual(name_of(chosen), "llvmpipe (LLVM 15)")
        self.assertFalse(chosen.released)
        self.assertTrue(made[1].released)

    def test_without_any_it_is_said_what_to_install(self):
        with self.assertRaisesRegex(KilnError, "libegl1"):
            self.choose()

    def test_a_device_that_was_named_is_taken_as_it_is(self):
        with mock.patch.dict(os.environ, {"GLCONTEXT_DEVICE_INDEX": "0"}):
            chosen, made = self.choose("llvmpipe", "Hill 500")
        self.assertEqual((name_of(chosen), len(made)), ("llvmpipe", 1))

    def test_about_says_what_draws(self):
        self.assertIn("the graphics card", dict(about("Hill 500"))["Drafts are drawn by"])
        self.assertIn("the processor", dict(about("llvmpipe"))["Drafts are drawn by"])
        self.assertIn("nothing", dict(about(None))["Drafts are drawn by"])
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["about"]), 0)
        self.assertRegex(out.getvalue(), r"Drafts are drawn by: +\S+")
        self.assertTrue(in_software("LLVMPIPE") and not in_software("Hill 500"))


if __name__ == "__main__":
    unittest.main()
