"""Random gestures in the real window: what goes wrong, what memory does, how long it stands still.

``./run fuzz --window --minutes N --seed N`` drives it unseen, mockups on. Printed: distinct exceptions with
the actions before them, ends of the drawing process that nobody asked for, memory by the minute and twice
at rest with the same job, the longest gaps between events with what ran meanwhile.
"""

from __future__ import annotations

import collections
import os
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from benchmarks.gaps import Watch
from benchmarks.memory import memory_by_process, memory_mb, peaks

BEAT_MS = 10
GAP_S = 0.1  # a longer one is a fault
PEAK_MB = 250  # a process that has held so much more than before is told
SETTLED_S = 300  # from then on memory should not grow
# what is held hangs on the open job: it is measured with this one, when its mockup has had so long.
# To clean a picture takes 300 MB for a moment: the least of so many measures counts, so far apart
AT_REST, REST_S, MEASURES, APART_S = "moon-mug", 50.0, 10, 2.0
DEMO = Path(__file__).parent.parent / "demo"
WORDS = "TARN & Hill “8” – Ångström 1897 fi ffl"


class Driver:
    """A window and a hand that does anything in it."""

    def __init__(self, seed: int, folder: Path) -> None:
        from PyQt6.QtWidgets import QApplication

        from kilnchisel.ui.start import ahead

        ahead()  # as the program does
        self.rng = random.Random(seed)
        self.folder = folder
        self.app = QApplication.instance() or QApplication([])
        from kilnchisel.ui.window import Window

        self.window = Window()
        self.window.resize(1280, 800)
        self.window.show()
        self.window.ask_unsaved = lambda: "leave"  # type: ignore[method-assign]
        self.done: collections.deque[str] = collections.deque(maxlen=6)
        self.faults: dict[str, str] = {}
        self.refusals: collections.Counter[str] = collections.Counter()
        self.window.guard.told.connect(self._fault)
        workshop = self.window.picture.workshop
        workshop.heard.connect(self._heard)
        self.asked_to_end, self._end = False, workshop.end
        workshop.end = self._end_workshop  # type: ignore[method-assign]
        self.count = 0
        self.peaks: dict[int, float] = {}

    def _fault(self, sentence: str, report: str) -> None:
        if report:
            self.faults.setdefault(report, "; ".join(self.done))
        else:
            self.refusals[sentence[:120]] += 1

    def _end_workshop(self) -> None:
        self.asked_to_end = True
        self._end()

    def _heard(self, answer: tuple[Any, ...]) -> None:
        if answer[0] == "ended":
            if not self.asked_to_end:
                self.faults.setdefault(
                    f"the drawing process ended, number {self.count}", "; ".join(self.done)
                )
            self.asked_to_end = False

    def at_rest(self) -> list[tuple[str, float]]:
        """What each process holds, MB, when one and the same job has been open for a while."""
        self.say(f"rest with {AT_REST}")
        self.window.open_demo(DEMO / f"{AT_REST}.kcj")
        self.breathe(REST_S)
        held = []
        for _ in range(MEASURES):
            self.breathe(APART_S)
            held.append(memory_by_process())
            self.watch.anew()
        return min(held, key=lambda one: sum(mb for _, mb in one))

    # what a hand does

    def act(self) -> Callable[[], None]:
        """One of the things that can be done."""
        kinds: tuple[tuple[float, Callable[[], None]], ...] = (
            (2, self.open_demo),
            (1, self.new_job),
            (8, self.drag),
            (4, self.click),
            (3, self.wheel),
            (6, self.type_words),
            (6, self.press_keys),
            (5, self.command),
            (8, self.use_field),
            (3, self.press_button),
            (2, self.double_click),
        )
        return self.rng.choices([does for _, does in kinds], [weight for weight, _ in kinds])[0]

    def open_demo(self) -> None:
        path = self.rng.choice(sorted(DEMO.glob("*.kcj")))
        self.say(f"open {path.stem}")
        self.window.open_demo(path)

    def new_job(self) -> None:
        from kilnchisel.core.job.blank import TITLES

        kind = self.rng.choice(list(TITLES))
        self.say(f"new {kind}")
        self.window.start_new(kind)

    def _spot(self) -> tuple[float, float]:
        picture, band = self.window.picture, self.window.picture.band
        if band is not None and band.handles and self.rng.random() < 0.5:
            handle = self.rng.choice(band.handles)
            return float(handle.at[0]), float(handle.at[1])
        spread = self.rng.choice((0.08, 0.5))
        return (
            picture.width() * (0.5 + self.rng.uniform(-spread, spread)),
            picture.height() * (0.5 + self.rng.uniform(-spread, spread)),
        )

    def _mouse(self, kind: Any, at: tuple[float, float], held: bool, keys: Any) -> None:
        from PyQt6.QtCore import QPointF, Qt
        from PyQt6.QtGui import QMouseEvent

        target, spot = self.window.picture, QPointF(*at)
        left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        moving = kind == QMouseEvent.Type.MouseMove
        spot_there = QPointF(target.mapToGlobal(spot.toPoint()))
        event = QMouseEvent(kind, spot, spot_there, none if moving else left, left if held else none, keys)
        self.app.sendEvent(target, event)

    def _keys(self) -> Any:
        from PyQt6.QtCore import Qt

        modifier = Qt.KeyboardModifier
        choice = [modifier.NoModifier] * 4 + [modifier.ShiftModifier, modifier.ControlModifier]
        return self.rng.choice(choice)

    def drag(self) -> None:
        from PyQt6.QtGui import QMouseEvent

        kind, keys = QMouseEvent.Type, self._keys()
        start, end = self._spot(), self._spot()
        steps = self.rng.randrange(2, 14)
        self.say(f"drag {start[0]:.0f},{start[1]:.0f} to {end[0]:.0f},{end[1]:.0f}")
        self._mouse(kind.MouseButtonPress, start, True, keys)
        for number in range(1, steps + 1):
            share = number / steps
            at = (start[0] + (end[0] - start[0]) * share, start[1] + (end[1] - start[1]) * share)
            self._mouse(kind.MouseMove, at, True, keys)
            self.breathe(0.03)
        if self.rng.random() < 0.1:
            self._key("Escape")
        self._mouse(kind.MouseButtonRelease, end, False, keys)

    def click(self) -> None:
        from PyQt6.QtGui import QMouseEvent

        spot, keys = self._spot(), self._keys()
        self.say(f"click {spot[0]:.0f},{spot[1]:.0f}")
        self._mouse(QMouseEvent.Type.MouseButtonPress, spot, True, keys)
        self._mouse(QMouseEvent.Type.MouseButtonRelease, spot, False, keys)

    def double_click(self) -> None:
        from PyQt6.QtGui import QMouseEvent

        spot = self._spot()
        self.say(f"double click {spot[0]:.0f},{spot[1]:.0f}")
        self._mouse(QMouseEvent.Type.MouseButtonDblClick, spot, True, self._keys())

    def wheel(self) -> None:
        from PyQt6.QtCore import QPoint, QPointF, Qt
        from PyQt6.QtGui import QWheelEvent

        turn = self.rng.choice((-240, -120, 120, 240))
        self.say(f"wheel {turn}")
        spot = QPointF(*self._spot())
        there = QPointF(self.window.picture.mapToGlobal(spot.toPoint()))
        event = QWheelEvent(
            spot,
            there,
            QPoint(),
            QPoint(0, turn),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        self.app.sendEvent(self.window.picture, event)

    def _key(self, name: str) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        target = self.app.focusWidget() or self.window.picture
        QTest.keyClick(target, getattr(Qt.Key, f"Key_{name}"))

    def press_keys(self) -> None:
        name = self.rng.choice(
            ("Left", "Right", "Up", "Down", "Escape", "Tab", "Return", "Backspace", "Delete", "Home", "End")
        )
        times = self.rng.choice((1, 1, 1, 5))
        self.say(f"key {name} x{times}")
        for _ in range(times):
            self._key(name)
            self.breathe(0.01)

    def type_words(self) -> None:
        from PyQt6.QtTest import QTest

        start = self.rng.randrange(len(WORDS))
        words = WORDS[start : start + self.rng.randrange(1, 12)]
        self.say(f"type {words!r}")
        target = self.app.focusWidget()
        if target is None or self.rng.random() < 0.5:
            self.window.edit_words()
            target = self.app.focusWidget() or self.window.picture
        for letter in words:
            if letter.isascii():
                QTest.keyClick(target, letter)
                self.breathe(0.01)

    def command(self) -> None:
        from kilnchisel.ui.commands import COMMANDS

        # those that ask for a file or end the window are driven elsewhere
        skipped = {"open_job", "new_on_mesh", "save_job", "save_job_as", "hand_over_picture", "close"}
        skipped |= {"hand_over_mesh", "hand_over_outline", "add_artwork", "show_keys", "show_about"}
        command = self.rng.choice([c for c in COMMANDS if c.does not in skipped])
        self.say(f"command {command.does}")
        self.window.do(command)

    def use_field(self) -> None:
        from kilnchisel.ui.ticket.sections import SECTIONS

        section = self.rng.choice(list(SECTIONS))
        self.window.ticket.show_section(section)
        self.breathe(0.02)
        form = self.window.ticket.forms.get(section)
        if form is None or not form.fields:
            self.say(f"section {section}")
            return
        key = self.rng.choice(list(form.fields))
        self.say(f"field {section} {key}")
        self._use(form.fields[key])

    def _use(self, field: Any) -> None:
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLineEdit, QPlainTextEdit

        kinds = (QLineEdit, QComboBox, QAbstractButton, QPlainTextEdit)
        inside = [w for kind in kinds for w in field.findChildren(kind) if w.isVisible() and w.isEnabled()]
        if isinstance(field, kinds):
            inside.append(field)
        if not inside:
            return
        widget = self.rng.choice(inside)
        if isinstance(widget, QComboBox):
            if widget.count():
                index = self.rng.randrange(widget.count())
                widget.setCurrentIndex(index)
                widget.activated.emit(index)
        elif isinstance(widget, QLineEdit):
            widget.selectAll()
            QTest.keyClicks(widget, self.rng.choice(("1", "2.5", "40", "0", "-3", "1e9", "3/8 in", "x")))
            self._key("Return")
        elif isinstance(widget, QAbstractButton):
            self._press(widget)

    def _press(self, button: Any) -> None:
        words = (button.text() + button.accessibleName()).lower()
        if "…" in words or "file" in words or "typeface" in words or "close" in words:
            return  # opens a dialog that waits for a person
        button.click()

    def press_button(self) -> None:
        from PyQt6.QtWidgets import QPushButton

        found = [b for b in self.window.findChildren(QPushButton) if b.isVisible() and b.isEnabled()]
        if not found:
            return
        button = self.rng.choice(found)
        self.say(f"button {button.text() or button.accessibleName()}")
        if button is not self.window.menu_button:
            self._press(button)

    # the run

    def say(self, words: str) -> None:
        """What is being done now."""
        self.count += 1
        self.done.append(words)
        self.watch.doing = words

    def breathe(self, seconds: float) -> None:
        """Let the window live."""
        end = time.monotonic() + seconds
        while True:
            self.app.processEvents()
            dialog = self.app.activeModalWidget()
            if dialog is not None and self.rng.random() < 0.02:
                dialog.close()
            if time.monotonic() >= end:
                return
            time.sleep(0.002)

    def _tell_peaks(self, tell: Callable[[str], None]) -> None:
        for pid, mb in peaks().items():
            before = self.peaks.setdefault(pid, mb)
            if mb > before + PEAK_MB:
                self.peaks[pid] = mb
                tell(f"  process {pid} has held {mb:.0f} MB: {'; '.join(self.done)}")

    def run(self, minutes: float, tell: Callable[[str], None] = print) -> dict[str, Any]:
        """Act for so long. Returns what was found."""
        from PyQt6.QtCore import QTimer

        self.watch = Watch(GAP_S)
        beat = QTimer()
        beat.timeout.connect(self.watch.beat)
        beat.start(BEAT_MS)
        closer = QTimer()  # a dialog in a loop of its own is closed after a while
        closer.timeout.connect(lambda: (d := self.app.activeModalWidget()) is not None and d.close())
        closer.start(2500)
        begun, memories, told = time.monotonic(), [(0.0, memory_mb())], 0
        at_rest: list[list[tuple[str, float]]] = []
        paces = [pace_ms()]
        self.open_demo()
        while (now := time.monotonic() - begun) < 60 * minutes:
            try:
                self.act()()
            except Exception as error:
                self.window.guard.take(error)
            self.breathe(self.rng.choice((0.02, 0.05, 0.2, 0.6, 1.5, 3.0)))
            self._tell_peaks(tell)
            if now // 60 > told:
                told = int(now // 60)
                each = memory_by_process()
                memories.append((now, sum(mb for _, mb in each)))
                paces.append(pace_ms())
                self.watch.anew()  # what measuring took is not the window's
                so_far = f"{told_of(each)}, {self.count} actions, {len(self.faults)} faults"
                tell(f"{told} min: {so_far}, a fixed sum takes {paces[-1]:.0f} ms")
            if not at_rest and now >= min(SETTLED_S, 30 * minutes):
                at_rest.append(self.at_rest())
        memories.append((time.monotonic() - begun, memory_mb()))
        at_rest.append(self.at_rest())
        self.watch.close()
        beat.stop()
        self.window.session._saved_job = self.window.session.job
        self.window.close()
        return {
            "refusals": self.refusals,
            "actions": self.count,
            "faults": self.faults,
            "gaps": self.watch.longest(25),
            "memory": memories,
            "at rest": at_rest,
            "pace": paces,
        }


def told_of(held: list[tuple[str, float]]) -> str:
    """What processes hold, in words."""
    parts = ", ".join(f"{what} {mb:.0f}" for what, mb in held)
    return f"{sum(mb for _, mb in held):.0f} MB ({parts})"


def pace_ms() -> float:
    """What a fixed sum takes of the processor: how quick the machine is at the moment, whatever waits."""
    started = time.thread_time()
    sum(n * n % 7 for n in range(200_000))
    return 1000 * (time.thread_time() - started)


def drive(minutes: float, seed: int, tell: Callable[[str], None] = print) -> int:
    """A run with its report; the number of faults."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory(prefix="kilnchisel-fuzz-") as folder:
        os.environ["XDG_STATE_HOME"] = folder
        found = Driver(seed, Path(folder)).run(minutes, tell)
    tell(f"seed {seed}: {found['actions']} actions in {minutes:g} minutes")
    for sentence, times in found["refusals"].most_common(8):
        tell(f"told {times} times, by no command: {sentence}")
    for report, before in found["faults"].items():
        tell(f"fault after: {before}\n{report}")
    tell(f"{len(found['faults'])} distinct faults; gaps over {GAP_S * 1000:.0f} ms, longest first:")
    for gap, doing, where in found["gaps"]:
        tell(f"  {gap * 1000:6.0f} ms  {doing:<44}  {where}")
    tell(f"a fixed sum took {min(found['pace']):.0f} to {max(found['pace']):.0f} ms")
    by_minute = ", ".join(f"{mb:.0f}" for _, mb in found["memory"])
    tell(f"memory by the minute, whatever job is open: {by_minute} MB")
    first, last = found["at rest"][0], found["at rest"][-1]
    grown = sum(mb for _, mb in last) - sum(mb for _, mb in first)
    tell(
        f"memory at rest with {AT_REST}: {told_of(first)}, at the end {told_of(last)}; grown by {grown:.0f}"
    )
    return len(found["faults"])
