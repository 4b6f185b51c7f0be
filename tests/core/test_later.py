"""Libraries that are loaded when they are first used, or soon after the start."""

import subprocess
import sys
import unittest


class Loading(unittest.TestCase):
    def test_the_core_loads_none_of_them_at_once_and_then_they_are_there(self):
        program = (
            "import sys; from kilnchisel.core import later; import kilnchisel.core.build;"
            "before = [name for name in later.SOON if name in sys.modules];"
            "later.load_soon().join(60);"
            "print(before, [name for name in later.SOON if name not in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[] []")
