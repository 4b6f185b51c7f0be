"""All that a job can be handed over as, to be chosen and written into one folder."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton, QVBoxLayout, QWidget

from kilnchisel.core.handover.table import KINDS
from kilnchisel.core.job.model import Job
from kilnchisel.ui.memory import recall, remember

CHOSEN = "handed over"  # what the memory calls it: the next job begins with the same choice


class Kinds(QWidget):
    """A box to tick for each kind, what it gives or why there is none, and a button. What is ticked is kept
    for the next job."""

    folder_wanted = pyqtSignal(tuple)  # the names of what is chosen

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(2)
        head = QLabel("Into one folder")
        head.setObjectName("title")
        column.addWidget(head)
        kept = recall(CHOSEN, ["picture"])
        self._chosen = set(kept) if isinstance(kept, list) else {"picture"}
        self.boxes: dict[str, QCheckBox] = {}
        self._words: dict[str, QLabel] = {}
        for kind in KINDS:
            box, words = QCheckBox(kind.title), QLabel()
            box.setChecked(kind.name in self._chosen)
            box.clicked.connect(self._take)
            words.setObjectName("small")
            words.setWordWrap(True)
            words.setIndent(24)
            column.addWidget(box)
            column.addWidget(words)
            self.boxes[kind.name], self._words[kind.name] = box, words
        self.button = QPushButton("Write into a folder…")
        self.button.setObjectName("link")
        self.button.clicked.connect(lambda: self.folder_wanted.emit(self.chosen()))
        column.addWidget(self.button)

    def show_job(self, job: Job) -> None:
        """Say what this job can give, and why not the rest."""
        for kind in KINDS:
            missing = kind.missing(job)
            self.boxes[kind.name].setEnabled(not missing)
            self._words[kind.name].setText(
                f"{missing[0].upper()}{missing[1:]}." if missing else kind.formats
            )
        self._take()

    def chosen(self) -> tuple[str, ...]:
        """The names of what is ticked and can be given."""
        return tuple(name for name, box in self.boxes.items() if box.isChecked() and box.isEnabled())

    def _take(self) -> None:
        chosen = {name for name, box in self.boxes.items() if box.isChecked()}
        if chosen != self._chosen:
            self._chosen = chosen
            remember(CHOSEN, sorted(chosen))
        self.button.setEnabled(bool(self.chosen()))
