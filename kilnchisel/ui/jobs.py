"""What the window does with jobs: new ones, opened, saved, left."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from kilnchisel.core.blanks.meshfile import MESH_KINDS
from kilnchisel.core.build import prepare
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import unknown_words
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.model import Job
from kilnchisel.ui.actions import Actions
from kilnchisel.ui.away import away
from kilnchisel.ui.memory import add_recent, remember
from kilnchisel.ui.meshes import MeshDialog
from kilnchisel.ui.session import Rescue, forget
from kilnchisel.ui.targets import ask_target

JOBS = "Jobs (*.kcj)"


class JobActions(Actions):
    """The part of the window that begins and ends jobs. Mixed into it."""

    def start_new(self, kind: str) -> None:
        """A new job on a blank, with a first lettering to write over."""
        window = self._window()
        if not window.leave_job():
            return
        job = fresh_job(kind)
        away(lambda: prepare(job), f"Making the {kind}", window)
        window.ticket.open_section = "wording"  # so that its fields are made at once, and no others before
        window.begin(job, None)
        window.edit_words()

    def new_on_mesh(self) -> None:
        """Ask for a mesh file, and begin a job on it."""
        window = self._window()
        wanted = " ".join(f"*{ending}" for ending in MESH_KINDS)
        name, _ = QFileDialog.getOpenFileName(window, "A mesh", window.folder(), f"Meshes ({wanted})")
        if name:
            window.open_mesh(Path(name))

    def open_mesh(self, path: Path) -> None:
        """Read a mesh in the background, ask what its unit is, and begin a job on it."""
        window = self._window()
        dialog = MeshDialog(path, window)
        if dialog.exec() and dialog.blank is not None and window.leave_job():
            window.begin(job_on(dialog.blank, path.stem, "Your words"), None)
            if dialog.notes:
                window.say("; ".join(dialog.notes) + ".")

    def new_job(self) -> None:
        """Back to the start page."""
        window = self._window()
        if window.leave_job():
            window.session.start(Job())
            window.start_page.refresh()
            window.pages.setCurrentIndex(0)

    def open_job(self) -> None:
        """Ask which job, and open it."""
        window = self._window()
        name, _ = QFileDialog.getOpenFileName(window, "Open a job", window.folder(), JOBS)
        if name:
            window.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a job file; what is open is kept when it cannot be read."""
        window = self._window()
        job = self._read(path, f"Opening {path.name}")
        if job is None:
            window.start_page.refresh()
        elif window.leave_job():
            window.begin(job, path.resolve())
            add_recent(path)
            words = unknown_words(job)
            if words:
                window.say(f"{path.name} {words}")

    def open_demo(self, path: Path) -> None:
        """A demo job, as a new job of the person's own."""
        window = self._window()
        job = self._read(path, f"Opening {path.name}")
        if job is not None and window.leave_job():
            window.begin(job, None)

    def take_rescue(self, rescue: Rescue) -> None:
        """Go on with work that was not saved."""
        window = self._window()
        job = self._read(rescue.copy, "Opening what was kept")
        if job is None:
            return
        window.begin(job, rescue.original, saved=False)
        window.session.autosave()
        window.session.chores.do(lambda: forget(rescue))  # once it is kept anew

    def _read(self, path: Path, words: str) -> Job | None:
        """A job from its file, read beside the window; None where it cannot be, which is told."""
        window = self._window()
        try:
            return away(lambda: opened(path), words, window)
        except KilnError as error:
            window.tell(str(error))
            return None

    def drop_rescue(self, rescue: Rescue) -> None:
        """Let go of work that was not saved."""
        window = self._window()
        forget(rescue)
        window.start_page.refresh()

    def begin(self, job: Job, path: Path | None, *, saved: bool = True) -> None:
        """Show a job; ``path``: where it was read from."""
        window = self._window()
        window.picture.begin()
        window.readings.begin()
        window.session.start(job, path, saved=saved)
        window.pages.setCurrentIndex(1)
        window.show_look()
        window.picture.setFocus()

    def save_job(self) -> bool:
        """Save where the job came from, or ask."""
        window = self._window()
        if window.session.path is None:
            return window.save_job_as()
        return window._save(window.session.path)

    def save_job_as(self) -> bool:
        """Ask where to save."""
        window = self._window()
        path = ask_target(window, "Save the job", (".kcj",), "Jobs")
        return path is not None and window._save(path)

    def _save(self, path: Path) -> bool:
        window = self._window()
        try:
            window.session.save(path)
        except KilnError as error:
            window.tell(str(error))
            return False
        remember("folder", str(path.parent))
        window.say(f"Saved to {path.name}.")
        return True

    def leave_job(self) -> bool:
        """Whether the present job may be left: it is saved, or the person says what to do with it."""
        window = self._window()
        if not window.session.unsaved or window.pages.currentIndex() == 0:
            return True
        answer = window.ask_unsaved()
        if answer == "save":
            return window.save_job()
        return answer == "leave"

    def ask_unsaved(self) -> str:
        """ "save", "leave" or "stay". A method of its own, so that tests can answer."""
        window = self._window()
        dialog = QDialog(window)
        dialog.setWindowTitle("Unsaved changes")
        column = QVBoxLayout(dialog)
        column.setContentsMargins(22, 18, 22, 16)
        words = QLabel(f"“{window.session.job.name}” has changes that are not saved.")
        column.addWidget(words)
        row = QHBoxLayout()
        answers: dict[str, str] = {}
        for answer, text, name in (
            ("leave", "Leave them", ""),
            ("stay", "Stay here", ""),
            ("save", "Save", "primary"),
        ):
            button = QPushButton(text)
            button.setObjectName(name)
            button.setAutoDefault(answer == "save")  # what Return does loses nothing
            button.setDefault(answer == "save")
            if answer == "save":
                button.setFocus()
            button.clicked.connect(dialog.accept)
            button.clicked.connect(lambda _=False, a=answer: answers.setdefault("is", a))
            row.addWidget(button)
        column.addLayout(row)
        dialog.exec()
        return str(answers.get("is", "stay"))


def opened(path: Path) -> Job:
    """A job from its file with all that is read for it. Raises KilnError."""
    job = open_job(path)
    prepare(job)
    return job
