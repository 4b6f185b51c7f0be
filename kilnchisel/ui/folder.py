"""A job handed over into one folder, by the command in a process of its own: the window stays free, and to
stop it is to end that."""

from __future__ import annotations

import importlib
import subprocess
import sys
import tempfile
import threading
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QFileDialog

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.options import USUAL, counting_for
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.handover.pictures import parse_size, usual_samples
from kilnchisel.core.intake.gate import tell
from kilnchisel.core.job.model import Job
from kilnchisel.ui.away import away
from kilnchisel.ui.memory import recall
from kilnchisel.ui.targets import plain_name

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window


VALUES = "how it is handed over"  # what the memory calls it
FILES = ("logo", "rates")


class Handing:
    """The process of a command that writes what takes long: a folder, a film, the rows of a list."""

    def __init__(self, command: str = "hand-over") -> None:
        self._command = command
        self._process: subprocess.Popen[str] | None = None
        self._stopped = False

    def write(self, job: Job, arguments: list[str]) -> list[Path]:
        """What was written. Raises KilnError with what the command refuses."""
        return [Path(line) for line in self.said(job, arguments)]

    def said(self, job: Job, arguments: list[str]) -> list[str]:
        """What the command says, line by line. Raises KilnError with what it refuses."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "job.kcj"
            save_packed(job, path)
            command = [
                sys.executable,
                "-m",
                "kilnchisel",
                self._command,
                str(path),
                "--progress",
                *arguments,
            ]
            refused = ""
            # what it says goes into a file: a pipe that nobody reads yet would be full
            with (
                (Path(folder) / "said").open("w+") as said,
                subprocess.Popen(command, stdout=said, stderr=subprocess.PIPE, text=True) as process,
            ):
                self._process = process
                if self._stopped:
                    process.terminate()
                assert process.stderr is not None
                for line in process.stderr:
                    share, _, words = line.strip().partition(" ")
                    try:
                        tell(float(share), words)
                    except ValueError:
                        refused = line.strip()
                if process.wait() != 0:
                    raise KilnError(refused or "What writes it has ended: it may have run out of memory.")
                said.seek(0)
                return said.read().splitlines()

    def stop(self) -> None:
        """End it: what is one file or folder is written whole or not at all."""
        self._stopped = True
        if self._process is not None:
            self._process.terminate()


def page_ahead() -> None:
    """Load in the background what the page of all that can be handed over takes."""
    page = "kilnchisel.ui.handover.page"
    threading.Thread(target=importlib.import_module, args=(page,), name="hand-over", daemon=True).start()


def hand_over_all(window: Window) -> None:
    """Let the person choose of all that the job can give, and write it into a folder."""
    from kilnchisel.ui.handover.page import HandOverPage  # with what it takes to say what can be made

    image = window.picture.image
    seen = None if image is None else QPixmap.fromImage(image)
    page = HandOverPage(window.session.job, seen, window.theme, window)
    if not page.exec():
        return
    chosen = QFileDialog.getExistingDirectory(window, "Into a folder", str(window.folder()))
    if chosen:
        write_folder(window, Path(chosen), page.names, page.values)


def watch_router(window: Window) -> None:
    """Show how a router cuts the job, with the cutters that were chosen last."""
    from kilnchisel.core.handover.presets import wanted_from
    from kilnchisel.core.shop.paths.routing import not_routed
    from kilnchisel.ui.handover.watch import WatchPage

    job = window.session.job
    if why := not_routed(job):
        window.say(f"There is nothing for a router: {why}.")
        return
    kept = recall(VALUES, {})
    values = {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}
    try:
        how = wanted_from({k: v for k, v in values.items() if k not in FILES}).routing
    except KilnError:  # of before
        how = wanted_from({}).routing
    WatchPage(job, how, window).exec()


def write_folder(window: Window, place: Path, names: tuple[str, ...], values: dict[str, str]) -> None:
    """Write what is chosen of the window's job into a folder of its name, the window staying free."""
    job = window.session.job
    folder = place / plain_name(job.name)
    arguments = ["-o", str(folder), "--only", ",".join(names)]
    counting = counting_for(names)
    for name, value in values.items():
        if name in counting:
            arguments += [f"--{name}"] if value == "yes" else [f"--{name}={value}"]
    if "samples" in counting and "samples" not in values:
        size = parse_size(values.get("size", USUAL["size"]))
        arguments.append(f"--samples={usual_samples(job, size)}")
    handing = Handing()
    try:
        paths = away(partial(handing.write, job, arguments), f"Writing {folder.name}", window, handing.stop)
    except KilnError as error:
        window.tell(str(error))
        return
    window.say(f"{len(paths)} files written into {folder}.")
