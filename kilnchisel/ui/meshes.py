"""A mesh from a file: read in the background, then its unit and its upward axis are asked for."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.meshfile import UNITS, MeshFile, like, mesh_of_file
from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import sentence_of
from kilnchisel.core.intake.gate import stop_reading, told_of
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.units import format_number
from kilnchisel.ui.away import Told, show_share, waiting_bar

AXES = (("z", "z"), ("y", "y"), ("x", "x"), ("-z", "−z"), ("-y", "−y"), ("-x", "−x"))


class MeshDialog(QDialog):
    """Reads a mesh and asks what cannot be known. ``blank`` is what was made of it, None if nothing."""

    def __init__(self, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.blank: Mesh3D | None = None
        self.notes: tuple[str, ...] = ()
        self.file: MeshFile | None = None
        self._wanted = True
        self._now = ""
        self._begun = time.monotonic()
        self.setWindowTitle(f"A mesh: {path.name}")
        self.setMinimumWidth(460)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(22, 18, 22, 16)
        self.column.setSpacing(8)
        self.words = QLabel(f"Reading {path.name}…")
        self.words.setWordWrap(True)
        self.column.addWidget(self.words)
        self.bar = waiting_bar("Reading the mesh")
        self.column.addWidget(self.bar)
        self.form = QWidget()
        self.column.addWidget(self.form)
        self.units, self.axes = QButtonGroup(self), QButtonGroup(self)
        row = QHBoxLayout()
        row.addStretch(1)
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(self.reject)
        self.take = QPushButton("Letter it")
        self.take.setObjectName("primary")
        self.take.clicked.connect(self._take)
        self.take.hide()
        row.addWidget(self.stop)
        row.addWidget(self.take)
        self.column.addLayout(row)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)
        self._clock.start(500)
        told = Told()
        told.made.connect(self._read)
        told.at.connect(self._show)
        self._thread = threading.Thread(target=self._reading, args=(path, told), name="mesh", daemon=True)
        self._thread.start()

    def _reading(self, path: Path, told: Told) -> None:
        try:
            with told_of(told.at.emit):
                file = mesh_of_file(path)
            free_mesh(file.blank(file.likely_mm, file.likely_up))  # what is drawn first is ready then
        except KilnError as error:
            if self._wanted:
                told.made.emit(None, str(error))
            return
        except Exception as error:
            if self._wanted:
                told.made.emit(None, sentence_of(error))
            sys.excepthook(type(error), error, error.__traceback__)
            return
        if self._wanted:
            told.made.emit(file, "")

    def _show(self, share: float | None, words: str) -> None:
        self._now = words
        show_share(self.bar, share)

    def _tick(self) -> None:
        reading = self.words.text().split("…")[0]
        seconds = time.monotonic() - self._begun
        self.words.setText(f"{reading}… {seconds:.0f} s{f', {self._now}' if self._now else ''}")

    def _read(self, file: MeshFile | None, trouble: str) -> None:
        self._clock.stop()
        self.bar.hide()
        if file is None:
            self.words.setText(trouble)
            self.stop.setText("Close")
            return
        self.file = file
        count = f"{file.triangles:,} triangles".replace(",", " ")
        parts = f" in {len(file.parts)} parts" if len(file.parts) > 1 else ""
        mended = f" {'; '.join(file.notes)}." if file.notes else ""
        self.words.setText(f"{file.name}: {count}{parts}.{mended.capitalize()}")
        self._ask(file)
        self.take.show()
        self.take.setDefault(True)
        self.stop.setText("Leave it")
        self.adjustSize()

    def _ask(self, file: MeshFile) -> None:
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 4, 0, 4)
        said = "The file says:" if file.stated_mm is not None else "One unit of the file is:"
        grid.addWidget(QLabel(said), 0, 0, 1, 3)
        for row, (name, mm) in enumerate(UNITS.items(), start=1):
            button = QRadioButton(name)
            button.setChecked(mm == file.likely_mm)
            self.units.addButton(button, row - 1)
            grid.addWidget(button, row, 0)
            sizes = " × ".join(format_number(value * mm, 1) for value in file.span)
            grid.addWidget(QLabel(f"{sizes} mm"), row, 1)
            compared = QLabel(like(max(file.span) * mm))
            compared.setObjectName("pencil")
            grid.addWidget(compared, row, 2)
            button.setAccessibleName(f"One unit is 1 {name}: {sizes} mm, {compared.text()}")
        grid.addWidget(QLabel("Up in the file:"), 6, 0)
        line = QHBoxLayout()
        for number, (axis, shown) in enumerate(AXES):
            button = QRadioButton(shown)
            button.setAccessibleName(f"Up is {shown}")
            button.setChecked(axis == file.likely_up)
            self.axes.addButton(button, number)
            line.addWidget(button)
        line.addStretch(1)
        grid.addLayout(line, 6, 1, 1, 2)

    def _take(self) -> None:
        if self.file is None:
            return
        unit = list(UNITS.values())[max(self.units.checkedId(), 0)]
        self.blank = self.file.blank(unit, AXES[max(self.axes.checkedId(), 0)][0])
        self.notes = self.file.notes
        self.accept()

    def reject(self) -> None:
        """The reading is ended."""
        self._end()
        super().reject()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._end()
        super().closeEvent(event)

    def _end(self) -> None:
        self._wanted = False
        if self.file is None:
            stop_reading(self._thread.ident)
