"""The rules of the house that a machine can keep."""

import re
import subprocess
import sys
import unittest
from pathlib import Path

from kilnchisel.core.paths import cache_folder

ROOT = Path(__file__).parent.parent.parent
TOOLS = Path(sys.executable).parent


def tool(*arguments):
    return subprocess.run(
        [TOOLS / arguments[0], *arguments[1:]], cwd=ROOT, capture_output=True, text=True, check=False
    )


class House(unittest.TestCase):
    def test_imports_go_down_the_floors(self):
        result = tool("lint-imports")
        self.assertEqual(result.returncode, 0, result.stdout)

    def test_style(self):
        result = tool("ruff", "check", ".")
        self.assertEqual(result.returncode, 0, result.stdout)

    def test_types(self):
        # kept beside the other caches: a clone that differs little from the last is checked in a moment
        result = tool("mypy", "--cache-dir", str(cache_folder() / "mypy"))
        self.assertEqual(result.returncode, 0, result.stdout)

    def test_every_shipped_folder_carries_its_licence(self):
        resources = ROOT / "kilnchisel" / "resources"
        folders = [*(resources / "fonts").iterdir(), resources / "interface-font", resources / "lights"]
        for folder in folders:
            self.assertTrue(list(folder.glob("LICENSE*")), folder)

    def test_the_schema_in_the_docs_is_the_models_own(self):
        import json

        from kilnchisel.core.job.file import schema

        text = (ROOT / "docs" / "job-file.md").read_text()
        block = re.search(r"```json\n(.*?)```", text, re.S)
        self.assertIsNotNone(block)
        self.assertEqual(json.loads(block[1]), json.loads(json.dumps(schema())))

    def test_the_readme_s_pictures_are_there(self):
        text = (ROOT / "README.md").read_text()
        named = re.findall(r"\((docs/[^)]+\.png)\)", text)
        self.assertGreaterEqual(len(named), 3)
        for name in named:
            self.assertTrue((ROOT / name).is_file(), name)
