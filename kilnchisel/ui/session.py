"""The current job: its history, its file, its autosave. One signal: the job changed."""

from __future__ import annotations

import json
import os
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.history import History
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.sections import edit_words
from kilnchisel.core.paths import state_folder
from kilnchisel.core.writing import write_whole
from kilnchisel.ui.away import Chores, away
from kilnchisel.ui.memory import add_recent

AUTOSAVE_MS = 1500


@dataclass(frozen=True)
class Rescue:
    """Unsaved work of a session that did not end by itself."""

    copy: Path
    note: Path
    original: Path | None
    name: str
    when: float


class Session(QObject):
    """Holds the job being worked on. All changes go through ``edit`` or ``put``."""

    changed = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History.start(Job())
        self.path: Path | None = None
        self.chosen = 0
        self.letter: int | None = None  # the chosen letter of the chosen wording
        self.preview: Callable[[], Callable[[], bytes | None]] = lambda: lambda: None
        self._saved_job: Job | None = self.history.job
        self._compared: tuple[Job | None, Job | None, bool] = (None, None, False)
        self._saved_at = 0.0
        self._stem = f"{os.getpid()}-{uuid.uuid4().hex[:8]}"
        self.chores = Chores()
        self.chores.failed.connect(self._not_kept)
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self.autosave)

    # the present

    @property
    def job(self) -> Job:
        return self.history.job

    @property
    def index(self) -> int | None:
        """The chosen lettering, None when there is none."""
        count = len(self.job.letterings)
        return min(self.chosen, count - 1) if count else None

    @property
    def unsaved(self) -> bool:
        """Whether the job is another than was saved. Large ones take 25 ms to compare: it is done once."""
        job, saved, differs = self._compared
        if job is not self.job or saved is not self._saved_job:
            differs = self.job != self._saved_job
            self._compared = (self.job, self._saved_job, differs)
        return differs

    @property
    def saved_words(self) -> str:
        if self.unsaved:
            return "not saved yet" if self.path is None else "changed since saving"
        if self.path is None:
            return "new"
        return f"saved {time.strftime('%H:%M', time.localtime(self._saved_at))}"

    # changes

    def start(self, job: Job, path: Path | None = None, *, saved: bool = True) -> None:
        """Begin with another job."""
        self.discard_autosave()
        self.history = History.start(job)
        self.path = path
        self.chosen = 0
        self.letter = None
        self._saved_job = job if saved else None
        self._saved_at = path.stat().st_mtime if path and path.is_file() else 0.0
        self.changed.emit()

    def edit(self, path: tuple[str | int, ...], value: Any, words: str = "", merge: str = "") -> None:
        """Replace one value. Raises KilnError with the reason when it is refused."""
        self.put(change(self.job, path, value), words or edit_words(path, value), merge)

    def put(self, job: Job, words: str, merge: str = "") -> None:
        """Move on to a new job."""
        history = self.history.push(job, words, merge)
        if history is self.history:
            return
        self.history = history
        self._autosave.start()
        self.changed.emit()

    def end_step(self) -> None:
        """What follows is another step, even of the same kind."""
        self.history = self.history.seal()

    def back_to(self, history: History) -> None:
        """Return to a state remembered earlier, as if nothing had been tried since."""
        if history.job != self.job:
            self.history = history
            self.changed.emit()
        self.history = history

    def choose(self, index: int) -> None:
        """Choose a lettering."""
        if index != self.chosen:
            self.chosen = index
            self.letter = None
            self.end_step()
            self.changed.emit()

    def choose_letter(self, place: int | None) -> None:
        """Choose a letter of the chosen wording by its index in the text."""
        if place != self.letter:
            self.letter = place
            self.end_step()
            self.changed.emit()

    def undo(self) -> None:
        self._go(self.history.undo())

    def redo(self) -> None:
        self._go(self.history.redo())

    def _go(self, history: History) -> None:
        moved = history.at != self.history.at
        self.history = history
        if moved:
            self._autosave.start()
            self.changed.emit()

    # files

    def open(self, path: Path) -> None:
        """Open a job file. Raises KilnError and keeps the present job when it cannot be read."""
        self.start(away(lambda: open_job(path), f"Opening {path.name}"), path.resolve())
        add_recent(path)

    def save(self, path: Path | None = None) -> None:
        """Save to ``path`` or to where the job came from. Raises KilnError."""
        target = path or self.path
        if target is None:
            raise KilnError("Choose where to save the job.")
        job, preview = self.job, self.preview()
        away(lambda: save_packed(job, target, preview()), f"Saving {target.name}")
        self.path = target.resolve()
        self._saved_job = job
        self._saved_at = time.time()
        self.end_step()
        self.discard_autosave()
        add_recent(self.path)
        self.changed.emit()

    # autosave

    def _files(self) -> tuple[Path, Path]:
        folder = autosave_folder()
        return folder / f"{self._stem}.kcj", folder / f"{self._stem}.json"

    def autosave(self) -> None:
        """Keep a copy of unsaved work, to be found after a crash."""
        if not self.unsaved:
            self.discard_autosave()
            return
        files = self._files()
        about = {
            "pid": os.getpid(),
            "life": _life_of(os.getpid()),
            "original": str(self.path) if self.path else None,
            "name": self.job.name,
            "when": time.time(),
        }
        job = self.job
        self.chores.do(lambda: keep_copy(job, *files, about))

    def _not_kept(self, sentence: str) -> None:
        self.refused.emit(f"The work could not be autosaved: {sentence}")

    def discard_autosave(self) -> None:
        """The work is safe elsewhere, or not wanted."""
        self._autosave.stop()
        files = self._files()

        def drop() -> None:
            for path in files:
                path.unlink(missing_ok=True)

        self.chores.do(drop)


def autosave_folder() -> Path:
    """Where autosaves lie."""
    folder = state_folder() / "autosave"
    folder.mkdir(exist_ok=True)
    return folder


def keep_copy(job: Job, copy: Path, note: Path, about: dict[str, Any]) -> None:
    """Write an autosave and what is known about it. Raises KilnError."""
    write_whole(note, json.dumps(about).encode())  # first: a copy without it would not be found
    save_packed(job, copy)


def rescues() -> list[Rescue]:
    """Autosaves left behind by sessions that are no longer running, newest first."""
    found = []
    for note in autosave_folder().glob("*.json"):
        copy = note.with_suffix(".kcj")
        try:
            about = json.loads(note.read_text())
            if _running(int(about["pid"]), str(about.get("life", ""))):
                continue
            if not copy.is_file():  # ended before the copy was written
                note.unlink(missing_ok=True)
                continue
            original = about.get("original")
            found.append(
                Rescue(
                    copy,
                    note,
                    Path(original) if original else None,
                    str(about["name"]),
                    float(about["when"]),
                )
            )
        except (OSError, ValueError, KeyError, TypeError):
            continue
    return sorted(found, key=lambda rescue: -rescue.when)


def forget(rescue: Rescue) -> None:
    """Drop an autosave."""
    rescue.copy.unlink(missing_ok=True)
    rescue.note.unlink(missing_ok=True)


def _running(pid: int, life: str) -> bool:
    """Whether a process runs and is the one that was meant: once the machine was started anew, another may
    have its number."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return not life or life == _life_of(pid)


def _life_of(pid: int) -> str:
    """What tells a process from a later one of the same number: when the machine was started, and when it
    was (proc(5): the 22nd value, the 20th after the name in brackets); nothing where it is not said."""
    try:
        boot = Path("/proc/sys/kernel/random/boot_id").read_text().strip()
        told = Path(f"/proc/{pid}/stat").read_text(errors="replace").rpartition(")")[2].split()
        return f"{boot} {told[19]}"
    except (OSError, IndexError):
        return ""
