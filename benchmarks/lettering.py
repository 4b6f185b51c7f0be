"""How fast letters are ready: outlines, centre lines, fonts listed without a dropped frame, tracing."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QTimer

from benchmarks.figure import Figure
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.lettering import arranging, glyphs, shaping
from kilnchisel.core.lettering.faces import face_path, load_face
from kilnchisel.core.lettering.outline import make_outline
from kilnchisel.core.lettering.tracing import traced

WORDS = "TARNLIGHT OBSERVATORY UNDER HILL"
LONG = "\n".join(["Dim your lamp from here on, the stars do the rest"] * 8)
FONTS = 2000


def _ms(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return (time.perf_counter() - start) * 1000


def _forget() -> None:
    for kept in (
        glyphs.glyph_region,
        glyphs.glyph_hull,
        glyphs.glyph_lines,
        shaping._shaped,
        arranging.baseline_of,
    ):
        kept.cache_clear()


def run() -> Iterator[Figure]:
    """The figures of the lettering room."""
    make_outline(Wording(text=WORDS))
    times = [_ms(lambda n=n: make_outline(Wording(text=WORDS[:-1] + chr(65 + n % 26)))) for n in range(60)]
    yield Figure("30 letters changed, glyphs cached, median of 60", statistics.median(times), "ms", 10)
    cold = []
    for _ in range(5):
        _forget()
        cold.append(_ms(lambda: make_outline(Wording(text=WORDS))))
    yield Figure("30 letters, nothing cached, median of 5", statistics.median(cold), "ms", 40)
    long = [_ms(lambda n=n: make_outline(Wording(text=LONG[:-1] + chr(97 + n)))) for n in range(12)]
    yield Figure("300 letters changed, median of 12", statistics.median(long), "ms", 80)
    lines = []
    for name in ("quicksand-bold", "league-spartan", "routed-gothic"):
        loaded = load_face(ShippedFace(name=name))
        numbers = [loaded.font.get_nominal_glyph(ord(c)) for c in "TARNLIGHOBSEV"]
        _forget()
        lines.append(_ms(lambda f=loaded, g=numbers: [glyphs.glyph_lines(f, n) for n in g]))
    yield Figure("centre lines of 13 new letters, median of 3 faces", statistics.median(lines), "ms", 250)
    yield from _list_fonts()
    yield from _trace()


def _list_fonts() -> Iterator[Figure]:
    """2,000 font files read in the background while the window's clock ticks every 5 ms."""
    from PyQt6.QtWidgets import QApplication

    from kilnchisel.ui.theme import DAY
    from kilnchisel.ui.ticket.faces import FaceChooser

    app = QApplication.instance() or QApplication([])
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        # nothing is known of these fonts, and nobody's own list is touched
        os.environ["XDG_CACHE_HOME"], os.environ["XDG_STATE_HOME"] = f"{name}/cache", f"{name}/state"
        folder = Path(name) / "fonts"
        folder.mkdir()
        shelf = [
            face_path(ShippedFace(name=n))
            for n in ("quicksand-bold", "eb-garamond", "amiri-bold", "pacifico")
        ]
        for number in range(FONTS):
            source = shelf[number % len(shelf)]
            (folder / f"{number}{source.suffix}").symlink_to(source)
        chooser = FaceChooser("Tarnlight", ShippedFace(), DAY, None, read_fonts=False)
        chooser.show()
        gaps: list[float] = []
        last = [time.perf_counter()]

        def tick() -> None:
            now = time.perf_counter()
            gaps.append((now - last[0]) * 1000)
            last[0] = now

        clock = QTimer()
        clock.timeout.connect(tick)
        clock.start(5)
        end = time.perf_counter() + 1.0
        while time.perf_counter() < end:  # first specimens
            app.processEvents()
        gaps.clear()
        start = time.perf_counter()
        chooser.add_folder(folder)
        while sum(row.kind == "own" for row in chooser.model.rows) < FONTS:
            app.processEvents()
            time.sleep(0.001)  # as the window waits for events
            if time.perf_counter() - start > 60:
                break
        spent = time.perf_counter() - start
        chooser.close()
    yield Figure(f"{FONTS} fonts listed", spent, "s", 5)
    yield Figure("longest pause of the window meanwhile", max(gaps), "ms", 100)


def _trace() -> Iterator[Figure]:
    y, x = np.mgrid[0:2000, 0:2000]
    rings = np.sin(np.hypot(x - 1000, y - 1000) / 22) * np.cos(x / 90) * np.cos(y / 110)
    picture = np.clip(rings * 6 + 0.5, 0, 1).astype(np.float32)
    yield Figure("tracing a picture of 2000 x 2000", _ms(lambda: traced(picture, 0.5, 0.5)) / 1000, "s", 2)
