"""Where things are kept when the places for them cannot be used."""

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from kilnchisel.core import paths
from kilnchisel.core.errors import KilnError

PLACES = {"XDG_CACHE_HOME": "/dev/null/a", "XDG_STATE_HOME": "/dev/null/b"}


class Places(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, PLACES))
        self.enterContext(mock.patch.object(tempfile, "gettempdir", lambda: str(self.folder)))
        self.enterContext(mock.patch.dict(paths._elsewhere, clear=True))

    def test_what_cannot_be_written_to_gives_way_to_a_folder_nobody_else_looks_into(self):
        for place in (paths.cache_folder, paths.state_folder):
            folder = place()
            self.assertTrue(folder.is_relative_to(self.folder))
            self.assertEqual(place(), folder)
        (own,) = self.folder.iterdir()
        self.assertEqual(own.stat().st_mode & 0o777, 0o700)
        self.assertNotEqual(paths.cache_folder(), paths.state_folder())
        self.assertIn("/dev/null/b cannot be written to", paths.kept_elsewhere())
        self.assertIn(str(paths.state_folder()), paths.kept_elsewhere())

    def test_a_folder_of_that_name_that_others_may_read_is_not_used(self):
        lurking = self.folder / f"kilnchisel-{os.getuid()}"
        lurking.mkdir(mode=0o755)
        with mock.patch.object(tempfile, "mkdtemp", lambda prefix: str(self.folder / prefix)):
            self.assertFalse(paths.cache_folder().is_relative_to(lurking))

    def test_where_nothing_can_be_written_there_is_a_sentence(self):
        self.enterContext(mock.patch.object(tempfile, "gettempdir", lambda: "/dev/null/c"))
        with self.assertRaisesRegex(KilnError, "make room in one of them"):
            paths.cache_folder()

    def test_the_usual_places_say_nothing(self):
        os.environ["XDG_STATE_HOME"] = str(self.folder / "state")
        self.assertEqual(paths.kept_elsewhere(), "")
        self.assertEqual(paths.state_folder(), self.folder / "state" / "kilnchisel")

    def test_the_command_line_works_without_them(self):
        environment = {**os.environ, **PLACES, "HOME": "/dev/null/d", "TMPDIR": str(self.folder)}
        demo = Path(__file__).parent.parent.parent / "demo" / "gift-roundel.kcj"
        order = [sys.executable, "-m", "kilnchisel", "outline", str(demo), "-o", str(self.folder / "a.svg")]
        result = subprocess.run(order, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual((result.returncode, result.stderr), (0, "As it lies.\n"))
        self.assertGreater((self.folder / "a.svg").stat().st_size, 500)
