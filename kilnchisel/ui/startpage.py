"""The start page: demo jobs and recent jobs with their pictures, a new job, and rescued work."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.job.blank import GROUPS
from kilnchisel.core.job.file import read_preview
from kilnchisel.ui.memory import recent_jobs
from kilnchisel.ui.session import Rescue, rescues
from kilnchisel.ui.theme import look_icon

CARD = QSize(268, 196)
OBJECT = QSize(54, 36)
PER_ROW = 4


@dataclass(frozen=True)
class DemoJob:
    """A job offered on the start page."""

    title: str
    path: Path


class StartPage(QWidget):
    """Where work begins."""

    job_wanted = pyqtSignal(object)  # Path
    demo_wanted = pyqtSignal(object)  # Path, opened as a copy
    new_wanted = pyqtSignal(str)  # kind of blank
    open_wanted = pyqtSignal()
    mesh_wanted = pyqtSignal()
    rescue_wanted = pyqtSignal(object)
    rescue_dropped = pyqtSignal(object)

    def __init__(self, demos: list[DemoJob]) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.demos = demos
        self.inner = QWidget()
        self.column = QVBoxLayout(self.inner)
        self.column.setContentsMargins(56, 36, 56, 36)
        self.column.setSpacing(10)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.inner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll)
        self._unseen: list[tuple[QPushButton, Path]] = []  # cards that wait for their picture
        self._seeing = QTimer(self)
        self._seeing.timeout.connect(self._see)
        self.held = False  # a job is being opened: nobody needs the page
        self._laid_out = False

    def showEvent(self, event: QShowEvent | None) -> None:
        if not self._laid_out and not self.held:
            self.refresh()
        super().showEvent(event)

    def clear(self) -> None:
        """Let go of what is on the page, until it is laid out anew."""
        self._laid_out = False
        self._unseen.clear()
        while self.column.count():
            item = self.column.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()

    def refresh(self) -> None:
        """Lay the page out anew from what there is."""
        self.clear()
        self._laid_out = True
        title = QLabel("Kiln Chisel")
        title.setObjectName("mast")
        self.column.addWidget(title)
        self.column.addWidget(
            _pencilled(
                "Lettering on real objects, at real size: a picture your customer believes, "
                "and the files to make it."
            )
        )
        self.told = QLabel()
        self.told.setObjectName("refusal")
        self.told.setWordWrap(True)
        self.told.hide()
        self.column.addWidget(self.told)
        self.column.addSpacing(14)
        question = QLabel("What is to be lettered?")
        question.setObjectName("title")
        self.column.addWidget(question)
        self.column.addWidget(self._objects())
        for rescue in rescues():
            self.column.addWidget(self._rescue(rescue))
        self._shelf(
            "From the Tarnlight Observatory",
            [(demo.title, demo.path, self.demo_wanted) for demo in self.demos],
        )
        self._shelf("Recent jobs", [(p.stem, p, self.job_wanted) for p in recent_jobs()])
        self.column.addStretch(1)

    def tell(self, sentence: str) -> None:
        """Put a sentence at the head of the page; it goes when the page is laid out anew."""
        if not self._laid_out:
            self.refresh()
        self.told.setText(sentence)
        self.told.show()

    def _objects(self) -> QWidget:
        """A button for every kind of object, a row for each sort."""
        rows = QWidget()
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 0, 0, 8)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        for number, (group, kinds) in enumerate(GROUPS.items()):
            grid.addWidget(_pencilled(group), number, 0)
            for place, (kind, words) in enumerate(kinds, start=1):
                name = kind.model_fields["kind"].default
                button = QPushButton(words)
                button.setObjectName("object")
                button.setAccessibleName(f"New job on: {words}")
                button.setIcon(look_icon("objects", name))
                button.setIconSize(OBJECT)
                button.clicked.connect(lambda _=False, k=name: self.new_wanted.emit(k))
                grid.addWidget(button, number, place)
        row = len(GROUPS)
        grid.addWidget(_pencilled("From a file"), row, 0)
        for place, (words, wanted) in enumerate(
            (("A mesh…", self.mesh_wanted), ("A job…", self.open_wanted)), start=1
        ):
            button = QPushButton(words)
            button.setObjectName("object")
            button.setAccessibleName(f"{words} from a file")
            button.clicked.connect(wanted)
            grid.addWidget(button, row, place)
        grid.addWidget(_pencilled("or dropped on this page"), row, 3, 1, 5)
        grid.setColumnStretch(9, 1)
        return rows

    def _shelf(self, title: str, things: list[tuple[str, Path, object]]) -> None:
        if not things:
            return
        head = QLabel(title)
        head.setObjectName("title")
        self.column.addSpacing(8)
        self.column.addWidget(head)
        shelf = QWidget()
        grid = QGridLayout(shelf)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(14)
        for number, (words, path, signal) in enumerate(things):
            grid.addWidget(self._card(words, path, signal), number // PER_ROW, number % PER_ROW)
        grid.setColumnStretch(PER_ROW, 1)
        self.column.addWidget(shelf)

    def _card(self, words: str, path: Path, signal: object) -> QWidget:
        card = QWidget()
        column = QVBoxLayout(card)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        picture = QPushButton()
        picture.setFixedSize(CARD)
        picture.setIconSize(CARD - QSize(8, 8))
        picture.setAccessibleName(f"Open {words}")
        picture.setToolTip(str(path))
        self._unseen.append((picture, path))
        self._seeing.start()
        picture.clicked.connect(lambda _=False, p=path: signal.emit(p))  # type: ignore[attr-defined]
        column.addWidget(picture)
        label = QLabel(words)
        label.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(label)
        return card

    def _see(self) -> None:
        """One more card gets its picture: each takes long enough for one turn."""
        if not self._unseen:
            self._seeing.stop()
            return
        button, path = self._unseen.pop(0)
        seen = _picture(path, path.stat().st_mtime_ns if path.is_file() else 0)
        if seen is None:
            button.setText("no picture yet")
        else:
            button.setIcon(QIcon(seen))

    def _rescue(self, rescue: Rescue) -> QWidget:
        row = QWidget()
        row.setObjectName("card")
        row.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line = QHBoxLayout(row)
        line.setContentsMargins(14, 10, 14, 10)
        when = time.strftime("%d %b, %H:%M", time.localtime(rescue.when))
        line.addWidget(QLabel(f"Unsaved work on “{rescue.name}” from {when} was kept."))
        line.addStretch(1)
        take = QPushButton("Go on with it")
        take.setObjectName("primary")
        take.clicked.connect(lambda _=False: self.rescue_wanted.emit(rescue))
        line.addWidget(take)
        drop = QPushButton("Drop it")
        drop.clicked.connect(lambda _=False: self.rescue_dropped.emit(rescue))
        line.addWidget(drop)
        return row


def _pencilled(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("pencil")
    return label


@lru_cache(maxsize=64)
def _picture(path: Path, _mtime: int) -> QPixmap | None:
    """The picture in a job file, at the size of a card; None where there is none."""
    preview, pixmap = read_preview(path), QPixmap()
    if preview is None or not pixmap.loadFromData(preview):
        return None
    return pixmap.scaled(
        CARD * 2,
        Qt.AspectRatioMode.KeepAspectRatioByExpanding,
        Qt.TransformationMode.SmoothTransformation,
    )
