"""``./run test [PATTERN]``: runs every test and ends with one line of counts."""

from __future__ import annotations

import os
import sys
import tempfile
import unittest
from pathlib import Path

HERE = Path(__file__).parent


def main(arguments: list[str]) -> int:
    """Run tests whose file name holds one of the given words (all without any)."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory(prefix="kilnchisel-tests-") as folder:
        # nobody's own recent jobs and autosaves are touched; the cache is shared, it is only speed
        os.environ["XDG_STATE_HOME"] = folder
        loader = unittest.TestLoader()
        suite = unittest.TestSuite()
        for path in sorted(HERE.glob("*/test_*.py")):
            if arguments and not any(word in path.stem for word in arguments):
                continue
            suite.addTests(loader.loadTestsFromName(f"tests.{path.parent.name}.{path.stem}"))
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    os._exit(status)  # native libraries with threads of their own need no say in how this ends
