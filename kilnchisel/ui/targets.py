"""Where something is to be written: asked for with the endings that there are; what is there already is
written over only by somebody who knows."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window

LONGEST = 60  # letters of a file's name, so that it is none too long in any script


def ask_target(window: Window, title: str, endings: Sequence[str], kind: str = "") -> Path | None:
    """Where to write something of the window's job, None where the person thought better of it. A name
    without one of the ``endings`` gets that of the kind chosen in the list, the first where all are of one
    ``kind``."""
    start = Path(window.folder()) / f"{plain_name(window.session.job.name)}{endings[0]}"
    if kind:
        kinds = f"{kind} ({' '.join(f'*{ending}' for ending in endings)})"
    else:
        kinds = ";;".join(f"{ending[1:].upper()} (*{ending})" for ending in endings)
    while True:
        name, chosen = QFileDialog.getSaveFileName(window, title, str(start), kinds)
        if not name:
            return None
        named = Path(name)
        path = with_ending(named, endings, "" if kind else chosen)
        # what the dialog asked about is the name as it was typed
        if path == named or not path.exists() or written_over(window, path):
            return path
        start = path


def with_ending(path: Path, endings: Sequence[str], chosen: str = "") -> Path:
    """A name with an ending. One that looks like an ending is left, to be refused by what writes it; “v1.2”
    has none. ``chosen``: the kind in the list, "PNG (*.png)"."""
    ending = path.suffix.lower()
    if ending in endings or (len(endings) > 1 and ending[1:].isalpha()):
        return path
    first = "." + chosen.split(" ")[0].lower() if chosen else endings[0]
    return path.with_name(path.name.rstrip(".") + (first if first in endings else endings[0]))


def plain_name(name: str) -> str:
    """A job's name as that of a file or a folder."""
    kept = "".join(c if c.isalnum() or c in " -_" else " " for c in name)
    return " ".join(kept.split())[:LONGEST].strip() or "job"


def written_over(parent: QWidget, path: Path) -> bool:
    """Whether a file may be written over. A function of its own, so that tests can answer."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("There already")
    column = QVBoxLayout(dialog)
    column.setContentsMargins(22, 18, 22, 16)
    column.addWidget(QLabel(f"There is a file {path.name} in {path.parent.name or path.parent} already."))
    row = QHBoxLayout()
    over, other = QPushButton("Write over it"), QPushButton("Another name")
    over.setAutoDefault(False)
    other.setObjectName("primary")
    other.setDefault(True)  # what Return does loses nothing
    over.clicked.connect(dialog.accept)
    other.clicked.connect(dialog.reject)
    row.addWidget(over)
    row.addWidget(other)
    column.addLayout(row)
    other.setFocus()
    return bool(dialog.exec())
