"""What the window does with a list of names: the page, and all rows handed over by the command in a process
of its own, which goes on where it was stopped."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.options import counting_for
from kilnchisel.core.job.model import Job
from kilnchisel.ui.away import away
from kilnchisel.ui.folder import FILES, VALUES, Handing
from kilnchisel.ui.memory import recall
from kilnchisel.ui.targets import ask_target

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window

PROCESSES = 2
LIST_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".ods")  # what reads them is loaded with the page


def lay_list(window: Window, path: Path | None = None) -> None:
    """The page of a list of names; what is chosen there is kept with the job, undone like all else."""
    from kilnchisel.ui.names.page import APPROVE, EACH, NamesPage, place_of

    session = window.session
    if path is None and session.job.listing is not None:
        path = place_of(session.job.listing.file)
    page = NamesPage(session.job, path, window.theme, window)
    accepted = page.exec()
    if page.path is not None and page.listing != session.job.listing:
        session.put(page.present, "list of names")
    if not accepted or page.path is None:
        return
    start = str(window.folder())
    if page.wanted == APPROVE:
        target = ask_target(window, "One PDF of all", (".pdf",))
        if target is not None:
            _write(window, page.path, target, ("proof",), [f"--processes={PROCESSES}"])
        return
    arguments, kinds = [f"--processes={PROCESSES}"], page.listing.kinds
    if page.wanted != EACH:
        words = "A roll by its width, or a sheet by its width and height: 330mm, 600x400mm"
        start_size = "610mm" if "plotter" in page.laid else "600x400mm"
        bed, good = QInputDialog.getText(window, "Together", words, text=start_size)
        if not good:
            return
        arguments, kinds = ["--on", bed.strip(), "--only", ",".join(page.laid)], tuple(page.laid)
    folder = QFileDialog.getExistingDirectory(window, "Into a folder", start)
    if folder:
        _write(window, page.path, Path(folder), kinds, arguments)


def _write(window: Window, names: Path, output: Path, kinds: tuple[str, ...], arguments: list[str]) -> None:
    """Hand over all rows of the window's job as some kinds, the window staying free."""
    kept = recall(VALUES, {})
    counting = counting_for(kinds) - set(FILES)
    values = {k: str(v) for k, v in kept.items() if k in counting} if isinstance(kept, dict) else {}
    how = [f"--with={name}={value}" for name, value in values.items()]
    handing = Handing("list")
    job: Job = window.session.job
    asked = [str(names), "-o", str(output), *how, *arguments]
    try:
        said = away(partial(handing.said, job, asked), f"Making {output.name}", window, handing.stop)
    except KilnError as error:
        window.tell(str(error))
        return
    window.say(f"{said[-1] if said else ''} Written into {output}.".strip())
