"""How long the window stands still: every command, key, section, kind and file, each with its longest gap.

In a process of its own: ``python -m benchmarks.gaps`` prints what each action cost and where it stood.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from benchmarks.figure import Figure

BEAT_MS = 5
AFTER_S = 1.2  # what an action sets off is over by then, or goes on beside the window
WANTED_MS = 50
DEMO = Path(__file__).parent.parent / "demo"
OPENED = ("night-crew-mug", "trail-sign", "directors-signet")
PAGE_S = 1.0  # that a page or a question stays open
SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30">'
    b'<path d="M2 2H20V20H2ZM5 5V15H15V5Z"/></svg>'
)


class Watch:
    """The longest gaps between events, where the window's thread stood in them, and where others did: a
    call that does not let go of the interpreter stops the window from another thread."""

    def __init__(self, from_s: float) -> None:
        self.last, self._worked, self._stolen = time.monotonic(), time.thread_time(), stolen_ms()
        self.doing = "start"
        self.found: list[tuple[float, str, str]] = []  # gap, what was being done, where it stood
        self._from_s = from_s
        self._thread_id = threading.get_ident()
        self._stack = ""
        self._open = True
        threading.Thread(target=self._look, name="watch", daemon=True).start()

    def beat(self) -> None:
        """An event has come through."""
        now = time.monotonic()
        gap, worked, stolen = now - self.last, time.thread_time(), stolen_ms()
        if gap > self._from_s:
            # nobody came to look: another thread held the interpreter, and has hardly gone on since
            where = self._stack or f"not seen; {self._stacks()}"
            own = 1000 * (worked - self._worked)  # the rest it waited for a processor or for another thread
            took = f"at work {own:.0f} ms, taken by the machine's host {stolen - self._stolen:.0f}"
            self.found.append((gap, self.doing, f"{took}; {where}"))
        self._stack = ""
        self.last, self._worked, self._stolen = now, worked, stolen

    def anew(self) -> None:
        """What has been since the last event is no gap."""
        self.last, self._worked, self._stack = time.monotonic(), time.thread_time(), ""
        self._stolen = stolen_ms()

    def longest(self, count: int) -> list[tuple[float, str, str]]:
        """The longest gaps, longest first."""
        return sorted(self.found, reverse=True)[:count]

    def _look(self) -> None:
        while self._open:
            time.sleep(self._from_s / 4)
            if time.monotonic() - self.last > 0.6 * self._from_s and not self._stack:
                self._stack = self._stacks()

    def _stacks(self) -> str:
        frames = sys._current_frames()
        here = _steps(frames.pop(self._thread_id, None))
        others = [_steps(frame) for frame in frames.values()]
        return " | beside: ".join([here, *(steps for steps in others if steps)])

    def close(self) -> None:
        """Stop looking."""
        self._open = False


def stolen_ms() -> float:
    """What the host of a virtual machine has taken from all its processors (proc(5)), in steps of 10 ms."""
    with Path("/proc/stat").open() as rows:
        return 1000 * int(rows.readline().split()[8]) / os.sysconf("SC_CLK_TCK")


def _steps(frame: Any) -> str:
    """The innermost steps of a thread in the program's own code."""
    steps = traceback.extract_stack(frame) if frame is not None else []
    own = [s for s in steps if "/kilnchisel/" in s.filename]
    return " < ".join(f"{Path(s.filename).name}:{s.lineno} {s.name}" for s in reversed(own[-5:]))


def _actions(window: Any, folder: Path) -> Iterator[tuple[str, Callable[[], Any]]]:
    """Everything that is done, in order, with its name."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from kilnchisel.core.job.edits import change
    from kilnchisel.core.paths import RESOURCES
    from kilnchisel.ui.commands import COMMANDS
    from kilnchisel.ui.ticket.sections import SECTIONS

    font = RESOURCES / "fonts" / "pacifico" / "Pacifico-Regular.ttf"
    drawing = folder / "a.svg"
    drawing.write_bytes(SVG)

    def key(name: str) -> Callable[[], None]:
        return lambda: QTest.keyClick(window.picture, getattr(Qt.Key, f"Key_{name}"))

    def put(path: tuple[str | int, ...], value: Any) -> Callable[[], None]:
        return lambda: window.session.put(change(window.session.job, path, value), "tried")

    for stem in OPENED:
        yield f"open {stem}", lambda s=stem: window.open_demo(DEMO / f"{s}.kcj")
        for name in ("Left", "Up", "Plus"):
            yield f"{stem}: key {name}", key(name)
        for section in SECTIONS:
            yield f"{stem}: section {section}", lambda s=section: window.ticket.show_section(s)
        yield f"{stem}: write on it", window.edit_words
        for letter in "TAr":
            yield (
                f"{stem}: letter {letter}",
                lambda k=letter: QTest.keyClicks(window.focusWidget() or window.picture, k),
            )
        for craft in (
            {"kind": "printed"},
            {"kind": "engraved", "depth_mm": 0.2, "floor": "v"},
            {"kind": "raised", "height_mm": 0.5},
        ):
            yield f"{stem}: {craft['kind']}", put(("letterings", 0, "craft"), craft)
        for finish in ("brass", "enamel"):
            yield f"{stem}: of {finish}", put(("finish",), {"kind": finish})
        yield f"{stem}: artwork", lambda: window.put_artwork(drawing)
        yield f"{stem}: typeface", lambda: window.take_font(font)
        yield f"{stem}: save", lambda: window.session.save(folder / "a.kcj")
        yield f"{stem}: solid", lambda: window.write_mesh(folder / "a.stl")
        yield (
            f"{stem}: outlines",
            lambda: window.write_outline(folder / "a.dxf", window.ticket.handover.order),
        )
        yield f"{stem}: keep a copy", window.session.autosave
        for command in COMMANDS:
            if command.does not in ("new_job", "close"):  # the one comes last, the other ends the window
                yield f"{stem}: {command.does}", getattr(window, command.does)
    for kind in ("mug", "plaque", "band"):
        yield f"new {kind}", lambda k=kind: window.start_new(k)
    yield "open a saved job", lambda: window.open_path(folder / "a.kcj")
    yield "new_job", window.new_job


def work() -> None:
    """Drive the window, printing each action's longest gap in ms and where it stood."""
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

    from kilnchisel.core.errors import KilnError
    from kilnchisel.ui.start import ahead
    from kilnchisel.ui.window import Window

    ahead()  # as the program does
    app = QApplication([])
    window = Window()
    window.resize(1280, 800)
    window.show()
    window.ask_unsaved = lambda: "leave"  # type: ignore[method-assign]
    watch = Watch(WANTED_MS / 1000)
    beat = QTimer()
    beat.timeout.connect(watch.beat)
    beat.start(BEAT_MS)

    seen: dict[Any, float] = {}

    def leave() -> None:
        """Close the page or the question that has been open long enough: an action waits for it."""
        page = app.activeModalWidget()
        if page is not None and time.monotonic() - seen.setdefault(page, time.monotonic()) > PAGE_S:
            seen.pop(page)
            page.close()

    closer = QTimer()
    closer.timeout.connect(leave)
    closer.start(100)

    def live(seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            app.processEvents()
            time.sleep(0.001)

    live(6.0)  # what the window does by itself once it stands
    watch.found.clear()
    with tempfile.TemporaryDirectory() as folder:
        for name, does in _actions(window, Path(folder)):
            watch.doing = name
            before = len(watch.found)
            try:
                does()
            except KilnError as error:
                print(f"refused\t{name}\t{error}", flush=True)
            live(AFTER_S)
            gap, _, where = max(watch.found[before:], default=(0.0, "", ""))
            print(f"gap\t{gap * 1000:.0f}\t{name}\t{where}", flush=True)
    watch.close()
    sys.stdout.flush()
    os._exit(0)


def measured() -> list[tuple[float, str, str]]:
    """Each action's longest gap (ms), its name, where the window stood; longest first."""
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": state}
        result = subprocess.run(
            [sys.executable, "-m", "benchmarks.gaps"],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
    rows = [line.split("\t") for line in result.stdout.splitlines() if line.startswith("gap\t")]
    return sorted(((float(row[1]), row[2], row[3]) for row in rows), reverse=True)


def run() -> Iterator[Figure]:
    """The longest gap of all, and of how many actions it was longer than wanted."""
    rows = measured()
    for ms, name, where in rows[:8]:
        if ms:
            print(f"    {ms:5.0f} ms  {name:<40}  {where}")
    yield Figure(f"longest gap between events, of {len(rows)} actions", rows[0][0], "ms", WANTED_MS)
    over = sum(1 for ms, _, _ in rows if ms > WANTED_MS)
    yield Figure("actions with a gap that is longer", over, "", 0.5)


if __name__ == "__main__":
    work()
