"""The worked examples of docs/adding.md, added to a copy of the program and used."""

import re
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
PIECE = re.compile(
    r"In `([^`]+)`, (at its end|a new file|after `([^`]+)`):\n\n```python\n(.*?)```", re.DOTALL
)
USED = """
import importlib, pkgutil
import kilnchisel, kilnchisel.core
for module in pkgutil.walk_packages(kilnchisel.core.__path__, "kilnchisel.core."):
    importlib.import_module(module.name)
from kilnchisel.ui.ticket import sections
from kilnchisel.core.kinds import TABLES, classes_of
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.traits import TRAITS
assert [(table.__name__, table.forgotten) for table in TABLES if table.forgotten] == []
assert set(TRAITS) == set(classes_of(Blank))

from pathlib import Path
import sys
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.turning import with_craft
from kilnchisel.core.job.words.sections import sentence
job = open_job(Path(sys.argv[1]))
for key in sections.SECTIONS:
    print(key, "|", sentence(job, key, 0), "|", [spec.label for spec in sections.specs(job, key, 0)])
print("turned into", with_craft(job, 0, "scorched").letterings[0].craft.kind)
"""


def added(root: Path, text: str) -> list[str]:
    """Add the pieces of the page to a copy of the program; the files that were changed."""
    changed = []
    for name, where, line, piece in PIECE.findall(text):
        path = root / name
        if where == "a new file":
            path.write_text(piece)
        elif where == "at its end":
            path.write_text(path.read_text() + "\n\n" + piece)
        else:
            before, found, after = path.read_text().partition(f"{line}\n")
            assert found, f"{name} has no line “{line}”"
            path.write_text(before + found + piece + after)
        changed.append(name)
    return changed


class Adding(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.root = Path(cls.folder.name)
        for name in ("kilnchisel", "demo"):
            shutil.copytree(
                ROOT / name, cls.root / name, ignore=shutil.ignore_patterns("__pycache__", "*.kcj")
            )
        cls.changed = added(cls.root, (ROOT / "docs" / "adding.md").read_text())

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def run_python(self, *arguments):
        result = subprocess.run(
            [sys.executable, *arguments], cwd=self.root, capture_output=True, text=True, timeout=120
        )
        self.assertEqual(result.returncode, 0, result.stderr[-2000:])
        return result.stdout

    def kc(self, *arguments):
        return self.run_python("-m", "kilnchisel", *arguments)

    def test_every_piece_of_the_page_is_added(self):
        page = (ROOT / "docs" / "adding.md").read_text()
        self.assertEqual(len(self.changed), page.count("```python"))

    def test_the_new_kinds_are_made_measured_told_and_written(self):
        self.kc("new", "candle", "-o", "a.kcj", "--text", "Night watch")
        self.kc("set", "a.kcj", "letterings.1.craft.kind=scorched", "finish.kind=cork", "-o", "b.kcj")
        measured = self.kc("measure", "b.kcj")
        self.assertIn("Below surface", measured)
        self.assertIn("Weight cut away", measured)  # of cork
        self.kc("mesh", "b.kcj", "-o", "b.off")
        head, counts, *rest = (self.root / "b.off").read_text().splitlines()
        points, faces, _ = map(int, counts.split())
        self.assertEqual((head, len(rest)), ("OFF", points + faces))
        told = self.run_python("-c", USED, "b.kcj")
        self.assertIn("blank | Candle, 70 × 120 mm", told)
        self.assertIn("Scorched 0.1 mm deep, heat 80 %", told)
        self.assertIn("cream cork", told)
        self.assertIn("wear | As new | ['Rubbed edges'", told)
        self.assertIn("turned into scorched", told)


if __name__ == "__main__":
    unittest.main()
