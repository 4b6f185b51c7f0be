"""Readings and checks of the chosen lettering."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kilnchisel.core.job.edits import Fix
from kilnchisel.core.shop.check import Check
from kilnchisel.core.shop.readings import Reading
from kilnchisel.core.units import format_length
from kilnchisel.core.workshop.orders import Taken
from kilnchisel.ui.theme import Theme, drawing
from kilnchisel.ui.ticket.sections import TITLES

WIDTH = 222
COLOUR = {"good": "glaze", "warning": "amber", "failure": "brick"}
SPOKEN = {"good": "fine", "warning": "mind", "failure": "wrong"}


class ReadingsPanel(QWidget):
    """Measures above, verdicts below, each with its reason and, where there is one, its fix."""

    fixed = pyqtSignal(object)
    opened = pyqtSignal(str)  # a section of the ticket

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("readings")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self.theme = theme
        self.unit = "mm"
        self._taken: Taken | None = None
        self._measuring = False
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(16, 12, 14, 12)
        column.setSpacing(6)
        heading = QLabel("Readings")
        heading.setObjectName("title")
        column.addWidget(heading)
        self.grid = QGridLayout()
        self.grid.setVerticalSpacing(5)
        self.grid.setColumnStretch(0, 1)
        column.addLayout(self.grid)
        column.addSpacing(12)
        self.verdict = QLabel("Checks")
        self.verdict.setObjectName("title")
        column.addWidget(self.verdict)
        self.checks = QVBoxLayout()
        self.checks.setSpacing(8)
        column.addLayout(self.checks)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 0, 0, 0)
        outer.addWidget(scroll)

    def begin(self) -> None:
        """Another job: what was read from the one before is not its."""
        self._taken, self._measuring = None, True
        self.drop_rows()
        self._note("Measuring…")

    def drop_rows(self) -> None:
        """Let go of what is shown."""
        _clear(self.grid)
        _clear(self.checks)

    def _note(self, words: str) -> None:
        note = QLabel(words)
        note.setObjectName("small")
        note.setWordWrap(True)
        self.grid.addWidget(note, 0, 0, 1, 2)

    def show_taken(self, taken: Taken | None) -> None:
        """Show the readings and checks, or nothing."""
        self._taken, self._measuring = taken, False
        self.drop_rows()
        if taken is None:
            self._note("Add lettering to read its measures.")
            return
        for row, reading in enumerate(taken.readings):
            label = QLabel(reading.label)
            label.setObjectName("small")
            figure = QLabel(self._figure(reading))
            figure.setObjectName("figure")
            figure.setAlignment(Qt.AlignmentFlag.AlignRight)
            figure.setAccessibleName(f"{reading.label} {figure.text()}")
            self.grid.addWidget(label, row, 0)
            self.grid.addWidget(figure, row, 1)
        for check in taken.checks:
            self.checks.addWidget(self._check(check))

    def restyle(self, theme: Theme, unit: str) -> None:
        self.theme, self.unit = theme, unit
        if self._measuring:
            self.begin()
        else:
            self.show_taken(self._taken)

    def _figure(self, reading: Reading) -> str:
        if reading.unit == "mm" and self.unit == "in":
            return format_length(reading.value, "in", 3)
        return reading.shown

    def _check(self, check: Check) -> QWidget:
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        mark = QLabel()
        colour = getattr(self.theme, COLOUR[check.level])
        picture = drawing(check.level, colour, 28)
        picture.setDevicePixelRatio(2.0)
        mark.setPixmap(picture)
        mark.setAccessibleName(SPOKEN[check.level])
        grid.addWidget(mark, 0, 0, Qt.AlignmentFlag.AlignTop)
        says = QLabel(check.says)
        says.setWordWrap(True)
        says.setObjectName("small" if check.level == "good" else check.level)
        grid.addWidget(says, 0, 1)
        if check.source:
            source = QLabel(check.source)
            source.setObjectName("small")
            source.setWordWrap(True)
            grid.addWidget(source, 1, 1)
        link = None
        if check.fix is not None:
            fix: Fix = check.fix
            link = QPushButton(fix.label)
            link.clicked.connect(lambda _=False, f=fix: self.fixed.emit(f))
        elif check.decides and check.level != "good":
            link = QPushButton(f"Open {TITLES[check.decides]}")
            link.clicked.connect(lambda _=False, key=check.decides: self.opened.emit(key))
        if link is not None:
            link.setObjectName("link")
            grid.addWidget(link, 2, 1, Qt.AlignmentFlag.AlignLeft)
        grid.setColumnStretch(1, 1)
        return row


def _clear(layout: QGridLayout | QVBoxLayout) -> None:
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()
