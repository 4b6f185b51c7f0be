"""A second start to its first draft, and the memory of a window with one job open."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figure import Figure

PROGRAM = """
import os, sys, time, resource
start = time.perf_counter()
from pathlib import Path
from kilnchisel.ui.start import ahead, shown
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
ahead()  # as open_window does
app = QApplication([])
window = shown(Path(sys.argv[1]))
first = []
window.picture.first_drawn.connect(lambda: first.append(time.perf_counter() - start))
def end():
    if not first:  # a first start on a cold machine
        QTimer.singleShot(500, end)
        return
    from benchmarks.memory import memory_mb
    print(first[0], memory_mb())
    window.close()
    app.quit()
QTimer.singleShot(int(sys.argv[2]), end)
app.exec()
"""


def run() -> Iterator[Figure]:
    """Starts the window offscreen twice; the second start is the one that counts."""
    job = Path(__file__).parent.parent / "demo" / "night-crew-mug.kcj"
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": state}
        for wait in ("8000", "30000"):
            result = subprocess.run(
                [sys.executable, "-c", PROGRAM, str(job), wait],
                env=environment,
                capture_output=True,
                text=True,
                check=True,
            )
        first, memory = map(float, result.stdout.split()[-2:])
    yield Figure("second start to first draft", first, "s", 3)
    yield Figure("memory with one job open, mockup refining", memory, "MB", 900)
